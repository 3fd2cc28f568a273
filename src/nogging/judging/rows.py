"""The rows that records are held against: written in the file, in a CSV beside it, or taken from another capture."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from pydantic import Field as ModelField

from nogging.captures.capture import Capture
from nogging.errors import FileError, nearest
from nogging.files import Path_, Source, Strict, read_text
from nogging.judging.gaps import gaps
from nogging.judging.pairs import AFTER, Pairs
from nogging.judging.select import matching
from nogging.predicates import Predicate
from nogging.records import Kind
from nogging.records.values import reader_of

RowValues = tuple[Any, ...]
RowError = Callable[[str, str], FileError]
"""An error at a row: what is wrong, and the field that it is wrong with."""


class FromCapture(Strict):
    """Rows that another capture gives: its records, as far as these fields go."""

    capture: str
    """The folder of the capture that has the rows. As `before`."""
    fields: tuple[str, ...] = ModelField(min_length=1)
    """As far as which fields the rows go. As `[device, name, mtu]`."""


DeclaredRows = tuple[dict[str, Any], ...] | str | FromCapture


class Wanted:
    """The rows in canonical values, each with what a person calls its place."""

    def __init__(self, kind: Kind, fields: Iterable[str], pairs: Pairs) -> None:
        self.kind, self.fields, self.pairs = kind, tuple(fields), pairs
        self.rows: dict[RowValues, str] = {}
        self.doubts: list[str] = []
        """What was missing where the rows are from, so that they may not be all."""

    def add(self, given: Mapping[str, Any], place: str, told: RowError) -> None:
        """One row; `FileError` for a value that does not fit its field, and for a row that is there already."""
        names = self._names(str(given.get("device", "")))
        values = []
        for name in self.fields:
            try:
                values.append(self._value(name, given.get(name), names))
            except ValueError as error:
                raise told(str(error), name) from None
        row = tuple(values)
        if row in self.rows:
            raise told(f"the same row as {self.rows[row]}", self.fields[0])
        self.rows[row] = place

    def _names(self, device: str) -> dict[str, str]:
        entry = self.pairs.after.devices.get(device)
        return self.pairs.after.dialect(device).long_names if entry is not None else {}

    def _value(self, name: str, value: Any, names: dict[str, str]) -> Any:
        field = self.kind.fields[name]
        if value is None or value == "":
            return field.absent
        if isinstance(value, bool | int | float) and not field.type.is_textual:
            return value
        return reader_of(field, "", names, datetime.now(UTC))(str(value))


def wanted(
    rows: DeclaredRows, kind: Kind, pairs: Pairs, source: Source, where: Path_, condition: Predicate | None = None
) -> Wanted:
    """The rows of an expectation; `FileError` for whatever is wrong with them, with its place. Of another capture
    they are those of which the condition holds there."""
    if isinstance(rows, FromCapture):
        if condition is not None and (condition.uses("peer") or condition.uses("before")):
            raise source.error(where, "rows from a capture take no 'where' with peer. or before.")
        return _from_capture(rows, kind, pairs, source, where, condition)
    if isinstance(rows, str):
        return _from_csv(source.beside(rows, where), kind, pairs)
    if not rows:
        raise source.error(where, "no rows; 'none' says that nothing is expected")
    expected = Wanted(kind, rows[0], pairs)
    for n, row in enumerate(rows):
        if set(row) != set(expected.fields):
            raise source.error((*where, n), f"every row has the same fields: {', '.join(expected.fields)}")

        def at(message: str, name: str, n: int = n) -> FileError:
            return source.error((*where, n, name), message)

        for name in row:
            _known(name, kind, at)
        expected.add(row, f"row {n + 1}", at)
    return expected


def _known(name: str, kind: Kind, told: RowError) -> None:
    if name not in kind.fields:
        raise told(f"unknown field '{name}'{nearest(name, kind.fields)}", name)


def _from_csv(path: Path, kind: Kind, pairs: Pairs) -> Wanted:
    text = read_text(path)
    lines = text.splitlines()

    def at(message: str, name: str, line: int = 1) -> FileError:
        return FileError(message, str(path), line, 1, lines[line - 1] if line <= len(lines) else "")

    reader = csv.reader(io.StringIO(text))
    headings = [name.strip() for name in next(reader, [])]
    if not headings:
        raise at("the file is empty; its first line names the fields", "")
    for name in headings:
        _known(name, kind, at)
    expected = Wanted(kind, headings, pairs)
    for cells in reader:
        here = partial(at, line=reader.line_num)
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) != len(headings):
            raise here(f"{len(cells)} cells, and there are {len(headings)} headings", "")
        row = dict(zip(headings, (cell.strip() for cell in cells), strict=True))
        expected.add(row, f"{path.name}:{reader.line_num}", here)
    return expected


def _from_capture(
    rows: FromCapture, kind: Kind, pairs: Pairs, source: Source, where: Path_, condition: Predicate | None
) -> Wanted:
    for name in rows.fields:
        _known(name, kind, lambda message, _: source.error((*where, "fields"), message))
    folder = Path(source.path).parent / rows.capture  # wherever it is: nothing but a capture is opened
    expected = Wanted(kind, rows.fields, pairs)
    other = Pairs(Capture(folder))
    sql = condition.sql(other.resolver(AFTER, kind), other.doubt(AFTER, kind)) if condition is not None else "true"
    for row in matching(other, kind, sql):
        expected.rows[tuple(row[name] for name in rows.fields)] = str(folder)
    lacking = (gap for gap in gaps(other.after, kind.name, AFTER) if not gap.tells and gap.matters(condition))
    expected.doubts += dict.fromkeys(
        f"the rows may not be all: {folder}: {gap.device}: {gap.reason}" for gap in lacking
    )
    return expected
