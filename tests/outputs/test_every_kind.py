"""Each kind of output read back by an independent library; files and workbooks that are there."""

from __future__ import annotations

import csv
import gzip
import io
import json
import sqlite3
import zipfile
from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import polars
import pyarrow as pa
import pytest
import xlsxwriter

from helpers import csv_rows, program, write_workbook

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
    assert (desk / "out.run" / "run.json").is_file()


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
    from boreotabula.outputs import xlsx_rows

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


# --- into what is there --------------------------------------------------------------------------

FORM = ["Lot", "Day", "Count"]
SMALL = """layout = 1
[source]
folder = "in"
[block]
stub = "lot"
every_row = true
[fields]
lot = "text"
day = "date"
count = "integer"
"""
COLUMNS = ["lot", "day", "count", "source_file", "source_tab", "source_cell"]


@pytest.fixture
def office(tmp_path: Path) -> Path:
    """Two files, and a workbook that has a chart, a formula and a table for their records."""
    for name in "ab":
        write_workbook(
            tmp_path / "in" / f"{name}.xlsx", {"S": [FORM, [f"L{name}", "2026-04-01", 5]]}
        )
    (tmp_path / "lots.toml").write_text(SMALL, "utf-8")
    with xlsxwriter.Workbook(tmp_path / "master.xlsx") as book:
        red = book.add_format({"font_color": "#aa0000", "num_format": "d mmm yyyy"})
        sums = book.add_worksheet("Sums")
        sums.write_formula("B1", "=SUM(Records!C:C)", red, 99)
        chart = book.add_chart({"type": "column"})
        chart.add_series({"values": "=Records!$C$4:$C$5"})
        sums.insert_chart("D2", chart)
        tab = book.add_worksheet("Records")
        tab.write("A1", "All lots")
        tab.add_table(2, 0, 4, 5, {"name": "Lots", "columns": [{"header": n} for n in COLUMNS]})
        tab.write_row(3, 0, ["old", 1, 7, "gone.xlsx", "S", "A2"])
        tab.write_datetime(3, 1, datetime(2025, 1, 1), red)
        tab.write_row(4, 0, ["older", 1, 8, "a.xlsx", "S", "A9"])
    return tmp_path


def into(office: Path, *more: object) -> Any:
    return program(
        "extract", "lots.toml", "--into", "master.xlsx", "--tab", "Records", *more, cwd=office
    )


def parts(path: Path) -> dict[str, bytes]:
    with zipfile.ZipFile(path) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


@pytest.mark.parametrize("more", [[], ["--append"]])
def test_only_the_table_of_a_workbook_changes(office: Path, more: list[str]) -> None:
    lots = ["old", "La", "Lb"]  # the first is of no run
    before = parts(office / "master.xlsx")
    for _ in range(2):  # a second time nothing is doubled
        done = into(office, *more)
        assert (done.status, done.err) == (0, "")
        (note,) = csv_rows(office / "master.run" / "findings.csv")
        assert (note["code"], note["found"]) == ("rows-kept", "1 row")
    after = parts(office / "master.xlsx")
    changed = {name for name in before if before[name] != after[name]}
    assert changed <= {"xl/workbook.xml", "xl/worksheets/sheet1.xml", "xl/worksheets/sheet2.xml",
                       "xl/tables/table1.xml"}  # fmt: skip
    book = openpyxl.load_workbook(office / "master.xlsx")
    tab = book["Records"]
    rows = [[cell.value for cell in row] for row in tab.iter_rows()]
    assert rows[0][0] == "All lots" and rows[2] == COLUMNS
    assert [row[0] for row in rows[3:]] == lots
    assert tab.tables["Lots"].ref == f"A3:F{3 + len(lots)}"
    assert {cell.number_format for cell in tab["B"][3:]} == {"d mmm yyyy"}
    assert (book["Sums"]["B1"].value, len(book["Sums"]._charts)) == ("=SUM(Records!C:C)", 1)
    assert (
        openpyxl.load_workbook(office / "master.xlsx", data_only=True)["Sums"]["B1"].value is None
    )
    assert b'fullCalcOnLoad="1"' in after["xl/workbook.xml"]
    traced = program("trace", "master.xlsx", "--where", "lot=Lb", "--json", cwd=office)
    (record,) = json.loads(traced.out)
    assert (record["number"], record["record"]["count"]) == (len(lots), "5")


def test_a_new_tab_of_a_workbook(office: Path) -> None:
    done = program(
        "extract", "lots.toml", "--into", "master.xlsx", "--tab", "April & May", cwd=office
    )
    assert (done.status, done.err) == (0, "")
    book = openpyxl.load_workbook(office / "master.xlsx")
    assert book.sheetnames == ["Sums", "Records", "April & May"]
    tab = book["April & May"]
    assert [cell.value for cell in tab[2]][:3] == ["La", datetime(2026, 4, 1), 5]
    assert [table.ref for table in tab.tables.values()] == ["A1:F3"]
    names = [name for one in book for name in one.tables]
    assert len(set(names)) == len(names) == 2


def changed(tab: str, cell: str, value: Any) -> Callable[[Any], None]:
    return lambda book: book[tab].__setitem__(cell, value)


