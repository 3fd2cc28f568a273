"""What a history says of any moment, and of the time between two, without opening the captures that they are.

It is the states that are told: numbers that grow or swing are no change, and are as they were when their record began.
What changed and changed back in between is told as well. Messages of logs, which do not last, are not among it.
"""

from __future__ import annotations

import heapq
from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import groupby
from typing import Any

from nogging.asking.over_time import FROM, TO, WHAT, Lasting, RecordKey
from nogging.captures.choosing import rows_chosen
from nogging.judging.changed import FIRST, GONE, RESTARTED
from nogging.records import Kind, Nature
from nogging.records.joining import Row
from nogging.records.tables import table

NEW, MOVED = "new", "moved"
RecordSpan = list[Row]
"""The records of one key from one moment on, as long as none of them changed: the next hops of a route."""


@dataclass(frozen=True)
class Became:
    """What became of a key: gone, new, moved, restarted; the fields that moved, each as it was and is; and how often it
    changed on the way."""

    kind: Kind
    key: RecordKey
    what: str
    at: datetime
    times: int
    fields: dict[str, tuple[Any, Any]] = field(default_factory=dict)

    @property
    def device(self) -> str:
        return str(self.key[0])

    @property
    def called(self) -> str:
        return called(self.kind, self.key)


def called(kind: Kind, key: RecordKey) -> str:
    """What a person would call what has this key, on its device."""
    return kind.called(dict(zip(kind.keys, key, strict=True)))


def spans(life: Sequence[Row]) -> list[RecordSpan]:
    """The life of a key, span by span."""
    return [list(rows) for _, rows in groupby(life, key=lambda row: row[FROM])]


def span_at(life: Sequence[Row], moment: datetime) -> RecordSpan:
    """The records of a key at a moment; none where it was not there."""
    until = bisect_right(life, moment, key=lambda row: row[FROM])
    begins = bisect_left(life, life[until - 1][FROM], hi=until, key=lambda row: row[FROM]) if until else 0
    spans = list(life[begins:until])
    there = spans and spans[0][WHAT] != GONE and (spans[0].get(TO) is None or moment < spans[0][TO])
    return spans if there else []


def at(lasting: Lasting, moment: datetime | None = None) -> list[Row]:
    """The records of a kind at a moment, or those that last still."""
    if moment is None:
        return [row for span in lasting.open.values() for row in span if row[WHAT] != GONE]
    return [row for life in lasting.lives.values() for row in span_at(life, moment)]


def between(lasting: Mapping[str, Lasting], since: datetime, until: datetime) -> Iterator[Became]:
    """What is other at a later moment than at an earlier one, and what restarted, or went and came back, meanwhile."""
    for kind_lives in lasting.values():
        for key, life in kind_lives.lives.items():
            if life[-1][FROM] <= since and (life[-1].get(TO) or since) <= since:
                continue
            if became := _became(kind_lives.kind, key, life, since, until):
                yield became


def _became(kind: Kind, key: RecordKey, life: Sequence[Row], since: datetime, until: datetime) -> Became | None:
    before, after = span_at(life, since), span_at(life, until)
    meanwhile = [span for span in spans(life) if since < span[0][FROM] <= until and span[0][WHAT] != FIRST]
    if not meanwhile and bool(before) == bool(after):
        return None
    moment = meanwhile[-1][0][FROM] if meanwhile else (before or after)[0].get(TO) or until
    if not before or not after:
        return Became(kind, key, GONE if before else NEW, moment, len(meanwhile)) if before or after else None
    moved = fields_that_moved(kind, before, after)
    again = any(row[0][WHAT] in (GONE, RESTARTED) for row in meanwhile)
    if not moved and not again:
        return None
    return Became(kind, key, RESTARTED if again else MOVED, moment, len(meanwhile), moved)


def fields_that_moved(kind: Kind, before: RecordSpan, after: RecordSpan) -> dict[str, tuple[Any, Any]]:
    """The states that are other, and which next hops there are."""
    if not before or not after:
        return {}
    states = kind.named(Nature.STATE)
    if kind.members or len(before) > 1 or len(after) > 1:
        was, now = (_words(span, (*kind.members, *states)) for span in (before, after))
        gone, new = (" ".join(word for word in side if word not in other) for side, other in ((was, now), (now, was)))
        return {"records": (gone, new)} if gone or new else {}
    old, new_ = before[0], after[0]
    return {name: (old.get(name), new_.get(name)) for name in states if old.get(name) != new_.get(name)}


def _words(span: RecordSpan, names: Sequence[str]) -> list[str]:
    told = ([str(row[name]) for name in names if row.get(name) not in (None, "")] for row in span)
    return sorted(f"({' '.join(words)})" for words in told)


def latest(lasting: Mapping[str, Lasting], device: str = "", kind: str = "") -> Iterator[tuple[Lasting, Row]]:
    """What changed, the last first: the first record of each key from then on."""
    chosen = [kind_lives for name, kind_lives in lasting.items() if kind in ("", name)]
    newest = heapq.merge(
        *(_backwards(kind_lives) for kind_lives in chosen), key=lambda pair: pair[1][FROM], reverse=True
    )
    told: set[tuple[str, RecordKey, datetime]] = set()
    for kind_lives, row in newest:
        place = kind_lives.kind.name, kind_lives.key(row), row[FROM]
        if row[WHAT] != FIRST and device in ("", row["device"]) and place not in told:
            told.add(place)
            yield kind_lives, row


def _backwards(lasting: Lasting) -> Iterator[tuple[Lasting, Row]]:
    return ((lasting, row) for row in reversed(lasting.rows))


def change(lasting: Lasting, row: Row) -> Became:
    """What became of a key when a record of it began."""
    key, moment = lasting.key(row), row[FROM]
    life = lasting.lives[key]
    n = bisect_left(life, moment, key=lambda row: row[FROM])
    before = span_at(life, life[n - 1][FROM]) if n and life[n - 1].get(TO) == moment else []
    return Became(
        lasting.kind, key, row[WHAT], moment, 1, fields_that_moved(lasting.kind, before, span_at(life, moment))
    )


def not_well(kind: Kind, rows: Sequence[Row]) -> list[bool]:
    """Of each record, whether it is not well, by what its kind declares."""
    if not kind.not_well or not rows:
        return [False] * len(rows)
    bad = set(rows_chosen(table(kind, rows), kind, kind.not_well, {}).tolist())
    return [n in bad for n in range(len(rows))]
