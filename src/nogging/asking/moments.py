"""What happened, in order: messages of logs and the moments that timers tell, of all devices, by one clock.

A timer tells when something began that still is: a session, a port that came up, a system. How exactly it tells is the
resolution of its text; of two things within it the order is not known. What a device tells by its own clock was put
right when it was read, where the capture knows how far that clock is off.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.records import KINDS, Kind, Nature, Type
from nogging.records.field import RESOLUTION

LOG, TIMER, CHANGE = "log", "timer", "change"
_A_DAY = timedelta(days=1)


@dataclass(frozen=True)
class Moment:
    """Something that happened. `within` are the seconds by which its time may be off, `source` says what tells of it: a
    device's `log`, a `timer` of a record, or the journal of a `change`; `severity` is that of a log."""

    at: datetime
    device: str
    source: str
    what: str
    within: float = 0.0
    severity: str = ""
    answer: str = ""
    line: tuple[int, ...] = ()


def moments(
    *captures: Capture | str | Path, since: datetime | None = None, until: datetime | None = None
) -> list[Moment]:
    """What the captures tell of the time between `since` and `until`, in order, each thing once.

    Without `since` it is the time from the beginning of the first of several captures, or of one the day before its
    end; without `until`, until the last one ended.
    """
    whole = [opened(one) for one in captures]
    first, last = window(whole)
    since, until = since or first, until or last
    told: dict[tuple[Any, ...], Moment] = {}
    for capture in whole:
        for moment in (*_logged(capture), *_timed(capture)):
            if (
                since <= moment.at + timedelta(seconds=moment.within)
                and moment.at - timedelta(seconds=moment.within) <= until
            ):
                told[_same(moment)] = moment
    return in_order(told.values())


def window(captures: Sequence[Capture]) -> tuple[datetime, datetime]:
    """The time from the beginning of the first of several captures to the end of the last; of one, the day before its
    end."""
    last = max(capture.ended for capture in captures)
    return (min(capture.began for capture in captures) if len(captures) > 1 else last - _A_DAY), last


def in_order(unordered: Iterable[Moment]) -> list[Moment]:
    return sorted(unordered, key=lambda moment: (moment.at, moment.device, moment.source, moment.what))


def _same(moment: Moment) -> tuple[Any, ...]:
    """A timer that is told again, a little off, is the same."""
    at = moment.at if moment.source == LOG else round(moment.at.timestamp() / max(2 * moment.within, 10))
    return moment.device, moment.source, moment.what, at


def _logged(capture: Capture) -> Iterator[Moment]:
    for row in capture.records("event").to_pylist():
        if row["at"] is not None:
            yield Moment(
                at=row["at"],
                device=row["device"],
                source=LOG,
                what=" ".join(row[name] for name in ("facility", "name", "message") if row[name]),
                within=0.0,
                severity=row["severity"] or "",
                answer=row["answer"],
                line=tuple(row["line"] or ()),
            )


def _timed(capture: Capture) -> Iterator[Moment]:
    for kind in KINDS.values():
        for timer in kind.named(Nature.TIMER):
            if kind.fields[timer].type is Type.MOMENT:
                yield from (
                    _of_timer(kind, timer, row)
                    for row in capture.records(kind.name).to_pylist()
                    if row[timer] is not None
                )


def _of_timer(kind: Kind, timer: str, row: dict[str, Any]) -> Moment:
    states = [name for name in ("state", "oper_status") if row.get(name) is not None]
    what = f"{kind.called(row)}: {' '.join(str(row[name]) for name in states) or 'began'} ({timer})"
    within = row[timer + RESOLUTION] or 0.0
    return Moment(
        at=row[timer],
        device=row["device"],
        source=TIMER,
        what=what,
        within=within,
        severity="",
        answer=row["answer"],
        line=tuple(row["line"] or ()),
    )
