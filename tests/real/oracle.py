"""The same question asked in two forms: what the text says against what the JSON says, field by field."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Any

from nogging.captures.capture import Capture
from nogging.records import KINDS, Kind, Nature
from nogging.records.field import RESOLUTION

Rows = dict[tuple[Any, ...], dict[str, Any]]


def rows(capture: Capture, device: str, command: str) -> dict[str, Rows]:
    """The records of one answer by kind and key; every line of it has to be read."""
    reading = capture.read(device, command)
    assert reading is not None and reading.unread == [], (device, command, reading and reading.unread[:3])
    found: dict[str, Rows] = {}
    for kind, listed in reading.rows.items():
        names = (*KINDS[kind].keys, *KINDS[kind].members)
        found[kind] = {}
        for row in listed:  # zebra may have a subnet of one port twice, since two moments
            other = found[kind].setdefault(tuple(row.get(name) for name in names), row)
            told = all(other.get(name) == row.get(name) for name in KINDS[kind].named(Nature.STATE))
            assert told, (device, command, "a key that occurs twice, and says two things")
    return found


def same(kind: Kind, name: str, one: dict[str, Any], other: dict[str, Any]) -> bool:
    """Whether two records agree on a field that both carry; timers within their resolution and the time that passed."""
    mine, others = one.get(name), other.get(name)
    if mine is None or others is None or name in ("line", "answer", "remainder") or name.endswith(RESOLUTION):
        return True
    if isinstance(mine, datetime):
        return abs((mine - others).total_seconds()) <= max(one.get(name + RESOLUTION, 1), other.get(name + RESOLUTION, 1)) + 6  # fmt: skip
    if kind.fields[name].nature in (Nature.COUNTER, Nature.GAUGE, Nature.NOTE) and isinstance(mine, int | float):
        return abs(mine - others) <= 0.2 * abs(mine) + 2000
    return bool(mine == others)


def disagreements(text: Capture, early: Capture, late: Capture, device: str, command: str, json: str) -> Iterator[Any]:
    """Where the text differs from two answers in JSON, one before it and one after it, that agree with each other."""
    said = rows(text, device, command)
    before, after = rows(early, device, json), rows(late, device, json)
    for kind in said.keys() & before.keys():
        steady = set(before[kind].keys() & after[kind].keys())
        moving = before[kind].keys() ^ after[kind].keys()
        yield from ((kind, key, "only in one form") for key in (said[kind].keys() ^ steady) - moving)
        for key in steady & said[kind].keys():
            for name in KINDS[kind].fields:
                if same(KINDS[kind], name, before[kind][key], after[kind][key]) and not same(
                    KINDS[kind], name, before[kind][key], said[kind][key]
                ):
                    yield kind, key, name, before[kind][key][name], said[kind][key][name]
