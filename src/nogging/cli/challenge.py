"""`nogging challenge`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import Format, FormatOption, OutsideOption, captured, print_csv, print_json, print_lines, width
from nogging.judging.challenge import challenge
from nogging.judging.verdict import Verdict
from nogging.report import challenged


def command(
    expectations: Annotated[Path, typer.Argument(help="The file of expectations.")],
    after: Annotated[Path, typer.Option(help="A good capture, which is broken on purpose.")],
    before: Annotated[Path | None, typer.Option(help="The capture from before; else the good one is its own.")] = None,
    format: FormatOption = Format.TEXT,
    outside: OutsideOption = False,
) -> int:
    """Breaks a good capture, one fault at a time, and tells which faults the expectations would have let through.

    Exit status 0 where every fault is noticed, 1 where one is let through, 3 where the capture itself does not pass.
    """
    outcome = challenge(expectations, after=captured(after), before=captured(before) if before else None)
    if format is Format.JSON:
        print_json(challenged.plain(outcome))
    elif format is Format.CSV:
        print_csv(
            challenged.plain(outcome)["faults"],
            ("kind", "field", "how", "fault", "noticed", "by", "breaks", "cannot_tell"),
        )
    else:
        print_lines(challenged.text(outcome, width()))
    if outcome.verdict is not Verdict.PASS:
        return UNPROVEN
    return FAIL if outcome.holes else PASS
