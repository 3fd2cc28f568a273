"""A history as the pages ask of it: read once, then only what came since, and safe to be asked by many at once.

Nothing is captured, judged or written here. What does not pass is known from the notices that the keeper wrote.
"""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import pairwise, takewhile
from pathlib import Path
from statistics import median
from typing import Any

from nogging.asking.between import at, latest, not_well
from nogging.asking.flapping import Flap, Thing, falls
from nogging.asking.over_time import FROM, WHAT, Lasting, OverTime, RecordKey
from nogging.captures.history import NOW, TURNS, History, Turn
from nogging.captures.manifest import CAPTURED, DeviceEntry
from nogging.errors import QuestionError, nearest
from nogging.judging.changed import GONE
from nogging.judging.noticing import verdict_of, written_in
from nogging.judging.verdict import Verdict
from nogging.records.event import EVENT
from nogging.records.joining import Row

LATELY = timedelta(days=1)
_RECENT, _LATE, _SOON = 20, 3, timedelta(minutes=2)
"""A history is late after so many times the usual gap of its last turns, and not sooner than this."""
DIALECT, DEVICE = "dialect", "device"


@dataclass
class KindCell:
    """A kind on some devices: how many records, how many of them are not well, how many changed lately."""

    records: int = 0
    not_well: int = 0
    changed: int = 0


@dataclass
class LabelGroup:
    """Devices with one value of a label: each kind, and the devices that did not answer."""

    devices: list[str] = field(default_factory=list)
    kinds: dict[str, KindCell] = field(default_factory=dict)
    silent: list[tuple[str, str]] = field(default_factory=list)

    @property
    def badly(self) -> int:
        return sum(cell.not_well for cell in self.kinds.values()) + len(self.silent)


class Watched:
    """A history that is looked at. `look` is to be held while anything of it is used."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.history = History(folder)
        self.over = OverTime(self.history)
        self._lasting = {name: history for name, history in self.over.lasting.items() if history.kind is not EVENT}
        self.devices: dict[str, DeviceEntry] = {}
        self._lock = threading.RLock()
        self._stood: tuple[Any, ...] | None = None
        self._falls: tuple[Any, list[tuple[Thing, Flap]]] | None = None
        self._bad: tuple[Any, list[tuple[str, Row]]] | None = None

    @contextmanager
    def look(self) -> Iterator[Watched]:
        """This, up to date, and nobody else's meanwhile. Raises `CaptureError` where it cannot be read."""
        with self._lock:
            stands = tuple((path.name, (state := path.stat()).st_size, state.st_mtime_ns) for path in self._files())
            if stands != self._stood:
                self.history = self.over.history = History(self.folder)
                self.over.take_in()
                self.devices = self.history.manifest(self.last).devices if self.history.turns else {}
                self._stood = stands
            yield self

    def _files(self) -> list[Path]:
        return sorted(self.folder.glob(f"*{TURNS}"))

    @property
    def lasting(self) -> Mapping[str, Lasting]:
        """The kinds that last."""
        return self._lasting

    @property
    def last(self) -> Turn:
        """The last moment; `CaptureError` where there is none."""
        return self.history.turn(NOW)

    def moment(self, text: str) -> datetime:
        """When a moment was, written as after the `@` of a folder."""
        return self.history.turn(text).at

    def kind(self, name: str) -> Lasting:
        if name not in self.lasting:
            raise QuestionError(f"'{name}' is no kind that lasts{nearest(name, self.lasting)}")
        return self.lasting[name]

    def labels(self) -> list[str]:
        """By what the devices can be told apart."""
        known = {label for device in self.devices.values() for label in device.labels} - {DEVICE, DIALECT}
        return [*sorted(known), DIALECT, DEVICE]

    def grouped(self, by: str) -> Callable[[str], str]:
        """To which group a device belongs; `QuestionError` for a label that nobody has."""
        if by not in self.labels():
            raise QuestionError(f"no device has a label '{by}'{nearest(by, self.labels())}")
        known = {
            name: name if by == DEVICE else device.dialect if by == DIALECT else device.labels.get(by, "")
            for name, device in self.devices.items()
        }
        return lambda device: known.get(device, "")

    def badly(self) -> list[tuple[str, Row]]:
        """Every record that is not well now, with its kind."""
        if self._bad is None or self._bad[0] != self.over.until:
            badly = []
            for name, history in self.lasting.items():
                rows = at(history)
                badly += [(name, row) for row, bad in zip(rows, not_well(history.kind, rows), strict=True) if bad]
            self._bad = self.over.until, badly
        return self._bad[1]

    def falls(self) -> list[tuple[Thing, Flap]]:
        """Every fall of an interface or a session, in order."""
        if self._falls is None or self._falls[0] != self.over.until:
            self._falls = self.over.until, falls(self.over.lasting)
        return self._falls[1]

    def status(self, by: str) -> dict[str, LabelGroup]:
        """The devices by a label: what there is of each kind, what is not well, and what changed in the last day."""
        place = self.grouped(by)
        groups: dict[str, LabelGroup] = defaultdict(LabelGroup)
        for name, entry in sorted(self.devices.items()):
            groups[place(name)].devices.append(name)
            if entry.outcome != CAPTURED:
                groups[place(name)].silent.append((name, entry.reason or entry.outcome.replace("_", " ")))

        def cell(device: str, kind: str) -> KindCell:
            return groups[place(device)].kinds.setdefault(kind, KindCell())

        for kind, device in self._there():
            cell(device, kind).records += 1
        for kind, row in self.badly():
            cell(row["device"], kind).not_well += 1
        for history, row in takewhile(lambda pair: pair[1][FROM] > self.last.at - LATELY, latest(self.lasting)):
            if row["device"] in self.devices:
                cell(row["device"], history.kind.name).changed += 1
        return dict(groups)

    def _there(self) -> Iterator[tuple[str, str]]:
        """The kind and the device of each thing that is there now."""
        for kind, history in self.lasting.items():
            yield from ((kind, key[0]) for key, span in history.open.items() if span[0][WHAT] != GONE)

    def life(self, kind: str, key: RecordKey) -> list[Row]:
        """What became of one key; `QuestionError` where it never was."""
        life = self.kind(kind).lives.get(key)
        if not life:
            raise QuestionError("this was never there; it may have been let go with what was older")
        return life

    def failing(self) -> list[tuple[str, str, datetime]]:
        """What does not pass, by the keeper's notices: title, verdict, since when."""
        known = written_in(self.folder)
        return [(title, window.verdict, window.since) for title, window in known.open.items()]

    def verdict(self) -> Verdict | None:
        """The verdict of the last moment; None where it was not judged."""
        return verdict_of(self.folder, self.last.at) if self.history.turns else None

    def late(self, now: datetime) -> timedelta | None:
        """For how long nothing was captured, where that is much longer than usual."""
        recent = [turn.at for turn in self.history.turns[-_RECENT:]]
        gaps = [(later - earlier).total_seconds() for earlier, later in pairwise(recent)]
        if not gaps or now - recent[-1] <= max(timedelta(seconds=_LATE * median(gaps)), _SOON):
            return None
        return now - recent[-1]
