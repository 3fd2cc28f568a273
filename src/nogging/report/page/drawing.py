"""The network as lines between devices, before and after, in one arrangement.

What became of a link is told by its shape and a word as well as by colour: a lost one is dashed, a new one is
double, one that moved is dotted, one that restarted has a ring in its middle.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

from nogging.captures.capture import Capture
from nogging.judging.verdict import Difference
from nogging.routing.links import links

WIDTH, HEIGHT, MARGIN, ROW = 560, 360, 50, 24
MOST_DRAWN = 24
BOX = (92, 44)
"""What a device takes in the picture."""
_LOOSE = 0.2
_STRETCHES = (None, 3, 5)
"""How far apart devices would stay, from as usual to nearly a circle."""
_ROUNDS = 50
_OF_LINKS = ("interface", "neighbor", "link")
LinkEnds = frozenset[tuple[str, str]]


@dataclass(frozen=True)
class DrawnLink:
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
class DrawnDevice:
    name: str
    x: float
    y: float
    what: str


@dataclass(frozen=True)
class Picture:
    title: str
    nodes: tuple[DrawnDevice, ...]
    lines: tuple[DrawnLink, ...]
    left_out: int
    height: int
    width: int = WIDTH


def drawn(before: Capture | None, after: Capture, differences: Sequence[Difference]) -> list[Picture]:
    """The network of each capture, the devices in the same places."""
    sides = [("Before", before), ("After", after)] if before is not None else [("The network", after)]
    ends = {title: _links(capture) for title, capture in sides if capture is not None}
    joined = {
        tuple(sorted(name for name, _ in link)) for links_of in ends.values() for link in links_of if len(link) == 2
    }
    names = chosen([capture for _, capture in sides if capture is not None], joined, differences)
    places = arranged(names, [pair for pair in joined if set(pair) <= set(names)])
    restarted, moved = _ports(differences, "restarted"), _ports(differences, "moved")
    down = {title: _down(capture) for title, capture in sides if capture is not None}
    touched = {difference.key["device"] for difference in differences}
    pictures = []
    for title, capture in sides:
        if capture is None:
            continue
        lines = [
            _line(link, _became(link, title, ends, down, restarted, moved), places)
            for link in sorted(ends[title], key=sorted)
        ]
        nodes = [DrawnDevice(n, *places[n], "differs" if n in touched else "") for n in names if n in capture.devices]
        left_out = len(capture.devices) - len(nodes)
        seen = tuple(line for line in lines if line is not None)
        pictures.append(Picture(title, tuple(nodes), seen, left_out, picture_height(len(names))))
    return pictures


def chosen(
    captures: Sequence[Capture], joined: Iterable[tuple[str, ...]], differences: Sequence[Difference]
) -> list[str]:
    """The devices that are drawn: all, while they can be told apart; else those with the most differences of links,
    each with the ones that it is joined to, and then those that differ otherwise."""
    names = list(dict.fromkeys(name for capture in captures for name in capture.devices))
    if len(names) <= MOST_DRAWN:
        return names
    beside: dict[str, list[str]] = {name: [] for name in names}
    for device, other in (pair for pair in sorted(joined) if set(pair) <= set(beside)):
        beside[device].append(other)
        beside[other].append(device)
    at_links = Counter(difference.key["device"] for difference in differences if difference.kind in _OF_LINKS)
    differs = Counter(difference.key["device"] for difference in differences)
    ranked = sorted(names, key=lambda name: (-at_links[name], -differs[name]))
    wanted = (near for name in ranked for near in (name, *(beside[name] if at_links[name] else ())))
    return list(dict.fromkeys(wanted))[:MOST_DRAWN]


def _links(capture: Capture) -> set[LinkEnds]:
    return {
        frozenset({(link.device, link.interface), (link.peer_device, link.peer_interface)}) for link in links(capture)
    }


def _ports(differences: Iterable[Difference], what: str) -> set[tuple[str, str]]:
    return {
        (difference.key["device"], str(difference.key.get("name", difference.key.get("interface"))))
        for difference in differences
        if difference.kind in _OF_LINKS and difference.what == what
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
    carries = {title: link in links_of and not link & down[title] for title, links_of in ends.items()}
    if not carries[side] and not any(carries.values()):
        return "down"
    if len(carries) == 2 and not all(carries.values()):
        return "lost" if carries["Before"] else "new" if side == "After" else "down"
    if link & moved:
        return "moved"
    return "restarted" if link & restarted else ""


def _line(link: LinkEnds, what: str, places: Mapping[str, tuple[float, float]]) -> DrawnLink | None:
    ends = sorted(link)
    if len(ends) != 2 or any(name not in places for name, _ in ends):
        return None
    title = " to ".join(f"{name} {port}" for name, port in ends) + (f": {what}" if what else "")
    return DrawnLink(*places[ends[0][0]], *places[ends[1][0]], what, title)


def arranged(names: Sequence[str], pairs: Sequence[tuple[str, ...]]) -> dict[str, tuple[float, float]]:
    """Places in which joined devices lie together and all keep apart and few links go behind a device; the same for
    the same network each time."""
    import networkx

    graph: networkx.Graph[str] = networkx.Graph()
    graph.add_nodes_from(names)
    graph.add_edges_from((pair[0], pair[-1]) for pair in pairs)
    islands = [min(component) for component in networkx.connected_components(graph)]
    graph.add_edges_from(pairwise(islands), weight=_LOOSE)  # else what is not joined drifts out of the picture
    begun, height = networkx.circular_layout(graph), picture_height(len(names))
    links = {tuple(sorted(pair)) for pair in pairs}
    tried = (networkx.spring_layout(graph, pos=begun, iterations=_ROUNDS, seed=1, k=k) for k in _STRETCHES)
    places = ({name: (float(x), float(y)) for name, (x, y) in placed.items()} for placed in tried)
    return min((_apart(_fitted(place, height), height) for place in places), key=lambda at: _hidden(at, links))


def _hidden(at: Mapping[str, tuple[float, float]], joined: Iterable[tuple[str, ...]]) -> int:
    """How often a link goes behind a device that is none of its ends."""
    return sum(
        _passes(at[one], at[other], at[name]) for one, other in joined for name in at if name not in (one, other)
    )


def _passes(one: tuple[float, float], other: tuple[float, float], by: tuple[float, float]) -> bool:
    steps = (n / 20 for n in range(21))
    line = ((one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1])) for share in steps)
    return any(abs(x - by[0]) < BOX[0] / 2 and abs(y - by[1]) < BOX[1] / 2 for x, y in line)


def picture_height(devices: int) -> int:
    return max(HEIGHT, ROW * devices)


def _apart(at: dict[str, tuple[float, float]], height: int) -> dict[str, tuple[float, float]]:
    """The same places, with devices that would hide each other moved apart, within the picture."""
    places = {name: list(place) for name, place in at.items()}
    for _ in range(_ROUNDS):
        crowded = [
            (one, other)
            for one, other in combinations(places, 2)
            if abs(places[one][0] - places[other][0]) < BOX[0] and abs(places[one][1] - places[other][1]) < BOX[1]
        ]
        for one, other in crowded:
            lacking = [BOX[axis] - abs(places[one][axis] - places[other][axis]) for axis in (0, 1)]
            axis = 0 if lacking[0] < lacking[1] else 1
            sign = 1 if places[one][axis] < places[other][axis] else -1
            places[one][axis] -= sign * lacking[axis] / 2
            places[other][axis] += sign * lacking[axis] / 2
        for place in places.values():
            place[:] = [min(max(place[0], MARGIN), WIDTH - MARGIN), min(max(place[1], MARGIN), height - MARGIN)]
        if not crowded:
            break
    return {name: (round(x, 1), round(y, 1)) for name, (x, y) in places.items()}


def _fitted(at: Mapping[str, Sequence[float]], height: int) -> dict[str, tuple[float, float]]:
    spread: dict[str, tuple[float, float]] = {}
    low = [min((place[axis] for place in at.values()), default=0) for axis in (0, 1)]
    high = [max((place[axis] for place in at.values()), default=1) for axis in (0, 1)]
    for name, place in at.items():
        x, y = ((place[axis] - low[axis]) / ((high[axis] - low[axis]) or 1) for axis in (0, 1))
        spread[name] = (round(MARGIN + x * (WIDTH - 2 * MARGIN), 1), round(MARGIN + y * (height - 2 * MARGIN), 1))
    return spread
