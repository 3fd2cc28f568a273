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
from typing import TYPE_CHECKING, Any

from nogging.asking.moments import Moment, in_order, moments
from nogging.captures.capture import Capture
from nogging.judging.compare import Comparison
from nogging.judging.comparing import compare
from nogging.judging.verdict import Cause, Difference
from nogging.records import KINDS
from nogging.records.field import REMAINDER
from nogging.report.cleaning import in_json, lines
from nogging.report.order import GRAVE, exactness
from nogging.report.page.drawing import drawn
from nogging.report.page.timeline import settling_line, timeline
from nogging.report.plain import value

if TYPE_CHECKING:
    import pyarrow as pa

MOST_DIFFERENCES = 500
"""So many differences are listed one by one; the records hold the rest."""
_SIGNS = {"pass": "✓", "fail": "✗", "unproven": "?"}
_HOW = ("fail", "unproven", "unexplained", "differs", "well")
"""How it is with a kind on a device, the worst first."""
_MANY, _MOST = 20, 500
"""So many devices are read in their own order; of more, the worst are first; and of more than the most, those that are
well are counted, not listed, and the page has no records of them."""
_BARS = 12
_MOST_MOMENTS = 400


@dataclass(frozen=True)
class PageSubject:
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
    notes: Sequence[str] = ()
    events: Sequence[Mapping[str, Any]] = field(default_factory=tuple)
    journal: Sequence[tuple[str, str, str]] = ()
    """What happened, each with its time and its sort."""
    probes: Sequence[str] = ()
    changed: Sequence[Moment] = ()
    """The lines of the journal as moments, to stand among those of the devices."""


def page(told: PageSubject) -> str:
    """The whole file."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("nogging.report", "page"), autoescape=True, undefined=StrictUndefined, trim_blocks=True,
        lstrip_blocks=True, finalize=_printable,
    )  # fmt: skip
    environment.filters["plainly"] = plainly
    judged = told.judgement is not None and told.judgement["compared"]
    compared = compare(told.before, told.after, caused=not judged) if told.before is not None else Comparison(())
    differences = list(compared.differences)
    every = _grid(told, differences)
    caused = list((told.judgement or {}).get("causes", ())) if judged else [_cause(cause) for cause in compared.causes]
    grid = _shown(every)
    happened = _happened(told)
    style, script = (_text(name) for name in ("page.css", "page.js"))
    return environment.get_template("page.html").render(
        told=told,
        verdict=str((told.judgement or {}).get("verdict", "")),
        signs=_SIGNS,
        counts=_counts(told.judgement),
        expectations=_ordered(told.judgement),
        explained=list((told.judgement or {}).get("explained", ())),
        unexplained=_listed(_alone((told.judgement or {}).get("unexplained", ()), caused)),
        all_unexplained=len((told.judgement or {}).get("unexplained", ())),
        compared=None if judged else _listed(_alone([_plain(difference) for difference in differences], caused)),
        all_compared=len(differences),
        causes=[{**cause, "following": _listed(cause["following"])} for cause in caused[:_BARS]],
        more_causes=max(len(caused) - _BARS, 0),
        networks=drawn(told.before, told.after, differences),
        grid=grid,
        left_out=len(every) - len(grid),
        well=sum(not any(_badly(row)) for _, row in every),
        many=len(grid) > _MANY,
        kinds=sorted({kind for _, row in grid for kind in row}, key=list(KINDS).index),
        bars=_bars(told),
        settling=settling_line(told.events),
        timeline=timeline(told.events),
        growing=_growing(compared),
        journal=told.journal,
        happened=[_moment(moment) for moment in happened[:_MOST_MOMENTS]],
        more_happened=max(len(happened) - _MOST_MOMENTS, 0),
        data=_script_safe(_records(told, {name for name, _ in grid} if len(grid) < len(every) else None)),
        style=style,
        script=script,
        policy=f"default-src 'none'; style-src '{digest_of(style)}'; script-src '{digest_of(script)}'; "
        "base-uri 'none'; form-action 'none'",
    )


def _happened(told: PageSubject) -> list[Moment]:
    """What the devices' logs and timers tell of the time between the captures, and the lines of the change among it."""
    return in_order([*moments(*([told.before] if told.before else []), told.after), *told.changed])


