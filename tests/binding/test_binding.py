"""Bound workbooks: order, hidden parts, panes, filters, links, notes, and types of text files."""

from __future__ import annotations

import json
import shutil
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from openpyxl.comments import Comment
from openpyxl.drawing.image import Image
from openpyxl.worksheet.datavalidation import DataValidation

from boreotabula.binding.types import AsRead, by_columns, plainly
from boreotabula.layout.model import Reading
from boreotabula.sheets.sheet import make_sheet
from helpers import LOTS, Outcome, program, write_workbook


def bound(home: Path, *arguments: object) -> tuple[Outcome, Any]:
    """What `bind` said, and the workbook it wrote."""
    done = program("bind", *arguments, "-o", "all.xlsx", cwd=home)
    assert done.status == 0, done.err
    return done, openpyxl.load_workbook(home / "all.xlsx")


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """A workbook with all that is not in its cells, one more, and a folder of texts."""
    book = openpyxl.Workbook()
    tab = book.active
    assert tab is not None
    tab.title = "Lots"
    for row in (
        ["  Lot ", "Seen", "Link"],
        ["L1 ", 3, "site"],
        ["L2", 4, "tab"],
        ["L3", 5, "none"],
    ):
        tab.append(row)
    tab["C2"].hyperlink = "https://example.org/a?b=1"
    tab["C3"].hyperlink = "#'Other one'!B2"
    tab["C4"].hyperlink = "#'No such tab'!B2"
    tab["A2"].comment = Comment("look here", "AH")
    tab["D9"].comment = Comment("in a blank cell", "AH")
    tab.freeze_panes = "B2"
    tab.auto_filter.ref = "A1:C4"
    tab.row_dimensions[3].hidden = True
    tab.column_dimensions["B"].hidden = True
    tab.add_data_validation(DataValidation(type="whole", sqref="B2:B4"))
    other = book.create_sheet("Other one")
    other["B2"] = 7
    other.sheet_state = "hidden"
    book.save(tmp_path / "z.xlsx")
    write_workbook(tmp_path / "b.xlsx", {"Lots": [["x"]]})
    for name in ("t10.csv", "t9.csv"):
        (tmp_path / "texts" / name).parent.mkdir(exist_ok=True)
        (tmp_path / "texts" / name).write_text("a,b\n1,2\n", "utf-8")
    return tmp_path


def test_tabs_stand_in_the_order_of_the_call(home: Path) -> None:
    _, book = bound(home, "z.xlsx", "texts", "b.xlsx", "texts/t10.csv", "--tab-name", "{file} {n}")
    assert book.sheetnames == ["Contents", "z 1", "z 2", "t9 3", "t10 4", "b 5"]
    _, book = bound(home, "b.xlsx", "z.xlsx", "--no-contents", "--tab-name", "{file} {tab}")
    assert book.sheetnames == ["b Lots", "z Lots", "z Other one"]
    assert book.active.title == "b Lots"


def test_what_is_not_in_cells_is_kept_or_named(home: Path) -> None:
    done, book = bound(home, "z.xlsx", "--no-contents", "--tab-name", "{tab}")
    assert "Lots: not kept: 1 rule of data entry, 1 link" in done.out
    tab = book["Lots"]
    assert (tab["A1"].value, tab["A2"].value) == ("  Lot ", "L1 ")
    assert (tab.freeze_panes, tab.auto_filter.ref) == ("B2", "A1:C4")
    assert [row for row, one in tab.row_dimensions.items() if one.hidden] == [3]
    assert [name for name, one in tab.column_dimensions.items() if one.hidden] == ["B"]
    assert tab["C2"].hyperlink.target == "https://example.org/a?b=1"
    assert tab["C3"].hyperlink.location == "'Other one'!B2"
    assert tab["C4"].hyperlink is None and tab["C4"].value == "none"
    assert (tab["A2"].comment.text, tab["D9"].comment.text) == ("look here", "in a blank cell")
    assert book["Other one"].sheet_state == "hidden"


