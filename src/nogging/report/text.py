"""What was found as text for a terminal or a pipe: the verdict and where to look first, then the rest.

Every line is made here, as words with a style each; nothing that came from a device is taken as markup, and
what a terminal would act upon is shown instead of sent to it (`cleaning`).
"""

from __future__ import annotations

import textwrap
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any

from rich.text import Text

from nogging.judging.compare import Comparison
from nogging.judging.verdict import (
    HOPS,
    PATH,
    Cause,
    Difference,
    Evidence,
    Explained,
    Failure,
    Growth,
    Judgement,
    Result,
    Verdict,
    by_themselves,
    many,
    words_that_differ,
)
from nogging.records import KINDS, Kind, Nature
from nogging.records.field import REMAINDER
from nogging.report.cleaning import clean

MOST_WORDS = 12
_WIDE = 120
"""Where prose is wrapped that no terminal bounds."""

STYLES = {
    "pass": "green",
    "fail": "bold red",
    "unproven": "bold yellow",
    "gone": "red",
    "new": "green",
    "moved": "yellow",
    "restarted": "magenta",
}
MOST_FAILURES = 5
MOST_LINES = 6
MOST_UNEXPLAINED = 20
MOST_NAMES, MOST_GROUPS = 60, 200
"""Of what changed alike, so many are named; and so many lines a device at most, of a whole comparison."""
MOST_GROWING = 5
MOST_ALONE = 3
"""From this many devices on, what is the same on all of them is told once."""
_LABEL = 11


def shown(value: Any) -> str:
    """A value as a person reads it."""
    if value is None:
        return "nothing"
    if isinstance(value, bool):
        return "true" if value else "false"
    if hasattr(value, "isoformat"):
        return str(value.strftime("%Y-%m-%d %H:%M:%S"))
    if isinstance(value, list | tuple):
        return ", ".join(shown(item) for item in value) or "none"
    if isinstance(value, Mapping):
        return " ".join(shown(item) for item in value.values())
    if isinstance(value, float) and 0 < abs(value) < 1e-3:
        return f"{value:.9f}".rstrip("0")
    return clean(str(value)) if value != "" else "''"


class TextPage:
    """Lines of a report as they are put together. `width` is where prose is wrapped."""

    def __init__(self, width: int) -> None:
        self.width = max(width, 40)
        self.lines: list[Text] = []

    def blank(self) -> None:
        self.lines.append(Text())

    def line(self, text: str, indent: int = 0, style: str = "") -> None:
        """One line that is never wrapped or cut: evidence has to stay as it was."""
        self.lines.append(Text(" " * indent).append(text, style=style))

    def prose(self, text: str, indent: int = 0, label: str = "", style: str = "", body: str = "") -> None:
        """A paragraph, wrapped with its label hanging out to the left."""
        lead = f"{label:<{_LABEL}}" if label else ""
        room = max(self.width - indent - len(lead), 20)
        wrapped = textwrap.wrap(text, room, break_long_words=False, break_on_hyphens=False) or [""]
        self.lines.append(Text(" " * indent).append(lead, style=style).append(wrapped[0], style=body))
        for more in wrapped[1:]:
            self.lines.append(Text(" " * (indent + len(lead))).append(more, style=body))


def judgement(outcome: Judgement, width: int) -> list[Text]:
    """The report of `nogging check`."""
    page = TextPage(width)
    verdict = str(outcome.verdict)
    page.prose(outcome.title, label=verdict.upper(), style=STYLES[verdict], body="bold")
    page.prose(counts(outcome), indent=_LABEL)
    first = look_first(outcome)
    if first:
        page.prose(f"look first: {first}", indent=_LABEL, body="bold")
    _results(page, outcome, Verdict.FAIL)
    _results(page, outcome, Verdict.UNPROVEN)
    _unexplained(page, outcome)
    _results(page, outcome, Verdict.PASS)
    _explained(page, outcome)
    grew(page, outcome.growing)
    if outcome.notes:
        page.blank()
    for note in outcome.notes:
        page.prose(note, label="note")
    return page.lines


def grew(page: TextPage, growing: tuple[Growth, ...]) -> None:
    """Counters of faults that grew: no difference, and worth knowing."""
    if not growing:
        return
    page.blank()
    page.line(f"{len(growing)} counter{'s' * (len(growing) != 1)} of faults grew", style="bold")
    for growth in growing[:MOST_GROWING]:
        rate = f", {growth.per_minute:.3g} a minute" if growth.per_minute is not None else ""
        told = (
            f"{growth.device}  {named(growth.kind, growth.key)}: {growth.field} {growth.before} → {growth.after}{rate}"
        )
        page.prose(told, indent=2)
    if len(growing) > MOST_GROWING:
        page.line(f"… and {len(growing) - MOST_GROWING} more (--format json lists all)", indent=2)


