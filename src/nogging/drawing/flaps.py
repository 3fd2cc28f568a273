"""What went down and came up, in time: one row for each port or neighbor, as the logs and the timers tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

from nogging.asking.moments import window
from nogging.captures.capture import Capture
from nogging.drawing.sheet import INK, LINE, MOST_ROWS, SOFT, legend, rows_of, sheet
from nogging.errors import QuestionError
from nogging.judging.select import select
from nogging.judging.verdict import many
from nogging.report.cleaning import clean

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_TIMERS: tuple[tuple[str, str, str, Callable[[dict[str, Any]], bool]], ...] = (
    ("interface", "name", "last_change", lambda row: row["oper_status"] == "up"),
    ("neighbor", "neighbor", "since", lambda row: bool(row["settled"])),
)
"""The timers that tell of a change: of which kind, what they are of, and whether it is up since then."""
_APART = 10.0
"""A timer that two captures tell of, at most so many seconds apart, is one."""
_SIGNS = {"down": ("v", "went down"), "up": ("^", "came up"), "": ("D", "changed")}


@dataclass(frozen=True, order=True)
class UpOrDown:
    """Something that went down or came up (`state`; empty where that is not told)."""

    at: datetime
    device: str
    what: str
    state: str


def flaps(*captures: Capture, where: str | None = None) -> tuple[Figure, str]:
    """What changed its state between two captures, or in the day before the end of one."""
    since, until = window(captures)
    flaps = sorted(flap for flap in set(told(captures, where)) if since <= flap.at <= until)
    if not flaps:
        raise QuestionError(f"nothing went down or up between {since:%Y-%m-%d %H:%M} and {until:%Y-%m-%d %H:%M} UTC")
    rows = list(dict.fromkeys((flap.device, flap.what) for flap in flaps))
    shown = rows[:MOST_ROWS]
    with sheet("What went down and came up, the first on top", 2 * len(shown)) as (figure, (axes,)):
        rows_of(axes, [clean(" ".join(row)) for row in shown])
        for state, (sign, meaning) in _SIGNS.items():
            some = [flap for flap in flaps if flap.state == state and (flap.device, flap.what) in shown]
            at = [shown.index((flap.device, flap.what)) for flap in some]
            if some:
                moments: list[Any] = [flap.at for flap in some]
                axes.scatter(
                    moments,
                    at,
                    marker=sign,
                    s=46,
                    facecolor=INK if state == "down" else "none",
                    edgecolor=INK,
                    label=meaning,
                    zorder=3,
                )
        axes.hlines(range(len(shown)), since, until, color=LINE, linewidth=0.6)  # type: ignore[arg-type]
        axes.set_xlim(since, until)  # type: ignore[arg-type]
        axes.set_xlabel(f"UTC, from {since:%Y-%m-%d %H:%M:%S} to {until:%Y-%m-%d %H:%M:%S}")
        axes.tick_params(axis="x", labelsize=8, labelcolor=SOFT)
        legend(axes)
    more = f"; the {len(rows) - len(shown)} others are not drawn" if len(rows) > len(shown) else ""
    downs = sum(flap.state == "down" for flap in flaps)
    first = f"{clean(flaps[0].device)} {clean(flaps[0].what)}"
    return figure, f"{many(downs, 'time')} down on {len(rows)} ports and neighbors, first {first}{more}"


def told(captures: tuple[Capture, ...], where: str | None) -> Iterator[UpOrDown]:
    """All that logs and timers tell of ports and neighbors; what both say stands at one place."""
    known: set[tuple[object, ...]] = set()
    for capture in captures:
        for row in select(capture, "event", None)[0]:
            what = row["interface"] or row["neighbor"]
            if what and row["at"]:
                yield UpOrDown(row["at"], row["device"], what, row["state"] or "")
        for kind, name, timer, is_up in _TIMERS:
            for row in select(capture, kind, where if kind == "interface" else None)[0]:
                again = row["device"], row[name], is_up(row), row[timer] and round(row[timer].timestamp() / _APART)
                if row[timer] and again not in known:
                    known.add(again)
                    yield UpOrDown(row[timer], row["device"], row[name], "up" if is_up(row) else "down")
