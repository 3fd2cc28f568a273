"""The page that goes with the ticket: one HTML file that loads nothing, whatever the devices said.

All text is escaped by the template; what the script needs lies beside it as JSON that no browser runs. Style and script
stand in the file, and its Content-Security-Policy allows these two by their digests and nothing else.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib.resources import files
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.compare import compare
from nogging.judging.verdict import Difference
from nogging.records import KINDS
from nogging.report.page.drawing import drawn, settling_line
from nogging.report.plain import value

MOST_DIFFERENCES = 500
"""So many differences are listed one by one; the records hold the rest."""
_SIGNS = {"pass": "✓", "fail": "✗", "unproven": "?"}
_BARS = 12


@dataclass(frozen=True)
class Told:
    """What a page is about: two captures, what was judged of them (as `check --format json` has it), and, of a change
    that was performed, its ending and its journal."""

    title: str
    after: Capture
    before: Capture | None = None
    judgement: Mapping[str, Any] | None = None
    state: str = ""
    first: str = ""
    """What to look at first."""
    todo: Sequence[str] = ()
    events: Sequence[Mapping[str, Any]] = field(default_factory=tuple)
    journal: Sequence[tuple[str, str, str]] = ()
    """What happened, each with its time and its sort."""


def page(told: Told) -> str:
    """The whole file."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("nogging.report", "page"), autoescape=True, undefined=StrictUndefined, trim_blocks=True,
        lstrip_blocks=True,
    )  # fmt: skip
    environment.filters["plainly"] = plainly
    differences = list(compare(told.before, told.after).differences) if told.before is not None else []
    grid = _grid(told, differences)
    style, script = (_text(name) for name in ("page.css", "page.js"))
    return environment.get_template("page.html").render(
        told=told,
        verdict=str((told.judgement or {}).get("verdict", "")),
        signs=_SIGNS,
        counts=_counts(told.judgement),
        expectations=_ordered(told.judgement),
        explained=list((told.judgement or {}).get("explained", ())),
        unexplained=_listed((told.judgement or {}).get("unexplained", ())),
        compared=_listed([_plain(one) for one in differences]) if told.judgement is None else None,
        networks=drawn(told.before, told.after, differences),
        grid=grid,
        kinds=sorted({kind for _, row in grid for kind in row}, key=list(KINDS).index),
        bars=_bars(told),
        settling=settling_line(told.events),
        journal=told.journal,
        data=_script_safe(_records(told)),
        style=style,
        script=script,
        policy=f"default-src 'none'; style-src '{_digest(style)}'; script-src '{_digest(script)}'; base-uri 'none'; "
        "form-action 'none'",
    )


def _text(name: str) -> str:
    return (files("nogging.report") / "page" / name).read_text(encoding="utf-8").strip()


def _digest(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _script_safe(data: Any) -> str:
    """JSON that cannot end the element that it stands in."""
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":"))
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def plainly(one: Any) -> str:
    """A value as a person reads it."""
    if one is None:
        return "nothing"
    if isinstance(one, bool):
        return "true" if one else "false"
    if isinstance(one, Mapping):
        return " ".join(plainly(inner) for inner in one.values() if inner is not None)
    if isinstance(one, list | tuple):
        return ", ".join(plainly(inner) for inner in one) or "none"
    return str(one)


def _counts(judgement: Mapping[str, Any] | None) -> list[tuple[str, int]]:
    found = Counter(one["verdict"] for one in (judgement or {}).get("expectations", ()))
    return [(verdict, found[verdict]) for verdict in ("fail", "unproven", "pass") if found[verdict]]


def _ordered(judgement: Mapping[str, Any] | None) -> list[Mapping[str, Any]]:
    order = {"fail": 0, "unproven": 1, "pass": 2}
    return sorted((judgement or {}).get("expectations", ()), key=lambda one: order[one["verdict"]])


def _plain(one: Difference) -> dict[str, Any]:
    fields = {name: [value(old), value(new)] for name, (old, new) in one.fields.items()}
    return {"kind": one.kind, "key": value(one.key), "what": one.what, "fields": fields}


def _listed(found: Iterable[Mapping[str, Any]]) -> dict[str, Any]:
    listed = list(found)
    return {"shown": listed[:MOST_DIFFERENCES], "more": max(len(listed) - MOST_DIFFERENCES, 0), "all": len(listed)}


def _grid(told: Told, differences: Iterable[Difference]) -> list[tuple[str, dict[str, tuple[str, str]]]]:
    """Each device with each kind that it has: a word for how it is, and what there is to say."""
    counts = Counter((one.key["device"], one.kind) for one in differences)
    failing = Counter(
        (failure["device"], one["kind"])
        for one in (told.judgement or {}).get("expectations", ())
        if one["verdict"] == "fail"
        for failure in one["failures"]
    )
    unexplained = Counter((one["key"]["device"], one["kind"]) for one in (told.judgement or {}).get("unexplained", ()))
    has = {kind: Counter(told.after.records(kind).column("device").to_pylist()) for kind in KINDS}
    found = []
    for name, device in told.after.devices.items():
        row: dict[str, tuple[str, str]] = {}
        for kind in KINDS:
            place = (name, kind)
            if failing[place]:
                row[kind] = ("fail", f"{failing[place]} fail")
            elif unexplained[place]:
                row[kind] = ("unexplained", f"{unexplained[place]} unexplained")
            elif counts[place]:
                row[kind] = ("differs", f"{counts[place]} differ")
            elif has[kind][name]:
                row[kind] = ("well", str(has[kind][name]))
        if device.outcome != "captured":
            row = {"system": ("unproven", device.outcome.replace("_", " ")), **row}
        found.append((name, row))
    return found


def _bars(told: Told) -> list[dict[str, Any]]:
    """Routes by protocol and by next hop, before and after."""
    found = []
    for title, names in (
        ("Routes by protocol", ["source_protocol"]),
        ("Routes by next hop", ["device", "next_hop_address"]),
    ):
        sides = [_counted(one, names) if one is not None else Counter() for one in (told.before, told.after)]
        together: Counter[str] = sides[0] + sides[1]
        rows = [(name, sides[0][name], sides[1][name]) for name, _ in together.most_common(_BARS)]
        if rows:
            found.append({"title": title, "rows": rows, "most": max(max(row[1:]) for row in rows)})
    return found


def _counted(capture: Capture, names: list[str]) -> Counter[str]:
    table = capture.records("route").select(names).to_pydict()
    rows = zip(*(table[name] for name in names), strict=True)
    return Counter(" ".join("none" if one is None else str(one) for one in row) for row in rows)


def _records(told: Told) -> dict[str, Any]:
    """Every record after, by kind, in columns; a value that occurs again is told once."""
    found: dict[str, Any] = {}
    for name, kind in KINDS.items():
        table = told.after.records(name)
        if not table.num_rows:
            continue
        columns = {}
        for field_ in ("device", *(one for one in kind.fields if one not in ("device", "line", "answer"))):
            column = table.column(field_)
            if column.null_count < table.num_rows:
                columns[field_] = _column([value(one) for one in column.to_pylist()])
        found[name] = {"rows": table.num_rows, "columns": columns}
    return found


def _column(values: list[Any]) -> dict[str, Any]:
    texts = ["" if one is None else plainly(one) for one in values]
    known = {text: n for n, text in enumerate(dict.fromkeys(texts))}
    if len(known) > len(texts) // 2:
        return {"values": texts}
    return {"of": list(known), "at": [known[text] for text in texts]}