def _results(page: TextPage, outcome: Judgement, verdict: Verdict) -> None:
    results = [result for result in outcome.results if result.verdict is verdict]
    if results:
        page.blank()
    for result in sorted(results, key=_layer):
        _result(page, result)


def _layer(result: Result) -> int:
    """A cause stands below its effects: the lowest layer that fails is told first."""
    return [*KINDS, PATH].index(result.kind)


def counts(outcome: Judgement) -> str:
    """How many expectations and differences there are of each verdict, in one line."""
    by = {verdict: sum(result.verdict is verdict for result in outcome.results) for verdict in Verdict}
    told = [f"{by[verdict]} {verdict}" for verdict in (Verdict.FAIL, Verdict.UNPROVEN, Verdict.PASS) if by[verdict]]
    parts = [f"expectations: {', '.join(told) or 'none'}"]
    if outcome.compared:
        left = len(outcome.unexplained)
        judged = (
            f"{outcome.differences - left} explained, {left} unexplained" if outcome.other != "ignore" else "not judged"
        )
        parts.append(f"differences: {outcome.differences}" + (f" ({judged})" if outcome.differences else ""))
    if outcome.warnings:
        parts.append(f"warnings: {outcome.warnings}")
    return "; ".join(parts)


def look_first(outcome: Judgement) -> str | None:
    """The likeliest cause: the lowest layer at which something failed or changed without an explanation."""
    failed = [
        (_layer(result), 0, f"{named(result.kind, failure.record)} on {failure.device}: {what_failed(failure)}")
        for result in outcome.results
        if result.verdict is Verdict.FAIL and result.strength == "must"
        for failure in result.failures
        if failure.device
    ]
    failed += [
        (
            list(KINDS).index(difference.kind),
            1,
            f"{named(difference.kind, difference.key)} on {difference.device}: {difference.what}{_change(difference)}",
        )
        for difference in outcome.unexplained
    ]
    return min(failed, key=lambda place: place[:2])[2] if failed else None


def what_failed(failure: Failure) -> str:
    if not failure.demanded:
        return failure.reason
    values = [f"{name} is {shown(failure.record.get(name))}" for name in failure.record if _speaks_of(failure, name)]
    return ", ".join(values or [failure.reason]) + f"; expected {' and '.join(failure.demanded)}"


def _speaks_of(failure: Failure, name: str) -> bool:
    words = " ".join(failure.demanded).replace("(", " ").replace(")", " ").split()
    return name in words


def nothing_else(outcome: Judgement) -> tuple[Verdict, str, list[str]]:
    """Whether nothing else happened than was meant: the verdict, why, and what did, a line each."""
    if outcome.unexplained:
        told = [f"{what}: {about} {names}".rstrip() for what, about, names in groups(list(outcome.unexplained))]
        return Verdict.FAIL, f"{len(outcome.unexplained)} differences that nothing explains", told
    if outcome.not_compared:
        return Verdict.UNPROVEN, "not all could be compared", []
    return Verdict.PASS, "", []


def result(result: Result, width: int = _WIDE) -> list[Text]:
    """What became of one expectation, with its evidence."""
    page = TextPage(width)
    _result(page, result)
    return page.lines


def _result(page: TextPage, result: Result) -> None:
    verdict = str(result.verdict)
    label = verdict if result.strength == "must" or result.verdict is Verdict.PASS else "warning"
    if result.verdict is Verdict.PASS:
        page.prose(f"{clean(result.title)} ({result.reason})", label=label, style=STYLES[verdict])
        _waived(page, result)
        return
    page.prose(clean(result.title), label=label, style=STYLES[verdict], body="bold")
    if result.verdict is not Verdict.UNPROVEN or not any(not failure.record for failure in result.unproven):
        page.prose(clean(result.reason), indent=_LABEL)
    if result.verdict is Verdict.UNPROVEN:
        _open(page, result)
        return
    for failure in result.failures[:MOST_FAILURES]:
        _failure(page, result, failure)
    if len(result.failures) > MOST_FAILURES:
        page.prose(f"… and {len(result.failures) - MOST_FAILURES} more (--format json lists all)", indent=_LABEL)
    _waived(page, result)


