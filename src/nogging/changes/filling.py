"""Templates of a file are filled apart: in a process of their own, with bounds of time, memory and output.

A template is a program in a small language, and whoever wrote a change file may have written one that never ends or
that fills the memory. The process is begun when the first template is filled and takes one after the other; one that
goes over a bound ends it, and the next begins another.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import resource
import signal
import struct
import subprocess
import sys
import threading
from collections.abc import Mapping
from typing import IO, Any

SECONDS, OCTETS, MOST = 10, 10**9, 10**6
"""How long a template may take, how much memory, and how many characters may come of it."""
_LENGTH = struct.Struct(">I")
Told = tuple[str, str, int]
"""What became of a template: `text` with the text; or `wrong` with the reason, and the line."""


class Filler:
    """Has templates filled, one at a time, by a process that is begun when it is needed."""

    def __init__(self) -> None:
        self.turn = threading.Lock()
        self.process: subprocess.Popen[bytes] | None = None

    def fill(self, template: str, known: Mapping[str, Any]) -> Told:
        with self.turn:
            process = self._running()
            assert process.stdin is not None
            assert process.stdout is not None
            try:
                _put(process.stdin, (template, dict(known)))
                told: Told = _got(process.stdout)
            except (EOFError, OSError):
                self._end(process)
                return "wrong", f"it took longer than {SECONDS} s, or more than {OCTETS / 10**9:g} GB of memory", 1
            return told

    def _running(self) -> subprocess.Popen[bytes]:
        if self.process is None or self.process.poll() is not None:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "nogging.changes.filling"],
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


def _put(file: IO[bytes], one: Any) -> None:
    data = pickle.dumps(one)
    file.write(_LENGTH.pack(len(data)) + data)
    file.flush()


def _got(file: IO[bytes]) -> Any:
    head = file.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        raise EOFError
    return pickle.loads(file.read(_LENGTH.unpack(head)[0]))


def _filled(template: str, known: Mapping[str, Any]) -> Told:
    from nogging.changes.templates import TemplateWrongError, filled_here

    try:
        text = filled_here(template, known)
    except TemplateWrongError as error:
        return "wrong", error.reason, error.line
    except (MemoryError, RecursionError):
        return "wrong", f"it takes more than {OCTETS / 10**9:g} GB of memory, or goes too deep", 1
    if len(text) > MOST:
        return "wrong", f"more than {MOST:,} characters come of it", 1
    return "text", text, 1


def main() -> None:
    """The process: fills what is asked until nobody asks any more. A template that takes too long ends it."""
    resource.setrlimit(resource.RLIMIT_AS, (OCTETS, OCTETS))
    asked, answers = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    with contextlib.suppress(EOFError, BrokenPipeError):
        while True:
            template, known = _got(asked)
            signal.alarm(SECONDS)
            told = _filled(template, known)
            signal.alarm(0)
            _put(answers, told)


if __name__ == "__main__":
    main()
