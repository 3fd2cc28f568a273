"""Routes by protocol and next hop: what leads where, and what does so no longer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from nogging.captures.capture import Capture
from nogging.drawing.sheet import HATCHED, MOST_ROWS, SOLID, bars, sheet
from nogging.errors import QuestionError
from nogging.judging.select import select
from nogging.judging.verdict import many
from nogging.records import KINDS
from nogging.report.cleaning import clean

if TYPE_CHECKING:
    from matplotlib.figure import Figure

RouteWay = tuple[str, str]
"""A protocol, and where its routes lead."""


def routes(*captures: Capture, where: str | None = None) -> tuple[Figure, str]:
    """How many routes of each protocol lead to each next hop; those that changed most on top."""
    counted = [_counted(capture, where) for capture in captures]
    both = sorted(_both(counted).items(), key=lambda way: (-abs(way[1][-1] - way[1][0]), -max(way[1]), way[0]))
    if not both:
        raise QuestionError(f"there is no route{f' where {where}' if where else ''} to be drawn")
    shown, others = both[:MOST_ROWS], both[MOST_ROWS:]
    looks = [("before", HATCHED), ("after", SOLID)] if len(captures) == 2 else [("routes", SOLID)]
    title = "Routes by protocol and next hop" + (f", where {where}" if where else "")
    with sheet(clean(title), len(shown) * len(captures)) as (figure, (axes,)):
        series = [(label, [numbers[n] for _, numbers in shown], look) for n, (label, look) in enumerate(looks)]
        bars(axes, [clean(" ".join(way)) for way, _ in shown], series)
        axes.set_xlabel("routes" + _left_out(others))
    moved = sum(numbers[0] != numbers[-1] for _, numbers in both)
    said = f", {moved} of them with other numbers of routes than before" if moved else ""
    return figure, f"{many(len(both), 'way')}{said}"


def _left_out(others: Sequence[tuple[RouteWay, tuple[int, ...]]]) -> str:
    if not others:
        return ""
    changed = sum(numbers[0] != numbers[-1] for _, numbers in others)
    told = f"{changed} of them with other numbers" if changed else "all as they were"
    return f"; {many(len(others), 'more way')} are not drawn, {told}"


def _both(counted: list[Counter[RouteWay]]) -> dict[RouteWay, tuple[int, ...]]:
    return {
        way: tuple(of_capture[way] for of_capture in counted)
        for way in {way for of_capture in counted for way in of_capture}
    }


def _counted(capture: Capture, where: str | None) -> Counter[RouteWay]:
    """Each route once for each of its next hops."""
    rows, _ = select(capture, "route", where)
    owners = {row["ip"]: row["device"] for row in capture.records("address").select(["ip", "device"]).to_pylist()}
    keys = KINDS["route"].keys
    told = {(*(row[key] for key in keys), row["source_protocol"], _way(row, owners)) for row in rows}
    return Counter(row[-2:] for row in told)


def _way(row: dict[str, Any], owners: dict[str, str]) -> str:
    hop = row["next_hop_address"]
    if hop is None:
        return clean(row["special_next_hop"] or f"out of {row['device']} {row['outgoing_interface'] or '?'}")
    owner = owners.get(hop)
    return f"via {owner} ({hop})" if owner else f"via {hop}"
