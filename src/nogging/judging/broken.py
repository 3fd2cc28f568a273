"""The records of a kind as faults leave them: copies of the rows that some fault touches, each with its number."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING, Any

from nogging.judging.asking import Asking
from nogging.judging.compare import differences
from nogging.judging.expectation import Expectation
from nogging.judging.faults import Alteration
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference, Verdict
from nogging.records import Kind

if TYPE_CHECKING:
    import pyarrow as pa

NEW = -1
"""The number of a row of pairs that is there only because of a fault."""
Turned = dict[int, Verdict]
"""The faults that turn an expectation, each with what it turns it to."""


def turned_rows(asking: Asking, expectation: Expectation, broken: Broken, in_order: str) -> Turned:
    """The faults after which a row is not in order, where each row is judged by itself."""
    waived = " OR ".join(asking.explaining(w) for w in asking.waivers if w.kind is expectation.kind) or "false"
    rows = asking.pairs.rows(
        f"SELECT fault, bool_or(NOT v) AS wrong FROM (SELECT fault, {in_order} AS v "
        f"FROM {broken.table(expectation.needs_peer)} WHERE ({waived}) IS NOT TRUE) WHERE v IS NOT TRUE GROUP BY fault"
    )
    return {row["fault"]: Verdict.FAIL if row["wrong"] else Verdict.UNPROVEN for row in rows}


class Broken:
    """The rows of one kind as the faults leave them."""

    def __init__(self, pairs: Pairs, kind: Kind, changes: list[tuple[int, Alteration]]) -> None:
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
        database.execute(f"CREATE TEMP TABLE {name} AS SELECT * FROM given")
        database.unregister("given")
        return touched

    def keys_where(self, condition: str) -> set[tuple[Any, ...]]:
        """The faults and keys of the rows of which this is true."""
        keys = ", ".join(f"coalesce(a_{key}, b_{key})" for key in self.kind.keys)
        peers = "p_" in condition or "q_" in condition
        return set(self.pairs.fetched(f"SELECT fault, {keys} FROM {self.table(peers)} WHERE {condition}"))

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

    def rows(self, change: Alteration) -> list[int]:
        names = tuple(change.match)
        if names not in self.known:
            columns = [self.table.column(f"{self.letter}_{name}").to_pylist() for name in names]
            here = self.table.column("a_here").to_pylist()
            numbers: dict[tuple[Any, ...], list[int]] = defaultdict(list)
            for n, values in enumerate(zip(*columns, strict=True)):
                if here[n]:
                    numbers[values].append(n)
            self.known[names] = numbers
        return self.known[names].get(tuple(change.match.values()), [])


def _changed(change: Alteration, letter: str, kind: Kind) -> list[dict[str, Any]]:
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