def _moment(moment: Moment) -> dict[str, Any]:
    return {
        "at": moment.at.strftime("%Y-%m-%d %H:%M:%S"),
        "exact": exactness(moment),
        "who": moment.device or "the change",
        "tells": moment.source,
        "what": moment.what,
        "grave": moment.severity in GRAVE,
    }


def _printable(text: Any) -> Any:
    """What a template shows, without anything that turns or hides a part of the page; what is ours stays."""
    return lines(text) if type(text) is str else text


def _text(name: str) -> str:
    return (files("nogging.report") / "page" / name).read_text(encoding="utf-8").strip()


def style_of_the_report() -> str:
    """The style sheet of the page."""
    return _text("page.css")


def digest_of(text: str) -> str:
    """What a Content-Security-Policy calls a script or a style."""
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _script_safe(data: Any) -> str:
    """JSON that cannot end the element that it stands in."""
    text = in_json(json.dumps(data, ensure_ascii=False, separators=(",", ":")), shown=True)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def plainly(told: Any) -> str:
    """A value as a person reads it."""
    if told is None:
        return "nothing"
    if isinstance(told, bool):
        return "true" if told else "false"
    if isinstance(told, Mapping):
        return " ".join(plainly(inner) for inner in told.values() if inner is not None)
    if isinstance(told, list | tuple):
        return ", ".join(plainly(inner) for inner in told) or "none"
    return str(told)


def _counts(judgement: Mapping[str, Any] | None) -> list[tuple[str, int]]:
    verdicts = Counter(expectation["verdict"] for expectation in (judgement or {}).get("expectations", ()))
    return [(verdict, verdicts[verdict]) for verdict in ("fail", "unproven", "pass") if verdicts[verdict]]


def _ordered(judgement: Mapping[str, Any] | None) -> list[Mapping[str, Any]]:
    order = {"fail": 0, "unproven": 1, "pass": 2}
    return sorted((judgement or {}).get("expectations", ()), key=lambda expectation: order[expectation["verdict"]])


def _plain(difference: Difference) -> dict[str, Any]:
    fields = {name: [value(old), value(new)] for name, (old, new) in difference.fields.items()}
    return {"kind": difference.kind, "key": value(difference.key), "what": difference.what, "fields": fields}


def _cause(cause: Cause) -> dict[str, Any]:
    return {
        **_plain(cause.difference),
        "following": [{**_plain(other), "because": why} for other, why in cause.following],
    }


