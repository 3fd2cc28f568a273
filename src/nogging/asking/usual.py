"""What is usual, learned from days of quiet, and what slowly leaves it, with the day on which that began.

Of each number (how many routes a device has, how many prefixes a neighbor announces, how fast a counter of faults or of
octets grows, how far a clock is off) a few samples a day are taken. Quiet days give what is usual at each time of the
day, and how much a day's median swings around it. A later day is told by how far its median is from the usual, in that
swing; what is small but stays is summed up (a cumulative sum, Page 1954): a leak of one route a day is found, and the
sum says on which day it began to grow.

    usual:
      - title: mole-r1 has as many ospf routes as usual
        of: route
        with: {device: mole-r1, source_protocol: ospf}
        number: records
        level: 31
        give: 2

`give` is by how much one day may be off. `growth` says that it is the growth in an hour that counts, `slots` are what
is usual from midnight on, each for an equal part of the day.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from statistics import fmean, median, pstdev
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from nogging.asking.over_time import FROM, WHAT, OverTime
from nogging.captures.history import History, Turn
from nogging.captures.saved import moment_of
from nogging.errors import CaptureError, QuestionError, nearest
from nogging.files import Strict
from nogging.judging.changed import GONE, RESTARTED
from nogging.judging.verdict import Failure, Result, Verdict, many
from nogging.metrics.points import CAPTURE, COUNT, SKEW, numbers, points
from nogging.records import KINDS, Nature
from nogging.records.values import since_midnight

SLOTS = 8
"""So many samples are taken a day: the last moment of each eighth of it."""
SLOT = timedelta(days=1) / SLOTS
LOOKED_BACK = 60
"""So many days are looked at, at most."""
SWINGS = 4.5
"""A day may be off by as many swings; what is less than half a swing is not summed up, and a sum of so many is told."""
ALLOWED, TOLD = 0.5, 4.0
MOST_AT_ONCE = 6.0
STILL = 0.23
"""What is given of what did not grow at all: so many swings of the least."""
SPREAD = 1.5
"""Few days tell less than the whole swing."""
LEAST_SHARE, LEAST, LEAST_GROWN = 0.01, 0.25, 0.05
"""The least swing of a number: so much of its level, and so much; of what grows so much in an hour."""
FEWEST_DAYS = 3
_OCTETS = ("in_octets", "out_octets")

_Finite = Annotated[float, Field(allow_inf_nan=False)]
SeriesWhere = tuple[tuple[str, str], ...]
Named = tuple[str, SeriesWhere, str, bool]
"""A series: its kind, of what it is, the number, and whether it is its growth that counts."""


@dataclass(frozen=True)
class MomentNumbers:
    """The numbers of one moment, and the devices that told something."""

    at: datetime
    values: Mapping[Named, float]
    devices: frozenset[str]


class UsualModel(Strict):
    """One number that is as usual."""

    title: str = Field(min_length=1)
    """What is usual, in a sentence. As `Routes of gannet-r1`."""
    of: Annotated[str, Field(json_schema_extra={"enum": [CAPTURE, *KINDS]})]
    """The kind of the records. As `route`."""
    where: dict[str, str | int | float | bool] = Field(default_factory=dict, alias="with")
    """What the records it is about have. As `{device: gannet-r1}`."""
    but: tuple[dict[str, str | int | float | bool], ...] = ()
    """What those have that it is not about. As `[{protocol: bgp}]`."""
    number: str
    """The number: a field, or the count of the records. As `in_octets`."""
    growth: bool = False
    """Whether it is its growth in an hour that counts, as of a counter."""
    level: _Finite = 0.0
    """What is usual. As `121`."""
    slots: tuple[_Finite, ...] = ()
    """What is usual by the time of the day, in as many parts of it. As `[100, 140, 140, 100]`."""
    give: _Finite = Field(gt=0)
    """By how much it may differ without being said to leave the usual. As `3.5`."""
    strength: Literal["must", "should"] = "must"
    """Whether leaving it fails or warns."""

    @field_validator("of")
    @classmethod
    def known(cls, value: str) -> str:
        kinds = [CAPTURE, *(name for name, kind in KINDS.items() if kind.compared)]
        if value not in kinds:
            raise ValueError(f"'{value}' is no kind with numbers{nearest(value, kinds)}")
        return value

    @model_validator(mode="after")
    def whole(self) -> UsualModel:
        every = [SKEW] if self.of == CAPTURE else [COUNT, *(number.name for number in numbers(KINDS[self.of]))]
        told = {name: growth for name in every if (growth := _kind_of_number(self.of, name)) is not None}
        if self.number not in told:
            raise ValueError(
                f"'{self.number}' is no number of '{self.of}' that has a usual{nearest(self.number, told)}"
            )
        if self.growth != told[self.number]:
            what = "grows: say 'growth: true'" if told[self.number] else "is no counter: take 'growth' away"
            raise ValueError(f"'{self.number}' {what}")
        if self.slots and SLOTS % len(self.slots):
            raise ValueError(f"a day has {SLOTS} slots, or 1, 2 or 4")
        return self

    def base(self, at: datetime) -> float:
        """What is usual at a time of the day."""
        if not self.slots:
            return self.level
        return self.slots[_slot(at, len(self.slots))]

    def is_about(self, series: Named) -> bool:
        """Whether it speaks of a series."""
        kind, where, number, growth = series
        if (kind, number, growth) != (self.of, self.number, self.growth):
            return False
        told = dict(where)
        return _all_in(self.where, told) and not any(_all_in(exception, told) for exception in self.but)


class Numbers:
    """The samples of a history, each read once."""

    def __init__(self, history: History) -> None:
        self.history = history
        self._read: dict[str, tuple[Mapping[Named, float], frozenset[str]]] = {}

    def samples(self, since: date, until: date) -> list[MomentNumbers]:
        """Those of some days, the last included, in the order of time; of a counter, its growth in an hour since the
        sample before. Raises `CaptureError` for a moment that cannot be read."""
        last: dict[tuple[date, int], Turn] = {}
        for turn in self.history.turns:
            if since <= turn.at.date() <= until:
                last[turn.at.date(), _slot(turn.at)] = turn
        samples: list[MomentNumbers] = []
        before: tuple[datetime, Mapping[Named, float]] | None = None
        for turn in last.values():
            values, devices = self._of(turn)
            level = {series: value for series, value in values.items() if not series[3]}
            samples.append(MomentNumbers(turn.at, {**level, **_growth(before, turn.at, values)}, devices))
            before = turn.at, values
        return samples

    def _of(self, turn: Turn) -> tuple[Mapping[Named, float], frozenset[str]]:
        if turn.digest not in self._read:
            values: dict[Named, float] = {}
            with moment_of(self.history, turn) as capture:
                told = frozenset(name for name, device in capture.devices.items() if device.commands_answered)
                for point in points(capture):
                    for number, value in point.fields.items():
                        growth = _kind_of_number(point.kind, number)
                        if growth is not None and isinstance(value, int | float):
                            values[point.kind, _keys(point.kind, point.labels), number, growth] = float(value)
            self._read[turn.digest] = values, told
        return self._read[turn.digest]


def _slot(at: datetime, slots: int = SLOTS) -> int:
    """In which equal part of its day a moment is."""
    return int(since_midnight(at) / timedelta(days=1) * slots)


def _kind_of_number(kind: str, number: str) -> bool | None:
    """Whether it is the growth of a number that is usual, or itself; None where neither is told."""
    if kind == CAPTURE or number == COUNT:
        return False if number in (SKEW, COUNT) else None
    field = KINDS[kind].fields[number]
    if field.is_level:
        return False
    return True if field.nature is Nature.COUNTER and not field.of_changes else None


def _keys(kind: str, labels: Mapping[str, str]) -> SeriesWhere:
    names = ("device",) if kind == CAPTURE else dict.fromkeys([*KINDS[kind].keys, *(KINDS[kind].counted or ())])
    return tuple((name, labels[name]) for name in names if name in labels)


def _growth(
    before: tuple[datetime, Mapping[Named, float]] | None, at: datetime, values: Mapping[Named, float]
) -> dict[Named, float]:
    """How much each counter grew in an hour; none of one that began again, or was not asked for long."""
    if before is None or not timedelta() < at - before[0] <= 2 * SLOT:
        return {}
    hours = (at - before[0]).total_seconds() / 3600
    return {
        series: (value - before[1][series]) / hours
        for series, value in values.items()
        if series[3] and series in before[1] and value >= before[1][series]
    }


def _all_in(wanted: Mapping[str, object], told: Mapping[str, str]) -> bool:
    return all(told.get(name) == str(value) for name, value in wanted.items())


def by_day(samples: Sequence[MomentNumbers], series: Named) -> dict[date, list[tuple[datetime, float]]]:
    """The values of a series, day by day. How many records there are is none where its device told nothing of them."""
    by_day: dict[date, list[tuple[datetime, float]]] = defaultdict(list)
    device = dict(series[1])["device"]
    for sample in samples:
        value = sample.values.get(series)
        if value is None and series[2] == COUNT and device in sample.devices:
            value = 0.0
        if value is not None:
            by_day[sample.at.date()].append((sample.at, value))
    return by_day


# --- learning -------------------------------------------------------------------------------------------------------


def learned(history: History, since: date | None = None, until: date | None = None) -> str:
    """A file of what is usual, from quiet days (all of them, without more). Raises `QuestionError` for too few."""
    turns = history.turns
    if not turns:
        raise CaptureError(f"{history.folder}: nothing was captured yet")
    last = until or turns[-1].at.date()
    first = max(since or turns[0].at.date(), last - timedelta(days=LOOKED_BACK))
    samples = Numbers(history).samples(first, last)
    days = sorted({sample.at.date() for sample in samples})
    if len(days) < FEWEST_DAYS:
        told = many(len(days), "day")
        raise QuestionError(f"{history.folder}: it has {told}; what is usual is told by {FEWEST_DAYS} days or more")
    grouped = list(_grouped(_models(samples, days)))
    head = [
        f"# Learned from {len(days)} days of {history.folder.name}, {days[0]} to {days[-1]}: were they quiet?",
        "title: Everything is as usual",
        "usual:",
    ]
    lines = [*head, *(line for model, why in grouped for line in _written(model, why)), *_restarts(history, days)]
    return "\n".join(lines) + "\n"


def _restarts(history: History, days: Sequence[date]) -> list[str]:
    """How often sessions of each protocol, and ports, began again in a day."""
    over = OverTime(history)
    over.take_in()
    lines: list[str] = []
    for kind, sort in (("neighbor", "protocol"), ("interface", "")):
        most: dict[str, int] = {}
        for life in over.lasting[kind].lives.values():
            again = (row for row in life if row[WHAT] in (GONE, RESTARTED) and days[0] <= row[FROM].date() <= days[-1])
            times = sorted({row[FROM] for row in again})
            word = str(life[0].get(sort, "")) if sort else ""
            within = (sum(at - timedelta(days=1) < time <= at for time in times) for at in times)
            most[word] = max([most.get(word, 0), *within])
        for word, n in sorted(most.items()):
            often = "once" if n == 1 else f"{n} times"
            lines += [
                f"  # {f'at most {often}' if n else 'never'} on {len(days)} days",
                f"  - title: No {f'{word} ' if word else ''}{kind} restarts{f' more than {often} a day' if n else ''}",
                f"    each: {kind}",
                *([f"    where: {sort} = '{word}'"] if word else []),
                "    within: 1d",
                f"    must: restarts <= {n}",
            ]
    return ["over_time:", *lines] if lines else []


def _models(samples: Sequence[MomentNumbers], days: Sequence[date]) -> Iterator[tuple[UsualModel, str]]:
    """What is usual of each series that most days tell of, with the reason."""
    for series in sorted({series for sample in samples for series in sample.values}):
        told = by_day(samples, series)
        if len(told) * 5 < len(days) * 4 or (series[3] and not _is_told(series)):
            continue
        yield _usual(series, told)


def _is_told(series: Named) -> bool:
    """Of what grows all the time only octets are told, and what should not happen."""
    return series[2] in _OCTETS or KINDS[series[0]].fields[series[2]].of_faults


def _usual(series: Named, told: Mapping[date, list[tuple[datetime, float]]]) -> tuple[UsualModel, str]:
    kind, where, number, growth = series
    every = [value for values in told.values() for _, value in values]
    level = median(every)
    slots: tuple[float, ...] = ()
    if growth and level:
        by_slot: dict[int, list[float]] = defaultdict(list)
        for values in told.values():
            for at, value in values:
                by_slot[_slot(at)].append(value)
        slots = tuple(_short(median(by_slot.get(n, [level]))) for n in range(SLOTS))
        slots = slots if len(set(slots)) > 1 else ()
    plain = UsualModel.model_validate(
        {"title": _title(series), "of": kind, "with": dict(where), "number": number, "growth": growth}
        | {"level": _short(level), "slots": slots, "give": 1.0}
    )
    off = [_off(plain, values) for values in told.values()]
    swing = max(SPREAD * pstdev(off), LEAST_SHARE * abs(level), LEAST_GROWN if growth else LEAST)
    give = float(f"{max(SWINGS * swing, 1.2 * max(map(abs, off))):.2g}")
    between = " to ".join(dict.fromkeys(f"{_short(edge):g}" for edge in (min(every), max(every))))
    return plain.model_copy(update={"give": give}), f"{between}{' an hour' if growth else ''} on {len(told)} days"


def _title(series: Named) -> str:
    kind, where, number, growth = series
    told = dict(where)
    device = told.pop("device")
    what = " ".join(value for value in told.values() if value != "default")
    if kind == CAPTURE:
        return f"The clock of {device} is as far off as usual"
    if number == COUNT:
        return f"{device} has as many {f'{what} ' if what else ''}{kind} records as usual"
    return f"{number} of {device} {kind} {what} {'grows' if growth else 'is'} as usual"


def _short(value: float) -> float:
    """As exact as anybody needs it."""
    return float(f"{value:.4g}")


def _grouped(models: Iterator[tuple[UsualModel, str]]) -> Iterator[tuple[UsualModel, str]]:
    """What never grows is told once for all that have it, but for those of which it does."""
    still: dict[tuple[str, str], int] = defaultdict(int)
    moving: dict[tuple[str, str], list[UsualModel]] = defaultdict(list)
    for model, why in models:
        place = model.of, model.number
        if model.growth and model.number not in _OCTETS and not model.level and model.give <= STILL:
            still[place] += 1
            continue
        if model.growth:
            moving[place].append(model)
        yield model, why
    for (of, number), n in still.items():
        but = tuple(dict(moved.where) for moved in moving[of, number])
        told = {"title": f"No {of} counts {number}", "of": of, "number": number, "growth": True, "but": but}
        yield UsualModel.model_validate({**told, "give": STILL}), f"none of {n} grew"


def _written(model: UsualModel, why: str) -> list[str]:
    said = {"title": model.title, "with": model.where, "but": list(model.but)}
    told = {name: json.dumps(value, ensure_ascii=False) for name, value in said.items() if value}
    told |= {"of": model.of, "number": model.number} | ({"growth": "true"} if model.growth else {})
    told |= (
        {"slots": str([_plain(slot) for slot in model.slots])} if model.slots else {"level": str(_plain(model.level))}
    )
    order = ("title", "of", "with", "but", "number", "growth", "level", "slots")
    parts = ", ".join(f"{name}: {told[name]}" for name in order if name in told)
    return [f"  # {why}", f"  - {{{parts}, give: {_plain(model.give)}}}"]


def _plain(number: float) -> float | int:
    return int(number) if number == int(number) else number


# --- judging --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Left:
    """A series that left the usual: on which day that began, and by how much the last day was off."""

    began: date
    off: float
    last: float


def left(model: UsualModel, told: Mapping[date, list[tuple[datetime, float]]]) -> Left | None:
    """Whether a series has left the usual at the end of some days, and since when."""
    unit = model.give / SWINGS
    sums = {1: 0.0, -1: 0.0}
    began: dict[int, date] = {}
    off = 0.0
    for day in sorted(told):
        off = _off(model, told[day])
        step = max(min(off / unit, MOST_AT_ONCE), -MOST_AT_ONCE)
        for sign in sums:
            if not sums[sign]:
                began[sign] = day
            sums[sign] = min(max(sums[sign] + sign * step - ALLOWED, 0.0), 2 * TOLD)
    sign = max(sums, key=lambda way: sums[way])
    if not told or sums[sign] < TOLD or sign * off <= ALLOWED * unit:
        return None
    return Left(began[sign], off, told[max(told)][-1][1])


def _off(model: UsualModel, values: Sequence[tuple[datetime, float]]) -> float:
    """How far a day is from what is usual: its median, which one odd moment does not move; of what grows, its mean."""
    of_all = fmean if model.growth else median
    return float(of_all(value - model.base(at) for at, value in values))


def judged(models: Sequence[UsualModel], taken: Numbers) -> list[Result]:
    """What became of each of them at the last moment."""
    turns = taken.history.turns
    if not turns or not models:
        return [_result(model, Verdict.UNPROVEN, "nothing was captured yet") for model in models]
    last = turns[-1].at.date()
    samples = taken.samples(last - timedelta(days=LOOKED_BACK), last)
    every = sorted({series for sample in samples for series in sample.values})
    return [_judged(model, [series for series in every if model.is_about(series)], samples, last) for model in models]


def _judged(model: UsualModel, about: Sequence[Named], samples: Sequence[MomentNumbers], last: date) -> Result:
    failures, silent = [], []
    for series in about:
        told = by_day(samples, series)
        if last not in told and last - timedelta(days=1) not in told:
            silent.append(_failure(series, {}, "nothing tells of it any more"))
        elif departure := left(model, told):
            record = {
                "since": departure.began.isoformat(),
                "off": _short(departure.off),
                model.number: _short(departure.last),
            }
            way = "more" if departure.off > 0 else "less"
            each = " an hour" if model.growth else ""
            reason = (
                f"since {departure.began}: {abs(_short(departure.off)):g}{each} {way} than usual, {model.give:g} may be"
            )
            failures.append(_failure(series, record, reason))
    n = len(about)
    if failures:
        first = min(failures, key=lambda failure: str(failure.record["since"]))
        reason = first.reason if n == 1 else f"{len(failures)} of {n} left it; {first.device} {first.reason}"
        return _result(model, Verdict.FAIL, reason, n, failures)
    if silent or not n:
        return _result(model, Verdict.UNPROVEN, "nothing tells of it" if not n else silent[0].reason, n, (), silent)
    return _result(model, Verdict.PASS, "it is" if n == 1 else f"all {n} are", n)


def _failure(series: Named, record: Mapping[str, object], reason: str) -> Failure:
    where = dict(series[1])
    return Failure(where["device"], {**where, **record}, reason)


def _result(
    model: UsualModel,
    verdict: Verdict,
    reason: str,
    n: int = 0,
    failures: Sequence[Failure] = (),
    silent: Sequence[Failure] = (),
) -> Result:
    kind = "system" if model.of == CAPTURE else model.of
    return Result(
        title=model.title,
        strength=model.strength,
        kind=kind,
        verdict=verdict,
        reason=reason,
        found=n,
        failures=tuple(failures),
        unproven=tuple(silent),
    )