def _waived(page: TextPage, result: Result) -> None:
    """What is let pass, each with its waiver."""
    for failure in result.waived:
        told = f"{failure.device}  {named(result.kind, failure.record)}: {failure.reason}"
        page.prose(clean(told), indent=_LABEL, body="dim")


def _open(page: TextPage, result: Result) -> None:
    """What left an expectation open: each reason once, with the devices; records only where no gap explains them."""
    missing = [failure for failure in result.unproven if not failure.record]
    for reason in list(dict.fromkeys(failure.reason for failure in missing))[:MOST_FAILURES]:
        devices = list(dict.fromkeys(failure.device for failure in missing if failure.reason == reason))
        page.prose(f"{clean(reason)}: {', '.join(devices)}", indent=_LABEL + 2)
    for failure in () if missing else result.unproven[:MOST_FAILURES]:
        _failure(page, result, failure)


def _failure(page: TextPage, result: Result, failure: Failure) -> None:
    if not (failure.device or failure.name):
        if failure.demanded:
            page.prose(f"expected {' and '.join(failure.demanded)}", indent=_LABEL + 2)
        return
    page.line(headed(result.kind, failure), indent=_LABEL + 2, style="bold")
    told = what_failed(failure) if result.verdict is Verdict.FAIL else clean(failure.reason)
    if failure.already:
        told += " (and so it was before)"
    elif failure.before and failure.demanded and result.verdict is Verdict.FAIL:
        old = [f"{name} {shown(value)}" for name, value in failure.before.items() if _speaks_of(failure, name)]
        told += f" (before: {', '.join(old)})" if old else ""
    if told != result.reason:
        page.prose(told, indent=_LABEL + 4)
    _lines(page, failure.evidence)


def headed(kind: str, failure: Failure) -> str:
    """Whose and what a failure is about."""
    about = clean(failure.name) or ("" if set(failure.record) <= {"device", "n"} else named(kind, failure.record))
    return "  ".join(part for part in (failure.device, about) if part)


def _lines(page: TextPage, evidence: Iterable[Evidence]) -> None:
    """The lines of the answers, those that tell marked among those around; both sides where there is room."""
    lines = list(evidence)
    sides = [[line for line in lines if line.when == when] for when in ("after", "before")]
    sides = [_fitting_lines(side) for side in sides if side]
    for side in sides if sum(map(len, sides)) <= 2 * MOST_LINES else sides[:1]:
        said = ""
        for line in side:
            head = f"{line.when}{f', on {line.device}' if line.device else ''}: {line.command}"
            if head != said:
                page.line(head, indent=_LABEL + 4, style="dim")
            said = head
            mark = "│" if line.around else "┃"
            page.line(
                f"{line.line:>5} {mark} {clean(line.text)}", indent=_LABEL + 4, style="dim" if line.around else "cyan"
            )


def _fitting_lines(side: list[Evidence]) -> list[Evidence]:
    """The lines around as well where all of it fits; else only those that tell, as many as fit."""
    return side if len(side) <= MOST_LINES else [evidence for evidence in side if not evidence.around][:MOST_LINES]


def named(kind: str, record: Mapping[str, Any]) -> str:
    """A record by its key: what a person would call it."""
    if kind == PATH:
        return f"to {record['to']}" + (f" by {record['path']}" if record.get("path") else "")
    keys = [name for name in (*KINDS[kind].keys, *KINDS[kind].members) if name != "device"]
    values = [shown(record[name]) for name in keys if record.get(name) not in (None, "", "default")]
    return " ".join([kind, *values])


def _explained(page: TextPage, outcome: Judgement) -> None:
    if not outcome.explained:
        return
    page.blank()
    n = outcome.differences - len(outcome.unexplained)
    page.line(f"{n} difference{'s' * (n != 1)} explained", style="bold")
    for explained in sorted(outcome.explained, key=_is_fine):
        style = STYLES[str(explained.verdict)]
        label = str(explained.times) if explained.verdict is Verdict.PASS else str(explained.verdict)
        told = (
            clean(explained.title)
            if explained.verdict is Verdict.PASS
            else f"{clean(explained.title)}: {explained.reason}"
        )
        page.prose(told, label=f"{label:>8}  ", style=style if explained.verdict is not Verdict.PASS else "")
        if explained.following:
            page.prose(f"and {_many(explained)} that follow from it, as the records show", indent=10, body="dim")


