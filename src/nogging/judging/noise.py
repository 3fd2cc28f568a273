"""What varies by itself: taught by captures between which nothing was done, and then not mistaken for the change.

Two things are learned from each two quiet captures in a row. What a record did: the same record that does the very same
again, from the same value to the same value, is noise. And, of routes and of addresses in tables, how many differed in
the same way in how much time: in a full Internet table it is never the same prefixes that come and go. As many as
chance would give in the time between before and after (three standard deviations above the quickest quiet rate), and no
more than a small share of the table, are noise; if there are more, none of them is. A default route is never noise, and
neither is a state that was not seen in any quiet capture.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.errors import QuestionError
from nogging.judging.compare import Comparison, compare_pairs
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import HOPS, Difference, Noise, words_that_differ
from nogging.records import KINDS, Field, Nature
from nogging.records.field import REMAINDER

_DEVIATIONS = 3
_SHARE = 0.1
"""As large a share of a table may be noise, however much time has passed."""
_DEFAULTS = ("0.0.0.0/0", "::/0")
_Sort = tuple[str, str, str, str, tuple[str, ...]]


class Quiet:
    """What quiet captures have taught."""

    def __init__(self, captures: Iterable[Capture | str | Path]) -> None:
        ordered = sorted((opened(capture) for capture in captures), key=lambda capture: capture.ended)
        if len(ordered) < 2:
            raise QuestionError("two quiet captures at least tell what varies by itself (the one from before is one)")
        self.known: set[str] = set()
        self.words: dict[tuple[Any, ...], set[str]] = {}
        """The words that a record gained or lost."""
        self.spans: dict[tuple[Any, ...], tuple[float, float]] = {}
        """How far the gauges of a record went."""
        self.rates: dict[_Sort, float] = defaultdict(float)
        for earlier, later in pairwise(ordered):
            differences = compare_pairs(Pairs(later, earlier)).differences
            for difference in differences:
                self.known.add(_same(difference))
                if REMAINDER.name in difference.fields and not isinstance(difference.fields[REMAINDER.name][0], list):
                    gone, come = words_that_differ(*difference.fields[REMAINDER.name])
                    self.words.setdefault(difference.identity, set()).update(gone, come)
                self._span(difference)
            for sort, n in Counter(map(_sort, differences)).items():
                seconds = _between(earlier, later, sort[1])
                if seconds is not None:
                    self.rates[sort] = max(self.rates[sort], n / seconds)

    def _span(self, difference: Difference) -> None:
        for name, values in difference.fields.items():
            if KINDS[difference.kind].fields.get(name) in _gauges(difference) and None not in values:
                low, high = self.spans.get((*difference.identity, name), values)
                self.spans[*difference.identity, name] = min(low, high, *values), max(low, high, *values)

    def is_known(self, difference: Difference) -> bool:
        """Whether a record did the very same between quiet captures."""
        if _same(difference) in self.known:
            return True
        if set(difference.fields) == {REMAINDER.name}:
            gone, come = words_that_differ(*difference.fields[REMAINDER.name])
            return {*gone, *come} <= self.words.get(difference.identity, set())
        gauges = {field.name for field in _gauges(difference)}
        if not difference.fields or not gauges.issuperset(difference.fields):
            return False
        spans = [self.spans.get((*difference.identity, name)) for name in difference.fields]
        return all(
            span is not None and new is not None and span[0] <= new <= span[1]
            for span, (_, new) in zip(spans, difference.fields.values(), strict=True)
        )

    def noise(self, differences: Sequence[Difference], pairs: Pairs) -> dict[int, str]:
        """Which differences are noise, and how each is known to be."""
        noise = {
            n: "differed in the same way between quiet captures"
            for n, difference in enumerate(differences)
            if self.is_known(difference)
        }
        others: dict[_Sort, list[int]] = defaultdict(list)
        for n, difference in enumerate(differences):
            if n not in noise and KINDS[difference.kind].come_and_go and not _is_default(difference):
                others[_sort(difference)].append(n)
        for sort, numbers in others.items():
            if len(numbers) <= self.most(sort, pairs):
                _, device, what, protocol, _ = sort
                told = " ".join(word for word in (protocol, sort[0]) if word)
                noise |= dict.fromkeys(numbers, f"no more {told}s {what} on {device} than between quiet captures")
        return noise

    def most(self, sort: _Sort, pairs: Pairs) -> int:
        """As many differences of a sort as chance would give in the time that has passed."""
        assert pairs.before is not None
        seconds = _between(pairs.before, pairs.after, sort[1])
        expected = self.rates.get(sort, 0.0) * (seconds or 0.0)
        chance = math.ceil(expected + _DEVIATIONS * math.sqrt(expected))
        return min(chance, int(_SHARE * _size(pairs.before, sort)))


def noise_of(comparison: Comparison, pairs: Pairs, quiet: Sequence[Capture | str | Path]) -> Comparison:
    """A comparison with what is noise told apart, as far as the quiet captures, and the one from before, teach it."""
    if not quiet or pairs.before is None:
        return comparison
    noise = Quiet([*quiet, pairs.before]).noise(comparison.differences, pairs)
    titles: dict[str, list[Difference]] = defaultdict(list)
    for n, title in sorted(noise.items()):
        titles[title].append(comparison.differences[n])
    left = tuple(difference for n, difference in enumerate(comparison.differences) if n not in noise)
    told = tuple(Noise(title, tuple(several)) for title, several in titles.items())
    return replace(comparison, differences=left, noise=told)


def _between(earlier: Capture, later: Capture, device: str) -> float | None:
    """The seconds between the answers of a device; None where there are none to tell."""
    ends = [
        max((command.ended() for command in capture.devices[device].commands.values() if command.started), default=None)
        if device in capture.devices
        else None
        for capture in (earlier, later)
    ]
    if ends[0] is None or ends[1] is None or ends[1] <= ends[0]:
        return None
    return (ends[1] - ends[0]).total_seconds()


def _size(capture: Capture, sort: _Sort) -> int:
    """How many records of a kind and a protocol a device has."""
    import pyarrow.compute as pc

    kind, device, _, protocol, _ = sort
    table = capture.records(kind)
    mine = table.filter(pc.equal(table.column("device"), device))
    name = next((field for field in ("source_protocol", "protocol") if protocol and field in KINDS[kind].fields), None)
    return int(mine.num_rows if name is None else pc.sum(pc.equal(mine.column(name), protocol)).as_py() or 0)


def _gauges(difference: Difference) -> list[Field]:
    return [field for field in KINDS[difference.kind].own if field.is_level]


def _is_default(difference: Difference) -> bool:
    return difference.key.get("destination_prefix") in _DEFAULTS


def _same(difference: Difference) -> str:
    """A difference to the very values; that something began again is the same whenever it did."""
    timed = difference.what == "restarted"
    return repr(
        (difference.identity, difference.what, tuple(difference.fields) if timed else tuple(difference.fields.items()))
    )


def _sort(difference: Difference) -> _Sort:
    """What differences are counted together: of the states of a record, only those with the same."""
    protocol = str(difference.key.get("source_protocol") or difference.key.get("protocol") or "")
    states = [field.name for field in KINDS[difference.kind].own if field.nature is Nature.STATE]
    told = [f"{name}={(difference.after or {}).get(name)}" for name in states if name in difference.fields]
    told += sorted(
        {str(_troubled(hop)) for hop in (difference.after or {}).get(HOPS) or ()} if HOPS in difference.fields else ()
    )
    return difference.kind, difference.device, difference.what, protocol, (*difference.fields, *told)


def _troubled(hop: dict[str, Any]) -> dict[str, Any]:
    return {name: hop.get(name) for name in ("active", "chosen", "installed", "trouble", "special_next_hop")}
