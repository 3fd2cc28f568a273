"""A history asked as one: a table for each kind, over all time.

A row is a record for as long as it was as it was: from `valid_from` to `valid_to`, which is null where it still is.
`what` says how that began: `first` seen, `new`, `moved`, `restarted`, or `gone`: a row that says for how long nothing
was there, and has the key alone. The moments are those of the captures: what happened between two of them is told with
the later. Messages of logs do not last: they are there from the moment at which they were first seen (`logged`).
"""

from __future__ import annotations

import contextlib
from collections import defaultdict
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from nogging.captures.history import History, Turn
from nogging.errors import CaptureError
from nogging.judging.changed import FIRST, GONE, LASTING, LEFT, LOGGED, ChangedRecord
from nogging.predicates.database import naive
from nogging.records import Kind
from nogging.records.event import EVENT
from nogging.records.field import EVIDENCE, REMAINDER, Type
from nogging.records.joining import Row
from nogging.records.tables import table

if TYPE_CHECKING:
    import pyarrow as pa

WHAT, FROM, TO = "what", "valid_from", "valid_to"
AFTER = "after"
"""Of a row: when it was seen last that the record was as before, so that it changed later than this."""
RecordKey = tuple[Any, ...]
"""The values of a kind's keys, in their order."""


class Lasting:
    """The records of one kind, each while it is as it is."""

    def __init__(self, kind: Kind) -> None:
        self.kind = kind
        self.moments = [field.name for field in kind.fields.values() if field.type is Type.MOMENT]
        self.open: dict[RecordKey, list[Row]] = {}
        self.lives: dict[RecordKey, list[Row]] = defaultdict(list)
        """What became of each key, in the order of time."""
        self.of_device: dict[str, set[RecordKey]] = defaultdict(set)
        self.rows: list[Row] = []
        self.ended: pa.Table | None = None
        """Rows that ended before those, as a table."""

    def key(self, row: Row) -> RecordKey:
        """The key of a record."""
        return tuple(row.get(name) for name in self.kind.keys)

    def begin(self, change: ChangedRecord, at: datetime, key: RecordKey, rows: list[Row]) -> None:
        """The records of a key as they are from now on."""
        self.end(at, key)
        self.open[key] = self.add(change, at, rows)
        self.lives[key] += self.open[key]
        self.of_device[key[0]].add(key)

    def add(self, change: ChangedRecord, at: datetime, rows: list[Row]) -> list[Row]:
        beside: Row = {WHAT: str(change["what"]), FROM: at}
        if change.get(AFTER):
            beside[AFTER] = datetime.fromisoformat(change[AFTER])
        told = [
            {**row, **{name: datetime.fromisoformat(row[name]) for name in self.moments if name in row}, **beside}
            for row in rows
        ]
        self.rows += told
        return told

    def end(self, at: datetime, key: RecordKey) -> None:
        for row in self.open.pop(key, ()):
            row[TO] = at

    def leave(self, at: datetime, device: str) -> None:
        for key in self.of_device.pop(device, ()):
            self.end(at, key)

    def take(self, change: ChangedRecord, at: datetime) -> None:
        names, what = self.kind.keys, str(change["what"])
        if what == LOGGED:
            self.add(change, at, change["rows"])
            return
        if what != FIRST:
            key = change["key"]
            rows = (
                [{name: value for name, value in key.items() if value is not None}] if what == GONE else change["rows"]
            )
            self.begin(change, at, tuple(key.get(name) for name in names), rows)
            return
        self.leave(at, change["device"])
        lives: dict[RecordKey, list[Row]] = defaultdict(list)
        for row in change["rows"]:
            lives[self.key(row)].append(row)
        for key, rows in lives.items():
            self.begin(change, at, key, rows)

    def as_table(self) -> pa.Table:
        import pyarrow as pa

        left_out = [REMAINDER.name, *(field.name for field in EVIDENCE)]
        made = table(self.kind, self.rows)
        made = made.drop_columns([name for name in left_out if name in made.column_names])
        moment = pa.timestamp("us", "UTC")
        for name, type_ in ((WHAT, pa.string()), (FROM, moment), (TO, moment), (AFTER, moment)):
            made = made.append_column(name, pa.array([row.get(name) for row in self.rows], type_))
        made = naive(made)
        return made if self.ended is None else pa.concat_tables([self.ended, made])

    def go_on_from(self, known: pa.Table) -> None:
        """Takes up a table as it was made before: what still lasted in it goes on, what had ended stays as it is."""
        import pyarrow.compute as pc

        ended = pc.is_valid(known.column(TO)) if self.kind is not EVENT else pc.is_valid(known.column(FROM))
        self.ended = known.filter(ended)
        for row in rows_of(known.filter(pc.invert(ended))):
            self.rows.append(row)
            key = self.key(row)
            self.open.setdefault(key, []).append(row)
            self.of_device[row["device"]].add(key)

    @classmethod
    def whole(cls, kind: Kind, known: pa.Table) -> Lasting:
        """All of a table, row by row, with the life of each key."""
        lasting = cls(kind)
        lasting.rows = rows_of(known)
        for row in lasting.rows:
            lasting.lives[lasting.key(row)].append(row)
        return lasting


