"""`nogging conform`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.changes.plan.conforming import Deviation, conform
from nogging.changes.told.wording import conformity
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.run import (
    Format,
    FormatOption,
    OutsideOption,
    ProgramsOption,
    change_of,
    print_csv,
    print_json,
    print_lines,
    width,
)


def _rows(deviation: Deviation) -> list[dict[str, str]]:
    told = {
        "unknown": (deviation.reason,) * bool(deviation.reason),
        "absent": deviation.absent,
        "surplus": deviation.surplus,
        "remedy": deviation.remedy,
    }
    return [{"device": deviation.device, "what": what, "line": line} for what, lines in told.items() for line in lines]


def command(
    change: Annotated[Path, typer.Argument(help="The change file whose steps say what should be.")],
    inventory: Annotated[Path | None, typer.Option(help="The devices, where the change file does not say.")] = None,
    format: FormatOption = Format.TEXT,
    outside: OutsideOption = False,
    programs: ProgramsOption = False,
) -> int:
    """Tells which devices deviate from what a change file's steps want, and the lines that would put each right.

    Nothing is sent; `nogging perform` with the same file is the remedy. Exit status: 0 all in order, 1 some deviate,
    3 some did not tell.
    """
    loaded = change_of(change, inventory)
    outcome = conform(loaded, ask=secret())
    if format is Format.JSON:
        deviations = [asdict(deviation) for deviation in outcome.deviations]
        print_json({"format": 1, "title": outcome.title, "devices": outcome.devices, "deviations": deviations})
    elif format is Format.CSV:
        print_csv([row for deviation in outcome.deviations for row in _rows(deviation)], ("device", "what", "line"))
    else:
        print_lines(conformity(outcome, width()))
    if len(outcome.deviations) > outcome.unknown:
        return FAIL
    return UNPROVEN if outcome.unknown else PASS
