"""`nogging demo`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from nogging.changes.sending import Step, send
from nogging.cli.capture import Telling, summary
from nogging.cli.check import STATUS
from nogging.cli.run import print_lines, width
from nogging.collecting.collect import collect
from nogging.inventory import Inventory, load_inventory
from nogging.judging.check import check
from nogging.report import text
from nogging.standin import served
from nogging.standin.demo import mishap, steps
from nogging.standin.scenario import DEVICES


def command(
    fault: Annotated[bool, typer.Option("--fault", help="The change is done badly.")] = False,
    folder: Annotated[Path, typer.Option("--to", help="The folder that is left behind.")] = Path("teal-sound"),
) -> int:
    """Starts the stand-in network, takes it through a change over SSH, and judges the change.

    Exit status as of `nogging check`: 0 for the change done well, 1 with --fault.
    """
    with served(folder) as sound:
        inventory = load_inventory(sound.inventory)
        print(f"Teal Sound Ferries: {len(DEVICES)} devices on this machine, over SSH\n")
        before = _captured(inventory, folder / "before")
        print(f"\nthe change{', done badly' if fault else ''}:")
        for step in steps(fault):
            print(_told(step))
        send(inventory, steps(fault))
        if fault:
            mishap(sound.network)
            print(f"  {'heron-r1':<11}(a cable falls out of GigabitEthernet0/0)")
        print()
        after = _captured(inventory, folder / "after")
    found = check(sound.expectations, after=after, before=before)
    print("─" * min(width(), 80))
    print_lines(text.judgement(found, width()))
    print_lines([Text(""), Text(_left_behind(folder, fault))])
    return STATUS[found.verdict]


def _captured(inventory: Inventory, to: Path) -> Path:
    with Telling(len(inventory)) as tell:
        capture = collect(inventory, to, progress=tell)
    print(summary(capture))
    return to


def _told(step: Step) -> str:
    return f"  {step.device:<11}" + "; ".join(step.lines)


def _left_behind(folder: Path, fault: bool) -> str:
    other = ("nogging demo", "the same change, done well") if fault else ("nogging demo --fault", "done badly")
    rows = [
        (f"nogging compare {folder}/before {folder}/after", ""),
        (f"nogging check {folder}/expectations.yaml --before {folder}/before --after {folder}/after", ""),
        (f"nogging records neighbor {folder}/after --where \"protocol = 'ospf'\"", ""),
        (f"nogging stand-in {folder}", "the network, to capture and to change"),
        other,
    ]
    told = "".join(f"\n  {command:<36}{note}".rstrip() for command, note in rows)
    return f"Left in {folder}/: inventory.yaml, before/, after/, expectations.yaml. Go on by hand:{told}"
