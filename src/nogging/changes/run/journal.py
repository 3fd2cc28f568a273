"""The journal of a performance: each decision, line, answer and its time, written as it happens; and the locks.

A line of the journal is on disk before the next thing is done, so a run that was killed can be told where it stood. A
device that is being changed is locked for every other run of this user; a lock that a killed run left behind
names its folder, and only going on there, or backing out there, takes it away.
"""

from __future__ import annotations

import fcntl
import json
import os
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from pathlib import Path
from typing import IO, Any

from nogging.captures import inside
from nogging.captures.masking import Masker
from nogging.captures.writing import moment
from nogging.collecting.programs import state
from nogging.errors import CaptureError, QuestionError
from nogging.inventory import Device

JOURNAL = "journal.jsonl"

Event = dict[str, Any]
Tell = Callable[[Event], None]


class Journal:
    """Appends events; each has its time, and is told on to whoever listens."""

    def __init__(self, folder: Path, tell: Tell, masker: Masker) -> None:
        self.path, self.heard, self.masker = folder / JOURNAL, tell, masker
        self.events = list(read(folder)) if self.path.exists() else []
        self.path.touch(inside.mode())
        self.file = self.path.open("a", encoding="utf-8", newline="\n")
        self._cut()
        self.turn = threading.Lock()  # probes tell from a thread of their own
        self.unwritten = ""
        """Why the journal is not written any more; only backing out goes on without it."""
        self.must_write = True

    def _cut(self) -> None:
        """Takes away a last line that was cut off, which told of nothing that was done; the next one begins anew."""
        whole = self.path.read_bytes()
        if not whole.endswith(b"\n"):
            self.file.truncate(whole.rfind(b"\n") + 1)

    def tell(self, what: str, **more: Any) -> Event:
        """Writes one event, secrets masked, and waits until it is on the disk."""
        event: Event = {"at": moment(), "event": what, **self._masked(more)}
        with self.turn:
            text = json.dumps(event, ensure_ascii=False) + "\n"
            try:
                self._write(text)
            except OSError as error:
                if self.must_write:
                    raise
                self.unwritten = self.unwritten or str(error)
            event = json.loads(text)
            self.events.append(event)
        with suppress(OSError):  # a terminal that was closed is told nothing more
            self.heard(event)
        return event

    def _write(self, text: str) -> None:
        self.file.write(text)
        self.file.flush()
        os.fsync(self.file.fileno())

    def _masked(self, value: Any) -> Any:
        """The same with every text in it masked: as it was said, before anything in it is escaped."""
        if isinstance(value, str):
            return self.masker.fresh().lines(value)
        if isinstance(value, Mapping):
            return {name: self._masked(inner) for name, inner in value.items()}
        return [self._masked(inner) for inner in value] if isinstance(value, list | tuple) else value

    def told(self, what: str, **same: Any) -> Event | None:
        """The last event of this sort that says the same."""
        fitting = (event for event in reversed(self.events) if event["event"] == what)
        return next((event for event in fitting if all(event.get(key) == value for key, value in same.items())), None)

    def close(self) -> None:
        self.file.close()


def read(folder: Path) -> Iterator[Event]:
    """The events of a journal; a last line that was cut off does not count."""
    try:
        with inside.lines(folder / JOURNAL, folder) as lines:
            for n, line in enumerate(lines, 1):
                if not line.endswith("\n"):
                    return
                yield _event(line, f"{folder / JOURNAL}:{n}")
    except OSError as error:
        raise QuestionError(f"{folder}: no change was performed here ({error.strerror})") from None
    except UnicodeDecodeError as error:
        raise QuestionError(f"{folder / JOURNAL}: is no journal: {error}") from None


def end_of(events: Iterable[Event]) -> Event | None:
    """The event that a performance ended with; None where it has not, or was gone on with since."""
    last = None
    for event in events:
        last = event if event["event"] == "end" else None if event["event"] == "resumed" else last
    return last


def _event(line: str, where: str) -> Event:
    try:
        event = json.loads(line)
    except (ValueError, RecursionError):
        event = None
    if not isinstance(event, dict) or not all(isinstance(event.get(name), str) for name in ("at", "event")):
        raise CaptureError(f"{where}: this is no line of the journal of a change")
    return event


def _where(other: str, lock: Path) -> str:
    """How to go on after a run that was stopped."""
    if (Path(other) / JOURNAL).is_file():
        return f"; first go on there, or back out: nogging perform --resume {other}"
    return f", which is gone, so nobody knows what it left: look at the device, then delete {lock}"


class Locks:
    """Holds devices for one run. The lock of a run that was killed is free, and says where that run was."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.files = folder.resolve(), list[IO[str]]()

    def take(self, devices: Iterable[Device]) -> None:
        """Takes all devices or none; `QuestionError` where another run has one, or was killed while it had."""
        place = state() / "devices"
        place.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            for device in sorted(devices, key=lambda device: device.name):
                self._take(place / f"{device.address.replace(':', '_')}_{device.port}", device)
        except QuestionError:
            self.release()
            raise

    def _take(self, path: Path, device: Device) -> None:
        file = path.open("a+", encoding="utf-8")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            raise QuestionError(f"{device.name} is being changed by another run, in {file.read().strip()}") from None
        file.seek(0)
        other = file.read().strip()
        if other and other != str(self.folder):
            file.close()
            raise QuestionError(
                f"{device.name}: an earlier change was stopped in the middle, in {other}{_where(other, path)}"
            )
        file.truncate(0)
        file.write(str(self.folder) + "\n")
        file.flush()
        self.files.append(file)

    def release(self, ended: bool = True) -> None:
        """Lets the devices go; of a run that came to no end they keep its name."""
        for file in self.files:
            if ended:
                file.truncate(0)
            file.close()
        self.files.clear()
