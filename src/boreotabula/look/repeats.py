"""The constant parts of tabs: the rows and texts that several tabs of a folder hold."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet

_ROWS = 400
"""Headings and labels stand in the first rows of a tab."""
_FEW = 2

Row = frozenset[str]


@dataclass(frozen=True)
class Repeats:
    """The number of tabs with each row of texts, in any order of columns, and with each text."""

    rows: Counter[Row]
    texts: Counter[str]
    tabs: int

    def tabs_with(self, cells: Sequence[Cell]) -> int:
        """The number of tabs with a row of exactly these texts."""
        return self.rows[row_of(cells)]

    def is_fixed(self, cells: Sequence[Cell]) -> bool:
        """Whether several tabs have a row of exactly these texts."""
        return self.tabs_with(cells) >= _FEW

    def is_headed(self, cells: Sequence[Cell]) -> bool:
        """Whether a row of exactly these texts stands on several tabs, and makes up two thirds of
        the rows of this length with its first text: beside a label the value varies."""
        own = row_of(cells)
        first = next((normal_form(cell_text(cell)) for cell in cells if cell != ""), "")
        alike = sum(
            tabs for row, tabs in self.rows.items() if len(row) == len(own) and first in row
        )
        return self.rows[own] >= _FEW and 3 * self.rows[own] >= 2 * alike

    def stays(self, text: str) -> bool:
        """Whether a text stands on several tabs, and on at least half of all."""
        tabs = self.texts[normal_form(text)]
        return tabs >= _FEW and 2 * tabs >= self.tabs


def row_of(cells: Sequence[Cell]) -> Row:
    """The texts of a row, in normal form."""
    return frozenset(normal_form(cell_text(cell)) for cell in cells if cell != "")


def repeats_of(sheets: Sequence[Sheet]) -> Repeats:
    """The rows and texts that several of the sheets hold."""
    rows: Counter[Row] = Counter()
    texts: Counter[str] = Counter()
    for sheet in sheets:
        # Rows with numbers are records, and stay on one tab.
        is_text, filled = sheet.is_text[:_ROWS], sheet.filled[:_ROWS]
        of_texts = is_text.any(axis=1) & (is_text == filled).all(axis=1)
        on_tab: set[Row] = set()
        for number in np.flatnonzero(of_texts).tolist():
            on_tab |= {row_of(part) for part in _parts(sheet, number)}
        rows.update(on_tab)
        texts.update(
            {normal_form(text) for *_, text in sheet.texts(range(min(_ROWS, sheet.height)))}
        )
    return Repeats(rows, texts, len(sheets))


def _parts(sheet: Sheet, row: int) -> list[Sequence[Cell]]:
    """A row, and its runs of cells between blank ones: tables may stand side by side."""
    cells = sheet.rows[row]
    parts: list[Sequence[Cell]] = [cells]
    start: int | None = None
    for column, cell in enumerate([*cells, ""]):
        if cell != "" and start is None:
            start = column
        elif cell == "" and start is not None:
            parts.append(cells[start:column])
            start = None
    return parts
