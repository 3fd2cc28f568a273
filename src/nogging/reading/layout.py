"""How a line is laid out: its words, and in them what is literal and what are values.

A pattern with optional parts and choices allows many layouts. One line, matched by the pattern's own expression,
shows which of them it has; every other line of the same words and literals has the same one, and so the same
meaning, as long as its values keep to what the pattern says of them:

- a value holds none of the characters that it would stop at;
- where the pattern would first have tried a part that is not there, what stands there instead does not begin like it.

Both are kept with the layout. What cannot be told this way (the rest of a line, a part that begins with any value)
has no layout, and is left to the pattern itself.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache

from nogging.dialects.notation import Choice, Literal, Pattern, PatternValue, Sequence_, Trace, traced
from nogging.reading.declared import LineForm

_WORD = re.compile(r"[^ \t]+")


@dataclass(frozen=True)
class WordPart:
    """A piece of a word: a literal, or a value (`slot` is its place among the pattern's kept values, None for one that
    is not kept) that holds none of the characters `without` and does not begin with one of `not_first`."""

    literal: str = ""
    slot: int | None = None
    without: str = ""
    not_first: str = ""

    @property
    def is_value(self) -> bool:
        return not self.literal


Word = tuple[WordPart, ...]


@dataclass(frozen=True)
class Layout:
    """The words of lines that a form takes in one and the same way."""

    form: LineForm
    words: tuple[Word, ...]


@cache
def _traced(pattern: Pattern) -> tuple[re.Pattern[str], Trace]:
    """Patterns of two readers may be equal: nothing here may belong to one reader's own objects, only to the text."""
    return traced(pattern)


def layout_of(form: LineForm, line: str) -> Layout | None:
    """The layout of a line (without white space around it) that the form takes; None where it has none."""
    regex, trace = _traced(form.pattern)
    match = regex.fullmatch(line)
    if match is None:
        return None
    order = {value.offset: n for n, value in enumerate(form.values)}
    parts: dict[int, tuple[int, WordPart]] = {}
    for n, (value, without) in enumerate(trace.values):
        start, end = match.span(f"v{n}")
        if start >= 0:
            if value.rest:
                return None
            parts[start] = (end, WordPart(slot=order.get(value.offset), without=without))
    pieces = [(at.start(), list(_parts(line, at.start(), at.end(), parts))) for at in _WORD.finditer(line)]
    for n, choice in enumerate(trace.choices):
        at = match.start(f"c{n}")
        if at >= 0 and not all(_kept_out(lead, line, at, pieces) for lead in _untaken(choice, n, match)):
            return None
    layout = Layout(form, tuple(tuple(part for _, part in parts) for _, parts in pieces))
    return layout if all(_keeps(part, line, at) for _, parts in pieces for at, part in parts) else None


def _parts(line: str, start: int, end: int, values: dict[int, tuple[int, WordPart]]) -> Iterator[tuple[int, WordPart]]:
    """The pieces of the word between two places."""
    at = start
    while at < end:
        if at in values:
            stop, part = values[at]
        else:
            stop = min((place for place in values if at < place < end), default=end)
            part = WordPart(literal=line[at:stop])
        yield at, part
        at = stop


def _untaken(choice: Choice, number: int, match: re.Match[str]) -> Iterator[str]:
    """How the branches begin, up to their first value, that would have been tried before the one that was taken."""
    for k, branch in enumerate(choice.branches):
        if match.start(f"b{number}_{k}") >= 0:
            return
        yield from _leads(branch)


def _leads(branch: Sequence_, before: str = "") -> Iterator[str]:
    if not branch or isinstance(branch[0], PatternValue):
        yield before
        return
    first, rest = branch[0], branch[1:]
    if isinstance(first, Choice):
        for inner in first.branches:
            yield from _leads((*inner, *rest), before)
        if first.optional:
            yield from _leads(rest, before)
    else:
        yield from _leads(rest, before + (first.text if isinstance(first, Literal) else " "))


def _kept_out(lead: str, line: str, at: int, pieces: list[tuple[int, list[tuple[int, WordPart]]]]) -> bool:
    """Whether a branch that begins so can never be taken here, perhaps by what a value must not begin with."""
    for character in lead:
        if at >= len(line) or (character == " ") != (line[at] in " \t"):
            return True
        if character == " ":
            at += len(line[at:]) - len(line[at:].lstrip(" \t"))
            continue
        parts, n = next(
            (parts, n)
            for _, parts in pieces
            for n, (start, part) in enumerate(parts)
            if start <= at < start + max(len(part.literal), 1)
        )
        start, part = parts[n]
        if part.is_value:
            parts[n] = (start, replace(part, not_first=part.not_first + character))
            return True
        if part.literal[at - start] != character:
            return True
        at += 1
    return at >= len(line)


def _keeps(part: WordPart, line: str, at: int) -> bool:
    """Whether a value of the line itself keeps to what its layout asks."""
    if not part.is_value:
        return True
    text = re.split(r"[ \t]", line[at:], maxsplit=1)[0]
    return line[at] not in part.not_first and text[0] not in part.without
