"""`nogging trust`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.run import Format, FormatOption, ProgramsOption, print_csv, print_json, print_lines, willing
from nogging.collecting.trust import CHANGED, FAILED, NEW, PINNED, HostKey, host_keys, pin
from nogging.inventory import load_inventory
from nogging.report.cleaning import clean

_STYLES = {PINNED: "green", NEW: "yellow", CHANGED: "bold red", FAILED: "red"}


def command(
    inventory: Annotated[Path, typer.Argument(help="The inventory, YAML or CSV.")],
    on: Annotated[str | None, typer.Option(help="Only devices for which this predicate holds.")] = None,
    to_pin: Annotated[bool, typer.Option("--pin", help="Pin the keys that are new.")] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Pin also the keys that have changed.")] = False,
    format: FormatOption = Format.TEXT,
    programs: ProgramsOption = False,
) -> int:
    """Shows the host keys that the devices present, against those that are pinned; logs in nowhere.

    Compare a new key with the device's own, on its console, before you pin it. Exit status 0 when all are
    pinned, 1 when one has changed, 3 when one is new or could not be had.
    """
    keys = host_keys(willing(load_inventory(inventory)).on(on), ask=secret())
    written = {key.device for key in (pin(keys, replace) if to_pin or replace else ())}
    if format is Format.JSON:
        print_json([_plain(key, key.device in written) for key in keys])
    elif format is Format.CSV:
        rows = [_plain(key, key.device in written) for key in keys]
        print_csv(rows, ("device", "state", "fingerprint", "known", "reason", "written"))
    else:
        print_keys(keys, written)
        _advise(keys, written)
    left = {key.state for key in keys if key.device not in written}
    return FAIL if CHANGED in left else UNPROVEN if left - {PINNED} else PASS


def _plain(key: HostKey, written: bool) -> dict[str, object]:
    return {**asdict(key), "known": list(key.known), "path": str(key.path), "written": written}


def print_keys(keys: list[HostKey], written: set[str]) -> None:
    """Each device with the state of its host key, and its fingerprint."""
    width = max(len(key.device) for key in keys)
    for key in keys:
        state = f"{key.state}, pinned now" if key.device in written else key.state
        line = Text(f"{key.device:<{width}}  ").append(state, style=_STYLES[key.state])
        print_lines([line.append(f"  {clean(key.reason or key.fingerprint)}")])
        if key.state == CHANGED:
            print_lines([Text(f"{'':<{width}}  it was {', '.join(key.known)}")])


def _advise(keys: list[HostKey], written: set[str]) -> None:
    new = [key for key in keys if key.state == NEW and key.device not in written]
    if new:
        print(f"\n{len(new)} new: compare with the devices' own, then: nogging trust … --pin")
