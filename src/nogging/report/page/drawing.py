"""The network as lines between devices, before and after, in one arrangement; and small figures, as SVG without script.

What became of a link is told by its shape and a word as well as by colour: a lost one is dashed, a new one is
double, one that moved is dotted, one that restarted has a ring in its middle.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nogging.captures.capture import Capture
from nogging.judging.verdict import Difference
from nogging.routing.links import links

WIDTH, HEIGHT, MARGIN = 560, 360, 50
_ROUNDS = 200
LinkEnds = frozenset[tuple[str, str]]


@dataclass(frozen=True)
class Line:
    """One link between two devices. `what` is what became of it, or nothing."""

    x1: float
    y1: float
    x2: float
    y2: float
    what: str
    title: str

    @property
    def middle(self) -> tuple[float, float]:
        return round((self.x1 + self.x2) / 2, 1), round((self.y1 + self.y2) / 2, 1)


@dataclass(frozen=True)
class Node:
    name: str
    x: float
    y: float
    what: str


@dataclass(frozen=True)
class Network:
    title: str
    nodes: tuple[Node, ...]
    lines: tuple[Line, ...]
    width: int = WIDTH
    height: int = HEIGHT


def drawn(before: Capture | None, after: Capture, differences: Iterable[Difference]) -> list[Network]:
    """The network of each capture, the devices in the same places."""
    sides = [("Before", before), ("After", after)] if before is not None else [("The network", after)]
    ends = {title: _links(capture) for title, capture in sides if capture is not None}
    names = list(dict.fromkeys(name for _, capture in sides if capture is not None for name in capture.devices))
    joined = {tuple(sorted(name for name, _ in link)) for found in ends.values() for link in found if len(link) == 2}
    places = arranged(names, [pair for pair in joined if len(pair) == 2])
    restarted, moved = _ports(differences, "restarted"), _ports(differences, "moved")
    down = {title: _down(capture) for title, capture in sides if capture is not None}
    touched = {one.key["device"] for one in differences}
    found = []
    for title, capture in sides:
        if capture is None:
            continue
        lines = [
            _line(link, _became(link, title, ends, down, restarted, moved), places)
            for link in sorted(ends[title], key=sorted)
        ]
        nodes = [Node(n, *places[n], "differs" if n in touched else "") for n in names if n in capture.devices]
        found.append(Network(title, tuple(nodes), tuple(one for one in lines if one is not None)))
    return found


def _links(capture: Capture) -> set[LinkEnds]:
    return {frozenset({(one.device, one.interface), (one.peer_device, one.peer_interface)}) for one in links(capture)}


def _ports(differences: Iterable[Difference], what: str) -> set[tuple[str, str]]:
    return {
        (one.key["device"], str(one.key.get("name", one.key.get("interface"))))
        for one in differences
        if one.kind in ("interface", "neighbor") and one.what == what
    }


def _down(capture: Capture) -> set[tuple[str, str]]:
    """The interfaces that are not up."""
    rows = capture.records("interface").select(["device", "name", "oper_status"]).to_pylist()
    return {(row["device"], row["name"]) for row in rows if row["oper_status"] not in (None, "up")}


def _became(
    link: LinkEnds,
    side: str,
    ends: Mapping[str, set[LinkEnds]],
    down: Mapping[str, set[tuple[str, str]]],
    restarted: set[tuple[str, str]],
    moved: set[tuple[str, str]],
) -> str:
    """What became of a link, or how it is; nothing where it is up and stayed so."""
    carries = {title: link in found and not link & down[title] for title, found in ends.items()}
    if not carries[side] and not any(carries.values()):
        return "down"
    if len(carries) == 2 and not all(carries.values()):
        return "lost" if carries["Before"] else "new" if side == "After" else "down"
    if link & moved:
        return "moved"
    return "restarted" if link & restarted else ""


def _line(link: LinkEnds, what: str, places: Mapping[str, tuple[float, float]]) -> Line | None:
    ends = sorted(link)
    if len(ends) != 2 or any(name not in places for name, _ in ends):
        return None
    title = " to ".join(f"{name} {port}" for name, port in ends) + (f": {what}" if what else "")
    return Line(*places[ends[0][0]], *places[ends[1][0]], what, title)


def arranged(names: Sequence[str], pairs: Sequence[tuple[str, ...]]) -> dict[str, tuple[float, float]]:
    """Places in which joined devices lie together and all keep apart: springs and charges from a circle, the same for
    the same network each time."""
    at = {
        name: [math.cos(2 * math.pi * n / max(len(names), 1)), math.sin(2 * math.pi * n / max(len(names), 1))]
        for n, name in enumerate(names)
    }
    apart = 1.6 / math.sqrt(max(len(names), 1))
    for round_ in range(_ROUNDS if len(names) <= 300 else 0):
        step = 0.1 * (1 - round_ / _ROUNDS)
        force = {name: [0.0, 0.0] for name in names}
        for n, one in enumerate(names):
            for other in names[n + 1 :]:
                _push(at, force, one, other, lambda d: apart * apart / d)
        for one, other in pairs:
            _push(at, force, one, other, lambda d: -d * d / apart)
        for name in names:
            length = math.hypot(*force[name]) or 1.0
            for axis in (0, 1):
                at[name][axis] += force[name][axis] / length * min(length, step)
    return _fitted(at)


def _push(at: Mapping[str, list[float]], force: Mapping[str, list[float]], one: str, other: str, strength: Any) -> None:
    dx, dy = at[one][0] - at[other][0], at[one][1] - at[other][1]
    distance = math.hypot(dx, dy) or 0.01
    pushed = strength(distance) / distance
    for name, sign in ((one, 1), (other, -1)):
        force[name][0] += sign * dx * pushed
        force[name][1] += sign * dy * pushed


def _fitted(at: Mapping[str, list[float]]) -> dict[str, tuple[float, float]]:
    found: dict[str, tuple[float, float]] = {}
    low = [min((place[axis] for place in at.values()), default=0) for axis in (0, 1)]
    high = [max((place[axis] for place in at.values()), default=1) for axis in (0, 1)]
    for name, place in at.items():
        x, y = ((place[axis] - low[axis]) / ((high[axis] - low[axis]) or 1) for axis in (0, 1))
        found[name] = (round(MARGIN + x * (WIDTH - 2 * MARGIN), 1), round(MARGIN + y * (HEIGHT - 2 * MARGIN), 1))
    return found


def settling_line(events: Sequence[Mapping[str, Any]]) -> dict[str, Any] | None:
    """How much was still moving, over the seconds since the steps were done."""
    rounds = [(one["after"], sum(one["moved"].values())) for one in events if one["event"] == "settling"]
    last = next((n for n in range(1, len(rounds)) if rounds[n][0] < rounds[n - 1][0]), len(rounds))
    rounds = rounds[:last]  # the first settling; another one is that of backing out
    if not rounds:
        return None
    longest, most = max(rounds[-1][0], 0.1), max(max(n for _, n in rounds), 1)
    points = [(round(40 + after / longest * 500, 1), round(110 - n / most * 90, 1)) for after, n in rounds]
    return {"points": " ".join(f"{x},{y}" for x, y in points), "longest": longest, "most": most, "rounds": rounds}
