"""`nogging tell`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.summary import Sentence, tell
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines, width
from nogging.errors import QuestionError
from nogging.report import plain
from nogging.report.text import TextPage


def command(
    folders: Annotated[list[Path], typer.Argument(help="A capture, or before and after.", metavar="DIR…")],
    expectations: Annotated[Path | None, typer.Option(help="What is to be judged of them.")] = None,
    short: Annotated[bool, typer.Option("--short", help="For somebody who does not want to see the evidence.")] = False,
    format: FormatOption = Format.TEXT,
) -> int:
    """In plain words: what a capture shows, what changed and why, how it is judged; with where it is said.

    The words are made by rules from the records.
    """
    if len(folders) > 2:
        raise QuestionError("one capture, or two: before and after")
    sentences = tell(*map(captured, folders), expectations=expectations)
    if short:
        sentences = [sentence for sentence in sentences if not sentence.detail]
    if format is Format.JSON:
        print_json([asdict(sentence) for sentence in sentences])
    elif format is Format.CSV:
        print_csv([plain.value(asdict(sentence)) for sentence in sentences], Sentence.__dataclass_fields__)
    else:
        print_lines(_page(sentences, short).lines)
    return PASS


def _page(sentences: list[Sentence], short: bool) -> TextPage:
    page = TextPage(width())
    for sentence in sentences:
        page.prose(sentence.text)
        for place in () if short else sentence.evidence:
            page.line(place, indent=4, style="dim")
    return page
