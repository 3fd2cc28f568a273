"""`nogging findings`"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.findings import Finding, findings
from nogging.cli import PASS
from nogging.cli.capture import secret
from nogging.cli.run import (
    Format,
    FormatOption,
    ProgramsOption,
    captured,
    print_csv,
    print_json,
    print_lines,
    width,
    willing,
)
from nogging.collecting.collect import collect
from nogging.errors import QuestionError
from nogging.inventory import load_inventory
from nogging.report import plain
from nogging.report.cleaning import clean
from nogging.report.text import TextPage

EARLIER, LATER = "earlier", "later"


def command(
    folders: Annotated[
        list[Path],
        typer.Argument(help="Two captures, the earlier first; or an inventory, with --watch.", metavar="DIR…"),
    ],
    rules: Annotated[Path | None, typer.Option(help="A folder with rules of your own, besides.")] = None,
    watch: Annotated[
        int | None, typer.Option(min=1, help="Ask the devices now, and again after so many seconds.")
    ] = None,
    to: Annotated[Path | None, typer.Option(help="With --watch: where both captures are kept.")] = None,
    programs: ProgramsOption = False,
    format: FormatOption = Format.TEXT,
) -> int:
    """Likely causes of what is odd between two captures: counters, both ends of links, logs; with what speaks for each
    and against it. Rules where evidence lacks are silent.
    """
    if len(folders) != (2 if watch is None else 1):
        raise QuestionError("two captures; or an inventory with --watch SECONDS")
    with _kept(to) as place:
        before, after = folders if watch is None else _watched(folders[0], watch, place)
        several = findings(captured(before), captured(after), rules=rules)
    if format is Format.JSON:
        print_json([asdict(finding) for finding in several])
    elif format is Format.CSV:
        print_csv([plain.value(asdict(finding)) for finding in several], Finding.__dataclass_fields__)
    else:
        print_lines(_page(several).lines)
    return PASS


@contextmanager
def _kept(to: Path | None) -> Iterator[Path]:
    """Where two captures are made: a place of the user's, or one for the moment."""
    if to is not None:
        yield to
        return
    with tempfile.TemporaryDirectory(prefix="nogging-") as place:
        yield Path(place)


def _watched(inventory: Path, seconds: int, place: Path) -> tuple[Path, Path]:
    devices, asked = willing(load_inventory(inventory)), secret()
    for name in (EARLIER, LATER):
        collect(devices, place / name, progress=True, ask=asked)
        if name == EARLIER:
            time.sleep(seconds)
    return place / EARLIER, place / LATER


def _page(several: list[Finding]) -> TextPage:
    page = TextPage(width())
    if not several:
        page.line("no rule found anything")
    for n, finding in enumerate(several):
        if n:
            page.blank()
        page.line(finding.title, style="bold")
        page.prose(clean(finding.says), indent=2)
        for label, told in (
            ("for", finding.speaks_for),
            ("against", finding.speaks_against),
            ("next", (finding.next,)),
        ):
            for text in told:
                page.prose(clean(text), indent=2, label=label)
        for place in finding.evidence:
            page.line(place, indent=4, style="dim")
    return page
