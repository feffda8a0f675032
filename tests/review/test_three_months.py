"""Decisions that last: three months of the demo, as the program is used on them."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

import openpyxl
import pytest

import boreotabula
from boreotabula.review.pages.sums import month_sums
from helpers import Outcome, csv_rows, program, write_workbook

GRANVIK = "2026-03/inland_stock_Granvik_2026-03.xlsx"
KALDVATN = "2026-03/lake_stock_Kaldvatn_2026-03.xlsx"


@dataclass(frozen=True)
class Desk:
    """A folder with the demo's layout, to which the reports of a month come one after another."""

    demo: Path
    home: Path

    def come(self, month: str) -> None:
        shutil.copytree(self.demo / "inbox" / month, self.home / "inbox" / month)

    def edit(self, file: str, cell: str, value: int) -> None:
        """Change a cell of the first tab of a report."""
        path = self.home / "inbox" / file
        book = openpyxl.load_workbook(path)
        book.worksheets[0][cell] = value
        book.save(path)

    def add_one(self, file: str, cell: str) -> None:
        """Make the number in a cell of the first tab of a report one more."""
        sheet = openpyxl.load_workbook(self.home / "inbox" / file).worksheets[0]
        self.edit(file, cell, sheet[cell].value + 1)

    def run(self, *words: object, status: int = 0) -> Outcome:
        done = program(*words, cwd=self.home)
        assert done.status == status, (done.out, done.err)
        return done

    def findings(self, file: str = "") -> list[dict[str, str]]:
        """The findings of the last run, perhaps of one file alone."""
        rows = csv_rows(self.home / "stock.csv.run" / "findings.csv")
        return [row for row in rows if row["file"].endswith(file)]


def values(home: Path, file: str) -> dict[str, int]:
    """What the records of the first tab of a report hold, by their cells."""
    rows = [row for row in csv_rows(home / "stock.csv") if row["source_file"] == file]
    first = [row for row in rows if row["source_tab"] == rows[0]["source_tab"]]
    return {row["source_cell"]: int(row["seedlings"]) for row in first}


@pytest.fixture
def desk(demo: Path, tmp_path: Path) -> Desk:
    for name in ("stock.toml", "headings.csv", "sites.csv"):
        shutil.copy(demo / name, tmp_path)
    return Desk(demo, tmp_path)


EXTRACT = ("extract", "stock.toml", "-o", "stock.csv")
LATE = ("coverage", "stock.csv", "--rows", "nursery", "--across", "month", "--expect", "sites.csv",
        "--due", "10", "--on")  # fmt: skip


