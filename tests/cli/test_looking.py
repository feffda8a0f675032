"""`survey` and `show` as a user runs them, and the choice of tabs."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter
from pydantic import TypeAdapter

from boreotabula.layout.tabs import TabName, Tabs
from helpers import csv_rows, layout_text, program, write_workbook
from raw_files import raw_xlsx

GOOD: list[list[Any]] = [
    ["Nursery:", "Lomlia"],
    [],
    ["Species", "Lot", "A", "B"],
    ["Spruce", "L1", 10, 20],
    ["Pine", "L2", 0, 5],
]
ONE_LEVEL = layout_text().replace('"container", "grade"', '"grade"')


def survey(target: Path) -> dict[str, Any]:
    done = program("survey", target, "--json")
    assert (done.status, done.err) == (0, "")
    found: dict[str, Any] = json.loads(done.out)
    return found


def test_survey_lists_every_file_and_what_looks_alike(tmp_path: Path) -> None:
    inbox = tmp_path / "inbox"
    moved = [[], *[[None, *row] for row in GOOD[2:]]]
    for number in range(1, 4):
        write_workbook(inbox / f"report_{number}.xlsx", {"Bench 1": GOOD if number > 1 else moved})
    odd = [row[:] for row in GOOD]
    odd[2][3:] = ["C", "Remarks"]
    write_workbook(inbox / "odd.xlsx", {"Bench 1": odd, "Empty": []})
    (inbox / "~$odd.xlsx").write_bytes(b"x")
    (inbox / "broken.xlsx").write_bytes(b"PK\x03\x04")
    (inbox / "notes.csv").write_text("a;b\n1;2\n", "utf-8")
    found = survey(inbox)
    files = {one["file"]: one for one in found["files"]}
    assert list(files) == [
        "broken.xlsx", "notes.csv", "odd.xlsx", "report_1.xlsx", "report_2.xlsx", "report_3.xlsx",
        "~$odd.xlsx",
    ]  # fmt: skip
    assert "damaged" in files["broken.xlsx"]["unreadable"]
    assert files["~$odd.xlsx"]["left_out"] == "lock file of an open workbook"
    assert files["notes.csv"]["kind"] == "a text file"
    tab = files["report_1.xlsx"]["tabs"][0]
    assert (tab["filled_rows"], tab["filled_columns"], tab["starts_at"]) == (3, 4, "B2")
    assert files["odd.xlsx"]["tabs"][1]["filled_rows"] == 0
    groups = {one["group"]: one for one in found["groups"]}
    assert [len(one["tabs"]) for one in groups.values()] == [2, 1, 1, 1]
    differs = {one["tabs"][0]["file"]: one["differs"] for one in groups.values()}
    assert differs["odd.xlsx"] == "without “B” and with “C”, “Remarks”"
    assert differs["report_1.xlsx"] == "without “Nursery:”"
    assert files["report_2.xlsx"]["tabs"][0]["group"] == files["report_3.xlsx"]["tabs"][0]["group"]


def test_survey_of_a_layout_marks_what_it_would_read(demo: Path) -> None:
    found = survey(demo / "stock.toml")
    tabs = [tab for file in found["files"] for tab in file["tabs"]]
    assert len(tabs) == 48
    assert all(tab["read_by_layout"] for tab in tabs)
    assert tabs[0]["captured"] == {"region": "fjord", "greenhouse": "1"}
    left = {one["file"]: one["left_out"] for one in found["files"] if one["left_out"]}
    assert left["holiday rota.txt"] == "matches no pattern of [source] include"
    # Three languages count as one; the nurseries differ by their grades and sums only.
    assert [len(one["tabs"]) for one in found["groups"]] == [16, 8, 8, 8, 8]
    shown = program("survey", demo / "stock.toml", "--odd")
    assert "left out: lock file" in shown.out
    assert "fjord_stock_Frostmo" not in shown.out


@pytest.mark.parametrize("target", ["nowhere", "nowhere.toml"])
def test_survey_of_nothing_is_refused(tmp_path: Path, target: str) -> None:
    done = program("survey", tmp_path / target)
    assert (done.status, done.out) == (2, "")
    assert target in done.err


def test_show_marks_every_oddity_and_fits_the_width(tmp_path: Path) -> None:
    path = tmp_path / "a.xlsx"
    with xlsxwriter.Workbook(path) as book:
        tab = book.add_worksheet("Bench 1")
        tab.merge_range("A1:B2", "a very long title that does not fit")
        tab.write_row("A5", ["'text", "120", 7, 2.5])
        tab.write_string("B5", "120")
        tab.write_formula("E5", "=1/0", None, "#DIV/0!")
        tab.set_row(4, None, None, {"hidden": True})
        tab.set_column("C:C", None, None, {"hidden": True})
        book.add_worksheet("More")
    done = program("show", path)
    assert (done.status, done.err) == (0, "")
    lines = done.out.splitlines()
    assert "C~" in lines[1]
    assert "a very long title that does not fit" in lines[2]
    assert "→" in lines[2]
    assert "⋮ 2 blank rows" in done.out or "⋮ 3 blank rows" in done.out
    row = next(line for line in lines if "5~" in line)
    assert "'120" in row
    assert "!#DIV/0!" in row
    assert "other tabs: More" in done.out
    part = json.loads(program("show", path, "--cells", "C5:E5", "--json").out)["tabs"][0]
    assert [(one["cell"], one["kind"]) for one in part["cells"]] == [
        ("C5", "number"), ("D5", "number"), ("E5", "error"),
    ]  # fmt: skip
    assert part["hidden_rows"] == [5]
    wide = write_workbook(tmp_path / "wide.xlsx", {"A": [[f"column {n}" for n in range(80)]] * 70})
    cut = program("show", wide)
    assert max(map(len, cut.out.splitlines())) <= 140
    assert "more columns do not fit: --cells" in cut.out
    assert "10 more filled rows: --cells A61:" in cut.out


def test_show_with_a_layout_gives_each_cell_its_role(tmp_path: Path) -> None:
    (tmp_path / "stock.toml").write_text(
        ONE_LEVEL.replace("[block]", '[stamps]\nspot = { cell = "B1" }\n[block]\nignore = "B"')
        + 'spot = "text"\n',
        "utf-8",
    )
    path = write_workbook(tmp_path / "a.xlsx", {"Bench 1": [*GOOD, [], ["by hand"]]})
    told = json.loads(program("show", path, "--layout", tmp_path / "stock.toml", "--json").out)
    roles = {one["cell"]: one["role"] for one in told["tabs"][0]["cells"]}
    assert roles == {
        "A1": "label", "B1": "stamp", "A3": "heading", "B3": "heading", "C3": "heading",
        "D3": "left out", "A4": "stub", "B4": "stub", "C4": "value", "D4": "left out",
        "A5": "stub", "B5": "stub", "C5": "value", "D5": "left out", "A7": "unplaced",
    }  # fmt: skip
    shown = program("show", path, "--layout", tmp_path / "stock.toml")
    assert "10 v" in shown.out
    assert "x left out 3" in shown.out


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["none.xlsx"], "there is no file “none.xlsx”"),
        (["a.xlsx", "--tab", "Banch 1"], "has no tab “Banch 1”; did you mean “Bench 1”?"),
        (["a.xlsx", "--cells", "here"], "“here” is not a range of cells such as B2:H30"),
        (["far.xlsx"], "cannot be shown: a tab whose cells reach to XFD1048576"),
    ],
)
def test_show_refuses_in_one_message(tmp_path: Path, arguments: list[str], said: str) -> None:
    write_workbook(tmp_path / "a.xlsx", {"Bench 1": GOOD})
    far = '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>'
    raw_xlsx(tmp_path / "far.xlsx", far)
    done = program("show", *arguments, cwd=tmp_path)
    assert (done.status, done.out) == (2, "")
    assert said in done.err


TABS = [
    TabName("Cover"), TabName("Bench 1"), TabName("Bench 2", visible=False),
    TabName("Blank", blank=True), TabName("Notes"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("choice", "names"),
    [
        ({"named": "Bench {bench}"}, ["Bench 1", "Bench 2"]),
        ({"named": "Bench *", "visible_only": True}, ["Bench 1"]),
        ({"position": 1}, ["Cover"]),
        ({"position": 1, "except": "cover"}, ["Bench 1"]),
        ({"position": -1}, ["Notes"]),
        ({"position": 4}, ["Notes"]),
        ({"position": 5}, []),
        ({"every": True, "except": ["Cover", "N*"]}, ["Bench 1", "Bench 2", "Blank"]),
        ({}, ["Cover", "Bench 1", "Bench 2", "Notes"]),
    ],
)
def test_tabs_are_chosen(choice: dict[str, Any], names: list[str]) -> None:
    assert list(TypeAdapter(Tabs).validate_python(choice).choose(TABS)) == names


DESK = ONE_LEVEL.replace("[block]", '[source]\nfolder = "inbox"\n{tabs}\n[block]')


def extract(desk: Path, tabs: str, *more: object) -> tuple[int, list[tuple[str, str]]]:
    (desk / "stock.toml").write_text(DESK.replace("{tabs}", tabs), "utf-8")
    done = program("extract", "stock.toml", "-o", "out.csv", *more, cwd=desk)
    rows = csv_rows(desk / "out.csv.run" / "findings.csv")
    passed = ("texts-unplaced", "field-missing")
    return done.status, [(row["code"], row["tab"]) for row in rows if row["code"] not in passed]


def test_a_tab_that_is_not_chosen_but_looks_like_the_form_is_said(tmp_path: Path) -> None:
    tabs = {"Bench 1": GOOD, "Bnch 2": GOOD, "Scribble": [["x", 1]]}
    write_workbook(tmp_path / "inbox" / "a.xlsx", tabs)
    assert extract(tmp_path, '[tabs]\nnamed = "Bench *"') == (0, [("tab-not-chosen", "Bnch 2")])
    assert extract(tmp_path, '[tabs]\nnamed = "Bench *"\nexcept = "Bnch*"') == (0, [])
    assert extract(tmp_path, "[tabs]\nposition = 2") == (0, [("tab-not-chosen", "")])


def test_hidden_parts_are_read_and_said(tmp_path: Path) -> None:
    (tmp_path / "inbox").mkdir()
    with xlsxwriter.Workbook(tmp_path / "inbox" / "a.xlsx") as book:
        book.add_worksheet("Cover").write(0, 0, "x")
        tab = book.add_worksheet("Bench 1")
        for row, cells in enumerate(GOOD):
            tab.write_row(row, 0, cells)
        tab.set_row(3, None, None, {"hidden": True})
        tab.set_column("D:D", None, None, {"hidden": True})
        tab.hide()
    status, found = extract(tmp_path, '[tabs]\nnamed = "Bench *"')
    assert status == 0
    assert found == [
        ("tab-hidden", "Bench 1"), ("rows-hidden", "Bench 1"), ("columns-hidden", "Bench 1"),
    ]  # fmt: skip
    assert len(csv_rows(tmp_path / "out.csv")) == 4


def test_several_folders_and_files_named_on_the_command_line(tmp_path: Path) -> None:
    for folder, name in (("inbox", "a_1.xlsx"), ("inbox/2026", "a_2.xlsx"), ("late", "a_1.xlsx")):
        write_workbook(tmp_path / folder / name, {"Bench 1": [*GOOD, [name, folder, 1]]})
    text = DESK.replace('"inbox"', '["inbox", "late"]\ninclude = "a_*"').replace("{tabs}", "")
    (tmp_path / "stock.toml").write_text(text, "utf-8")
    done = program("extract", "stock.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.status == 0, done.err
    names = dict.fromkeys(row["source_file"] for row in csv_rows(tmp_path / "out.csv"))
    assert list(names) == ["inbox/2026/a_2.xlsx", "inbox/a_1.xlsx", "late/a_1.xlsx"]
    one = program("extract", "stock.toml", "-o", "out.csv", "late/a_1.xlsx", cwd=tmp_path)
    assert "from 1 of 1 file (" in one.out
    trial = program("extract", "stock.toml", "--dry-run", "--include", "*_2*", cwd=tmp_path)
    assert "from 1 of 1 file (" in trial.out
    assert "first records, nothing was written" in trial.out
    limited = program("extract", "stock.toml", "--dry-run", "--limit", "2", "--json", cwd=tmp_path)
    assert json.loads(limited.out)["files_read"] == 2
    both = ["--include", "*_2*", "--include", "late/*"]
    trial = program("extract", "stock.toml", "--dry-run", *both, "--json", cwd=tmp_path)
    assert json.loads(trial.out)["files_read"] == 2
    none = program("extract", "stock.toml", "--dry-run", "--include", "z*", cwd=tmp_path)
    assert (none.status, none.out) == (2, "")


# --- many files ----------------------------------------------------------------------------------


@pytest.fixture
def mixed(tmp_path: Path) -> Path:
    """A folder as it comes: a workbook with hidden and merged parts, texts without headings, and
    a file that is none."""
    import openpyxl
    from openpyxl.workbook.defined_name import DefinedName
    from openpyxl.worksheet.table import Table

    inbox = tmp_path / "inbox"
    inbox.mkdir()
    book = openpyxl.Workbook()
    tab = book.active
    assert tab is not None
    for row in (["Lot", "Count"], ["L1", 3], ["L2", 4], ["L3", 5]):
        tab.append(row)
    tab.row_dimensions[3].hidden = True
    tab.merge_cells("D1:E2")
    tab.add_table(Table(displayName="Lots", ref="A1:B4"))
    book.defined_names["first_lot"] = DefinedName("first_lot", attr_text="Sheet!$A$2")
    book.save(inbox / "a.xlsx")
    for number in range(5):
        lines = [f"2026-04-{day:02};{number * day},5;ok" for day in range(1, 9)]
        (inbox / f"log {number}.txt").write_text("\n".join(lines), "utf-8")
    (inbox / "photo.xlsx").write_bytes(b"\xff\xd8\xff\xe0 no workbook")
    return inbox


def test_a_quick_look_at_a_mixed_folder(mixed: Path) -> None:
    done = program("show", mixed)
    assert done.status == 1 and "photo.xlsx” cannot be shown" in done.err
    assert done.out.count("… 3 more filled rows") == 5 and "a.xlsx › Sheet" in done.out
    assert "log 4.txt  8 rows × 3 columns" in done.out
    done = program("show", mixed / "a.xlsx", mixed / "log 0.txt", "--limit", "1", "--json")
    first, second = json.loads(done.out)
    assert (first["tabs"][0]["tab"], second["file"]) == ("Sheet", str(mixed / "log 0.txt"))
    done = program("show", mixed / "photo.xlsx")
    assert done.status == 2
    done = program("show", mixed, "--limit", "2")
    assert done.out.count("… 6 more filled rows") == 5


def test_survey_tells_what_is_hidden_and_named_and_folds_texts_of_one_kind(mixed: Path) -> None:
    text = program("survey", mixed).out
    assert "hidden: 1 row; 1 merged range; table Lots; name first_lot" in text
    assert "“Lot” · “Count” · “L1”" in text
    (line,) = (line for line in text.splitlines() if "log 0.txt" in line and "A1" in line)
    assert line.startswith("log 0.txt … log 4.txt") and line.endswith("5 files")
    assert "3 columns without headings: date, number, text" in text
    (tab,) = (tab for file in survey(mixed)["files"] if file["file"] == "a.xlsx"
              for tab in file["tabs"])  # fmt: skip
    assert [tab[one] for one in ("hidden_rows", "hidden_columns", "merged", "names")] == [
        1, 0, 1, ["first_lot"],
    ]  # fmt: skip


def test_one_tab_alone_is_told_in_the_singular(tmp_path: Path) -> None:
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": GOOD})
    assert "\n1 tab\n  A  1 in 1" in program("survey", tmp_path / "in").out


def test_a_trial_shows_records_of_each_of_the_first_files(demo: Path) -> None:
    text = program("extract", demo / "stock.toml", "--dry-run").out
    shown = text[text.index("first records") :]
    for name in ("Frostmo", "Lomlia", "Granvik", "Hiekka", "Kaldvatn", "Suvanto"):
        assert shown.count(f"  {name} ") == 2
