"""What is there and what is not well, as text and as plain values: `nogging about`."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from itertools import groupby
from typing import Any

from rich.text import Text

from nogging.asking.about import About, DevicesPart, Lacking, NotWell
from nogging.asking.query import names_of
from nogging.judging.verdict import many
from nogging.records import KINDS
from nogging.report import plain
from nogging.report.cleaning import clean
from nogging.report.text import TextPage, fitting, grew, named, shown, table

MOST = 20
_NONE = "(none)"
_BESIDES = ("lacking", "unread")
_QUIET = ("setting", "answer")
"""Kinds of which a network's state is seen least: their columns come last."""


def about(asked: About, width: int) -> list[Text]:
    """The summary: in one line how it stands, where to look first, the counts, and then what is not well."""
    page, last = TextPage(width), asked.whole[-1]
    page.line(_standing(last), style="bold")
    if last.not_well:
        page.prose(f"look first: {not_well(last.not_well[0])}", style="bold", body="bold")
    page.blank()
    cells = _counts(asked)
    fit = fitting([max(map(len, column)) for column in zip(*cells, strict=True)], width)
    page.lines += table([row[:fit] for row in cells], right=1)
    if fit < len(cells[0]):
        page.prose(f"not shown for want of width: {', '.join(cells[0][fit:])} (--format csv has all)", body="dim")
    if any(part.not_well for part in asked.whole):
        page.line("(in brackets: those of them that are not well)", style="dim")
    where = f" in {clean(names_of(asked.captures)[-1])}" if len(asked.captures) > 1 else ""
    _listed(page, f"not well{where}", [not_well(record) for record in last.not_well])
    _listed(page, f"not captured, or not whole{where}", [*_lacking(last.lacking)])
    unread = [f"{_command(place)}: {many(n, 'line')}" for place, n in last.unread.most_common()]
    unread += [
        f"{_command(place)}: no reader knows it ({many(n, 'answer')})" for place, n in last.unknown.most_common()
    ]
    _listed(page, f"unread{where}", unread)
    grew(page, tuple(last.growing))
    return page.lines


def _standing(part: DevicesPart) -> str:
    told = [
        f"{many(len(part.devices), 'device')} ({', '.join(f'{n} {name}' for name, n in part.dialects.most_common())})",
        f"{many(part.records.total(), 'record')}, {len(part.not_well) or 'none'} not well",
        f"{many(len(part.lacking), 'answer') if part.lacking else 'nothing'} lacking",
        f"{many(part.unread.total(), 'line')} unread"
        + (f", {many(part.unknown.total(), 'answer')} that no reader knows" if part.unknown else ""),
    ]
    return "; ".join(told)


def _counts(asked: About) -> list[list[str]]:
    """A row a kind and a column a capture; with parts a row a part, those first of which most is not well."""
    kinds = [kind for kind in KINDS if any(part.records[kind] for part in asked.whole)]
    if not asked.by:
        titles = [""] + (
            ["records"] if len(asked.captures) == 1 else [clean(name) for name in names_of(asked.captures)]
        )
        rows = [[name, *(_told(part, name) for part in asked.whole)] for name in ("devices", *kinds, *_BESIDES)]
        return [titles, *rows]
    parts = {name: [by_value[name] for by_value in asked.parts if name in by_value] for name in asked.values}
    ordered = sorted(parts, key=lambda name: -len(parts[name][-1].not_well))
    columns = ("devices", "not well", *_BESIDES, *(kind for kind in reversed(kinds) if kind not in _QUIET), *_QUIET)
    columns = tuple(name for name in columns if name in kinds or name not in KINDS)
    return [
        [asked.by, *columns],
        *([_titled(name), *(_over(parts[name], column) for column in columns)] for name in ordered),
    ]


def _over(parts: list[DevicesPart], column: str) -> str:
    """What one part says of a column in each capture, once where it is always the same."""
    return " → ".join(words for words, _ in groupby(_told(part, column) for part in parts))


def _told(part: DevicesPart, name: str) -> str:
    if name in KINDS:
        badly = part.badly(name)
        return f"{part.records[name]} ({badly})" if badly else str(part.records[name])
    numbers = {"devices": len(part.devices), "not well": len(part.not_well)}
    return str({**numbers, "lacking": len(part.lacking), "unread": part.unread.total()}[name])


def _command(place: tuple[str, str]) -> str:
    dialect, command = place
    return f"{dialect} '{clean(command)}'"


def _titled(name: str) -> str:
    return clean(name) or _NONE


def not_well(unwell: NotWell) -> str:
    """A record that is not well, with why: `mole-r1  interface eth3: oper_status down`."""
    said = {name: value for name, value in unwell.because.items() if value is not None}
    words = {name: value for name, value in said.items() if not isinstance(value, bool)}
    because = ", ".join(f"{name} {shown(value)}" for name, value in (words or said).items())
    return f"{unwell.device}  {named(unwell.kind, unwell.record)}: {because}"


def _lacking(missing: list[Lacking]) -> Iterator[str]:
    """Whole devices first; of a command that several lack, they are told together."""
    for lacking in missing:
        if not lacking.command:
            yield f"{lacking.device}: {lacking.outcome}" + (f" ({clean(lacking.reason)})" if lacking.reason else "")
    commands: dict[tuple[str, str], list[str]] = {}
    for lacking in missing:
        if lacking.command:
            commands.setdefault((lacking.command, lacking.outcome), []).append(lacking.device)
    for (command, outcome), devices in commands.items():
        yield f"'{clean(command)}' {outcome.replace('_', ' ')}: {', '.join(devices)}"


def _listed(page: TextPage, title: str, lines: list[str]) -> None:
    if not lines:
        return
    page.blank()
    page.line(title, style="bold")
    for line in lines[:MOST]:
        page.prose(line, indent=2)
    if len(lines) > MOST:
        page.line(f"… and {len(lines) - MOST} more (--format json lists all)", indent=2)


def plain_about(asked: About) -> list[dict[str, Any]]:
    """A row for each capture and part: what `--format json` prints."""
    return [
        {"capture": capture.called, "by": asked.by, "value": name, **_plain(part)}
        for capture, parts in zip(asked.captures, asked.parts, strict=True)
        for name, part in parts.items()
    ]


def _plain(part: DevicesPart) -> dict[str, Any]:
    unread = [{"dialect": dialect, "command": command, "lines": n} for (dialect, command), n in part.unread.items()]
    unknown = [{"dialect": dialect, "command": command, "answers": n} for (dialect, command), n in part.unknown.items()]
    return {
        "devices": part.devices,
        "dialects": dict(part.dialects),
        "records": {kind: {"records": n, "not_well": part.badly(kind)} for kind, n in part.records.items()},
        "not_well": [plain.value(vars(record)) for record in part.not_well],
        "lacking": [asdict(lacking) for lacking in part.lacking],
        "unread": unread,
        "unknown": unknown,
        "growing": [{**asdict(growth), "per_minute": growth.per_minute} for growth in part.growing],
    }


def rows(asked: About) -> list[dict[str, Any]]:
    """A row for each capture, part and kind: what `--format csv` prints."""
    return [
        {"capture": capture.called, "value": name, "kind": kind, "records": n, "not_well": part.badly(kind)}
        for capture, parts in zip(asked.captures, asked.parts, strict=True)
        for name, part in parts.items()
        for kind, n in part.records.items()
    ]
