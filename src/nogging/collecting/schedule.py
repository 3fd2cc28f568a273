"""When what is asked: on intervals, or at times of the day.

A turn on an interval falls on a multiple of it (`5m`: 02:00, 02:05, …), a little later by a delay that stays the same
for one history: many keepers do not ask at the same instant. All times are UTC, so no hour is missing or comes twice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from nogging.errors import QuestionError, nearest
from nogging.records import KINDS
from nogging.records.values import after_midnight, short_span

EPOCH = datetime(2026, 1, 1, tzinfo=UTC)
DAY = timedelta(days=1)
LEAST = timedelta(seconds=1)
DELAYED = 0.1
"""The largest part of an interval by which its turns are delayed."""


@dataclass(frozen=True)
class ScheduleEntry:
    """Some kinds of records (all, where none are named), and when they are asked: so often, and how far into that."""

    kinds: tuple[str, ...]
    every: timedelta
    offset: timedelta = timedelta()

    def after(self, moment: datetime) -> datetime:
        """The first time for it after a moment."""
        return EPOCH + ((moment - EPOCH - self.offset) // self.every + 1) * self.every + self.offset

    def between(self, begin: datetime, end: datetime) -> int:
        """How many times for it lie after `begin`, up to and with `end`."""
        return max(0, (end - EPOCH - self.offset) // self.every - (begin - EPOCH - self.offset) // self.every)


def entry(text: str) -> ScheduleEntry:
    """Of `5m`, `02:30`, `neighbor,interface=1m`, `setting=02:30`. Raises `QuestionError`."""
    named, equal, when = text.rpartition("=")
    kinds = tuple(kind.strip() for kind in named.split(",")) if equal else ()
    unknown = [kind for kind in kinds if kind not in KINDS]
    if unknown:
        raise QuestionError(f"unknown kind '{unknown[0]}'{nearest(unknown[0], KINDS)}")
    every = short_span(when.strip(), "smhd", 6)
    daily = after_midnight(when.strip())
    if daily is not None:
        return ScheduleEntry(kinds, DAY, daily)
    if every is None or every < LEAST:
        raise QuestionError(f"'{text}': write how often like this: 5m, or 02:30 (UTC), or neighbor,interface=1m")
    return ScheduleEntry(kinds, every)


def delayed(entries: Sequence[ScheduleEntry], part: float) -> tuple[ScheduleEntry, ...]:
    """The same, those on intervals later by a part (0 to 1) of what is allowed of them; all by the same time, so that
    those that fall together still do."""
    shortest = min((entry.every for entry in entries if not entry.offset), default=timedelta())
    by = shortest * DELAYED * part
    return tuple(entry if entry.offset else ScheduleEntry(entry.kinds, entry.every, by) for entry in entries)


@dataclass(frozen=True)
class Due:
    """The next turn: when, and of which kinds (all, where none are named)."""

    at: datetime
    kinds: tuple[str, ...]


def following(entries: Sequence[ScheduleEntry], moment: datetime) -> Due:
    """The next turn after a moment; what falls on the same instant is one turn."""
    at = min(entry.after(moment) for entry in entries)
    together = [entry for entry in entries if entry.after(moment) == at]
    everything = any(not entry.kinds for entry in together)
    return Due(at, () if everything else tuple(dict.fromkeys(kind for entry in together for kind in entry.kinds)))


def missed(entries: Sequence[ScheduleEntry], last: datetime, due: datetime) -> int:
    """How many turns should have been between two."""
    return max(entry.between(last, due - timedelta(microseconds=1)) for entry in entries)
