"""`nogging records`"""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from nogging.asking.questions import Question, ask, names_in
from nogging.captures.kept import UNREAD
from nogging.captures.saved import opened
from nogging.cli import PASS
from nogging.cli.run import FileOption, Format, FormatOption, captured, print_lines, print_rows, write_table
from nogging.errors import QuestionError, nearest
from nogging.judging.select import select
from nogging.records import KINDS
from nogging.records.field import REMAINDER
from nogging.report import sheets


def command(
    kind: Annotated[str, typer.Argument(help="The kind of record, or 'unread'.")],
    folders: Annotated[list[Path], typer.Argument(help="The capture, or several beside each other.", metavar="DIR…")],
    where: Annotated[str | None, typer.Option(help="Only records for which this predicate holds.")] = None,
    fields: Annotated[str | None, typer.Option(help="Only these fields, by commas, in this order.")] = None,
    settled: Annotated[
        bool | None, typer.Option("--settled/--not-settled", help="Only neighbors that are settled, or are not.")
    ] = None,
    count_by: Annotated[str | None, typer.Option(help="How many there are of each value of these fields.")] = None,
    alike: Annotated[
        str | None, typer.Option(help="Which devices say the same in these fields, the odd first.")
    ] = None,
    figures: Annotated[
        str | None, typer.Option(help="The least, the median, the most and the sum of these fields; 'all' of all.")
    ] = None,
    sort: Annotated[str | None, typer.Option(help="By these fields; -FIELD has the largest first.")] = None,
    top: Annotated[int | None, typer.Option(help="So many rows at most.")] = None,
    minus: Annotated[Path | None, typer.Option(help="Without what this capture has as well.", metavar="DIR")] = None,
    to: FileOption = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """The records of a capture, and questions of them: counted, sorted, alike, without those of another capture."""
    named = names_in(fields or "")
    asked = Question(
        kind=kind,
        where=where,
        fields=named,
        settled=settled,
        count_by=names_in(count_by or ""),
        alike=names_in(alike or ""),
        figures=None if figures is None else [] if figures == "all" else names_in(figures or ""),
        sort=names_in(sort or ""),
        top=top,
        minus=captured(minus) if minus is not None else None,
    )
    what = "unread lines" if kind == UNREAD else f"{kind} records"
    nothing = f"no {what}" + (f" where {where}" if where else "")
    if asked.only_selects and len(folders) == 1:
        rows, names = select(opened(captured(folders[0])), kind, where)
        shown = format is Format.TEXT and fields is None and to is None
        chosen = _chosen(named, _short(names, kind) if shown else names)
        if to is not None:
            write_table(sheets.table(rows, chosen, kind), to, kind)
            return PASS
        rows = [{name: row[name] for name in chosen} for row in rows]
        print_rows(rows, chosen, format, nothing, "" if fields else kind)
        return PASS
    result = ask(asked, *map(captured, folders))
    if to is not None:
        write_table(sheets.table(result.rows, result.names, kind), to, kind)
        return PASS
    hidden = REMAINDER.name if format is Format.TEXT and fields is None else ""
    names = [name for name in result.names if name != hidden]
    rows = [{name: row[name] for name in names} for row in result.rows]
    print_rows(rows, names, format, nothing, "" if fields or count_by or alike or figures else kind)
    if format is Format.TEXT:
        every = [*folders, *([minus] if minus else [])]
        print_lines([Text(f"in SQL: nogging query {_quoted(result.sql)} {shlex.join(map(str, every))}", style="dim")])
    return PASS


def _quoted(sql: str) -> str:
    return f'"{sql}"' if not set(sql) & set('"$`\\!') else shlex.quote(sql)


def _short(names: list[str], kind: str) -> list[str]:
    """Without the words that no field took: whole lines of them, where a table is read by a person."""
    return [name for name in names if name != REMAINDER.name or KINDS[kind].of_answers]


def _chosen(fields: list[str], names: list[str]) -> list[str]:
    for name in fields:
        if name not in names:
            raise QuestionError(f"unknown field '{name}'{nearest(name, names)}")
    return fields or names
