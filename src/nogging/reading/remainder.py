"""The words of an answer that no field took.

A line that is read gives some of its words to fields. What is left (the branch of a choice that it took, what a pattern
passes over, all of a line that is skipped) is its remainder: it is kept with the record, or with the answer where no
record is open, and compared, so that no word changes unseen. Numbers and times in it stand for "a number", unless the
reader says that they are state (`<=>`). What a reader wants left out of it, it names with the reason (`silent`).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from nogging.dialects.notation import Pattern, Verbatim, Words
from nogging.records.words import NUMBER, worded

MOST_KNOWN = 65536
_EDGES = ",;:()[]{}/|\"'. "
_BESIDE = re.compile(r"^(?:/\d+){2,}(?=[\s,;)]|$)")
"""Numbers beside one that a field took: `<prefixes_received>/120/0`."""
_RULE = re.compile(r"[-=_~*.+|!]{3,}|!")
"""What draws a line, and says nothing."""
KEPT, _VERBATIM = "\x00", "\x01"
Regs = Sequence[tuple[int, int]]


class LineRemainders:
    """The remainders of lines, for one reader. Most lines leave the same words as one before them."""

    def __init__(self, silent: Iterable[Pattern] = ()) -> None:
        every = list(silent)
        ways = "|".join(f"(?:{pattern.expression})" for pattern in every)
        self.begins = {pattern.text[:1].lower() for pattern in every}
        self.silent = re.compile(ways) if ways else None
        self.known: dict[str, str] = {}
        self.whole: dict[str, str] = {}
        """The words of lines of which nothing was taken."""

    def of(self, line: str, regs: Regs, pattern: Pattern | None = None) -> str:
        """What is left of a line (without white space around it) of which these spans were taken."""
        if not regs and pattern is None:
            words = self.whole.get(line)
            if words is None:
                words = "" if self.is_silent(line) else left(line)
                if len(self.whole) < MOST_KNOWN:
                    self.whole[line] = words
            return words
        if pattern is not None and pattern.alike:
            regs = spans(line, regs, pattern.alike)
        if pattern is not None and pattern.verbatim is not None:
            line, regs = _with_verbatim(line, pattern.verbatim, set(regs))
        if self.is_silent(line):
            return ""
        rest = cut(line, regs)
        words = self.known.get(rest)
        if words is None:
            words = left(rest)
            if len(self.known) < MOST_KNOWN:
                self.known[rest] = words
        return words

    def is_silent(self, line: str) -> bool:
        """Whether the reader says that a line tells nothing."""
        return self.silent is not None and self.silent.fullmatch(line) is not None

    def could_be_silent(self, pattern: Pattern) -> bool:
        """Whether a line of this pattern could be one that tells nothing: what it begins with says that it is not."""
        first = pattern.text[:1].lower()
        return pattern.verbatim is None and any(
            first == begins or not (first + begins).isalnum() for begins in self.begins
        )


def spans(text: str, regs: Regs, alike: Sequence[Words]) -> list[tuple[int, int]]:
    """Those of the spans of values in a text of which nothing is left."""
    if not alike:
        return [reg for reg in regs if reg[0] >= 0]
    return [
        reg
        for reg, same in zip(regs, alike, strict=True)
        if reg[0] >= 0 and (not same or text[reg[0] : reg[1]] not in same)
    ]


def cut(text: str, regs: Regs, begin: int = 0, end: int | None = None) -> str:
    """A text, from `begin` to `end`, without these spans; where one was is marked."""
    parts, at = [], begin
    for start, stop in regs:
        if start >= at:
            parts.append(text[at:start])
            at = stop
    parts.append(text[at:end])
    return KEPT.join(parts)


def left(rest: str) -> str:
    """The words of what is left of a line."""
    return " ".join(filter(None, map(_piece, rest.split(KEPT))))


def _piece(text: str) -> str:
    if _VERBATIM in text:
        plain = text.split(_VERBATIM)
        return " ".join(filter(None, (part if n % 2 else _piece(part) for n, part in enumerate(plain))))
    text = _BESIDE.sub(f" {NUMBER} ", text)
    return " ".join(word for word in worded(text).split() if not _RULE.fullmatch(word)).strip(_EDGES)


def _with_verbatim(line: str, verbatim: Verbatim, whole: set[tuple[int, int]]) -> tuple[str, Regs]:
    """A line in which what is to be kept word for word is marked, with the spans of what was taken as a `whole`."""
    regex, named = verbatim
    match = regex.fullmatch(line)
    if match is None:
        return line, ()
    left, at = "", 0
    regs: list[tuple[int, int]] = []
    for start, end, is_verbatim in sorted(
        (*match.span(group), kept) for group, kept in named.items() if match.start(group) >= 0
    ):
        left += line[at:start]
        if is_verbatim:
            left += _VERBATIM + line[start:end] + _VERBATIM
        else:
            regs += [(len(left), len(left) + end - start)] if (start, end) in whole else []
            left += line[start:end]
        at = end
    return left + line[at:], regs
