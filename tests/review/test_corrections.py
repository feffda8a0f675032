"""Cells that a person has corrected: read so while the cell holds what it held, and no longer."""

from __future__ import annotations

import json
import subprocess
from datetime import date
from pathlib import Path

import pytest

import boreotabula
from boreotabula.batch.layouts.load import Layout
from helpers import PROGRAM, csv_rows, program, write_workbook

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
EVERY = "[tabs]\nevery = true\n"


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
    # No sender has changed it, so it is not restated.
    assert csv_rows(desk / "o.csv.run" / "restated.csv") == []


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


def correct(desk: Path, *arguments: object) -> tuple[int, str, str]:
    done = program("correct", *arguments, "--why", "said so", "--who", "Ada", cwd=desk)
    return done.status, done.out, done.err


@pytest.fixture
def undecided(desk: Path) -> Path:
    """The same without a file of corrections, and its records."""
    (desk / "corrections.csv").unlink()
    layout = LAYOUT.replace("layout = 1\n", "layout = 1  # ours\n")
    (desk / "l.toml").write_text(layout.replace('corrections = "corrections.csv"\n', ""), "utf-8")
    assert pieces(desk) == ["12", "9", "21", "9"]
    return desk


def test_a_record_is_corrected_by_a_line_beside_the_layout(undecided: Path) -> None:
    before = (undecided / "in" / "a1.xlsx").read_bytes()
    call = ("o.csv", "--where", "nursery=a1", "--where", "species=pine")
    status, out, err = correct(undecided, *call, "--field", "pieces", "--to", "21")
    assert (status, err) == (0, "")
    assert "a1.xlsx › A › B4: “12” is read as “21”" in out and "part of 1 record" in out
    assert "agree: 0 of 1 before, 1 of 1 with it" in out
    lines = (undecided / "corrections.csv").read_text("utf-8")
    assert lines == HEAD + "a1.xlsx,A,B4,12,21,Ada,said so,\n"
    layout = (undecided / "l.toml").read_text("utf-8")
    assert layout.startswith("layout = 1  # ours\n")
    assert 'corrections = "corrections.csv"' in layout
    assert pieces(undecided) == ["21", "9", "21", "9"]
    assert (undecided / "in" / "a1.xlsx").read_bytes() == before
    # A second line goes below the first, and into the same file.
    cell = ("in/b1.xlsx", "A", "A5", "--layout", "l.toml", "--to", "Oak", "--until", "2999-12-31")
    status, out, _ = correct(undecided, *cell, "--json")
    assert status == 0 and json.loads(out)["layout_edited"] is False
    more = (undecided / "corrections.csv").read_text("utf-8")
    assert more == lines + "b1.xlsx,A,A5,Birch,Oak,Ada,said so,2999-12-31\n"


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["o.csv", "1", "--field", "pieces", "--to", "many"], "“many” is not a whole number"),
        (["o.csv", "1", "--to", "12"], "“was” and “is” are the same"),
        (["o.csv", "1", "--field", "lot", "--to", "21"], "“lot” comes from no cell"),
        (["o.csv", "--where", "species=Pine", "--to", "21"], "several records are like that"),
        (["o.csv", "--to", "21"], "name a record"),
        (["in/a1.xlsx", "A", "B4", "--layout", "l.toml", "--to", "21", "--until", "2020-01-01"],
         "2020-01-01 is past"),
        (["o.csv", "1", "--to", "21", "--until", "soon"], "--until: “soon” is no date"),
        (["o.csv", "1", "--to", " "], "--to is blank"),
        (["in/a1.xlsx", "A", "4B", "--layout", "l.toml", "--to", "21"], "4B"),
        (["in/a1.xlsx", "A", "B4", "--layout", "l.toml", "--field", "x", "--to", "1"],
         "--layout names a cell"),
    ],
)  # fmt: skip
def test_what_would_not_hold_is_not_written(
    undecided: Path, arguments: list[str], said: str
) -> None:
    layout = (undecided / "l.toml").read_bytes()
    status, _, err = correct(undecided, *arguments)
    assert status == 2 and said in " ".join(err.split())
    assert not (undecided / "corrections.csv").exists()
    assert (undecided / "l.toml").read_bytes() == layout


