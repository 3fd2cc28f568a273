"""`nogging probe`"""

from __future__ import annotations

import sys
import textwrap
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from nogging.cli import PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.run import Format, FormatOption, ProgramsOption, print_csv, print_json, print_lines, width, willing
from nogging.collecting.probe import WELL, Probed, probe
from nogging.inventory import load_inventory
from nogging.report import text


def command(
    inventory: Annotated[Path, typer.Argument(help="The inventory, YAML or CSV.")],
    on: Annotated[str | None, typer.Option(help="Only devices for which this predicate holds.")] = None,
    format: FormatOption = Format.TEXT,
    programs: ProgramsOption = False,
) -> int:
    """Can each device be reached, logged in to and understood? Exit status 3 when one cannot."""
    found = probe(willing(load_inventory(inventory)).on(on), ask=secret())
    if format is Format.JSON:
        print_json([asdict(one) for one in found])
    elif format is Format.CSV:
        print_csv([_row(one) for one in found], _row(found[0]))
    else:
        _print(found)
    return PASS if all(one.outcome == WELL for one in found) else UNPROVEN


def _row(one: Probed) -> dict[str, str]:
    privileged = "" if one.privileged is None else ("yes" if one.privileged else "no")
    return {
        "device": one.device,
        "outcome": one.outcome.replace("_", " "),
        "host key": one.host_key,
        "prompt": one.prompt,
        "privileged": privileged,
        "skew": "" if one.skew is None else f"{one.skew:+g} s",
        "kinds": ", ".join(one.kinds),
    }


def _print(found: list[Probed]) -> None:
    rows = [{name: value for name, value in _row(one).items() if name != "kinds"} for one in found]
    print_lines(text.records(rows, width() if sys.stdout.isatty() else None))
    print()
    for kinds in dict.fromkeys(_row(one)["kinds"] for one in found):
        devices = [one.device for one in found if _row(one)["kinds"] == kinds]
        whom = f"all {len(found)}" if len(devices) == len(found) else ", ".join(devices)
        print(textwrap.fill(f"kinds that can be read on {whom}: {kinds or 'none'}", 79, subsequent_indent="  "))
    ill = [one for one in found if one.outcome != WELL]
    for one in ill:
        print_lines([Text(f"{one.device}: {one.reason}", style="red")])
    print(f"{len(found) - len(ill)} of {len(found)} devices are well")
