"""What changed from one moment of a history to the next, as it is kept: the records that began, each by its key.

A record lasts until something of it is a difference: a state, the set of its next hops, a timer or a counter that began
again. What a device did not tell of is no change; it is compared with the moment at which it last did.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator
from datetime import datetime
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.comparing import compare
from nogging.records import KINDS, Kind
from nogging.records.answer import ANSWER
from nogging.records.field import EVIDENCE, REMAINDER

FIRST, GONE, LEFT = "first", "gone", "left"
"""A device that is seen for the first time, a record that is not there any more, a device that nobody watches now."""
LASTING = tuple(kind for kind in KINDS.values() if kind.compared and kind is not ANSWER)
"""The kinds of which it is kept how long each record was as it was."""

Change = dict[str, Any]


def first(capture: Capture, devices: Collection[str], at: datetime) -> list[Change]:
    """All that is there of devices that were not seen before."""
    found = []
    for kind in LASTING:
        by_device = defaultdict(list)
        for row in _rows(capture, kind, devices):
            by_device[row["device"]].append(row)
        moment = at.isoformat()
        found += [
            {"at": moment, "kind": kind.name, "what": FIRST, "device": device, "rows": by_device.get(device, [])}
            for device in devices
        ]
    return found


def changed(before: Capture, after: Capture, devices: Collection[str], at: datetime) -> list[Change]:
    """What changed of some devices, as far as both captures tell."""
    found = []
    rows: dict[str, dict[tuple[Any, ...], list[dict[str, Any]]]] = {}
    for one in compare(before, after, caused=False).differences:
        kind = KINDS[one.kind]
        if kind not in LASTING or one.device not in devices or set(one.fields) == {REMAINDER.name}:
            continue
        if kind.name not in rows:
            by_key = rows[kind.name] = defaultdict(list)
            for row in _rows(after, kind, devices):
                by_key[tuple(row.get(name) for name in kind.keys)].append(row)
        key = {name: _plain(one.key.get(name)) for name in kind.keys}
        now = rows[kind.name].get(tuple(key.values()), [])
        found.append({"at": at.isoformat(), "kind": kind.name, "what": one.what, "key": key, "rows": now})
    return found


def left(devices: Collection[str], at: datetime) -> list[Change]:
    """Devices that are not watched any more."""
    return [{"at": at.isoformat(), "what": LEFT, "device": device} for device in devices]


def _rows(capture: Capture, kind: Kind, devices: Collection[str]) -> Iterator[dict[str, Any]]:
    names = [name for name in kind.fields if name != REMAINDER.name and name not in {one.name for one in EVIDENCE}]
    for row in capture.records(kind.name).select(names).to_pylist():
        if row["device"] in devices:
            yield {name: _plain(value) for name, value in row.items() if value is not None}


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else value
