"""Good workbooks, damaged in one way at a time: records stay right, or a finding names the file.

Never neither. The workbooks are those of six nurseries, two tabs each, with and without printed
totals.
"""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from copy import deepcopy
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

import openpyxl
import pytest

import boreotabula
from boreotabula.findings.finding import in_order
from boreotabula.layout.addresses import Address
from helpers import span

SITES = ("Lomlia", "Frostmo", "Kaldvatn", "Hiekka", "Suvanto", "Brekka")
MONTHS = (date(2026, 4, 1), date(2026, 5, 1))
DAMAGED = "Lomlia"
RECORD = ("nursery", "month", "bench", "species", "lot", "container", "grade", "seedlings")
LAYOUT = """
layout = 1
key = ["nursery", "month", "bench", "species", "lot", "container", "grade"]
[source]
folder = "in"
include = "stock_*.xlsx"
[tabs]
named = "Bench {bench}"
[stamps]
nursery = { cell = "B1" }
month = { right_of = "Month" }
[block]
stub = ["species", "lot"]
across = ["container", "grade"]
value = "seedlings"
totals = ["Total*", "Sum*"]
ignore = "Remarks"
ends_at = "Notes*"
[fields]
nursery = "text"
month = "month"
bench = "integer"
species = "text"
lot = "text"
container = "text"
grade = "text"
seedlings = "integer"
"""
HEADS, FIRST, LAST = 4, 5, 12
"""The rows of the lower headings, of the first and of the last record, counted from 0."""


@dataclass
class Book:
    """A workbook as it will be written: rows, merged cells and hidden lines by tab."""

    tabs: dict[str, list[list[Any]]] = field(default_factory=dict)
    merges: dict[str, list[str]] = field(default_factory=dict)
    name: str = ""
    hidden: str = ""
    """The number of a hidden row, or the letter of a hidden column."""

    @property
    def rows(self) -> list[list[Any]]:
        """The rows of the first tab: that is the one to damage."""
        return self.tabs["Bench 1"]

    def put(self, row: int, column: int, value: Any) -> None:
        while len(self.rows) <= row:
            self.rows.append([])
        self.rows[row] += [None] * (column + 1 - len(self.rows[row]))
        self.rows[row][column] = value

    def insert_row(self, at: int, cells: list[Any]) -> None:
        """A row more; merged cells below it move."""
        self.rows.insert(at, cells)
        if at <= HEADS - 1:
            moved = [one.replace("4", "5") for one in self.merges["Bench 1"]]
            self.merges["Bench 1"] = moved

    def insert_column(self, at: int, head: Any, value: Callable[[int], Any]) -> None:
        """A column more; the reach of an upper heading grows with it."""
        at = len(self.rows[HEADS]) if at < 0 else at
        for number, row in enumerate(self.rows):
            new = head if number == HEADS else value(number) if FIRST <= number <= LAST else None
            if len(row) >= at:
                row.insert(at, new)
        spans = [span(one) for one in self.merges["Bench 1"]]
        self.merges["Bench 1"] = [
            f"{Address(3, one.left + (at <= one.left))}:{Address(3, one.right + (at <= one.right))}"
            for one in spans
        ]


def good(site: int, totals: bool) -> Book:
    book = Book(name=f"stock_{SITES[site]}.xlsx")
    for tab, month in enumerate(MONTHS):
        body: list[list[Any]] = []
        for number in range(8):
            counts = [(site + 3) * 17 + tab * 7 + number * 11 + at * 5 for at in range(4)]
            species = ("Pine", "Birch")[number % 2]
            remark = "late" if number == 3 else None
            sums = [sum(counts[:2]), sum(counts[2:])] if totals else [None, None]
            body.append([species, f"L{number}", *counts[:2], sums[0], *counts[2:], sums[1], remark])
        last = ["Total", None, *(sum(row[at] for row in body) for at in range(2, 8) if totals)]
        sum_head = "Sum" if totals else None
        rows: list[list[Any]] = [
            ["Nursery", SITES[site]], ["Month", f"{month:%Y-%m}"], [],
            [None, None, "Pot 95", None, sum_head, "Pot 60", None, sum_head],
            ["Species", "Lot", "A", "B", None, "A", "B", None, "Remarks"], *body,
            last if totals else [], [], ["Notes: counted by hand"],
        ]  # fmt: skip
        if not totals:
            for row in rows[3:-1]:
                for at in (7, 4):
                    del row[at : at + 1]
        name = f"Bench {tab + 1}"
        book.tabs[name] = rows
        book.merges[name] = ["C4:D4", "F4:G4"] if totals else ["C4:D4", "E4:F4"]
    return book


