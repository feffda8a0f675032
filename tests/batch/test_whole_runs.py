"""Whole runs on files: what only shows once the program reads workbooks itself."""

from __future__ import annotations

from datetime import date, datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter

import boreotabula
from helpers import csv_rows, program, write_workbook

FIELDS = """
[fields]
year = "text"
bench = "text"
species = "text"
lot = "text"
month = "month"
seedlings = { type = "integer", also = "Count" }
"""
TABLE: list[list[Any]] = [["Species", "Lot", "Count"], ["Pine", "L1", 5], ["Birch", "L2", 7]]


def run(folder: Path, layout: str) -> boreotabula.Run:
    (folder / "layout.toml").write_text(f"layout = 1\n{layout}\n{FIELDS}", "utf-8")
    return boreotabula.extract(boreotabula.Layout.load(folder / "layout.toml"))


def rows(found: boreotabula.Run, *names: str) -> list[tuple[Any, ...]]:
    return [tuple(row[name] for name in names) for row in found.records.to_pylist()]


def codes(found: boreotabula.Run) -> list[str]:
    passed = ("texts-unplaced", "field-missing", "read-as")
    return [one.code for one in found.findings if one.code not in passed]


def test_a_table_object_is_read_and_its_totals_row_is_none_of_the_records(tmp_path: Path) -> None:
    with xlsxwriter.Workbook(tmp_path / "a.xlsx") as book:
        tab = book.add_worksheet("Any")
        tab.write("A1", "Species")
        options = {
            "name": "tblStock", "data": TABLE[1:], "total_row": True,
            "columns": [
                {"header": "Species", "total_string": "In all"}, {"header": "Lot"},
                {"header": "Count", "total_function": "sum", "total_value": 12},
            ],
        }  # fmt: skip
        tab.add_table("C4:E7", options)
        tab.write("C9", "a note below")
    layout = '[source]\ninclude = "*.xlsx"\n[block]\nstub = "species"\nnamed_table = "tbl*"'
    found = run(tmp_path, layout)
    assert rows(found, "species", "lot", "seedlings", "source_cell") == [
        ("Pine", "L1", 5, "C5"), ("Birch", "L2", 7, "C6"),
    ]  # fmt: skip
    assert codes(found) == []
    missing = run(tmp_path, layout.replace("tbl*", "other"))
    assert codes(missing)[0] == "block-not-found"
    assert "tblStock" in missing.findings[0].found


def test_a_defined_name_is_a_stamp_even_on_another_tab(tmp_path: Path) -> None:
    with xlsxwriter.Workbook(tmp_path / "a.xlsx") as book:
        book.add_worksheet("Cover page").write("B2", "B7")
        tab = book.add_worksheet("Stock")
        for at, cells in enumerate(TABLE):
            tab.write_row(at, 0, cells)
        book.define_name("Bench_name", "='Cover page'!$B$2")
    layout = '[source]\ninclude = "*.xlsx"\n[tabs]\nnamed = "Stock"\n'
    found = run(
        tmp_path, f'{layout}[stamps]\nbench = {{ name = "bench_name" }}\n[block]\nstub="lot"'
    )
    assert rows(found, "bench", "lot") == [("B7", "L1"), ("B7", "L2")]
    assert codes(found) == []


