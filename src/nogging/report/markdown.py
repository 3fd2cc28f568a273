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


def judgement(judged: Judgement) -> str:
    """The report of `check --format markdown`."""
    return "\n".join(_judgement(judged)) + "\n"


def summary(judged: Judgement) -> str:
    """The report of `check --format summary`, for a merge request: what decides in a few lines, the rest folded."""
    return "\n".join(_summary(judged)) + "\n"


def _summary(judged: Judgement) -> Iterator[str]:
    yield f"### {str(judged.verdict).upper()}: {plain(judged.title)}"
    yield ""
    yield plain(text.counts(judged))
    first = text.look_first(judged)
    if first:
        yield from ["", f"Look first: **{plain(first)}**"]
    open_ = sorted((result for result in judged.results if result.verdict is not Verdict.PASS), key=_rank)
    if open_:
        yield from ["", "| | expectation | why | |", "| --- | --- | --- | --- |"]
    for result in open_[:MOST]:
        place = f"{result.place.file}:{result.place.line}" if result.place else ""
        yield f"| {_word(result)} | {plain(result.title)} | {plain(result.reason)} | {plain(place)} |"
    if len(open_) > MOST:
        yield f"| | … and {len(open_) - MOST} more | | |"
    yield from ["", "<details><summary>All of it, with the evidence</summary>", ""]
    yield from _judgement(judged)
    yield from ["", "</details>"]


def _rank(result: Result) -> tuple[bool, int]:
    return result.strength == "should", _ORDER.index(result.verdict)


def comparison(compared: Comparison) -> str:
    """The report of `compare --format markdown`."""
    lines = [f"**{len(compared.differences)} differences**", "", *_caused(compared.causes)]
    lines += _differences(by_themselves(compared.differences, compared.causes))
    return "\n".join([*lines, *listed("could not be compared", compared.not_compared)]) + "\n"


def _judgement(judged: Judgement) -> Iterator[str]:
    yield f"## {str(judged.verdict).upper()}: {plain(judged.title)}"
    yield ""
    first = text.look_first(judged)
    if first:
        yield f"Look first: **{plain(first)}**"
        yield ""
    yield "| verdict | expectation | |"
    yield "| --- | --- | --- |"
    for result in sorted(judged.results, key=lambda result: list(_ORDER).index(result.verdict)):
        yield f"| {_word(result)} | {plain(result.title)} | {plain(result.reason)} |"
    for result in judged.results:
        if result.verdict is not Verdict.PASS:
            yield from _result(result)
    if judged.compared:
        n = len(judged.unexplained)
        yield ""
        yield f"### {n} unexplained difference{'s' * (n != 1)} of {judged.differences}"
        yield ""
        yield from _caused(judged.causes)
        yield from _differences(by_themselves(judged.unexplained, judged.causes))
    yield from listed("explained", (f"{explained.title}: {explained.reason}" for explained in judged.explained))
    yield from listed("could not be compared", judged.not_compared)
    yield from listed("notes", judged.notes)


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


def _differences(differences: Iterable[Difference]) -> Iterator[str]:
    groups = list(text.groups(list(differences)))
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


def listed(title: str, entries: Iterable[str]) -> Iterator[str]:
    """A heading with a list below it; nothing where there is nothing to list."""
    lines = [f"- {plain(entry)}" for entry in entries]
    if lines:
        yield from ["", f"### {title.capitalize()}", "", *lines]


def plain(said: str) -> str:
    """Text of which Markdown makes nothing else."""
    return _MARKUP.sub(r"\\\1", clean(said))