def write(book: Book, folder: Path) -> Path:
    path = folder / book.name
    file = openpyxl.Workbook()
    file.remove(file.worksheets[0])
    for name, rows in book.tabs.items():
        tab = file.create_sheet(name)
        for row in rows:
            tab.append(row)
        for merged in book.merges.get(name, ()):
            tab.merge_cells(merged)
        if name == "Bench 1" and book.hidden:
            lines = tab.row_dimensions if book.hidden.isdigit() else tab.column_dimensions
            lines[int(book.hidden) if book.hidden.isdigit() else book.hidden].hidden = True
    file.save(path)
    return path


Damage = Callable[[Book], object]
"""Changes a workbook before it is written; what it returns, a function of the path, changes the
written file."""


def put(row: int, column: int, value: Any) -> Damage:
    return lambda book: book.put(row, column, value)


def change(row: int, column: int, how: Callable[[Any], Any]) -> Damage:
    return lambda book: book.put(row, column, how(book.rows[row][column]))


def column(at: int, head: Any, value: Callable[[int], Any]) -> Damage:
    return lambda book: book.insert_column(at, head, value)


def row_at(at: int, *cells: Any) -> Damage:
    return lambda book: book.insert_row(at, list(cells))


def written(how: Callable[[Path], object]) -> Damage:
    return lambda book: how


def renamed_tab(new: str) -> Damage:
    def damage(book: Book) -> None:
        book.tabs = {new if n == "Bench 1" else n: rows for n, rows in book.tabs.items()}
        book.merges = {new if n == "Bench 1" else n: one for n, one in book.merges.items()}

    return damage


def copied_tab(new: str, as_it_is: bool = True) -> Damage:
    def damage(book: Book) -> None:
        book.tabs[new] = deepcopy(book.rows)
        book.merges[new] = book.merges["Bench 1"]
        if not as_it_is:
            book.tabs[new][FIRST][2] += 1

    return damage


def swapped_columns(book: Book) -> None:
    for row in book.rows[HEADS : LAST + 2]:
        if len(row) > 3:
            row[2], row[3] = row[3], row[2]


def second_table(book: Book) -> None:
    upper, lower = deepcopy(book.rows[3 : HEADS + 1])
    lower[2:4] = ["Cull", "A"]
    book.rows[LAST + 2 : LAST + 2] = [[], upper, lower, list(book.rows[FIRST])]


def emptied(book: Book) -> None:
    book.tabs = {"Bench 1": []}
    book.merges = {}


def as_text(path: Path) -> None:
    path.write_bytes(path.read_bytes()[:900])