def _many(explained: Explained) -> str:
    """How many of each kind follow."""
    kinds = Counter(difference.kind for difference, _ in explained.following)
    return ", ".join(f"{n} {kind}{'s' * (n != 1)}" for kind, n in kinds.items())


def _is_fine(explained: Explained) -> bool:
    return explained.verdict is Verdict.PASS


def _unexplained(page: TextPage, outcome: Judgement) -> None:
    if outcome.unexplained:
        page.blank()
        style = STYLES["fail"] if outcome.other == "fail" else STYLES["unproven"]
        page.line(f"{len(outcome.unexplained)} differences that nothing explains", style=style)
        _caused(page, outcome.causes, MOST_UNEXPLAINED)
        alone = by_themselves(outcome.unexplained, outcome.causes)
        if alone and outcome.causes:
            page.blank()
            page.line("and by themselves", style="bold")
        _grouped(page, alone, MOST_UNEXPLAINED)
        _perhaps(page, outcome.unexplained)
    _not_compared(page, outcome.not_compared)


def _not_compared(page: TextPage, places: tuple[str, ...]) -> None:
    if not places:
        return
    page.blank()
    page.line(f"{many(len(places), 'answer')} could not be compared", style=STYLES["unproven"])
    for place in places[:MOST_UNEXPLAINED]:
        page.prose(clean(place), indent=2)
    if len(places) > MOST_UNEXPLAINED:
        page.line(f"… and {len(places) - MOST_UNEXPLAINED} more", indent=2)


def comparison(compared: Comparison, width: int) -> list[Text]:
    """The report of `nogging compare`."""
    page = TextPage(width)
    n = len(compared.differences)
    kinds = Counter(difference.what for difference in compared.differences)
    told = ", ".join(f"{kinds[what]} {what}" for what in ("gone", "new", "moved", "restarted") if kinds[what])
    page.line(f"{n} difference{'s' * (n != 1)}: {told}" if n else "no differences", style="bold")
    for note in compared.notes:
        page.prose(clean(note), body="yellow")
    _caused(page, compared.causes, MOST_GROUPS)
    by_device: dict[str, list[Difference]] = {}
    alone = by_themselves(compared.differences, compared.causes)
    wide = [difference for group in _everywhere(alone).values() for difference in group]
    if wide:
        page.blank()
        page.line(f"on {MOST_ALONE} devices or more", style="bold")
        _grouped(page, wide, MOST_GROUPS)
    listed = {id(difference) for difference in wide}
    for difference in (difference for difference in alone if id(difference) not in listed):
        by_device.setdefault(difference.device, []).append(difference)
    for device, differences in by_device.items():
        page.blank()
        page.line(device, style="bold")
        _grouped(page, differences, MOST_GROUPS, device)
    _perhaps(page, compared.differences)
    for noise in compared.noise:
        page.blank()
        n = len(noise.differences)
        page.prose(f"{n} difference{'s' * (n != 1)} told apart as noise: {noise.title}", body="dim")
    grew(page, compared.growing)
    _not_compared(page, compared.not_compared)
    return page.lines


def _caused(page: TextPage, causes: Iterable[Cause], most: int) -> None:
    """What brought others along, with how many follow from it: named where they are few."""
    listed = list(causes)
    if listed:
        page.blank()
        page.line("what others follow from, as the records show", style="bold")
    for origin in listed[:most]:
        page.prose(
            cause(origin.difference), indent=2, label=origin.difference.what, style=STYLES[origin.difference.what]
        )
        page.prose(follow(origin.following), indent=2 + _LABEL, body="dim")
    if len(listed) > most:
        page.line(f"… and {len(listed) - most} more (--format json lists all)", indent=2)


def cause(difference: Difference) -> str:
    """What happened, without the words that only say it again."""
    telling = {
        name: change for name, change in difference.fields.items() if name != REMAINDER.name
    } or difference.fields
    return (
        f"{difference.device}: {named(difference.kind, difference.key)}{_change(replace(difference, fields=telling))}"
    )


def follow(following: Iterable[tuple[Difference, str]]) -> str:
    """How many follow, by kind and device; by name, where they are few."""
    kinds: dict[str, list[Difference]] = {}
    for difference, _ in following:
        kinds.setdefault(difference.kind, []).append(difference)
    n = sum(map(len, kinds.values()))
    return f"{n} follow{'s' * (n == 1)}: " + "; ".join(
        _several(kind, differences) for kind, differences in kinds.items()
    )


