"""`nogging ingest`"""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.saved import FIRST, LAST, ingest
from nogging.cli import PASS, UNPROVEN
from nogging.cli.capture import summary
from nogging.inventory import load_inventory
from nogging.report.cleaning import clean


class Repeated(StrEnum):
    """Which answer counts."""

    FIRST = FIRST
    LAST = LAST


def command(
    folder: Annotated[Path, typer.Argument(help="FOLDER/<device>/<command>.txt, or a terminal's log.")],
    to: Annotated[Path, typer.Option(help="The directory to write.")],
    dialect: Annotated[str | None, typer.Option(help="What all the devices speak.")] = None,
    inventory: Annotated[Path | None, typer.Option(help="The inventory that says what each speaks.")] = None,
    repeated: Annotated[
        Repeated | None, typer.Option(help="Which answer counts that a log has more than once.")
    ] = None,
) -> int:
    """Makes a capture of saved answers, secrets masked.

    Exit status 3 where a line is unread, or an answer is to a command that no reader knows.
    """
    told = load_inventory(inventory) if inventory else None
    capture = ingest(folder, to, dialect=dialect, inventory=told, repeated=repeated.value if repeated else None)
    print(summary(capture))
    for device, typed in capture.not_asked.items():
        print(f"{device}: left out, since it asks for nothing: {', '.join(repr(clean(command)) for command in typed)}")
    unknown = capture.unknown
    for device, command in unknown:
        print(f"{device}: no reader knows '{clean(command)}', so it has no records; its words are compared")
    return UNPROVEN if capture.records("unread").num_rows or unknown else PASS
