"""The records of one capture for which a predicate holds."""

from __future__ import annotations

from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.choosing import parsed
from nogging.captures.kept import UNREAD
from nogging.errors import QuestionError
from nogging.judging.pairs import AFTER, Pairs, side_of
from nogging.predicates import identifier
from nogging.records import KINDS, Kind


def select(capture: Capture, kind: str, where: str | None = None) -> tuple[list[dict[str, Any]], list[str]]:
    """The rows and the names of their fields. A predicate may use the kind's fields and `label.`."""
    table = capture.records(kind)
    if where is None:
        return table.to_pylist(), table.column_names
    if kind == UNREAD:
        raise QuestionError("--where asks about records; unread lines are not records")
    return selected(Pairs(capture), KINDS[kind], where), list(KINDS[kind].fields)


def selected(pairs: Pairs, kind: Kind, where: str) -> list[dict[str, Any]]:
    """As `select`, of what is asked more than once: one database answers all of it."""
    schema = {path: field for path, field in pairs.schema(kind).items() if path[0] != "before"}
    condition = parsed(where, schema).sql(pairs.resolver(AFTER, kind), pairs.doubt(AFTER, kind))
    return matching(pairs, kind, condition)


def matching(pairs: Pairs, kind: Kind, condition: str) -> list[dict[str, Any]]:
    """The records of which a condition, as SQL over the table of pairs, is true."""
    order = ", ".join(identifier(f"a_{name}") for name in ("device", *kind.keys))
    rows = pairs.rows(f"SELECT * FROM {pairs.table(kind)} WHERE a_here AND {condition} ORDER BY {order}")
    return [side_of(row, "a", kind) for row in rows]
