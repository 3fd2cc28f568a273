"""SQL over captures: a table for each kind, `device` with the labels, `link` and the lines that are `unread`."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.asking.over_kept import AllTime
from nogging.captures.capture import Capture
from nogging.captures.history import NOW, History, is_history
from nogging.captures.kept import UNREAD
from nogging.captures.manifest import DeviceEntry
from nogging.captures.saved import opened
from nogging.errors import QuestionError
from nogging.predicates.database import closed_database, naive
from nogging.records import KINDS
from nogging.routing.links import links

if TYPE_CHECKING:
    import duckdb
    import pyarrow as pa

CAPTURE = "capture"
"""The column that says of which of several captures a row is."""
LINK = ("device", "interface", "peer_device", "peer_interface", "source")


def query(sql: str, capture: Capture | str | Path, *more: Capture | str | Path) -> pa.Table:
    """The answer to a query as an Arrow table; `QuestionError` for one that cannot be answered.

    Of a history (`DIR`, without a moment) each table is over all time, with `valid_from` and `valid_to`. The functions
    of predicates may be used; nothing outside the captures can be reached. Where there are several, each table has a
    column `capture` with their names (`names_of`).
    """
    import duckdb

    database = closed_database()
    if not more and not isinstance(capture, Capture) and is_history(Path(capture)):
        found_in = set(re.findall(r"\w+", sql.lower()))
        over = over_all_time(Path(capture))
        for name in [table for table in over if table in found_in] or over:
            database.register(name, over[name])
    else:
        _register(database, [opened(folder) for folder in (capture, *more)])
    try:
        answer = database.sql(sql)
        if answer is None:
            raise QuestionError("a query is expected here, which begins with SELECT")
        rows: pa.Table = answer.to_arrow_table()
    except duckdb.Error as error:
        raise QuestionError(f"the query cannot be answered: {error}") from None
    twice = [name for name, n in Counter(rows.column_names).items() if n > 1]
    if twice:
        raise QuestionError(f"two columns are called '{twice[0]}'; give one of them another name with AS")
    return rows


def names_of(captures: Sequence[Capture]) -> list[str]:
    """What captures are called beside each other: by the last name of their folder; a second one of that name is
    numbered (`before 2`)."""
    names = [capture.folder.resolve().name for capture in captures]
    before = [names[:n].count(name) for n, name in enumerate(names)]
    return [f"{name} {n + 1}" if n else name for name, n in zip(names, before, strict=True)]


def _register(database: duckdb.DuckDBPyConnection, captures: Sequence[Capture]) -> None:
    """Every table that a query may name."""
    import pyarrow as pa

    several = [tables(capture) for capture in captures]
    if len(several) > 1:
        for name, of_one in zip(names_of(captures), several, strict=True):
            for table, rows in of_one.items():
                of_one[table] = rows.add_column(0, CAPTURE, pa.array([name] * rows.num_rows, pa.string()))
    for table in several[0]:
        database.register(table, pa.concat_tables([by_name[table] for by_name in several], promote_options="default"))


def over_all_time(folder: Path) -> Mapping[str, pa.Table]:
    """Every table that a query over a history may name, each made when it is asked for."""
    history = History(folder)

    def devices() -> pa.Table:
        return _devices(history.manifest(history.turn(NOW)).devices if history.turns else {})

    return AllTime(history, {"device": devices})


def tables(capture: Capture) -> dict[str, pa.Table]:
    """Every table that a query over one capture may name."""
    import pyarrow as pa

    tables = {kind: naive(capture.records(kind)) for kind in (*KINDS, UNREAD)}
    joined = [asdict(link) for link in links(capture)]
    tables["link"] = pa.table({name: pa.array([link[name] for link in joined], pa.string()) for name in LINK})
    tables["device"] = _devices(capture.devices)
    return tables


def _devices(devices: Mapping[str, DeviceEntry]) -> pa.Table:
    """The devices with what they speak, and their labels."""
    import pyarrow as pa

    labels = sorted({label for device in devices.values() for label in device.labels} - {"device", "dialect"})
    columns = {name: [device.labels.get(name, "") for device in devices.values()] for name in labels}
    known = {"device": list(devices), "dialect": [device.dialect for device in devices.values()]}
    return pa.table({name: pa.array(values, pa.string()) for name, values in {**known, **columns}.items()})
