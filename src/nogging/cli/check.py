"""`nogging check`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.windows import check_over
from nogging.captures.saved import opened
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import (
    OutsideOption,
    PageFormat,
    PageFormatOption,
    QuietOption,
    captured,
    print_csv,
    print_json,
    print_lines,
    width,
)
from nogging.errors import QuestionError
from nogging.inventory import load_inventory
from nogging.judging.check import check
from nogging.judging.listing import listing
from nogging.judging.verdict import Verdict
from nogging.report import junit, listed, markdown, plain, text

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
    format: PageFormatOption = PageFormat.TEXT,
    outside: OutsideOption = False,
) -> int:
    """Judges expectations over a capture: pass, fail or unproven, with the evidence."""
    if list_:
        return _list(expectations, after, inventory, format)
    if over is not None:
        found = check_over(expectations, over)
    elif after is None:
        raise QuestionError("which capture is to be judged? Give it with --after.")
    else:
        found = check(
            expectations,
            after=captured(after),
            before=captured(before) if before else None,
            quiet=[captured(one) for one in quiet or ()],
        )
    if format is PageFormat.JSON:
        print_json(plain.judgement(found))
    elif format is PageFormat.CSV:
        names = ("title", "strength", "kind", "verdict", "reason", "found")
        print_csv(plain.judgement(found)["expectations"], names)
    elif format is PageFormat.MARKDOWN:
        print(markdown.judgement(found), end="")
    elif format is PageFormat.JUNIT:
        print(junit.judgement(found), end="")
    else:
        print_lines(text.judgement(found, width()))
    return STATUS[found.verdict]


def _list(expectations: Path, after: Path | None, inventory: Path | None, format: PageFormat) -> int:
    if (after is None) == (inventory is None):
        raise QuestionError("on which devices? Give either --inventory or --after.")
    if format in (PageFormat.MARKDOWN, PageFormat.JUNIT):
        raise QuestionError(f"a list is not printed as {format}; it is as text, json and csv")
    found = listing(expectations, of=opened(captured(after)) if after else load_inventory(str(inventory)))
    if format is PageFormat.JSON:
        print_json(asdict(found))
    elif format is PageFormat.CSV:
        print_csv([asdict(one) for one in found.expectations], ("title", "strength", "words", "devices", "blind"))
    else:
        print_lines(listed.lines(found, width()))
    return PASS
