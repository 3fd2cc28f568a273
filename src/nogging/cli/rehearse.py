"""`nogging rehearse`"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.masking import Masker, user_key
from nogging.changes.plan.rehearse import rehearse
from nogging.changes.plan.rehearsing import Rehearsal
from nogging.changes.told import wording
from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.capture import secret
from nogging.cli.check import STATUS
from nogging.cli.run import (
    Format,
    FormatOption,
    OutsideOption,
    ProgramsOption,
    change_of,
    print_csv,
    print_json,
    print_lines,
    width,
)
from nogging.errors import DeviceError
from nogging.report import plain


def command(
    change: Annotated[Path, typer.Argument(help="The change file.")],
    inventory: Annotated[Path | None, typer.Option(help="The devices, where the change file does not say.")] = None,
    to: Annotated[Path | None, typer.Option("--to", help="Where to keep the state that was captured for it.")] = None,
    format: FormatOption = Format.TEXT,
    outside: OutsideOption = False,
    programs: ProgramsOption = False,
) -> int:
    """Shows what a change would do, line by line, and changes nothing.

    Exit status: 0, or as of the gate; 3 where a device does not tell what it has.
    """
    loaded = change_of(change, inventory)
    try:
        rehearsal, gate, secrets = rehearse(loaded, to=to, ask=secret())
    except DeviceError as error:
        print(f"nogging: {error}; what would be sent there cannot be told", file=sys.stderr)
        return UNPROVEN
    masker = Masker(user_key(), secrets)

    def mask(text: str) -> str:
        return masker.fresh().lines(text)

    if format is Format.TEXT:
        print_lines(wording.rehearsal(rehearsal, gate, loaded.title, width(), mask))
    elif format is Format.CSV:
        print_csv(_rows(rehearsal, mask), ("step", "title", "device", "effect", "section", "line", "removes"))
    else:
        told = {
            "gate": plain.judgement(gate) if gate is not None else None,
            "shut": [mask(line) for line in rehearsal.shut],
        }
        own = {"format": 1, "title": loaded.title, "empty": rehearsal.empty}
        print_json({**own, **told, "lines": _rows(rehearsal, mask), "undoing": _undoing(rehearsal, mask)})
    return FAIL if rehearsal.shut else STATUS[gate.verdict] if gate is not None else PASS


def _undoing(rehearsal: Rehearsal, mask: wording.Mask) -> list[dict[str, object]]:
    """What would take back each device's part in a step, and what nothing is known to."""
    rows: list[dict[str, object]] = []
    for part in (part for part in rehearsal.parts if part.lines):
        lines, left = [mask(line) for line, _ in part.undone_by], [mask(line) for line in part.not_undone]
        rows.append({"step": part.step + 1, "device": part.device.name, "lines": lines, "not_known": left})
    return rows


def _rows(rehearsal: Rehearsal, mask: wording.Mask) -> list[dict[str, object]]:
    rows: list[dict[str, object]] = []
    for step in rehearsal.steps:
        for part in step.parts:
            said = part.leaves.knowledge.said
            own = {"step": step.number + 1, "title": step.title, "device": part.device.name}
            for statement in part.planned:
                removes = [mask(said(away[-1])) for away in statement.removes]
                section = [mask(line) for line in statement.path[:-1]]
                rows.append(
                    {
                        **own,
                        "effect": statement.effect,
                        "section": section,
                        "line": mask(said(statement.path[-1])),
                        "removes": removes,
                    }
                )
            for line in part.plain:
                effect = "there" if line.there else "sent"
                rows.append({**own, "effect": effect, "section": [], "line": mask(line.text), "removes": []})
    return rows
