"""The faults that a good capture is broken with, each with what the capture itself shows would follow from it.

Every kind is broken in every way that its fields allow: each record gone, each member lost or another one, each field
of state with another value, each gauge halved, each counter of faults grown, each timer begun anew, and each of these
not told any more. A fault is a list of changes to records. What follows is kept consistent as far as the records tell
(`rests_on`): a downed interface takes its neighbors, those of its other end, the sessions over its subnet and the next
hops through it along. What the network would do instead (other routes, other paths) is not in a capture, and is not
made up.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any

from nogging.judging.consequences import Consequences
from nogging.judging.pairs import Pairs
from nogging.predicates.tree import identifier
from nogging.records import KINDS, Field, Kind, Nature, Type
from nogging.records.field import LEVELS, REMAINDER
from nogging.records.joining import Row
from nogging.records.resting import NamedValues, covered, resting

MANY_MORE = 100_000
FAR_OFF = 10
"""How many times as far as it may go a measure is when it is off."""
LATER = timedelta(minutes=10)
MOST, MOST_OF_A_FIELD = 20, 3
"""Of the records of a device that say the same, not more are lost one by one, and not more are broken in each field."""
MOST_RECORDS = 200
"""Of the records of one kind of a device, not more are broken."""
MOST_SHOWN = 40
INSTEAD = "what the network would do instead"

WhichRecords = Mapping[str, Any]
"""Which records: the values that their fields have."""


@dataclass(frozen=True)
class Alteration:
    """Records of one kind that are gone (`fields` is None), or whose fields have other values."""

    kind: str
    match: WhichRecords
    fields: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Fault:
    """One fault: what becomes (`how`) of a record, or of one of its fields. `cannot_tell` what would follow and is not
    shown."""

    kind: str
    field: str
    how: str
    title: str
    changes: tuple[Alteration, ...]
    cannot_tell: str = ""

    @property
    def sort(self) -> str:
        """The class that it is counted under."""
        return " ".join(part for part in (self.kind, self.field, self.how) if part)


GONE, LOST, ELSEWHERE, CHANGED, GROWN, FEWER, OFF, ANEW, UNTOLD = (
    "gone",
    "lost",
    "replaced",
    "changed",
    "grown",
    "halved",
    "off",
    "begun anew",
    "not told",
)
"""What becomes of a record, of one of its members, of the value of a field."""
_TOLD = (Nature.STATE, *LEVELS, Nature.COUNTER, Nature.TIMER)


class Faults:
    """The faults that the records of one capture can be broken with; `left_out` are the records that nothing was done
    to, since others of the device say the same."""

    def __init__(self, pairs: Pairs) -> None:
        self.pairs = pairs
        self.left_out: Counter[str] = Counter()
        self._rows: dict[str, list[Row]] = {}
        self._by: dict[tuple[str, tuple[str, ...]], dict[tuple[Any, ...], list[Row]]] = {}
        self._names: dict[tuple[str, str], dict[str, NamedValues]] = {}
        self._members: dict[str, dict[str, list[tuple[Any, ...]]]] = {}

    def all(self) -> Iterator[Fault]:
        for kind in KINDS.values():
            if kind.compared:
                for rows, alike in self.chosen(kind):
                    yield from self.of(kind, rows, alike)

    def chosen(self, kind: Kind) -> Iterator[tuple[list[Row], int]]:
        """The records of a kind that are broken, each as its rows, and how many before it say the same."""
        keys = ", ".join(f"a_{key}" for key in kind.keys)
        alike = _struct([*kind.members, *kind.named(Nature.STATE)])
        whole = _struct([*kind.keys, *kind.members, *(field for field in kind.fields if field not in kind.identity)])
        sql = f"SELECT {keys}, list_sort(list({alike})) AS said, list_sort(list({whole})) AS rows "
        sql += f"FROM {self.pairs.table(kind)} WHERE a_here GROUP BY {keys}"
        sql = f"SELECT *, row_number() OVER (PARTITION BY a_device, said ORDER BY {keys}) - 1 AS alike FROM ({sql})"
        sql = f"SELECT *, row_number() OVER (PARTITION BY a_device ORDER BY alike, {keys}) AS place FROM ({sql})"
        rows = self.pairs.rows(f"SELECT rows, alike, place FROM ({sql}) ORDER BY {keys}")
        for row in rows:
            if row["alike"] < MOST and row["place"] <= MOST_RECORDS:
                yield row["rows"], row["alike"]
            else:
                self.left_out[kind.name] += 1

    def of(self, kind: Kind, rows: list[Row], alike: int) -> Iterator[Fault]:
        """All that one record can be broken by."""
        row, name = rows[0], _name(kind, rows[0])
        key = {name: row[name] for name in kind.keys}
        down = tuple(self.falls(kind, row))
        instead = INSTEAD if down else ""
        if not kind.of_answers:  # an answer that is not there is no fault of a record: it leaves unproven what it told
            yield Fault(kind.name, "", GONE, f"{name} is gone", (Alteration(kind.name, key), *down), instead)
        if alike >= MOST_OF_A_FIELD:
            return
        yield from self.members(kind, rows, name)
        for field in kind.fields.values():
            if field.nature in _TOLD and not field.follows_from and row[field.name] is not None:
                for how, value in self.broken(field, row):
                    said = f"{name}: {field.name} {how}: {_shown(value)} instead of {_shown(row[field.name])}"
                    fields = _with(kind, row, field, value)
                    falls = down if _ends(kind, row, fields) else ()
                    changes = (Alteration(kind.name, key, fields), *falls)
                    yield Fault(kind.name, field.name, how, said, changes, instead if falls else "")
                if field.name == REMAINDER.name:
                    continue  # it is told of every record, if only as no words
                untold = {
                    field.name: None,
                    **{follower.name: None for follower in kind.own if follower.follows_from == field.name},
                }
                said = f"{name}: {field.name} is not told any more"
                yield Fault(kind.name, field.name, UNTOLD, said, (Alteration(kind.name, key, untold),))

    def members(self, kind: Kind, rows: list[Row], name: str) -> Iterator[Fault]:
        """Each member lost, and each replaced by one that another record of the device has."""
        told = [row for row in rows if any(row[member] for member in kind.members)]
        for row in told:
            match = {field: row[field] for field in kind.identity}
            said = " ".join(str(row[member]) for member in kind.members if row[member])
            if len(rows) > 1:
                yield Fault(kind.name, "", LOST, f"{name} loses {said}", (Alteration(kind.name, match),))
            mine = {tuple(sibling[m] for m in kind.members) for sibling in rows}
            other = next((member for member in self.every_member(kind, row["device"]) if member not in mine), None)
            if other is not None:
                instead = dict(zip(kind.members, other, strict=True))
                title = f"{name} has {' '.join(str(part) for part in other if part)} instead of {said}"
                yield Fault(kind.name, "", ELSEWHERE, title, (Alteration(kind.name, match, instead),))

    def broken(self, field: Field, row: Row) -> Iterator[tuple[str, Any]]:
        """How a value goes wrong, and what it is then."""
        value = row[field.name]
        if field.nature is Nature.GAUGE and value:
            yield FEWER, value // 2 if field.type is Type.INTEGER else value / 2
        elif field.nature is Nature.MEASURE:
            yield OFF, value + FAR_OFF * field.tolerance
        elif field.nature is Nature.TIMER:
            yield ANEW, self.pairs.after.ended + LATER  # so that it is told from what is but young
        elif field.nature is Nature.STATE:
            yield from wrong(field, row)
        elif field.of_faults or field.of_changes:
            yield GROWN, value + (MANY_MORE if field.of_faults else 2)

    def falls(self, kind: Kind, row: Row) -> Iterator[Alteration]:
        """What falls with a record: what names it is gone, at both ends, and what is beyond an address is not well."""
        for end in [row, *self.other_ends(kind, row)]:
            if end is not row and (fields := unwell(kind, end)):
                yield Alteration(kind.name, _key(kind, end), fields)
            for other, field, name in self.naming(kind, end):
                yield Alteration(other.name, {"device": end["device"], field.name: name})
            for inner, inner_row in self.within(kind, end):
                yield from self.beyond(inner, inner_row)

    def beyond(self, kind: Kind, row: Row) -> Iterator[Alteration]:
        """What rests on a record that stays, but cannot be reached."""
        for other, field, name in self.naming(kind, row):
            for related in self.by(other, "device", field.name).get((row["device"], name), ()):
                if fields := unwell(other, related):
                    yield Alteration(other.name, _key(other, related), fields)

    def naming(self, kind: Kind, row: Row) -> Iterator[tuple[Kind, Field, str]]:
        """The kinds of records that name a record, by which field, and how."""
        for other, field, target in resting(kind):
            if other is not kind:  # over what else a route resolves is not known
                for name, _ in covered(kind, row, target, self.names(other, field).get(row["device"], NamedValues(()))):
                    yield other, field, name

    def within(self, kind: Kind, row: Row) -> Iterator[tuple[Kind, Row]]:
        """The records of other kinds that belong to a record, stay when it falls, and on which others rest."""
        for inner in KINDS.values():
            for field in inner.own if any(resting(inner)) else ():
                if field.refers.partition(".")[0] == kind.name and not field.rests_on:
                    at = row["device"], row[field.refers.partition(".")[2]]
                    yield from ((inner, related) for related in self.by(inner, "device", field.name).get(at, ()))

    def other_ends(self, kind: Kind, row: Row) -> list[Row]:
        keys = self.consequences.other_ends.get(kind.name, {}).get(tuple(row[name] for name in kind.keys), ())
        return [related for key in sorted(keys, key=str) for related in self.by(kind, *kind.keys).get(key, ())]

    @cached_property
    def consequences(self) -> Consequences:
        return Consequences(self.pairs, ())

    def rows(self, kind: Kind) -> list[Row]:
        if kind.name not in self._rows:
            self._rows[kind.name] = self.pairs.after.records(kind.name).to_pylist()
        return self._rows[kind.name]

    def by(self, kind: Kind, *names: str) -> dict[tuple[Any, ...], list[Row]]:
        """The records of a kind by what they have in some fields."""
        if (kind.name, names) not in self._by:
            by_names = self._by[kind.name, names] = defaultdict(list)
            for row in self.rows(kind):
                by_names[tuple(row[name] for name in names)].append(row)
        return self._by[kind.name, names]

    def names(self, kind: Kind, field: Field) -> dict[str, NamedValues]:
        """The names that the records of each device have in a field."""
        at = (kind.name, field.name)
        if at not in self._names:
            names_of: dict[str, list[str]] = defaultdict(list)
            column = identifier(f"a_{field.name}")
            table = self.pairs.table(kind)
            sql = f"SELECT DISTINCT a_device, {column} FROM {table} WHERE {column} IS NOT NULL ORDER BY ALL"
            for device, name in self.pairs.fetched(sql):
                names_of[device].append(str(name))
            self._names[at] = {device: NamedValues(names) for device, names in names_of.items()}
        return self._names[at]

    def every_member(self, kind: Kind, device: str) -> list[tuple[Any, ...]]:
        """The members that the records of a device have."""
        if kind.name not in self._members:
            members = self._members[kind.name] = defaultdict(list)
            columns = ", ".join(identifier(f"a_{member}") for member in kind.members)
            sql = f"SELECT DISTINCT a_device, {columns} FROM {self.pairs.table(kind)} WHERE a_here ORDER BY ALL"
            for of, *values in self.pairs.fetched(sql):
                if any(values):
                    members[of].append(tuple(values))
        return self._members[kind.name][device]


def unwell(kind: Kind, row: Row) -> Row:
    """The fields of a record that is not well any more; none where its kind knows no such thing."""
    fields: Row = {}
    for field in kind.own:
        if field.well is not None and field.moves_with and row[field.name] == field.well:
            source = kind.fields[field.follows_from] if field.follows_from else field
            for _, value in wrong(source, row):
                fields |= _with(kind, row, source, value)
    return fields


def wrong(field: Field, row: Row) -> Iterator[tuple[str, Any]]:
    """How the state of a field goes wrong, and what it is then."""
    value = row[field.name]
    other = field.broken(row) if field.broken is not None else _another(field, value)
    if other is not None and other != value:
        yield CHANGED, other


_OTHERS = {
    Type.TEXT: ("other", "another"),
    Type.LINES: ("other", "another"),
    Type.ADDRESS: ("203.0.113.213", "203.0.113.214"),
    Type.PREFIX: ("203.0.113.208/30", "203.0.113.212/30"),
    Type.MAC: ("02:00:00:00:5e:01", "02:00:00:00:5e:02"),
    Type.PHYS_ADDRESS: ("02:00:00:00:5e:01", "02:00:00:00:5e:02"),
    Type.INTERFACE: ("other0", "other1"),
}


def _another(field: Field, value: Any) -> Any:
    """Any other value than the one that a field has."""
    if field.type is Type.BOOLEAN:
        return not value
    if field.type in (Type.INTEGER, Type.AS_NUMBER, Type.NUMBER):
        return value + 1
    return next(other for other in field.values or _OTHERS[field.type] if other not in (value, field.well))


def _with(kind: Kind, row: Row, field: Field, value: Any) -> Row:
    """A field with another value, and what follows from it."""
    record = {**row, field.name: value}
    if kind.derive is not None:
        kind.derive(record)
    follow = [follower.name for follower in kind.own if follower.follows_from == field.name]
    return {name: record[name] for name in (field.name, *follow)}


def _ends(kind: Kind, row: Row, fields: Row) -> bool:
    """Whether a record is not well any more with other fields."""
    telling = [field for field in kind.own if field.well is not None and field.moves_with and field.name in fields]
    return any(row[field.name] == field.well != fields[field.name] for field in telling)


def _struct(names: list[str]) -> str:
    return "{" + ", ".join(f"{identifier(name)}: {identifier('a_' + name)}" for name in names) + "}"


def _key(kind: Kind, row: Row) -> Row:
    return {name: row[name] for name in kind.keys}


def _name(kind: Kind, row: Row) -> str:
    said = [str(row[name]) for name in kind.keys if name != "device" and row[name] not in (None, "default")]
    return " ".join([f"{row['device']}:", kind.name, *said])


def _shown(value: Any) -> str:
    text = f"{value:%Y-%m-%d %H:%M:%S}" if isinstance(value, datetime) else str(value) or "nothing"
    return text if len(text) <= MOST_SHOWN else f"{text[:MOST_SHOWN]}…"
