"""A challenge told: how many faults of each sort were noticed, which were not, and what would close the holes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import Any

from rich.text import Text

from nogging.judging.challenge import DIFFERENCE, Challenge, Tried
from nogging.judging.verdict import Verdict
from nogging.report.text import Page, clean

MOST_HOLES = 2
"""Of each sort; --format json has them all."""


def plain(found: Challenge) -> dict[str, Any]:
    """The challenge as plain values."""
    return {
        "format": 1,
        "title": found.title,
        "verdict": str(found.verdict),
        "tried": len(found.tried),
        "let_through": len(found.holes),
        "faults": [_row(one) for one in found.tried],
        "closing": list(found.closing),
    }


def _row(one: Tried) -> dict[str, Any]:
    return {
        "sort": one.fault.sort,
        "fault": one.fault.title,
        "noticed": not one.let_through,
        "unproven": one.unproven,
        "by": list(one.by),
        "breaks": one.breaks,
        "cannot_tell": one.fault.cannot_tell,
    }


def text(found: Challenge, width: int) -> Iterable[Text]:
    """The challenge as a page of text."""
    page = Page(width)
    holes, tried = found.holes, len(found.tried)
    label, style = ("PASS", "green") if not holes else ("FAIL", "bold red")
    if found.verdict is not Verdict.PASS:
        label, style = "UNPROVEN", "bold yellow"
    page.prose(clean(found.title), label=f"{label:<11}", style=style)
    page.prose(f"{tried} faults tried: {tried - len(holes)} noticed, {len(holes)} let through", indent=11)
    if found.own_before:
        page.prose("there is no capture from before: this one is taken for it", indent=11, style="dim")
    if found.verdict is not Verdict.PASS:
        told = f"without any fault the verdict is {found.verdict}; what does so already cannot notice more"
        page.prose(told, indent=11, style="yellow")
    page.blank()
    for sort, several in _by_sort(found.tried).items():
        missed = any(one.let_through for one in several)
        page.prose(_told(sort, several), body="red" if missed else "")
    if holes:
        _holes(page, found)
    page.blank()
    open_ = sorted({one.fault.cannot_tell for one in found.tried if one.fault.cannot_tell})
    if open_:
        page.prose(f"A capture cannot tell, and nothing is made up: {'; '.join(open_)}.", style="dim")
    return page.lines


def _holes(page: Page, found: Challenge) -> None:
    """What was let through, and the expectations that would notice it."""
    page.blank()
    page.line("let through, what breaks most first", style="bold")
    for several in _by_sort(found.holes).values():
        for one in several[:MOST_HOLES]:
            told = f"{clean(one.fault.title)} ({one.breaks} record{'s' * (one.breaks != 1)})"
            page.prose(told, indent=2, body="red")
        if len(several) > MOST_HOLES:
            page.line(f"  … {len(several) - MOST_HOLES} more like it", style="dim")
    page.blank()
    page.line("to close the holes, under 'expect':", style="bold")
    for expectation in found.closing:
        for line in expectation.split("\n"):
            page.line(f"  {line}", style="cyan")


def _by_sort(tried: Iterable[Tried]) -> dict[str, list[Tried]]:
    found: dict[str, list[Tried]] = defaultdict(list)
    for one in tried:
        found[one.fault.sort].append(one)
    return dict(found)


def _told(sort: str, several: list[Tried]) -> str:
    missed = sum(one.let_through for one in several)
    differences = sum(one.by == (DIFFERENCE,) for one in several)
    open_ = sum(one.unproven for one in several)
    told = f"{len(several) - missed:>5} of {len(several):<5} {sort}"
    more = [f"{differences} only as {DIFFERENCE}"] if differences else []
    more += [f"{open_} only as unproven"] if open_ else []
    return told + (f" ({', '.join(more)})" if more else "")
