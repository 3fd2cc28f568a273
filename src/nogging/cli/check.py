"""`nogging check`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines, width
from nogging.judging.check import check
from nogging.judging.verdict import Verdict
from nogging.report import plain, text

STATUS = {Verdict.PASS: PASS, Verdict.FAIL: FAIL, Verdict.UNPROVEN: UNPROVEN}


def command(
    expectations: Annotated[Path, typer.Argument(help="The file of expectations.")],
    after: Annotated[Path, typer.Option(help="The capture to judge.")],
    before: Annotated[Path | None, typer.Option(help="The capture from before the change.")] = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """Judges expectations over a capture: pass, fail or unproven, with the evidence."""
    found = check(expectations, after=captured(after), before=captured(before) if before else None)
    if format is Format.JSON:
        print_json(plain.judgement(found))
    elif format is Format.CSV:
        names = ("title", "strength", "kind", "verdict", "reason", "found")
        print_csv(plain.judgement(found)["expectations"], names)
    else:
        print_lines(text.judgement(found, width()))
    return STATUS[found.verdict]
