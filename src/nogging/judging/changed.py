"""What changed from one moment of a history to the next, as it is kept: the records that began, each by its key.

A record lasts until something of it is a difference: a state, the set of its next hops, a timer or a counter that began
again. What a device did not tell of is no change; it is compared with the moment at which it last did.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator
from datetime import datetime, timedelta
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.comparing import compare
from nogging.judging.verdict import Cause, many
from nogging.records import KINDS, Kind
from nogging.records.event import EVENT
from nogging.records.field import EVIDENCE, REMAINDER

FIRST, GONE, LEFT, RESTARTED, LOGGED = "first", "gone", "left", "restarted", "logged"
"""A device that is seen for the first time, a record that is not there any more, a device that nobody watches now, a
record of which something began again, messages that a log has now."""
LASTING = tuple(kind for kind in KINDS.values() if kind.compared and not kind.of_answers)
"""The kinds of which it is kept how long each record was as it was."""

SAME_MESSAGE = timedelta(seconds=5)
"""A message that two captures have may be so far from itself: how far a device's clock is off is measured anew each
time."""

MOVES = 2
"""Of a cause no more fields are told than these; all of them are in the comparison."""

ChangedRecord = dict[str, Any]


def first(capture: Capture, devices: Collection[str], at: datetime) -> list[ChangedRecord]:
    """All that is there of devices that were not seen before."""
    changes = []
    for kind in LASTING:
        by_device = defaultdict(list)
        for row in _rows(capture, kind, devices):
            by_device[row["device"]].append(row)
        moment = at.isoformat()
        changes += [
            {"at": moment, "kind": kind.name, "what": FIRST, "device": device, "rows": by_device.get(device, [])}
            for device in devices
        ]
    return changes + logged(None, capture, devices, at)


def logged(before: Capture | None, after: Capture, devices: Collection[str], at: datetime) -> list[ChangedRecord]:
    """The messages of logs that were not there before, by device."""
    known: dict[tuple[Any, ...], list[str | None]] = defaultdict(list)
    for row in _rows(before, EVENT, devices) if before else ():
        known[_message(row)].append(row.get("at"))
    fresh = defaultdict(list)
    for row in _rows(after, EVENT, devices):
        again = known[_message(row)]
        same = [log for log in again if _is_same(log, row.get("at"))]
        if same:
            again.remove(same[0])
        else:
            fresh[row["device"]].append(row)
    return [
        {"at": at.isoformat(), "kind": EVENT.name, "what": LOGGED, "device": device, "rows": rows}
        for device, rows in fresh.items()
    ]


def _message(row: dict[str, Any]) -> tuple[Any, ...]:
    return tuple(row.get(name) for name in ("device", "facility", "name", "message"))


def _is_same(was: str | None, now: str | None) -> bool:
    if was is None or now is None:
        return was is now
    return abs(datetime.fromisoformat(was) - datetime.fromisoformat(now)) <= SAME_MESSAGE


def changed(
    before: Capture, after: Capture, devices: Collection[str], at: datetime
) -> tuple[list[ChangedRecord], list[str]]:
    """What changed of some devices, as far as both captures tell, and in a line each from what most of it follows."""
    records: dict[tuple[Any, ...], ChangedRecord] = {}
    comparison = compare(before, after)
    rows: dict[str, dict[tuple[Any, ...], list[dict[str, Any]]]] = {}
    for difference in comparison.differences:
        kind = KINDS[difference.kind]
        if kind not in LASTING or difference.device not in devices or set(difference.fields) == {REMAINDER.name}:
            continue
        if kind.name not in rows:
            by_key = rows[kind.name] = defaultdict(list)
            for row in _rows(after, kind, devices):
                by_key[tuple(row.get(name) for name in kind.keys)].append(row)
        key = {name: _plain(difference.key.get(name)) for name in kind.keys}
        now = rows[kind.name].get(tuple(key.values()), [])
        known = records.get((kind.name, *key.values()))
        if known is None or difference.what == RESTARTED:  # of what moved as well, the fields tell that
            change = {"at": at.isoformat(), "kind": kind.name, "what": difference.what, "key": key, "rows": now}
            if (known_until := _asked(before, difference.device, kind)) is not None:
                change["after"] = known_until
            records[kind.name, *key.values()] = change
    told = list(records.values()) + logged(before, after, devices, at)
    return told, [_told(cause) for cause in comparison.causes if cause.difference.device in devices]


def _asked(capture: Capture, device: str, kind: Kind) -> str | None:
    """When a device was asked for a kind: as the capture has it, it was then."""
    entries = capture.devices[device].commands.values() if device in capture.devices else ()
    return min((entry.started for entry in entries if entry.records.get(kind.name)), default=None)


def _told(cause: Cause) -> str:
    difference = cause.difference
    fields = ((name, *values) for name, values in difference.fields.items() if name != REMAINDER.name)
    moves = [f"{name} {_word(was)} to {_word(now)}" for name, was, now in fields]
    more = ", …" * (len(moves) > MOVES)
    what = f"{difference.device}: {KINDS[difference.kind].called(difference.key)} {difference.what}"
    return f"{what} ({', '.join(moves[:MOVES])}{more}); {many(len(cause.following), 'other')} with it"


def _word(value: Any) -> str:
    return "nothing" if value is None else f"{value:%Y-%m-%d %H:%M:%S}" if isinstance(value, datetime) else str(value)


def left(devices: Collection[str], at: datetime) -> list[ChangedRecord]:
    """Devices that are not watched any more."""
    return [{"at": at.isoformat(), "what": LEFT, "device": device} for device in devices]


def _rows(capture: Capture, kind: Kind, devices: Collection[str]) -> Iterator[dict[str, Any]]:
    names = [name for name in kind.fields if name != REMAINDER.name and name not in {field.name for field in EVIDENCE}]
    for row in capture.records(kind.name).select(names).to_pylist():
        if row["device"] in devices:
            yield {name: _plain(value) for name, value in row.items() if value is not None}


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else value
