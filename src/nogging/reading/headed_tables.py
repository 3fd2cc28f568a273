"""Tables that are read by the positions of their headings.

A cell belongs to the heading that it overlaps; a cell that overlaps none belongs to the last heading that began before
it, so that left-aligned text and right-aligned numbers both find their column. A cell that overlaps two
headings cannot be told, and the line is unread.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from nogging.reading.declared import Heading

Extent = tuple[int, int]


def positions(titles: Sequence[str], line: str) -> list[Extent] | None:
    """Where each heading stands in the line, or None where the line is not exactly these headings."""
    found: list[Extent] = []
    at, line = 0, line.expandtabs()
    for title in titles:
        start = line.find(title, at)
        if start < 0 or line[at:start].strip():
            return None
        at = start + len(title)
        found.append((start, at))
    return None if line[at:].strip() else found


class Columns:
    """The columns of one table, while its rows are being read."""

    def __init__(self, heading: Heading, extents: list[Extent]) -> None:
        self.heading, self.extents = heading, extents
        self.columns = [n for n, title in enumerate(heading.titles) if n or not title.endswith(":")]
        self.titled = next((n for n, title in enumerate(heading.titles) if title), 0)
        """The first column that has a heading; what stands before it marks the row."""
        self.first: tuple[int, dict[str, str]] | None = None
        """A first cell that had a line of its own, with its number and what marks it: it belongs to the next row."""
        self.rows: list[dict[str, Any]] = []
        """The records that its rows made."""
        self.rest: list[tuple[int, dict[str, Any], str]] = []
        """Rows that are the rest of others, until it is known whether there is one for each: line, values, words."""
        self.is_whole = True
        """Whether each of its rows was read."""
        self.around: list[tuple[int, str]] = []
        """The first cells that the last row stands in, each with how far in it stands."""

    def cells(self, line: str) -> dict[str, str]:
        """The cells of a row by heading; `ValueError` where a cell cannot be told."""
        words, labelled = list(re.finditer(r"\S+", self.apart(line))), [self.heading.titles[n] for n in self.columns]
        found: dict[str, list[str]] = {}
        try:
            for word in words:
                title = self.heading.titles[self.column(word.start(), word.end(), word[0])]
                found.setdefault(title, []).append(word[0])
        except ValueError:
            if len(words) != len(labelled):
                raise
            return {title: word[0] for title, word in zip(labelled, words, strict=True)}
        return {title: " ".join(several) for title, several in found.items()}

    def part_of(self, line: str, first: str) -> str | None:
        """What a row is a part of, by how far in its first cell stands."""
        indent = len(line) - len(line.lstrip())
        self.around = [one for one in self.around if one[0] < indent]
        found = " ".join(name for _, name in self.around) or None
        self.around.append((indent, first))
        return found

    def apart(self, line: str) -> str:
        """The line with a space after a first cell that was cut, or after marks that stand against it (`*>i192.0.2.1`),
        taken from behind the second."""
        line = line.expandtabs()
        ends = self.extents[1][0] if self.heading.cut or self.titled else 0
        begins = ends - 1 if self.titled else self.extents[0][0]
        runs_on = ends and len(line) > ends and not re.search(r"\s", line[begins : ends + 1])
        return f"{line[:ends]} {line[ends:].replace('  ', ' ', 1)}" if runs_on else line

    def wraps(self, line: str) -> dict[str, str] | None:
        """The cells of a line that is nothing but a first cell, be it as long as it likes, and what marks it."""
        if not self.heading.wrapped:
            return None
        line = self.apart(line) if self.titled else line.expandtabs()
        *marks, cell = line.split()
        titles = self.heading.titles[: self.titled + 1]
        farthest = self.extents[self.titled + 1][0] - 1 if self.titled else self.extents[0][0]
        if len(marks) >= len(titles) or line.rindex(cell) > farthest:
            return None
        return dict(zip(reversed(titles), (cell, *marks), strict=False))

    def column(self, start: int, end: int, word: str) -> int:
        over = [n for n in self.columns if start < self.extents[n][1] and self.extents[n][0] < end]
        if len(over) > 1:
            raise ValueError(f"'{word}' stands under two headings")
        if over:
            return over[0]
        return max((n for n in self.columns if self.extents[n][0] <= start), default=self.columns[0])
