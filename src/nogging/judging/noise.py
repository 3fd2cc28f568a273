"""What varies by itself: taught by captures between which nothing was done, and then not mistaken for the change.

Two things are learned from each two quiet captures in a row. Which records differed, and how: the same record that
differs in the same way again is noise. And, of routes and of addresses in tables, how many differed in the same way in
how much time: in a full Internet table it is never the same prefixes that come and go. As many as chance would give in
the time between before and after (three standard deviations above the quickest quiet rate) are noise; if there are
more, none of them is.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture, opened
from nogging.errors import QuestionError
from nogging.judging.compare import Comparison, compare_pairs
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference, Noise

MANY = ("route", "arp", "fdb")
"""Kinds of which other records vary each time."""
_DEVIATIONS = 3
_Sort = tuple[str, str, str, str, tuple[str, ...]]


class Quiet:
    """What quiet captures have taught."""

    def __init__(self, captures: Iterable[Capture | str | Path]) -> None:
        ordered = sorted((opened(one) for one in captures), key=lambda one: one.ended)
        if len(ordered) < 2:
            raise QuestionError("two quiet captures at least tell what varies by itself (the one from before is one)")
        self.known: set[tuple[Any, ...]] = set()
        self.rates: dict[_Sort, float] = defaultdict(float)
        for earlier, later in pairwise(ordered):
            found = compare_pairs(Pairs(later, earlier)).differences
            seconds = max((later.ended - earlier.ended).total_seconds(), 1.0)
            self.known |= {_same(one) for one in found}
            for sort, n in Counter(map(_sort, found)).items():
                self.rates[sort] = max(self.rates[sort], n / seconds)

    def noise(self, differences: Sequence[Difference], seconds: float) -> dict[int, str]:
        """Which differences are noise, after as many seconds, and how each is known to be."""
        found = {n: "differed in the same way between quiet captures" for n, one in _numbered(differences, self.known)}
        others: dict[_Sort, list[int]] = defaultdict(list)
        for n, one in enumerate(differences):
            if n not in found and one.kind in MANY:
                others[_sort(one)].append(n)
        for sort, numbers in others.items():
            expected = self.rates.get(sort, 0.0) * seconds
            most = math.ceil(expected + _DEVIATIONS * math.sqrt(expected))
            if len(numbers) <= most:
                _, device, what, protocol, _ = sort
                told = " ".join(one for one in (protocol, sort[0]) if one)
                found |= dict.fromkeys(numbers, f"no more {told}s {what} on {device} than between quiet captures")
        return found


def noise_of(found: Comparison, pairs: Pairs, quiet: Sequence[Capture | str | Path]) -> Comparison:
    """A comparison with what is noise told apart, as far as the quiet captures, and the one from before, teach it."""
    if not quiet or pairs.before is None:
        return found
    seconds = (pairs.after.ended - pairs.before.ended).total_seconds()
    noise = Quiet([*quiet, pairs.before]).noise(found.differences, max(seconds, 1.0))
    titles: dict[str, list[Difference]] = defaultdict(list)
    for n, title in sorted(noise.items()):
        titles[title].append(found.differences[n])
    left = tuple(one for n, one in enumerate(found.differences) if n not in noise)
    told = tuple(Noise(title, tuple(several)) for title, several in titles.items())
    return replace(found, differences=left, noise=told)


def _numbered(differences: Sequence[Difference], known: set[tuple[Any, ...]]) -> list[tuple[int, Difference]]:
    return [(n, one) for n, one in enumerate(differences) if _same(one) in known]


def _same(one: Difference) -> tuple[Any, ...]:
    return (*one.identity, one.what, tuple(one.fields))


def _sort(one: Difference) -> _Sort:
    protocol = str(one.key.get("source_protocol") or one.key.get("protocol") or "")
    return one.kind, one.device, one.what, protocol, tuple(one.fields)