def test_blocks_choose_their_own_tabs_and_go_into_tables_of_their_own(tmp_path: Path) -> None:
    cross = [["Species", "A", "B"], ["Pine", 1, 2]]
    write_workbook(tmp_path / "a.xlsx", {"Lots": TABLE, "Bench 3": cross, "Other": [["x"]]})
    (tmp_path / "layout.toml").write_text(
        'layout = 1\n[source]\ninclude = "*.xlsx"\n'
        '[[block]]\ntabs = { named = "Lots" }\nstub = ["species", "lot"]\ninto = "lots"\n'
        '[[block]]\ntabs = { named = "Bench {bench}" }\nstub = "species"\nacross = "grade"\n'
        f'value = "planned"\ninto = "plan"\n{FIELDS}grade = "text"\nplanned = "integer"\n',
        "utf-8",
    )
    done = program("extract", "layout.toml", "-o", "out", cwd=tmp_path)
    assert done.status == 0, done.err
    assert [row["lot"] for row in csv_rows(tmp_path / "out" / "lots.csv")] == ["L1", "L2"]
    plan = csv_rows(tmp_path / "out" / "plan.csv")
    assert [(row["bench"], row["grade"], row["planned"]) for row in plan] == [
        ("3", "A", "1"), ("3", "B", "2"),
    ]  # fmt: skip
    assert program("extract", "layout.toml", "-o", "out", cwd=tmp_path).status == 0
    assert program("extract", "layout.toml", "-o", "out.xlsx", cwd=tmp_path).status == 0
    assert openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames == ["lots", "plan"]
    refused = program("extract", "layout.toml", "-o", "out.csv", cwd=tmp_path)
    assert (refused.status, refused.out) == (2, "")
    assert "has 2 output tables; name a folder, lots.csv, plan.csv" in refused.err
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "letter.txt").write_text("dear", "utf-8")
    assert program("extract", "layout.toml", "-o", "mine", cwd=tmp_path).status == 2
    assert (tmp_path / "mine" / "letter.txt").exists()


