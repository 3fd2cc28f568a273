"""`nogging query`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.query import query
from nogging.cli import PASS
from nogging.cli.run import FileOption, Format, FormatOption, captured, print_rows, write_table


def command(
    sql: Annotated[str, typer.Argument(help="A query: SELECT … FROM interface.", metavar="SQL")],
    folders: Annotated[list[Path], typer.Argument(help="The capture, or several beside each other.", metavar="DIR…")],
    to: FileOption = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """SQL over captures: a table for each kind of record, and device (with its labels), link and unread.

    Over several, each table has a column `capture`.
    """
    rows = query(sql, *map(captured, folders))
    if to is not None:
        write_table(rows, to, "rows")
        return PASS
    print_rows(rows.to_pylist(), rows.column_names, format, "no rows")
    return PASS