def test_a_cell_is_corrected_once_and_a_gone_record_not_at_all(desk: Path) -> None:
    assert pieces(desk) == ["21", "9", "21", "9"]
    status, _, err = correct(desk, "o.csv", "1", "--field", "pieces", "--to", "22")
    assert status == 2 and "corrections.csv, line 2 is about this cell already" in err
    assert correct(desk, "o.csv", "9", "--field", "pieces", "--to", "22")[0] == 1
    assert (desk / "corrections.csv").read_text("utf-8") == HEAD + LINE


def test_of_several_corrections_at_once_none_is_lost(undecided: Path) -> None:
    cells = [("a1", "B4"), ("a1", "B5"), ("b1", "B4"), ("b1", "B5")]
    decided = ["--layout", "l.toml", "--to", "70", "--why", "said so", "--who", "Ada"]
    runs = [
        subprocess.Popen(
            [PROGRAM, "correct", f"in/{name}.xlsx", "A", cell, *decided],
            cwd=undecided, stdout=subprocess.DEVNULL,
        )
        for name, cell in cells
    ]  # fmt: skip
    assert [run.wait(60) for run in runs] == [0, 0, 0, 0]
    lines = csv_rows(undecided / "corrections.csv")
    assert sorted((line["file"], line["cell"]) for line in lines) == [
        (f"{name}.xlsx", cell) for name, cell in cells
    ]
    assert pieces(undecided) == ["70"] * 4


def test_a_record_whose_cell_is_that_of_another_now_is_not_corrected(undecided: Path) -> None:
    rows = [["Nursery", "a1"], [], ["Species", "Pieces"], ["Oak", 5], ["Pine", 12], ["Birch", 9]]
    write_workbook(undecided / "in" / "a1.xlsx", {"A": rows})
    status, _, err = correct(undecided, "o.csv", "1", "--field", "pieces", "--to", "21")
    assert status == 1 and "does not give this record any more" in " ".join(err.split())
    assert not (undecided / "corrections.csv").exists()


def test_a_correction_never_reaches_a_file_of_the_same_name_elsewhere(undecided: Path) -> None:
    twin = undecided / "in" / "old" / "a1.xlsx"
    twin.parent.mkdir()
    twin.write_bytes((undecided / "in" / "a1.xlsx").read_bytes())
    layout = (undecided / "l.toml").read_text("utf-8")
    inner = layout.replace('folder = "in"', 'folder = "in"\ninclude = "**/*.xlsx"')
    (undecided / "l.toml").write_text(inner, "utf-8")
    cell = ("A", "B4", "--layout", "l.toml", "--to", "21")
    status, _, err = correct(undecided, "in/a1.xlsx", *cell)
    assert status == 2 and "cannot be told apart" in " ".join(err.split())
    assert correct(undecided, "in/old/a1.xlsx", *cell)[0] == 0
    lines = csv_rows(undecided / "corrections.csv")
    assert [line["file"] for line in lines] == ["old/a1.xlsx"]


def test_a_blank_cell_and_a_file_without_a_line_end(desk: Path) -> None:
    (desk / "corrections.csv").write_bytes((HEAD + LINE).replace("\n", "\r\n").encode()[:-2])
    status, out, _ = correct(desk, "in/b1.xlsx", "A", "C4", "--layout", "l.toml", "--to", "x")
    assert status == 0 and "the blank cell is read as “x”" in out and "part of no record" in out
    content = (desk / "corrections.csv").read_bytes().decode()
    assert content == (HEAD + LINE + "b1.xlsx,A,C4,,x,Ada,said so,\n").replace("\n", "\r\n")


