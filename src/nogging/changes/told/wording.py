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


def rehearsal(rehearsed: Rehearsal, gate: Judgement | None, title: str, width: int, mask: Mask) -> list[Text]:
    """Each step with each device: what is there, what would be sent, what goes with it, and what would undo it."""
    page = TextPage(width)
    lines = sum(len(part.lines) for part in rehearsed.parts)
    devices = sum(
        bool(part.lines) for part in {part.device.name: part for part in rehearsed.parts if part.lines}.values()
    )
    done = "nothing to do" if rehearsed.empty else f"{many(lines, 'line')} to {many(devices, 'device')}"
    page.prose(f"{title}: {done}; nothing was changed", label="REHEARSED", style="bold")
    _gate(page, gate, [mask(reason) for reason in rehearsed.shut])
    for step in rehearsed.steps:
        _step(page, step, mask)
    if rehearsed.confirm_within is not None and not rehearsed.empty:
        _guards(page, rehearsed, rehearsed.confirm_within)
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


def _guards(page: TextPage, rehearsed: Rehearsal, seconds: float) -> None:
    """Which devices go back by themselves, and which cannot."""
    devices = {
        part.device.name: part.device for part in rehearsed.parts if any(planned.changes for planned in part.planned)
    }
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

    for planned in part.planned:
        if planned.path in headings and not planned.changes:
            page.line("  " * len(planned.path) + said(planned.path[-1]), 4, "dim")
        else:
            _planned(page, planned, said)
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


def _planned(page: TextPage, planned: Planned, said: Mask) -> None:
    sign, note, style = _SIGNS[planned.effect]
    indent = " " * (2 * (len(planned.path) - 1))
    for away in planned.removes:
        if away[-1].removeprefix("no ") != planned.path[-1] or planned.effect is Effect.REMOVED:
            page.line(f"- {indent}{said(away[-1])}", 4, "red")
    page.line(f"{sign} {indent}{said(planned.path[-1])}{'   ' + note if note else ''}", 4, style)


def event(entry: dict[str, Any]) -> Text | None:
    """One event of a journal as a line with its time; None for those that only the journal needs."""
    told = _EVENTS.get(entry["event"])
    try:
        text = told(entry) if told is not None else None
    except (KeyError, IndexError, TypeError, AttributeError):  # written by another release, or by hand
        text = f"{entry['event']}: not in the form that is known here"
    if not text:
        return None
    style = {"failed": "bold red", "outage": "yellow", "not undone": "bold red"}.get(entry["event"], "")
    return Text().append(entry["at"][11:19] + "  ", style="dim").append(clean(text), style=style)


def _sent(entry: dict[str, Any]) -> str:
    line = entry["line"] if len(entry["line"]) <= LONGEST_LINE else entry["line"][: LONGEST_LINE - 1] + "…"
    return f"{entry['device']:<11}{line}" + (f"   ({entry['answer']})" if entry["answer"] else "")


def _awaiting(entry: dict[str, Any]) -> str:
    """Which timer could still expire, where it is waited for longer than a moment."""
    if not entry["waits"]:
        return ""
    return f"settling, {entry['waits']:g} s at least (timer of {entry['timer']}: {entry['seconds']:g} s)"


def _moved(entry: dict[str, Any]) -> str:
    total = sum(entry["moved"].values())
    if not total:
        return ""
    most = sorted(entry["moved"].items(), key=lambda item: -item[1])[:2]
    return f"still moving after {entry['after']:g} s: {total} ({', '.join(f'{n} {what}' for what, n in most)})"


def _more(n: int) -> str:
    return f" (and {many(n, 'more reason')})" if n else ""


def _outage(entry: dict[str, Any]) -> str:
    if entry["seconds"] is None:
        return f"outage     {entry['probe']}: nothing comes back"
    return f"outage     {entry['probe']}: over after {entry['seconds']:g} s"


def _saved(entry: dict[str, Any]) -> str:
    if entry["same"]:
        return ""
    unknown = "saved; it does not show whether that is all of it"
    return f"{entry['device']:<11}{unknown if entry['same'] is None else 'not saved'} ({entry['answer']})"


