"""A short account in sentences of what captures, a comparison and a judgement show. It is made by rules from the
records: each sentence has its evidence, the places in the answers where it is said."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nogging.asking.about import About, NotWell, about
from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.judging.check import check
from nogging.judging.comparing import compare
from nogging.judging.verdict import Cause, Difference, Judgement, Result, Verdict, by_themselves, many
from nogging.records import KINDS, Nature
from nogging.records.field import REMAINDER

MOST = 5
_WHEN = "%B %-d, %H:%M:%S UTC"
_VERDICTS = {
    Verdict.PASS: "The change passes: all that was expected of it holds",
    Verdict.FAIL: "The change fails",
    Verdict.UNPROVEN: "It is not proven that the change did what was meant",
}
_BECAME = {"gone": "is gone", "new": "is new", "restarted": "began anew", "moved": "changed"}


@dataclass(frozen=True)
class Sentence:
    """What is told, and where it is said: `after: gannet-r1 'show interface' 12-20`. `detail` is what only an engineer
    wants to know."""

    text: str
    evidence: tuple[str, ...] = ()
    detail: bool = False


def tell(*captures: Capture | str | Path, expectations: str | Path | None = None) -> list[Sentence]:
    """The account of one capture, or of two: before and after; judged, where expectations are given."""
    taken = [opened(capture) for capture in captures]
    before = taken[0] if len(taken) > 1 else None
    facts = about(*taken)
    told = list(_judged(check(expectations, after=taken[-1], before=before))) if expectations is not None else []
    told.append(_introduced(facts, taken[-1], before))
    if before is not None:
        told += _changed(before, taken[-1])
    return [*told, *_standing(facts), *_lacking(facts)]


def _introduced(facts: About, after: Capture, before: Capture | None) -> Sentence:
    last = facts.whole[-1]
    dialects = ", ".join(f"{n} {name}" for name, n in last.dialects.most_common())
    were = "was asked how it stands" if len(last.devices) == 1 else "were asked how they stand"
    asked = f"{many(len(last.devices), 'device')} ({dialects}) {were}"
    places = tuple(capture.called for capture in (before, after) if capture is not None and not capture.taken)
    if before is None:
        return Sentence(f"{asked}, on {after.began:{_WHEN}}.", places)
    return Sentence(f"{asked}, before it on {before.began:{_WHEN}}, after it on {after.began:{_WHEN}}.", places)


def _judged(judgement: Judgement) -> Iterator[Sentence]:
    failed = [
        result for result in judgement.results if result.verdict is not Verdict.PASS and result.strength == "must"
    ]
    word = "does" if len(failed) == 1 else "do"
    told = [f"{len(failed)} of {many(len(judgement.results), 'expectation')} {word} not hold"] if failed else []
    if judgement.compared:
        left = len(judgement.unexplained)
        told.append(f"{many(left, 'difference')} nobody expected" if left else "nothing else happened")
    yield Sentence(f"{_VERDICTS[judgement.verdict]}{': ' if told else ''}{', and '.join(told)}.")
    yield from (_failed(result) for result in failed[:MOST])


def _failed(result: Result) -> Sentence:
    lines: dict[str, list[int]] = {}
    for failure in (*result.failures, *result.unproven):
        for line in failure.evidence:
            place = f"{line.when}: {line.device or failure.device} '{line.command}'"
            lines.setdefault(place, []).append(line.line)
    places = [f"{place} {_lines([min(numbers), max(numbers)])}" for place, numbers in lines.items()]
    word = "does not hold" if result.verdict is Verdict.FAIL else "is not proven"
    return Sentence(f'"{result.title}" {word}: {result.reason}.', tuple(places[:MOST]))


def _changed(before: Capture, after: Capture) -> Iterator[Sentence]:
    comparison = compare(before, after)
    n = len(comparison.differences)
    if not n:
        yield Sentence(
            "Nothing changed between them."
            if not comparison.not_compared
            else "Nothing that could be compared changed."
        )
        return
    devices = len({difference.device for difference in comparison.differences})
    yield Sentence(f"{many(n, 'thing')} changed, on {many(devices, 'device')}.")
    yield from (_caused(cause, n) for cause in comparison.causes[:MOST])
    alone = by_themselves(comparison.differences, comparison.causes)
    if alone and comparison.causes:
        kinds = Counter(difference.kind for difference in alone)
        told = ", ".join(many(count, kind) for kind, count in kinds.most_common())
        yield Sentence(f"{many(len(alone), 'change')} besides stand by themselves: {told}.", detail=True)
    if comparison.not_compared:
        yield Sentence(f"{many(len(comparison.not_compared), 'answer')} could not be compared, so there may be more.")


def _caused(root: Cause, n: int) -> Sentence:
    kinds = Counter(other.kind for other, _ in root.following)
    told = ", ".join(many(count, kind) for kind, count in kinds.most_common())
    cause, share = root.difference, len(root.following) + 1
    lead = "Most of it comes" if share * 2 > n else f"{share} of these come"
    what = f"{cause.device}'s {KINDS[cause.kind].called(cause.key)} {_BECAME[cause.what]}{_moved(cause)}"
    follow = f"{told} follow{'s' * (len(root.following) == 1)}"
    return Sentence(f"{lead} from one thing: {what}; {follow}.", tuple(_places(cause)), share * 20 < n)


def _moved(difference: Difference) -> str:
    """The states that moved, from what to what."""
    fields = KINDS[difference.kind].fields
    states = {name: change for name, change in difference.fields.items() if name in fields and name != REMAINDER.name}
    told = [
        f"{name} from {_said(old)} to {_said(new)}"
        for name, (old, new) in states.items()
        if fields[name].nature is not Nature.TIMER
    ]
    return f" ({', '.join(told[:MOST])})" if told else ""


def _said(value: Any) -> str:
    return "nothing" if value is None else str(value)


def _standing(facts: About) -> Iterator[Sentence]:
    last = facts.whole[-1]
    if not last.not_well:
        yield Sentence("All that was read is well.")
        return
    for kind in KINDS:
        badly = [record for record in last.not_well if record.kind == kind]
        if badly:
            some = "; ".join(
                f"{record.device}: {KINDS[kind].said_of_it.format(**record.record)}" for record in badly[:MOST]
            )
            more = f"; and {len(badly) - MOST} more" if len(badly) > MOST else ""
            head = f"{len(badly)} of {many(last.records[kind], kind)} {'is' if len(badly) == 1 else 'are'} not well"
            yield Sentence(f"{head}: {some}{more}.", tuple(_place(record) for record in badly[:MOST]))


def _lacking(facts: About) -> Iterator[Sentence]:
    last = facts.whole[-1]
    if last.lacking:
        some = ", ".join(f"{lacking.device} {lacking.command or ''}".strip() for lacking in last.lacking[:MOST])
        yield Sentence(f"{many(len(last.lacking), 'answer')} could not be had ({some}): of that nothing is known.")
    if last.unread:
        yield Sentence(f"{many(last.unread.total(), 'line')} could not be read: of that nothing is known.")
    if last.unknown:
        unknown = many(last.unknown.total(), "answer")
        yield Sentence(f"No reader knows {unknown}: words are compared, and nothing else is known.")
    if last.growing:
        counter = last.growing[0]
        told = f"{many(len(last.growing), 'counter')} of faults grew, most of all {counter.field} of {counter.device}"
        yield Sentence(f"{told}, from {counter.before} to {counter.after}.", detail=True)


def _place(unwell: NotWell) -> str:
    return f"{unwell.device} '{unwell.record['answer']}' {_lines(unwell.record.get('line'))}".rstrip()


def _places(difference: Difference) -> Iterable[str]:
    for when, record in (("before", difference.before), ("after", difference.after)):
        if record is not None and record.get("answer"):
            yield f"{when}: {difference.device} '{record['answer']}' {_lines(record.get('line'))}".rstrip()


def _lines(line: Sequence[int] | None) -> str:
    return "" if not line else str(line[0]) if line[0] == line[-1] else f"{line[0]}-{line[-1]}"
