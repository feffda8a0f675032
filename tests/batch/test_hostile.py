"""Files that ask for too much: each is told, none brings the run down, and good ones are read."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable, Mapping, Set
from pathlib import Path

import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.binding import bind
from boreotabula.layout.addresses import Address, column_letters, column_number
from boreotabula.limits import Budget, Limits
from boreotabula.sheets.look import SheetFacts
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.sheet import Sheet
from boreotabula.sheets.sheet_xml import XlsxInside
from helpers import LOTS, PROGRAM, csv_rows, program, write_workbook
from hostile_files import HOSTILE
from raw_files import raw_xlsx, zipped

pytestmark = pytest.mark.apart

GOOD = {"a good one.csv": "species,lot\nPine,1\n", "the last one.csv": "species,lot\nOak,2\n"}
MEASURE = """
import resource, subprocess, sys
status = subprocess.run(sys.argv[1:]).returncode
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
sys.exit(status)
"""
"""Runs a command and prints the KiB that it, or any of its processes, took at most."""
MOST = 1024 * 1024
GROUPS = 4


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    (tmp_path / "lots.toml").write_text(LOTS, encoding="utf-8")
    for name, text in GOOD.items():
        (inbox / name).write_text(text, encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize("group", range(GROUPS))
def test_no_file_takes_more_than_it_may_and_the_good_ones_are_read(desk: Path, group: int) -> None:
    hostile = list(HOSTILE)[group::GROUPS]
    sizes = [HOSTILE[name](desk / "inbox" / name).stat().st_size for name in hostile]
    assert max(sizes) < 7 * 2**20
    command = [PROGRAM, "extract", "lots.toml", "-o", "out.csv"]
    done = subprocess.run(
        [sys.executable, "-c", MEASURE, *command],
        cwd=desk,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, "Traceback" in done.stderr) == (1, False), done.stderr
    assert int(done.stdout.split()[-1]) < MOST
    assert [row["species"] for row in csv_rows(desk / "out.csv")] == ["Pine", "Oak"]
    told = {row["file"] for row in csv_rows(desk / "out.csv.run" / "findings.csv")}
    assert told == set(hostile)


def test_a_file_larger_than_its_budget_is_not_even_looked_at(desk: Path) -> None:
    with (desk / "inbox" / "sparse.csv").open("wb") as stream:
        stream.truncate(200 * 2**30)
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    assert done.status == 1 and "sparse.csv" in done.err and "the file itself" in done.err
    assert len(csv_rows(desk / "out.csv")) == 2


FORM = [["species", "lot"], ["Elm", 7]]
COMMANDS = [
    (["show", "inbox/b.xlsx"], 2, "stops the reader for good"),
    (["survey", "inbox"], 0, "stops the reader for good"),
    (["headings", "lots.toml"], 0, "stops the reader for good"),
    (["bind", "inbox", "-o", "bound.xlsx"], 1, "stops the reader for good"),
    (["trace", "inbox/b.xlsx", "Bench 1", "A2", "--layout", "lots.toml"], 2, "stops the reader"),
    (["extract", "lots.toml", "inbox/b.xlsx", "-o", "out.csv"], 3, "stops the reader for good"),
    (["extract", "lots.toml", "-o", "out.csv"], 1, "stops the reader for good"),
]


@pytest.mark.parametrize(("arguments", "status", "said"), COMMANDS, ids=lambda one: str(one)[:20])
def test_every_command_survives_a_reader_that_aborts(
    desk: Path, arguments: list[str], status: int, said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_workbook(desk / "inbox" / "b.xlsx", {"Bench 1": FORM})
    monkeypatch.setattr(Workbook, "sheet", _instead(os.abort))
    done = program(*arguments, cwd=desk)
    assert (done.status, said in done.out + done.err) == (status, True), done
    assert "Traceback" not in done.err


def test_a_copy_that_its_process_died_over_leaves_nothing(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_workbook(desk / "inbox" / "b.xlsx", {"Bench 1": [["Species", "Lot"], ["Pine", "ten"]]})
    assert program("extract", "lots.toml", "-o", "out.csv", cwd=desk).status == 1
    monkeypatch.setattr("boreotabula.review.mark.mark.write_marked", lambda *_: os.abort())
    done = program("mark", "out.csv", "-o", "returns", cwd=desk)
    assert done.status == 1 and "no copy: it stops the reader for good" in done.out
    assert sorted(path.name for path in (desk / "returns").iterdir()) == ["b.txt", "marked.json"]


def _instead(what: Callable[[], None]) -> Callable[[Workbook, str], Sheet]:
    """What is done instead of reading a tab of an .xlsx file."""
    usual = Workbook.sheet

    def sheet(self: Workbook, name: str) -> Sheet:
        if self.path.suffix == ".xlsx":
            what()
        return usual(self, name)

    return sheet


def _fail() -> None:
    raise ZeroDivisionError


def test_a_fault_at_one_file_is_an_error_of_that_file(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_workbook(desk / "inbox" / "b.xlsx", {"Bench 1": FORM})

    monkeypatch.setattr(Workbook, "sheet", _instead(_fail))
    monkeypatch.setattr(tempfile, "tempdir", str(desk))  # the report of the fault
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    assert (done.status, "Traceback" in done.err) == (1, False)
    found = csv_rows(desk / "out.csv.run" / "findings.csv")
    assert [(row["file"], row["code"]) for row in found] == [("b.xlsx", "file-fault")]
    assert len(csv_rows(desk / "out.csv")) == 2
    report = Path(found[0]["advice"].rpartition(" ")[2])
    assert "ZeroDivisionError" in report.read_text("utf-8")


# --- what does not fit into a bound workbook ------------------------------------------------------

LARGE = {
    "rows.csv": ("1\n" * 3_001, "it has 3,001 rows"),
    "columns.csv": (",".join("a" * 16_385) + "\n", "it has 16,385 columns"),
    "text.csv": (f"a,{'x' * 32_768}\n", "B1 holds 32,768 characters"),
}


def test_what_does_not_fit_into_a_workbook_is_not_bound_and_told(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bind, "MAX_ROWS", 3_000)  # a million rows take their time
    for name, (text, _) in LARGE.items():
        (desk / "inbox" / name).write_text(text, encoding="utf-8")
    done = program("bind", "inbox", "-o", "bound.xlsx", cwd=desk)
    assert (done.status, "bound.xlsx: 2 tabs of 2 of 5 files" in done.out) == (1, True)
    for name, (_, said) in LARGE.items():
        assert f"! {name}: not bound: {said}" in done.err
    with Workbook(desk / "bound.xlsx") as book:
        notes = {str(row[1]): str(row[5]) for row in book.sheet("Contents").rows}
    assert all(notes[name].startswith("not bound: ") for name in LARGE)


# --- markup in unusual form ----------------------------------------------------------------------

CELLS = st.dictionaries(
    st.tuples(st.integers(0, 5), st.integers(0, 30)),
    st.sampled_from(['t="e"><v>#N/A</v>', "><f>A1+1</f>", "><f>A1</f><v>3</v>", "><v>5</v>"]),
    min_size=1,
)
HIDDEN = st.sets(st.integers(0, 6))


def markup(cells: Mapping[tuple[int, int], str], rows: Set[int], columns: Set[int]) -> str:
    """A sheet as most programs write it."""
    lines = []
    for row in range(7):
        within = "".join(
            f'<c r="{Address(row, column)}" {content}</c>'
            for (at, column), content in sorted(cells.items())
            if at == row
        )
        hidden = ' hidden="1"' if row in rows else ""
        lines.append(f'<row r="{row + 1}"{hidden}>{within}</row>')
    cols = "".join(f'<col min="{at + 1}" max="{at + 1}" hidden="1"/>' for at in sorted(columns))
    cols = f"<cols>{cols}</cols>" if columns else ""
    return f"<worksheet>{cols}<sheetData>{''.join(lines)}</sheetData></worksheet>"


def _without_addresses(text: str) -> str:
    """The same without the addresses of cells; blank cells hold their places."""

    def row(found: re.Match[str]) -> str:
        cells = {one[1]: one[2] for one in re.finditer(r'<c r="([A-Z]+)\d+" (.*?)</c>', found[2])}
        last = max((column_number(one) for one in cells), default=-1)
        every = [cells.get(column_letters(at)) for at in range(last + 1)]
        return found[1] + "".join(f"<c {one}</c>" if one else "<c/>" for one in every) + "</row>"

    text = re.sub(r'<row r="\d+"', "<row", text)
    return re.sub(r"(<row[^>]*>)(.*?)</row>", row, text)


UNUSUAL: Mapping[str, Callable[[str], str]] = {
    "prefix": lambda text: re.sub(r"<(/?)(?=[a-z])", r"<\1x:", text),
    "some prefixes": lambda text: text.replace("<c ", "<y:c ").replace("</c>", "</y:c>"),
    "quotes": lambda text: text.replace('"', "'"),
    "breaks": lambda text: text.replace('<row r="', '<row\n  r = "').replace("<c r", "<c\tr"),
    "comments": lambda text: text.replace("<row", '<!-- <c r="A1"> --><row', 1),
    "small letters": lambda text: re.sub(r'r="[A-Z]+', lambda found: found[0].lower(), text),
    "other order": lambda text: re.sub(r'(<c) (r="\w+") (t="e")', r"\1 \3 \2", text),
    "no addresses": _without_addresses,
}


@pytest.mark.parametrize("how", UNUSUAL)
@given(CELLS, HIDDEN, HIDDEN)
@settings(max_examples=25)
def test_markup_in_any_form_says_the_same(
    how: str, cells: dict[tuple[int, int], str], rows: set[int], columns: set[int]
) -> None:
    usual = markup(cells, rows, columns)
    unusual = UNUSUAL[how](usual)
    if how in ("prefix", "some prefixes"):
        unusual = unusual.replace("worksheet>", 'worksheet xmlns:x="x" xmlns:y="y">', 1)
    found = [look_of(text) for text in (usual, unusual)]
    assert found[0] == found[1]
    assert set(found[0].cells) == {at for at, one in cells.items() if "#" in one or "A1+1" in one}


def look_of(text: str) -> SheetFacts:
    """What is seen in a sheet of this markup."""
    with tempfile.TemporaryDirectory() as folder:
        part = {"xl/worksheets/sheet1.xml": text}
        inside = XlsxInside(raw_xlsx(Path(folder) / "a.xlsx", "", more=part), Budget(Limits()))
        look = inside.look(0, "Bench 1")
        inside.close()
    return look


# --- what grows with the number of rows alone ----------------------------------------------------

SUMS = """
layout = 1
[source]
folder = "inbox"
[block]
stub = ["species"]
across = ["grade"]
value = "n"
totals = ["Total*"]
[fields]
species = "text"
grade = "text"
n = "integer"
"""


def sums(groups: int, *, agree: bool) -> str:
    """A table of groups of one row and its printed total."""
    lines = ["Species,A,B"]
    for at in range(1, groups + 1):
        lines += [f"Pine {at},{at},{2 * at}", f"Total {at},{at},{2 * at if agree else 7}"]
    return "\n".join(lines) + "\n"


@pytest.mark.parametrize(("groups", "agree"), [(250, False), (2_500, True)])
def test_many_printed_totals_are_compared_in_time(desk: Path, groups: int, agree: bool) -> None:
    (desk / "inbox" / "sums.csv").write_text(sums(groups, agree=agree), encoding="utf-8")
    (desk / "sums.toml").write_text(SUMS, encoding="utf-8")
    done = program("extract", "sums.toml", "inbox/sums.csv", "-o", "sums.csv", cwd=desk)
    record = json.loads((desk / "sums.csv.run" / "run.json").read_text("utf-8"))
    assert record["records"] == 2 * groups and "file-over-budget" not in done.err
    agreeing = record["printed_totals"]
    assert agreeing["compared"] >= groups and (agreeing["agree"] == agreeing["compared"]) is agree


def test_many_repeated_places_with_a_stamp_each_are_read_in_time(desk: Path) -> None:
    text = SUMS.replace("[block]", '[stamps]\nsite = { right_of = "Site" }\n[block]\nrepeat = true')
    text = text.replace("[fields]", '[fields]\nsite = "text"')
    lines = [f"Site,{at},\nSpecies,A,B\nPine,{at + 3},2\n\n" for at in range(300)]
    (desk / "inbox" / "many.csv").write_text("".join(lines), encoding="utf-8")
    (desk / "many.toml").write_text(text, encoding="utf-8")
    program("extract", "many.toml", "inbox/many.csv", "-o", "many.csv", cwd=desk)
    rows = csv_rows(desk / "many.csv")
    assert [row["site"] for row in rows] == [str(at // 2) for at in range(600)]


def test_a_table_part_with_absurd_counts_is_damaged(desk: Path) -> None:
    path = desk / "a.xlsx"
    with xlsxwriter.Workbook(path) as book:
        book.add_worksheet("Bench 1").add_table("A1:B3")
    with zipfile.ZipFile(path) as archive:
        parts = {one: archive.read(one) for one in archive.namelist()}
    name = "xl/tables/table1.xml"
    for count in ("99999999999999999999", "-1", "4", "x"):
        changed = parts[name].replace(b"<table ", f'<table headerRowCount="{count}" '.encode(), 1)
        zipped(path, {**parts, name: changed})
        done = program("show", path.name, cwd=desk)
        assert (done.status, "its table part “xl/tables/table1.xml” is damaged" in done.err) == (
            2,
            True,
        )


def test_all_of_many_texts_outside_the_tables_are_counted(desk: Path) -> None:
    many = "".join(f"remark {at},\n" for at in range(1_500))
    for step, name in enumerate(("one.csv", "two.csv", "three.csv"), 1):  # like tabs
        own = f"{name},\n" if name == "two.csv" else ""
        table = "".join(f"Pine,{step * at + step}\n" for at in range(1_600))
        text = f"species,lot\n{table},\n{many}{own}"
        (desk / "inbox" / name).write_text(text, encoding="utf-8")
    program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    found = csv_rows(desk / "out.csv.run" / "findings.csv")
    told = {row["file"]: row["message"] for row in found if row["code"] == "texts-unplaced"}
    assert [told[name].split(" ")[0] for name in ("one.csv", "two.csv")] == ["500", "501"]
    assert any(row["message"].startswith("1,000 texts are outside") for row in found)
    assert len(csv_rows(desk / "out.csv.run" / "unplaced.csv")) == 4_501
