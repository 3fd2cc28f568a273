"""DuckDB connections that can do nothing but compute: no files but what they put aside for want of memory,
no network, no extensions."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from functools import cache
from threading import Lock
from typing import TYPE_CHECKING

from nogging.predicates.addresses import register

if TYPE_CHECKING:
    import duckdb
    import pyarrow as pa

MEMORY = "4GB"
_ORDER = (
    "moment_order(a, b, apart) AS CASE WHEN a IS NULL OR b IS NULL THEN NULL "
    "WHEN abs(epoch(a) - epoch(b)) <= apart THEN 0 WHEN a < b THEN -1 ELSE 1 END"
)
"""Which of two moments was first; neither, where they are no further apart than they were told exactly."""


_ONE_AT_A_TIME = Lock()


def closed_database() -> duckdb.DuckDBPyConnection:
    """A database of its own in memory, for somebody's own SQL; its outside access is off, for good."""
    connection = _plain_database()
    register(connection)
    return connection


def computing() -> duckdb.DuckDBPyConnection:
    """A connection of its own to this process's database, for SQL that was made here or checked: to make a database
    takes longer than most questions. Others do not see what it registers, nor its temporary tables. What asks for
    addresses without a predicate that does says `know_addresses` first."""
    return parser().cursor()


def _plain_database() -> duckdb.DuckDBPyConnection:
    import duckdb

    connection = duckdb.connect(
        ":memory:",
        config={
            "enable_external_access": "false",
            "autoinstall_known_extensions": "false",
            "autoload_known_extensions": "false",
            "memory_limit": MEMORY,
            "temp_directory": _beyond_memory(),
        },
    )
    connection.execute(f"CREATE MACRO {_ORDER}")
    connection.execute("SET lock_configuration = true")
    return connection


@cache
def _beyond_memory() -> str:
    """Where this process's databases put what does not fit: a folder that nobody else can look into."""
    folder = tempfile.mkdtemp(prefix="nogging-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def parser() -> duckdb.DuckDBPyConnection:
    """The connection that is only ever asked for syntax trees and for conditions over constants."""
    with _ONE_AT_A_TIME:
        return _made()


@cache
def _made() -> duckdb.DuckDBPyConnection:
    connection = _plain_database()
    atexit.register(_close, connection)
    return connection


def know_addresses() -> None:
    """Teaches this process's database the functions of addresses, once they are needed."""
    with _ONE_AT_A_TIME:
        _taught()


@cache
def _taught() -> None:
    register(_made())


def _close(connection: duckdb.DuckDBPyConnection) -> None:
    """Before the interpreter takes the modules apart: DuckDB's binding complains of what is still open then."""
    _taught.cache_clear()
    _made.cache_clear()
    connection.close()


@cache
def reserved() -> frozenset[str]:
    """The words that are no names unless they are delimited."""
    rows = parser().execute("SELECT keyword_name FROM duckdb_keywords() WHERE keyword_category = 'reserved'").fetchall()
    return frozenset(name for (name,) in rows)


def naive(table: pa.Table) -> pa.Table:
    """Moments without their zone, which is UTC throughout: arithmetic on them then needs no time zone data."""
    import pyarrow as pa

    plain = pa.timestamp("us")
    for n, field in enumerate(table.schema):
        if pa.types.is_timestamp(field.type):
            chunks = [chunk.view(plain) for chunk in table.column(n).chunks]  # a cast would import all of pa.compute
            table = table.set_column(n, field.with_type(plain), pa.chunked_array(chunks, plain))
    return table
