"""Counters as rates, port by port: how much passed in a second, and what should not have happened."""

from __future__ import annotations

from collections import defaultdict
from typing import TYPE_CHECKING

from nogging.asking.findings import grown
from nogging.captures.capture import Capture
from nogging.drawing.sheet import HATCHED, MOST_ROWS, SOLID, bars, sheet
from nogging.errors import QuestionError
from nogging.judging.pairs import Pairs
from nogging.judging.select import select
from nogging.records import KINDS
from nogging.report.cleaning import clean

if TYPE_CHECKING:
    from matplotlib.figure import Figure

DevicePort = tuple[str, str]
_OCTETS = ("in_octets", "out_octets")


def rates(before: Capture, after: Capture, where: str | None = None) -> tuple[Figure, str]:
    """Bits a second in and out of each port between two captures, the busiest on top, and beside it the counters of
    faults that grew."""
    wanted = {(row["device"], row["name"]) for row in select(after, "interface", where)[0]}
    bits, faults = measured(before, after)
    bits = {port: both for port, both in bits.items() if port in wanted}
    faults = {port: grew for port, grew in faults.items() if port in wanted}
    if not bits and not faults:
        raise QuestionError("no counter of a port grew between these two: there are no rates to draw")
    ports = sorted(
        bits.keys() | faults.keys(),
        key=lambda port: (-max(faults.get(port, {}).values(), default=0), -sum(bits.get(port, (0, 0)))),
    )
    shown = ports[:MOST_ROWS]
    grew = [faults.get(port, {}) for port in shown]
    title = "Rates of the ports between the two captures"
    with sheet(title, 2 * len(shown), 2 if faults else 1) as (figure, panels):
        pairs = [bits.get(port, (0.0, 0.0)) for port in shown]
        both = [("in", [pair[0] for pair in pairs], HATCHED), ("out", [pair[1] for pair in pairs], SOLID)]
        bars(panels[0], [clean(" ".join(port)) for port in shown], both)
        panels[0].set_xlabel("bit/s")
        if faults:
            names = [
                ", ".join(name.replace("_", " ") for name in sorted(growth, key=growth.__getitem__, reverse=True))
                for growth in grew
            ]
            bars(panels[1], names, [("faults", [max(growth.values(), default=0) for growth in grew], SOLID)])
            panels[1].set_xlabel("faults a second, by the counter that grew most (one fault may count in several)")
    more = f"; the {len(ports) - len(shown)} others are not drawn" if len(ports) > len(shown) else ""
    return figure, f"{len(bits)} ports that carried something, {len(faults)} with faults that grew{more}"


def measured(
    before: Capture, after: Capture
) -> tuple[dict[DevicePort, tuple[float, float]], dict[DevicePort, dict[str, float]]]:
    """Of each port the bits a second in and out, and the faults a second by counter, where they grew."""
    kind = KINDS["interface"]
    octets: dict[DevicePort, dict[str, float]] = defaultdict(dict)
    faults: dict[DevicePort, dict[str, float]] = defaultdict(dict)
    for row in grown(Pairs(after, before), kind):
        port = row["device"], row["interface"]
        if row["per_second"] is not None and row["field"] in _OCTETS:
            octets[port][row["field"]] = 8 * row["per_second"]
        elif row["per_second"] is not None and kind.fields[row["field"]].of_faults:
            faults[port][row["field"]] = row["per_second"]
    return {
        port: (counted.get(_OCTETS[0], 0.0), counted.get(_OCTETS[1], 0.0)) for port, counted in octets.items()
    }, dict(faults)