def test_three_months_of_decisions(desk: Desk) -> None:
    # February: nothing is wrong, and one nursery has sent nothing.
    desk.come("2026-02")
    desk.run(*EXTRACT)
    late = desk.run(*LATE, "2026-03-11").out
    assert "missing   Nyheim has never reported" in late and "late" not in late

    # March: two digits of a count have changed places, and a printed total is one too many.
    counts = values(desk.demo, GRANVIK)
    cell = next(
        cell for cell, count in counts.items() if count > 10 and len({*f"{count}"[-2:]}) > 1
    )
    number = counts[cell]
    desk.come("2026-03")
    desk.edit(GRANVIK, cell, int(f"{number}"[:-2] + f"{number}"[:-3:-1]))
    desk.add_one(KALDVATN, _last_total(desk.home / "inbox" / KALDVATN))
    desk.run(*EXTRACT, status=1)
    assert {finding["code"] for finding in desk.findings()} == {"total-differs"}
    of_count, of_total = (desk.findings(file) for file in (GRANVIK, KALDVATN))
    assert all(
        f"digits of {cell} may be swapped ({number:,}?)" in finding["message"]
        for finding in of_count
    )
    # Of the other total no one cell explains the difference.
    assert len(of_total) == 1 and "may" not in of_total[0]["message"]

    # The count is corrected, the total is accepted: the run is clean, and says both.
    desk.run("correct", f"inbox/{GRANVIK}", "Greenhouse 1", cell, "--layout", "stock.toml",
             "--to", number, "--why", "asked", "--who", "Ada")  # fmt: skip
    desk.run("accept", "stock.csv", "total-differs", "--file", KALDVATN, "--why", "a tray fell",
             "--who", "Ada")  # fmt: skip
    done = desk.run(*EXTRACT, "--report", "month.html", "--expect", "sites.csv")
    assert "1 finding accepted" in done.out and values(desk.home, GRANVIK)[cell] == number
    page = (desk.home / "month.html").read_text("utf-8")
    assert "Ada: a tray fell" in page and "Corrections in force" in page
    assert "seedlings since the month before" in page and f'href="inbox/{KALDVATN}#' in page

    rows = [row for row in csv_rows(desk.home / "stock.csv") if row["nursery"] == "Granvik"]
    february, march = (
        sum(int(row["seedlings"] or 0) for row in rows if row["month"] == month)
        for month in ("2026-02", "2026-03")
    )
    sums = f'<td class="n">{february:,}</td><td class="n">{march:,}</td><td class="n">'
    assert f'<tr><th scope="row">Granvik</th>{sums}' in page

    # April: both senders send March again. Neither decision holds any more, and both are told.
    desk.come("2026-04")
    for file in (GRANVIK, KALDVATN):
        shutil.copy2(desk.demo / "inbox" / file, desk.home / "inbox" / file)
    desk.run(*EXTRACT, status=1)
    codes = {finding["code"] for finding in desk.findings()}
    assert {"correction-lapsed", "acceptance-idle", "value-not-converted"} <= codes
    assert values(desk.home, GRANVIK)[cell] == number and "total-differs" not in codes
    late = desk.run(*LATE, "2026-05-25").out
    assert "late      Lomlia, 2026-04: file of 2026-05-19, due 2026-05-10" in late
    desk.run("mark", "stock.csv", "-o", "back", "--expect", "sites.csv", "--across", "month",
             "--due", "10", "--on", "2026-05-25")  # fmt: skip
    assert (desk.home / "back" / "reminder Nyheim.txt").is_file()


SUMS = """layout = 1
[source]
folder = "in"
[stamps]
site = { right_of = "Site" }
month = { right_of = "Month", optional = true }
[block]
stub = "lot"
[fields]
site = "text"
month = "month"
lot = "text"
pieces = "integer"
weight = "decimal(2)"
"""


def test_sums_are_shown_only_if_all_tabs_say_whose_they_are(tmp_path: Path) -> None:
    for number, month in enumerate(("2026-01", "2026-02")):
        rows = [["Site", "Lia"], ["Month", month], [], ["Lot", "Pieces", "Weight"],
                ["L1", 5 + number, "1.25"], ["L2", 7, "0.50"]]  # fmt: skip
        write_workbook(tmp_path / "in" / f"{number}.xlsx", {"A": rows})
    (tmp_path / "l.toml").write_text(SUMS, "utf-8")
    pieces, weight = month_sums(boreotabula.extract(tmp_path / "l.toml"), "site", "month")
    (row,) = pieces.rows
    assert (row.name, row.before, row.now, row.change) == ("Lia", "12", "13", "+1")
    assert weight.rows[0].before == "1.75"
    # One that does not say of when it is would be missing in them.
    rows = [["Site", "Lia"], [], ["Lot", "Pieces", "Weight"], ["L9", 90, "2.00"], ["L8", 1, "3.00"]]
    write_workbook(tmp_path / "in" / "9.xlsx", {"A": rows})
    assert month_sums(boreotabula.extract(tmp_path / "l.toml"), "site", "month") == []


def _last_total(path: Path) -> str:
    """The cell of the sum of all sums on the first tab of a report: its last number."""
    sheet = openpyxl.load_workbook(path).worksheets[0]
    numbers = [cell for row in sheet.iter_rows() for cell in row if isinstance(cell.value, int)]
    return str(numbers[-1].coordinate)
