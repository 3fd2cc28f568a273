"""Tests the expectations: breaks a good capture one fault at a time and asks which they would have let through.

A fault touches few records, so all faults are judged together. For each kind there is a table of broken rows: copies of
the rows that some fault touches, each with the number of the fault, as the fault leaves them. An expectation that
passes on the whole can only be turned by the rows that are touched: one question to the table of broken rows tells
for every fault whether it is. Where there is no capture from before, the good capture is its own: then `every`
notices what is gone, and `before.` is what it was.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nogging.captures.capture import Capture, opened
from nogging.judging.check import Judge
from nogging.judging.closing import closing
from nogging.judging.compare import compare_pairs, differences
from nogging.judging.consequences import Consequences
from nogging.judging.counting import Group
from nogging.judging.expectations import AnyExpectation, Expectation, Expectations, load_expectations
from nogging.judging.explaining import Explaining
from nogging.judging.faults import Change, Fault, Faults
from nogging.judging.joined import JoinedExpectation
from nogging.judging.pairs import AFTER, Pairs, resolver
from nogging.judging.paths import PathExpectation
from nogging.judging.verdict import Difference, Result, Verdict, worst
from nogging.records import KINDS, Kind

if TYPE_CHECKING:
    import pyarrow as pa

DIFFERENCE = "an unexplained difference"
NEW = -1
"""The number of a row of pairs that is there only because of a fault."""
Turned = dict[int, Verdict]
"""The faults that turn an expectation, each with what it turns it to."""


@dataclass(frozen=True)
class Tried:
    """What became of one fault: what noticed it (nothing: it was let through), and how many records it touched."""

    fault: Fault
    by: tuple[str, ...]
    unproven: bool
    breaks: int

    @property
    def let_through(self) -> bool:
        return not self.by


@dataclass(frozen=True)
class Challenge:
    """All faults that were tried. `verdict` is that of the capture as it is."""

    title: str
    verdict: Verdict
    tried: tuple[Tried, ...]
    own_before: bool

    @property
    def holes(self) -> tuple[Tried, ...]:
        """What was let through, that which would break most first."""
        return tuple(sorted((one for one in self.tried if one.let_through), key=lambda one: -one.breaks))

    @property
    def closing(self) -> tuple[str, ...]:
        """Expectations that would close the holes, ready to paste."""
        sorts: dict[str, set[str]] = defaultdict(set)
        for one in self.holes:
            sorts[one.fault.sort].add(str(one.fault.changes[0].match["device"]))
        return tuple(closing(sorts))


def challenge(
    expectations: str | Path, *, after: Capture | str | Path, before: Capture | str | Path | None = None
) -> Challenge:
    """Breaks a capture in every way that it can be broken, and judges each; errors are those of `check`."""
    good = opened(after)
    pairs = Pairs(good, good if before is None else opened(before))
    return _Challenger(pairs, load_expectations(expectations, pairs)).run(before is None)


class _Challenger:
    def __init__(self, pairs: Pairs, asked: Expectations) -> None:
        self.pairs, self.asked = pairs, asked
        self.judge = Judge(pairs)
        self.good = self.judge.judge(asked)
        self.faults = list(Faults(pairs).all())
        self.broken = {kind: _Broken(pairs, KINDS[kind], changes) for kind, changes in self.by_kind().items()}

    def by_kind(self) -> dict[str, list[tuple[int, Change]]]:
        found: dict[str, list[tuple[int, Change]]] = defaultdict(list)
        for n, fault in enumerate(self.faults):
            for change in fault.changes:
                found[change.kind].append((n, change))
        return found

    def run(self, own_before: bool) -> Challenge:
        by: dict[int, list[tuple[str, Verdict]]] = defaultdict(list)
        for one, good in zip(self.asked.expect, self.good.results, strict=True):
            for n, verdict in (self.turned(one, good) if good.verdict is Verdict.PASS else {}).items():
                by[n].append((one.title, verdict))
        breaks: dict[int, int] = defaultdict(int)
        for broken in self.broken.values():
            for n in broken.touched:
                breaks[n] += 1
        if self.asked.other == "fail":
            for n in self.differing({n for n in breaks if n not in by}):
                by[n].append((DIFFERENCE, Verdict.FAIL))
        tried = (_tried(fault, by.get(n, []), breaks[n]) for n, fault in enumerate(self.faults) if breaks[n])
        return Challenge(self.asked.title, self.good.verdict, tuple(tried), own_before)

    def turned(self, one: AnyExpectation, good: Result) -> Turned:
        """The faults that an expectation notices; `good` is what became of it without any."""
        if isinstance(one, PathExpectation):
            return dict(self.paths_turned(one))
        if isinstance(one, JoinedExpectation):
            return self.joints_turned(one)
        broken = self.broken.get(one.kind.name)
        if broken is None:
            return {}
        if one.quantifier in ("every", "none"):
            return self.rows_turned(one, broken)
        if one.wanted is not None:
            return self.exactly_turned(one, broken, one.wanted.fields)
        if one.quantifier == "some":
            return self.some_turned(one, broken, good)
        return dict(self.counts_turned(one, broken))

    def paths_turned(self, one: PathExpectation) -> Iterator[tuple[int, Verdict]]:
        for n, fault in enumerate(self.faults):
            if any(change.kind == "route" for change in fault.changes):
                with self.judge.paths.changed(fault.changes):
                    verdict = self.judge.judged(one).verdict
                if verdict is not Verdict.PASS:
                    yield n, verdict

    def joints_turned(self, one: JoinedExpectation) -> Turned:
        """The faults that leave two devices without a session between them. Which links the devices would still tell of
        is not known of a fault."""
        broken = self.broken.get(one.kind.name)
        if one.by is None or broken is None:
            return {}
        met = f"(a_here AND p_device IS NOT NULL AND ({one.by.sql(resolver(AFTER))}))"
        ends = f"id, a_device, p_device, coalesce({met}, false)"
        whole = self.pairs.fetched(f"SELECT {ends} FROM {self.pairs.with_peers(one.kind)}")
        left = Counter((device, other) for _, device, other, met in whole if met)
        lost: dict[int, set[tuple[int, str, str]]] = defaultdict(set)
        was = {n: (device, other) for n, device, other, met in whole if met}
        for fault, n, _, _, still in self.pairs.fetched(f"SELECT fault, {ends} FROM {broken.table(True)}"):
            if n in was and not still:
                lost[fault].add((n, *was[n]))
        found = {}
        for fault, gone in lost.items():
            less = Counter((device, other) for _, device, other in gone)
            if any(left[pair] <= n and pair in one.pairs for pair, n in less.items()):
                found[fault] = Verdict.FAIL
        return found

    def rows_turned(self, one: Expectation, broken: _Broken) -> Turned:
        """Of `every` and `none` each row is judged by itself."""
        asked = self.judge.asked(one)
        if one.quantifier == "none":
            verdict = f"NOT (a_here AND {asked.where} AND {asked.demand})"
        else:
            here = f"NOT ({asked.where} OR (b_here AND {asked.where_before})) OR {asked.demand}"
            gone = "true" if one.gone_allowed else f"NOT {asked.where_before}"
            verdict = f"CASE WHEN a_here THEN {here} WHEN b_here THEN {gone} ELSE true END"
        waived = " OR ".join(self.judge.explaining(w) for w in self.judge.waivers if w.kind is one.kind) or "false"
        rows = self.pairs.rows(
            f"SELECT fault, bool_or(NOT v) AS wrong FROM (SELECT fault, {verdict} AS v "
            f"FROM {broken.table(one.needs_peer)} WHERE ({waived}) IS NOT TRUE) WHERE v IS NOT TRUE GROUP BY fault"
        )
        return {row["fault"]: Verdict.FAIL if row["wrong"] else Verdict.UNPROVEN for row in rows}

    def exactly_turned(self, one: Expectation, broken: _Broken, fields: tuple[str, ...]) -> Turned:
        """Of `exactly` whatever is gone, or says something else in one of its fields."""
        where = self.judge.asked(one).where
        other = " OR ".join(f"x.a_{name} IS DISTINCT FROM w.a_{name}" for name in fields)
        rows = self.pairs.rows(
            f"SELECT DISTINCT fault FROM {broken.table(one.needs_peer)} x JOIN "
            f"(SELECT *, {where} AS was FROM {self.judge.table(one)}) w USING (id) "
            f"WHERE was AND (NOT x.a_here OR {other})"
        )
        return {row["fault"]: Verdict.FAIL for row in rows}

    def some_turned(self, one: Expectation, broken: _Broken, good: Result) -> Turned:
        """Of `some` only the records matter that a fault adds to those that match, or takes from them."""
        met, whole = self.met(one), self.judge.table(one)
        rows = self.pairs.rows(
            f"SELECT fault, count(*) FILTER ({met}) - count(DISTINCT id) FILTER (was) AS more "
            f"FROM (SELECT x.*, coalesce(w.was, false) AS was FROM {broken.table(one.needs_peer)} x "
            f"LEFT JOIN (SELECT id, {met} AS was FROM {whole}) w USING (id)) GROUP BY fault"
        )
        return {row["fault"]: Verdict.FAIL for row in rows if good.found + row["more"] <= 0}

    def met(self, one: Expectation) -> str:
        """Whether a record counts, as SQL."""
        asked = self.judge.asked(one)
        return f"(a_here AND {asked.where}" + (f" AND {asked.demand})" if one.quantifier == "some" else ")")

    def counts_turned(self, one: Expectation, broken: _Broken) -> Iterator[tuple[int, Verdict]]:
        """Of what counts, only the groups that a fault touches are counted again."""
        columns = [resolver(AFTER)(path) or "NULL" for path in one.per]
        columns += [resolver(AFTER)(one.of) or "NULL"] if one.of else [f"a_{key}" for key in one.kind.keys]
        asked, at = f"id, {', '.join(columns)}", 1 + len(one.per)
        groups: dict[tuple[Any, ...], Counter[tuple[Any, ...]]] = defaultdict(Counter)
        was: dict[int, tuple[tuple[Any, ...], tuple[Any, ...]]] = {}
        for row in self.pairs.fetched(f"SELECT {asked} FROM {self.judge.table(one)} WHERE {self.met(one)}"):
            was[row[0]] = (row[1:at], row[at:])
            groups[row[1:at]][row[at:]] += 1
        changed: dict[int, dict[tuple[Any, ...], Counter[tuple[Any, ...]]]] = defaultdict(lambda: defaultdict(Counter))
        taken: set[tuple[int, int]] = set()
        table = broken.table(one.needs_peer)
        for fault, met, *rest in self.pairs.fetched(f"SELECT fault, {self.met(one)}, {asked} FROM {table}"):
            row = tuple(rest)
            if row[0] in was and (fault, row[0]) not in taken:
                taken.add((fault, row[0]))
                same, item = was[row[0]]
                changed[fault][same][item] -= 1
            if met:
                changed[fault][row[1:at]][row[at:]] += 1
        known = {group.same: group for group in self.judge.counting.groups(one)}
        for fault, touched in changed.items():
            verdicts = []
            for same, delta in touched.items():
                if any(delta.values()):
                    left = Counter(groups.get(same, {}))
                    left.update(delta)
                    verdicts.append(self.recounted(one, known.get(same, Group(same)), left))
            if (found := worst(verdicts)) is not Verdict.PASS:
                yield fault, found

    def recounted(self, one: Expectation, group: Group, items: Counter[tuple[Any, ...]]) -> Verdict:
        """The verdict on a group with other records in it."""
        there = [n for n in items.values() if n > 0]
        if not there and any(path[0] not in ("label", "device") for path in one.per):
            return Verdict.PASS  # what nobody says is not counted
        counts = {**group.counts, "n": len(there), "hops": sum(there)}
        return self.judge.counting.verdict(one, replace(group, counts=counts))

    def differing(self, wanted: set[int]) -> set[int]:
        """Which of these faults leave a difference that no entry explains, or that one explains besides its number."""
        found = set()
        counted = self.accounted()
        left: dict[int, list[Difference]] = defaultdict(list)
        causes: dict[int, list[Difference]] = defaultdict(list)
        for name, broken in self.broken.items():
            if not wanted & broken.touched_faults or not KINDS[name].compared:
                continue
            explained = {
                n: broken.keys_where(self.judge.explaining(one))
                for n, one in enumerate(self.asked.explain)
                if one.kind.name == name
            }
            for fault, difference in broken.differences(wanted):
                key = difference.identity[1]
                by = [
                    n
                    for n, keys in explained.items()
                    if self.asked.explain[n].what in (None, difference.what) and (fault, *key) in keys
                ]
                if any(n in counted and _identity(difference) not in counted[n] for n in by):
                    found.add(fault)
                if not by:
                    left[fault].append(difference)
                elif any(self.asked.explain[n].consequences for n in by):
                    causes[fault].append(difference)
        return found | {fault for fault, several in left.items() if several and not self.follow(several, causes[fault])}

    def follow(self, left: list[Difference], causes: list[Difference]) -> bool:
        """Whether all that a fault leaves unexplained follows from what an entry explains with its consequences."""
        if not any(one.consequences for one in self.asked.explain):
            return False
        touched = {one.identity for one in (*left, *causes)}
        others = [one for one in self.good_causes if one.identity not in touched]
        every = [*others, *causes, *left]
        follows = self.consequences.among(every).of(range(len(others) + len(causes)))
        return all(n in follows for n in range(len(every) - len(left), len(every)))

    @cached_property
    def consequences(self) -> Consequences:
        return Consequences(self.pairs, ())

    @cached_property
    def good_causes(self) -> list[Difference]:
        """The differences without a fault that entries explain with their consequences, and these."""
        every = self.explaining.comparison.differences
        causes = {n for one in self.asked.explain if one.consequences for n in self.explaining.matched(one)}
        follows = self.consequences.among(every).of(causes)
        return [every[n] for n in sorted({*causes, *follows})]

    @cached_property
    def explaining(self) -> Explaining:
        """The differences without a fault, to be explained."""
        return Explaining(self.judge, compare_pairs(self.pairs))

    def accounted(self) -> dict[int, set[tuple[Any, ...]]]:
        """For each entry that says how many differences it explains, those that it does without a fault."""
        return {
            n: {_identity(self.explaining.comparison.differences[k]) for k in self.explaining.matched(one)}
            for n, one in enumerate(self.asked.explain)
            if one.times is not None
        }


class _Broken:
    """The rows of one kind as the faults leave them."""

    def __init__(self, pairs: Pairs, kind: Kind, changes: list[tuple[int, Change]]) -> None:
        self.pairs, self.kind, self.changes = pairs, kind, changes
        self.name = f"broken_{kind.name}"
        self.touched = self._make(self.name, pairs.table(kind), ("a",))
        self.with_peers = False

    @cached_property
    def touched_faults(self) -> set[int]:
        return set(self.touched)

    def table(self, peers: bool) -> str:
        if peers and not self.with_peers:
            self._make(f"{self.name}_peers", self.pairs.with_peers(self.kind), ("a", "p"))
            self.with_peers = True
        return f"{self.name}_peers" if peers else self.name

    def _make(self, name: str, table: str, sides: tuple[str, ...]) -> list[int]:
        """Makes a table of broken rows out of one of whole rows; the fault of each whole row that one touches."""
        import pyarrow as pa

        database = self.pairs.database
        whole: pa.Table = database.sql(f"SELECT * FROM {table}").to_arrow_table()
        taken: list[int] = []
        faults: list[int] = []
        touched: list[int] = []
        values: dict[str, dict[int, Any]] = defaultdict(dict)
        for letter in sides:
            index = _Index(whole, letter)
            for fault, change in self.changes:
                for row in index.rows(change):
                    touched.append(fault)
                    for changed in _changed(change, letter, self.kind):
                        for column, value in changed.items():
                            values[column][len(taken)] = value
                        taken.append(row)
                        faults.append(fault)
        broken = _with(whole.take(pa.array(taken, pa.int64())), values, faults)
        database.register("given", broken)
        database.execute(f"CREATE TABLE {name} AS SELECT * FROM given")
        database.unregister("given")
        return touched

    def keys_where(self, condition: str) -> set[tuple[Any, ...]]:
        """The faults and keys of the rows of which this is true."""
        keys = ", ".join(f"coalesce(a_{key}, b_{key})" for key in self.kind.keys)
        peers = "p_" in condition or "q_" in condition
        return set(
            self.pairs.database.execute(f"SELECT fault, {keys} FROM {self.table(peers)} WHERE {condition}").fetchall()
        )

    def differences(self, wanted: set[int]) -> Iterator[tuple[int, Difference]]:
        """The differences that faults leave in the rows that they touch."""
        rows: dict[int, list[dict[str, Any]]] = defaultdict(list)
        for row in self.pairs.rows(f"SELECT * FROM {self.name}"):
            if row["fault"] in wanted:
                rows[row["fault"]].append(row)
        for fault, several in rows.items():
            for difference in differences(self.kind, several):
                yield fault, difference


class _Index:
    """Finds the rows of a table that a change is about, by whatever fields it names."""

    def __init__(self, table: pa.Table, letter: str) -> None:
        self.table, self.letter = table, letter
        self.known: dict[tuple[str, ...], dict[tuple[Any, ...], list[int]]] = {}

    def rows(self, change: Change) -> list[int]:
        names = tuple(change.match)
        if names not in self.known:
            columns = [self.table.column(f"{self.letter}_{name}").to_pylist() for name in names]
            here = self.table.column("a_here").to_pylist()
            found: dict[tuple[Any, ...], list[int]] = defaultdict(list)
            for n, values in enumerate(zip(*columns, strict=True)):
                if here[n]:
                    found[values].append(n)
            self.known[names] = found
        return self.known[names].get(tuple(change.match.values()), [])


def _changed(change: Change, letter: str, kind: Kind) -> list[dict[str, Any]]:
    """What becomes of a row: other values, nothing, or, where it is another record then, nothing and a new one."""
    gone = {"a_here": False} if letter == "a" else {f"{letter}_{name}": None for name in kind.fields}
    if change.fields is None:
        return [gone]
    fields = {f"{letter}_{name}": value for name, value in change.fields.items()}
    if letter != "a" or not set(change.fields) & {*kind.keys, *kind.members}:
        return [fields]
    return [gone, {**fields, "id": NEW, "b_here": False, **{f"b_{name}": None for name in kind.fields}}]


def _with(table: pa.Table, values: dict[str, dict[int, Any]], faults: list[int]) -> pa.Table:
    """A table with some values replaced, and the number of the fault of each row."""
    import pyarrow as pa

    for name, replaced in values.items():
        column = table.column(name).to_pylist()
        for n, value in replaced.items():
            column[n] = value.replace(tzinfo=None) if hasattr(value, "tzinfo") else value
        at = table.schema.get_field_index(name)
        table = table.set_column(at, table.schema.field(at), pa.array(column, table.schema.field(at).type))
    return table.append_column("fault", pa.array(faults, pa.int32()))


def _tried(fault: Fault, by: list[tuple[str, Verdict]], breaks: int) -> Tried:
    open_ = bool(by) and all(verdict is Verdict.UNPROVEN for _, verdict in by)
    return Tried(fault, tuple(title for title, _ in by), open_, breaks)


def _identity(difference: Difference) -> tuple[Any, ...]:
    return (difference.what, *difference.identity[1])
