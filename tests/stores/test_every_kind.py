"""Each kind of output read back by an independent library; files and workbooks that are there."""

from __future__ import annotations

import csv
import gzip
import io
import json
import sqlite3
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import polars
import pyarrow as pa
import pytest

from helpers import program

LAYOUT = """
layout = 1
key = ["lot", "day"]
[source]
folder = "in"
[block]
stub = "lot"
every_row = true
[fields]
lot = "text"
day = "date"
month = "month"
at = "time"
seen = "datetime"
count = "integer"
price = "decimal(2)"
share = "percent"
height = "number"
alive = "yesno"
"""
HEAD = ["Lot", "Day", "Month", "At", "Seen", "Count", "Price", "Share", "Height", "Alive"]
FIRST = [
    "=1+1",
    "2026-04-09",
    "2026-04",
    "06:30",
    "2026-04-09 06:30",
    12,
    "1234.50",
    0.25,
    1.5,
    "yes",
]
LAST = ['a,"b" <&> ☃', "1899-01-02", None, None, None, 10**15 + 1, "-0.05", None, 0.0625, "no"]
BLANK = ["L3", *[None] * 9]
EXPECTED: list[list[Any]] = [
    ["=1+1", date(2026, 4, 9), date(2026, 4, 1), time(6, 30), datetime(2026, 4, 9, 6, 30), 12,
     Decimal("1234.50"), 0.25, 1.5, True],
    ['a,"b" <&> ☃', date(1899, 1, 2), None, None, None, 10**15 + 1, Decimal("-0.05"), None, 0.0625,
     False],
    ["L3", *[None] * 9],
]  # fmt: skip
NAMES = ["lot", "day", "month", "at", "seen", "count", "price", "share", "height", "alive"]


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    book = openpyxl.Workbook()
    for row in (HEAD, FIRST, LAST, BLANK):
        book.worksheets[0].append(row)
    book.worksheets[0]["A2"].data_type = "s"  # a text that looks like a formula
    (tmp_path / "in").mkdir()
    book.save(tmp_path / "in" / "a.xlsx")
    (tmp_path / "lots.toml").write_text(LAYOUT, "utf-8")
    return tmp_path


def extract(desk: Path, out: str, *more: object) -> Path:
    done = program("extract", "lots.toml", "-o", out, "-q", *more, cwd=desk)
    assert (done.status, done.out, done.err) == (0, "", "")
    return desk / out


def as_texts(rows: list[list[Any]]) -> list[list[str]]:
    return [
        ["" if one is None else str(one).lower() if isinstance(one, bool) else
         str(one)[:7] if at == 2 else one.isoformat() if hasattr(one, "isoformat") else str(one)
         for at, one in enumerate(row)] for row in rows
    ]  # fmt: skip


@pytest.mark.parametrize("ending", [".csv", ".tsv", ".csv.gz"])
def test_text_by_the_standard_library(desk: Path, ending: str) -> None:
    content = extract(desk, f"out{ending}").read_bytes()
    text = (gzip.decompress(content) if ending.endswith("gz") else content).decode()
    rows = list(csv.reader(io.StringIO(text, newline=""), delimiter="\t" if "t" in ending else ","))
    assert rows[0][:10] == NAMES
    assert [row[:10] for row in rows[1:]] == as_texts(EXPECTED)
    assert (desk / f"out{ending}.run" / "run.json").is_file()


def test_json_lines_by_the_standard_library(desk: Path) -> None:
    lines = extract(desk, "out.jsonl").read_text("utf-8").splitlines()
    found = [[json.loads(line)[name] for name in NAMES] for line in lines]
    assert found[0] == ["=1+1", "2026-04-09", "2026-04", "06:30:00", "2026-04-09T06:30:00", 12,
                        1234.5, 0.25, 1.5, True]  # fmt: skip
    assert [row[5] for row in found] == [12, 10**15 + 1, None]
    assert found[1][0] == LAST[0] and found[2][1:] == [None] * 9


@pytest.mark.parametrize("ending", ["parquet", "arrow"])
def test_columnar_files_keep_types(desk: Path, ending: str) -> None:
    path = extract(desk, f"out.{ending}")
    read = polars.read_parquet if ending == "parquet" else polars.read_ipc
    found = read(path, use_pyarrow=False).select(NAMES)
    assert [list(row) for row in found.rows()] == EXPECTED
    kinds = [found.schema[name] for name in ("day", "price", "count")]
    assert kinds == [polars.Date, polars.Decimal(38, 2), polars.Int64]


