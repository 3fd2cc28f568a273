"""Questions of one kind of record, without SQL: counted, sorted, grouped, summed up, taken away from each other.

Each question is made into one query, and that query is what is run: so what is shown as SQL is what gave the answer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nogging.asking.query import CAPTURE, names_of, query
from nogging.captures.capture import Capture
from nogging.captures.choosing import predicate
from nogging.captures.saved import opened
from nogging.errors import QuestionError, nearest
from nogging.predicates import NamePath as Name
from nogging.predicates import identifier, quoted
from nogging.predicates.database import reserved
from nogging.records import KINDS, Type

_NUMBERS = (Type.INTEGER, Type.NUMBER)
_FIGURES = ("field", "said", "least", "median", "most", "total")


@dataclass(frozen=True)
class Question:
    """What is asked of the records of a kind. `where` is a predicate over its fields and `label.`.

    One of these says what comes back (without any, the records): `count_by`, for each combination of values how many;
    `alike`, for each the devices that say it, the fewest first; `figures`, for each number its bounds and its sum.
    `sort` are fields, with a minus before those whose largest come first; `top` is how many rows at most; `minus`
    leaves out what that capture has as well, told by the `fields` where they are given, else by who a record is.
    """

    kind: str
    where: str | None = None
    fields: Sequence[str] = ()
    settled: bool | None = None
    count_by: Sequence[str] = ()
    alike: Sequence[str] = ()
    figures: Sequence[str] | None = None
    sort: Sequence[str] = ()
    top: int | None = None
    minus: Capture | str | Path | None = None

    @property
    def only_selects(self) -> bool:
        """Whether it asks for some of the records as they are, and nothing of them."""
        grouped = (*self.count_by, *self.alike, *self.sort)
        return not grouped and (self.settled, self.figures, self.top, self.minus) == (None, None, None, None)


@dataclass(frozen=True)
class FoundRows:
    """The rows, in order, the names of their columns, and the query that gave them."""

    rows: list[dict[str, Any]]
    names: list[str]
    sql: str


def ask(question: Question, *captures: Capture | str | Path) -> FoundRows:
    """The answer; `QuestionError` for what cannot be asked."""
    taken = [opened(capture) for capture in captures]
    minus = opened(question.minus) if question.minus is not None else None
    every = [*taken, *([minus] if minus is not None else [])]
    sql = _Sql(question, every, minus).text()
    rows = query(sql, *every)
    return FoundRows(rows.to_pylist(), rows.column_names, sql)


def names_in(text: str) -> list[str]:
    """Names that are written with commas between them."""
    return [name.strip() for name in text.split(",") if name.strip()]


class _Sql:
    """One question as SQL over the tables of `query`."""

    def __init__(self, question: Question, captures: Sequence[Capture], minus: Capture | None) -> None:
        self.question = question
        self.several = len(captures) > 1
        self.names = names_of(captures)
        self.minus = minus
        self.shown = len(captures) - (minus is not None) > 1  # of which capture a row is, where it may be of another
        known = captures[0].records(question.kind).column_names  # raises for a kind that is none
        self.fields = list(known)
        self.labels = sorted(
            {label for capture in captures for device in capture.devices.values() for label in device.labels}
        )

    def text(self) -> str:
        question = self.question
        if question.alike and (question.count_by or question.figures is not None):
            raise QuestionError("who is alike is a question of its own: ask without --count-by and --figures")
        if question.figures is not None:
            return self._figures()
        return self._alike() if question.alike else self._counted() if question.count_by else self._plain()

    def _plain(self) -> str:
        chosen = [*self._capture(), *map(_name, self._known(self.question.fields))]
        columns = ", ".join(chosen) if self.question.fields else "* EXCLUDE (capture)" if self._alone() else "*"
        kind = KINDS.get(self.question.kind)
        order = [*self._capture(), *map(_name, kind.identity if kind else ("device", "answer", "line"))]
        return f"SELECT {columns} {self._from()}{self._ordered(order, [*self._capture(), *self.fields])}"

    def _alone(self) -> bool:
        """Whether the rows are of one capture, although there are several."""
        return self.several and not self.shown

    def _counted(self) -> str:
        names = [*map(_name, self._known(self.question.count_by))]
        mine = self.names[: len(self.names) - (self.minus is not None)]
        counts = (
            [(_name(capture), f" FILTER (capture = {quoted(capture)})") for capture in mine]
            if self.shown
            else [("n", "")]
        )
        told = ", ".join(self._n(name, only) for name, only in counts)
        by = ", ".join(names)
        order = [f"{counts[-1][0]} DESC", *names]
        allowed = [*self.question.count_by, "n", "hops", *self.names]
        return f"SELECT {by}, {told} {self._from()} GROUP BY {by}{self._ordered(order, allowed)}"

    def _n(self, name: str, only: str) -> str:
        """How many records: those that are several under one key are one."""
        kind = KINDS.get(self.question.kind)
        if kind is None or not kind.members:
            return f"count(*){only} AS {name}"
        hops = "" if only else ", count(*) AS hops"
        return f"count(DISTINCT row({', '.join(map(_name, kind.keys))})){only} AS {name}{hops}"

    def _alike(self) -> str:
        """Every device is in it: one that says nothing is one of those that say nothing."""
        fields = self._known(self.question.alike)
        names = [*(["device.capture"] if self.shown else []), *map(_name, fields)]
        inner = ", ".join([*([CAPTURE] if self.several else []), "device", *map(_name, fields)])
        of_one = f"device{', capture' if self.several else ''}"
        told = "count(DISTINCT device) AS devices, string_agg(DISTINCT device, ' ' ORDER BY device) AS names"
        minus = f" WHERE device.capture <> {quoted(self.names[-1])}" if self.minus is not None else ""
        joined = f"FROM device LEFT JOIN (SELECT {inner} {self._from()}) USING ({of_one}){minus}"
        ordered = self._ordered(["devices", *names], [*fields, "devices"])
        return f"SELECT {', '.join(names)}, {told} {joined} GROUP BY ALL{ordered}"

    def _figures(self) -> str:
        kind = KINDS.get(self.question.kind)
        numbers = [name for name, field in kind.fields.items() if field.type in _NUMBERS] if kind else []
        chosen = self._known(self.question.figures or ()) or numbers
        for name in chosen:
            if name not in numbers:
                raise QuestionError(f"'{name}' is no number{nearest(name, numbers)}")
        if not chosen:
            raise QuestionError(f"a record of '{self.question.kind}' has no numbers")
        groups = [*self._capture(), *map(_name, self._known(self.question.count_by))]
        lead = "".join(f"{column}, " for column in ("field", *groups))
        told = "count(*) AS said, min(said) AS least, median(said) AS median, max(said) AS most, sum(said) AS total"
        listed = ", ".join(map(_name, chosen))
        inner = ", ".join([*groups, *(f"{_name(number)}::DOUBLE AS {_name(number)}" for number in chosen)])
        turned = f"(SELECT {inner} {self._from()}) UNPIVOT (said FOR field IN ({listed}))"
        ordered = self._ordered(["field", *groups], [*groups, *_FIGURES])
        return f"SELECT {lead}{told} FROM {turned} GROUP BY {lead.removesuffix(', ')}{ordered}"

    def _from(self) -> str:
        conditions = [condition for condition in (self._where(), self._settled(), self._without()) if condition]
        where = f" WHERE {' AND '.join(conditions)}" if conditions else ""
        return f"FROM {_name(self.question.kind)} AS r{where}"

    def _where(self) -> str:
        where, kind = self.question.where, KINDS.get(self.question.kind)
        if where is None:
            return ""
        if kind is None:
            raise QuestionError("--where asks about records; unread lines are not records")
        return _bare(predicate(where, kind, self.labels).sql(self._resolved))

    def _resolved(self, path: Name) -> str:
        if path[0] != "label":
            return _name(path[0])
        same = " AND device.capture = r.capture" if self.several else ""
        return f"(SELECT {_name(path[1])} FROM device WHERE device.device = r.device{same})"

    def _settled(self) -> str:
        if self.question.settled is None:
            return ""
        if "settled" not in self.fields:
            raise QuestionError(f"a record of '{self.question.kind}' has no 'settled': neighbors have it")
        return "settled" if self.question.settled else "NOT settled"

    def _without(self) -> str:
        """Of what another capture has as well nothing."""
        if self.minus is None:
            return ""
        kind = KINDS.get(self.question.kind)
        by = self._known(self.question.fields) or (kind.identity if kind else self.fields)
        same = " AND ".join(f"m.{_name(column)} IS NOT DISTINCT FROM r.{_name(column)}" for column in by)
        other, table = quoted(self.names[-1]), _name(self.question.kind)
        there = f"SELECT 1 FROM {table} AS m WHERE m.capture = {other} AND {same}"
        return f"r.capture <> {other} AND NOT EXISTS ({there})"

    def _ordered(self, otherwise: Sequence[str], allowed: Sequence[str]) -> str:
        for name in (column.removeprefix("-") for column in self.question.sort):
            if name not in allowed:
                raise QuestionError(f"it cannot be sorted by '{name}'{nearest(name, allowed)}")
        sort = [
            f"{_name(column.removeprefix('-'))}{' DESC' * column.startswith('-')} NULLS LAST"
            for column in self.question.sort
        ]
        top = self.question.top
        if top is not None and top < 1:
            raise QuestionError(f"--top {top}: one row at least")
        return f" ORDER BY {', '.join(sort or otherwise)}" + (f" LIMIT {top}" if top is not None else "")

    def _capture(self) -> list[str]:
        return [CAPTURE] if self.shown else []

    def _known(self, names: Sequence[str]) -> list[str]:
        for name in names:
            if name not in self.fields:
                raise QuestionError(f"unknown field '{name}'{nearest(name, self.fields)}")
        return list(names)


def _name(name: str) -> str:
    """A name as SQL, delimited only where it has to be."""
    return name if name.isidentifier() and name.islower() and name not in reserved() else identifier(name)


def _bare(condition: str) -> str:
    """Without the one pair of brackets that is around it all."""
    depth, quote = 0, False
    for n, character in enumerate(condition):
        quote ^= character == "'"
        depth += 0 if quote else (character == "(") - (character == ")")
        if depth == 0 and n < len(condition) - 1:
            return condition
    return condition[1:-1] if condition.startswith("(") else condition
