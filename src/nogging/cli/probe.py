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
    probed = probe(willing(load_inventory(inventory)).on(on), ask=secret())
    if format is Format.JSON:
        print_json([asdict(device) for device in probed])
    elif format is Format.CSV:
        print_csv([_row(device) for device in probed], _row(probed[0]))
    else:
        _print(probed)
    return PASS if all(device.outcome == WELL for device in probed) else UNPROVEN


def _row(probed: Probed) -> dict[str, str]:
    privileged = "" if probed.privileged is None else ("yes" if probed.privileged else "no")
    return {
        "device": probed.device,
        "outcome": probed.outcome.replace("_", " "),
        "host key": probed.host_key,
        "prompt": probed.prompt,
        "privileged": privileged,
        "skew": "" if probed.skew is None else f"{probed.skew:+g} s",
        "kinds": ", ".join(probed.kinds),
    }


def _print(probed: list[Probed]) -> None:
    rows = [{name: value for name, value in _row(device).items() if name != "kinds"} for device in probed]
    print_lines(text.records(rows, width() if sys.stdout.isatty() else None))
    print()
    for kinds in dict.fromkeys(_row(device)["kinds"] for device in probed):
        devices = [device.device for device in probed if _row(device)["kinds"] == kinds]
        whom = f"all {len(probed)}" if len(devices) == len(probed) else ", ".join(devices)
        print(textwrap.fill(f"kinds that can be read on {whom}: {kinds or 'none'}", 79, subsequent_indent="  "))
    ill = [device for device in probed if device.outcome != WELL]
    for device in ill:
        print_lines([Text(f"{device.device}: {device.reason}", style="red")])
    print(f"{len(probed) - len(ill)} of {len(probed)} devices are well")
