"""The records of two captures side by side in one database: each record after with the same record before.

Everything that is judged is asked of these tables. They are made once a kind, when first asked for; the database
can reach nothing outside itself.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nogging.captures.capture import Capture, taken_together
from nogging.captures.kept import UNREAD
from nogging.captures.saved import opened, opened_together
from nogging.errors import QuestionError
from nogging.judging.gaps import gaps
from nogging.predicates import NamePath, Predicate, Schema, computed, holds, identifier, quoted
from nogging.predicates.database import computing, know_addresses, naive
from nogging.predicates.tree import Doubt, PredicateNode, Resolve
from nogging.records import KINDS, Field, Kind, Nature, Type
from nogging.records.field import SKEW, label_field
from nogging.routing.links import links

if TYPE_CHECKING:
    import duckdb
    import numpy as np
    import pyarrow as pa

AFTER, BEFORE = "after", "before"

ELAPSED = "elapsed"
_ELAPSED = Field(ELAPSED, Type.NUMBER, Nature.NOTE, "the time between the answers before and after", unit="s")
_CLEARED = "discontinuity_time"
LONG = 20_000
"""As many records of a kind are a long table."""


def pairs_of(before: Capture | str | Path | None, after: Capture | str | Path) -> Pairs:
    """Two captures, or what captures are made of, side by side; `CaptureError` and `QuestionError` as `opened` has."""
    if before is None:
        return Pairs(opened(after))
    early, late = opened_together(before, after)
    return Pairs(late, early)


class Pairs:
    """A capture after a change and, where there is one, the capture from before it."""

    def __init__(self, after: Capture, before: Capture | None = None) -> None:
        self.after, self.before = after, before
        if before is not None:
            taken_together([before, after])
        self.made: set[str] = set()
        self.doubled: dict[str, list[dict[str, Any]]] = {}
        self.known_unread: dict[tuple[str, str], bool] = {}
        self.known_blind: dict[tuple[str, str], list[str]] = {}
        self.known_alone: dict[tuple[str, str], str] = {}

    @cached_property
    def database(self) -> duckdb.DuckDBPyConnection:
        return computing()

    @cached_property
    def labels(self) -> list[str]:
        """Every label that a device of either capture bears."""
        captures = [capture for capture in (self.after, self.before) if capture is not None]
        labels = {label for capture in captures for device in capture.devices.values() for label in device.labels}
        return sorted(label.lower() for label in labels)

    def schema(self, kind: Kind) -> Schema:
        """What a predicate over a record of this kind may speak of."""
        fields: dict[NamePath, Field] = {(name,): field for name, field in kind.fields.items()}
        fields |= {("before", name): field for name, field in kind.fields.items()}
        if kind.peers:
            fields |= {("peer", name): field for name, field in kind.fields.items()}
        return fields | {(ELAPSED,): _ELAPSED} | self.label_schema()

    def label_schema(self) -> dict[NamePath, Field]:
        return {("label", label): label_field(label) for label in self.labels}

    def acknowledge(self, knows: Callable[[str, str, str], bool]) -> int:
        """Takes the unread lines that are known (dialect, command, line) as if they had been read; how many there are.
        Only before anything is asked."""
        assert not self.made - {"labels"}, "what was asked already took the lines as unread"
        self.after, left = _without(self.after, knows)
        if self.before is not None:
            self.before, more = _without(self.before, knows)
            left += more
        return left

    def facts(self, device: str) -> dict[NamePath, str]:
        """What is known of a device without any answer of it: its name and its labels."""
        captures = [capture for capture in (self.after, self.before) if capture is not None]
        entry = next((capture.devices[device] for capture in captures if device in capture.devices), None)
        labels = {label.lower(): value for label, value in entry.labels.items()} if entry else {}
        return {("device",): device, **{("label", label): labels.get(label, "") for label in self.labels}}

    def devices_where(self, where: Predicate) -> dict[str, bool | None]:
        """Whether a condition holds of each device after, as far as its name and its labels tell."""
        names = list(self.after.devices)
        return dict(zip(names, holds(where, [self.facts(name) for name in names]), strict=True))

    def devices_with(self, where: Predicate | None) -> list[str]:
        """The devices that could have a record of which a condition holds."""
        if where is None:
            return list(self.after.devices)
        return [name for name, might in self.devices_where(where).items() if might is not False]

    def value(self, node: PredicateNode, device: str) -> Any:
        """What a value that varies by device is for this one; None where nothing says."""
        facts = self.facts(device)
        return computed(f"SELECT {Predicate('', node).sql(lambda path: quoted(facts[path]))}")

    def rows(self, sql: str) -> list[dict[str, Any]]:
        """The rows of a query, as dictionaries; `QuestionError` for a condition that cannot be computed."""
        import duckdb

        try:
            cursor = self.database.execute(sql)
        except (duckdb.InvalidInputException, duckdb.OutOfRangeException, duckdb.ConversionException) as error:
            raise QuestionError(f"a condition cannot be computed: {error}") from None
        names = [column[0] for column in cursor.description or ()]
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]

    def fetched(self, sql: str) -> list[tuple[Any, ...]]:
        """The rows of a query, as they are."""
        return list(self.database.execute(sql).fetchall())

    def table(self, kind: Kind) -> str:
        """The name of the table of pairs of a kind: columns `a_<field>`, `b_<field>`, `a_here`, `b_here`, `a_unread`,
        `b_unread` (whether unread lines stand within the record) and `l_<label>`."""
        name = f"pairs_{kind.name}"
        if name not in self.made:
            self.made.add(name)
            self._make(kind, name)
        return name

    def resolver(self, side: str, kind: Kind) -> Resolve:
        """Names of a predicate as columns of a kind's table of pairs, with the record taken from one side.

        A counter that was cleared or began again in between is judged by what it shows after: before, it was nothing.
        """
        plain = resolver(side)
        counters = set(kind.named(Nature.COUNTER)) if side == AFTER else set()
        began = f"a_{_CLEARED} IS NOT NULL AND epoch(a_{_CLEARED}) - coalesce(epoch(b_{_CLEARED}), 0) > {SKEW}"

        def resolve(path: NamePath) -> str | None:
            if path[0] != "before" or path[-1] not in counters:
                return plain(path)
            before, after = identifier("b_" + path[1]), identifier("a_" + path[1])
            anew = f"{after} < {before}" + (f" OR ({began})" if _CLEARED in kind.fields else "")
            return f"(CASE WHEN {before} IS NOT NULL AND ({anew}) THEN 0 ELSE {before} END)"

        return resolve

    def doubt(self, side: str, kind: Kind) -> Doubt:
        """When a null in a kind's table of pairs is not known to be none: an unread line may hold the value, or the
        other end, or the record from before, is not known."""

        def doubt(path: NamePath) -> str | None:
            if path[0] == "label" or path in ((ELAPSED,), ("device",)):
                return None
            if path[0] == "peer":
                return f"({'p' if side == AFTER else 'q'}_device IS NULL AND NOT ({self._alone(kind, side)}))"
            of = BEFORE if path[0] == "before" else side
            conditions = self._unread(kind, of, path[-1])
            if path[0] == "before" and side == AFTER:
                conditions += self._blind_before(kind)
            return " OR ".join(conditions) or None

        return doubt

    def _alone(self, kind: Kind, side: str) -> str:
        """When it is known that nothing is at the other end, or nothing of the capture's: where the device hears others
        by LLDP and nobody on this port, and, of sessions, where every address of the capture is known."""
        capture = self.after if side == AFTER else self.before
        if capture is None:
            return "false"
        if (kind.name, side) not in self.known_alone:
            lacking = gaps(capture, "neighbor", side)
            deaf = {gap.device for gap in lacking if gap.known.get("protocol", "lldp") == "lldp"}
            rows = capture.records("neighbor").select(["device", "protocol"]).to_pylist()
            hearing = {row["device"] for row in rows if row["protocol"] == "lldp"} - deaf
            heard = f"device IN ({', '.join(map(quoted, sorted(hearing)))})" if hearing else "false"
            if kind.name == "neighbor":
                letter, whole = letter_of(side), str(not gaps(capture, "address", side)).lower()
                session = f"coalesce({letter}_protocol IN ('bgp', 'bfd'), false)"
                heard = f"CASE WHEN {session} THEN {whole} ELSE {heard} END"
            self.known_alone[kind.name, side] = heard
        return self.known_alone[kind.name, side]

    def _unread(self, kind: Kind, side: str, field: str) -> list[str]:
        """When a value is null perhaps for no other reason than that nobody could read it."""
        letter = letter_of(side)
        if not self.has_unread(kind, side):
            return []
        return [f"({letter}_unread AND {identifier(f'{letter}_{field}')} IS NULL)"]

    def _blind_before(self, kind: Kind) -> list[str]:
        """Where no record from before is no proof that there was none."""
        if self.before is None:
            return ["true"]
        if (kind.name, BEFORE) not in self.known_blind:
            lacking = [gap.device for gap in gaps(self.before, kind.name, BEFORE, self.after) if not gap.tells]
            self.known_blind[kind.name, BEFORE] = sorted(set(lacking))
        names = ", ".join(quoted(name) for name in self.known_blind[kind.name, BEFORE])
        return [f"(NOT b_here AND device IN ({names}))"] if names else []

    def has_unread(self, kind: Kind, side: str) -> bool:
        """Whether unread lines stand within any record of a kind."""
        if (kind.name, side) not in self.known_unread:
            capture = self.after if side == AFTER else self.before
            kinds = capture.records(UNREAD).column("kind").to_pylist() if capture is not None else []
            self.known_unread[kind.name, side] = kind.name in kinds
        return self.known_unread[kind.name, side]

    def differing(self, kind: Kind) -> str:
        """A table of pairs with the records of all keys that could differ, at least: for comparing, which needs no
        others. Of long tables most are the same, and are never put side by side."""
        name = f"changed_{kind.name}"
        if name in self.made:
            return name
        long = self.before is not None and self.after.count(kind.name) >= LONG
        if not long or not kind.members or f"pairs_{kind.name}" in self.made or not self._narrowed(kind):
            return self.table(kind)
        self.made.add(name)
        self._joined(kind, name, f"some_{AFTER}_{kind.name}", f"some_{BEFORE}_{kind.name}")
        return name

    def _narrowed(self, kind: Kind) -> bool:
        """Makes tables of the records of each side whose key differs; False where only all of them will do."""
        if any(self.has_unread(kind, side) for side in (AFTER, BEFORE)):
            return False
        assert self.before is not None
        given = {BEFORE: naive(self.before.coded(kind.name)), AFTER: naive(self.after.coded(kind.name))}
        for side, records in given.items():
            self.database.register(f"given_{side}", numbered(records))
        marks = [self._marks(kind, f"given_{side}") for side in given]
        told_once = all(map(_all_different, marks))
        if told_once:
            self._differing_keys(kind, given, marks)
            self._narrow(kind, given)
        for side in given:
            self.database.unregister(f"given_{side}")
        return told_once

    def _marks(self, kind: Kind, table: str) -> np.ndarray:
        """A number for each record of a table, the same where the key is the same."""
        keys = ", ".join(identifier(key) for key in kind.identity)
        return self.database.execute(f"SELECT hash({keys}) AS mark FROM {table}").fetchnumpy()["mark"]

    def _differing_keys(self, kind: Kind, given: dict[str, pa.Table], marks: list[np.ndarray]) -> None:
        """Makes a table of the keys that differ, of tables in which no key is told twice."""
        from nogging.judging.alignment import unlike

        told = [*kind.identity, *kind.named(Nature.STATE)]
        left = unlike(*(table.select(told) for table in given.values()), *marks)
        for (side, records), rows in zip(given.items(), left, strict=True):
            self.database.register(f"left_{side}", uncoded(records.filter(rows)))
        same = " AND ".join(f"a.{identifier(key)} IS NOT DISTINCT FROM b.{identifier(key)}" for key in kind.identity)
        keys = ", ".join(f"coalesce(a.{key}, b.{key}) AS {key}" for key in map(identifier, kind.keys))
        moved = [f"a.{identifier(field)} IS DISTINCT FROM b.{identifier(field)}" for field in kind.named(Nature.STATE)]
        self.database.execute(
            f"CREATE OR REPLACE TEMP TABLE keys AS SELECT DISTINCT {keys} "
            f"FROM left_{AFTER} a FULL OUTER JOIN left_{BEFORE} b ON {same} "
            f"WHERE {' OR '.join(['a.device IS NULL', 'b.device IS NULL', *moved])}"
        )
        for side in given:
            self.database.unregister(f"left_{side}")

    def _narrow(self, kind: Kind, given: dict[str, pa.Table]) -> None:
        """Makes the tables of the records that have these keys."""
        mine = " AND ".join(f"k.{identifier(key)} IS NOT DISTINCT FROM g.{identifier(key)}" for key in kind.keys)
        for side, records in given.items():
            rows = self.database.execute(f"SELECT g.n FROM given_{side} g SEMI JOIN keys k ON {mine} ORDER BY g.n")
            self.database.register("given", uncoded(records.take(rows.fetchnumpy()["n"])))
            self.database.execute(
                f"CREATE OR REPLACE TEMP TABLE some_{side}_{kind.name} AS SELECT *, false AS unread FROM given"
            )
            self.database.unregister("given")
        self.doubled.setdefault(kind.name, [])

    def with_peers(self, kind: Kind) -> str:
        """The same table with the record at the other end besides, `p_<field>` and, from before, `q_<field>`: null
        where no peer is known, and a row for each where there are several."""
        name = f"pairs_{kind.name}_peers"
        if name not in self.made:
            self.made.add(name)
            table = self.table(kind)
            joined = "".join(
                f" LEFT JOIN {self._peers(kind, side)} {peer} ON "
                + " AND ".join(f"{peer}.k_{key} IS NOT DISTINCT FROM t.{own}_{key}" for key in kind.keys)
                for side, own, peer in ((AFTER, "a", "p"), (BEFORE, "b", "q"))
            )
            columns = "".join(
                f", {peer}.{identifier(field)} AS {peer}_{field}" for peer in ("p", "q") for field in kind.fields
            )
            self.database.execute(f"CREATE TEMP TABLE {name} AS SELECT t.*{columns} FROM {table} t{joined}")
        return name

    def _peers(self, kind: Kind, side: str) -> str:
        """A table of one side's records, each with the key (`k_`) of a record that it is the peer of."""
        name, address = f"peers_{side}_{kind.name}", KINDS["address"]
        know_addresses()
        self._links(side)
        if kind.name == "neighbor":
            self.table(address)
        columns = ", ".join(f"r.{identifier(key)} AS k_{key}" for key in kind.keys)
        selects = [
            f"SELECT DISTINCT {columns}, p.* REPLACE (p.line::INTEGER[] AS line) FROM {side}_{kind.name} r {join}"
            for join in kind.peers
        ]
        sql = " UNION ALL ".join(selects).format(side=side)
        self.database.execute(f"CREATE TEMP TABLE {name} AS {sql}")
        return name

    def _links(self, side: str) -> None:
        if f"links_{side}" in self.made:
            return
        self.made.add(f"links_{side}")
        import pyarrow as pa

        capture = self.after if side == AFTER else self.before
        ends = links(capture) if capture else []
        names = ("device", "interface", "peer_device", "peer_interface")
        table = pa.table({name: pa.array([getattr(link, name) for link in ends], pa.string()) for name in names})
        self.database.register("found", table)
        self.database.execute(f"CREATE TEMP TABLE links_{side} AS SELECT * FROM found")
        self.database.unregister("found")

    def _make(self, kind: Kind, name: str) -> None:
        sides = {AFTER: self.after, BEFORE: self.before}
        for side, capture in sides.items():
            self._load(kind, f"{side}_{kind.name}", capture if side == AFTER or kind.compared else None, side)
        self._joined(kind, name, f"{AFTER}_{kind.name}", f"{BEFORE}_{kind.name}")

    def _joined(self, kind: Kind, name: str, after: str, before: str) -> None:
        """Two tables of records as a table of pairs."""
        keys = kind.identity
        matched = " AND ".join(f"a.{identifier(key)} IS NOT DISTINCT FROM b.{identifier(key)}" for key in keys)
        columns = ", ".join(
            f"{letter}.{identifier(field)} AS {identifier(f'{letter}_{field}')}"
            for letter in ("a", "b")
            for field in (*kind.fields, "unread")
        )
        labels = "".join(
            f", coalesce(l.{identifier(label)}, '') AS {identifier('l_' + label)}" for label in self.labels
        )
        self._label_table()
        self._time_table()
        self.database.execute(
            f"CREATE TEMP TABLE {name} AS SELECT row_number() OVER () AS id, coalesce(a.device, b.device) AS device, "
            f"a.device IS NOT NULL AS a_here, b.device IS NOT NULL AS b_here, {columns}{labels}, "
            f"ta.said - tb.said AS a_{ELAPSED}, ta.said - tb.said AS b_{ELAPSED} "
            f"FROM {after} a FULL OUTER JOIN {before} b ON {matched} "
            f"LEFT JOIN labels l ON l.device = coalesce(a.device, b.device) "
            f"LEFT JOIN times ta ON ta.side = '{AFTER}' AND ta.device = a.device AND ta.answer = a.answer "
            f"LEFT JOIN times tb ON tb.side = '{BEFORE}' AND tb.device = b.device AND tb.answer = b.answer "
            f"ORDER BY device"  # what an expectation says of devices lets the database pass over the others' blocks
        )

    def _load(self, kind: Kind, name: str, capture: Capture | None, side: str) -> None:
        """One side's records, without those whose key occurs a second time: they are kept apart and told."""
        from nogging.records.tables import table

        records = capture.records(kind.name) if capture is not None else table(kind, [])
        unread = capture.records(UNREAD) if capture is not None else None
        keys = ", ".join(identifier(key) for key in kind.identity)
        self.database.register("given", naive(records))
        if not (capture and self.has_unread(kind, side)) and _all_different(self._marks(kind, "given")):
            self.database.execute(f"CREATE TEMP TABLE {name} AS SELECT *, false AS unread FROM given")
            self.database.unregister("given")
            self.doubled.setdefault(kind.name, [])
            return
        marks = ", ".join(f"{identifier(field)}: {identifier(field)}" for field in kind.named(Nature.STATE))
        states = f"{{{marks}}}" if marks else "true"
        self.database.execute(
            f"CREATE TEMP TABLE numbered AS SELECT *, row_number() OVER same AS n, "
            f"{states} IS NOT DISTINCT FROM first_value({states}) OVER same AS again FROM given "
            f"WINDOW same AS (PARTITION BY {keys} ORDER BY answer, line[1])"
        )
        self.database.unregister("given")
        # a next hop that is told twice in the same words is in the set once: some daemons do that after a link flapped
        told_twice = "n > 1 AND NOT again" if kind.members else "n > 1"
        doubled = self.rows(
            f"SELECT * EXCLUDE (n, again) FROM numbered WHERE {told_twice} ORDER BY device, answer, line[1] LIMIT 100"
        )
        self.doubled.setdefault(kind.name, []).extend({**row, "when": side} for row in doubled)
        within = "false"
        if unread is not None and unread.num_rows:
            self.database.register("lines", unread)
            self.database.execute(
                "CREATE TEMP TABLE around AS "
                f"SELECT DISTINCT device, answer, within FROM lines WHERE kind = '{kind.name}'"
            )
            self.database.unregister("lines")
            within = (
                "EXISTS (SELECT 1 FROM around u WHERE u.device = numbered.device AND u.answer = numbered.answer "
                "AND u.within = numbered.line[1])"
            )
        self.database.execute(
            f"CREATE TEMP TABLE {name} AS SELECT * EXCLUDE (n, again), {within} AS unread FROM numbered WHERE n = 1"
        )
        self.database.execute("DROP TABLE numbered; DROP TABLE IF EXISTS around")

    def _time_table(self) -> None:
        """When each answer was there, in seconds since 1970."""
        if "times" in self.made:
            return
        self.made.add("times")
        self.database.execute("CREATE TEMP TABLE times (side VARCHAR, device VARCHAR, answer VARCHAR, said DOUBLE)")
        rows = [
            (side, device, command, entry.ended().timestamp())
            for side, capture in ((AFTER, self.after), (BEFORE, self.before))
            for device, asked_of in (capture.devices.items() if capture is not None else ())
            for command, entry in asked_of.commands.items()
            if entry.started
        ]
        if rows:
            columns = [list(column) for column in zip(*rows, strict=True)]  # Arrow would import pandas to take them
            self.database.execute("INSERT INTO times SELECT unnest(?), unnest(?), unnest(?), unnest(?)", columns)

    def _label_table(self) -> None:
        if "labels" in self.made:
            return
        self.made.add("labels")
        columns = ", ".join(["device VARCHAR", *(f"{identifier(label)} VARCHAR" for label in self.labels)])
        self.database.execute(f"CREATE TEMP TABLE labels ({columns})")
        captures = [capture for capture in (self.before, self.after) if capture is not None]
        devices = {name: device.labels for capture in captures for name, device in capture.devices.items()}
        places = ", ".join("?" * (len(self.labels) + 1))
        for name, labels in devices.items():
            lowered = {label.lower(): value for label, value in labels.items()}
            self.database.execute(
                f"INSERT INTO labels VALUES ({places})",
                [name, *(lowered.get(label, "") for label in self.labels)],
            )