def _alone(differences: Iterable[Mapping[str, Any]], causes: Iterable[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """The differences that neither are a cause nor follow from one."""
    told = {_place(difference) for cause in causes for difference in (cause, *cause["following"])}
    return [difference for difference in differences if _place(difference) not in told]


def _place(difference: Mapping[str, Any]) -> str:
    return json.dumps([difference["kind"], difference["key"], difference["what"]])


def _listed(differences: Iterable[Mapping[str, Any]]) -> dict[str, Any]:
    listed = list(differences)
    return {"shown": listed[:MOST_DIFFERENCES], "more": max(len(listed) - MOST_DIFFERENCES, 0), "all": len(listed)}


DeviceRow = tuple[str, dict[str, tuple[str, str]]]
"""A device, and of each kind how it is and what there is to say."""


def _grid(told: PageSubject, differences: Iterable[Difference]) -> list[DeviceRow]:
    """Each device with each kind that it has: a word for how it is, and what there is to say."""
    counts = Counter((difference.key["device"], difference.kind) for difference in differences)
    failing = Counter(
        (failure["device"], expectation["kind"])
        for expectation in (told.judgement or {}).get("expectations", ())
        if expectation["verdict"] == "fail"
        for failure in expectation["failures"]
    )
    unexplained = Counter(
        (difference["key"]["device"], difference["kind"])
        for difference in (told.judgement or {}).get("unexplained", ())
    )
    has = {kind: Counter(told.after.records(kind).column("device").to_pylist()) for kind in KINDS}
    grid = []
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
            elif has[kind][name] and not KINDS[kind].of_answers:
                row[kind] = ("well", str(has[kind][name]))
        if device.outcome != "captured":
            row = {"system": ("unproven", device.outcome.replace("_", " ")), **row}
        grid.append((name, row))
    return sorted(grid, key=lambda row: _badly(row[1])) if len(grid) > _MANY else grid


def _shown(grid: list[DeviceRow]) -> list[DeviceRow]:
    """The devices that are listed: of a great many those that are not well, or else a few."""
    return grid if len(grid) <= _MOST else [row for row in grid if any(_badly(row[1]))][:_MOST] or grid[:_MANY]


def _badly(row: Mapping[str, tuple[str, str]]) -> list[int]:
    """What puts a device first of many: how many of its kinds are how bad, the worst first."""
    return [-sum(how == state for how, _ in row.values()) for state in _HOW[:-1]]


def _bars(told: PageSubject) -> list[dict[str, Any]]:
    """Routes by protocol and by next hop, before and after; what changed most first."""
    bars = []
    for title, names in (
        ("Routes by protocol", ["source_protocol"]),
        ("Routes by next hop", ["device", "next_hop_address"]),
    ):
        sides = [
            _counted(capture, names) if capture is not None else Counter() for capture in (told.before, told.after)
        ]
        rows = [(name, sides[0][name], sides[1][name]) for name in sides[0] | sides[1]]
        rows = sorted(rows, key=lambda row: (-abs(row[1] - row[2]), -row[1] - row[2]))[:_BARS]
        if rows:
            bars.append({"title": title, "rows": rows, "most": max(max(row[1:]) for row in rows)})
    return bars


def _growing(compared: Comparison) -> list[dict[str, Any]]:
    """The counters of faults that grew, the fastest first: what, from and to, and how many a minute."""
    growing = []
    for growth in compared.growing[:_BARS]:
        what = " ".join(str(part) for part in (*growth.key.values(), growth.field) if part is not None)
        growing.append({"what": what, "before": growth.before, "after": growth.after, "rate": growth.per_minute})
    return sorted(growing, key=lambda growth: -(growth["rate"] or 0))


def _counted(capture: Capture, names: list[str]) -> Counter[str]:
    grouped = capture.records("route").group_by(names).aggregate([([], "count_all")]).to_pydict()
    rows = zip(*(grouped[name] for name in names), strict=True)
    texts = (" ".join("no next hop" if cell is None else str(cell) for cell in row) for row in rows)
    return Counter(dict(zip(texts, grouped["count_all"], strict=True)))


_UNSHOWN = ("device", "line", "answer", REMAINDER.name)


def _records(told: PageSubject, of: set[str] | None = None) -> dict[str, Any]:
    """Every record after, or those of some devices, by kind, in columns; a value that occurs again is told once."""
    records: dict[str, Any] = {}
    for name, kind in KINDS.items():
        table = told.after.records(name)
        if of is not None:
            table = table.filter(_among(table.column("device"), of))
        if not table.num_rows or kind.of_answers:
            continue
        columns = {}
        for field_ in ("device", *(name for name in kind.fields if name not in _UNSHOWN)):
            column = table.column(field_)
            if column.null_count < table.num_rows:
                columns[field_] = _column(column)
        records[name] = {"rows": table.num_rows, "columns": columns}
    return records


def _among(column: pa.ChunkedArray, words: set[str]) -> Any:
    import pyarrow as pa
    import pyarrow.compute as pc

    return pc.is_in(column, value_set=pa.array(sorted(words), column.type))


def _column(column: pa.ChunkedArray) -> dict[str, Any]:
    """A column as the values that occur in it, and which of them each row has; without the latter where every row has
    its own."""
    coded = _coded(column)
    texts = ["" if cell is None else plainly(value(cell)) for cell in coded.dictionary.to_pylist()]
    return {"of": texts} if len(texts) == len(coded) else {"of": texts, "at": coded.indices.to_pylist()}


def _coded(column: pa.ChunkedArray) -> pa.DictionaryArray:
    import pyarrow as pa

    whole = column.combine_chunks()
    if not pa.types.is_nested(whole.type):
        return whole.dictionary_encode("encode")
    rows = [plainly(value(cell)) for cell in whole.to_pylist()]
    return pa.array(rows).dictionary_encode()