@pytest.mark.parametrize("ending", [
    "csv", "csv.gz", "tsv", "jsonl", "parquet", "arrow", "xlsx", "sqlite", "duckdb",
])  # fmt: skip
def test_every_kind_is_read_back_with_all_types(desk: Path, ending: str) -> None:
    extract(desk, f"out.{ending}")
    extract(desk, "like.csv")
    found = program("compare", "like.csv", f"out.{ending}", "--json", cwd=desk)
    assert json.loads(found.out)["changes"] == []
    for field, rows in (("at", [["06:30:00"], ["(blank)"]]), ("month", [["2026-04"], ["(blank)"]])):
        ask = ("crosstab", f"out.{ending}", "--rows", field, "--how", "count", "--json")
        assert json.loads(program(*ask, cwd=desk).out)["rows"] == rows


def test_a_database_by_the_standard_library(desk: Path) -> None:
    with sqlite3.connect(extract(desk, "out.sqlite")) as base:
        rows = base.execute(f"SELECT {', '.join(NAMES)} FROM records").fetchall()
        types = {name: kind for _, name, kind, *_ in base.execute("PRAGMA table_info(records)")}
        indexes = {row[1] for row in base.execute("PRAGMA index_list(records)")}
    base.close()
    assert rows[0] == ("=1+1", "2026-04-09", "2026-04", "06:30:00", "2026-04-09T06:30:00", 12,
                       "1234.50", 0.25, 1.5, 1)  # fmt: skip
    assert rows[1][5] == 10**15 + 1 and rows[2] == ("L3", *[None] * 9)
    assert (types["count"], types["share"], types["price"]) == ("INTEGER", "REAL", "TEXT")
    assert indexes == {"records_key", "records_source"}


def test_a_workbook_has_a_table_and_no_formulas(desk: Path) -> None:
    sheet = openpyxl.load_workbook(extract(desk, "out.xlsx"))["records"]
    rows = [[cell.value for cell in row[:10]] for row in sheet.iter_rows()]
    assert rows[0] == NAMES
    when = [datetime(2026, 4, 9), datetime(2026, 4, 1), time(6, 30), datetime(2026, 4, 9, 6, 30)]
    assert rows[1] == ["=1+1", *when, 12, 1234.5, 0.25, 1.5, True]
    assert rows[2][1] == "1899-01-02" and rows[2][5] == str(10**15 + 1)
    assert {cell.data_type for row in sheet.iter_rows() for cell in row} <= {
        "s",
        "n",
        "d",
        "b",
        "inlineStr",
    }
    (table,) = sheet.tables.values()
    assert (table.ref, table.autoFilter.ref, sheet.freeze_panes) == ("A1:M4", "A1:M4", "A2")
    formats = [sheet.cell(2, at).number_format for at in (2, 3, 7, 8)]
    assert formats == ["yyyy-mm-dd", "yyyy-mm", "0.00", "0.0##%"]
    assert sheet.column_dimensions["K"].width >= 8


def test_too_many_records_for_a_sheet(desk: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from boreotabula.errors import CallError
    from boreotabula.stores import xlsx_rows

    monkeypatch.setattr(xlsx_rows, "MAX_ROWS", 3)
    rows = xlsx_rows.SheetRows(
        "records", pa.schema([pa.field("n", pa.int64(), metadata={"field_type": "integer"})])
    )
    batch = pa.RecordBatch.from_arrays([pa.array([1, 2])], schema=rows.schema)
    rows.write(batch)
    with pytest.raises(CallError, match="more records than a sheet has rows"):
        rows.write(batch)
    rows.close()


def test_records_to_stdout(desk: Path) -> None:
    done = program("extract", "lots.toml", "-o", "-", cwd=desk)
    assert done.status == 0
    assert [row[:1] for row in csv.reader(io.StringIO(done.out))][1:] == [
        ["=1+1"],
        [LAST[0]],
        ["L3"],
    ]
    assert "3 records" in done.err
    assert sorted(one.name for one in desk.iterdir()) == ["in", "lots.toml"]
