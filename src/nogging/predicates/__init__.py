"""SQL predicates (ISO/IEC 9075) over the fields of a record: parsed, checked, and only then run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nogging.predicates.database import parser
from nogging.predicates.parse import PredicateError, Schema, UserWords, from_mapping, parse
from nogging.predicates.tree import NamePath, Predicate, Resolve, identifier, quoted

__all__ = [
    "NamePath",
    "Predicate",
    "PredicateError",
    "Schema",
    "UserWords",
    "computed",
    "from_mapping",
    "holds",
    "identifier",
    "parse",
    "quoted",
]


def holds(predicate: Predicate, rows: Sequence[Mapping[NamePath, str | None]]) -> list[bool | None]:
    """Asks a predicate of rows of plain values: true, false or unknown for each. A name that a row does not
    have is not known; every value is text."""
    if not rows:
        return []
    asked = ", ".join(f"({predicate.sql(_resolver(row))})" for row in rows)
    return list(computed(f"SELECT [{asked}]"))


def computed(sql: str) -> Any:
    """The one value of a query over constants; `PredicateError` for a condition that cannot be computed."""
    import duckdb

    try:
        answer = parser().execute(sql).fetchone()
    except duckdb.Error as error:
        raise PredicateError(f"cannot be computed: {error}") from None
    return answer[0] if answer else None


def _resolver(row: Mapping[NamePath, str | None]) -> Resolve:
    return lambda path: _literal(row.get(path))


def _literal(value: str | None) -> str | None:
    return None if value is None else quoted(value)
