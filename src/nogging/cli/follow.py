"""`nogging follow`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.saved import opened
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines
from nogging.report.routes import beside, ways, well
from nogging.routing.follow import follow
from nogging.routing.lookup import DEFAULT
from nogging.routing.traced import traced


def command(
    source: Annotated[str, typer.Argument(metavar="FROM", help="The device where the packet begins.")],
    target: Annotated[str, typer.Argument(metavar="TO", help="The address, or the device, that it is for.")],
    directory: Annotated[Path, typer.Argument(metavar="DIR", help="The capture.")],
    vrf: Annotated[str, typer.Option(help="In this routing instance.")] = DEFAULT,
    one_way: Annotated[bool, typer.Option("--one-way", help="Not back as well, where TO is a device.")] = False,
    format: FormatOption = Format.TEXT,
) -> int:
    """The path that a packet takes through the captured tables, with every branch, and back.

    Beside it stands the path as it was traced, where the capture has it (capture --trace). Exit status 1 where one is
    dropped, has no route, goes round in a loop or was traced elsewhere; 3 where one leaves what was captured.
    """
    capture = opened(captured(directory))
    ends = [(source, target)] + [(target, source)] * (target in capture.devices and not one_way)
    paths = [(*end, follow(capture, *end, vrf)) for end in ends]
    seen = [traced(capture, *pair, vrf) for pair in paths]  # what happened, beside what the tables promise
    if format is Format.TEXT:
        for n, pair in enumerate(paths):
            print_lines(ways(*pair))
            if (path := seen[n]) is not None:
                print_lines(beside(path))
            if n + 1 < len(paths):
                print()
    else:
        rows = [
            {"from": a, "to": b, **asdict(way), "devices": list(way.devices), "traced": path and asdict(path)}
            for (a, b, all_), path in zip(paths, seen, strict=True)
            for way in all_
        ]
        print_json(rows) if format is Format.JSON else print_csv(rows, ("from", "to", "ending", "why", "devices"))
    states = [well(way) for _, _, all_ in paths for way in all_]
    states += [path.agrees and (path.arrived or None) for path in seen if path is not None]
    return FAIL if False in states else (UNPROVEN if None in states else PASS)
