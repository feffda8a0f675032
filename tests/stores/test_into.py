"""Records into what people have: a master of an analyst, a workbook in use, a database."""

from __future__ import annotations

import json
import re
import shutil
import sqlite3
import subprocess
import zipfile
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.chart import BarChart, Reference
from openpyxl.formatting.rule import CellIsRule
from openpyxl.styles import Font
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.table import Table

from boreotabula.stores.master.references import (
    LostReferenceError,
    RowChange,
    changed_areas,
    changed_formula,
)
from helpers import csv_rows, program, write_workbook

# --- references ----------------------------------------------------------------------------------

GROWN = RowChange("Data", 2, 1, 6, (9,), 14)
"""A table B3:G10 that reaches to row 15 now."""
SHRUNK = RowChange("Data", 2, 1, 6, (9,), 7, (4, 6))
"""The same without its rows 5 and 7, that reaches to row 8."""


@pytest.mark.parametrize(
    ("before", "grown", "shrunk"),
    [
        ("SUM(Data!F4:F10)", "SUM(Data!F4:F15)", "SUM(Data!F4:F8)"),
        ("SUM('Data'!$F$3:$F$10)", "SUM('Data'!$F$3:$F$15)", "SUM('Data'!$F$3:$F$8)"),
        ("SUM(Data!F:F)+Data!A$4:A$10", None, None),
        ("SUM(Data!F4:F12)", "SUM(Data!F4:F15)", "SUM(Data!F4:F12)"),
        ("SUM(Data!F4:F6)", None, "SUM(Data!F4:F5)"),
        ("Data!F4+Data!F6*Data!F30", None, "Data!F4+Data!F5*Data!F30"),
        ('"Data!F4:F10"&Other!F4:F10&Data.F4:F10', None, None),
        ("SUM(Stock[Plants])+LOG10(4)", None, None),
        ("data!F8:F10", None, "data!F6:F8"),
        ("SUM(Data!F5:F7)", None, "SUM(Data!F5:F5)"),
    ],
)
def test_references_follow_the_rows(before: str, grown: str | None, shrunk: str | None) -> None:
    assert changed_formula(before, GROWN, on_tab=False) == (grown or before)
    assert changed_formula(before, SHRUNK, on_tab=False) == (shrunk or before)


def test_a_reference_to_a_row_that_goes_is_no_other_one() -> None:
    with pytest.raises(LostReferenceError, match="F5"):
        changed_formula("2*F5", SHRUNK, on_tab=True)
    assert changed_formula("2*F5", SHRUNK, on_tab=False) == "2*F5"
    assert changed_areas("F4:F10 A1 C5 G7:G8", SHRUNK) == "F4:F8 A1 G6:G6"


@given(st.sets(st.integers(3, 9), max_size=6), st.integers(0, 12), st.integers(0, 6))
def test_a_range_covers_the_same_rows_as_before(gone: set[int], first: int, more: int) -> None:
    change = RowChange("Data", 2, 1, 6, (9,), max(9 - len(gone), 3), sorted(gone))
    rows = set(range(first, first + more + 1))
    now = change.rows(first, first + more)
    if first <= 3 and first + more >= 9:
        assert now is not None and now[1] >= change.bottom
        return
    left = {change.row(row) for row in rows - gone}
    covered = set() if now is None else set(range(now[0], now[1] + 1))
    assert left <= covered <= left | set(range(10 - len(gone), 10))  # rows that were left are blank


# --- a master ------------------------------------------------------------------------------------

STOCK = """layout = 1
[source]
folder = "in"
[stamps]
station = { right_of = "Station" }
month = { right_of = "Month" }
[block]
stub = "lot"
[fields]
station = { type = "text", also = ["Nursery"] }
month = "month"
lot = "text"
seedlings = { type = "integer", also = ["Plants"] }
"""
KEYED = STOCK.replace("[source]", 'key = ["station", "month", "lot"]\n[source]')
PIVOT = (
    '<pivotCacheDefinition xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
    '<cacheSource type="worksheet"><worksheetSource ref="B3:H5" sheet="Data"/></cacheSource>'
    "</pivotCacheDefinition>"
)


