"""The text of a terminal: lines out of pieces, and a line as a screen would show it.

Both take time that grows with the text alone, whatever it is: a device may send a line without an end.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

_ANSI = re.compile(r"\x1b(?:\[[0-?]*+[ -/]*+[@-~]|\][^\x07\x1b]*+(?:\x07|\x1b\\)|[()#][0-9A-Za-z]|[=>78DEHMNOZc])")
_MOVES = re.compile(r"[\b\r]")
_SHOWS_NOTHING = str.maketrans("", "", "\0\a")
_PAGER = re.compile(r"^ ?(?:--more--|<-+ more -+>)(?:\([^)]*\))? {0,9}|^---\(more[^)]*\)--- {0,40}", re.IGNORECASE)
"""What a pager writes at the end of a page, and the blanks with which it wipes that out again."""
_DRAWN = re.compile(r"[\x1b\x08\r\0\a]|^(?: ?--more--| ?<-+ more -|---\(more)", re.IGNORECASE | re.MULTILINE)
_STRETCH = re.compile(r"\r|\x08+|[^\r\x08]+")
LONGEST = 2**20
"""In a longer line the screen's backward moves are taken out, and not carried out: no screen has one."""


def rendered(line: str) -> str:
    """A line as a screen would show it: without ANSI sequences, with backspaces and carriage returns carried out."""
    if "\x1b" in line:
        line = _ANSI.sub("", line)
    line = line.rstrip("\r").translate(_SHOWS_NOTHING)
    if "\b" not in line and "\r" not in line:
        return line
    if len(line) > LONGEST:
        return _MOVES.sub("", line).rstrip()
    shown: list[str] = []
    at = 0
    for stretch in _STRETCH.findall(line):
        if stretch == "\r":
            at = 0
        elif stretch[0] == "\b":
            at = max(at - len(stretch), 0)
        else:
            shown[at : at + len(stretch)] = stretch
            at += len(stretch)
    return "".join(shown).rstrip()


def shown(lines: Iterable[str]) -> list[str]:
    """Lines as a screen would show them, without what a pager wrote between them: a log without backspaces has that."""
    seen = [rendered(line) for line in lines]
    return [unpaged for line in seen if (unpaged := _PAGER.sub("", line)) or not line]


def decoded(data: bytes) -> str:
    """What somebody saved, as text: what is no UTF-8 stays legible, and lines end in one way."""
    return data.decode("utf-8", "backslashreplace").replace("\r\n", "\n")


def as_shown(text: str) -> str:
    """A text as a screen would show it; as it is, where nothing in it is drawn."""
    return "\n".join(shown(text.split("\n"))) if _DRAWN.search(text) else text


def acting(line: str) -> str | None:
    """The first character in a line that a terminal acts upon, but for a tab; None where there is none."""
    return next((letter for letter in line if letter != "\t" and unicodedata.category(letter) == "Cc"), None)


class Pieces:
    """Lines out of pieces of text. What is behind the last line end is kept in pieces until its end arrives."""

    def __init__(self) -> None:
        self.parts: list[str] = []
        self.length = 0

    def take(self, text: str) -> list[str]:
        """The lines, without their ends, that are whole now."""
        first, *others = text.split("\n")
        if not others:
            self._keep(first)
            return []
        lines = [self.tail + first, *others[:-1]]
        self.clear()
        self._keep(others[-1])
        return lines

    def _keep(self, text: str) -> None:
        if text:
            self.parts.append(text)
            self.length += len(text)

    def clear(self) -> None:
        self.parts, self.length = [], 0

    @property
    def tail(self) -> str:
        """What came behind the last line end."""
        if len(self.parts) > 1:
            self.parts = ["".join(self.parts)]
        return self.parts[0] if self.parts else ""
