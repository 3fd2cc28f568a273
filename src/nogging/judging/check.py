"""Judges expectations over a capture, with the capture from before where there is one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.judging.asking import Asking
from nogging.judging.causes import causes
from nogging.judging.compare import compare_pairs, swapped
from nogging.judging.expectations import AnyExpectation, Expectations, load_expectations
from nogging.judging.explaining import Explaining
from nogging.judging.growth import growing
from nogging.judging.noise import noise_of
from nogging.judging.pairs import Pairs, pairs_of
from nogging.judging.quantifiers import every, exactly, none, some
from nogging.judging.quantifiers.count import Counting
from nogging.judging.quantifiers.joined import JoinedExpectation, Joining
from nogging.judging.quantifiers.path import PathExpectation, PathJudge
from nogging.judging.verdict import NO_BEFORE, Judgement, Result, Verdict, worst


def check(
    expectations: str | Path,
    *,
    after: Capture | str | Path,
    before: Capture | str | Path | None = None,
    quiet: Iterable[Capture | str | Path] = (),
) -> Judgement:
    """Judges a file of expectations over a capture.

    `quiet` are captures from before between which nothing was done: they teach what varies by itself.

    Raises `FileError` for a mistake in the file and `CaptureError` for a directory that is no capture, both before
    anything is judged; whatever the evidence lacks is a verdict, never an error.
    """
    pairs = pairs_of(before, after)
    return Judge(pairs, list(quiet)).judge(load_expectations(expectations, pairs))


class Judge:
    """Judges over one pair of captures."""

    def __init__(self, pairs: Pairs, quiet: Sequence[Capture | str | Path] = ()) -> None:
        self.pairs, self.quiet = pairs, quiet
        self.asking = Asking(pairs)
        self.paths = PathJudge(pairs)
        self.counting = Counting(self.asking)
        self.joining = Joining(self.asking)

    def judge(self, asked: Expectations) -> Judgement:
        self.asking.waivers = [waiver for waiver in asked.waivers if waiver.until >= self.pairs.after.ended.date()]
        expired = (waiver for waiver in asked.waivers if waiver not in self.asking.waivers)
        notes = [f"expired, and counts for nothing: {waiver}" for waiver in expired] + self.acknowledged(asked)
        results = tuple(self.judged(expectation) for expectation in asked.expect)
        verdicts = [result.verdict for result in results if result.strength == "must"]
        if self.pairs.before is None:
            notes += self.pairs.after.remarks
            if asked.other is not None:
                verdicts.append(Verdict.UNPROVEN)
                notes.insert(0, f"differences were not judged: {NO_BEFORE}")
            return Judgement(worst(verdicts), asked.title, results, notes=tuple(notes))
        notes += swapped(self.pairs)
        verdicts += [Verdict.UNPROVEN] * bool(swapped(self.pairs))
        if asked.other is None:
            notes += [*self.pairs.before.remarks, *self.pairs.after.remarks]
            return Judgement(worst(verdicts), asked.title, results, notes=tuple(notes), growing=growing(self.pairs))
        comparison = compare_pairs(self.pairs)
        explained, left = Explaining(self.asking, comparison).explained(asked.explain)
        quiet = noise_of(replace(comparison, differences=left), self.pairs, self.quiet)
        left, noise = quiet.differences, tuple(entry.told() for entry in quiet.noise)
        verdicts += [entry.verdict for entry in explained]
        if asked.other == "fail":
            verdicts += [Verdict.FAIL] * bool(left) + [Verdict.UNPROVEN] * bool(comparison.not_compared)
        return Judgement(
            verdict=worst(verdicts),
            title=asked.title,
            results=results,
            explained=(*explained, *noise),
            unexplained=left,
            not_compared=comparison.not_compared,
            differences=len(comparison.differences),
            other=asked.other,
            compared=True,
            notes=(*notes, *comparison.notes),
            growing=growing(self.pairs),
            causes=causes(self.pairs, left),
        )

    def acknowledged(self, asked: Expectations) -> list[str]:
        """Takes the lines that are acknowledged as if they had been read, and tells of it."""
        times: Counter[str] = Counter()

        def knows(dialect: str, command: str, text: str) -> bool:
            acknowledged = next((entry for entry in asked.acknowledged if entry.knows(dialect, command, text)), None)
            times[acknowledged.title if acknowledged else ""] += 1
            return acknowledged is not None

        if asked.acknowledged and self.pairs.acknowledge(knows):
            self.asking.begin_anew()
        return [
            f"acknowledged, {times[entry.title]} unread line{'s' * (times[entry.title] != 1)}: {entry.title}"
            for entry in asked.acknowledged
        ]

    def judged(self, expectation: AnyExpectation) -> Result:
        """What becomes of one expectation."""
        return replace(self._judged(expectation), place=expectation.place)

    def _judged(self, expectation: AnyExpectation) -> Result:
        if isinstance(expectation, PathExpectation):
            return self.paths.judged(expectation)
        if isinstance(expectation, JoinedExpectation):
            return self.joining.judged(expectation)
        if expectation.quantifier == "count":
            return self.counting.judged(expectation)
        return _JUDGED[expectation.quantifier](self.asking, expectation)


_JUDGED = {"every": every.judged, "some": some.judged, "none": none.judged, "exactly": exactly.judged}
