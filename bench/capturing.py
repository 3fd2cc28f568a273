"""Capturing the stand-in network, against a bare asyncssh loop that sends the same lines to the same servers."""

from __future__ import annotations

import asyncio
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import asyncssh

import nogging
from bench.measure import Figure, ratio
from nogging.captures.masking import Masker, user_key
from nogging.captures.writing import Writer
from nogging.collecting import collect
from nogging.collecting.credentials import Secrets
from nogging.collecting.visiting import Limits, Visits
from nogging.dialects.declared import load_dialect
from nogging.inventory import Device, Inventory
from nogging.records import KINDS


@contextmanager
def served(place: Path) -> Iterator[Inventory]:
    """The stand-in network in a process of its own; its inventory."""
    command = [sys.executable, "-m", "nogging", "stand-in", str(place / "sound")]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None and process.stdout.readline()
        time.sleep(0.2)
        try:
            yield nogging.load_inventory(place / "sound" / "inventory.yaml")
        finally:
            process.terminate()


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as place, served(Path(place)) as inventory:
        return _measured(inventory, Path(place))


def collected(inventory: Inventory, to: Path, kinds: Sequence[str] = tuple(KINDS)) -> None:
    """A capture without the reading of its answers."""
    plan = {device.name: collect.commands_for(device, kinds) for device in inventory.devices}
    with Writer(to, Masker(user_key())) as writer:
        visits = Visits(Limits(), inventory.jump_host, Secrets(None).of)
        asyncio.run(collect.FleetRun(writer, inventory, visits).all(plan))


def _measured(inventory: Inventory, place: Path) -> list[Figure]:
    what = "capture of 8 stand-in devices, 6 commands each"
    reference = "a bare asyncssh loop that sends the same lines"

    def bare() -> None:
        asyncio.run(_bare(inventory))

    def whole() -> None:
        nogging.capture(inventory, to=place / "whole")

    return [
        ratio(
            f"{what}: answers on disk, manifest written", lambda: collected(inventory, place / "only"), reference, bare
        ),
        ratio(f"{what}: and read into records", whole, reference, bare),
    ]


async def _bare(inventory: Inventory) -> None:
    await asyncio.gather(*(_one(device) for device in inventory.devices))


def _lines(device: Device) -> list[str]:
    """Every line that a capture sends: those that prepare a mode, those that enter it, the commands."""
    modes = load_dialect(device.dialect).session.modes
    mode = next(iter(modes))
    lines = list(modes[mode].prepare)
    for asked in collect.commands_for(device, KINDS):
        if asked.mode and asked.mode != mode:
            mode = asked.mode
            lines += [modes[mode].enter, *modes[mode].prepare]
        lines.append(asked.command)
    return lines


async def _one(device: Device) -> None:
    """Sends each line and waits for the next prompt."""
    async with asyncssh.connect(
        device.address,
        device.port,
        username=device.user or (),
        password=device.password(),
        known_hosts=str(device.folder / (device.settings.known_hosts or "")),
        client_keys=None,
        agent_path=None,
        config=None,
    ) as connection:
        process = await connection.create_process(term_type="vt100", term_size=(511, 0))
        for line in ["", *_lines(device)]:
            if line:
                process.stdin.write(line + "\n")
            said = ""
            while not said.endswith(("# ", "$ ")):
                said += await process.stdout.read(65536)
