"""What happened when, as bars over one time axis: each part of a performance, and each probe with its outages.

The parts follow from the journal: an event that begins one ends the one before it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

LEFT, WIDTH, ROW, TOP = 230, 900, 24, 12
_MOVERS = 4
_ROOM = WIDTH - LEFT - 60
TimelineEvent = Mapping[str, Any]


@dataclass(frozen=True)
class Stretch:
    """A stretch of time on its row, in the picture's units; `what` is `part`, `back` or `outage`."""

    x: float
    width: float
    what: str
    title: str


@dataclass(frozen=True)
class TimelineRow:
    y: int
    label: str
    bars: tuple[Stretch, ...]

    @property
    def note(self) -> str:
        return ", ".join(bar.title for bar in self.bars)


@dataclass(frozen=True)
class Timeline:
    rows: tuple[TimelineRow, ...]
    ticks: tuple[tuple[float, str], ...]
    left: int = LEFT
    width: int = WIDTH

    @property
    def height(self) -> int:
        return TOP + ROW * len(self.rows) + 30


def timeline(events: Sequence[TimelineEvent]) -> Timeline | None:
    """The picture of a journal; None where nothing was begun or nothing took any time."""
    moments = [_moment(event["at"]) for event in events]
    if len(moments) < 2 or moments[-1] <= moments[0]:
        return None
    axis = _Axis(moments[0], moments[-1])
    parts = [(label, [axis.bar(*span, "back" if backs else "part")]) for label, backs, span in _parts(events)]
    probes = [(title, [axis.bar(*span, "outage") for span in spans]) for title, spans in _outages(events).items()]
    placed = tuple(TimelineRow(TOP + n * ROW, label, tuple(bars)) for n, (label, bars) in enumerate([*parts, *probes]))
    return Timeline(placed, axis.ticks())


def _moment(text: str) -> datetime:
    return datetime.fromisoformat(text)


@dataclass(frozen=True)
class _Axis:
    start: datetime
    end: datetime

    def x(self, at: datetime) -> float:
        share = (at - self.start) / (self.end - self.start)
        return round(LEFT + min(max(share, 0.0), 1.0) * _ROOM, 1)

    def bar(self, began: datetime, ended: datetime | None, what: str) -> Stretch:
        until = ended or self.end
        took = f"{(until - began).total_seconds():.1f} s" + ("" if ended else " and longer")
        return Stretch(self.x(began), max(self.x(until) - self.x(began), 2.0), what, took)

    def ticks(self) -> tuple[tuple[float, str], ...]:
        quarter = (self.end - self.start) / 4
        moments = [self.start + n * quarter for n in range(5)]
        return tuple((self.x(at), f"{at:%H:%M:%S}") for at in moments)


TimeSpan = tuple[datetime, datetime | None]


def _parts(events: Sequence[TimelineEvent]) -> Iterator[tuple[str, bool, TimeSpan]]:
    """Each part with its name, whether it is of backing out, and its time."""
    name, since, back = "", None, False
    for event in events:
        at, begins = _moment(event["at"]), _begins(event, back)
        back = back or event["event"] == "backing out"
        if begins is None:
            continue
        passing = name == "settling" and event["event"] == "step"  # it goes on at once
        if name and since is not None and not passing:
            yield name, name in _BACK, (since, at)
        name, since = begins, at


_BACK = ("backing out", "settling again", "proof")


def _begins(event: TimelineEvent, back: bool) -> str | None:
    """The part that an event begins; nothing where it ends the last one, None where it does neither."""
    match event["event"]:
        case "begin":
            return "before and gate"
        case "step":
            return f"step {event['step'] + 1}: {event['title']}"
        case "step done":
            return "settling"
        case "settled":
            return "proof" if back else "judging"
        case "judged":
            return "saving" if event["verdict"] == "pass" else ""
        case "resumed":
            return "resumed"
        case "backing out":
            return "backing out"
        case "taken back":
            return "settling again"
        case "before" | "failed" | "end":
            return ""
    return None


def _outages(events: Sequence[TimelineEvent]) -> dict[str, list[TimeSpan]]:
    """Each probe with its outages; one that had not ended has no end."""
    by_probe: dict[str, dict[str, TimeSpan]] = {}
    for event in events:
        if event["event"] == "probing":
            by_probe.update({title: by_probe.get(title, {}) for title in event["probes"]})
        if event["event"] == "outage":
            began, lasted = _moment(event["began"]), event["seconds"]
            ended = None if lasted is None else began + timedelta(seconds=lasted)
            by_probe.setdefault(event["probe"], {})[event["began"]] = (began, ended)
    return {title: list(spans.values()) for title, spans in by_probe.items()}


def settling_line(events: Sequence[TimelineEvent]) -> dict[str, Any] | None:
    """How much was still moving, over the seconds since the steps were done, and what moved last; None where nothing
    moved."""
    told = [event for event in events if event["event"] == "settling"]
    again = next((n for n in range(1, len(told)) if told[n]["after"] < told[n - 1]["after"]), len(told))
    told = told[:again]  # the first settling; another one is that of backing out
    moving = next((round_ for round_ in reversed(told) if round_["moved"]), None)
    if moving is None:
        return None
    rounds = [(round_["after"], sum(round_["moved"].values())) for round_ in told]
    most_moved = sorted(moving["moved"].items(), key=lambda item: -item[1])[:_MOVERS]
    movers = ", ".join(f"{what} ({n})" for what, n in most_moved)
    longest, most = max(rounds[-1][0], 0.1), max(n for _, n in rounds)
    points = [(round(40 + after / longest * 500, 1), round(110 - n / most * 90, 1)) for after, n in rounds]
    line = " ".join(f"{x},{y}" for x, y in points)
    last = f"last moved, after {moving['after']:g} s: {movers}"
    return {"points": line, "longest": longest, "most": most, "rounds": rounds, "last": last}
