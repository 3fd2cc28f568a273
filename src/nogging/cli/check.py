"""`nogging check`"""

from __future__ import annotations

from contextlib import redirect_stdout
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.saved import opened
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import (
    OutsideOption,
    QuietOption,
    VerdictFormat,
    VerdictFormatOption,
    captured,
    print_csv,
    print_json,
    print_lines,
    width,
)
from nogging.errors import QuestionError, nearest
from nogging.inventory import load_inventory
from nogging.judging.check import check
from nogging.judging.listing import listing
from nogging.judging.verdict import Judgement, Verdict
from nogging.report import by_place, cleaning, junit, listed, markdown, plain, sarif, text

STATUS = {Verdict.PASS: PASS, Verdict.FAIL: FAIL, Verdict.UNPROVEN: UNPROVEN}


def command(
    expectations: Annotated[Path, typer.Argument(help="The file of expectations.")],
    after: Annotated[Path | None, typer.Option(help="The capture to judge.")] = None,
    before: Annotated[Path | None, typer.Option(help="The capture from before the change.")] = None,
    list_: Annotated[
        bool,
        typer.Option("--list", help="Only tell what would be checked, on which devices."),
    ] = False,
    inventory: Annotated[Path | None, typer.Option(help="With --list: the devices.")] = None,
    over: Annotated[Path | None, typer.Option(help="A history: judges expectations over windows of time.")] = None,
    quiet: QuietOption = None,
    also: Annotated[
        list[str] | None, typer.Option(metavar="FORMAT=FILE", help="Writes it to a file as well; several times.")
    ] = None,
    format: VerdictFormatOption = VerdictFormat.TEXT,
    outside: OutsideOption = False,
) -> int:
    """Judges expectations over a capture: pass, fail or unproven, with the evidence."""
    files = dict(map(_form_and_file, also or ()))
    if list_:
        return _list(expectations, after, inventory, format)
    if over is not None:
        from nogging.asking.windows import check_over  # a history, and what it takes to ask one

        judgement = check_over(expectations, over)
    elif after is None:
        raise QuestionError("which capture is to be judged? Give it with --after.")
    else:
        judgement = check(
            expectations,
            after=captured(after),
            before=captured(before) if before else None,
            quiet=[captured(path) for path in quiet or ()],
        )
    _print(judgement, format)
    for form, file in files.items():
        with file.open("w", encoding="utf-8") as stream, redirect_stdout(cleaning.Printed(stream)):
            _print(judgement, form)
    return STATUS[judgement.verdict]


def _form_and_file(text: str) -> tuple[VerdictFormat, Path]:
    form, _, file = text.partition("=")
    if not file or form not in list(VerdictFormat):
        raise QuestionError(
            f"--also {text}: write a format and a file, as junit=results.xml{nearest(form, VerdictFormat)}"
        )
    return VerdictFormat(form), Path(file)


def _print(judged: Judgement, format: VerdictFormat) -> None:
    told = plain.judgement(judged)
    if format is VerdictFormat.TEXT:
        print_lines(text.judgement(judged, width()))
    elif format is VerdictFormat.JSON:
        print_json(told)
    elif format is VerdictFormat.CSV:
        print_csv(told["expectations"], ("title", "strength", "kind", "verdict", "reason", "found"))
    elif format is VerdictFormat.SARIF:
        print_json(sarif.log(judged))
    else:
        print(_AS_TEXT[format](judged), end="")


_AS_TEXT = {
    VerdictFormat.MARKDOWN: markdown.judgement,
    VerdictFormat.JUNIT: junit.judgement,
    VerdictFormat.SUMMARY: markdown.summary,
    VerdictFormat.PLACES: by_place.judgement,
}


def _list(expectations: Path, after: Path | None, inventory: Path | None, format: VerdictFormat) -> int:
    if (after is None) == (inventory is None):
        raise QuestionError("on which devices? Give either --inventory or --after.")
    if format not in (VerdictFormat.TEXT, VerdictFormat.JSON, VerdictFormat.CSV):
        raise QuestionError(f"a list is not printed as {format}; it is as text, json and csv")
    told = listing(expectations, of=opened(captured(after)) if after else load_inventory(str(inventory)))
    if format is VerdictFormat.JSON:
        print_json(asdict(told))
    elif format is VerdictFormat.CSV:
        print_csv(
            [asdict(expectation) for expectation in told.expectations],
            ("title", "strength", "words", "devices", "blind"),
        )
    else:
        print_lines(listed.lines(told, width()))
    return PASS
