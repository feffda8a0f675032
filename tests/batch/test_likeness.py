"""What a run says of tabs and files that are too much alike, or too unlike the others."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.batch.run.outcome import Run
from helpers import csv_rows, program, write_workbook

EVERY = "[tabs]\nevery = true\n"
CROSS = """
[block]
stub = "lot"
across = ["container", "grade"]
value = "n"
[fields]
lot = "text"
container = "text"
grade = "text"
n = "integer"
"""
WEEK = """
[block]
stub = "lot"
across = "day"
value = "n"
[fields]
lot = "text"
day = "text"
n = "integer"
"""
LIST = """
[block]
[fields]
lot = "text"
site = "text"
n = "integer"
"""
Rows = list[list[Any]]


def write(home: Path, layout: str, files: Mapping[str, Any], top: str = "") -> Path:
    """A layout and the files that it reads."""
    (home / "in").mkdir(exist_ok=True)
    path = home / "a.toml"
    path.write_text(f'layout = 1\n{top}[source]\nfolder = "in"\n{layout}', "utf-8")
    for name, content in files.items():
        if isinstance(content, str):
            (home / "in" / name).write_text(content, "utf-8")
        else:
            write_workbook(home / "in" / name, content)
    return path


def run(home: Path, layout: str, files: Mapping[str, Any], top: str = "") -> Run:
    """What comes of the files of a run."""
    return boreotabula.extract(boreotabula.Layout.load(write(home, layout, files, top)))


def told(of: Run) -> list[tuple[str, str, str, str]]:
    """Severity, code, file and cell of each finding that is no note."""
    return [
        (one.severity.value, one.code, one.file, one.cell)
        for one in of.findings
        if one.severity.value != "note"
    ]


def form(number: int) -> Rows:
    """A nested cross-tab with numbers of its own."""
    counts = [[number * 7 + at * number + 3 for at in range(row, row + 4)] for row in (1, 9)]
    head: Rows = [[None, "Pot 95", None, "Pot 60", None], ["Lot", "A", "B", "A", "B"]]
    return [*head, ["L1", *counts[0]], ["L2", *counts[1]]]


def lots(number: int, changed: int = 0) -> str:
    """A list of nine lots; one number can be changed."""
    rows = [
        f"L{number}{at},S{number},{changed if changed and at == 3 else at * 7 + number}"
        for at in range(9)
    ]
    return "\n".join(["Lot,Site,N", *rows]) + "\n"


def table(text: str) -> Rows:
    """The rows of a tab from lines of text."""
    return [
        [int(cell) if cell.isdigit() else cell for cell in line.split(",")] for line in text.split()
    ]


@pytest.mark.parametrize(
    ("edit", "code", "cell"),
    [
        (lambda rows: rows.insert(1, [None, "checked 3 May"]), "level-row-unusual", "B2"),
        (
            lambda rows: rows.__setitem__(slice(0, 1), []) or rows.insert(1, [None, *["pcs"] * 4]),
            "level-row-unusual",
            "B1",
        ),
        (lambda rows: rows.insert(1, ["L9", 9011, 9012, 9013, 9014]), "level-row-refused", "A2"),
    ],
    ids=["a remark", "the upper row deleted, units below", "a record"],
)
def test_a_row_that_is_no_level_is_told(
    tmp_path: Path, edit: Callable[[Rows], None], code: str, cell: str
) -> None:
    edited = form(9)
    edit(edited)
    files = {f"{n}.xlsx": {"T": form(n)} for n in (2, 3, 4)} | {"9.xlsx": {"T": edited}}
    assert ("error", code, "9.xlsx", cell) in told(run(tmp_path, EVERY + CROSS, files))


DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
FULL = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"]


def week(names: Sequence[str], number: int) -> str:
    """The counts of a week."""
    counts = ",".join(str(number * 3 + at * at) for at in range(len(names)))
    return f"Lot,{','.join(names)}\nL{number},{counts}\n"


def test_a_file_in_another_wording_is_told(tmp_path: Path) -> None:
    files = {f"{n}.csv": week(FULL if n == 4 else DAYS, n) for n in range(8)}
    done = run(tmp_path, WEEK, files)
    assert told(done) == [("warning", "headings-foreign", "4.csv", "B1")]
    assert "“Monday”" in done.findings[0].message and "“Mon”" in done.findings[0].message


@pytest.mark.parametrize(
    ("usual", "other"),
    [(["April 2026"], ["May 2026"]), (["2024", "2025"], ["2026", "2027"]), (DAYS, DAYS[:5])],
    ids=["months", "years", "fewer days"],
)
def test_other_periods_are_nothing_odd(
    tmp_path: Path, usual: Sequence[str], other: Sequence[str]
) -> None:
    files = {f"{n}.csv": week(other if n == 4 else usual, n) for n in range(8)}
    assert not [one for one in told(run(tmp_path, WEEK, files)) if "heading" in one[1]]


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("w3 corrected.csv", ("error", "copy-kept-too", "w3.csv", "")),
        ("w3 - Copy.csv", ("error", "copy-kept-too", "w3.csv", "")),
        ("other.csv", ("warning", "near-copy", "w3.csv", "")),
    ],
)
def test_a_corrected_copy_is_told(
    tmp_path: Path, name: str, expected: tuple[str, str, str, str]
) -> None:
    files = {f"w{n}.csv": lots(n) for n in (1, 2, 3)} | {name: lots(3, 999)}
    done = run(tmp_path, LIST, files)
    assert told(done) == [expected]
    assert name in done.findings[0].message


def test_a_copied_tab_with_another_number_is_told(tmp_path: Path) -> None:
    tabs = {"Defects": table(lots(1)), "Defects (2)": table(lots(1, 999)), "Other": table(lots(7))}
    done = run(tmp_path, EVERY + LIST, {"w.xlsx": tabs})
    (finding,) = [one for one in done.findings if one.severity.value != "note"]
    assert (finding.code, finding.tab) == ("copy-kept-too", "Defects (2)")


def test_a_key_tells_copies_apart_by_itself(tmp_path: Path) -> None:
    files = {"w3.csv": lots(3), "w3 corrected.csv": lots(3, 999)}
    codes = {one[1] for one in told(run(tmp_path, LIST, files, 'key = "lot"\n'))}
    assert codes == {"key-twice"}


def test_tabs_that_sum_up_others_are_told(tmp_path: Path) -> None:
    def month(number: int) -> Rows:
        return [["Lot", "A", "B"], *([f"L{at}", number * 11 + at * at, at + 3] for at in range(5))]

    def sums(*tabs: Rows) -> Rows:
        body = [
            [first[0], *(sum(tab[row][at] for tab in tabs) for at in (1, 2))]
            for row, first in enumerate(tabs[0])
            if row
        ]
        return [["Lot", "A", "B"], *body]

    jan, feb, mar, apr = (month(number) for number in (1, 2, 3, 5))
    quarter = sums(jan, feb, mar)
    tabs = {"Jan": jan, "Feb": feb, "Mar": mar, "Q1": quarter, "Apr": apr}
    tabs["Year"] = sums(quarter, apr)
    done = run(tmp_path, EVERY + WEEK, {"y.xlsx": tabs})
    assert {one.tab for one in done.findings if one.code == "tab-likely-total"} == {"Q1", "Year"}
    assert done.record_count == 60  # told, and not left out


def test_a_table_without_a_column_that_all_others_have_is_an_error(tmp_path: Path) -> None:
    layout = "[tabs]\nwhere_found = true\n" + LIST.replace("lot", "trip").replace("site", "route")
    files = {f"{n}.csv": f"Trip,Route,N\nT{n},R1,{n}5\nT9{n},R2,{n}6\n" for n in range(4)}
    files["sum.csv"] = "Route,N\nR1,500\nR2,700\n"
    done = run(tmp_path, layout, files)
    assert ("error", "column-lacking", "sum.csv", "") in told(done)
    assert not [
        one for one in done.findings if one.file == "sum.csv" and one.code == "field-missing"
    ]


def test_a_renamed_column_is_told_by_its_heading_alone(tmp_path: Path) -> None:
    files = {f"{n}.csv": lots(n) for n in range(4)}
    files["4.csv"] = lots(4).replace("Site", "Ort")
    told_of = [one[1] for one in told(run(tmp_path, LIST, files))]
    assert told_of == ["heading-unknown"]


def test_a_number_that_stands_for_nothing_is_told_once(tmp_path: Path) -> None:
    done = run(tmp_path, LIST, {f"{n}.csv": lots(n, -9999) for n in range(4)})
    (finding,) = [one for one in done.findings if one.code == "value-stands-for-nothing"]
    assert "-9999" in finding.advice.replace("−", "-") and "empty" in finding.advice


def test_a_chosen_tab_that_is_blank_names_the_tab_that_is_not(tmp_path: Path) -> None:
    tabs: Mapping[str, Rows] = {"Data": [], "Sheet1": table(lots(1))}
    done = run(tmp_path, '[tabs]\nnamed = "Data"\n' + LIST, {"a.xlsx": tabs})
    (finding,) = [one for one in done.findings if one.code == "workbook-blank"]
    assert "Sheet1" in finding.message + finding.advice


def test_a_run_over_some_files_misses_no_rule(tmp_path: Path) -> None:
    files = {"a1.xlsx": {"Bench": table(lots(1))}, "b1.xlsx": {"Hall": table(lots(2))}}
    path = write(tmp_path, '[tabs]\nnamed = ["Bench", "Hall"]\n' + LIST, files)
    for options in (["--include", "a1*"], ["--limit", "1"]):
        done = program("extract", path, *options, "-o", tmp_path / "o.csv", cwd=tmp_path)
        assert "matches no tab" not in done.err + done.out and done.status == 0, done.err
        assert len(csv_rows(tmp_path / "o.csv")) == 9