def send(home: Path, station: str, lots: Sequence[tuple[str, int]]) -> None:
    """A form of a nursery."""
    rows = [["Station", station], ["Month", "2026-03"], [], ["Lot", "Seedlings"], *lots]
    write_workbook(home / "in" / f"{station}.xlsx", {"Lots": rows})


def make_master(path: Path, *, table: bool = True) -> None:
    """The master of an analyst: a title, headings of its own, remarks, a column that is worked
    out, and on another tab a chart and formulas."""
    book = openpyxl.Workbook()
    tab = book.active
    assert tab is not None
    tab.title = "Data"
    tab["B1"] = "All lots of the co-operative"
    tab["C2"] = "=SUM(F4:F5)"
    heads = ["Nursery", "Month", "Species", "Lot", "Plants", "Checked by", "Share"]
    for column, text in enumerate(heads, 2):
        tab.cell(3, column, text).font = Font(bold=True)
    for row, cells in enumerate(
        (
            ["Granvik", datetime(2026, 2, 1), "Alder", "G1", 5, "AH"],
            ["Frostmo", datetime(2026, 3, 1), "Pine", "F1", 9, "seen 4 April"],
        ),
        4,
    ):
        for column, value in enumerate(cells, 2):
            tab.cell(row, column, value)
        tab.cell(row, 3).number_format = "mmm yyyy"
        tab.cell(row, 8, f"=F{row}/SUM(F$4:F$5)").number_format = "0%"
    if table:
        tab.add_table(Table(displayName="Stock", ref="B3:H5"))
    else:
        tab.auto_filter.ref = "B3:H5"
    tab.conditional_formatting.add("F4:F5", CellIsRule(operator="greaterThan", formula=["15"]))
    choice = DataValidation(type="list", formula1='"AH,BK"')
    tab.add_data_validation(choice)
    choice.add("G4:G5")
    sums = book.create_sheet("Sums")
    sums["B1"] = "=SUM(Data!F4:F5)"
    sums["B2"] = '=SUMIFS(Data!$F$4:$F$5,Data!$B$4:$B$5,"Frostmo")'
    chart = BarChart()
    chart.add_data(Reference(tab, min_col=6, min_row=4, max_row=5))
    sums.add_chart(chart, "D4")
    book.defined_names["plants"] = DefinedName("plants", attr_text="Data!$F$4:$F$5")
    book.save(path)
    with zipfile.ZipFile(path, "a") as archive:
        archive.writestr("xl/pivotCache/pivotCacheDefinition1.xml", PIVOT)


def calculated(path: Path, folder: Path) -> Path:
    """A workbook as LibreOffice saves it, its formulas worked out."""
    soffice = shutil.which("soffice")
    if soffice is None:
        pytest.skip("LibreOffice is not installed")
    profile = f"-env:UserInstallation={(folder / 'profile').as_uri()}"
    subprocess.run(
        [soffice, profile, "--headless", "--convert-to", "xlsx", "--outdir", folder, path],
        check=True,
        capture_output=True,
        timeout=120,
    )
    return folder / path.name


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """Two forms, and a master that lies among them."""
    send(tmp_path, "Frostmo", [("F1", 10), ("F2", 20)])
    send(tmp_path, "Lomlia", [("L1", 30)])
    make_master(tmp_path / "in" / "master.xlsx")
    (tmp_path / "stock.toml").write_text(KEYED, "utf-8")
    return tmp_path


def put(home: Path, *more: object) -> tuple[int, str, str]:
    """Exit status, what became of the rows, and the errors."""
    done = program("extract", "stock.toml", "--into", "in/master.xlsx", *more, cwd=home)
    found = re.search(r"  rows: (.*)", done.out)
    return done.status, found[1] if found else "", " ".join(done.err.split())