_STOPPING, _CARRIED = "stopped as soon as that is safe", "this is carried through all the same"
_EVENTS: dict[str, Callable[[dict[str, Any]], str]] = {
    "captured": lambda entry: (
        f"captured {entry['capture']}: {many(entry['devices'], 'device')}"
        + (f", lacking {', '.join(entry['lacking'])}" if entry["lacking"] else "")
    ),
    "gate": lambda entry: f"gate: {entry['verdict']}",
    "step": lambda entry: f"step {entry['step'] + 1}: {entry['title']}",
    "sent": _sent,
    "nothing to do": lambda entry: f"{entry['device']:<11}nothing to do",
    "called": lambda entry: f"called: {entry['answer']}",
    "waiting": lambda entry: f"waiting: {entry['verdict']}",
    "awaiting": _awaiting,
    "settling": _moved,
    "settled": lambda entry: f"{'settled' if entry['still'] else 'not settled'} after {entry['seconds']:g} s",
    "judged": lambda entry: f"judged: {entry['verdict']}",
    "asked to stop": lambda entry: f"{entry['signal']}: {_CARRIED if entry['carried_through'] else _STOPPING}",
    "failed": lambda entry: f"failed: {entry['reasons'][0]}" + _more(len(entry["reasons"]) - 1),
    "backing out": lambda entry: "backing out",
    "undone": _sent,
    "not undone": lambda entry: f"not undone: {entry['reason']}",
    "compared": lambda entry: (
        f"compared with before: {many(len(entry['differences']), 'difference')} besides restarts"
        + (f", {len(entry['not_compared'])} not known" if entry["not_compared"] else "")
    ),
    "guarded": lambda entry: (
        f"{entry['device']:<11}goes back by itself at {entry['until'][11:19]} unless it is confirmed"
    ),
    "confirmed": lambda entry: f"{entry['device']:<11}confirmed: it keeps what it has",
    "gone back": lambda entry: (
        f"{entry['device']:<11}{'told to go' if entry['line'] else 'went'} back"
        + (f"   ({entry['answer']})" if entry["answer"] else "")
    ),
    "saved": _saved,
    "outage": _outage,
    "resumed": lambda entry: f"resumed: {entry['choice']}",
    "notice": lambda entry: f"notice to {entry['to']}: {entry['told']}",
}


def performance(performed: Performance, width: int) -> list[Text]:
    """How a performance ended: the state first, why, and what a person has to do."""
    page = TextPage(width)
    word, style, _ = STATES[performed.state]
    page.prose(f"{performed.title}: {meaning(performed.state, performed.judgement)}", label=word, style=style)
    for reason in performed.reasons[:MOST_REASONS]:
        page.prose(clean(reason), indent=2, label="because", style="bold")
    first = look_first(performed.judgement) if performed.judgement is not None else None
    if first is not None:
        page.prose(clean(first), indent=2, label="look first", style="bold", body="bold")
    for todo in performed.todo:
        page.prose(clean(todo), indent=2, label="to do", style="bold red")
    for note in performed.notes:
        page.prose(clean(note), indent=2, label="note", style="yellow")
    _probes(page, performed.probes)
    return page.lines


def _probes(page: TextPage, probes: Iterable[Probe]) -> None:
    for probe in probes:
        page.prose(probed(probe.told()), indent=2, label="probe", style="yellow" if probe.sent > probe.answered else "")


def probed(probe: dict[str, Any]) -> str:
    """What became of a probe, in a line."""
    path = f", {probe['path']}" if probe.get("path", probe["title"]) != probe["title"] else ""
    told = f"{probe['title']}{path}: {probe['sent']} sent, {probe['sent'] - probe['answered']} lost"
    outages = probe["outages"]
    if not outages:
        return told
    longest = probe["longest"]
    worst = max(outages, key=lambda outage: longest if outage["seconds"] is None else outage["seconds"])
    told += f", {many(len(outages), 'outage')}, the longest {longest:g} s from {worst['began'][11:19]}"
    return told + (", and it lasts" if worst["seconds"] is None else "")


def plainly(performed: Performance) -> dict[str, Any]:
    """A performance in the form of `perform --format json`."""
    return {
        "format": plain.FORMAT,
        "state": str(performed.state),
        "verdict": str(performed.verdict),
        "title": performed.title,
        "folder": str(performed.folder),
        "reasons": performed.reasons,
        "todo": performed.todo,
        "notes": performed.notes,
        "probes": [probe.told() for probe in performed.probes],
        "judgement": plain.judgement(performed.judgement) if performed.judgement is not None else None,
        "events": performed.events,
    }


def conformity(checked: Conformity, width: int) -> list[Text]:
    """Only the devices that deviate: what is absent, what is surplus, and the remedy."""
    page = TextPage(width)
    deviating = len(checked.deviations) - checked.unknown
    told = (
        f"{many(checked.devices, 'device')}, all in order"
        if not checked.deviations
        else (
            f"{deviating} of {many(checked.devices, 'device')} deviate"
            + (f", {checked.unknown} did not tell" if checked.unknown else "")
        )
    )
    label, style = ("UNKNOWN", "bold yellow") if checked.unknown else ("CONFORMS", "green")
    if deviating:
        label, style = "DEVIATES", "bold red"
    page.prose(f"{checked.title}: {told}", label=label, style=style)
    for deviation in checked.deviations:
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
