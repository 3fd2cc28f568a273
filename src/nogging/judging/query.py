"""SQL over a capture: a table for each kind, `device` with the labels, `link` and the lines that are `unread`."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD
from nogging.captures.saved import opened
from nogging.errors import QuestionError
from nogging.judging.pairs import naive
from nogging.predicates.addresses import register
from nogging.predicates.database import closed_database
from nogging.records import KINDS
from nogging.routing.links import links

if TYPE_CHECKING:
    import duckdb
    import pyarrow as pa

LINK = ("device", "interface", "peer_device", "peer_interface", "source")


def query(sql: str, capture: Capture | str | Path) -> pa.Table:
    """The answer to a query as an Arrow table; `QuestionError` for one that cannot be answered.

    The functions of predicates may be used; nothing outside the capture can be reached.
    """
    import duckdb

    database = closed_database()
    register(database)
    _tables(database, opened(capture))
    try:
        answer = database.sql(sql)
        if answer is None:
            raise QuestionError("a query is expected here, which begins with SELECT")
        found: pa.Table = answer.to_arrow_table()
    except duckdb.Error as error:
        raise QuestionError(f"the query cannot be answered: {error}") from None
    twice = [name for name, n in Counter(found.column_names).items() if n > 1]
    if twice:
        raise QuestionError(f"two columns are called '{twice[0]}'; give one of them another name with AS")
    return found


def _tables(database: duckdb.DuckDBPyConnection, capture: Capture) -> None:
    """Every table that a query may name."""
    import pyarrow as pa

    for kind in (*KINDS, UNREAD):
        database.register(kind, naive(capture.records(kind)))
    joined = [asdict(one) for one in links(capture)]
    database.register("link", pa.table({name: pa.array([one[name] for one in joined], pa.string()) for name in LINK}))
    labels = sorted({label for one in capture.devices.values() for label in one.labels} - {"device", "dialect"})
    columns = {name: [one.labels.get(name, "") for one in capture.devices.values()] for name in labels}
    known = {"device": list(capture.devices), "dialect": [one.dialect for one in capture.devices.values()]}
    database.register("device", pa.table({**known, **columns}))
