"""Workbooks for the measurements: a container × grade cross-tab on each of several tabs."""

from __future__ import annotations

import argparse
from pathlib import Path
from random import Random

import xlsxwriter

NURSERIES = ("Frostmo", "Lomlia", "Kaldvatn", "Suvanto", "Hiekka", "Granvik")
SPECIES = ("Picea abies", "Pinus sylvestris", "Betula pendula", "Alnus incana")

LAYOUT = """\
layout = 1
title  = "Bench"

[source]
folder  = "inbox"
include = ["{region}_stock_*.xlsx"]

[tabs]
named = ["Bench {bench}"]

[stamps]
nursery = { cell = "B2" }
month   = { cell = "B3" }

[block]
stub   = ["species", "lot"]
across = ["container", "grade"]
value  = "seedlings"

[fields]
region    = "text"
nursery   = "text"
month     = "month"
bench     = "text"
species   = "text"
lot       = "text"
container = "text"
grade     = "text"
seedlings = "integer"
"""


def make(folder: Path, files: int, tabs: int, rows: int, columns: int, totals: bool) -> None:
    """Write layout and workbooks; a folder that has as many files already is left as it is.

    With `totals` each fourth column and the last row sum up the others.
    """
    inbox = folder / "inbox"
    if len(list(inbox.glob("*.xlsx"))) == files:
        return
    inbox.mkdir(parents=True, exist_ok=True)
    named = "value  =", 'totals = "Total"\nvalue  ='
    (folder / "stock.toml").write_text(LAYOUT.replace(*named) if totals else LAYOUT, "utf-8")
    for number in range(files):
        path = inbox / f"lake_stock_{number:04}.xlsx"
        with xlsxwriter.Workbook(path) as book:
            for tab in range(tabs):
                _tab(book.add_worksheet(f"Bench {tab + 1}"), number, tab, rows, columns, totals)


def _tab(sheet: object, number: int, tab: int, rows: int, columns: int, totals: bool) -> None:
    draw = Random(number * 100 + tab)
    write = sheet.write  # type: ignore[attr-defined]
    write(0, 0, "Bench stock-take")
    write(1, 0, "Nursery")
    write(1, 1, NURSERIES[number % len(NURSERIES)])
    write(2, 0, "Month")
    write(2, 1, f"2026-{number % 12 + 1:02}")
    top, left = 4 + draw.randint(0, 2), draw.randint(0, 1)
    write(top + 1, left, "Species")
    write(top + 1, left + 1, "Lot")
    for column in range(columns):
        at = left + 2 + column
        if column % 4 == 0:
            sheet.merge_range(top, at, top, at + 3, f"Multipot {column + 40}")  # type: ignore[attr-defined]
        write(top + 1, at, "Total" if totals and column % 4 == 3 else "ABCD"[column % 4])
    sums = [0] * columns
    for row in range(rows):
        write(top + 2 + row, left, SPECIES[row * len(SPECIES) // rows])
        write(top + 2 + row, left + 1, f"L{number}-{row}")
        counts = [draw.randint(0, 900) for _ in range(columns)]
        for column in range(3, columns, 4) if totals else ():
            counts[column] = sum(counts[column - 3 : column])
        for column, count in enumerate(counts):
            sums[column] += count
            write(top + 2 + row, left + 2 + column, count)
    if totals:
        write(top + 2 + rows, left, "Total")
        for column, total in enumerate(sums):
            write(top + 2 + rows, left + 2 + column, total)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--files", type=int, default=200)
    parser.add_argument("--tabs", type=int, default=3)
    parser.add_argument("--rows", type=int, default=80)
    parser.add_argument("--columns", type=int, default=40)
    parser.add_argument("--totals", action="store_true", help="print totals of rows and columns")
    given = parser.parse_args()
    make(given.folder, given.files, given.tabs, given.rows, given.columns, given.totals)
