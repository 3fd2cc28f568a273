"""What was found as Markdown, for a ticket: nothing that a device said is taken as markup."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from nogging.judging.compare import Comparison
from nogging.judging.verdict import Cause, Difference, Evidence, Failure, Judgement, Result, Verdict, by_themselves
from nogging.report import text
from nogging.report.cleaning import clean

MOST = 20
_MARKUP = re.compile(r"([\\`*_\[\]<>|~&])")


def judgement(found: Judgement) -> str:
    """The report of `check --format markdown`."""
    return "\n".join(_judgement(found)) + "\n"


def summary(found: Judgement) -> str:
    """The report of `check --format summary`, for a merge request: what decides in a few lines, the rest folded."""
    return "\n".join(_summary(found)) + "\n"


def _summary(found: Judgement) -> Iterator[str]:
    yield f"### {str(found.verdict).upper()}: {plain(found.title)}"
    yield ""
    yield plain(text.counts(found))
    first = text.look_first(found)
    if first:
        yield from ["", f"Look first: **{plain(first)}**"]
    open_ = sorted((result for result in found.results if result.verdict is not Verdict.PASS), key=_rank)
    if open_:
        yield from ["", "| | expectation | why | |", "| --- | --- | --- | --- |"]
    for one in open_[:MOST]:
        place = f"{one.place.file}:{one.place.line}" if one.place else ""
        yield f"| {_word(one)} | {plain(one.title)} | {plain(one.reason)} | {plain(place)} |"
    if len(open_) > MOST:
        yield f"| | … and {len(open_) - MOST} more | | |"
    yield from ["", "<details><summary>All of it, with the evidence</summary>", ""]
    yield from _judgement(found)
    yield from ["", "</details>"]


def _rank(result: Result) -> tuple[bool, int]:
    return result.strength == "should", _ORDER.index(result.verdict)


def comparison(found: Comparison) -> str:
    """The report of `compare --format markdown`."""
    lines = [f"**{len(found.differences)} differences**", "", *_caused(found.causes)]
    lines += _differences(by_themselves(found.differences, found.causes))
    return "\n".join([*lines, *listed("could not be compared", found.not_compared)]) + "\n"


def _judgement(found: Judgement) -> Iterator[str]:
    yield f"## {str(found.verdict).upper()}: {plain(found.title)}"
    yield ""
    first = text.look_first(found)
    if first:
        yield f"Look first: **{plain(first)}**"
        yield ""
    yield "| verdict | expectation | |"
    yield "| --- | --- | --- |"
    for result in sorted(found.results, key=lambda one: list(_ORDER).index(one.verdict)):
        yield f"| {_word(result)} | {plain(result.title)} | {plain(result.reason)} |"
    for one in found.results:
        if one.verdict is not Verdict.PASS:
            yield from _result(one)
    if found.compared:
        n = len(found.unexplained)
        yield ""
        yield f"### {n} unexplained difference{'s' * (n != 1)} of {found.differences}"
        yield ""
        yield from _caused(found.causes)
        yield from _differences(by_themselves(found.unexplained, found.causes))
    yield from listed("explained", (f"{one.title}: {one.reason}" for one in found.explained))
    yield from listed("could not be compared", found.not_compared)
    yield from listed("notes", found.notes)


_ORDER = (Verdict.FAIL, Verdict.UNPROVEN, Verdict.PASS)


def _word(result: Result) -> str:
    return "warning" if result.strength == "should" and result.verdict is Verdict.FAIL else str(result.verdict)


def _result(result: Result) -> Iterator[str]:
    yield ""
    yield f"### {plain(result.title)}"
    for failure in (*result.failures, *result.unproven)[:MOST]:
        yield ""
        yield from _failure(result, failure)
    left = len(result.failures) + len(result.unproven) - MOST
    if left > 0:
        yield ""
        yield f"… and {left} more"


def _failure(result: Result, failure: Failure) -> Iterator[str]:
    told = text.what_failed(failure) if result.verdict is Verdict.FAIL else failure.reason
    yield f"- **{plain(text.headed(result.kind, failure)) or 'all'}**: {plain(told)}"
    said: tuple[str, ...] = ()
    for evidence in failure.evidence:
        head = (evidence.when, evidence.device, evidence.command)
        if head != said:
            yield from ["  ```"] * bool(said)
            where = f", on {plain(evidence.device)}" if evidence.device else ""
            yield f"  {evidence.when}{where}: `{_code(evidence.command)}`"
            yield "  ```text"
        said = head
        yield f"  {_line(evidence)}"
    yield from ["  ```"] * bool(said)


def _line(evidence: Evidence) -> str:
    """A line in a block of code, which nothing in it can end."""
    return f"{evidence.line:>5} {' ' if evidence.around else '>'} {_code(evidence.text)}"


def _code(said: str) -> str:
    """Text that does not leave its place as code."""
    return clean(said).replace("`", "'")


def _differences(found: Iterable[Difference]) -> Iterator[str]:
    groups = list(text.groups(list(found)))
    if groups:
        yield "| what | | |"
        yield "| --- | --- | --- |"
    for what, about, names in groups[:MOST]:
        yield f"| {what} | {plain(about)} | {plain(names)} |"
    if len(groups) > MOST:
        yield f"| | … and {len(groups) - MOST} more lines | |"


def _caused(causes: Iterable[Cause]) -> Iterator[str]:
    """What others follow from, with how many follow."""
    every = list(causes)
    for cause in every[:MOST]:
        yield f"- {cause.difference.what}: {plain(text.cause(cause.difference))}; {plain(text.follow(cause.following))}"
    if len(every) > MOST:
        yield f"- … and {len(every) - MOST} more"
    if every:
        yield ""


def listed(title: str, found: Iterable[str]) -> Iterator[str]:
    """A heading with a list below it; nothing where there is nothing to list."""
    lines = [f"- {plain(one)}" for one in found]
    if lines:
        yield from ["", f"### {title.capitalize()}", "", *lines]


def plain(said: str) -> str:
    """Text of which Markdown makes nothing else."""
    return _MARKUP.sub(r"\\\1", clean(said))
