"""Calls that a change makes beside its devices: a command on this machine, or a request over HTTP (RFC 9110)."""

from __future__ import annotations

import http.client
import json
import os
import signal
import subprocess
import threading
import urllib.error
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import IO

from nogging.changes.file.declared import CallModel, Text
from nogging.web import exchange

MOST_TOLD = 2000
Fetch = Callable[[Text], str]
"""Gives a text as it is sent."""


def call(model: CallModel, folder: Path, fetch: Fetch) -> tuple[str, bool]:
    """What was said, and whether it went well: status 0, or a status of 2xx. A command runs without a shell."""
    asked = model.http
    if asked is not None:
        data = None if asked.body is None else json.dumps(asked.body).encode()
        return requested(asked.url, data, asked.headers, fetch, method=asked.method, within=asked.within)
    return _run(list(model.command or ()), folder, model.within)


def _run(command: list[str], folder: Path, within: float) -> tuple[str, bool]:
    """Runs a command and all that it begins, within its time; the end of what it said is kept, however much it is."""
    try:
        process = subprocess.Popen(
            command,
            cwd=folder,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
    except (OSError, ValueError) as error:
        return f"'{command[0]}' cannot be run: {error}", False
    said = bytearray()
    listening = threading.Thread(target=_listen, args=(process.stdout, said), daemon=True)
    listening.start()
    try:
        status = process.wait(within)
        listening.join(1)  # what it leaves running may hold its output open
    except subprocess.TimeoutExpired:
        return f"'{' '.join(command)}' was not done within {within:g} s", False
    finally:
        if process.returncode is None:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()
    told = said.decode(errors="replace").strip()[-MOST_TOLD:]
    return told or f"status {status}", status == 0


def _listen(output: IO[bytes], said: bytearray) -> None:
    while data := output.read1(65536):  # type: ignore[attr-defined]
        said += data
        del said[: -4 * MOST_TOLD]


def requested(
    url: Text,
    data: bytes | None,
    headers: Mapping[str, Text],
    fetch: Fetch,
    *,
    within: float,
    method: str = "POST",
) -> tuple[str, bool]:
    """Sends a request with JSON in it; the status and the beginning of what was answered, and whether it went well.
    `within` are seconds for all of it, and it is sent on nowhere but within its own origin (RFC 6454)."""
    to, fields = fetch(url), {name: fetch(value) for name, value in headers.items()}
    if not to.startswith(("http://", "https://")):
        return f"{to} is no web address", False
    calls: list[tuple[str, bool]] = []

    def asked() -> None:
        calls.append(_exchanged(to, data, fields, method, within))

    asking = threading.Thread(target=asked, daemon=True)  # a server that drips bears any bound on silence
    asking.start()
    asking.join(within)
    return calls[0] if calls else (f"no whole answer within {within:g} s", False)


def _exchanged(to: str, data: bytes | None, fields: dict[str, str], method: str, within: float) -> tuple[str, bool]:
    try:
        headers = {"Content-Type": "application/json", **fields}
        status, said = exchange(to, data, headers, method=method, within=within, most=MOST_TOLD)
        return f"{status} {said.decode(errors='replace')}".strip(), True
    except urllib.error.HTTPError as error:
        return f"{error.code} {error.reason}", False
    except urllib.error.URLError as error:
        return f"not reached: {getattr(error.reason, 'strerror', None) or error.reason}", False
    except (OSError, http.client.HTTPException, ValueError) as error:
        return f"no answer that could be understood: {error}", False