def rows_of(path: Path, tab: str = "Data") -> list[list[Any]]:
    """The rows below the headings of a master."""
    found = openpyxl.load_workbook(path)[tab].iter_rows(min_row=4, min_col=2, values_only=True)
    return [list(row) for row in found]


def test_three_runs_into_a_master(home: Path) -> None:
    master = home / "in" / "master.xlsx"
    assert put(home)[:2] == (0, "2 added, 1 kept, 1 replaced, 0 gone")
    before = master.read_bytes()
    assert put(home)[:2] == (0, "0 added, 4 kept, 0 replaced, 0 gone")
    assert master.read_bytes() == before
    send(home, "Frostmo", [("F0", 1), ("F1", 10), ("F2", 21)])
    (home / "in" / "Lomlia.xlsx").unlink()
    assert put(home)[:2] == (0, "1 added, 3 kept, 1 replaced, 0 gone")
    book = openpyxl.load_workbook(master)
    tab, sums = book["Data"], book["Sums"]
    assert [tab["B1"].value, tab["C2"].value] == ["All lots of the co-operative", "=SUM(F4:F8)"]
    assert [cell.value for cell in tab[3][1:]] == [
        "Nursery", "Month", "Species", "Lot", "Plants", "Checked by", "Share",
        "source_file", "source_tab", "source_cell",
    ]  # fmt: skip
    assert [(row[3], row[4], row[5], row[6]) for row in rows_of(master)] == [
        ("G1", 5, "AH", "=F4/SUM(F$4:F$8)"),
        ("F1", 10, "seen 4 April", "=F5/SUM(F$4:F$8)"),
        ("F2", 21, None, "=F6/SUM(F$4:F$8)"),
        ("L1", 30, None, "=F7/SUM(F$4:F$8)"),
        ("F0", 1, None, "=F8/SUM(F$4:F$8)"),
    ]
    assert {cell.number_format for cell in tab["C"][3:]} == {"mmm yyyy"}
    assert tab.tables["Stock"].ref == tab.tables["Stock"].autoFilter.ref == "B3:K8"
    assert [str(one.sqref) for one in tab.conditional_formatting] == ["F4:F8"]
    assert [str(one.sqref) for one in tab.data_validations.dataValidation] == ["G4:G8"]
    assert sums["B1"].value == "=SUM(Data!F4:F8)"
    assert sums["B2"].value == '=SUMIFS(Data!$F$4:$F$8,Data!$B$4:$B$8,"Frostmo")'
    assert sums._charts[0].series[0].val.numRef.f == "'Data'!$F$4:$F$8"
    assert book.defined_names["plants"].attr_text == "Data!$F$4:$F$8"
    with zipfile.ZipFile(master) as archive:
        pivot = archive.read("xl/pivotCache/pivotCacheDefinition1.xml").decode()
    assert 'ref="B3:H8"' in pivot and 'refreshOnLoad="1"' in pivot
    traced = program("trace", "in/master.xlsx", "--where", "lot=F2", "--json", cwd=home)
    (record,) = json.loads(traced.out)
    assert (record["number"], record["record"]["seedlings"]) == (3, "21")


def test_all_other_parts_of_a_master_stay_byte_for_byte(home: Path) -> None:
    master = home / "in" / "master.xlsx"

    def parts() -> dict[str, bytes]:
        with zipfile.ZipFile(master) as archive:
            return {name: archive.read(name) for name in archive.namelist()}

    before = parts()
    assert put(home)[0] == 0
    after = parts()
    assert {name for name in before if before[name] != after.get(name)} == {
        "xl/worksheets/sheet1.xml", "xl/worksheets/sheet2.xml", "xl/tables/table1.xml",
        "xl/workbook.xml", "xl/charts/chart1.xml", "xl/pivotCache/pivotCacheDefinition1.xml",
    }  # fmt: skip
    assert set(after) == set(before)


