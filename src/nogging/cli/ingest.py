"""`nogging ingest`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import PASS, UNPROVEN
from nogging.cli.capture import summary
from nogging.collecting.ingest import ingest
from nogging.inventory import load_inventory


def command(
    folder: Annotated[Path, typer.Argument(help="FOLDER/<device>/<command>.txt, or a terminal's log.")],
    to: Annotated[Path, typer.Option(help="The directory to write.")],
    dialect: Annotated[str | None, typer.Option(help="What all the devices speak.")] = None,
    inventory: Annotated[Path | None, typer.Option(help="The inventory that says what each speaks.")] = None,
) -> int:
    """Makes a capture of saved answers, secrets masked. Exit status 3 when a line is unread."""
    capture = ingest(folder, to, dialect=dialect, inventory=load_inventory(inventory) if inventory else None)
    print(summary(capture))
    return UNPROVEN if capture.records("unread").num_rows else PASS
