"""The unread lines of two captures held against each other, each in its place.

The place of a line is the record that it stands in, or else the one that it stands behind. Lines that differ in
nothing but numbers and times say the same at two moments. Whatever else is on one side only is a difference that nobody
can read, and may hide a record or a value.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter, defaultdict
from dataclasses import dataclass
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD
from nogging.records import KINDS
from nogging.records.words import worded

AnswerKey = tuple[str, str]
"""A device and a command."""
RecordPlace = tuple[Any, ...]


@dataclass(frozen=True)
class UnreadLine:
    number: int
    text: str
    within: int | None
    kind: str | None = None
    """The kind of the record that it stands in."""


@dataclass(frozen=True)
class Changed:
    """The unread lines at one place of which the words are on one side only."""

    device: str
    command: str
    place: str
    before: tuple[UnreadLine, ...]
    after: tuple[UnreadLine, ...]

    def __str__(self) -> str:
        told = [f"- {line.text.strip()}" for line in self.before] + [f"+ {line.text.strip()}" for line in self.after]
        n = max(len(self.before), len(self.after))
        return (
            f"unread lines differ{self.place}, and as many as {n} record{'s' * (n != 1)} could hide: {'  '.join(told)}"
        )


@dataclass(frozen=True)
class Compared:
    """What differs, and for each answer how many lines differ in nothing but numbers and times."""

    changed: tuple[Changed, ...]
    varied: dict[AnswerKey, int]

    def lines(self, device: str, command: str, side: str) -> list[UnreadLine]:
        """The unread lines of one side of an answer that are not on the other."""
        mine = (place for place in self.changed if (place.device, place.command) == (device, command))
        return [line for place in mine for line in getattr(place, side)]


def compared(before: Capture, after: Capture) -> Compared:
    """Holds the unread lines of two captures against each other."""
    sides = [_places(before), _places(after)]
    changed: list[Changed] = []
    varied: dict[AnswerKey, int] = {}
    for answer in dict.fromkeys([*sides[0], *sides[1]]):
        old, new = (side.get(answer, {}) for side in sides)
        for place in dict.fromkeys([*old, *new]):
            gone, come = _apart(old.get(place, []), new.get(place, []))
            if gone or come:
                changed.append(Changed(*answer, _told(place), tuple(gone), tuple(come)))
        texts = [Counter(line.text.strip() for lines in side.values() for line in lines) for side in (old, new)]
        if n := sum((texts[1] - texts[0]).values()):
            varied[answer] = n
    differing = {(differs.device, differs.command) for differs in changed}
    return Compared(tuple(changed), {answer: n for answer, n in varied.items() if answer not in differing})


def _apart(old: list[UnreadLine], new: list[UnreadLine]) -> tuple[list[UnreadLine], list[UnreadLine]]:
    """The lines of each side whose words the other does not have at this place."""
    words = [Counter(worded(line.text) for line in lines) for lines in (old, new)]
    return _surplus(old, words[0] - words[1]), _surplus(new, words[1] - words[0])


def _surplus(lines: list[UnreadLine], more: Counter[str]) -> list[UnreadLine]:
    left = []
    for line in lines:
        words = worded(line.text)
        if more[words] > 0:
            more[words] -= 1
            left.append(line)
    return left


def _told(place: RecordPlace) -> str:
    if not place:
        return ""
    where, kind, key = place
    return f" {where} {kind} {' '.join(str(value) for value in key if value is not None)}"


def _places(capture: Capture) -> dict[AnswerKey, dict[RecordPlace, list[UnreadLine]]]:
    """The unread lines of each answer by their place; those of a log are left out: it is never compared."""
    by_answer: dict[AnswerKey, dict[RecordPlace, list[UnreadLine]]] = {}
    lines: dict[AnswerKey, list[UnreadLine]] = defaultdict(list)
    for row in capture.records(UNREAD).to_pylist():
        lines[row["device"], row["answer"]].append(UnreadLine(row["line"], row["text"], row["within"], row["kind"]))
    for (device, command), several in lines.items():
        reader = capture.reader(device, command)
        if reader is None or reader.is_compared:
            records = _Records(capture, device, command)
            places: dict[RecordPlace, list[UnreadLine]] = defaultdict(list)
            for line in several:
                places[records.place(line)].append(line)
            by_answer[device, command] = dict(places)
    return by_answer


class _Records:
    """The records of one answer by the lines that they begin with."""

    def __init__(self, capture: Capture, device: str, command: str) -> None:
        import pyarrow.compute as pc

        reader = capture.reader(device, command)
        rows: list[tuple[int, int, str, tuple[Any, ...]]] = []
        for kind in reader.kinds if reader is not None else ():
            names = [name for name in KINDS[kind.name].keys if name != "device"]
            table = capture.records(kind.name)
            mine = table.filter(
                pc.and_(pc.equal(table.column("device"), device), pc.equal(table.column("answer"), command))
            )
            for row in mine.select([*names, "line"]).to_pylist():
                rows.append((row["line"][0], len(rows), kind.name, tuple(row[name] for name in names)))
        self.rows = sorted(rows)
        self.begins = [row[0] for row in self.rows]

    def place(self, line: UnreadLine) -> RecordPlace:
        """The record that a line stands in or behind; nothing where there is none before it."""
        n = bisect_right(self.begins, line.number if line.within is None else line.within) - 1
        if n < 0:
            return ()
        where = "in" if line.within is not None else "behind"
        return (where, *self.rows[n][2:])
