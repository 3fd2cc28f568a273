"""`nogging report`"""

from __future__ import annotations

import json
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.captures.writing import replace_text
from nogging.changes.told import ticket
from nogging.changes.told.reporting import PAGE, is_performance, told
from nogging.cli import PASS
from nogging.cli.run import captured
from nogging.errors import QuestionError
from nogging.judging.check import check
from nogging.judging.comparing import compare
from nogging.judging.verdict import Judgement
from nogging.report import junit, markdown, plain
from nogging.report.page import PageSubject, page
from nogging.report.text import look_first


class ReportForm(StrEnum):
    """What a report is."""

    HTML = "html"
    MARKDOWN = "markdown"
    JUNIT = "junit"
    JSON = "json"


def command(
    folders: Annotated[list[Path], typer.Argument(help="A performed change; or a capture; or before and after.")],
    expectations: Annotated[Path | None, typer.Option(help="With captures: what is to be judged of them.")] = None,
    to: Annotated[
        Path | None, typer.Option("--to", help="The file. Without: report.html, all else is printed.")
    ] = None,
    format: Annotated[
        ReportForm, typer.Option("--format", help="A page, or a text for a ticket or a pipeline.")
    ] = ReportForm.HTML,
) -> int:
    """Writes one HTML file that loads nothing from anywhere: verdict, network, devices, evidence, records, journal."""
    performed = folders[0] if len(folders) == 1 and is_performance(folders[0]) else None
    if format is ReportForm.HTML:
        subject = told(performed) if performed else _of_captures(folders, expectations)
        to, text = to or (performed / PAGE if performed else Path(PAGE)), page(subject)
    elif performed is not None:
        text = _ticket(ticket.ticket(performed), format)
    else:
        text = _text(folders, expectations, format)
    if to is None:
        print(text, end="")
    else:
        replace_text(to, text)
        print(f"{to}: {to.stat().st_size / 1000:,.0f} kB")
    return PASS


def _ticket(told: ticket.Ticket, format: ReportForm) -> str:
    if format is ReportForm.JSON:
        return _json(ticket.as_json(told))
    return ticket.as_markdown(told) if format is ReportForm.MARKDOWN else ticket.as_junit(told)


def _text(folders: list[Path], expectations: Path | None, format: ReportForm) -> str:
    """Captures, judged or compared, as text."""
    before, after = _sides(folders)
    if expectations is not None:
        return _judgement(check(expectations, after=after, before=before), format)
    if before is None or format is ReportForm.JUNIT:
        raise QuestionError("nothing is judged here; give what is to be judged, with --expectations")
    comparison = compare(before, after)
    return markdown.comparison(comparison) if format is ReportForm.MARKDOWN else _json(plain.comparison(comparison))


def _judgement(judgement: Judgement, format: ReportForm) -> str:
    if format is ReportForm.JSON:
        return _json(plain.judgement(judgement))
    return markdown.judgement(judgement) if format is ReportForm.MARKDOWN else junit.judgement(judgement)


def _json(told: Any) -> str:
    return json.dumps(told, ensure_ascii=False, indent=2) + "\n"


def _sides(folders: list[Path]) -> tuple[Capture | None, Capture]:
    if len(folders) > 2:
        raise QuestionError("one folder of a performed change, one capture, or two: before and after")
    captures = [opened(captured(folder)) for folder in folders]
    return captures[0] if len(captures) == 2 else None, captures[-1]


def _of_captures(folders: list[Path], expectations: Path | None) -> PageSubject:
    before, after = _sides(folders)
    title = " and ".join(str(folder) for folder in folders)
    if expectations is None:
        return PageSubject(title, after, before)
    judged = check(expectations, after=after, before=before)
    return PageSubject(judged.title, after, before, plain.judgement(judged), first=look_first(judged) or "")