def test_rows_that_are_gone_take_nothing_with_them_unsaid(home: Path) -> None:
    put(home)
    send(home, "Frostmo", [("F2", 20)])
    status, rows, _ = put(home)
    assert (status, rows) == (0, "0 added, 3 kept, 0 replaced, 1 gone")
    restated, gone, note = csv_rows(home / "in" / "master.xlsx.run" / "findings.csv")
    assert (gone["code"], gone["found"]) == ("remark-gone", "Pine, seen 4 April")
    assert (restated["code"], note["code"]) == ("value-restated", "rows-kept")
    (line,) = csv_rows(home / "in" / "master.xlsx.run" / "restated.csv")
    assert (line["field"], line["now"], line["lot"]) == ("the record", "gone", "F1")
    assert [row[3] for row in rows_of(home / "in" / "master.xlsx")] == ["G1", "F2", "L1"]
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    book["Sums"]["B3"] = "=Data!F5"
    book.save(home / "in" / "master.xlsx")
    send(home, "Frostmo", [])
    status, _, said = put(home)
    assert status == 2 and "Sums B3: the formula “=Data!F5” refers to Data!F5, a row that" in said
    (home / "in" / "Frostmo.xlsx").unlink()
    assert put(home)[1] == "0 added, 3 kept, 0 replaced, 0 gone"
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    book["Sums"]["B3"] = None
    book.save(home / "in" / "master.xlsx")
    assert put(home, "--replace")[1] == "0 added, 2 kept, 0 replaced, 1 gone"


def test_a_correction_by_hand_in_the_master_is_told(home: Path) -> None:
    put(home)
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    book["Data"]["F6"] = 99
    book.save(home / "in" / "master.xlsx")
    assert put(home)[1] == "0 added, 3 kept, 1 replaced, 0 gone"
    told = csv_rows(home / "in" / "master.xlsx.run" / "findings.csv")
    assert [one["code"] for one in told] == ["changed-by-hand", "rows-kept"]
    assert "(row 6)" in told[0]["message"]


def test_rows_that_are_gone_from_the_master_and_come_again_are_told(home: Path) -> None:
    put(home)
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    book["Data"].delete_rows(6)
    book.save(home / "in" / "master.xlsx")
    assert put(home)[1].startswith("1 added")
    told = csv_rows(home / "in" / "master.xlsx.run" / "findings.csv")
    assert told[0]["code"] == "rows-written-again" and told[0]["severity"] == "warning"
    assert told[0]["message"].startswith("1 row that an earlier run put into “master.xlsx” › Data")


def test_a_master_without_columns_for_the_source(home: Path) -> None:
    master = home / "in" / "master.xlsx"
    assert put(home, "--no-source")[1] == "2 added, 1 kept, 1 replaced, 0 gone"
    book = openpyxl.load_workbook(master)
    assert book["Data"].max_column == 8
    assert book["sources of Data"].sheet_state == "hidden"
    before = master.read_bytes()
    assert put(home)[1] == "0 added, 4 kept, 0 replaced, 0 gone"
    assert master.read_bytes() == before
    send(home, "Frostmo", [("F2", 20)])
    assert put(home)[1] == "0 added, 3 kept, 0 replaced, 1 gone"
    (traced,) = json.loads(
        program("trace", "in/master.xlsx", "--where", "lot=F2", "--json", cwd=home).out
    )
    assert traced["record"]["source_file"] == "Frostmo.xlsx"
    (home / "stock.toml").write_text(STOCK, "utf-8")
    status, _, said = put(home, "--no-source")
    assert status == 2 and "rows are known by the key alone; name it in the layout" in said


