"""SQL predicates (ISO/IEC 9075) over the fields of a record: parsed, checked, and only then run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nogging.predicates.database import parser
from nogging.predicates.parse import PredicateError, Schema, from_mapping, parse
from nogging.predicates.tree import Path, Predicate, Resolve, identifier, quoted

__all__ = [
    "Path",
    "Predicate",
    "PredicateError",
    "Schema",
    "from_mapping",
    "holds",
    "identifier",
    "parse",
    "quoted",
]


def holds(predicate: Predicate, rows: Sequence[Mapping[Path, str | None]]) -> list[bool | None]:
    """Asks a predicate of rows of plain values: true, false or unknown for each. A name that a row does not
    have is not known; every value is text."""
    if not rows:
        return []
    asked = ", ".join(f"({predicate.sql(_resolver(row))})" for row in rows)
    answer = parser().execute(f"SELECT [{asked}]").fetchone()
    return list(answer[0]) if answer else []


def _resolver(row: Mapping[Path, str | None]) -> Resolve:
    return lambda path: _literal(row.get(path))


def _literal(value: str | None) -> str | None:
    return None if value is None else quoted(value)