def _several(kind: str, differences: list[Difference]) -> str:
    if len(differences) <= MOST_ALONE:
        return ", ".join(
            f"{difference.device} {named(kind, difference.key)} {difference.what}" for difference in differences
        )
    devices = Counter(difference.device for difference in differences).most_common(MOST_LINES + 1)
    told = ", ".join(f"{n} on {device}" for device, n in devices[:MOST_LINES])
    return f"{len(differences)} {kind}s ({told}{', …' * (len(devices) > MOST_LINES)})"


def _perhaps(page: TextPage, differences: Iterable[Difference]) -> None:
    """What is gone and may be there under another name."""
    renamed = [difference for difference in differences if difference.perhaps is not None and difference.what == "gone"]
    if renamed:
        page.blank()
        page.line("perhaps the same under another name", style="bold")
    for difference in renamed:
        assert difference.perhaps is not None
        names = f"{named(difference.kind, difference.key)} → {named(difference.kind, difference.perhaps)}"
        page.prose(f"{difference.device}  {names} ({difference.because})", indent=2)


def _grouped(page: TextPage, differences: Iterable[Difference], most: int, device: str = "") -> None:
    """Differences that are the same on several devices, or the same for several routes, are one line."""
    lines = list(groups(list(differences)))
    for what, text, names in lines[:most]:
        page.prose(text, indent=2, label=what, style=STYLES[what])
        if names:
            page.prose(names, indent=2 + _LABEL, body="dim")
    if len(lines) > most:
        page.line(f"… and {len(lines) - most} more lines (nogging compare --format json lists all)", indent=2)


def groups(differences: list[Difference]) -> Iterator[tuple[str, str, str]]:
    """(what, what it is about, the names that it stands for)."""
    ordered = sorted(differences, key=lambda difference: list(KINDS).index(difference.kind))
    everywhere = _everywhere(ordered)
    spread = {id(difference) for group in everywhere.values() for difference in group}
    for (_, what, change, about), group in everywhere.items():
        yield what, f"{about}{change}", f"on {', '.join(difference.device for difference in group)}"
    rest = [difference for difference in ordered if id(difference) not in spread]
    for (kind, what, change, _), group in _alike(rest, _by_device).items():
        if len(group) == 1:
            yield what, f"{_on(differences, group[0])}{named(kind, group[0].key)}{change}", ""
        else:
            prefixes = list(dict.fromkeys(str(difference.key["destination_prefix"]) for difference in group))
            more = f" … and {len(prefixes) - MOST_NAMES} more" if len(prefixes) > MOST_NAMES else ""
            names = " ".join(prefixes[:MOST_NAMES]) + more
            yield what, f"{_on(differences, group[0])}{len(group)} routes{change}", names


def _everywhere(differences: Iterable[Difference]) -> dict[tuple[str, str, str, str], list[Difference]]:
    """What is the same on several devices."""
    alike = _alike(differences, lambda difference: named(difference.kind, difference.key))
    return {what: group for what, group in alike.items() if len(group) >= MOST_ALONE}


def _alike(
    differences: Iterable[Difference], about: Callable[[Difference], str]
) -> dict[tuple[str, str, str, str], list[Difference]]:
    by_likeness: dict[tuple[str, str, str, str], list[Difference]] = {}
    for difference in differences:
        by_likeness.setdefault((difference.kind, difference.what, _change(difference), about(difference)), []).append(
            difference
        )
    return by_likeness


def _by_device(difference: Difference) -> str:
    """Routes of one device that changed alike are one group; anything else stands for itself."""
    return (
        difference.device
        if difference.kind == "route"
        else f"{difference.device} {named(difference.kind, difference.key)}"
    )


def _on(differences: list[Difference], difference: Difference) -> str:
    return f"{difference.device}: " if len({other.device for other in differences}) > 1 else ""


def _change(difference: Difference) -> str:
    """What changed, from what to what."""
    if not difference.fields:
        return f" ({_state(difference)})" if _state(difference) else ""
    told = []
    if HOPS in difference.fields:
        old, new = difference.fields[HOPS]
        telling = _telling(difference.kind, [*old, *new])
        told.append(f"{_hops(difference.kind, old, telling)} → {_hops(difference.kind, new, telling)}")
    told += [moved(name, old, new) for name, (old, new) in difference.fields.items() if name != HOPS]
    return ": " + ", ".join(told)