def test_without_a_key_rows_stay_with_their_records_though_cells_move(home: Path) -> None:
    """A row that comes first in the form moves all others; a row by hand is known by its values."""
    (home / "stock.toml").write_text(STOCK, "utf-8")
    send(home, "Frostmo", [("F1", 9), ("F2", 20)])
    assert put(home)[1] == "2 added, 2 kept, 0 replaced, 0 gone"
    send(home, "Frostmo", [("F0", 1), ("F1", 9), ("F2", 21)])
    assert put(home)[1] == "1 added, 3 kept, 1 replaced, 0 gone"
    found = rows_of(home / "in" / "master.xlsx")
    assert [(row[3], row[4], row[5], row[9]) for row in found if row[0] == "Frostmo"] == [
        ("F1", 9, "seen 4 April", "A6"),
        ("F2", 21, None, "A7"),
        ("F0", 1, None, "A5"),
    ]


@pytest.mark.parametrize("by", ["openpyxl", "LibreOffice"])
def test_a_master_lives_through_a_spreadsheet_program(home: Path, tmp_path: Path, by: str) -> None:
    master = home / "in" / "master.xlsx"
    make_master(master, table=False)
    if by == "LibreOffice":
        shutil.copy(calculated(master, tmp_path / "lo"), master)
    totals = []
    for lots in ([("F1", 10), ("F2", 20)], [("F1", 10)], [("F1", 10), ("F2", 20), ("F3", 40)]):
        send(home, "Frostmo", lots)
        assert put(home)[0] == 0
        opened = calculated(master, tmp_path / "lo")
        book = openpyxl.load_workbook(opened, data_only=True)
        totals.append((book["Sums"]["B1"].value, book["Sums"]["B2"].value))
        assert sum(row[4] for row in rows_of(master)) == totals[-1][0]
        assert [row[5] for row in rows_of(master)][:2] == ["AH", "seen 4 April"]
        if by == "LibreOffice":
            shutil.copy(opened, master)
    assert totals == [(65, 30), (45, 10), (105, 70)]


REFUSED: dict[str, tuple[Callable[[Any], object], str]] = {
    "a formula": (lambda tab: tab.__setitem__("F4", "=1+1"), "F4 holds a formula"),
    "something below": (lambda tab: tab.__setitem__("B7", "mind"),
                        "B7 is filled, but the table needs this cell for new rows"),
    "something beside": (lambda tab: tab.__setitem__("I2", "x") or tab.__setitem__("I5", "mind"),
                         "I5 is filled, but the table needs this cell for a new column"),
    "one field twice": (lambda tab: tab.__setitem__("G3", "Seedlings") or
                        tab.__setitem__("F3", "Plants"), ""),
    "two columns": (lambda tab: tab.__setitem__("G3", "Plants"),
                    "the columns F “Plants” and G “Plants” both mean the field “seedlings”"),
    "merged cells": (lambda tab: tab.merge_cells("B4:B5"), "B4:B5 are merged"),
    "protection": (lambda tab: tab.protection.enable(), "is protected"),
    "no headings": (lambda tab: [tab.cell(3, at, "x") for at in range(2, 9)],
                    "no row holds the headings"),
}  # fmt: skip


@pytest.mark.parametrize("what", REFUSED)
def test_what_cannot_be_kept_is_refused(home: Path, what: str) -> None:
    master = home / "in" / "master.xlsx"
    make_master(master, table=False)
    change, said = REFUSED[what]
    book = openpyxl.load_workbook(master)
    change(book["Data"])
    book.save(master)
    before = master.read_bytes()
    status, _, err = put(home, "--into-tab", "Data")
    if said:
        assert (status, master.read_bytes()) == (2, before)
    else:
        assert status == 0
    assert said in err


def with_one_sheet(parts: dict[str, bytes]) -> None:
    """Two tabs that are one sheet."""
    book = parts["xl/workbook.xml"]
    keys = re.findall(rb'r:id="(rId\d+)"', book)
    parts["xl/workbook.xml"] = book.replace(keys[1], keys[0], 1)


def with_no_table(parts: dict[str, bytes]) -> None:
    """A table object that is none."""
    (name,) = (name for name in parts if name.startswith("xl/tables/"))
    parts[name] = b"<drawing/>"


