"""Templates of a file are filled apart: in a process of their own, with bounds of time, memory and output.

A template is a program in a small language, and whoever wrote a change file may have written one that never ends or
that fills the memory. The process is begun when the first template is filled and takes one after the other; one that
goes over a bound ends it, and the next begins another.
"""

from __future__ import annotations

import json
import pickle
import struct
import subprocess
import sys
import threading
from collections.abc import Mapping
from typing import IO, Any

SECONDS, OCTETS, MOST = 10, 10**9, 10**6
"""How long a template may take, how much memory, and how many characters may come of it."""
_LENGTH = struct.Struct(">I")
Filled = tuple[str, str, int]
"""What became of a template: `text` with the text; or `wrong` with the reason, and the line."""


class Filler:
    """Has templates filled, one at a time, by a process that is begun when it is needed."""

    def __init__(self) -> None:
        self.turn = threading.Lock()
        self.process: subprocess.Popen[bytes] | None = None

    def fill(self, template: str, known: Mapping[str, Any]) -> Filled:
        with self.turn:
            process = self._running()
            assert process.stdin is not None
            assert process.stdout is not None
            try:
                put(process.stdin, pickle.dumps((template, dict(known))))
                how, text, line = json.loads(got(process.stdout))  # what a template says of itself is data, never code
            except (EOFError, OSError):
                self._end(process)
                return "wrong", f"it took longer than {SECONDS} s, or more than {OCTETS / 10**9:g} GB of memory", 1
            return how, text, line

    def _running(self) -> subprocess.Popen[bytes]:
        if self.process is None or self.process.poll() is not None:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "nogging.changes.file.templates"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                start_new_session=True,  # Ctrl-C is for us
            )
        return self.process

    def _end(self, process: subprocess.Popen[bytes]) -> None:
        process.kill()
        process.communicate()
        self.process = None


def put(file: IO[bytes], data: bytes) -> None:
    """Sends octets to the other half, with their number before them."""
    file.write(_LENGTH.pack(len(data)) + data)
    file.flush()


def got(file: IO[bytes]) -> bytes:
    """Octets from the other half; `EOFError` where it is gone."""
    (length,) = _LENGTH.unpack(_whole(file, _LENGTH.size))
    return _whole(file, length)


def _whole(file: IO[bytes], length: int) -> bytes:
    data = file.read(length)
    if len(data) < length:
        raise EOFError
    return data
