"""Waits until the network is still, instead of for a fixed time.

Some kinds are captured again and again. What moved between two captures is counted; when nothing has for as long as is
asked, and every timer that could still expire has had its time, the network has settled. A neighbor whose dead time
does not go up any more is failing before it has failed, and counts as moving. What was still moving at the end is told,
by kind and device.
"""

from __future__ import annotations

import tempfile
import time
from collections import Counter
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.changes.file.declared import SettlingModel
from nogging.collecting.collect import collect
from nogging.collecting.credentials import Secrets
from nogging.inventory import Inventory
from nogging.judging.comparing import compare
from nogging.routing.links import links

USUAL = {"ospf": 40.0, "ospfv3": 40.0, "isis": 30.0, "bgp": 180.0, "bfd": 1.0}
"""The dead or hold time of a protocol, in seconds, where the device does not tell it."""
LATE = 1.5
"""So many hello intervals without a hello are one hello too few."""


@dataclass(frozen=True)
class Round:
    """One capture: how many seconds after the beginning, and how much had moved since the one before it."""

    after: float
    moved: dict[str, int]


@dataclass(frozen=True)
class Awaited:
    """The longest timer that could still expire: its seconds, and whose it is; `given` is what is waited for instead,
    where the change file says less."""

    seconds: float = 0.0
    whose: str = ""
    given: float | None = None

    @property
    def waited(self) -> float:
        return self.seconds if self.given is None else self.given

    @property
    def told(self) -> str:
        """What the report says where less was waited for."""
        if self.given is None or self.given >= self.seconds:
            return ""
        why = f"{self.whose} expires after {self.seconds:g} s"
        return f"settling waited {self.given:g} s for timers, as the file says; {why}"


@dataclass(frozen=True)
class Settled:
    still: bool
    rounds: tuple[Round, ...]

    @property
    def seconds(self) -> float:
        return self.rounds[-1].after if self.rounds else 0.0


def awaited(before: Capture, touched: Collection[str], model: SettlingModel) -> Awaited:
    """The longest dead or hold time of the neighbors that a change to these devices can touch, at either end."""
    near = set(touched) | {link.peer_device for link in links(before) if link.device in touched}
    dead = {(row["device"], row["name"]): row["ospf_dead_interval"] for row in _rows(before, "interface", near)}
    longest = Awaited()
    for row in _rows(before, "neighbor", near):
        protocol = row["protocol"]
        told = dead.get((row["device"], row["interface"])) if protocol.startswith("ospf") else None
        seconds = told or USUAL.get(protocol, 0.0)
        if seconds > longest.seconds:
            name = row["interface"] if protocol.startswith("ospf") else row["neighbor"]
            longest = Awaited(seconds, f"{protocol} of {row['device']} {name}")
    given = model.timers
    if given is None and "at_most" in model.model_fields_set and model.at_most < longest.seconds + model.quiet:
        given = max(model.at_most - model.quiet - model.every, 0.0)
    return Awaited(longest.seconds, longest.whose, given)


def settle(
    inventory: Inventory,
    model: SettlingModel,
    tell: Callable[[Round], None],
    secrets: Secrets,
    wait: float = 0.0,
    sleep: Callable[[float], None] = time.sleep,
) -> Settled:
    """Captures until nothing has moved for `quiet` seconds and `wait` seconds are over, `at_most` so long. What could
    not be compared counts as moved while it is not the same each time; what never can be is for the judgement to
    tell. `sleep` may raise, to end it."""
    began = last_moved = time.monotonic()
    at_most = max(model.at_most, wait + model.quiet + model.every)
    rounds: list[Round] = []
    blind: tuple[str, ...] = ()
    with tempfile.TemporaryDirectory(prefix="nogging-settling-") as place:
        folder = Path(place)
        before = collect(inventory, folder / "0", kinds=list(model.kinds), secrets=secrets)
        while True:
            elapsed = time.monotonic() - began
            if elapsed >= at_most:
                return Settled(False, tuple(rounds))
            sleep(min(model.every, max(at_most - elapsed, 0.0)))
            after = collect(inventory, folder / str(len(rounds) + 1), kinds=list(model.kinds), secrets=secrets)
            comparison = compare(before, after, caused=False)
            moved = Counter(f"{difference.kind} on {difference.key['device']}" for difference in comparison.differences)
            moved.update(failing(before, after))
            now = time.monotonic()
            rounds.append(Round(round(now - began, 1), dict(sorted(moved.items()))))
            tell(rounds[-1])
            if moved or comparison.not_compared != blind:
                last_moved, blind = now, comparison.not_compared
            if now - last_moved >= model.quiet and now - began >= wait:
                return Settled(True, tuple(rounds))
            before = after


def failing(before: Capture, after: Capture) -> Iterator[str]:
    """The neighbors of which a hello is late: their dead time did not go up between two captures, and is lower than it
    ever is between two hellos."""
    timers = {(row["device"], row["name"]): row for row in _rows(after, "interface", after.devices)}
    was = {_key(row): row["time_left"] for row in _rows(before, "neighbor", before.devices)}
    for row in _rows(after, "neighbor", after.devices):
        then, left = was.get(_key(row)), row["time_left"]
        timer = timers.get((row["device"], row["interface"]), {})
        dead, hello = timer.get("ospf_dead_interval"), timer.get("ospf_hello_interval")
        if left is None or then is None or left > then or not dead or not hello:
            continue
        if left < dead - LATE * hello:
            yield f"hello of {row['neighbor']} late on {row['device']}"


def _key(row: dict[str, Any]) -> tuple[Any, ...]:
    return tuple(row[name] for name in ("device", "protocol", "interface", "neighbor"))


def _rows(capture: Capture, kind: str, devices: Collection[str]) -> list[dict[str, Any]]:
    return [row for row in capture.records(kind).to_pylist() if row["device"] in devices]
