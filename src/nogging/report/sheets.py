"""Rows as a file that a sheet, a frame or another program opens: Excel (ISO/IEC 29500), Parquet, CSV.

In Excel a number is a number and a moment a moment, in UTC; what Excel would change is text: an integer beyond 2^53,
which it keeps no more exactly, a list, and text that begins as a formula does.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nogging.errors import QuestionError
from nogging.records import KINDS
from nogging.records.tables import arrow_type
from nogging.report import plain
from nogging.report.cleaning import clean

if TYPE_CHECKING:
    import pyarrow as pa

ENDINGS = (".xlsx", ".parquet", ".csv")
_EXACT = 2**53
_ROWS, _LETTERS, _WIDEST = 1_048_576, 32_767, 60
_FIRST_DAY = datetime(1900, 3, 1)  # before it, Excel's calendar has a day that never was


def table(rows: Iterable[Mapping[str, Any]], names: Iterable[str], kind: str = "") -> pa.Table:
    """Rows as an Arrow table: the fields of a kind with their types, others with those of their values."""
    import pyarrow as pa

    listed, known = list(rows), KINDS[kind].fields if kind in KINDS else {}
    columns = {
        name: pa.array([row.get(name) for row in listed], arrow_type(known[name]) if name in known else None)
        for name in names
    }
    return pa.table(columns)


def write(table: pa.Table, file: Path, title: str) -> None:
    """Writes a table in the form that the file's name ends with. Raises `QuestionError` for another ending, for
    more than a sheet can hold, and where openpyxl is not installed."""
    ending = file.suffix.lower()
    if ending not in ENDINGS:
        raise QuestionError(f"{file}: a file ends with one of: {', '.join(ENDINGS)}")
    part = file.with_name(file.name + ".part")
    try:
        _WRITTEN[ending](table, part, title)
        part.replace(file)
    except OSError as error:
        raise QuestionError(f"{file}: cannot be written: {error.strerror or error}") from None
    finally:
        part.unlink(missing_ok=True)


def _parquet(table: pa.Table, file: Path, _: str) -> None:
    from pyarrow import parquet

    parquet.write_table(table, file, compression="zstd")


def _csv(table: pa.Table, file: Path, _: str) -> None:
    """Cells as they are, for programs; moments in ISO 8601, lists and mappings as JSON."""
    import csv

    with file.open("w", encoding="utf-8", newline="") as stream:
        writer = csv.writer(stream, lineterminator="\n")
        writer.writerow(table.column_names)
        writer.writerows([_as_text(value) for value in row.values()] for row in plain.rows(_each(table)))


def _as_text(value: Any) -> Any:
    if isinstance(value, bool):
        return str(value).lower()
    return json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else value


def _each(table: pa.Table) -> Iterator[dict[str, Any]]:
    for batch in table.to_batches(max_chunksize=10_000):
        yield from batch.to_pylist()


def _excel(table: pa.Table, file: Path, title: str) -> None:
    try:
        openpyxl: Any = import_module("openpyxl")
        cells: Any = import_module("openpyxl.cell")
    except ImportError:
        raise QuestionError("openpyxl is not installed: pip install 'nogging[sheets]'") from None
    if table.num_rows >= _ROWS:
        raise QuestionError(f"{table.num_rows:,} rows are more than a sheet can hold ({_ROWS - 1:,}); take .parquet")
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet(title[:31])
    sheet.freeze_panes = "A2"
    first = list(_each(table.slice(0, 200)))
    for n, name in enumerate(table.column_names):
        longest = max([len(name), *(len(str(row[name])) for row in first if row[name] is not None)])
        sheet.column_dimensions[_letters(n)].width = min(longest, _WIDEST) + 3
    bold = import_module("openpyxl.styles").Font(bold=True)

    def cell(value: Any, heading: bool = False) -> Any:
        made = cells.WriteOnlyCell(sheet, _shown(value))
        if isinstance(made.value, str):
            made.data_type = "s"  # whatever it begins with, it is no formula
        elif isinstance(made.value, datetime):
            made.number_format = "yyyy-mm-dd hh:mm:ss"
        if heading:
            made.font = bold
        return made

    sheet.append([cell(name, True) for name in table.column_names])
    for row in _each(table):
        sheet.append([cell(value) for value in row.values()])
    if table.num_columns:
        sheet.auto_filter.ref = f"A1:{_letters(table.num_columns - 1)}{table.num_rows + 1}"
    book.save(file)


def _shown(value: Any) -> Any:
    """A value as a sheet keeps it unchanged."""
    if isinstance(value, datetime):
        moment = value.astimezone(UTC).replace(tzinfo=None) if value.tzinfo else value
        return moment if moment >= _FIRST_DAY else moment.isoformat(" ")
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) > _EXACT:
        return str(value)
    if isinstance(value, float) and not math.isfinite(value):
        return str(value)
    if isinstance(value, list | dict):
        value = json.dumps(plain.value(value), ensure_ascii=False)
    if not isinstance(value, str):
        return value
    text = "\n".join(map(clean, value.split("\n")))
    return text if len(text) <= _LETTERS else text[: _LETTERS - 2] + " …"


def _letters(n: int) -> str:
    """The name of a column, counted from 0."""
    name = ""
    while n >= 0:
        name, n = chr(ord("A") + n % 26) + name, n // 26 - 1
    return name


_WRITTEN = {".xlsx": _excel, ".parquet": _parquet, ".csv": _csv}
