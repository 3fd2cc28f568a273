"""`nogging findings`"""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.findings import Finding, findings
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines, width
from nogging.report import plain
from nogging.report.cleaning import clean
from nogging.report.text import Page


def command(
    before: Annotated[Path, typer.Argument(help="The earlier capture.")],
    after: Annotated[Path, typer.Argument(help="The later one.")],
    rules: Annotated[Path | None, typer.Option(help="A folder with rules of your own, besides.")] = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """Likely causes of what is odd between two captures: counters, both ends of links, logs; with what speaks for each
    and against it. Rules where evidence lacks are silent.
    """
    found = findings(captured(before), captured(after), rules=rules)
    if format is Format.JSON:
        print_json([asdict(one) for one in found])
    elif format is Format.CSV:
        print_csv([plain.value(asdict(one)) for one in found], Finding.__dataclass_fields__)
    else:
        print_lines(_page(found).lines)
    return PASS


def _page(found: list[Finding]) -> Page:
    page = Page(width())
    if not found:
        page.line("no rule found anything")
    for n, one in enumerate(found):
        if n:
            page.blank()
        page.line(one.title, style="bold")
        page.prose(clean(one.says), indent=2)
        for label, told in (("for", one.speaks_for), ("against", one.speaks_against), ("next", (one.next,))):
            for text in told:
                page.prose(clean(text), indent=2, label=label)
        for place in one.evidence:
            page.line(place, indent=4, style="dim")
    return page
