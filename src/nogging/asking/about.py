"""What is there, and what of it is not well: of one capture, or of several beside each other.

What is not well is declared with each kind (`Kind.not_well`), and asked as any other predicate is: of a record of
which it is unknown it is not said.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD
from nogging.captures.manifest import CAPTURED, NOT_SUPPORTED, SAID_NOTHING, DeviceEntry
from nogging.captures.saved import opened
from nogging.errors import QuestionError, nearest
from nogging.judging.growth import growing
from nogging.judging.pairs import Pairs
from nogging.judging.select import selected
from nogging.judging.verdict import Growth
from nogging.predicates import parse
from nogging.records import KINDS, Kind

DIALECT = "dialect"
_FINE = (NOT_SUPPORTED, SAID_NOTHING)


@dataclass(frozen=True)
class NotWell:
    """A record that is not well: `because` are the fields that say so, with their values."""

    kind: str
    record: dict[str, Any]
    because: dict[str, Any]

    @property
    def device(self) -> str:
        return str(self.record["device"])


@dataclass(frozen=True)
class Lacking:
    """What was not captured: of a device everything (`command` is empty), or the answer to one command."""

    device: str
    command: str
    outcome: str
    reason: str


@dataclass
class DevicesPart:
    """The devices of one capture that are told together: all, or those with one value of a label."""

    devices: list[str]
    dialects: Counter[str] = field(default_factory=Counter)
    records: Counter[str] = field(default_factory=Counter)
    not_well: list[NotWell] = field(default_factory=list)
    lacking: list[Lacking] = field(default_factory=list)
    unread: Counter[tuple[str, str]] = field(default_factory=Counter)
    """How many lines, by dialect and command."""
    unknown: Counter[tuple[str, str]] = field(default_factory=Counter)
    """How many answers of which no reader knows the command, by dialect and command."""
    growing: list[Growth] = field(default_factory=list)
    """Counters of faults that grew since the capture before."""

    def badly(self, kind: str) -> int:
        return sum(record.kind == kind for record in self.not_well)


@dataclass(frozen=True)
class About:
    """`captures` with, for each, its parts by what they have in common: `{"": all}`, or a part for each value."""

    captures: tuple[Capture, ...]
    by: str
    parts: tuple[dict[str, DevicesPart], ...]

    @property
    def values(self) -> tuple[str, ...]:
        """What there is to tell the parts apart, in any of the captures."""
        return tuple(sorted({name for parts in self.parts for name in parts}))

    @cached_property
    def whole(self) -> tuple[DevicesPart, ...]:
        """Each capture as one."""
        return tuple(_together(parts.values()) for parts in self.parts)


def about(*captures: Capture | str | Path, by: str = "") -> About:
    """What is in some captures, in the order given; `by` is `dialect`, or a label (`label.site`).

    Raises `CaptureError` for a directory that is none, `QuestionError` for a label that no device has.
    """
    taken = tuple(opened(capture) for capture in captures)
    if not taken:
        raise QuestionError("which capture?")
    value = _values(taken, by)
    earlier = (None, *taken[:-1])
    return About(
        taken, by, tuple(_parts(capture, value, before) for capture, before in zip(taken, earlier, strict=True))
    )


def _values(captures: Sequence[Capture], by: str) -> Callable[[DeviceEntry], str]:
    name = by.removeprefix("label.")
    if not by:
        return lambda _device: ""
    if by == DIALECT:
        return lambda device: device.dialect
    known = sorted({label for capture in captures for device in capture.devices.values() for label in device.labels})
    if name not in known:
        raise QuestionError(f"no device has a label '{name}'{nearest(name, [*known, DIALECT])}")
    return lambda device: device.labels.get(name, "")


def _parts(capture: Capture, value: Callable[[DeviceEntry], str], before: Capture | None) -> dict[str, DevicesPart]:
    parts: dict[str, DevicesPart] = {}
    place = {name: parts.setdefault(value(device), DevicesPart([])) for name, device in capture.devices.items()}
    for name, device in capture.devices.items():
        place[name].devices.append(name)
        place[name].dialects[device.dialect] += 1
    pairs = Pairs(capture)
    for kind in KINDS.values():
        for name in _of_devices(capture, kind):
            place[name].records[kind.name] += 1
        for record in _not_well(pairs, kind):
            place[record.device].not_well.append(record)
    _tell_gaps(capture, place)
    for growth in growing(Pairs(capture, before)) if before is not None else ():
        place[growth.device].growing.append(growth)
    return dict(sorted(parts.items()))


def _tell_gaps(capture: Capture, place: Mapping[str, DevicesPart]) -> None:
    """What of each device was not captured, and not read."""
    for name, device in capture.devices.items():
        place[name].lacking += _lacking(name, device)
    for line in capture.records(UNREAD).select(["device", "answer"]).to_pylist():
        place[line["device"]].unread[capture.devices[line["device"]].dialect, line["answer"]] += 1
    for name, command in capture.unknown:
        place[name].unknown[capture.devices[name].dialect, command] += 1


def not_known(capture: Capture) -> DevicesPart:
    """Of all devices together what was not captured, and not read; nothing else of them."""
    part = DevicesPart([])
    _tell_gaps(capture, dict.fromkeys(capture.devices, part))
    return part


def _of_devices(capture: Capture, kind: Kind) -> list[str]:
    """The device of each record; what is several under one key, the next hops of a route, is one."""
    table = capture.records(kind.name)
    if kind.members:
        table = table.group_by(list(kind.keys)).aggregate([])
    return [str(name) for name in table.column("device").to_pylist()]


def _lacking(name: str, device: DeviceEntry) -> list[Lacking]:
    if device.outcome != CAPTURED:
        return [Lacking(name, "", device.outcome, device.reason)]
    missing = ((command, answer) for command, answer in device.commands.items() if not answer.is_evidence)
    return [
        Lacking(name, command, answer.outcome, answer.reason)
        for command, answer in missing
        if answer.outcome not in _FINE
    ]


def _not_well(pairs: Pairs, kind: Kind) -> list[NotWell]:
    if not kind.not_well or not pairs.after.count(kind.name):
        return []
    rows = selected(pairs, kind, kind.not_well)
    speaks = parse(kind.not_well, {(name,): field for name, field in kind.fields.items()}).fields
    telling = [name for name in kind.fields if name in speaks]
    return [NotWell(kind.name, row, {name: row[name] for name in telling}) for row in rows]


def _together(parts: Iterable[DevicesPart]) -> DevicesPart:
    whole = DevicesPart([])
    for part in parts:
        whole = replace(
            whole,
            devices=whole.devices + part.devices,
            dialects=whole.dialects + part.dialects,
            records=whole.records + part.records,
            not_well=whole.not_well + part.not_well,
            lacking=whole.lacking + part.lacking,
            unread=whole.unread + part.unread,
            unknown=whole.unknown + part.unknown,
            growing=whole.growing + part.growing,
        )
    whole.not_well.sort(key=lambda record: list(KINDS).index(record.kind))  # a cause stands below its effects
    return whole
