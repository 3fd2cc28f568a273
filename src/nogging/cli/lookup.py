"""`nogging lookup`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.saved import opened
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines
from nogging.report.routes import matches
from nogging.routing.lookup import DEFAULT, Tables, lookup, parsed


def command(
    address: Annotated[str, typer.Argument(help="The address to look up.")],
    directory: Annotated[Path, typer.Argument(metavar="DIR", help="The capture.")],
    on: Annotated[str | None, typer.Option(help="Only on this device.")] = None,
    vrf: Annotated[str, typer.Option(help="In this routing instance.")] = DEFAULT,
    format: FormatOption = Format.TEXT,
) -> int:
    """Where each device sends an address: the longest match, with every next hop.

    Exit status 1 where a device has no route to it, 3 where its table may lack one, or a longer one.
    """
    capture = opened(captured(directory))
    routes = lookup(capture, address, on, vrf)
    tables, wanted = Tables(capture), parsed(address)
    doubts = {
        name: why for name, route in routes.items() if (why := route.doubt if route else tables.doubt(name, wanted))
    }
    if format is Format.TEXT:
        print_lines(matches(routes, doubts))
    else:
        rows = [
            {"device": name, "reason": doubts.get(name, ""), **(asdict(route) if route else {})}
            for name, route in routes.items()
        ]
        names = ("device", "vrf", "prefix", "source_protocol", "hops", "answer", "lines", "reason")
        print_json(rows) if format is Format.JSON else print_csv(rows, names)
    if any(route is None and name not in doubts for name, route in routes.items()):
        return FAIL
    return UNPROVEN if doubts else PASS
