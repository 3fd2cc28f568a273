"""`nogging demo`"""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from nogging.changes.file.declared import load_change
from nogging.changes.plan.rehearse import rehearse
from nogging.changes.run.journal import JOURNAL
from nogging.changes.run.outcome import Performance, State
from nogging.changes.run.performing import perform
from nogging.changes.told import wording
from nogging.changes.told.reporting import write_page
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.perform import print_event
from nogging.cli.run import print_lines, width
from nogging.standin import served
from nogging.standin.scenario import DEVICES


def command(
    fault: Annotated[
        bool, typer.Option("--fault", help="Stop once the change with the mistake is backed out.")
    ] = False,
    folder: Annotated[Path, typer.Option("--to", help="The folder that is left behind.")] = Path("teal-sound"),
) -> int:
    """Starts the stand-in network and takes it through a change over SSH: first with a mistake in it, which is found
    and backed out; then as it should be.

    Exit status: 0 where both ended as they should, with --fault 1 once all is as it was.
    """
    ways = [_performed_in(folder, name) for name in ("mistaken", "change")]
    for way in ways:
        if (way / JOURNAL).is_file():  # from an earlier time
            shutil.rmtree(way)
    with served(folder) as sound:
        print(f"Teal Sound Ferries: {len(DEVICES)} devices on this machine, over SSH")
        mistaken = _performed(sound.mistaken, ways[0])
        good = None if fault else _performed(sound.change, ways[1])
    print_lines([Text(), Text(_left_behind(folder, fault))])
    if mistaken.state is not State.AS_BEFORE:
        return UNPROVEN
    return FAIL if good is None else PASS if good.state is State.IN else UNPROVEN


def _performed_in(folder: Path, name: str) -> Path:
    return folder / f"{name}-performed"


def _performed(file: Path, to: Path) -> Performance:
    change = load_change(file)
    _headline(f"nogging rehearse {file}")
    rehearsal, gate, _ = rehearse(change)
    print_lines(wording.rehearsal(rehearsal, gate, change.title, width(), str))
    _headline(f"nogging perform {file}")
    done = perform(change, to=to, tell=print_event)
    print_lines(wording.performance(done, width()))
    print_lines([Text(), Text(f"the page: {write_page(to)}")])
    return done


def _headline(command: str) -> None:
    print_lines([Text(), Text("─" * min(width(), 80), style="dim"), Text(f"$ {command}", style="bold"), Text()])


def _left_behind(folder: Path, fault: bool) -> str:
    done = _performed_in(folder, "mistaken")
    rows = [
        (f"nogging check {folder}/expectations.yaml --before {done}/before --after {done}/after", ""),
        (f"nogging compare {done}/before {done}/after", ""),
        (f"nogging records neighbor {done}/after --where \"protocol = 'ospf'\"", ""),
        (f"nogging stand-in {folder}", "the network, to capture and to change"),
    ]
    told = "".join(f"\n  {command:<36}{note}".rstrip() for command, note in rows)
    return f"Left in {folder}/: the inventory, both changes, and all that came of them. Go on by hand:{told}"
