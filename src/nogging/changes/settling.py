"""Waits until the network is still, instead of for a fixed time.

Some kinds are captured again and again. What moved between two captures is counted; when nothing has for as long as is
asked, the network has settled. What was still moving at the end is told, by kind and device.
"""

from __future__ import annotations

import tempfile
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from nogging.changes.declared import SettlingModel
from nogging.collecting.collect import collect
from nogging.collecting.credentials import Secrets
from nogging.inventory import Inventory
from nogging.judging.compare import compare


@dataclass(frozen=True)
class Round:
    """One capture: how many seconds after the beginning, and how much had moved since the one before it."""

    after: float
    moved: dict[str, int]


@dataclass(frozen=True)
class Settled:
    still: bool
    rounds: tuple[Round, ...]

    @property
    def seconds(self) -> float:
        return self.rounds[-1].after if self.rounds else 0.0


def settle(inventory: Inventory, model: SettlingModel, tell: Callable[[Round], None], secrets: Secrets) -> Settled:
    """Captures until nothing has moved for `quiet` seconds, `at_most` so long. What could not be compared counts as
    moved while it is not the same each time; what never can be is for the judgement to tell."""
    began = last_moved = time.monotonic()
    rounds: list[Round] = []
    blind: tuple[str, ...] = ()
    with tempfile.TemporaryDirectory(prefix="nogging-settling-") as place:
        folder = Path(place)
        before = collect(inventory, folder / "0", kinds=list(model.kinds), secrets=secrets)
        while True:
            elapsed = time.monotonic() - began
            if elapsed >= model.at_most:
                return Settled(False, tuple(rounds))
            time.sleep(min(model.every, max(model.at_most - elapsed, 0.0)))
            after = collect(inventory, folder / str(len(rounds) + 1), kinds=list(model.kinds), secrets=secrets)
            found = compare(before, after)
            moved = Counter(f"{one.kind} on {one.key['device']}" for one in found.differences)
            now = time.monotonic()
            rounds.append(Round(round(now - began, 1), dict(sorted(moved.items()))))
            tell(rounds[-1])
            if moved or found.not_compared != blind:
                last_moved, blind = now, found.not_compared
            if now - last_moved >= model.quiet:
                return Settled(True, tuple(rounds))
            before = after
