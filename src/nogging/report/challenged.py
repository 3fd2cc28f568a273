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


def plain(challenge: Challenge) -> dict[str, Any]:
    """The challenge as plain values."""
    return {
        "format": 1,
        "title": challenge.title,
        "verdict": str(challenge.verdict),
        "tried": len(challenge.tried),
        "let_through": len(challenge.holes),
        "left_out": dict(challenge.left_out),
        "faults": [_row(tried) for tried in challenge.tried],
        "closing": list(challenge.closing),
    }


def _row(tried: Tried) -> dict[str, Any]:
    return {
        "kind": tried.fault.kind,
        "field": tried.fault.field,
        "how": tried.fault.how,
        "fault": tried.fault.title,
        "noticed": not tried.let_through,
        "unproven": tried.unproven,
        "by": list(tried.by),
        "breaks": tried.breaks,
        "cannot_tell": tried.fault.cannot_tell,
    }


def text(challenge: Challenge, width: int) -> Iterable[Text]:
    """The challenge as a page of text."""
    page = TextPage(width)
    holes, tried = challenge.holes, len(challenge.tried)
    label, style = ("PASS", "green") if not holes else ("FAIL", "bold red")
    if challenge.verdict is not Verdict.PASS:
        label, style = "UNPROVEN", "bold yellow"
    page.prose(clean(challenge.title), label=f"{label:<11}", style=style)
    page.prose(f"{tried} faults tried: {tried - len(holes)} noticed, {len(holes)} let through", indent=11)
    if challenge.own_before:
        page.prose("there is no capture from before: this one is taken for it", indent=11, style="dim")
    if challenge.verdict is not Verdict.PASS:
        told = f"without any fault the verdict is {challenge.verdict}; what does so already cannot notice more"
        page.prose(told, indent=11, style="yellow")
    page.blank()
    for kind, several in _by_kind(challenge.tried).items():
        _kind(page, kind, several, challenge.left_out.get(kind, 0))
    if holes:
        _holes(page, challenge)
    page.blank()
    open_ = sorted({trial.fault.cannot_tell for trial in challenge.tried if trial.fault.cannot_tell})
    if open_:
        page.prose(f"A capture cannot tell, and nothing is made up: {'; '.join(open_)}.", style="dim")
    return page.lines


def _holes(page: TextPage, challenge: Challenge) -> None:
    """What was let through, and the expectations that would notice it."""
    page.blank()
    page.line("let through, what breaks most first", style="bold")
    for several in _by_kind(challenge.holes).values():
        first = {hole.fault.sort: hole for hole in reversed(several)}
        for hole in [hole for hole in several if first[hole.fault.sort] is hole][:MOST_HOLES]:
            told = f"{clean(hole.fault.title)} ({hole.breaks} record{'s' * (hole.breaks != 1)})"
            page.prose(told, indent=2, body="red")
        more = len(several) - min(len(first), MOST_HOLES)
        if more:
            page.line(f"  … {more} more of that kind: --format csv", style="dim")
    page.blank()
    page.prose("to close all of them at once, with a capture from before: differences: {other: fail}", style="bold")
    page.line("or, under 'expect':", style="bold")
    for expectation in challenge.closing:
        lines = expectation.split("\n")
        for line in lines[:MOST_LINES]:
            page.line(f"  {line}", style="cyan")
        if len(lines) > MOST_LINES:
            page.line(f"    … {len(lines) - MOST_LINES} more lines: --format json ('closing')", style="dim")


def _by_kind(tried: Iterable[Tried]) -> dict[str, list[Tried]]:
    by_kind: dict[str, list[Tried]] = defaultdict(list)
    for trial in tried:
        by_kind[trial.fault.kind].append(trial)
    return dict(by_kind)


def _kind(page: TextPage, kind: str, several: list[Tried], left_out: int) -> None:
    """What was tried of one kind, and what of it was let through: each field by what became of it."""
    missed = sum(trial.let_through for trial in several)
    page.prose(_told(kind, several), body="red" if missed else "")
    counted: dict[tuple[str, str], list[bool]] = defaultdict(list)
    for trial in several:
        counted[trial.fault.field, trial.fault.how].append(trial.let_through)
    by_field: dict[str, dict[str, list[bool]]] = defaultdict(dict)
    for (field, how), passed in counted.items():
        by_field[field][how] = passed
    holes = {field: hows for field, hows in by_field.items() if any(any(passed) for passed in hows.values())}
    open_ = [field for field, hows in holes.items() if field and all(all(passed) for passed in hows.values())]
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
    told = [f"{how} {sum(passed)} of {len(passed)}" for how, passed in hows.items() if any(passed)]
    return f"{field} ({', '.join(told)})" if field else ", ".join(told)


def _told(kind: str, several: list[Tried]) -> str:
    missed = sum(trial.let_through for trial in several)
    differences = sum(trial.by == (DIFFERENCE,) for trial in several)
    open_ = sum(trial.unproven for trial in several)
    told = f"{len(several) - missed:>5} of {len(several):<5} {kind}"
    more = [f"{differences} only as {DIFFERENCE}"] if differences else []
    more += [f"{open_} only as unproven"] if open_ else []
    return told + (f" ({', '.join(more)})" if more else "")