@pytest.mark.parametrize(
    ("damage", "said"),
    [
        (with_one_sheet, "are one and the same sheet"),
        (with_no_table, "its table part “xl/tables/table1.xml” is damaged"),
    ],
)
def test_a_master_of_odd_parts_is_refused(
    home: Path, damage: Callable[[dict[str, bytes]], None], said: str
) -> None:
    master = home / "in" / "master.xlsx"
    make_master(master)
    with zipfile.ZipFile(master) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    damage(parts)
    with zipfile.ZipFile(master, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, part in parts.items():
            archive.writestr(name, part)
    before = master.read_bytes()
    status, _, err = put(home, "--into-tab", "Data")
    assert (status, master.read_bytes()) == (2, before) and said in err


def test_what_is_about_a_row_that_goes_goes_with_it(home: Path) -> None:
    """Where it was the last of its kind the list of them goes, too: an empty one is damage."""
    master = home / "in" / "master.xlsx"
    put(home)
    book = openpyxl.load_workbook(master)
    data = book["Data"]
    row = next(cell.row for cell in data["E"] if cell.value == "F1")
    data[f"G{row}"].hyperlink = "#A1"
    data.data_validations.dataValidation = []
    for area in (f"F{row}", "H4"):
        rule = DataValidation(type="whole", operator="greaterThan", formula1="0")
        rule.add(area)
        data.add_data_validation(rule)
    book.save(master)
    with zipfile.ZipFile(master) as archive:
        text = archive.read("xl/worksheets/sheet1.xml").decode()
    assert "<hyperlinks>" in text and '<dataValidations count="2"' in text
    send(home, "Frostmo", [("F2", 20)])
    assert put(home)[:2] == (0, "0 added, 3 kept, 0 replaced, 1 gone")
    with zipfile.ZipFile(master) as archive:
        text = archive.read("xl/worksheets/sheet1.xml").decode()
    assert "hyperlink" not in text and '<dataValidations count="1"' in text


def test_what_cannot_move_keeps_rows_from_going(home: Path) -> None:
    from openpyxl.comments import Comment

    put(home)
    for cell, value, said in (
        ("M6", "mind", "M6 beside the table cannot move"),
        ("F6", Comment("asked", "AH"), "the note of F6 cannot"),
    ):
        book = openpyxl.load_workbook(home / "in" / "master.xlsx")
        saved = (home / "in" / "master.xlsx").read_bytes()
        if isinstance(value, str):
            book["Data"][cell] = value
        else:
            book["Data"][cell].comment = value
        book.save(home / "in" / "master.xlsx")
        send(home, "Frostmo", [("F2", 20)])
        status, _, err = put(home)
        assert status == 2 and said in err
        (home / "in" / "master.xlsx").write_bytes(saved)


def test_a_new_tab_and_a_blank_one(home: Path) -> None:
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    book.create_sheet("Blank")
    book.save(home / "in" / "master.xlsx")
    for tab in ("April & May", "Blank"):
        for rows in ("3 added, 0 kept, 0 replaced, 0 gone", "0 added, 3 kept, 0 replaced, 0 gone"):
            assert put(home, "--into-tab", tab)[:2] == (0, rows)
    book = openpyxl.load_workbook(home / "in" / "master.xlsx")
    assert book.sheetnames == ["Data", "Sums", "Blank", "April & May"]
    assert [table.ref for table in book["April & May"].tables.values()] == ["A1:G4"]
    assert [cell.value for cell in book["Blank"][2]][:4] == [
        "Frostmo", datetime(2026, 3, 1), "F1", 10,
    ]  # fmt: skip
    names = [name for one in book for name in one.tables]
    assert len(set(names)) == len(names) == 2


# --- wrong calls, databases ----------------------------------------------------------------------

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


@pytest.fixture
def office(tmp_path: Path) -> Path:
    """Two files, and a workbook that is blank."""
    for name in "ab":
        write_workbook(
            tmp_path / "in" / f"{name}.xlsx", {"S": [FORM, [f"L{name}", "2026-04-01", 5]]}
        )
    (tmp_path / "lots.toml").write_text(SMALL, "utf-8")
    write_workbook(tmp_path / "master.xlsx", {"Records": []})
    return tmp_path


def into(office: Path, *more: object) -> Any:
    return program("extract", "lots.toml", "--into", "master.xlsx", *more, cwd=office)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--into", "none.xlsx"], "there is no file “none.xlsx”; write a new one with -o"),
        (["--into", "lots.toml"], "--into takes a workbook (.xlsx, .xlsm) or a database"),
        (
            ["-o", "out.csv", "--into-tab", "x"],
            "--into-tab only works with --into a workbook or a database",
        ),
        (["-o", "out.csv", "--into", "master.xlsx"], "choose one of them"),
        (["--into", "fake.xlsx"], "cannot be read as an .xlsx workbook"),
        (["--into", "master.xlsx", "--into-tab", "a/b"], "cannot be the name of a tab"),
        (["-o", "-", "--strict"], "records on stdout are already out"),
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

    assert program("extract", "lots.toml", "-o", "all.sqlite", cwd=office).status == 0
    write_workbook(office / "in" / "b.xlsx", {"S": [FORM, ["Lb", None, 6], ["Lc", None, 7]]})
    (office / "in" / "a.xlsx").unlink()
    call = ("extract", "lots.toml", "--into", "all.sqlite")
    for _ in range(2):
        assert program(*call, cwd=office).status == 0
        assert rows() == [("La", 5, "a.xlsx"), ("Lb", 6, "b.xlsx"), ("Lc", 7, "b.xlsx")]
    (office / "lots.toml").write_text(SMALL + 'note = "text"\n', "utf-8")
    assert "has no column “note”" in program(*call, cwd=office).err
    assert program(*call, "--add-columns", cwd=office).status == 0
    (office / "lots.toml").write_text(SMALL.replace('"integer"', '"text"'), "utf-8")
    done = program(*call, cwd=office)
    assert done.status == 2 and "› records: the column “count” is INTEGER" in done.err
    assert len(rows()) == 3


def test_errors_keep_a_strict_run_out(office: Path) -> None:
    assert program("extract", "lots.toml", "-o", "all.sqlite", cwd=office).status == 0
    write_workbook(office / "in" / "c.xlsx", {"S": [FORM, ["Lc", None, "many"]]})
    before = {name: (office / name).read_bytes() for name in ("master.xlsx", "all.sqlite")}
    for name in before:
        assert program("extract", "lots.toml", "--into", name, "--strict", cwd=office).status == 1
        assert (office / name).read_bytes() == before[name]
    assert len(csv_rows(office / "all.sqlite.run" / "findings.csv")) == 0


def test_records_of_a_file_that_cannot_be_read_now_stay(office: Path) -> None:
    assert program("extract", "lots.toml", "-o", "all.sqlite", cwd=office).status == 0
    assert into(office).status == 0
    (office / "in" / "a.xlsx").write_bytes(b"PK damaged")
    call = ("extract", "lots.toml", "--into")
    assert program(*call, "all.sqlite", cwd=office).status == 1
    assert program(*call, "master.xlsx", cwd=office).status == 1
    with sqlite3.connect(office / "all.sqlite") as base:
        lots = [lot for (lot,) in base.execute("SELECT lot FROM records ORDER BY lot")]
    base.close()
    assert lots == ["La", "Lb"]
    tab = openpyxl.load_workbook(office / "master.xlsx")["Records"]
    assert [cell.value for cell in tab["A"][1:]] == ["La", "Lb"]


def _prefixed(text: str) -> bytes:
    text = re.sub(r"<(/?)(?=[a-z])", r"<\1x:", text).replace("xmlns=", "xmlns:x=", 1)
    return text.encode()


def _in_cdata(text: str) -> bytes:
    return re.sub(r"<t>([^<]+)</t>", r"<t><![CDATA[\1]]></t>", text).encode()


def _in_single_quotes(text: str) -> bytes:
    return re.sub(r'(\s[\w:]+=)"([^"\']*)"', r"\1'\2'", text).encode()


def _with_comments(text: str) -> bytes:
    text = text.replace("<sheetData>", "<!-- <sheetData><row r='1'> --><sheetData>")
    return text.replace("</row>", "<!-- </row> --></row>").encode()


def _in_utf_16(text: str) -> bytes:
    text = re.sub(r"^<\?xml[^>]*>", "", text)
    return f'<?xml version="1.0" encoding="UTF-16"?>{text}'.encode("utf-16")


@pytest.mark.parametrize(
    "written", [_prefixed, _in_cdata, _in_single_quotes, _with_comments, _in_utf_16]
)
@pytest.mark.parametrize(
    "parts", [("xl/worksheets/sheet1.xml",), ("xl/worksheets/sheet1.xml", "xl/workbook.xml")]
)
def test_any_form_of_markup_is_edited_as_a_parser_sees_it(
    home: Path, written: Callable[[str], bytes], parts: Sequence[str]
) -> None:
    master = home / "in" / "master.xlsx"
    plain = home / "plain.xlsx"
    shutil.copy(master, plain)
    with zipfile.ZipFile(plain) as old, zipfile.ZipFile(master, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            new.writestr(name, written(content.decode()) if name in parts else content)
    put(home)
    shutil.move(plain, home / "in" / "other.xlsx")
    shutil.rmtree(home / "in" / "master.xlsx.run")
    (home / "in" / "keep.xlsx").write_bytes(master.read_bytes())
    (home / "in" / "other.xlsx").replace(master)
    put(home)
    there = [openpyxl.load_workbook(home / "in" / one) for one in ("keep.xlsx", "master.xlsx")]
    cells = [[[cell.value for cell in row] for row in book["Data"].iter_rows()] for book in there]
    assert cells[0] == cells[1] and len(cells[0]) == 7


@pytest.fixture
def with_glossary(home: Path) -> Path:
    """The master holds the headings of the forms on a tab of its own."""
    master = home / "in" / "master.xlsx"
    book = openpyxl.load_workbook(master)
    tab = book.create_sheet("Headings")
    for row in (["From", "To"], ["Lot", "lot"], ["Seedlings", "seedlings"]):
        tab.append(row)
    book.save(master)
    return home


def _leaning(home: Path, glossary: str) -> None:
    named = f'glossary = {{ file = "{glossary}", heading = "From", field = "To" }}'
    (home / "stock.toml").write_text(
        KEYED.replace("layout = 1", f"layout = 1\n{named}", 1), "utf-8"
    )


def test_a_glossary_in_the_workbook_that_takes_the_records(with_glossary: Path) -> None:
    _leaning(with_glossary, "in/master.xlsx#Headings")
    assert put(with_glossary)[:2] == (0, "2 added, 1 kept, 1 replaced, 0 gone")
    assert put(with_glossary)[:2] == (0, "0 added, 4 kept, 0 replaced, 0 gone")
    tab = openpyxl.load_workbook(with_glossary / "in" / "master.xlsx")["Headings"]
    assert [cell.value for cell in tab["A"]] == ["From", "Lot", "Seedlings"]
    assert "is a glossary of the layout" in put(with_glossary, "--into-tab", "Headings")[2]


def test_a_glossary_without_a_tab_is_asked_for(with_glossary: Path) -> None:
    book = openpyxl.load_workbook(with_glossary / "in" / "master.xlsx")
    for name in ("Data", "Sums"):
        del book[name]
    book.save(with_glossary / "in" / "master.xlsx")
    _leaning(with_glossary, "in/master.xlsx")
    assert "say in the layout which tab that is" in put(with_glossary)[2]