def rows_of(known: pa.Table) -> list[Row]:
    """The rows of a table over all time, as they were when it was made of them."""
    moments = [column.name for column in known.schema if str(column.type).startswith("timestamp")]
    rows = []
    for row in known.to_pylist():
        told = {name: value for name, value in row.items() if value is not None}
        rows.append(told | {name: told[name].replace(tzinfo=UTC) for name in moments if name in told})
    return rows


class OverTime:
    """A history over all time; what came since it was last looked at is taken in when it is looked at again."""

    def __init__(self, history: History) -> None:
        self.history = history
        self.lasting = {kind.name: Lasting(kind) for kind in (*LASTING, EVENT)}
        self.until: datetime | None = None

    def tables(self) -> dict[str, pa.Table]:
        """A table for each kind over all time, and `moment`: when was captured, and how many turns were missed before.
        Raises `CaptureError` for what nobody can have written."""
        import pyarrow as pa

        self.take_in()
        with self.understood():
            by_name = {name: of_kind.as_table() for name, of_kind in self.lasting.items()}
        turns = self.history.turns
        moments = {"at": pa.array([turn.at for turn in turns], pa.timestamp("us", "UTC"))}
        moments["missed"] = pa.array([turn.missed for turn in turns], pa.int64())
        return {**by_name, "moment": naive(pa.table(moments))}

    def go_on_from(self, tables: Mapping[str, pa.Table]) -> None:
        """Takes up the tables of an earlier time. The lives of what ended before are not known then."""
        for name, of_kind in self.lasting.items():
            of_kind.go_on_from(tables[name])
        known = tables["moment"].column("at").to_pylist()
        self.until = max((moment.replace(tzinfo=UTC) for moment in known), default=None)

    def take_in(self) -> None:
        """What came since it was last looked at. Raises `CaptureError` for what nobody can have written."""
        with self.understood():
            for turn in self.history.turns:
                self.take(turn)

    @contextlib.contextmanager
    def understood(self) -> Iterator[None]:
        try:
            yield
        except (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError) as error:
            raise CaptureError(
                f"{self.history.folder}: what it tells of changes cannot be understood: {error}"
            ) from None

    def take(self, turn: Turn) -> None:
        if self.until is not None and turn.at <= self.until:
            return
        for change in self.history.changes(turn):
            at = datetime.fromisoformat(change["at"])
            if self.until is not None and at <= self.until:
                continue
            if change["what"] == LEFT:
                for of_kind in self.lasting.values():
                    of_kind.leave(at, change["device"])
            elif change["kind"] in self.lasting:
                self.lasting[change["kind"]].take(change, at)
        self.until = turn.at