def moved(name: str, old: Any, new: Any) -> str:
    """What became of one field; of a remainder, the words that differ."""
    if name != REMAINDER.name or isinstance(old, list) or isinstance(new, list):
        return f"{name} {shown(old)} → {shown(new)}"
    gone, come = words_that_differ(old, new)
    return f"words {_few(gone)} → {_few(come)}"


def _few(words: list[str]) -> str:
    told = " ".join(words[:MOST_WORDS]) + (" …" if len(words) > MOST_WORDS else "")
    return f"'{clean(told)}'" if words else "nothing"


def _telling(kind: str, hops: list[Mapping[str, Any]]) -> list[str]:
    """The states by which next hops differ from each other: the others go without saying."""
    states = [field.name for field in KINDS[kind].own if field.nature is Nature.STATE]
    return [name for name in states if len({str(hop.get(name)) for hop in hops}) > 1]


def _state(difference: Difference) -> str:
    record = difference.after or difference.before or {}
    return f"state {record['state']}" if record.get("state") not in (None, "present", "full", "established") else ""


def _hops(kind: str, hops: list[Mapping[str, Any]], telling: list[str]) -> str:
    """The records of one key: the next hops of a route, the ports of a VLAN, who answered at a hop."""
    way, none = ("via ", "nowhere") if kind == "route" else ("", "none")
    return " + ".join(f"{way}{_hop(kind, hop, telling) or 'nobody'}" for hop in hops) or none


def _hop(kind: str, hop: Mapping[str, Any], telling: list[str]) -> str:
    """One of them with what tells it from the others."""
    members = [shown(hop[name]) for name in KINDS[kind].members if hop.get(name) not in (None, "")]
    states = [f"{name} {shown(hop.get(name))}" for name in telling if hop.get(name) != ""]
    return " ".join(members) + (f" ({', '.join(states)})" if states else "")


def records(rows: list[dict[str, Any]], width: int | None, kind: str = "") -> list[Text]:
    """Rows as columns. Columns that hold nothing are left out; `width` bounds the rest (None: as wide as it is). Of
    records of one kind, what says who they are comes first, then what differs; what is the same in all is told once."""
    names = [name for name in (rows[0] if rows else {}) if any(row[name] not in (None, "") for row in rows)]
    names, same = _telling_first(rows, names, KINDS[kind]) if kind in KINDS and len(rows) > 1 else (names, [])
    cells = [[clean(shown(row[name])) if row[name] not in (None, "") else "" for name in names] for row in rows]
    kept = fitting([max(len(name), *(len(row[n]) for row in cells)) for n, name in enumerate(names)], width)
    lines = table([names[:kept], *(row[:kept] for row in cells)])
    page = TextPage(width or _WIDE)
    if same:
        page.prose(f"the same in all: {', '.join(f'{name} {shown(rows[0][name])}' for name in same)}", body="dim")
    if kept < len(names):
        page.prose(f"not shown for want of width: {', '.join(names[kept:])} (--format json has all)", body="dim")
    return lines + page.lines


def table(rows: list[list[str]], right: int | None = None) -> list[Text]:
    """Cells in columns below their headings, those from the column `right` on to the right."""
    widths = [max(map(len, column)) for column in zip(*rows, strict=True)]
    lines = [
        "  ".join(
            f"{cell:>{wide}}" if right is not None and n >= right else f"{cell:<{wide}}"
            for n, (cell, wide) in enumerate(zip(row, widths, strict=True))
        ).rstrip()
        for row in rows
    ]
    return [Text(line, style="" if n else "bold") for n, line in enumerate(lines)]


def _telling_first(rows: list[dict[str, Any]], names: list[str], kind: Kind) -> tuple[list[str], list[str]]:
    """The fields in the order in which they tell, and those that tell nothing: of one value in every record."""
    differ = [name for name in names if len({shown(row[name]) for row in rows}) > 1]
    added = [name for name in names if name not in kind.fields]  # of which capture
    who = [name for name in names if name == "device" or (name in (*kind.keys, *kind.members) and name in differ)]
    wells = [name for name in names if name == "state" or (name in kind.fields and kind.fields[name].well is not None)]
    states = [name for name in differ if name in kind.fields and kind.fields[name].nature is not Nature.NOTE]
    telling = list(dict.fromkeys([*added, *who, *wells, *states, *differ]))
    return telling, [name for name in names if name not in telling]


def fitting(widths: list[int], width: int | None) -> int:
    """How many columns fit, from the left; one at least."""
    total = 0
    for n, column in enumerate(widths):
        total += column + 2
        if width is not None and total - 2 > width and n:
            return n
    return len(widths)