def test_unknown_headings_may_be_taken_along(tmp_path: Path) -> None:
    write_workbook(tmp_path / "a.xlsx", {"S": [["Lot", "Weather"], ["L1", "mild"]]})
    write_workbook(tmp_path / "b.xlsx", {"S": [["Lot", "WEATHER:", "Wind"], ["L2", "wet", 3]]})
    layout = '[source]\ninclude = "*.xlsx"\n[block]\nstub = "lot"\nunknown_headings = "keep"'
    found = run(tmp_path, layout)
    assert found.records.schema.names[-5:-3] == ["Weather", "Wind"]
    assert rows(found, "lot", "Weather", "Wind") == [("L1", "mild", None), ("L2", "wet", "3")]
    assert codes(found) == []
    done = program("extract", "layout.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.status == 0
    assert [row["Weather"] for row in csv_rows(tmp_path / "out.csv")] == ["mild", "wet"]
    assert codes(run(tmp_path, layout.replace("keep", "error"))) == ["heading-unknown"] * 3


def test_folders_give_stamps_and_dates_are_headings(tmp_path: Path) -> None:
    cells = [["Species", date(2026, 4, 1), date(2026, 5, 1)], ["Pine", 1, 2]]
    with xlsxwriter.Workbook(tmp_path / "plan.xlsx", {"default_date_format": "mmm"}) as book:
        tab = book.add_worksheet("S")
        for at, row in enumerate(cells):
            tab.write_row(at, 0, row)
    for year in ("2025", "2026"):
        (tmp_path / "in" / year / "deep").mkdir(parents=True)
        target = tmp_path / "in" / year / "deep" / f"p{year}.xlsx"
        target.write_bytes((tmp_path / "plan.xlsx").read_bytes() + year.encode())
    layout = (
        '[source]\nfolder = "in"\ninclude = "{year}/**"\n'
        '[stamps]\nbench = { from = "folder name" }\n'
        '[block]\nstub = "species"\nacross = "month"\nvalue = "seedlings"'
    )
    found = run(tmp_path, layout)
    assert rows(found, "year", "bench", "month", "seedlings") == [
        (year, "deep", date(2026, month, 1), month - 3)
        for year in ("2025", "2026")
        for month in (4, 5)
    ]


def test_tabs_whose_names_say_the_same_are_said(tmp_path: Path) -> None:
    other = [TABLE[0], *([*row[:-1], 77] for row in TABLE[1:])]
    write_workbook(tmp_path / "a.xlsx", {"Bench 1": TABLE, "Huone 1": other})
    layout = '[source]\ninclude = "*.xlsx"\n[tabs]\nnamed = ["Bench {bench}", "Huone {bench}"]\n'
    assert codes(run(tmp_path, f'{layout}[block]\nstub = "lot"')) == ["tabs-alike"]


def test_a_heading_that_few_tabs_have_is_noted(tmp_path: Path) -> None:
    tabs = {f"Bench {n}": [["Species", *"ABCD"], ["Pine", 1, 2, 3, n]] for n in range(1, 31)}
    tabs["Bench 7"] = [["Species", *"ABCD", "Phone"], ["Pine", 1, 2, 3, 7, 5551234]]
    write_workbook(tmp_path / "a.xlsx", tabs)
    layout = (
        '[source]\ninclude = "*.xlsx"\n[tabs]\nevery = true\n[block]\nstub = "species"\n'
        'across = "lot"\nvalue = "seedlings"'
    )
    found = run(tmp_path, layout)
    (rare,) = [one for one in found.findings if one.code == "heading-rare"]
    assert (rare.tab, rare.cell, rare.found) == ("Bench 7", "F1", "Phone")


def test_a_workbook_as_output_keeps_types_and_never_a_formula(tmp_path: Path) -> None:
    write_workbook(
        tmp_path / "in" / "a.xlsx",
        {"S": [["Lot", "Species", "Count", "Month"], ["0123", "'=1+1", 5, "2026-04"]]},
    )
    with xlsxwriter.Workbook(tmp_path / "in" / "b.xlsx") as book:
        tab = book.add_worksheet("S")
        tab.write_row(0, 0, ["Lot", "Species"])
        tab.write_string(1, 0, "@x")
        tab.write_string(1, 1, "=1+1")
    layout = '[source]\nfolder = "in"\n[block]\nstub = "lot"'
    run(tmp_path, layout)
    assert program("extract", "layout.toml", "-o", "out.xlsx", cwd=tmp_path).status == 0
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["records"]
    head, first, second = list(sheet.iter_rows())
    names = [cell.value for cell in head]
    at = {name: first[names.index(name)] for name in names}
    assert (at["lot"].value, at["seedlings"].value) == ("0123", 5)
    assert (at["month"].value, at["month"].number_format) == (datetime(2026, 4, 1), "yyyy-mm")
    assert second[names.index("species")].data_type == "s"
    assert second[names.index("species")].value == "=1+1"
    assert sheet.freeze_panes == "A2"
    (tmp_path / "in" / "a.xlsx").unlink()
    (tmp_path / "in" / "b.xlsx").write_bytes(b"PK")
    before = (tmp_path / "out.xlsx").read_bytes()
    failed = program("extract", "layout.toml", "-o", "out.xlsx", cwd=tmp_path)
    assert failed.status == 3
    assert "Exception" not in failed.err
    assert (tmp_path / "out.xlsx").read_bytes() == before


@pytest.mark.parametrize("stamped", ["Form 7a", "Form 9"])
def test_the_summary_counts_tabs_by_edition(tmp_path: Path, stamped: str) -> None:
    write_workbook(tmp_path / "a.xlsx", {"S": [["Form 7a"], *TABLE], "T": [[stamped], *TABLE]})
    (tmp_path / "layout.toml").write_text(
        'layout = 1\n[source]\ninclude = "*.xlsx"\n[tabs]\nevery = true\n[block]\nstub = "lot"\n'
        f'[[edition]]\ntitle = "old"\nwhen = {{ cell = "A1", is = "Form 7*" }}\n{FIELDS}',
        "utf-8",
    )
    done = program("extract", "layout.toml", "--dry-run", cwd=tmp_path)
    assert f"editions  old {2 if stamped == 'Form 7a' else 1} tab" in done.out
    assert ("fits no edition" in done.err) == (stamped == "Form 9")
