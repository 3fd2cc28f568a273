"""Tables that are read by the positions of their headings.

A cell belongs to the heading that it overlaps; a cell that overlaps none belongs to the last heading that began before
it, so that left-aligned text and right-aligned numbers both find their column. A cell that overlaps two
headings cannot be told, and the line is unread, but where neither has a field: the words are kept all the same.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from nogging.reading.declared import Heading

Extent = tuple[int, int]


def positions(titles: Sequence[str], line: str) -> list[Extent] | None:
    """Where each heading stands in the line, or None where the line is not exactly these headings."""
    extents: list[Extent] = []
    at, line = 0, line.expandtabs()
    for title in titles:
        start = line.find(title, at)
        if start < 0 or line[at:start].strip():
            return None
        at = start + len(title)
        extents.append((start, at))
    return None if line[at:].strip() else extents


class Columns:
    """The columns of one table, while its rows are being read."""

    def __init__(self, heading: Heading, extents: list[Extent]) -> None:
        self.heading, self.extents = heading, extents
        self.columns = [n for n, title in enumerate(heading.titles) if n or not title.endswith(":")]
        self.titled = next((n for n, title in enumerate(heading.titles) if title), 0)
        """The first column that has a heading; what stands before it marks the row."""
        self.first: tuple[list[int], dict[str, str]] | None = None
        """First cells that had lines of their own, with the numbers of these: they belong to the next row."""
        self.rows: list[dict[str, Any]] = []
        """The records that its rows made."""
        self.rest: list[tuple[int, dict[str, Any], str]] = []
        """Rows that are the rest of others, until it is known whether there is one for each: line, values, words."""
        self.is_whole = True
        """Whether each of its rows was read."""
        self.above: str | None = None
        """The first cell of the row above."""
        self.around: list[tuple[int, str]] = []
        """The first cells that the last row stands in, each with how far in it stands."""

    def cells(self, line: str) -> dict[str, str]:
        """The cells of a row by heading; `ValueError` where a cell cannot be told."""
        words = list(re.finditer(r"\S+", self.apart(line)))
        words_of: dict[str, list[str]] = {}
        try:
            for word in words:
                title = self.heading.titles[self.column(word.start(), word.end(), word[0])]
                words_of.setdefault(title, []).append(word[0])
        except ValueError:
            if len(words) != len(self.columns):
                raise
            if all(word[0].isdigit() for word in words) and "  " not in line.strip():  # a ticket lost the other spaces
                return {self.heading.titles[n]: word[0] for n, word in zip(self.columns, words, strict=True)}
            return self.by_order(words)
        return {title: " ".join(several) for title, several in words_of.items()}

    def by_order(self, words: list[re.Match[str]]) -> dict[str, str]:
        """The cells of a row of which a value ran out of its column, and pushed those behind it to the right by that
        much; `ValueError` where one stands farther from its column than that: then another cell is empty."""
        pushed = 0
        for n, word in zip(self.columns, words, strict=True):
            start, end = word.span()
            back = min(max(start - self.extents[n][0], 0), pushed)  # to where its heading begins; a word may be long
            if not any(n in self.over_or_before(start - by, end - by) for by in (0, back, pushed)):
                raise ValueError(f"'{word[0]}' stands under another heading than that of its place in the row")
            pushed = max(pushed, end - self.extents[n][1])
        return {self.heading.titles[n]: word[0] for n, word in zip(self.columns, words, strict=True)}

    def goes_on(self, line: str) -> dict[str, str] | None:
        """The cells of a line that has no more of its row than what marks it, the first cell and the second one, where
        these may be so long that the rest has a line of its own."""
        if not (self.heading.repeats and self.heading.wrapped):
            return None
        head = self.heading.titles[: self.titled + 2]
        words_of: dict[str, list[str]] = {}
        for word in re.finditer(r"\S+", self.apart(line)):
            title = self.heading.titles[self.column(word.start(), word.start() + 1, word[0])]
            words_of.setdefault(title, []).append(word[0])
        fits = head[-1] in words_of and set(words_of) <= set(head)
        return {title: " ".join(several) for title, several in words_of.items()} if fits else None

    def repeat(self, cells: dict[str, str]) -> None:
        """Gives a row without a first cell that of the row above it, where the table writes it once for several."""
        title = self.heading.titles[self.titled]
        if self.heading.repeats and self.above is not None:
            cells.setdefault(title, self.above)
        self.above = cells.get(title)

    def part_of(self, line: str, first: str) -> str | None:
        """What a row is a part of, by how far in its first cell stands."""
        indent = len(line) - len(line.lstrip())
        self.around = [outer for outer in self.around if outer[0] < indent]
        parent = " ".join(name for _, name in self.around) or None
        self.around.append((indent, first))
        return parent

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
        marks = [" ".join(marks)] if marks and self.titled else marks
        titles = self.heading.titles[: self.titled + 1]
        farthest = self.extents[self.titled + 1][0] - 1 if self.titled else self.extents[0][0]
        if len(marks) >= len(titles) or line.rindex(cell) > farthest:
            return None
        return dict(zip(reversed(titles), (cell, *marks), strict=False))

    def over_or_before(self, start: int, end: int) -> list[int]:
        """The columns whose headings stand over this place; where none does, the last that began before it."""
        over = [n for n in self.columns if start < self.extents[n][1] and self.extents[n][0] < end]
        return over or [max((n for n in self.columns if self.extents[n][0] <= start), default=self.columns[0])]

    def column(self, start: int, end: int, word: str) -> int:
        over = self.over_or_before(start, end)
        begins_under_it = start == self.extents[over[0]][0] and not word[0].isdigit()
        if len(over) > 1 and not begins_under_it and any(self.heading.under(self.heading.titles[n]) for n in over):
            raise ValueError(f"'{word}' stands under two headings")
        return over[0]
