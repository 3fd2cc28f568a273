"""Records that several answers of one device tell of: put together where they do not contradict each other.

One answer may know an interface's state and another its counters. What the first leaves open the others fill in; of
what moves by itself (counters, gauges, timers, notes) the first one's value stands. Where two answers tell different
states, nothing is put together: both records stay, and a key that occurs twice is told.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from nogging.records.field import REMAINDER, Kind, Nature
from nogging.records.words import together

Row = dict[str, Any]


def joined(kind: Kind, answers: Iterable[list[Row]], besides: Sequence[list[Row]] = ()) -> list[Row]:
    """The records of one kind and one device, put together from those that each answer gave. What answers tell
    `besides` only fills in: of a record that no other tells, they are no evidence."""
    first, *others = answers
    if not (others or besides) or not kind.compared:
        return [*first, *(row for rows in others for row in rows)]
    names = kind.identity
    found = list(first)
    known: dict[tuple[Any, ...], Row] = {}
    for row in first:
        known.setdefault(tuple(row.get(name) for name in names), row)
    for fills, rows in [*((False, rows) for rows in others), *((True, rows) for rows in besides)]:
        for row in rows:
            key = tuple(row.get(name) for name in names)
            if key in known and _agree(kind, known[key], row):
                words = together(known[key].get(REMAINDER.name), row.get(REMAINDER.name))
                known[key].update((name, value) for name, value in row.items() if known[key].get(name) is None)
                known[key][REMAINDER.name] = words
            elif not fills:
                known.setdefault(key, row)
                found.append(row)
    return found


def _agree(kind: Kind, one: Row, other: Row) -> bool:
    """Whether two records of one key come from two answers and tell no different states."""
    states = [name for name in kind.named(Nature.STATE) if name != REMAINDER.name]
    return one["answer"] != other["answer"] and all(
        one.get(name) is None or other.get(name) is None or one[name] == other[name] for name in states
    )