# Each damage, and what comes of it, if need be with printed totals and without: "right" where the
# records are those of the undamaged folder; the worst finding on the damaged file.
DAMAGES: dict[str, tuple[Any, ...]] = {
    "stub heading renamed": (put(HEADS, 0, "Kind"), "stub-heading-missing"),
    "stub heading blank": (put(HEADS, 1, None), "stub-heading-missing"),
    "stub headings both renamed": (
        lambda book: (book.put(HEADS, 0, "Kind"), book.put(HEADS, 1, "Batch")), "block-not-found"),
    "lower heading renamed": (put(HEADS, 2, "Alpha"), "heading-rare"),
    "lower heading blank": (put(HEADS, 2, None), "heading-level-blank"),
    "upper heading blank": (put(3, 2, None), "heading-level-blank"),
    "upper heading misspelt": (put(3, 2, "Pot 59"), "heading-rare"),
    "heading with other case and blanks": (put(HEADS, 0, "  SPECIES: "), "right"),
    "heading twice": (put(HEADS, 3, "A"), "headings-repeated"),
    "column of numbers inserted": (column(3, "Phone", lambda n: 5551000 + n),
        "total-differs", "heading-rare"),
    "column of numbers at the end": (column(-1, "Phone", lambda n: 5551000 + n),
        "right: total-differs", "heading-level-blank"),
    "column of numbers without heading": (column(3, None, lambda n: 5551000 + n),
        "heading-level-blank"),
    "column of texts inserted": (column(3, "Counted by", lambda n: "Ada"), "column-not-converted"),
    "column of texts between the stubs": (column(1, "Counted by", lambda n: "Ada"), "stamp-blank"),
    "blank column inserted": (column(4, None, lambda n: None), "heading-beyond-gap"),
    "columns swapped": (swapped_columns, "right"),
    "table moved down": (row_at(2), "right"),
    "row inserted above the stamps": (row_at(0, "Stock-take"), "stamp-blank"),
    "row inserted between the stamps": (row_at(1, "Phone", 5551234), "right: numbers-unplaced"),
    "extra heading row between": (row_at(4, None, None, "loose", "loose"), "headings-repeated"),
    "row of units": (row_at(5, None, None, "pcs", "pcs", "pcs", "pcs"),
        "right: heading-rows-doubtful"),
    "row of column numbers": (row_at(5, 1, 2, 3, 4, 5, 6), "right: columns-numbered"),
    "blank row inside": (row_at(8), "right"),
    "text for a number": (put(6, 2, "ca. 60"), "value-not-converted"),
    "letter O for zero": (put(6, 2, "6O"), "value-not-converted"),
    "number with its unit": (change(6, 2, lambda n: f"{n} pcs"), "value-not-converted"),
    "digits as text": (change(6, 2, str), "right"),
    "digits as text with blanks": (change(6, 2, lambda n: f" {n} "), "right"),
    "error value": (put(6, 2, "#REF!"), "value-not-converted"),
    "formula without result": (put(6, 2, "=SUM(K1:K9)"), "value-not-converted"),
    "fraction": (change(6, 2, lambda n: n + 0.5), "value-not-converted"),
    "date for a number": (put(6, 2, date(2026, 4, 9)), "value-not-converted"),
    "number lost": (put(6, 2, None), "total-differs", ""),
    "digit too many": (change(6, 2, lambda n: n * 10), "total-differs", ""),
    "digits swapped": (change(6, 2, lambda n: int(str(n)[::-1]) + (n % 11 == 0)),
        "total-differs", ""),
    "line lost": (lambda book: book.rows.pop(8), "total-differs", ""),
    "line twice": (lambda book: book.rows.insert(8, list(book.rows[7])),
        "total-differs", "key-twice"),
    "stub blank": (put(6, 1, None), "stub-cell-blank"),
    "stubs blank": (lambda book: (book.put(6, 0, None), book.put(6, 1, None)), "row-without-stub"),
    "total wrong": (change(LAST + 1, 2, lambda n: n + 1), "right: total-differs", ""),
    "total with an unknown label": (put(LAST + 1, 0, "Yhteensä"), "right: looks-like-total", ""),
    "total of columns with an unknown label": (put(3, 4, "Insgesamt"),
        "right: looks-like-total", ""),
    "subtotal in the middle": (
        lambda book: book.insert_row(9, ["Subtotal", None, *(
            sum(row[at] for row in book.rows[FIRST:9]) for at in range(2, 4))]),
        "right: looks-like-total"),
    "merge broken": (lambda book: book.merges["Bench 1"].clear(), "right"),
    "merge one column short": (
        lambda book: book.merges["Bench 1"].__setitem__(0, "B4:C4"), "heading-level-blank"),
    "note beside": (put(7, 11, "recount?"), "right: texts-unplaced"),
    "number beside": (put(7, 11, 41), "right: numbers-unplaced"),
    "note below": (put(18, 2, "recount?"), "right: texts-unplaced"),
    "number below": (put(18, 2, 41), "right: numbers-unplaced"),
    "number right below the table": (put(LAST + 2, 2, 41), "right: row-without-stub"),
    "hidden row": (lambda book: setattr(book, "hidden", "8"), "right: rows-hidden"),
    "hidden column": (lambda book: setattr(book, "hidden", "C"), "right: columns-hidden"),
    "second table below": (second_table, "right: block-found-twice"),
    "stamp blank": (put(0, 1, None), "stamp-blank"),
    "month not there": (put(1, 1, None), "stamp-blank"),
    "month misspelt": (put(1, 1, "Aprli 2026"), "stamp-not-converted"),
    "month as a date": (put(1, 1, date(2026, 4, 1)), "right"),
    "label renamed": (put(1, 0, "Period"), "stamp-not-found"),
    "label twice": (lambda book: (book.put(1, 9, "Month"), book.put(1, 10, "2026-09")),
        "stamp-found-twice"),
    "nursery of another file": (put(0, 1, SITES[1]), "key-twice"),
    "tab misspelt": (renamed_tab("Bnech 1"), "tab-not-chosen"),
    "tab with blanks and case": (renamed_tab(" BENCH  1 "), "right"),
    "tab with a number like another": (renamed_tab("Bench 02"), "tabs-alike"),
    "tab with a word for a number": (renamed_tab("Bench one"), "stamp-not-converted"),
    "tab copied": (copied_tab("Bench 1 (2)"), "stamp-not-converted"),
    "tab copied under a fitting name": (copied_tab("Bench 3"), "values-repeated"),
    "tab copied and changed": (copied_tab("Bench 1 (2)", as_it_is=False), "stamp-not-converted"),
    "tab blank": (lambda book: book.rows.clear(), "tab-blank"),
    "tab missing": (lambda book: book.tabs.pop("Bench 1"), "tab-missing"),
    "workbook blank": (emptied, "workbook-blank"),
    "file twice": (
        written(lambda path: shutil.copy(path, path.with_name("stock_Lomlia (1).xlsx"))),
        "right: file-twice"),
    "file misspelt": (written(lambda path: path.rename(path.with_name("stok_Lomlia.xlsx"))),
                      "file-not-chosen"),
    "file cut off": (written(as_text), "file-unreadable"),
    "file empty": (written(lambda path: path.write_bytes(b"")), "file-unreadable"),
    "file of another kind": (written(lambda path: path.write_bytes(b"%PDF-1.7\n")),
        "file-unreadable"),
}  # fmt: skip