REFUSED: dict[str, tuple[Callable[[Any], object], str]] = {
    "a formula": (changed("Records", "C4", "=1+1"), "C4 holds a formula"),
    "a note beside": (changed("Records", "H4", "mind"), "H4 is filled, but not part of the table"),
    "a note below": (changed("Records", "A9", "mind"), "A9 is filled, but not part of the table"),
    "another heading": (changed("Records", "B3", "weight"), "no fields of the layout: weight"),
    "merged cells": (lambda book: book["Records"].merge_cells("A4:A5"), "A4:A5 are merged"),
    "protection": (lambda book: book["Records"].protection.enable(), "is protected"),
    "a row of totals": (
        lambda book: setattr(book["Records"].tables["Lots"], "totalsRowCount", 1), "row of totals"),
}  # fmt: skip


@pytest.mark.parametrize("what", REFUSED)
def test_what_cannot_be_kept_is_refused(office: Path, what: str) -> None:
    change, said = REFUSED[what]
    book = openpyxl.load_workbook(office / "master.xlsx")
    change(book)
    book.save(office / "master.xlsx")
    before = (office / "master.xlsx").read_bytes()
    done = into(office)
    assert (done.status, done.out) == (2, "")
    assert said in " ".join(done.err.split())
    assert (office / "master.xlsx").read_bytes() == before


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--into", "none.xlsx"], "there is no file “none.xlsx”; write a new one with -o"),
        (["--into", "lots.toml"], "--into takes a workbook (.xlsx, .xlsm) or a database"),
        (["-o", "out.csv", "--tab", "x"], "--tab and --append belong to --into"),
        (["-o", "out.csv", "--into", "master.xlsx"], "give one of them"),
        (["--into", "fake.xlsx"], "cannot be read as an .xlsx workbook"),
        (["--into", "master.xlsx", "--tab", "a/b"], "cannot be the name of a tab"),
        (["-o", "-", "--strict"], "records on stdout are out at once"),
        (["--into", "fake.sqlite"], "file is not a database"),
    ],
)
def test_wrong_calls(office: Path, arguments: list[str], said: str) -> None:
    for name in ("fake.xlsx", "fake.sqlite"):
        (office / name).write_bytes(b"nothing of the kind" * 99)
    done = program("extract", "lots.toml", *arguments, cwd=office)
    assert (done.status, done.out) == (2, "")
    assert said in " ".join(done.err.split()) and "Traceback" not in done.err


def test_a_workbook_in_use_is_refused(office: Path) -> None:
    (office / "~$master.xlsx").write_bytes(b"")
    assert "is open in a spreadsheet program" in into(office).err


def test_a_database_takes_the_records_of_the_files_read(office: Path) -> None:
    def rows() -> list[tuple[Any, ...]]:
        with sqlite3.connect(office / "all.sqlite") as base:
            found = base.execute(
                "SELECT lot, count, source_file FROM records ORDER BY lot"
            ).fetchall()
        base.close()
        return found

    extract(office, "all.sqlite")
    write_workbook(office / "in" / "b.xlsx", {"S": [FORM, ["Lb", None, 6], ["Lc", None, 7]]})
    (office / "in" / "a.xlsx").unlink()
    call = ("extract", "lots.toml", "--into", "all.sqlite")
    for _ in range(2):
        assert program(*call, cwd=office).status == 0
        assert rows() == [("La", 5, "a.xlsx"), ("Lb", 6, "b.xlsx"), ("Lc", 7, "b.xlsx")]
    (office / "lots.toml").write_text(SMALL + 'note = "text"\n', "utf-8")
    assert program(*call, cwd=office).status == 0
    (office / "lots.toml").write_text(SMALL.replace('"integer"', '"text"'), "utf-8")
    done = program(*call, cwd=office)
    assert done.status == 2 and "the column “count” of the table “records” is INTEGER" in done.err
    assert len(rows()) == 3


def test_errors_keep_a_strict_run_out(office: Path) -> None:
    extract(office, "all.sqlite")
    write_workbook(office / "in" / "c.xlsx", {"S": [FORM, ["Lc", None, "many"]]})
    before = {name: (office / name).read_bytes() for name in ("master.xlsx", "all.sqlite")}
    for name in before:
        assert program("extract", "lots.toml", "--into", name, "--strict", cwd=office).status == 1
        assert (office / name).read_bytes() == before[name]
    assert len(csv_rows(office / "all.run" / "findings.csv")) == 0


def test_records_of_a_file_that_cannot_be_read_now_stay(office: Path) -> None:
    extract(office, "all.sqlite")
    assert into(office, "--append").status == 0
    (office / "in" / "a.xlsx").write_bytes(b"PK damaged")
    call = ("extract", "lots.toml", "--into")
    assert program(*call, "all.sqlite", cwd=office).status == 1
    assert program(*call, "master.xlsx", "--append", cwd=office).status == 1
    with sqlite3.connect(office / "all.sqlite") as base:
        lots = [lot for (lot,) in base.execute("SELECT lot FROM records ORDER BY lot")]
    base.close()
    assert lots == ["La", "Lb"]
    tab = openpyxl.load_workbook(office / "master.xlsx")["Records"]
    assert [cell.value for cell in tab["A"][3:]] == ["old", "La", "Lb"]
