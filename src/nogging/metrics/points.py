"""What of a capture is a number over time, and what it is labelled with.

A kind whose records can be told apart by their keys alone, and do not come and go by themselves, gives a point for each
record: its counters, gauges, timers (as seconds since 1970), numbers and booleans, and of its enumerations the word. Of
every kind it is counted how many records there are, by what a draft counts them by. The keys and the labels of the
device are the labels; a label that is called like a key of the kind gets `label_` before it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from nogging.captures.capture import Capture
from nogging.records import KINDS, Kind, Nature, Type
from nogging.records.field import LEVELS, REMAINDER, Field

COUNT = "records"
"""The field of a point that says how many records there are."""
CAPTURE, ANSWERS, SKEW = "capture", "answers", "skew"
"""What is told of each device: how many answers came back, and how far its clock is ahead of ours (s), where that is
known."""
_NUMBERS = frozenset({Type.INTEGER, Type.NUMBER, Type.AS_NUMBER})
_MEASURED = frozenset({Nature.COUNTER, *LEVELS, Nature.TIMER, Nature.STATE})


@dataclass(frozen=True)
class Point:
    """Numbers of one record, or how many there are: `fields` are numbers, booleans, and words of enumerations."""

    kind: str
    labels: dict[str, str]
    fields: dict[str, float | int | bool | str]
    at: datetime


def is_number(field: Field) -> bool:
    """Whether a field says something that is stored over time."""
    if field.nature not in _MEASURED or field.name == REMAINDER.name:
        return False
    return field.type in _NUMBERS or field.type in (Type.BOOLEAN, Type.MOMENT) or bool(field.values)


@cache
def numbers(kind: Kind) -> tuple[Field, ...]:
    """The fields of a kind that its records give; none where only their number says something."""
    if kind.members or kind.come_and_go or not kind.compared or kind.of_answers:
        return ()
    return tuple(field for field in kind.fields.values() if is_number(field))


def points(capture: Capture) -> Iterator[Point]:
    """All points of a capture, at the moment at which it was done."""
    at = capture.ended
    of_device = {
        name: {**entry.labels, "dialect": entry.dialect, "device": name} for name, entry in capture.devices.items()
    }
    for name, entry in capture.devices.items():
        skew = {SKEW: entry.skew} if entry.skew is not None else {}
        yield Point(CAPTURE, _labels({}, of_device[name]), {ANSWERS: entry.commands_answered, **skew}, at)
    for kind in KINDS.values():
        if kind.of_answers or not kind.compared:
            continue
        table, fields, counted = capture.records(kind.name), numbers(kind), kind.counted or ()
        names = dict.fromkeys([*kind.keys, *(field.name for field in fields)])
        for row in table.select(list(names)).to_pylist() if fields else ():
            told = {field.name: _number(row[field.name]) for field in fields if row[field.name] is not None}
            if told:
                yield Point(kind.name, _labels({n: row[n] for n in kind.keys}, of_device[row["device"]]), told, at)
        for group in table.group_by(["device", *counted]).aggregate([([], "count_all")]).to_pylist():
            labels = _labels({name: group[name] for name in counted}, of_device[group["device"]])
            yield Point(kind.name, labels, {COUNT: group["count_all"]}, at)


def _labels(keys: dict[str, Any], device: dict[str, str]) -> dict[str, str]:
    labels = {name: _word(value) for name, value in keys.items() if value not in (None, "")}
    for name, value in device.items():
        if value and name not in ("device", "dialect"):
            labels[f"label_{name}" if name in keys else name] = value
    return {**labels, "device": device["device"], "dialect": device["dialect"]}


def _word(value: Any) -> str:
    return "" if value is None else str(value)


def _number(value: Any) -> float | int | bool | str:
    if isinstance(value, datetime):
        return value.timestamp()
    return value if isinstance(value, bool | int | float) else str(value)
