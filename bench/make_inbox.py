"""Workbooks for the measurements: a container × grade cross-tab on each of several tabs."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from random import Random
from typing import Any

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


FORMS = ("alike", "unlike", "styled")
"""How the tabs of a folder look: all with one frame, each with another, or with styles, dates,
merged names, blanks and notes as people have them."""


@dataclass(frozen=True)
class Size:
    """The workbooks of a folder, and the tabs of each; rows and columns are those of values."""

    files: int = 200
    tabs: int = 3
    rows: int = 80
    columns: int = 40


def make(folder: Path, size: Size, form: str = "alike", *, totals: bool = False) -> None:
    """Write layout and workbooks; a folder that has as many files already is left as it is.

    With `totals` each fourth column and the last row of tabs that are alike sum up the others.
    """
    inbox = folder / "inbox"
    if len(list(inbox.glob("*.xlsx"))) == size.files:
        return
    inbox.mkdir(parents=True, exist_ok=True)
    named = "value  =", 'totals = "Total"\nvalue  ='
    (folder / "stock.toml").write_text(LAYOUT.replace(*named) if totals else LAYOUT, "utf-8")
    for number in range(size.files):
        path = inbox / f"lake_stock_{number:04}.xlsx"
        with xlsxwriter.Workbook(path) as book:
            for tab in range(size.tabs):
                sheet, draw = book.add_worksheet(f"Bench {tab + 1}"), Random(number * 100 + tab)
                if form == "styled":
                    _styled_tab(book, sheet, number, draw, size)
                else:
                    sheet.write_column(0, 0, ["Bench stock-take", "Nursery", "Month"])
                    sheet.write(1, 1, NURSERIES[number % len(NURSERIES)])
                    sheet.write(2, 1, f"2026-{number % 12 + 1:02}")
                    if form == "alike":
                        _alike_table(sheet, number, draw, size, totals=totals)
                    else:
                        _unlike_table(sheet, number, draw, size)


def _alike_table(sheet: Any, number: int, draw: Random, size: Size, *, totals: bool) -> None:
    rows, columns = size.rows, size.columns
    top, left = 4 + draw.randint(0, 2), draw.randint(0, 1)
    _headings(sheet, top, left, [f"Multipot {column + 40}" for column in range(0, columns, 4)])
    sums = [0] * columns
    for column in range(3, columns, 4) if totals else ():
        sheet.write(top + 1, left + 2 + column, "Total")
    for row in range(rows):
        sheet.write(top + 2 + row, left, SPECIES[row * len(SPECIES) // rows])
        sheet.write(top + 2 + row, left + 1, f"L{number}-{row}")
        counts = [draw.randint(0, 900) for _ in range(columns)]
        for column in range(3, columns, 4) if totals else ():
            counts[column] = sum(counts[column - 3 : column])
        sums = [total + count for total, count in zip(sums, counts, strict=True)]
        sheet.write_row(top + 2 + row, left + 2, counts)
    if totals:
        sheet.write_row(top + 2 + rows, left, ["Total", "", *sums])


def _unlike_table(sheet: Any, number: int, draw: Random, size: Size) -> None:
    """A table whose place, headings, length, width and gaps no other tab has."""
    rows = size.rows + draw.randint(-size.rows // 2, size.rows // 2)
    groups = size.columns // 4 + draw.randint(-size.columns // 8, size.columns // 8)
    top, left = 4 + draw.randint(0, 6), draw.randint(0, 4)
    volumes = draw.sample(range(20, 400), groups)
    _headings(
        sheet, top, left, [f"{draw.choice(('Multipot', 'Tray'))} {volume}" for volume in volumes]
    )
    gaps = draw.uniform(0, 0.4)
    for row in range(rows):
        sheet.write(top + 2 + row, left, draw.choice(SPECIES))
        sheet.write(top + 2 + row, left + 1, f"L{number}-{row}")
        for column in range(4 * groups):
            if draw.random() >= gaps:
                sheet.write(top + 2 + row, left + 2 + column, draw.randint(0, 900))


def _styled_tab(book: Any, sheet: Any, number: int, draw: Random, size: Size) -> None:
    """A tab with a date, names merged over their rows, codes, number formats, gaps and notes."""
    bold = book.add_format({"bold": True, "bg_color": "#dde8dd", "border": 1})
    month = book.add_format({"num_format": "mmm yyyy", "align": "left"})
    count, code = book.add_format({"num_format": "#,##0"}), book.add_format({"num_format": "00000"})
    name = book.add_format({"valign": "top", "text_wrap": True})
    sheet.write(0, 0, "Bench stock-take", bold)
    sheet.write(1, 0, "Nursery")
    sheet.write(1, 1, NURSERIES[number % len(NURSERIES)], bold)
    sheet.write(2, 0, "Month")
    sheet.write_datetime(2, 1, datetime(2026, number % 12 + 1, 1), month)
    sheet.set_column(0, 0, 22)
    top = 4 + draw.randint(0, 2)
    containers = [f"Multipot {column + 40}" for column in range(0, size.columns, 4)]
    _headings(sheet, top, 0, containers, bold)
    each = size.rows // len(SPECIES)
    for index, species in enumerate(SPECIES):
        first = top + 2 + index * each
        sheet.merge_range(first, 0, first + each - 1, 0, species, name)
        for row in range(first, first + each):
            sheet.write(row, 1, number * 100 + row, code)
            for column in range(size.columns):
                if draw.random() >= 0.15:
                    sheet.write(row, 2 + column, draw.randint(0, 900), count)
    end = top + 2 + each * len(SPECIES)
    sheet.write(end + 1, 0, "Counted by hand; trays that froze are left out.")
    sheet.freeze_panes(top + 2, 2)


def _headings(
    sheet: Any, top: int, left: int, containers: Sequence[str], style: Any = None
) -> None:
    """Two levels of headings: the containers, each merged over its four grades."""
    sheet.write_row(top + 1, left, ["Species", "Lot"], style)
    for index, container in enumerate(containers):
        column = left + 2 + 4 * index
        sheet.merge_range(top, column, top, column + 3, container, style)
        sheet.write_row(top + 1, column, "ABCD", style)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--files", type=int, default=200)
    parser.add_argument("--tabs", type=int, default=3)
    parser.add_argument("--rows", type=int, default=80)
    parser.add_argument("--columns", type=int, default=40)
    parser.add_argument("--form", choices=FORMS, default="alike", help="how the tabs look")
    parser.add_argument("--totals", action="store_true", help="print totals of rows and columns")
    given = parser.parse_args()
    make(
        given.folder,
        Size(given.files, given.tabs, given.rows, given.columns),
        given.form,
        totals=given.totals,
    )
