"""A performance as it goes into a ticket or a pipeline: Markdown, JUnit XML, JSON; from what its folder holds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from nogging.changes.run.outcome import State
from nogging.changes.told import reporting
from nogging.changes.told.wording import meaning, probed
from nogging.judging.verdict import Judgement, Verdict
from nogging.report import junit, markdown, plain, restored

_VERDICTS = {State.IN: Verdict.PASS, State.ACT: Verdict.UNPROVEN}


@dataclass(frozen=True)
class Ticket:
    """How a performance ended; `state` is nothing where it has not. `journal` are time and line of what happened."""

    title: str
    state: str
    reasons: list[str] = field(default_factory=list)
    todo: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    probes: list[dict[str, Any]] = field(default_factory=list)
    judgement: Judgement | None = None
    journal: list[tuple[str, str]] = field(default_factory=list)

    @property
    def means(self) -> str:
        return meaning(State(self.state), self.judgement) if self.state else reporting.UNENDED


def ticket(folder: Path) -> Ticket:
    """What there is to tell of a performance."""
    with reporting.understood(folder):
        return _ticket(folder)


def _ticket(folder: Path) -> Ticket:
    events, end = reporting.events_of(folder)
    kept = reporting.judged(folder)
    return Ticket(
        title=reporting.title_of(events, folder),
        state=end.get("state", ""),
        reasons=end.get("reasons", []),
        todo=end.get("todo", []),
        notes=end.get("notes", []),
        probes=end.get("probes", []),
        judgement=restored.judgement(kept["judgement"]) if kept else None,
        journal=[(at, text) for at, _, text in reporting.journal(events)],
    )


def as_json(ticket: Ticket) -> dict[str, Any]:
    judged = plain.judgement(ticket.judgement) if ticket.judgement is not None else None
    return {"format": plain.FORMAT, **asdict(ticket), "judgement": judged, "means": ticket.means}


def as_markdown(ticket: Ticket) -> str:
    return "\n".join(_markdown(ticket)) + "\n"


def _markdown(ticket: Ticket) -> Iterator[str]:
    said = markdown.plain
    yield f"# {said(ticket.title)}: {ticket.means}"
    told = {"because": ticket.reasons, "what a person must do": ticket.todo, "good to know": ticket.notes}
    for title, lines in told.items():
        yield from markdown.listed(title, lines)
    yield from markdown.listed("probes", (probed(probe) for probe in ticket.probes))
    if ticket.judgement is not None:
        yield ""
        yield from markdown.judgement(ticket.judgement).splitlines()
    yield from ["", "## Journal", "", "| | |", "| --- | --- |"]
    for at, line in ticket.journal:
        yield f"| {at} | {said(line)} |"


def as_junit(ticket: Ticket) -> str:
    """A case for how it ended and one for each probe that has a bound, before those of the judgement."""
    suite = junit.suite(ticket.judgement) if ticket.judgement is not None else junit.empty(ticket.title)
    verdict = _VERDICTS.get(State(ticket.state), Verdict.FAIL) if ticket.state else Verdict.UNPROVEN
    cases = [("change", ticket.means, verdict, "; ".join(ticket.reasons), "\n".join(ticket.todo))]
    for probe in ticket.probes:
        if probe["at_most"] is not None:
            held = Verdict.FAIL if probe["longest"] > probe["at_most"] else Verdict.PASS
            cases.append(("probe", f"{probe['title']}, {probe['at_most']:g} s at most", held, probed(probe), ""))
    for n, case in enumerate(cases):
        suite.insert(n, junit.case(*case))
    return junit.written(suite)