def _without(capture: Capture, knows: Callable[[str, str, str], bool]) -> tuple[Capture, int]:
    """The same capture without the unread lines that are known, and how many those are."""
    unread = capture.records(UNREAD)
    kept = [not knows(capture.devices[row["device"]].dialect, row["answer"], row["text"]) for row in unread.to_pylist()]
    if all(kept):
        return capture, 0
    return capture.with_records({UNREAD: unread.filter(kept)}), kept.count(False)


def uncoded(table: pa.Table) -> pa.Table:
    """A table with all words written out."""
    import pyarrow as pa

    return table.cast(
        pa.schema(
            [
                field.with_type(field.type.value_type) if pa.types.is_dictionary(field.type) else field
                for field in table.schema
            ]
        )
    )


def numbered(table: pa.Table) -> pa.Table:
    """A table with the number of each row as a column `n` besides."""
    import numpy as np
    import pyarrow as pa

    return table.append_column("n", pa.array(np.arange(table.num_rows)))


def _all_different(marks: np.ndarray) -> bool:
    ordered = marks.copy()
    ordered.sort()
    return not bool((ordered[1:] == ordered[:-1]).any())


def letter_of(side: str) -> str:
    """What the columns of one side begin with."""
    return "a" if side == AFTER else "b"


def resolver(side: str) -> Resolve:
    """Names of a predicate as columns of a table of pairs, with the record taken from one side.

    Asked of the side before, `before.` is that same record.
    """
    letter = letter_of(side)

    def resolve(path: NamePath) -> str:
        if path[0] == "label":
            return identifier("l_" + path[1])
        if path[0] == "before" and len(path) == 2:
            return identifier("b_" + path[1])
        if path[0] == "peer" and len(path) == 2:
            return identifier(("p_" if side == AFTER else "q_") + path[1])
        return identifier(f"{letter}_{path[0]}")

    return resolve


def side_of(row: dict[str, Any], letter: str, kind: Kind, fields: Sequence[str] | None = None) -> dict[str, Any]:
    """The record of one side out of a row of a table of pairs."""
    return {name: row[f"{letter}_{name}"] for name in (fields or kind.fields)}
