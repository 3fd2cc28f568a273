"""Records as Arrow tables, by the schema that each kind declares."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import pyarrow as pa

from nogging.records.field import Field, Kind, Type

_ARROW: dict[Type, pa.DataType] = {
    Type.INTEGER: pa.int64(),
    Type.AS_NUMBER: pa.int64(),
    Type.NUMBER: pa.float64(),
    Type.BOOLEAN: pa.bool_(),
    Type.MOMENT: pa.timestamp("us", tz="UTC"),
    Type.LINES: pa.list_(pa.int32(), 2),
}


def schema(kind: Kind) -> pa.Schema:
    """The Arrow schema of a kind."""
    return pa.schema([(field.name, arrow_type(field)) for field in kind.fields.values()])


def arrow_type(field: Field) -> pa.DataType:
    return _ARROW.get(field.type, pa.string())


def table(kind: Kind, rows: Iterable[Mapping[str, Any]]) -> pa.Table:
    """Rows as a table; what a row does not have is null."""
    listed = list(rows)
    told = {name for row in listed for name in row}
    columns = [
        pa.array([row.get(name) for row in listed], type=arrow_type(field))
        if name in told
        else pa.nulls(len(listed), arrow_type(field))
        for name, field in kind.fields.items()
    ]
    return pa.Table.from_arrays(columns, schema=schema(kind))
