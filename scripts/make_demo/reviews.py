"""Yearly reviews: a cover tab, and tables with captions whose groups have totals of their own.

Each is made from figures that follow from fixed seeds; `reviews` gives what an extraction must
find.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from random import Random
from typing import Any

import xlsxwriter

from make_demo.nurseries import NURSERIES

_YEARS = (2025, 2026)
_QUARTERS = ("Q1", "Q2", "Q3", "Q4")
_CLASSES = {
    "Conifers": ("Picea abies", "Pinus sylvestris", "Larix sibirica"),
    "Broadleaves": ("Betula pendula", "Alnus incana"),
}
_TABS = {
    "Growing": (("Sown seed", "kg", 90), ("Seedlings moved", "pcs", 4000)),
    "Losses": (("Frost", "pcs", 300), ("Hares and voles", "pcs", 120)),
}
"""The title, unit and usual size of each tab's tables."""


@dataclass(frozen=True)
class Table:
    """A table of a review: its caption, and by class and species the amounts of the quarters."""

    number: int
    title: str
    unit: str
    classes: dict[str, dict[str, list[int]]]

    @property
    def amounts(self) -> list[int]:
        """All of them."""
        return [
            index for class_ in self.classes.values() for row in class_.values() for index in row
        ]


def reviews() -> Iterator[tuple[str, str, int, dict[str, list[Table]]]]:
    """File name, nursery, year, and by tab the tables of each review."""
    for nursery in NURSERIES[:3]:
        for year in _YEARS:
            draw = Random(f"review {nursery.name} {year}")
            number = iter(range(1, 100))
            tabs = {
                tab: [
                    Table(next(number), title, unit, {
                        name: {specy: [draw.randint(size // 9, size) for _ in _QUARTERS]
                               for specy in species}
                        for name, species in _CLASSES.items()
                    })
                    for title, unit, size in tables
                ]
                for tab, tables in _TABS.items()
            }  # fmt: skip
            yield f"review_{nursery.name}_{year}.xlsx", nursery.name, year, tabs


def write_reviews(folder: Path) -> None:
    """Write them into an existing folder."""
    for name, nursery, year, tabs in reviews():
        with xlsxwriter.Workbook(folder / name) as book:
            book.set_properties({"created": datetime(2026, 1, 1)})
            bold = book.add_format({"bold": True})
            cover = book.add_worksheet("Cover")
            cover.set_column(0, 1, 14)
            cover.write(0, 0, "Review of the year", bold)
            cover.write_row(2, 0, ["Nursery", nursery])
            cover.write_row(3, 0, ["Year", year])
            for tab, (first, second) in tabs.items():
                sheet = book.add_worksheet(tab)
                sheet.set_column(1, 1, 17)
                # Side by side in some years, one below the other in others.
                stacked = year == _YEARS[0]
                _table(sheet, bold, 1, 0, first)
                _table(sheet, bold, 12 if stacked else 1, 0 if stacked else 8, second)


def _table(sheet: Any, bold: Any, top: int, left: int, table: Table) -> None:
    """A table: line number and name have no heading, and a class stands above its species with its
    own totals."""
    sheet.write(top, left, f"Table {table.number}: {table.title}, {table.unit}", bold)
    sheet.write_row(top + 1, left + 2, [*_QUARTERS, "Year"], bold)
    row = top + 1
    for name, species in table.classes.items():
        sums = [sum(column) for column in zip(*species.values(), strict=True)]
        for text, amounts in ((name, sums), *species.items()):
            row += 1
            sheet.write(row, left, row - top - 1)
            sheet.write(row, left + 1, text, bold if text == name else None)
            sheet.write_row(row, left + 2, [*amounts, sum(amounts)])
