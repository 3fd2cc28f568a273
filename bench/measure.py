"""Measuring as ratios: the thing and its reference in turns, in the same minute, the best of several runs each."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Figure:
    """One line of the table: what was measured, against what, and how many times its time it took."""

    what: str
    reference: str
    ratio: float
    spread: str


def best(run: Callable[[], object]) -> float:
    began = time.perf_counter()
    run()
    return time.perf_counter() - began


def ratio(what: str, run: Callable[[], object], reference: str, bare: Callable[[], object], times: int = 5) -> Figure:
    """Runs both in turns; the ratio of the best times, and the spread of the single ratios."""
    pairs = [(best(run), best(bare)) for _ in range(times)]
    single = sorted(mine / other for mine, other in pairs)
    found = min(mine for mine, _ in pairs) / min(other for _, other in pairs)
    return Figure(what, reference, found, f"{single[0]:.2f} to {single[-1]:.2f}")
