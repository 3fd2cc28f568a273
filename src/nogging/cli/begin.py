"""`nogging begin`"""

from __future__ import annotations

import getpass
import sys
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.writing import replace_text
from nogging.cli import PASS, UNPROVEN
from nogging.cli.capture import secret, summary
from nogging.cli.run import print_lines, width
from nogging.cli.trust import print_keys
from nogging.collecting.beginning import (
    EXPECTATIONS,
    INVENTORY,
    KNOWN_HOSTS,
    found_out,
    inventory_of,
    inventory_text,
    lay,
    newcomers,
    secret_at,
)
from nogging.collecting.collect import collect
from nogging.collecting.finding import FoundDevice
from nogging.collecting.trust import CHANGED, NEW, host_keys, pin
from nogging.errors import QuestionError
from nogging.inventory import Inventory, load_inventory
from nogging.judging.check import check
from nogging.judging.draft import draft
from nogging.report import text
from nogging.report.cleaning import clean


def command(
    sources: Annotated[
        list[str],
        typer.Argument(metavar="DEVICE...", help="[USER@]ADDRESS[:PORT], or a file of them: CSV, hosts file, list."),
    ],
    to: Annotated[Path, typer.Option(help="The folder to make.")],
    user: Annotated[str, typer.Option(help="Who logs in, where a device does not say.")] = "",
    password: Annotated[
        str, typer.Option(help="Where the password is: prompt, environment=NAME, file=PATH, keyring=SERVICE, none.")
    ] = "",
    to_pin: Annotated[bool, typer.Option("--pin", help="Pin the host keys without asking.")] = False,
) -> int:
    """Makes a folder for a network: an inventory (what each device speaks is found out), a first capture,
    expectations drafted from it, a change to fill in, and the steps of a pipeline.

    Only asks what reads. Exit status 3 where a device was not found out, or not captured in full.
    """
    if (to / INVENTORY).exists():
        raise QuestionError(f"{to / INVENTORY} is there already; name another folder with --to")
    several = newcomers(sources)
    user = user or getpass.getuser()
    place = secret_at(password or ("prompt" if sys.stdin.isatty() else "none"))
    to.mkdir(parents=True, exist_ok=True)
    inventory = inventory_of(several, user, place, to.resolve(), KNOWN_HOSTS)
    _trusted(inventory, to_pin)
    identified = found_out(several, inventory, secret())
    _print(identified)
    if all(device.outcome for device in identified):
        raise QuestionError("of no device it was found out what it speaks; nothing was made of it")
    lay(to, inventory_text(identified, user, place))
    capture = collect(load_inventory(to / INVENTORY), to / "captures/first", progress=True, ask=secret())
    print(summary(capture))
    replace_text(to / EXPECTATIONS, draft([capture]))
    judgement = check(to / EXPECTATIONS, after=capture)
    print(f"{to / EXPECTATIONS}: {len(judgement.results)} expectations, drafted from it. The first verdict:")
    print_lines([text.judgement(judgement, width())[0]])
    print(f"\nnext: read {to / 'README.md'}; what is to be so stands in {to / EXPECTATIONS}, to be read and corrected")
    whole = not any(device.outcome for device in identified) and all(
        device.outcome == "captured" for device in capture.devices.values()
    )
    return PASS if whole else UNPROVEN


def _trusted(inventory: Inventory, to_pin: bool) -> None:
    """Pins the host keys that the devices present, once somebody has seen them."""
    keys = host_keys(inventory)
    print_keys(keys, set())
    changed = [key.device for key in keys if key.state == CHANGED]
    if changed:
        raise QuestionError(f"the host key of {', '.join(changed)} has changed; find out why before anything else")
    if any(host_key.state == NEW for host_key in keys) and not to_pin:
        if not sys.stdin.isatty():
            raise QuestionError(
                "these host keys are not pinned yet; compare them with the devices' own, then say --pin"
            )
        if not typer.confirm("are these their host keys?", err=True):
            raise QuestionError("no key was pinned, and nobody was logged in to")
    pin(keys)


def _print(identified: list[FoundDevice]) -> None:
    wide = max(len(device.device.name) for device in identified)
    for device in identified:
        told = f"{device.outcome.replace('_', ' ')}: {device.reason}" if device.outcome else device.device.dialect
        print(f"{device.device.name:<{wide}}  {clean(told)}")
