"""`nogging query`"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.capture import Capture
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines, width
from nogging.judging.query import query
from nogging.report import plain, text


def command(
    sql: Annotated[str, typer.Argument(help="A query: SELECT … FROM interface.", metavar="SQL")],
    folder: Annotated[Path, typer.Argument(help="The capture.", metavar="DIR")],
    format: FormatOption = Format.TEXT,
) -> int:
    """SQL over a capture: a table for each kind of record, and device (with its labels), link and unread."""
    found = query(sql, Capture(captured(folder)))
    rows = found.to_pylist()
    if format is Format.JSON:
        print_json(plain.rows(rows))
    elif format is Format.CSV:
        print_csv(plain.rows(rows), found.column_names)
    elif rows:
        print_lines(text.records(rows, width() if sys.stdout.isatty() else None))
    else:
        print("no rows")
    return PASS