@pytest.fixture(scope="module", params=["with totals", "without"])
def inbox(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Any:
    """The undamaged folder, whether its forms have totals, and its records."""
    totals = request.param == "with totals"
    folder = tmp_path_factory.mktemp("good")
    (folder / "in").mkdir()
    for site in range(len(SITES)):
        write(good(site, totals), folder / "in")
    (folder / "layout.toml").write_text(LAYOUT, "utf-8")
    return folder, totals, records(run(folder))


def run(folder: Path) -> boreotabula.Run:
    return boreotabula.extract(boreotabula.Layout.load(folder / "layout.toml"))


def records(found: boreotabula.Run) -> list[str]:
    columns = [found.records.column(name).to_pylist() for name in RECORD]
    return sorted(map(repr, zip(*columns, strict=True)))


def test_the_undamaged_folder_has_nothing_to_say(inbox: Any) -> None:
    folder, totals, expected = inbox
    found = run(folder)
    assert len(set(expected)) == len(SITES) * 2 * 8 * 4
    assert [one.code for one in found.findings] == []
    printed = len(SITES) * 2 * (8 * 2 + 6) if totals else 0
    assert (found.totals.printed, found.totals.agree) == (printed, printed)


@pytest.mark.parametrize("damage", DAMAGES)
def test_no_damage_goes_without_a_word(inbox: Any, damage: str) -> None:
    folder, totals, expected = inbox
    how, *outcomes = DAMAGES[damage]
    outcome = outcomes[0 if totals else -1]
    if not outcome:
        return  # nothing that a form without totals could tell
    book = good(0, totals)
    path = folder / "in" / book.name
    before = path.read_bytes()
    others = set(path.parent.iterdir())
    try:
        after = how(book)
        write(book, path.parent)
        if callable(after):
            after(path)
        found = run(folder)
    finally:
        for extra in set(path.parent.iterdir()) - others:
            extra.unlink()
        path.write_bytes(before)
    right = records(found) == expected
    told = [one.code for one in in_order(found.findings) if DAMAGED in one.file]
    assert (right, told[:1]) == (
        outcome.startswith("right"),
        re.findall(r"[a-z]+-[a-z-]+", outcome),
    )
    assert right or told
