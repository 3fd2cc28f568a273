"""A challenge told: how many faults of each sort were noticed, which were not, and what would close the holes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from typing import Any

from rich.text import Text

from nogging.judging.challenge import DIFFERENCE, Challenge, Tried
from nogging.judging.verdict import Verdict
from nogging.report.cleaning import clean
from nogging.report.text import TextPage

MOST_HOLES = 5
"""Of each kind; --format json has them all."""
MOST_LINES = 7
"""Of an expectation that would notice something."""


def plain(found: Challenge) -> dict[str, Any]:
    """The challenge as plain values."""
    return {
        "format": 1,
        "title": found.title,
        "verdict": str(found.verdict),
        "tried": len(found.tried),
        "let_through": len(found.holes),
        "left_out": dict(found.left_out),
        "faults": [_row(one) for one in found.tried],
        "closing": list(found.closing),
    }


def _row(one: Tried) -> dict[str, Any]:
    return {
        "kind": one.fault.kind,
        "field": one.fault.field,
        "how": one.fault.how,
        "fault": one.fault.title,
        "noticed": not one.let_through,
        "unproven": one.unproven,
        "by": list(one.by),
        "breaks": one.breaks,
        "cannot_tell": one.fault.cannot_tell,
    }


def text(found: Challenge, width: int) -> Iterable[Text]:
    """The challenge as a page of text."""
    page = TextPage(width)
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
    for kind, several in _by_kind(found.tried).items():
        _kind(page, kind, several, found.left_out.get(kind, 0))
    if holes:
        _holes(page, found)
    page.blank()
    open_ = sorted({one.fault.cannot_tell for one in found.tried if one.fault.cannot_tell})
    if open_:
        page.prose(f"A capture cannot tell, and nothing is made up: {'; '.join(open_)}.", style="dim")
    return page.lines


def _holes(page: TextPage, found: Challenge) -> None:
    """What was let through, and the expectations that would notice it."""
    page.blank()
    page.line("let through, what breaks most first", style="bold")
    for several in _by_kind(found.holes).values():
        first = {one.fault.sort: one for one in reversed(several)}
        for one in [one for one in several if first[one.fault.sort] is one][:MOST_HOLES]:
            told = f"{clean(one.fault.title)} ({one.breaks} record{'s' * (one.breaks != 1)})"
            page.prose(told, indent=2, body="red")
        more = len(several) - min(len(first), MOST_HOLES)
        if more:
            page.line(f"  … {more} more of that kind: --format csv", style="dim")
    page.blank()
    page.prose("to close all of them at once, with a capture from before: differences: {other: fail}", style="bold")
    page.line("or, under 'expect':", style="bold")
    for expectation in found.closing:
        lines = expectation.split("\n")
        for line in lines[:MOST_LINES]:
            page.line(f"  {line}", style="cyan")
        if len(lines) > MOST_LINES:
            page.line(f"    … {len(lines) - MOST_LINES} more lines: --format json ('closing')", style="dim")


def _by_kind(tried: Iterable[Tried]) -> dict[str, list[Tried]]:
    found: dict[str, list[Tried]] = defaultdict(list)
    for one in tried:
        found[one.fault.kind].append(one)
    return dict(found)


def _kind(page: TextPage, kind: str, several: list[Tried], left_out: int) -> None:
    """What was tried of one kind, and what of it was let through: each field by what became of it."""
    missed = sum(one.let_through for one in several)
    page.prose(_told(kind, several), body="red" if missed else "")
    counted: dict[tuple[str, str], list[bool]] = defaultdict(list)
    for one in several:
        counted[one.fault.field, one.fault.how].append(one.let_through)
    by_field: dict[str, dict[str, list[bool]]] = defaultdict(dict)
    for (field, how), found in counted.items():
        by_field[field][how] = found
    holes = {field: hows for field, hows in by_field.items() if any(any(found) for found in hows.values())}
    open_ = [field for field, hows in holes.items() if field and all(all(found) for found in hows.values())]
    partly = [_partly(field, hows) for field, hows in holes.items() if field not in open_]
    told_of = (
        ("let through, whatever becomes of", open_),
        ("let through", partly),
        ("noticed", [field or ", ".join(hows) for field, hows in by_field.items() if field not in holes]),
    )
    for lead, names in told_of:
        if names:
            page.prose(f"{lead}: {', '.join(names)}", indent=11, body="" if lead != "noticed" else "dim")
    if left_out:
        alike = f"{left_out} record{'s' * (left_out != 1)} not tried: others of the device say the same, or are many"
        page.prose(alike, indent=11, body="dim")


def _partly(field: str, hows: Mapping[str, list[bool]]) -> str:
    """What of a field, or of the records themselves (no field), is let through, and what not."""
    told = [f"{how} {sum(found)} of {len(found)}" for how, found in hows.items() if any(found)]
    return f"{field} ({', '.join(told)})" if field else ", ".join(told)


def _told(kind: str, several: list[Tried]) -> str:
    missed = sum(one.let_through for one in several)
    differences = sum(one.by == (DIFFERENCE,) for one in several)
    open_ = sum(one.unproven for one in several)
    told = f"{len(several) - missed:>5} of {len(several):<5} {kind}"
    more = [f"{differences} only as {DIFFERENCE}"] if differences else []
    more += [f"{open_} only as unproven"] if open_ else []
    return told + (f" ({', '.join(more)})" if more else "")
