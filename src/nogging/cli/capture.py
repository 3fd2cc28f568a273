"""`nogging capture`"""

from __future__ import annotations

import getpass
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED, DeviceEntry
from nogging.cli import PASS, UNPROVEN
from nogging.cli.run import ProgramsOption, willing
from nogging.collecting.beginning import found_out, inventory_of, newcomers, secret_at
from nogging.collecting.collect import collect
from nogging.collecting.credentials import REFUSALS
from nogging.collecting.visiting import AT_ONCE, TRIES, Limits
from nogging.errors import QuestionError
from nogging.inventory import Inventory, load_inventory


def command(
    inventory: Annotated[
        list[str],
        typer.Argument(metavar="INVENTORY", help="The inventory, YAML or CSV; or devices: [USER@]ADDRESS[:PORT] each."),
    ],
    to: Annotated[Path, typer.Option(help="The directory to write; or an address in storage.")],
    on: Annotated[str | None, typer.Option(help="Only devices for which this predicate holds.")] = None,
    kinds: Annotated[str | None, typer.Option(help="Only these kinds of records, by commas.")] = None,
    ask: Annotated[list[str] | None, typer.Option("--command", help="A command to ask as well.")] = None,
    any_command: Annotated[bool, typer.Option(help="Ask also what is not known to read only.")] = False,
    ping: Annotated[
        list[str] | None,
        typer.Option(help="Each device sends echoes there: ADDRESS, 'ADDRESS in VRF', several by commas, or a file."),
    ] = None,
    trace: Annotated[list[str] | None, typer.Option(help="Each device traces the path there, named alike.")] = None,
    from_here: Annotated[bool, typer.Option("--from-here", help="This machine does so as well, as 'here'.")] = False,
    resume: Annotated[bool, typer.Option(help="Go on with a capture that was interrupted.")] = False,
    log: Annotated[bool, typer.Option(help="Keep every byte of the sessions, secrets masked.")] = False,
    at_once: Annotated[int, typer.Option(min=1, help="How many devices at a time.")] = AT_ONCE,
    tries: Annotated[int, typer.Option(min=1, help="How often a connection is tried.")] = TRIES,
    refusals: Annotated[int, typer.Option(min=1, help="How many refusals of one credential are borne.")] = REFUSALS,
    within: Annotated[float | None, typer.Option(min=1, help="Seconds that the whole run may take.")] = None,
    password: Annotated[
        str, typer.Option(help="Of devices without an inventory: prompt, environment=NAME, file=PATH, none.")
    ] = "",
    workers: Annotated[
        str, typer.Option(metavar="ADDRESS", help="From the workers of this Dask scheduler; a number: so many, here.")
    ] = "",
    programs: ProgramsOption = False,
) -> int:
    """Captures the operational state of the devices into a directory.

    Without an inventory, what each device speaks is found out, and its host key has to be known to SSH.
    Exit status 3 when a device could not be captured in full: what it lacks will be unproven.
    """
    devices = _devices(inventory, password).on(on)
    wanted = [kind.strip() for kind in kinds.split(",")] if kinds else None
    capture = collect(
        devices,
        to,
        kinds=wanted,
        commands=ask or (),
        any_command=any_command,
        ping=ping or (),
        trace=trace or (),
        from_here=from_here,
        limits=Limits(at_once=at_once, tries=tries, refusals=refusals, within=within),
        resume=resume,
        log=log,
        progress=True,
        ask=secret(),
        workers=workers,
    )
    print(summary(capture))
    return PASS if all(device.outcome == CAPTURED for device in capture.devices.values()) else UNPROVEN


def _devices(named: list[str], password: str) -> Inventory:
    """The devices of an inventory; or those that are named themselves, as far as it is found out what they speak."""
    if len(named) == 1 and Path(named[0]).suffix.lower() in (".yaml", ".yml", ".csv"):
        return willing(load_inventory(named[0]))
    several = newcomers(named)
    inventory = inventory_of(several, getpass.getuser(), secret_at(password or ("prompt" if secret() else "none")))
    probed = found_out(several, inventory, secret())
    for device in probed:
        if device.outcome:
            raise QuestionError(f"{device.device.name}: {device.reason}")
    devices = tuple(device.device for device in probed)
    return replace(inventory, devices=devices, everyone=devices)


def secret() -> Callable[[str], str] | None:
    """Asks for a secret on the terminal without showing it; None where there is no terminal."""
    if not sys.stdin.isatty():
        return None
    return lambda what: str(typer.prompt(what[:1].upper() + what[1:], hide_input=True, err=True))


def summary(capture: Capture) -> str:
    """One line that says what came back, and more where something did not."""
    whole = sum(device.outcome == CAPTURED for device in capture.devices.values())
    answers = sum(device.commands_answered for device in capture.devices.values())
    unread = capture.records("unread").num_rows
    lines = [
        f"{capture.called}: {whole} of {len(capture.devices)} devices captured, {answers} answers, "
        f"{unread} unread line{'s' * (unread != 1)}"
    ]
    lines += [f"  {name}: {_told(entry)}" for name, entry in capture.devices.items() if entry.outcome != CAPTURED]
    return "\n".join(lines)


def _told(entry: DeviceEntry) -> str:
    return f"{entry.outcome.replace('_', ' ')}: {entry.reason}" if entry.reason else entry.outcome.replace("_", " ")
