"""Cells that a person has corrected: read so while the cell holds what it held, and no longer."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

import pytest

import boreotabula
from boreotabula.batch.layouts.load import Layout
from helpers import csv_rows, program, write_workbook

HEAD = "file,tab,cell,was,is,who,why,until\n"
LINE = "a*.xlsx,A,B4,12,21,Ada,the sender said so,\n"
LAYOUT = """\
layout = 1
corrections = "corrections.csv"
[source]
folder = "in"
[stamps]
nursery = { right_of = "Nursery" }
[block]
stub = "species"
totals = "Total"
[fields]
nursery = "text"
species = "text"
pieces = "integer"
"""


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """A file whose total shows that 12 should be 21, and another one that is right."""
    for name, pine in (("a1", 12), ("b1", 21)):
        rows = [["Nursery", name], [], ["Species", "Pieces"], ["Pine", pine], ["Birch", 9]]
        write_workbook(tmp_path / "in" / f"{name}.xlsx", {"A": [*rows, ["Total", 30]]})
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    (tmp_path / "corrections.csv").write_text(HEAD + LINE, "utf-8")
    return tmp_path


def pieces(desk: Path) -> list[str]:
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    return [row["pieces"] for row in csv_rows(desk / "o.csv")]


def messages(desk: Path, code: str) -> list[str]:
    rows = csv_rows(desk / "o.csv.run" / "findings.csv")
    return [f"{row['cell']} {row['message']}" for row in rows if row["code"] == code]


def test_a_corrected_cell_is_read_so_and_shown(desk: Path) -> None:
    before = (desk / "in" / "a1.xlsx").read_bytes()
    assert pieces(desk) == ["21", "9", "21", "9"]
    assert messages(desk, "cell-corrected") == [
        "B4 “12” is read as “21” here (Ada: the sender said so)"
    ]
    # The total that was wrong agrees with what is corrected.
    record = json.loads((desk / "o.csv.run" / "run.json").read_text("utf-8"))
    assert record["printed_totals"] == {"compared": 2, "agree": 2} and record["exit_status"] == 0
    assert (desk / "in" / "a1.xlsx").read_bytes() == before
    traced = program("trace", "in/a1.xlsx", "A", "B4", "--layout", "l.toml", cwd=desk).out
    assert "“12” is read as “21” here (Ada: the sender said so)" in traced
    assert program("trace", "o.csv", "1", cwd=desk).status == 0


def test_a_correction_changes_what_is_kept_and_what_is_unchanged(desk: Path) -> None:
    assert pieces(desk) == ["21", "9", "21", "9"]
    (desk / "corrections.csv").write_text(HEAD, "utf-8")
    assert pieces(desk) == ["12", "9", "21", "9"]
    (desk / "corrections.csv").write_text(HEAD + LINE.replace("21", "22"), "utf-8")
    assert pieces(desk) == ["22", "9", "21", "9"]


@pytest.mark.parametrize(
    ("line", "values", "said"),
    [
        ("a1.xlsx,A,B4,13,21,Ada,said so,\n", ["12", "9"],
         "B4 corrections.csv, line 2 corrects “13” to “21” here, but the cell holds “12”; it was"
         " read as it is"),
        ("a1.xlsx,A,C4,5,21,Ada,said so,\n", ["12", "9"],
         "C4 corrections.csv, line 2 corrects “5” to “21” here, but the cell is blank; it was read"
         " as it is"),
        ("a1.xlsx,,B4,12,21,Ada,said so,2026-01-31\n", ["12", "9"],
         " corrections.csv, line 2 was to correct a cell until a day that is past; the cell was"
         " read as it is"),
    ],
)  # fmt: skip
def test_a_correction_lapses_when_its_cell_or_its_day_is_another(
    desk: Path, line: str, values: list[str], said: str
) -> None:
    (desk / "corrections.csv").write_text(HEAD + line, "utf-8")
    assert pieces(desk)[:2] == values
    assert messages(desk, "correction-lapsed") == [said]


def test_the_sender_is_asked_to_correct_the_file_all_the_same(desk: Path) -> None:
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert program("mark", "o.csv", "-o", "back", cwd=desk).status == 0
    letter = (desk / "back" / "a1.txt").read_text("utf-8")
    assert "A B4: We read 21 here instead of what is written (“12”)." in letter
    assert not (desk / "back" / "b1.xlsx").exists()
    checked = program("check", "in/a1.xlsx", "--layout", "l.toml", cwd=desk)
    assert checked.status == 1 and "A B4: We read 21 here" in checked.out


def test_totals_of_the_values_before_a_correction_are_explained(desk: Path) -> None:
    rows = [["Nursery", "a1"], [], ["Species", "Pieces"], ["Pine", "ca. 12"], ["Birch", 9]]
    write_workbook(desk / "in" / "a1.xlsx", {"A": [*rows, ["Total", 9]]})
    line = "a1.xlsx,A,B4,ca. 12,12,Ada,x,\n"
    (desk / "corrections.csv").write_text(HEAD + line, "utf-8")
    assert pieces(desk)[:2] == ["12", "9"] and messages(desk, "total-differs") == []
    assert messages(desk, "total-before-correction") == [
        "B6 the printed total 9 in B6 is that of the values before B4 was corrected"
    ]
    # A total that agrees with neither is an error as ever.
    write_workbook(desk / "in" / "a1.xlsx", {"A": [*rows, ["Total", 10]]})
    assert pieces(desk)[:2] == ["12", "9"] and len(messages(desk, "total-differs")) == 1


def test_a_day_is_given_as_a_value(desk: Path) -> None:
    (desk / "corrections.csv").write_text(HEAD + LINE.replace(",\n", ",2026-05-31\n"), "utf-8")
    for day, value in ((31, 21), (1, 21)):
        layout = Layout.load(desk / "l.toml", today=date(2026, 5, day))
        assert boreotabula.extract(layout).records["pieces"][0].as_py() == value
    later = Layout.load(desk / "l.toml", today=date(2026, 6, 1))
    assert boreotabula.extract(later).records["pieces"][0].as_py() == 12


@pytest.mark.parametrize(
    ("cells", "cell", "was", "now", "value"),
    [
        (["Pine", None], "B4", "", "7", "7"),
        (["Pine", "ca. 7"], "B4", "ca. 7", "7", "7"),
        (["Pine", 12.5], "B4", "12.5", "13", "13"),
    ],
)
def test_blank_cells_texts_and_numbers_are_corrected(
    desk: Path, cells: list[object], cell: str, was: str, now: str, value: str
) -> None:
    rows = [["Nursery", "x"], [], ["Species", "Pieces"], cells, ["Birch", 9]]
    write_workbook(desk / "in" / "a1.xlsx", {"A": rows})
    (desk / "corrections.csv").write_text(f"{HEAD}a1.xlsx,A,{cell},{was},{now},Ada,x,\n", "utf-8")
    assert pieces(desk)[0] == value


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (HEAD + "*,A,B4,12,21,Ada,x,\n", "line 2: “file” is *"),
        (HEAD + "a1.xlsx,A,,12,21,Ada,x,\n", "line 2: “cell” is blank"),
        (HEAD + "a1.xlsx,A,B4,12,,Ada,x,\n", "line 2: “is” is blank"),
        (HEAD + "a1.xlsx,A,B4,12,21,,x,\n", "line 2: “who” is blank"),
        (HEAD + "a1.xlsx,A,4B,12,21,Ada,x,\n", "line 2: "),
        (HEAD + "a1.xlsx,A,B4,12,12,Ada,x,\n", "“was” and “is” are the same"),
        (HEAD + "a1.xlsx,A,B4,12,21,Ada,x,May\n", "write it as 2026-12-31"),
        ("file,cell\n", "there is no column “is”"),
    ],
)
def test_a_line_that_does_not_say_what_is_corrected_is_refused(
    desk: Path, text: str, said: str
) -> None:
    (desk / "corrections.csv").write_text(text, "utf-8")
    done = program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert done.status == 2 and said in done.err and not (desk / "o.csv").exists()
