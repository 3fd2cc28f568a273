"""What did not pass by the place where it is written, a line each, as compilers tell of theirs
(`file:line:column: error: message`): what editors jump to and pipelines annotate."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator

from nogging.judging.verdict import Judgement, Result, Verdict
from nogging.report import text
from nogging.report.cleaning import clean

_MOST = 200
"""Of many names that changed alike, as many letters are told here."""


def judgement(judged: Judgement) -> str:
    """The report of `check --format places`; nothing where all passed."""
    return "".join(f"{line}\n" for line in _lines(judged))


def _lines(judged: Judgement) -> Iterator[str]:
    for result in judged.results:
        if result.verdict is not Verdict.PASS:
            yield f"{_place(result)}{_level(result)}: {clean(result.title)}: {result.verdict}: {clean(_why(result))}"
    for entry in judged.explained:
        if entry.verdict is not Verdict.PASS:
            place = f"{clean(str(entry.place))}: " if entry.place else ""
            yield f"{place}error: {clean(entry.title)}: {entry.verdict}: {clean(entry.reason)}"
    level = {"fail": "error", "warn": "warning"}.get(judged.other)
    for what, about, names in text.groups(list(judged.unexplained)) if level else ():
        yield f"{level}: unexplained: {what}: {textwrap.shorten(clean(f'{about} {names}'), _MOST, placeholder=' …')}"


def _place(result: Result) -> str:
    return f"{clean(str(result.place))}: " if result.place else ""


def _level(result: Result) -> str:
    return "warning" if result.strength == "should" else "error"


def _why(result: Result) -> str:
    """The reason, and the first record that it is about."""
    several = result.failures if result.verdict is Verdict.FAIL else result.unproven
    if not several:
        return result.reason
    first = several[0]
    told = text.what_failed(first) if result.verdict is Verdict.FAIL else first.reason
    about = f"{text.headed(result.kind, first)}: {told}".removeprefix(": ")
    return about if len(several) == 1 else f"{result.reason}; first {about}"
