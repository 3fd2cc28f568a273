"""The pages: of each what it is asked, what it looks up, and the template that shows it. All text is escaped there."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache
from importlib.resources import files
from itertools import islice
from typing import Any
from urllib.parse import urlencode

from nogging.asking.between import Became, at, between, called, change, latest, not_well, spans
from nogging.asking.conformity import customs
from nogging.asking.over_time import FROM, TO, WHAT, Lasting, RecordKey
from nogging.captures.history import FIRST, NOW
from nogging.errors import QuestionError
from nogging.judging.changed import GONE
from nogging.records import KINDS, Kind, Nature
from nogging.records.field import LEVELS
from nogging.records.joining import Row
from nogging.records.values import short_span
from nogging.report.cleaning import lines
from nogging.report.page import plainly, style_of_the_report
from nogging.serving.timeline import timeline
from nogging.serving.watched import DEVICE, KindCell, Watched

Parameters = Mapping[str, str]
"""The parameters of a question, each once."""
LISTED, PAGE, WORDS = 25, 200, 20
"""So many are listed of what is longer, so many on one page of it, and so many words are searched for."""
_SITE = "site"
_UNSHOWN = (Nature.COUNTER, *LEVELS, Nature.NOTE)
_SIGNS = {"well": "✓", "fail": "✗", "moved": "Δ"}


@dataclass(frozen=True)
class Page:
    """A page: its name in the navigation, its path, and what makes it."""

    name: str
    path: str
    made: Callable[[Watched, Parameters], str]


def short(moment: datetime) -> str:
    return f"{moment:%Y-%m-%d %H:%M:%S}"


def told(value: Any) -> str:
    """A value as a person reads it."""
    return plainly(short(value) if isinstance(value, datetime) else value)


def lasted(length: timedelta) -> str:
    """A length of time as a person says it."""
    seconds = int(length.total_seconds())
    days, hours, minutes = seconds // 86400, seconds // 3600 % 24, seconds // 60 % 60
    if days:
        return f"{days} d {hours} h"
    return f"{hours} h {minutes} min" if hours else f"{minutes} min {seconds % 60} s" if minutes else f"{seconds} s"


def link(path: str, **asked: Any) -> str:
    return f"{path}?{urlencode({name: value for name, value in asked.items() if value not in ('', None)})}"


def thing(kind: Kind, key: RecordKey) -> str:
    """The address of the page of one thing."""
    return link("/thing", kind=kind.name, key=json.dumps(key, ensure_ascii=False))


def _status(watched: Watched, asked: Parameters) -> str:
    by = asked.get("by") or (_SITE if _SITE in watched.labels() else watched.labels()[0])
    groups = watched.status(by)
    if asked.get("of"):
        groups = {name: group for name, group in groups.items() if name == asked["of"]}
    kinds = [name for name in KINDS if any(name in group.kinds for group in groups.values())]
    order = sorted(groups, key=lambda name: (-groups[name].badly, name))
    ill = watched.badly()
    return _made(
        "status.html",
        watched,
        by=by,
        labels=watched.labels(),
        rows=[(name, groups[name], [_cell(groups[name].kinds.get(kind)) for kind in kinds]) for name in order],
        kinds=kinds,
        silent=[device for group in groups.values() for device in group.silent],
        ill=[_ill(watched.kind(kind), row) for kind, row in ill[:LISTED]],
        all_ill=len(ill),
        changes=[_change(change(*became)) for became in islice(latest(watched.lasting), LISTED)],
    )


def _cell(cell: KindCell | None) -> tuple[str, str]:
    """The class of a cell and its words."""
    if cell is None or not (cell.records or cell.changed):
        return "none", "none"
    changed = f", {cell.changed} changed" if cell.changed else ""
    if cell.not_well:
        return "fail", f"{_SIGNS['fail']} {cell.not_well} of {cell.records} not well{changed}"
    return ("differs" if changed else "well"), f"{_SIGNS['moved' if changed else 'well']} {cell.records}{changed}"


def _ill(lasting: Lasting, row: Row) -> dict[str, Any]:
    telling = [name for name in ("admin_status", "oper_status", "state", "trouble") if row.get(name) is not None]
    key = lasting.key(row)
    return {
        "device": row["device"],
        "what": called(lasting.kind, key),
        "is": ", ".join(f"{name} {row[name]}" for name in telling),
        "since": short(row[FROM]),
        "link": thing(lasting.kind, key),
    }


def _change(became: Became) -> dict[str, Any]:
    return {
        "at": short(became.at),
        "device": became.device,
        "kind": became.kind.name,
        "called": became.called,
        "what": became.what,
        "times": became.times,
        "fields": [(name, told(was), told(now)) for name, (was, now) in became.fields.items()],
        "link": thing(became.kind, became.key),
    }


def _changes(watched: Watched, asked: Parameters) -> str:
    begin = _number(asked, "from")
    chosen = latest(watched.lasting, asked.get("device", ""), _kind(watched, asked))
    listed = list(islice(chosen, begin, begin + PAGE + 1))
    return _made(
        "changes.html",
        watched,
        **_choice(watched, asked),
        changes=[_change(change(*became)) for became in listed[:PAGE]],
        flaps=_fallen(watched, asked),
        newer=link("/changes", **{**asked, "from": max(begin - PAGE, 0)}) if begin else "",
        older=link("/changes", **{**asked, "from": begin + PAGE}) if len(listed) > PAGE else "",
    )


def _fallen(watched: Watched, asked: Parameters) -> list[dict[str, Any]]:
    """What fell most often in the last week."""
    since = watched.last.at - timedelta(days=7)
    counted: Counter[tuple[str | None, ...]] = Counter()
    last, away = {}, Counter[tuple[str | None, ...]]()
    for what, fall in watched.falls():
        if fall.high > since and asked.get("device", "") in ("", what[0]) and asked.get("kind", "") in ("", what[1]):
            counted[what] += 1
            last[what] = fall.high
            away[what] += int(((fall.up or watched.last.at) - fall.high).total_seconds())
    return [
        {
            "device": what[0],
            "what": " ".join(str(part) for part in what[1:] if part not in (None, "default")),
            "times": times,
            "last": short(last[what]),
            "away": lasted(timedelta(seconds=max(away[what], 0))),
        }
        for what, times in counted.most_common(LISTED)
    ]


def _thing(watched: Watched, asked: Parameters) -> str:
    kind = watched.kind(asked.get("kind", "")).kind
    key = _key(kind, asked.get("key", ""))
    life = watched.life(kind.name, key)
    until = watched.last.at
    lived = spans(life)
    bad = not_well(kind, [span[0] for span in lived])
    since = _since(asked, lived[0][0][FROM], until)
    lasting = watched.kind(kind.name)
    rows = [_span(lasting, span, ill, until) for span, ill in zip(lived, bad, strict=True)]
    line = timeline(
        [(row["from"], row["to"], row["how"], f"{row['said']}, {row['lasted']}") for row in rows],
        _falls_of(watched, kind, key),
        since,
        until,
    )  # fmt: skip
    shown = [row for row in reversed(rows) if row["to"] >= since]
    return _made(
        "thing.html",
        watched,
        kind=kind,
        title=f"{key[0]}: {called(kind, key)}",
        line=line,
        spans=shown[:PAGE],
        more=max(len(shown) - PAGE, 0),
        since=asked.get("since", ""),
        key=asked.get("key", ""),
        falls=len(line.falls),
    )


def _falls_of(watched: Watched, kind: Kind, key: RecordKey) -> list[tuple[datetime, str]]:
    mine = (fall for _, fall in watched.falls() if (kind.name, key) in fall.records)
    return [(flap.high, f"fell {short(flap.high)}, told by {', '.join(sorted(flap.told_by))}") for flap in mine]


def _span(lasting: Lasting, span: list[Row], ill: bool, until: datetime) -> dict[str, Any]:
    """One span of a life: what it was, from when to when, and how that began: all states of a first one, else those
    that moved."""
    begins, ends = span[0][FROM], span[0].get(TO) or until
    gone = span[0][WHAT] == GONE
    states = (*lasting.kind.members, *lasting.kind.named(Nature.STATE))
    said = "; ".join(
        ", ".join(f"{name} {told(row[name])}" for name in states if row.get(name) not in (None, "")) for row in span
    )
    return {
        "from": begins,
        "to": ends,
        "begins": short(begins),
        "ends": short(ends) if span[0].get(TO) else "now",
        "lasted": lasted(ends - begins),
        "what": span[0][WHAT],
        "how": "gone" if gone else "ill" if ill else "well",
        "said": "not there" if gone else said or "there",
        "fields": _change(change(lasting, span[0]))["fields"],
    }


def _records(watched: Watched, asked: Parameters) -> str:
    lasting = watched.kind(asked.get("kind") or "neighbor")
    written = asked.get("moment", "").strip()
    moment = watched.moment(written) if written and written != NOW else None
    words = asked.get("search", "").lower().split()[:WORDS]
    names = _columns(lasting)
    rows = [row for row in at(lasting, moment) if asked.get("device", "") in ("", row["device"])]
    texts = ([told(row[name]) if row.get(name) is not None else "" for name in names] for row in rows)
    listed = [
        (thing(lasting.kind, lasting.key(row)), cells, short(row[FROM]))
        for row, cells in zip(rows, texts, strict=True)
        if _has(words, cells)
    ]
    listed.sort(key=lambda row: row[1])
    begin = _number(asked, "from")
    used = [n for n in range(len(names)) if any(cells[n] for _, cells, _ in listed)]
    return _made(
        "records.html",
        watched,
        **_choice(watched, {**asked, "kind": lasting.kind.name}),
        moment=written,
        search=asked.get("search", ""),
        names=[names[n] for n in used],
        rows=[(to, [cells[n] for n in used], since) for to, cells, since in listed[begin : begin + PAGE]],
        found=len(listed),
        begin=begin,
        earlier=link("/records", **{**asked, "from": max(begin - PAGE, 0)}) if begin else "",
        later=link("/records", **{**asked, "from": begin + PAGE}) if len(listed) > begin + PAGE else "",
    )


def _columns(lasting: Lasting) -> list[str]:
    return [name for name, field in lasting.kind.fields.items() if field.nature not in _UNSHOWN]


def _has(words: Sequence[str], cells: Sequence[str]) -> bool:
    text = " ".join(cells).lower()
    return all(word in text for word in words)


def _compare(watched: Watched, asked: Parameters) -> str:
    before, after = asked.get("before") or FIRST, asked.get("after") or NOW
    since, until = watched.moment(before), watched.moment(after)
    if since > until:
        since, until = until, since
    changed = [
        became for became in between(watched.lasting, since, until) if asked.get("device", "") in ("", became.device)
    ]
    changed = [became for became in changed if asked.get("kind", "") in ("", became.kind.name)]
    changed.sort(key=lambda became: (list(KINDS).index(became.kind.name), became.device, became.called))
    counts = Counter(became.what for became in changed)
    moments = [turn.at for turn in watched.history.turns]
    return _made(
        "compare.html",
        watched,
        **_choice(watched, asked),
        before=before,
        after=after,
        since=short(since),
        until=short(until),
        counts=[(what, counts[what]) for what in ("gone", "new", "moved", "restarted") if counts[what]],
        changes=[_change(became) for became in changed[:PAGE]],
        more=max(len(changed) - PAGE, 0),
        moments=[f"{moment:%Y-%m-%dT%H:%M:%S}" for moment in _some(moments)],
    )


def _some(moments: Sequence[datetime]) -> list[datetime]:
    """The moments that are offered: the last ones, and of what is older the last of each day."""
    days = {moment.date(): moment for moment in moments[:-PAGE]}
    return [*reversed(moments[-PAGE:]), *sorted(days.values(), reverse=True)[:PAGE]]


def _settings(watched: Watched, asked: Parameters) -> str:
    by = asked.get("by") or "dialect"
    place = watched.grouped(by)
    rows = at(watched.kind("setting"))
    devices = sorted({row["device"] for row in rows} & set(watched.devices))
    practised = customs(rows, {name: place(name) for name in devices})
    deviating = {device for custom in practised for device in custom.deviating}
    return _made(
        "settings.html",
        watched,
        by=by,
        labels=[label for label in watched.labels() if label != DEVICE],
        customs=practised,
        devices=len(devices),
        all_devices=len(watched.devices),
        deviating=len(deviating),
    )


PAGES = (
    Page("Status", "/", _status),
    Page("Changes", "/changes", _changes),
    Page("Records", "/records", _records),
    Page("Compare", "/compare", _compare),
    Page("Settings", "/settings", _settings),
)
MADE = {**{page.path: page.made for page in PAGES}, "/thing": _thing}


def error(watched: Watched, said: str) -> str:
    """A page that says what is wrong with the question."""
    return _made("error.html", watched, said=said)


def _kind(watched: Watched, asked: Parameters) -> str:
    return watched.kind(asked["kind"]).kind.name if asked.get("kind") else ""


def _number(asked: Parameters, name: str) -> int:
    text = asked.get(name) or "0"
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise QuestionError(f"'{text}' is no number of a row")
    return int(text)


def _key(kind: Kind, text: str) -> RecordKey:
    try:
        parts = json.loads(text)
    except (ValueError, RecursionError):
        parts = None
    if (
        not isinstance(parts, list)
        or len(parts) != len(kind.keys)
        or any(isinstance(part, list | dict) for part in parts)
    ):
        raise QuestionError("the address names no record; take one from a list")
    return tuple(parts)


def _since(asked: Parameters, first: datetime, until: datetime) -> datetime:
    if not asked.get("since"):
        return first
    length = short_span(asked["since"], "mhdw", 5)
    if length is None:
        raise QuestionError(f"'{asked['since']}' is no length of time; write 90m, 12h, 7d or 4w")
    return max(first, until - length)


def _choice(watched: Watched, asked: Parameters) -> dict[str, Any]:
    """What is offered in the forms: devices and kinds, and which are chosen."""
    kinds = [name for name, lasting in watched.lasting.items() if lasting.rows]
    chosen = {"device": asked.get("device", ""), "kind": asked.get("kind", "")}
    return {"devices": sorted(watched.devices), "kinds": kinds, **chosen}


def _made(template: str, watched: Watched, **told: Any) -> str:
    """A page of a template, with what stands on all of them."""
    failing = watched.failing()
    turns = watched.history.turns
    late = watched.late(datetime.now(UTC))
    verdict = str(watched.verdict() or "")
    if late and verdict == "pass":
        verdict = "unproven"  # it was so when it was looked at last
    return str(
        _environment()
        .get_template(template)
        .render(
            watched=watched,
            pages=PAGES,
            verdict=verdict,
            late=lasted(late) if late else "",
            failing=[(title, word, short(since)) for title, word, since in failing],
            last=short(turns[-1].at) if turns else "",
            first=short(turns[0].at) if turns else "",
            turns=len(turns),
            missed=sum(turn.missed for turn in turns),
            damage=watched.history.damage,
            answered=sum(device.outcome == "captured" for device in watched.devices.values()),
            style=style(),
            script=script(),
            **told,
        )
    )


@cache
def _environment() -> Any:
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("nogging.serving", "templates"), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True, finalize=lambda value: lines(value) if type(value) is str else value,
    )  # fmt: skip
    environment.globals["link"] = link
    return environment


@cache
def style() -> str:
    """The look of the report, and what only these pages have."""
    return style_of_the_report() + (files("nogging.serving") / "live.css").read_text(encoding="utf-8").strip()


@cache
def script() -> str:
    return (files("nogging.serving") / "live.js").read_text(encoding="utf-8").strip()