@pytest.mark.parametrize(
    ("tabs", "said"),
    [
        (["Week {1}", "Week {2}"], "cannot be told apart"),
        (["Week ", "Week"], "cannot be told apart"),
        (["{1}"], "a correction cannot name “{1}”"),
        (["Week {1", "B"], None),
    ],
)
def test_a_correction_reaches_one_tab_or_is_refused(
    tmp_path: Path, tabs: list[str], said: str | None
) -> None:
    rows = [["Species", "Pieces"], ["Pine", 12]]
    write_workbook(tmp_path / "in" / "a.xlsx", dict.fromkeys(tabs, rows))
    stamps = '[stamps]\nnursery = { right_of = "Nursery" }\n'
    layout = LAYOUT.replace('corrections = "corrections.csv"\n', "").replace(stamps, "")
    (tmp_path / "l.toml").write_text(layout.replace('nursery = "text"\n', "") + EVERY, "utf-8")
    call = ("in/a.xlsx", tabs[0], "B2")
    status, _, err = correct(tmp_path, *call, "--layout", "l.toml", "--to", "21")
    if said is not None:
        assert status == 2 and said in " ".join(err.split())
    else:
        assert status == 0, err
        assert pieces(tmp_path) == ["21", *["12"] * (len(tabs) - 1)]


def test_records_name_their_corrected_fields_if_a_column_is_asked_for(desk: Path) -> None:
    asked = LAYOUT + 'corrected = { type = "text", holds = "corrected fields" }\n'
    (desk / "l.toml").write_text(asked, "utf-8")
    (desk / "corrections.csv").write_text(
        HEAD + LINE + "b1.xlsx,,B1,b1,Lomlia,Ada,its own name,\n", "utf-8"
    )
    pieces(desk)
    rows = csv_rows(desk / "o.csv")
    assert [(row["nursery"], row["pieces"], row["corrected"]) for row in rows] == [
        ("a1", "21", "pieces"), ("a1", "9", ""), ("Lomlia", "21", "nursery"),
        ("Lomlia", "9", "nursery"),
    ]  # fmt: skip
    assert messages(desk, "heading-unknown") == messages(desk, "field-missing") == []


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ('x = { type = "yesno", holds = "corrected fields" }', "the corrected fields of a record"),
        ('x = { holds = "corrected fields" }\ny = { holds = "corrected fields" }',
         "“x” holds them already"),
        ('pieces = { type = "text", holds = "corrections" }', "cannot be “corrections”"),
    ],
)  # fmt: skip
def test_a_field_that_holds_what_it_cannot_is_refused(desk: Path, fields: str, said: str) -> None:
    text = LAYOUT.replace('pieces = "integer"\n', f"{fields}\n")
    (desk / "l.toml").write_text(text, "utf-8")
    done = program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert done.status == 2 and said in " ".join(done.err.split())


def test_the_version_of_a_layout_is_in_records_and_in_the_record_of_a_run(desk: Path) -> None:
    stamped = LAYOUT.replace("[stamps]", '[stamps]\nby = { from = "layout version" }')
    (desk / "l.toml").write_text(stamped + 'by = "text"\n', "utf-8")
    done = program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert done.status == 2 and "stamp “by”: there is no version" in done.err
    (desk / "l.toml").write_text('version = "2026-03"\n' + stamped + 'by = "text"\n', "utf-8")
    pieces(desk)
    assert {row["by"] for row in csv_rows(desk / "o.csv")} == {"2026-03"}
    record = json.loads((desk / "o.csv.run" / "run.json").read_text("utf-8"))
    assert record["layout"]["version"] == "2026-03"


@pytest.mark.parametrize(("pine", "birch", "named"), [(25, 9, True), (21, 13, False)])
def test_a_total_that_agrees_with_the_last_report_says_so(
    desk: Path, pine: int, birch: int, named: bool
) -> None:
    (desk / "corrections.csv").write_text(HEAD, "utf-8")
    rows = [["Nursery", "a1"], [], ["Species", "Pieces"], ["Pine", 12], ["Birch", 9]]
    write_workbook(desk / "in" / "a1.xlsx", {"A": [*rows, ["Total", 21]]})
    pieces(desk)
    assert messages(desk, "total-differs") == []
    rows[3:] = [["Pine", pine], ["Birch", birch], ["Total", 21]]
    write_workbook(desk / "in" / "a1.xlsx", {"A": rows})
    pieces(desk)
    (told,) = messages(desk, "total-differs")
    # Two restated cells explain it together: neither of them does alone.
    said = "; “pieces” at A4 was 12 when it was last reported; with that it agrees"
    assert told.startswith("B6 the printed total 21") and told.endswith(said) == named
