"""The records for which a predicate is true, and what a predicate over one record may speak of."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

from nogging.errors import QuestionError
from nogging.predicates import NamePath, Predicate, PredicateError, Schema, identifier, parse
from nogging.predicates.database import computing, naive
from nogging.records import Kind
from nogging.records.field import label_field

if TYPE_CHECKING:
    import pyarrow as pa

_LABEL, _NUMBER = "label.", "number of the row"


def predicate(where: str, kind: Kind, labels: Collection[str]) -> Predicate:
    """A predicate over a record of a kind and the labels of its device; `QuestionError` with the place of what is
    wrong with it."""
    schema: Schema = {(name,): field for name, field in kind.fields.items()}
    return parsed(where, {**schema, **{("label", name.lower()): label_field(name) for name in labels}})


def parsed(where: str, schema: Schema) -> Predicate:
    """A predicate over a schema; `QuestionError` with the place of what is wrong with it."""
    try:
        return parse(where, schema)
    except PredicateError as error:
        raise QuestionError(f'in the predicate "{where}", at character {error.offset + 1}: {error}') from None


def chosen(table: pa.Table, kind: Kind, where: str, labels: Mapping[str, Mapping[str, str]]) -> pa.Table:
    """The rows of a table of records for which a predicate is true; `labels` are those of each device."""
    import pyarrow as pa

    return table.take(pa.array(rows_chosen(table, kind, where, labels)))


def rows_chosen(table: pa.Table, kind: Kind, where: str, labels: Mapping[str, Mapping[str, str]]) -> Any:
    """The numbers of those rows, from 0, in order, as an array of NumPy."""
    import pyarrow as pa

    asked = predicate(where, kind, {name for label in labels.values() for name in label})
    devices = table.column("device").to_pylist()
    numbered = table.append_column(_NUMBER, pa.array(range(len(table)), pa.int64()))
    for name in {path[1] for path in asked.names if path[0] == "label"}:
        values = {device: _value(of, name) for device, of in labels.items()}
        column = pa.array([values.get(device) for device in devices], pa.string())
        numbered = numbered.append_column(_LABEL + name, column)
    database = computing()
    database.register("records", naive(numbered))
    sql = f"SELECT {identifier(_NUMBER)} FROM records WHERE {asked.sql(_column)} ORDER BY 1"
    return database.execute(sql).fetchnumpy()[_NUMBER]


def _value(labels: Mapping[str, str], name: str) -> str | None:
    return next((value for label, value in labels.items() if label.lower() == name), None)


def _column(path: NamePath) -> str:
    return identifier(".".join(path))
