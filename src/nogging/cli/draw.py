"""`nogging draw`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import PASS
from nogging.cli.run import captured
from nogging.drawing.draw import draw


def command(
    what: Annotated[str, typer.Argument(help="routes, rates, flaps or fleet.", metavar="FIGURE")],
    folders: Annotated[list[Path], typer.Argument(help="A capture, or two, the earlier first.", metavar="DIR…")],
    to: Annotated[Path, typer.Option(help="The file to write: .png, .svg or .pdf.")],
    where: Annotated[
        str | None, typer.Option(help="Only routes, or interfaces, for which this predicate holds.")
    ] = None,
    by: Annotated[str, typer.Option(help="Lay a fleet out by this: dialect, or a label (label.site).")] = "",
) -> int:
    """A figure, where people look rather than read; it can be printed, and needs no colour.

    routes: by protocol and next hop, before and after. rates: octets and faults a second, port by port. flaps: what
    went down and up, on a time line. fleet: the devices by a label, and how much of each is not well.
    """
    drawing = draw(what, *map(captured, folders), where=where, by=by)
    print(f"{drawing.save(to)}: {drawing.says}")
    return PASS
