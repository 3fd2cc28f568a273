"""`nogging conform`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.changes.conforming import conform
from nogging.changes.declared import load_change
from nogging.changes.telling import conformity
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.run import Format, FormatOption, print_csv, print_json, print_lines, width
from nogging.inventory import load_inventory


def command(
    change: Annotated[Path, typer.Argument(help="The change file whose steps say what should be.")],
    inventory: Annotated[Path | None, typer.Option(help="The devices, where the change file does not say.")] = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """Tells which devices deviate from what a change file's steps want, and the lines that would put each right.

    Nothing is sent; `nogging perform` with the same file is the remedy. Exit status: 0 all in order, 1 some deviate,
    3 some did not tell.
    """
    found = conform(load_change(change, load_inventory(inventory) if inventory else None), ask=secret())
    rows = [asdict(one) for one in found.deviations]
    if format is Format.JSON:
        print_json({"format": 1, "title": found.title, "devices": found.devices, "deviations": rows})
    elif format is Format.CSV:
        print_csv(rows, ("device", "absent", "surplus", "remedy", "reason"))
    else:
        print_lines(conformity(found, width()))
    if len(found.deviations) > found.unknown:
        return FAIL
    return UNPROVEN if found.unknown else PASS
