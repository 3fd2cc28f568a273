"""Records in what others open them with."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

import duckdb
import openpyxl
import pandas
import polars
import pyarrow as pa
import pytest

import nogging
from conftest import Change, here
from nogging.report.sheets import write

HOSTILE = ['=HYPERLINK("http://a.example")', "+1", "@SUM(1)", "-2", "\x1b[31mred\x07", "a\nb", "\ufffe", "x" * 40_000]


def test_the_same_records_everywhere(good: Change, tmp_path: Path) -> None:
    """Types and values, as pandas, Polars, DuckDB and a sheet give them back, none of which needs Nogging."""
    wanted = nogging.Capture(good.after.folder).records("route", where="source_protocol = 'ospf'").to_pylist()
    key = ["device", "destination_prefix", "metric", "active", "last_updated"]
    asked = ("records", "route", good.after.folder, "--where", "source_protocol = 'ospf'", "--to")
    for ending in ("parquet", "xlsx", "csv"):
        assert here(*asked, tmp_path / f"r.{ending}")[0] == 0

    def told(rows: list[dict[str, object]]) -> list[tuple[object, ...]]:
        return sorted((tuple(row[name] for name in key) for row in rows), key=str)

    def plain(rows: list[dict[str, object]]) -> list[tuple[object, ...]]:
        return told([{**row, "last_updated": row["last_updated"].replace(tzinfo=None)} for row in rows])

    parquet = tmp_path / "r.parquet"
    assert told(polars.read_parquet(parquet).to_dicts()) == told(wanted)
    assert plain(pandas.read_parquet(parquet).to_dict("records")) == plain(wanted)
    found = duckdb.sql(f"SELECT {', '.join(key)} FROM '{parquet}'").to_arrow_table()
    assert told(found.to_pylist()) == told(wanted)
    first, *rest = openpyxl.load_workbook(tmp_path / "r.xlsx").active.iter_rows(values_only=True)

    def rounded(rows: list[tuple[object, ...]]) -> list[tuple[object, ...]]:
        return [(*row[:4], row[4].replace(microsecond=row[4].microsecond // 1000 * 1000)) for row in rows]

    sheet = plain([dict(zip(first, row, strict=True)) for row in rest])
    assert [row[:4] for row in rounded(sheet)] == [row[:4] for row in rounded(plain(wanted))]
    assert all(abs(a[4] - b[4]) < timedelta(milliseconds=2) for a, b in zip(sheet, plain(wanted), strict=True))
    assert len(pandas.read_csv(tmp_path / "r.csv")) == len(wanted)
    inside = sorted((good.after.folder / "records").glob("*.parquet"))
    assert all(polars.read_parquet(one).height >= 0 for one in inside)


def test_a_sheet_keeps_what_it_would_change(tmp_path: Path) -> None:
    """No text becomes a formula, no counter loses its last digits, no moment its zone."""
    file = tmp_path / "x.xlsx"
    moment = datetime(2026, 11, 24, 2, 0, tzinfo=UTC)
    rows = {
        "said": HOSTILE,
        "count": [2**63 - 1, 2**53, 0, -1, None, 1, 2, 3],
        "at": [moment, datetime(1899, 1, 1, tzinfo=UTC), *[None] * 6],
        "rate": [float("inf"), float("nan"), 1.5, *[None] * 5],
        "several": [["a", "b"], *[[]] * 7],
        "up": [True, False, *[None] * 6],
    }
    write(pa.table(rows), file, "a kind whose name is longer than a sheet's may be")
    sheet = openpyxl.load_workbook(file).active
    cells = list(sheet.iter_rows(min_row=2))
    assert [row[0].data_type for row in cells] == ["s"] * len(HOSTILE)
    assert [row[0].value for row in cells[:4]] == HOSTILE[:4] and "\x1b" not in cells[4][0].value
    assert [row[1].value for row in cells[:3]] == [str(2**63 - 1), 2**53, 0]
    assert (cells[0][2].value, cells[1][2].value) == (datetime(2026, 11, 24, 2, 0), "1899-01-01 00:00:00")
    assert [row[3].value for row in cells[:3]] == ["inf", "nan", 1.5]
    assert (cells[0][4].value, cells[0][5].value, cells[1][5].value) == ('["a", "b"]', True, False)


@pytest.mark.parametrize(("name", "told"), [("x.ods", "ends with one of"), ("no/where.csv", "cannot be written")])
def test_what_is_no_such_file_is_told(name: str, told: str, good: Change, tmp_path: Path) -> None:
    status, _, complaint = here("query", "select 1 as one", good.after.folder, "--to", tmp_path / name)
    assert status == 2 and told in complaint and not list(tmp_path.iterdir())
