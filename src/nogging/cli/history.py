"""`nogging history`"""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.history import History
from nogging.cli import FAIL, PASS
from nogging.cli.run import Format, FormatOption, print_csv, print_json
from nogging.judging.verdict import many


def command(
    folder: Annotated[Path, typer.Argument(help="A history that 'nogging keep' made.", metavar="DIR")],
    moments: Annotated[bool, typer.Option("--moments", help="List every moment, not only how many there are.")] = False,
    verify: Annotated[bool, typer.Option("--verify", help="Read every text of it, and tell what is damaged.")] = False,
    format: FormatOption = Format.TEXT,
) -> int:
    """What a history holds: from when to when, how many moments, what it takes. Exit status 1 where it is damaged."""
    history = History(folder)
    damage = list(history.check() if verify else history.damage)
    rows = [{"at": turn.at, "missed": turn.missed, "octets": octets} for turn, octets in history.sizes().items()]
    if format is Format.JSON:
        print_json({"moments": rows, "octets": history.octets, "damage": damage})
    elif format is Format.CSV:
        print_csv(rows, ("at", "missed", "octets"))
    else:
        print("\n".join(_lines(history, rows if moments else [], verify)))
        for harm in damage:
            print(f"damaged: {harm}")
    return FAIL if damage else PASS


def _lines(history: History, rows: list[dict[str, object]], verified: bool) -> list[str]:
    turns = history.turns
    if not turns:
        return [f"{history.folder}: nothing was captured yet"]
    missed = sum(turn.missed for turn in turns)
    kept = ", ".join(f"{step} up to a {age}" for age, step in history.rules.steps) or "all of them stay"
    told = [
        f"{history.folder}: {many(len(turns), 'moment')} from {_short(turns[0].at)} to {_short(turns[-1].at)}",
        f"  on the disk   {history.octets / 1e6:.2f} MB, {history.octets / len(turns) / 1e3:.1f} kB a moment",
        f"  as they age   {kept}",
    ]
    told += [f"  missed        {many(missed, 'turn')}"] * bool(missed)
    told += ["  every text was read and is as it was written"] * (verified and not history.damage)
    return told + [f"  @{row['at']:%Y-%m-%dT%H:%M:%S}  {row['octets']:>9} octets" for row in rows]


def _short(moment: datetime) -> str:
    return f"{moment:%Y-%m-%d %H:%M:%S}"
