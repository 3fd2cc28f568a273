"""A process on this machine as a way: Linux itself, and the daemons on it. Each command is run by itself."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
from collections.abc import Callable

from nogging.devices.bounds import MOST
from nogging.devices.session import Log, Once
from nogging.devices.ssh import ANSWER_WITHIN
from nogging.errors import NotUnderstood
from nogging.inventory import Device

_READ = 65536


def local(device: Device, log: Log | None = None) -> Once:
    """The way to the machine that Nogging runs on; the address in the inventory is not used."""
    settings = device.settings
    within, most = settings.answer_within or ANSWER_WITHIN, settings.answer_most or MOST
    return Once(device.spoken, within, _run, _nothing, log, most)


async def _run(command: str, sink: Callable[[bytes], None]) -> int | None:
    try:
        process = await asyncio.create_subprocess_shell(
            command,
            stdin=asyncio.subprocess.DEVNULL,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.STDOUT,
            start_new_session=True,
        )
    except OSError as error:
        raise NotUnderstood(f"'{command}' cannot be run here: {error.strerror}") from None
    assert process.stdout is not None
    try:
        while data := await process.stdout.read(_READ):
            sink(data)
        return await process.wait()
    finally:
        if process.returncode is None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)  # what the shell began as well


async def _nothing() -> None:
    return None
