"""`nogging records`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.kept import UNREAD
from nogging.captures.saved import opened
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_rows
from nogging.errors import QuestionError, nearest
from nogging.judging.select import select
from nogging.records import KINDS
from nogging.records.field import REMAINDER


def command(
    kind: Annotated[str, typer.Argument(help="The kind of record, or 'unread'.")],
    folder: Annotated[Path, typer.Argument(help="The capture.", metavar="DIR")],
    where: Annotated[str | None, typer.Option(help="Only records for which this predicate holds.")] = None,
    fields: Annotated[str | None, typer.Option(help="Only these fields, by commas, in this order.")] = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """The records of a capture, or the lines that could not be read."""
    capture = opened(captured(folder))
    rows, names = select(capture, kind, where)
    chosen = _chosen(fields, _short(names, kind) if format is Format.TEXT and fields is None else names)
    rows = [{name: row[name] for name in chosen} for row in rows]
    what = "unread lines" if kind == UNREAD else f"{kind} records"
    print_rows(rows, chosen, format, f"no {what}" + (f" where {where}" if where else ""))
    return PASS


def _short(names: list[str], kind: str) -> list[str]:
    """Without the words that no field took: whole lines of them, where a table is read by a person."""
    return [name for name in names if name != REMAINDER.name or KINDS[kind].of_answers]


def _chosen(fields: str | None, names: list[str]) -> list[str]:
    if fields is None:
        return names
    chosen = [name.strip() for name in fields.split(",")]
    for name in chosen:
        if name not in names:
            raise QuestionError(f"unknown field '{name}'{nearest(name, names)}")
    return chosen
