"""A change as text: what a rehearsal would send, what happens while it is performed, and how it ended."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from rich.text import Text

from nogging.changes.plan.configuration import Effect, Planned
from nogging.changes.plan.conforming import Conformity
from nogging.changes.plan.knowledge import knowledge_of
from nogging.changes.plan.rehearsing import PlannedStep, Rehearsal, StepPart
from nogging.changes.run.outcome import Performance, State
from nogging.changes.run.probing import Probe
from nogging.judging.verdict import Judgement, Verdict, many
from nogging.report import plain
from nogging.report.cleaning import clean
from nogging.report.text import STYLES, TextPage, look_first

Mask = Callable[[str], str]
_SIGNS = {
    Effect.THERE: ("=", "there already", "dim"),
    Effect.ADDED: ("+", "", "green"),
    Effect.REPLACED: ("+", "", "green"),
    Effect.REMOVED: ("+", "", "green"),
    Effect.HIDDEN: ("?", "cannot be compared: the device shows only a hash", "yellow"),
}
STATES = {
    State.IN: ("IN", "green", "the change is in, and did exactly what was meant"),
    State.AS_BEFORE: ("BACKED OUT", "bold yellow", "the change was backed out, and the network is as it was"),
    State.REFUSED: ("REFUSED", "bold yellow", "nothing was touched"),
    State.ACT: ("ACT NOW", "bold red", "a person must act"),
}
MOST_REASONS = 8
LONGEST_LINE = 90
"""Of a line that was sent, so much is shown; the journal has all of it."""


def meaning(state: State, judgement: Judgement | None) -> str:
    """What an ending means. That nothing else happened is said only where that was judged."""
    if state is State.IN and (judgement is None or not judgement.exact):
        return "the change is in, and what was expected of it holds"
    return STATES[state][2]


def rehearsal(found: Rehearsal, gate: Judgement | None, title: str, width: int, mask: Mask) -> list[Text]:
    """Each step with each device: what is there, what would be sent, what goes with it, and what would undo it."""
    page = TextPage(width)
    lines = sum(len(part.lines) for part in found.parts)
    devices = sum(bool(part.lines) for part in {part.device.name: part for part in found.parts if part.lines}.values())
    done = "nothing to do" if found.empty else f"{many(lines, 'line')} to {many(devices, 'device')}"
    page.prose(f"{title}: {done}; nothing was changed", label="REHEARSED", style="bold")
    _gate(page, gate, [mask(reason) for reason in found.shut])
    for step in found.steps:
        _step(page, step, mask)
    if found.confirm_within is not None and not found.empty:
        _guards(page, found, found.confirm_within)
    return page.lines


def _gate(page: TextPage, gate: Judgement | None, shut: Sequence[str]) -> None:
    verdict = Verdict.FAIL if shut else gate.verdict if gate is not None else None
    if verdict is None:
        return
    page.blank()
    told = "the gate is open" if verdict is Verdict.PASS else "the gate is shut"
    page.prose(told, label=verdict, style=STYLES[verdict])
    for reason in shut:
        page.prose(reason, indent=2, label=Verdict.FAIL, style=STYLES[Verdict.FAIL])
    for result in gate.results if gate is not None else ():
        page.prose(f"{result.title} ({result.reason})", indent=2, label=result.verdict, style=STYLES[result.verdict])


def _guards(page: TextPage, found: Rehearsal, seconds: float) -> None:
    """Which devices go back by themselves, and which cannot."""
    devices = {part.device.name: part.device for part in found.parts if any(one.changes for one in part.planned)}
    can = [name for name, device in devices.items() if knowledge_of(device.dialect).timed is not None]
    cannot = [name for name in devices if name not in can]
    page.blank()
    if can:
        page.prose(f"{', '.join(can)}: back by itself after {seconds:g} s, unless the change passes", label="guarded")
    if cannot:
        page.prose(f"{', '.join(cannot)}: no saved point of its own; backed out by lines", label="not", style="yellow")


def _step(page: TextPage, step: PlannedStep, mask: Mask) -> None:
    page.blank()
    page.prose(step.title, label=f"step {step.number + 1}", style="bold")
    if step.model.call is not None or step.model.awaited is not None:
        page.line(f"{step.model.action.replace('_', ' ')}; not rehearsed", 2, "dim")
        if step.model.undone_by:
            page.prose(clean(step.model.undone_by), indent=4, label="undone by", style="dim", body="dim")
        elif step.model.call is not None:
            page.line("! nothing is known that undoes it; give it with 'undo'", 4, "bold yellow")
    for part in step.parts:
        _part(page, part, mask)


def _part(page: TextPage, part: StepPart, mask: Mask) -> None:
    page.line(f"{part.device.name}" + ("" if part.lines else ": nothing to do"), 2, "bold")
    headings = {other.path[:-1] for other in part.planned}

    def said(line: str) -> str:
        return mask(part.leaves.knowledge.said(line))

    for one in part.planned:
        if one.path in headings and not one.changes:
            page.line("  " * len(one.path) + said(one.path[-1]), 4, "dim")
        else:
            _planned(page, one, said)
    for one_line in part.plain:
        note = (
            "   there already"
            if one_line.there
            else ""
            if one_line.there is False
            else "   nobody can tell whether it is so"
        )
        page.line(
            f"{'=' if one_line.there else '+'} {mask(one_line.text)}{note}", 4, "dim" if one_line.there else "green"
        )
    back = [mask(line.strip()) for line, _ in part.undone_by]
    if back:
        page.prose("; ".join(back), indent=4, label="undone by", style="dim", body="dim")
    for line in part.not_undone:
        page.line(f"! nothing is known that undoes '{mask(line)}'; give it with 'undo'", 4, "bold yellow")


def _planned(page: TextPage, one: Planned, said: Mask) -> None:
    sign, note, style = _SIGNS[one.effect]
    indent = " " * (2 * (len(one.path) - 1))
    for away in one.removes:
        if away[-1].removeprefix("no ") != one.path[-1] or one.effect is Effect.REMOVED:
            page.line(f"- {indent}{said(away[-1])}", 4, "red")
    page.line(f"{sign} {indent}{said(one.path[-1])}{'   ' + note if note else ''}", 4, style)


def event(one: dict[str, Any]) -> Text | None:
    """One event of a journal as a line with its time; None for those that only the journal needs."""
    told = _EVENTS.get(one["event"])
    try:
        text = told(one) if told is not None else None
    except (KeyError, IndexError, TypeError, AttributeError):  # written by another release, or by hand
        text = f"{one['event']}: not in the form that is known here"
    if not text:
        return None
    style = {"failed": "bold red", "outage": "yellow", "not undone": "bold red"}.get(one["event"], "")
    return Text().append(one["at"][11:19] + "  ", style="dim").append(clean(text), style=style)


def _sent(one: dict[str, Any]) -> str:
    line = one["line"] if len(one["line"]) <= LONGEST_LINE else one["line"][: LONGEST_LINE - 1] + "…"
    return f"{one['device']:<11}{line}" + (f"   ({one['answer']})" if one["answer"] else "")


def _awaiting(one: dict[str, Any]) -> str:
    """Which timer could still expire, where it is waited for longer than a moment."""
    if not one["waits"]:
        return ""
    return f"settling, {one['waits']:g} s at least (timer of {one['timer']}: {one['seconds']:g} s)"


def _moved(one: dict[str, Any]) -> str:
    total = sum(one["moved"].values())
    if not total:
        return ""
    most = sorted(one["moved"].items(), key=lambda item: -item[1])[:2]
    return f"still moving after {one['after']:g} s: {total} ({', '.join(f'{n} {what}' for what, n in most)})"


def _more(n: int) -> str:
    return f" (and {many(n, 'more reason')})" if n else ""


def _outage(one: dict[str, Any]) -> str:
    if one["seconds"] is None:
        return f"outage     {one['probe']}: nothing comes back"
    return f"outage     {one['probe']}: over after {one['seconds']:g} s"


def _saved(one: dict[str, Any]) -> str:
    if one["same"]:
        return ""
    unknown = "saved; it does not show whether that is all of it"
    return f"{one['device']:<11}{unknown if one['same'] is None else 'not saved'} ({one['answer']})"


_STOPPING, _CARRIED = "stopped as soon as that is safe", "this is carried through all the same"
_EVENTS: dict[str, Callable[[dict[str, Any]], str]] = {
    "captured": lambda one: (
        f"captured {one['capture']}: {many(one['devices'], 'device')}"
        + (f", lacking {', '.join(one['lacking'])}" if one["lacking"] else "")
    ),
    "gate": lambda one: f"gate: {one['verdict']}",
    "step": lambda one: f"step {one['step'] + 1}: {one['title']}",
    "sent": _sent,
    "nothing to do": lambda one: f"{one['device']:<11}nothing to do",
    "called": lambda one: f"called: {one['answer']}",
    "waiting": lambda one: f"waiting: {one['verdict']}",
    "awaiting": _awaiting,
    "settling": _moved,
    "settled": lambda one: f"{'settled' if one['still'] else 'not settled'} after {one['seconds']:g} s",
    "judged": lambda one: f"judged: {one['verdict']}",
    "asked to stop": lambda one: f"{one['signal']}: {_CARRIED if one['carried_through'] else _STOPPING}",
    "failed": lambda one: f"failed: {one['reasons'][0]}" + _more(len(one["reasons"]) - 1),
    "backing out": lambda one: "backing out",
    "undone": _sent,
    "not undone": lambda one: f"not undone: {one['reason']}",
    "compared": lambda one: (
        f"compared with before: {many(len(one['differences']), 'difference')} besides restarts"
        + (f", {len(one['not_compared'])} not known" if one["not_compared"] else "")
    ),
    "guarded": lambda one: f"{one['device']:<11}goes back by itself at {one['until'][11:19]} unless it is confirmed",
    "confirmed": lambda one: f"{one['device']:<11}confirmed: it keeps what it has",
    "gone back": lambda one: (
        f"{one['device']:<11}{'told to go' if one['line'] else 'went'} back"
        + (f"   ({one['answer']})" if one["answer"] else "")
    ),
    "saved": _saved,
    "outage": _outage,
    "resumed": lambda one: f"resumed: {one['choice']}",
    "notice": lambda one: f"notice to {one['to']}: {one['told']}",
}


def performance(found: Performance, width: int) -> list[Text]:
    """How a performance ended: the state first, why, and what a person has to do."""
    page = TextPage(width)
    word, style, _ = STATES[found.state]
    page.prose(f"{found.title}: {meaning(found.state, found.judgement)}", label=word, style=style)
    for reason in found.reasons[:MOST_REASONS]:
        page.prose(clean(reason), indent=2, label="because", style="bold")
    first = look_first(found.judgement) if found.judgement is not None else None
    if first is not None:
        page.prose(clean(first), indent=2, label="look first", style="bold", body="bold")
    for todo in found.todo:
        page.prose(clean(todo), indent=2, label="to do", style="bold red")
    for note in found.notes:
        page.prose(clean(note), indent=2, label="note", style="yellow")
    _probes(page, found.probes)
    return page.lines


def _probes(page: TextPage, probes: Iterable[Probe]) -> None:
    for probe in probes:
        page.prose(probed(probe.told()), indent=2, label="probe", style="yellow" if probe.sent > probe.answered else "")


def probed(one: dict[str, Any]) -> str:
    """What became of a probe, in a line."""
    path = f", {one['path']}" if one.get("path", one["title"]) != one["title"] else ""
    told = f"{one['title']}{path}: {one['sent']} sent, {one['sent'] - one['answered']} lost"
    outages = one["outages"]
    if not outages:
        return told
    longest = one["longest"]
    worst = max(outages, key=lambda outage: longest if outage["seconds"] is None else outage["seconds"])
    told += f", {many(len(outages), 'outage')}, the longest {longest:g} s from {worst['began'][11:19]}"
    return told + (", and it lasts" if worst["seconds"] is None else "")


def plainly(found: Performance) -> dict[str, Any]:
    """A performance in the form of `perform --format json`."""
    return {
        "format": plain.FORMAT,
        "state": str(found.state),
        "verdict": str(found.verdict),
        "title": found.title,
        "folder": str(found.folder),
        "reasons": found.reasons,
        "todo": found.todo,
        "notes": found.notes,
        "probes": [probe.told() for probe in found.probes],
        "judgement": plain.judgement(found.judgement) if found.judgement is not None else None,
        "events": found.events,
    }


def conformity(found: Conformity, width: int) -> list[Text]:
    """Only the devices that deviate: what is absent, what is surplus, and the remedy."""
    page = TextPage(width)
    deviating = len(found.deviations) - found.unknown
    told = (
        f"{many(found.devices, 'device')}, all in order"
        if not found.deviations
        else (
            f"{deviating} of {many(found.devices, 'device')} deviate"
            + (f", {found.unknown} did not tell" if found.unknown else "")
        )
    )
    label, style = ("UNKNOWN", "bold yellow") if found.unknown else ("CONFORMS", "green")
    if deviating:
        label, style = "DEVIATES", "bold red"
    page.prose(f"{found.title}: {told}", label=label, style=style)
    for deviation in found.deviations:
        page.blank()
        page.line(deviation.device, 0, "bold")
        if deviation.reason:
            page.prose(clean(deviation.reason), indent=2, label="unknown", style="yellow")
        for line in deviation.absent:
            page.prose(clean(line), indent=2, label="absent", style="green")
        for line in deviation.surplus:
            page.prose(clean(line), indent=2, label="surplus", style="red")
        if deviation.remedy:
            page.prose(
                clean("; ".join(line.strip() for line in deviation.remedy)), indent=2, label="remedy", style="dim"
            )
    return page.lines
