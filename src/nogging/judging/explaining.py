"""Explains differences: by the entries of a file, and by what follows from what these explain."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nogging.judging.asking import Asking
from nogging.judging.compare import Comparison
from nogging.judging.consequences import Consequences
from nogging.judging.expectation import Explanation
from nogging.judging.verdict import Difference, Explained, Verdict


class Explaining:
    """One comparison, whose differences are accounted for entry by entry."""

    def __init__(self, asking: Asking, comparison: Comparison) -> None:
        self.asking, self.comparison = asking, comparison
        self.accounted: set[int] = set()
        self.blind = bool(comparison.not_compared)

    def explained(self, explanations: Sequence[Explanation]) -> tuple[tuple[Explained, ...], tuple[Difference, ...]]:
        """What each entry explains, and what none does. What an entry speaks of itself goes before what only follows
        from something."""
        matched = [self.matched(explanation) for explanation in explanations]
        for numbers in matched:
            self.accounted.update(numbers)
        told = [
            _concluded(
                explanation, len(numbers), self.following(numbers) if explanation.consequences else (), self.blind
            )
            for explanation, numbers in zip(explanations, matched, strict=True)
        ]
        left = tuple(difference for n, difference in enumerate(self.comparison.differences) if n not in self.accounted)
        return tuple(told), left

    def matched(self, explanation: Explanation) -> list[int]:
        keys: set[tuple[Any, ...]] = (
            self.asking.changed_where(explanation)
            if explanation.kind.members
            else self.asking.keys_where(explanation, explanation.kind.keys)
        )
        return [
            n
            for n, difference in enumerate(self.comparison.differences)
            if difference.kind == explanation.kind.name
            and explanation.allows(difference.what, difference.fields)
            and difference.identity[1] in keys
        ]

    def following(self, causes: Sequence[int]) -> tuple[tuple[Difference, str], ...]:
        """What follows from some differences and is not accounted for by itself."""
        follows = Consequences(self.asking.pairs, self.comparison.differences).of(causes)
        mine = [(n, why) for n, why in sorted(follows.items()) if n not in self.accounted]
        self.accounted.update(n for n, _ in mine)
        return tuple((self.comparison.differences[n], why) for n, why in mine)


def _concluded(
    explanation: Explanation, times: int, following: tuple[tuple[Difference, str], ...], blind: bool
) -> Explained:
    told = f"explains {times}" + (f", and {len(following)} that follow" if following else "")
    wanted = (
        explanation.times if explanation.times is not None else (max(times, 1) if explanation.must_occur else times)
    )
    if wanted == times:
        return Explained(explanation.title, Verdict.PASS, told, times, following, explanation.place)
    verdict = Verdict.UNPROVEN if blind and times < wanted else Verdict.FAIL
    expected = f"{wanted} were expected" if explanation.times is not None else "it had to occur"
    return Explained(explanation.title, verdict, f"{told}, and {expected}", times, following, explanation.place)
