"""`nogging about`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.about import about
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines, width
from nogging.report import summary


def command(
    folders: Annotated[list[Path], typer.Argument(help="One capture, or several beside each other.", metavar="DIR…")],
    by: Annotated[str, typer.Option(help="A column for each value of a label (label.site), or of the dialect.")] = "",
    format: FormatOption = Format.TEXT,
) -> int:
    """What is there, and what of it is not well: sessions, interfaces, parts; what was not captured, what is unread."""
    every_part = about(*map(captured, folders), by=by)
    if format is Format.JSON:
        print_json(summary.plain_about(every_part))
    elif format is Format.CSV:
        told = summary.rows(every_part)
        print_csv(told, told[0] if told else ())
    else:
        print_lines(summary.about(every_part, width()))
    return PASS