def test_a_workbook_of_hidden_tabs_shows_one(home: Path) -> None:
    _, book = bound(home, "z.xlsx", "--no-contents", "--named", "Other*")
    assert [tab.sheet_state for tab in book] == ["visible"]


def test_pictures_and_charts_are_named_as_lost(home: Path, demo: Path) -> None:
    book = openpyxl.Workbook()
    tab = book.active
    assert tab is not None
    tab["A1"] = 1
    pictures = Path(__file__).parents[2] / "docs" / "screenshots"
    with next(pictures.glob("*.png")).open("rb") as stream:
        tab.add_image(Image(stream), "B2")
        book.save(home / "p.xlsx")
    done, _ = bound(home, "p.xlsx", "--no-contents")
    assert "p Sheet: not kept: 1 picture" in done.out
    old = next(demo.rglob("*.xls"))
    done, _ = bound(home, old, "--no-contents")
    assert "not kept of .xls files: looks, frozen panes, filters, links and cell notes" in done.out


def test_the_same_inputs_give_the_same_bytes(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    bound(home, "z.xlsx", "texts")
    first = (home / "all.xlsx").read_bytes()
    for name in ("z.xlsx", "texts/t9.csv"):
        (home / name).touch()
    bound(home, "z.xlsx", "texts")
    assert (home / "all.xlsx").read_bytes() == first


def test_many_tabs_and_names_that_are_none(home: Path) -> None:
    for number in range(260):
        (home / "many" / f"{number}.csv").parent.mkdir(exist_ok=True)
        (home / "many" / f"{number}.csv").write_text("a\n1\n", "utf-8")
    _, book = bound(home, "many", "--tab-name", "a/b: {n}")
    assert len(book.sheetnames) == 261 and book.sheetnames[260] == "a b 260"
    _, book = bound(home, "many", "--tab-name", "same")
    assert book.sheetnames[1:4] == ["same", "same (2)", "same (3)"]
    assert len({name.casefold() for name in book.sheetnames}) == 261


def test_twelve_text_files_become_typed_tabs(home: Path) -> None:
    for number in range(1, 13):
        (home / "loggers" / f"logger {number}.txt").parent.mkdir(exist_ok=True)
        (home / "loggers" / f"logger {number}.txt").write_text(
            f"Dag;Grader;Kode\n{number}.4.2026;{number},5;00{number}\n", "utf-8"
        )
    (home / "climate.toml").write_text(
        LOTS.replace('"inbox"', '"loggers"').replace(
            "[tabs]", '[reading]\ndecimal_mark = ","\nday_first = true\n[tabs]'
        ),
        "utf-8",
    )
    for call in (["climate.toml"], ["loggers", "--types"]):
        _, book = bound(home, *call, "--tab-name", "{file}", "--no-contents")
        assert book.sheetnames == [f"logger {number}" for number in range(1, 13)]
        values = [cell.value for cell in book["logger 12"][2]]
        assert values == [datetime(2026, 4, 12), 12.5, "0012"]
    done = program("bind", "climate.toml", "-o", "x.xlsx", "--types", cwd=home)
    assert done.status == 2 and "the layout already tells how values are written" in done.err
    done = program("bind", "loggers", "-o", "all.xlsx", "--json", cwd=home)
    assert {one["rows"] for one in json.loads(done.out)} == {2}


TYPED: dict[str, tuple[Sequence[str], Sequence[object], str]] = {
    "numbers": (["n", "1,5", "12,25"], ["n", 1.5, 12.25], ""),
    "one is none": (["n", "1", "n/a", *"23456789"], ["n", "1", "n/a", *"23456789"],
                    "column A, as “n/a” in A3 is no number"),
    "two ways": (["n", "1,200", "3,400"], ["n", "1,200", "3,400"],
                 "column A, as “1,200” in A2 can be read in two ways"),
    "days or months": (["d", "02/04/2026"], ["d", "02/04/2026"],
                       "column A, as “02/04/2026” in A2 can be read in two ways"),
    "settled days": (["d", "02/04/2026", "17/04/2026"],
                     ["d", datetime(2026, 4, 2).date(), datetime(2026, 4, 17).date()], ""),
    "codes": (["c", "007", "12"], ["c", "007", "12"], ""),
    "digits beyond a workbook": (["c", "1234567890123456"], ["c", "1234567890123456"], ""),
    "words": (["w", "pine", "birch"], ["w", "pine", "birch"], ""),
    "mostly words": (["w", "pine", "12", "birch"], ["w", "pine", "12", "birch"], ""),
}  # fmt: skip


@pytest.mark.parametrize("what", TYPED)
def test_types_are_found_by_columns(what: str) -> None:
    cells, wanted, said = TYPED[what]
    sheet, note = by_columns(make_sheet("t", [[cell] for cell in cells]))
    assert [row[0] for row in sheet.rows] == list(wanted)
    assert note == (f"left as text: {said}" if said else "")


def test_cells_are_typed_plainly_or_as_a_layout_reads_them() -> None:
    cells = ["1.5", "1,5", "007", "2026-04-01", "3.4.2026", "1 200,5", "15 %", "pine", ""]
    sheet = make_sheet("t", [[cell] for cell in cells])
    day = datetime(2026, 4, 1).date()
    plain, _ = plainly(sheet)
    assert [row[0] for row in plain.rows] == [1.5, "1,5", "007", day, *cells[4:]]
    read, _ = AsRead(Reading(decimal_mark=",", day_first=True))(sheet)
    assert [row[0] for row in read.rows] == [
        "1.5", 1.5, "007", day, datetime(2026, 4, 3).date(), 1200.5, 0.15, "pine", "",
    ]  # fmt: skip


def test_what_is_no_tab_or_no_value_is_told(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    with xlsxwriter.Workbook(tmp_path / "in" / "a.xlsx") as book:
        tab = book.add_worksheet("Lots")
        tab.write_column("A1", [1, 2])
        tab.insert_textbox("C3", "look here")
        chart = book.add_chart({"type": "line"})
        chart.add_series({"values": "=Lots!$A$1:$A$2"})
        book.add_chartsheet("Picture").set_chart(chart)
    made = openpyxl.Workbook()
    assert made.active is not None
    made.active["A1"] = "=1+1"
    made.save(tmp_path / "in" / "b.xlsx")
    (tmp_path / "in" / "bad.xlsx").write_bytes(b"PK nothing")
    shutil.copy(tmp_path / "in" / "b.xlsx", tmp_path / "in" / "copy of b.xlsx")
    done = program("bind", "in", "-o", "all.xlsx", cwd=tmp_path)
    assert done.status == 1 and "all.xlsx: 3 tabs of 3 of 4 files" in done.out
    told = " ".join(done.err.split())
    assert "! a.xlsx › Picture: not bound: a sheet that is all chart" in told
    assert (
        "b.xlsx › Sheet: 1 cell holds an error or a formula without result, the first =1+1" in told
    )
    assert "copy of b.xlsx › Sheet" in told and "the same file as “b.xlsx”" in told
    contents = openpyxl.load_workbook(tmp_path / "all.xlsx")["Contents"]
    notes = {(row[1].value, row[2].value): row[5].value for row in contents.iter_rows(min_row=2)}
    assert notes["a.xlsx", "Lots"] == "not kept: 1 text box or shape"
    assert "all chart" in notes["a.xlsx", "Picture"]


def test_files_of_the_same_name_are_told_apart(tmp_path: Path) -> None:
    for folder in ("north", "south"):
        write_workbook(tmp_path / folder / "a.xlsx", {"S": [[folder]]})
    done, book = bound(tmp_path, "north", "south")
    files = [cell.value for cell in book["Contents"]["B"]][1:]
    assert files == ["north/a.xlsx", "south/a.xlsx"] and "2 tabs of 2 files" in done.out
