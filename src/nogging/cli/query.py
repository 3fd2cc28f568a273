"""`nogging query`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.saved import opened
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_rows
from nogging.judging.query import query


def command(
    sql: Annotated[str, typer.Argument(help="A query: SELECT … FROM interface.", metavar="SQL")],
    folder: Annotated[Path, typer.Argument(help="The capture.", metavar="DIR")],
    format: FormatOption = Format.TEXT,
) -> int:
    """SQL over a capture: a table for each kind of record, and device (with its labels), link and unread."""
    found = query(sql, opened(captured(folder)))
    print_rows(found.to_pylist(), found.column_names, format, "no rows")
    return PASS
