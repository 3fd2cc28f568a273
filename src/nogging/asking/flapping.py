"""How often did it go down: what logs, timers and captures tell of interfaces and sessions, each time counted once.

A message tells the very second. A record tells less: that it was up when it was asked before and is not now, or is
again, since a moment that lies between the two. So each fall that the records tell of has a window, and a message
within it tells of the same fall. What is left of the messages are falls that no capture saw; what is left of the
records are those that no log tells of. The families and levels of one session fall together, and are one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from nogging.asking.over_time import AFTER, FROM, WHAT, Lasting
from nogging.judging.changed import FIRST, GONE
from nogging.predicates.database import naive
from nogging.records import Kind, Nature
from nogging.records.event import EVENT
from nogging.records.field import RESOLUTION
from nogging.records.joining import Row
from nogging.records.neighbor import PROTOCOLS

if TYPE_CHECKING:
    import pyarrow as pa

LOG, TIMER, CAPTURE = "log", "timer", "capture"
_ONE_FALL = timedelta(seconds=30)
"""Messages that something is down, no further apart and none of its return between them, tell of one fall."""
_CLOCKS = timedelta(seconds=5)
"""So far apart may the clocks of a device and of the captures be, once it is known how far that is."""
_LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)

COLUMNS = ("device", "kind", "protocol", "vrf", "interface", "neighbor")
Thing = tuple[str | None, ...]
"""What falls, by the values of `COLUMNS`."""


@dataclass
class Flap:
    """A fall of one thing: between `low` and `high`, up again at `up` where that is known."""

    low: datetime
    high: datetime
    told_by: set[str]
    up: datetime | None = None
    records: set[Any] = field(default_factory=set)
    """The records that tell of it; none tells of two falls at once."""

    def is_within(self, low: datetime, high: datetime) -> bool:
        return self.low <= high + _CLOCKS and low - _CLOCKS <= self.high


def flap_table(lasting: Mapping[str, Lasting]) -> pa.Table:
    """Every fall that the records and messages of a history tell of, of interfaces and sessions, in order.

    `down_at` is when it fell at the latest, and at most `within` seconds earlier; `up_at` when it came back, null where
    it did not, or nobody saw it; `told_by` names what tells of it: log, timer, capture.
    """
    import pyarrow as pa

    fallen = falls(lasting)
    columns = {name: pa.array([thing[n] for thing, _ in fallen], pa.string()) for n, name in enumerate(COLUMNS)}
    moment = pa.timestamp("us", "UTC")
    columns["down_at"] = pa.array([fall.high for _, fall in fallen], moment)
    columns["up_at"] = pa.array([fall.up for _, fall in fallen], moment)
    columns["within"] = pa.array([(fall.high - fall.low).total_seconds() for _, fall in fallen], pa.float64())
    columns["told_by"] = pa.array([", ".join(sorted(fall.told_by)) for _, fall in fallen], pa.string())
    return naive(pa.table(columns))


def falls(lasting: Mapping[str, Lasting]) -> list[tuple[Thing, Flap]]:
    """The same, each with what fell."""
    fallen = _of_logs(lasting[EVENT.name].rows, _sessions(lasting["neighbor"]))
    for name in ("interface", "neighbor"):
        for key, life in lasting[name].lives.items():
            if len(life) > 1:
                _of_record(lasting[name].kind, (name, key), life, fallen[_thing(lasting[name].kind, life[0])])
    return sorted(
        ((thing, flap) for thing, flaps in fallen.items() for flap in flaps),
        key=lambda pair: (pair[1].high, [part or "" for part in pair[0]]),
    )


def _thing(kind: Kind, row: Row) -> Thing:
    if kind.name == "interface":
        return row["device"], kind.name, None, None, row["name"], None
    return row["device"], kind.name, row.get("protocol"), row.get("vrf"), row.get("interface"), row.get("neighbor")


def _sessions(neighbors: Lasting) -> dict[tuple[str, str], list[Thing]]:
    """The sessions that a message may mean, by the device and what it calls them."""
    sessions: dict[tuple[str, str], list[Thing]] = defaultdict(list)
    for life in neighbors.lives.values():
        row = life[0]
        for called in {row.get("neighbor"), row.get("neighbor_address")} - {None}:
            sessions[row["device"], str(called)].append(_thing(neighbors.kind, row))
    return sessions


def _of_logs(events: Iterable[Row], sessions: Mapping[tuple[str, str], list[Thing]]) -> dict[Thing, list[Flap]]:
    """The falls that messages tell of."""
    told: dict[Thing, list[tuple[datetime, str]]] = defaultdict(list)
    for row in events:
        if row.get("at") and row.get("state") and (row.get("neighbor") or row.get("interface")):
            told[_meant(row, sessions)].append((row["at"], row["state"]))
    return defaultdict(list, {thing: _logged(sorted(messages)) for thing, messages in told.items()})


def _logged(messages: list[tuple[datetime, str]]) -> list[Flap]:
    flaps: list[Flap] = []
    last = _LONG_AGO
    for at, state in messages:
        is_down = state == "down"
        if is_down and (not flaps or flaps[-1].up is not None or at - last > _ONE_FALL):
            flaps.append(Flap(at, at, {LOG}))
        elif not is_down and flaps and flaps[-1].up is None:
            flaps[-1].up = at
        last = at if is_down else last
    return flaps


def _meant(row: Row, sessions: Mapping[tuple[str, str], list[Thing]]) -> Thing:
    """Of what a message speaks: of a session by its protocol, where it says which, and where it is seen."""
    if not row.get("neighbor"):
        return row["device"], "interface", None, None, row["interface"], None
    said = " ".join(str(row.get(name) or "") for name in ("name", "facility", "message")).lower()
    protocol = next((name for name in sorted(PROTOCOLS, key=len, reverse=True) if name in said), None)
    known = sessions.get((row["device"], row["neighbor"]), [])
    fitting = [thing for thing in known if protocol is None or str(thing[2]).startswith(protocol)]
    if fitting:
        return min(fitting, key=lambda thing: (thing[2] != protocol, thing[4] != row.get("interface")))
    return row["device"], "neighbor", protocol, None, row.get("interface"), row["neighbor"]


def _of_record(kind: Kind, record: Any, rows: list[Row], falls: list[Flap]) -> None:
    """The falls that one record tells of, beside those that are known already."""
    (timer,) = kind.named(Nature.TIMER)
    fallen: Flap | None = None
    for before, row in pairwise(rows):
        if row[WHAT] == FIRST:  # nobody watched it meanwhile
            fallen = None
            continue
        low, high, is_up = row.get(AFTER) or before[FROM], row[FROM], _is_up(row)
        began = row.get(timer)
        if began is not None and not low - _CLOCKS <= began <= high + _CLOCKS:
            began = None
        if _is_up(before) and (not is_up or _again(kind, timer, before, row)):
            told = Flap(began if began and not is_up else low, began or high, {TIMER if began else CAPTURE})
            fallen = _counted(falls, record, told)
        if is_up and fallen is not None:
            fallen.up = fallen.up or began or high
            fallen = None


def _is_up(row: Row) -> bool:
    return row[WHAT] != GONE and (row.get("oper_status") == "up" or row.get("settled") is True)


def _again(kind: Kind, timer: str, before: Row, row: Row) -> bool:
    """Whether what was up and is up was down in between: its timer began anew, or it counts one more change."""
    was, now = before.get(timer), row.get(timer)
    if was and now:
        apart = max(before.get(timer + RESOLUTION) or 0.0, row.get(timer + RESOLUTION) or 0.0)
        return bool((now - was).total_seconds() > apart + _CLOCKS.total_seconds())
    counters = [name for name in kind.named(Nature.COUNTER) if kind.fields[name].of_changes]
    return any((row.get(name) or 0) > before[name] for name in counters if before.get(name) is not None)


def _counted(falls: list[Flap], record: Any, told: Flap) -> Flap:
    """The fall that is told of: the last one within the window, or one more."""
    same = [fall for fall in falls if fall.is_within(told.low, told.high) and record not in fall.records]
    if same:
        flap = max(
            same, key=lambda candidate: (min(candidate.high, told.high) - max(candidate.low, told.low), candidate.high)
        )
        flap.high = max(flap.low, min(flap.high, told.high))
        flap.low = min(max(flap.low, told.low), flap.high)
        flap.told_by |= told.told_by
    else:
        falls.append(flap := told)
    flap.records.add(record)
    return flap
