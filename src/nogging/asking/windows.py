"""Expectations over windows of time, judged over a history; and, in the same file, what is usual (`usual.py`).

    over_time:
      - title: No session restarts more than twice a day
        each: neighbor
        where: protocol = 'bgp'
        within: 1d
        must: restarts <= 2
      - title: Each adjacency is full for 99.9 % of a week
        each: neighbor
        where: protocol = 'ospf'
        within: 7d
        that: state = 'full'
        must: held >= 0.999

Of each record that was there within the window are known: `restarts` (how often it began again, or was gone),
`changes` (how often something of it changed) and `held` (the part of the window, from when it was first seen, for
which `that` was true; while it was gone it was not). Where `that` was unknown, `held` may be more or less, and the
expectation is only proven if it does not matter. A history that is shorter than the window proves nothing good of it.
A window ends at the last moment, or, with `at: 06:00`, when it was that time last.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field, field_validator, model_validator

from nogging.asking.over_time import FROM, TO, WHAT, OverTime
from nogging.asking.usual import Numbers, UsualModel
from nogging.asking.usual import judged as usually
from nogging.captures.choosing import parsed, predicate
from nogging.captures.history import History
from nogging.errors import QuestionError, nearest
from nogging.files import NotEmpty, Source, Sql, Strict, load, one_of, with_rules
from nogging.judging.changed import FIRST, GONE, LASTING, RESTARTED
from nogging.judging.verdict import Failure, Judgement, Result, Verdict, worst
from nogging.predicates import Predicate, Schema, identifier
from nogging.predicates.database import computing
from nogging.records import Field as RecordField
from nogging.records import Nature, Type
from nogging.records.values import DAYTIME, after_midnight, short_span, since_midnight

if TYPE_CHECKING:
    import pyarrow as pa

_WITHIN = ("mhdw", 5)
_KINDS = {kind.name: kind for kind in LASTING}
MEASURES, MOST = ("restarts", "changes", "held"), "most"
"""What is known of a record; `held` is the least that it can be, and beside it is the most."""
_SCHEMA: Schema = {
    (name,): RecordField(name, Type.NUMBER if name == "held" else Type.INTEGER, Nature.NOTE, "") for name in MEASURES
}


class OverWindowModel(Strict):
    """One expectation over a window of time."""

    model_config = with_rules(one_of("must", "should"))
    title: str = Field(min_length=1)
    """What is expected, in a sentence. As `No session falls more than twice a day`."""
    each: Annotated[str, Field(json_schema_extra={"enum": list(_KINDS)})]
    """The kind of the records. As `neighbor`."""
    where: Sql = "true"
    """Which records; without it, all. As `protocol = 'bgp'`."""
    within: Annotated[str, Field(json_schema_extra={"pattern": "^[0-9]{1,5}[mhdw]$"})]
    """How long the window is. As `1d`, `90m`."""
    at: Annotated[str, Field(json_schema_extra={"pattern": f"^({DAYTIME})?$"})] = ""
    """When in the day it ends (UTC); without it, at the last moment. As `06:00`."""
    that: Sql | None = None
    """What is measured as `held`: for how long this was so. As `settled`."""
    must: Sql | None = None
    """What has to hold of `restarts`, `changes` and `held`, or it fails. As `restarts <= 2`."""
    should: Sql | None = None
    """What has to hold, or there is a warning. As `held >= 86000`."""

    @field_validator("each")
    @classmethod
    def known(cls, value: str) -> str:
        if value not in _KINDS:
            raise ValueError(f"'{value}' is no kind that lasts{nearest(value, _KINDS)}; known: {', '.join(_KINDS)}")
        return value

    @field_validator("within")
    @classmethod
    def window(cls, value: str) -> str:
        if not short_span(value, *_WITHIN):
            raise ValueError("a window is written 90m, 12h, 1d or 1w")
        return value

    @field_validator("at")
    @classmethod
    def time_of_day(cls, value: str) -> str:
        if value and after_midnight(value) is None:
            raise ValueError("a time of the day is written 06:00 (UTC)")
        return value

    def until(self, last: datetime) -> datetime:
        """When the window ends: at the last moment, or the last time before that at which it should."""
        at = after_midnight(self.at)
        if at is None:
            return last
        moment = last - since_midnight(last) + at
        return moment if moment <= last else moment - timedelta(days=1)

    @model_validator(mode="after")
    def whole(self) -> OverWindowModel:
        if (self.must is None) == (self.should is None):
            raise ValueError("say what 'must' hold, or what 'should'")
        return self

    @property
    def length(self) -> timedelta:
        span = short_span(self.within, *_WITHIN)
        assert span is not None, "it was checked when it was loaded"
        return span


class WindowsModel(Strict):
    """A file of expectations over time."""

    model_config = with_rules({"anyOf": [{"required": ["over_time"]}, {"required": ["usual"]}]})
    title: str = ""
    """What the file is about. As `The quiet network`."""
    over_time: Annotated[tuple[OverWindowModel, ...], NotEmpty] = ()
    """What is expected over windows of time."""
    usual: Annotated[tuple[UsualModel, ...], NotEmpty] = ()
    """Numbers that are as they usually are; `nogging draft HISTORY` learns them."""

    @model_validator(mode="after")
    def something(self) -> WindowsModel:
        if not (self.over_time or self.usual):
            raise ValueError("there is nothing in it: 'over_time' or 'usual'")
        return self


class Window:
    """An expectation, its conditions parsed."""

    def __init__(self, n: int, model: OverWindowModel, source: Source) -> None:
        self.model, self.kind = model, _KINDS[model.each]

        def asked(name: str, text: str, own: bool) -> Predicate:
            try:
                return parsed(text, _SCHEMA) if own else predicate(text, self.kind, ())
            except QuestionError as error:
                raise source.error(("over_time", n, name), str(error)) from None

        self.where = asked("where", model.where, False)
        self.that = asked("that", model.that, False) if model.that is not None else None
        strength = "must" if model.must is not None else "should"
        self.must = asked(strength, model.must or model.should or "", True)
        self.strength = strength
        if "held" in self.must.fields and self.that is None:
            raise source.error(
                ("over_time", n, strength), "'held' is for how long something was so; say of what: 'that'"
            )


class Windows:
    """A file of expectations over time. Raises `FileError` for a mistake in it."""

    def __init__(self, path: str | Path) -> None:
        model, source = load(Path(path), WindowsModel)
        self.title = model.title
        self.windows = [Window(n, declared, source) for n, declared in enumerate(model.over_time)]
        self.usual = model.usual
        self.source = source

    def judge(self, over: OverTime, taken: Numbers | None = None) -> Judgement:
        """The verdict at the last moment of a history; `taken` are its numbers, as far as they were read before."""
        tables = over.tables() if self.windows else {}
        results = [_judged(window, tables[window.kind.name], tables["moment"]) for window in self.windows]
        places = [self.source.place(("over_time", n)) for n in range(len(results))]
        results += usually(self.usual, taken or Numbers(over.history))
        places += [self.source.place(("usual", n)) for n in range(len(self.usual))]
        results = [replace(result, place=place) for result, place in zip(results, places, strict=True)]
        return Judgement(
            worst([result.verdict for result in results if result.strength == "must"]), self.title, tuple(results)
        )


def check_over(expectations: str | Path, history: History | str | Path) -> Judgement:
    """Judges a file of expectations over windows of time. Raises `FileError` and `CaptureError`."""
    return Windows(expectations).judge(OverTime(history if isinstance(history, History) else History(history)))


def _judged(window: Window, rows: pa.Table, moments: pa.Table) -> Result:
    """What became of one expectation at the last moment."""
    known = sorted(moments.column("at").to_pylist())
    if not known:
        return _result(window, Verdict.UNPROVEN, "nothing was captured yet", 0)
    until = window.model.until(known[-1])
    told = _measures(window, rows, until)
    failures, unproven = [], []
    for record, outcomes in zip(told, _held(window, told), strict=True):
        if True not in outcomes:
            failures.append(_failure(window, record))
        elif outcomes != (True, True):
            unproven.append(_failure(window, record))
    n = len(told)
    if failures:
        return _result(window, Verdict.FAIL, f"{len(failures)} of {n} fail", n, failures, unproven)
    if unproven:
        reason = f"of {len(unproven)} of {n} it was unknown for a part of the time"
        return _result(window, Verdict.UNPROVEN, reason, n, [], unproven)
    if not told or until - known[0] < window.model.length:
        reason = f"the history is shorter than {window.model.within}" if told else "nothing was there"
        return _result(window, Verdict.UNPROVEN, reason, n)
    return _result(window, Verdict.PASS, f"all {n} within {window.model.within}", n)


def _result(
    window: Window,
    verdict: Verdict,
    reason: str,
    n: int,
    failures: Sequence[Failure] = (),
    unproven: Sequence[Failure] = (),
) -> Result:
    told = (tuple(failures), tuple(unproven))
    return Result(window.model.title, window.strength, window.kind.name, verdict, reason, n, *told)


def _failure(window: Window, record: Mapping[str, Any]) -> Failure:
    key = {name: record[name] for name in window.kind.keys if record[name] is not None}
    measures = {name: record[name] for name in MEASURES if name in window.must.fields and record[name] is not None}
    reason = ", ".join(f"{name} {value:.6g}" for name, value in measures.items())
    return Failure(str(record["device"]), {**key, **measures}, reason)


def _measures(window: Window, rows: pa.Table, until: datetime) -> list[dict[str, Any]]:
    """Of each record that was there within the window, its key and its measures."""
    database = computing()
    database.register("spans", rows)
    measured = database.execute(_measured(window), {"since": until - window.model.length, "until": until}).fetchall()
    return [dict(zip((*window.kind.keys, *MEASURES, MOST), row, strict=True)) for row in measured]


def _column(path: tuple[str, ...]) -> str:
    return identifier(path[0])


def _measured(window: Window) -> str:
    """SQL: of each record that was there within the window, its key and its measures; `most` is the most that `held`
    can be."""
    keys = ", ".join(identifier(name) for name in window.kind.keys)
    that = window.that.sql(_column) if window.that is not None else "NULL"
    return f"""
        WITH inside AS (
            SELECT *, greatest({FROM}, $since) AS begins, least(coalesce({TO}, $until), $until) AS ends,
                   CASE WHEN {WHAT} = '{GONE}' THEN false ELSE ({that}) END AS so,
                   CASE WHEN {WHAT} = '{GONE}' THEN NULL ELSE ({window.where.sql(_column)}) END AS meant,
                   {FROM} > $since AS is_new
            FROM spans WHERE coalesce({TO}, $until) > $since AND {FROM} <= $until),
        timed AS (SELECT *, epoch(ends) - epoch(begins) AS lasted FROM inside)
        SELECT {keys},
               count(DISTINCT {FROM}) FILTER (is_new AND {WHAT} IN ('{GONE}', '{RESTARTED}')) AS restarts,
               count(DISTINCT {FROM}) FILTER (is_new AND {WHAT} <> '{FIRST}') AS changes,
               coalesce(sum(lasted) FILTER (so) / nullif(sum(lasted), 0), min(so::INT)) AS held,
               coalesce(sum(lasted) FILTER (so IS NOT false) / nullif(sum(lasted), 0),
                        max(coalesce(so, true)::INT)) AS {MOST}
        FROM timed GROUP BY {keys} HAVING bool_or(meant) ORDER BY ALL"""


def _held(window: Window, told: list[dict[str, Any]]) -> list[tuple[bool | None, bool | None]]:
    """For each record whether the condition holds with the least and with the most that `held` can be."""
    import pyarrow as pa

    database = computing()
    held_by = []
    for held in (MEASURES[-1], MOST):
        columns: dict[str, pa.Array] = {
            name: pa.array([row_of[name] for row_of in told], pa.int64()) for name in MEASURES[:2]
        }
        columns["held"] = pa.array([row_of[held] for row_of in told], pa.float64())
        database.register("measures", pa.table(columns))
        rows = database.execute(f"SELECT {window.must.sql(_column)} FROM measures").fetchall()
        held_by.append([row[0] for row in rows])
    return list(zip(*held_by, strict=True))
