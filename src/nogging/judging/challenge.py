"""Tests the expectations: breaks a good capture one fault at a time and asks which they would have let through.

A fault touches few records, so all faults are judged together. For each kind there is a table of broken rows: copies of
the rows that some fault touches, each with the number of the fault, as the fault leaves them. An expectation that
passes on the whole can only be turned by the rows that are touched: one question to the table of broken rows tells
for every fault whether it is. Where there is no capture from before, the good capture is its own: then `every`
notices what is gone, and `before.` is what it was.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.judging.broken import Broken, Turned
from nogging.judging.check import Judge
from nogging.judging.closing_holes import closing
from nogging.judging.compare import compare_pairs
from nogging.judging.consequences import Consequences
from nogging.judging.expectations import AnyExpectation, Expectations, load_expectations
from nogging.judging.explaining import Explaining
from nogging.judging.faults import Alteration, Fault, Faults
from nogging.judging.pairs import Pairs
from nogging.judging.quantifiers import every, exactly, none, some
from nogging.judging.quantifiers.joined import JoinedExpectation
from nogging.judging.quantifiers.path import PathExpectation
from nogging.judging.verdict import Difference, Result, Verdict
from nogging.records import KINDS

DIFFERENCE = "an unexplained difference"


@dataclass(frozen=True)
class Tried:
    """What became of one fault: what noticed it (nothing: it was let through), and how many records it touched."""

    fault: Fault
    by: tuple[str, ...]
    unproven: bool
    breaks: int

    @property
    def let_through(self) -> bool:
        return not self.by


@dataclass(frozen=True)
class Challenge:
    """All faults that were tried. `verdict` is that of the capture as it is; `left_out` the number of records of each
    kind that were not broken, since others of the device say the same."""

    title: str
    verdict: Verdict
    tried: tuple[Tried, ...]
    own_before: bool
    left_out: Mapping[str, int]
    devices: tuple[str, ...]

    @property
    def holes(self) -> tuple[Tried, ...]:
        """What was let through, that which would break most first."""
        return tuple(sorted((tried for tried in self.tried if tried.let_through), key=lambda tried: -tried.breaks))

    @property
    def closing(self) -> tuple[str, ...]:
        """Expectations that would close the holes, ready to paste."""
        return tuple(closing((hole.fault for hole in self.holes), self.devices))


def challenge(
    expectations: str | Path, *, after: Capture | str | Path, before: Capture | str | Path | None = None
) -> Challenge:
    """Breaks a capture in every way that it can be broken, and judges each; errors are those of `check`."""
    good = opened(after)
    pairs = Pairs(good, good if before is None else opened(before))
    return _Challenger(pairs, load_expectations(expectations, pairs)).run(before is None)


class _Challenger:
    def __init__(self, pairs: Pairs, asked: Expectations) -> None:
        self.pairs, self.asked = pairs, asked
        self.judge = Judge(pairs)
        self.good = self.judge.judge(asked)
        faults = Faults(pairs)
        self.faults = list(faults.all())
        self.left_out = dict(faults.left_out)
        self.broken = {kind: Broken(pairs, KINDS[kind], changes) for kind, changes in self.by_kind().items()}

    def by_kind(self) -> dict[str, list[tuple[int, Alteration]]]:
        alterations: dict[str, list[tuple[int, Alteration]]] = defaultdict(list)
        for n, fault in enumerate(self.faults):
            for change in fault.changes:
                alterations[change.kind].append((n, change))
        return alterations

    def run(self, own_before: bool) -> Challenge:
        by: dict[int, list[tuple[str, Verdict]]] = defaultdict(list)
        for expectation, good in zip(self.asked.expect, self.good.results, strict=True):
            for n, verdict in (self.turned(expectation, good) if good.verdict is Verdict.PASS else {}).items():
                by[n].append((expectation.title, verdict))
        breaks: dict[int, int] = defaultdict(int)
        for broken in self.broken.values():
            for n in broken.touched:
                breaks[n] += 1
        if self.asked.other == "fail":
            for n in self.differing({n for n in breaks if n not in by}):
                by[n].append((DIFFERENCE, Verdict.FAIL))
        tried = (_tried(fault, by.get(n, []), breaks[n]) for n, fault in enumerate(self.faults) if breaks[n])
        devices = tuple(self.pairs.after.devices)
        return Challenge(self.asked.title, self.good.verdict, tuple(tried), own_before, self.left_out, devices)

    def turned(self, expectation: AnyExpectation, good: Result) -> Turned:
        """The faults that an expectation notices; `good` is what became of it without any."""
        judge = self.judge
        if isinstance(expectation, PathExpectation):
            return dict(judge.paths.turned(expectation, self.faults))
        broken = self.broken.get(expectation.kind.name)
        if isinstance(expectation, JoinedExpectation):
            return judge.joining.turned(expectation, broken)
        if broken is None:
            return {}
        if expectation.quantifier == "count":
            return dict(judge.counting.turned(expectation, broken))
        if expectation.quantifier == "some":
            return some.turned(judge.asking, expectation, broken, good.found)
        return _TURNED[expectation.quantifier](judge.asking, expectation, broken)

    def differing(self, wanted: set[int]) -> set[int]:
        """Which of these faults leave a difference that no entry explains, or that one explains besides its number."""
        noticed = set()
        counted = self.accounted()
        left: dict[int, list[Difference]] = defaultdict(list)
        causes: dict[int, list[Difference]] = defaultdict(list)
        for name, broken in self.broken.items():
            if not wanted & broken.touched_faults or not KINDS[name].compared:
                continue
            explained = {
                n: broken.keys_where(self.judge.asking.explaining(entry))
                for n, entry in enumerate(self.asked.explain)
                if entry.kind.name == name
            }
            for fault, difference in broken.differences(wanted):
                key = difference.identity[1]
                by = [
                    n
                    for n, keys in explained.items()
                    if difference.what in self.asked.explain[n].what and (fault, *key) in keys
                ]
                if any(n in counted and _identity(difference) not in counted[n] for n in by):
                    noticed.add(fault)
                if not by:
                    left[fault].append(difference)
                elif any(self.asked.explain[n].consequences for n in by):
                    causes[fault].append(difference)
        return noticed | {
            fault for fault, several in left.items() if several and not self.follow(several, causes[fault])
        }

    def follow(self, left: list[Difference], causes: list[Difference]) -> bool:
        """Whether all that a fault leaves unexplained follows from what an entry explains with its consequences."""
        if not any(explanation.consequences for explanation in self.asked.explain):
            return False
        touched = {difference.identity for difference in (*left, *causes)}
        others = [good_cause for good_cause in self.good_causes if good_cause.identity not in touched]
        every = [*others, *causes, *left]
        follows = self.consequences.among(every).of(range(len(others) + len(causes)))
        return all(n in follows for n in range(len(every) - len(left), len(every)))

    @cached_property
    def consequences(self) -> Consequences:
        return Consequences(self.pairs, ())

    @cached_property
    def good_causes(self) -> list[Difference]:
        """The differences without a fault that entries explain with their consequences, and these."""
        every = self.explaining.comparison.differences
        causes = {
            n
            for explanation in self.asked.explain
            if explanation.consequences
            for n in self.explaining.matched(explanation)
        }
        follows = self.consequences.among(every).of(causes)
        return [every[n] for n in sorted({*causes, *follows})]

    @cached_property
    def explaining(self) -> Explaining:
        """The differences without a fault, to be explained."""
        return Explaining(self.judge.asking, compare_pairs(self.pairs))

    def accounted(self) -> dict[int, set[tuple[Any, ...]]]:
        """For each entry that says how many differences it explains, those that it does without a fault."""
        return {
            n: {_identity(self.explaining.comparison.differences[k]) for k in self.explaining.matched(entry)}
            for n, entry in enumerate(self.asked.explain)
            if entry.times is not None
        }


_TURNED = {"every": every.turned, "none": none.turned, "exactly": exactly.turned}


def _tried(fault: Fault, by: list[tuple[str, Verdict]], breaks: int) -> Tried:
    open_ = bool(by) and all(verdict is Verdict.UNPROVEN for _, verdict in by)
    return Tried(fault, tuple(title for title, _ in by), open_, breaks)


def _identity(difference: Difference) -> tuple[Any, ...]:
    return (difference.what, *difference.identity[1])
