"""Which readers a text could be an answer for, without a pattern compiled.

Compiling all that the library has takes seconds, and most of it could not read a line of the text at hand. So the lines
of a reader are outlined from how they are written: the longest word that must be there, and how many words there are at
least and at most. An outline lets through whatever its line does; what it lets through in vain costs only time.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from nogging.reading.declared import Action, LineModel, ReaderModel

_ESCAPED = re.compile(r"\\.")
_GAP, _VALUE = "\0", "\1"
_MAY_BE_MISSING = re.compile(r"\{[^{}]*\}|\[[^\[\]]*\]")
_OF_SEVERAL_WORDS = re.compile(r'<(?!-?[a-z0-9_]*>)|"')
"""A value with more than its name: the rest of a line, a unit of two words; and one between quotation marks."""


@dataclass(frozen=True)
class Outline:
    """What a line must have for one form of a reader to take it."""

    word: str
    least: int
    most: float
    begins_a_record: bool
    section: str
    """The section that it begins."""
    within: str
    """The section that it has to stand in."""

    def lets_through(self, line: str, words: int) -> bool:
        return self.word in line and self.least <= words <= self.most


def outlined(form: LineModel) -> Outline:
    text = str(getattr(form, form.action))
    bare = re.sub(r"<[^<>]*>", _VALUE, _ESCAPED.sub(_GAP, text))
    while bare != (inner := _MAY_BE_MISSING.sub(_GAP, bare)):
        bare = inner
    word = max(re.split(rf"[{_GAP}{_VALUE}\s]+", bare), key=len)
    words = sum(1 for piece in bare.split() if piece.strip(_GAP))
    exact = _GAP not in bare and not _OF_SEVERAL_WORDS.search(text)
    begins = form.action in (Action.OPEN, Action.ROW)
    return Outline(word, words, words if exact else float("inf"), begins, form.section, form.within)


@lru_cache(maxsize=1)
def _counted(text: str) -> list[tuple[str, int]]:
    """The lines of a text, each with how many words it has. Hundreds of readers ask for those of the same one."""
    return [(line, len(line.split())) for line in text.split("\n") if line.strip()]


def may_read(model: ReaderModel, outlines: Sequence[Outline], text: str, most_unread: float) -> bool:
    """Whether a reader could make a record of a text, and leave no more than this share of its lines unread."""
    lines = _counted(text)
    fitting = [outline for outline in outlines if any(outline.lets_through(line, words) for line, words in lines)]
    sections = {"", *(outline.section for outline in fitting)}
    fitting = [outline for outline in fitting if outline.within in sections]
    tables = any(line.under is not None and all(title in text for title in line.under) for line in model.lines)
    if not tables and not any(outline.begins_a_record for outline in fitting):
        return False
    if tables or model.joined:
        return True
    known = sum(any(outline.lets_through(line, words) for outline in fitting) for line, words in lines)
    return known >= len(lines) * (1 - most_unread)
