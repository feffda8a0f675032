"""Rows right below the headings of tables that belong to them: units, or further headings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import partial
from itertools import takewhile

from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.look.looks import FIGURE
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import MOST_LANGUAGES
from boreotabula.look.texts.words import is_unit
from boreotabula.reading.cells import count_on, reads_as_figure
from boreotabula.sheets.sheet import Cell

_FEWEST_TABS = 2


def may_have_units(kind: TabFamily) -> bool:
    """Whether the rows right below the headings of all tables may be units."""
    rows = [[cell for cell in row if cell != ""] for row in _first_rows(kind)]
    rows = [row for row in rows if row]
    return bool(rows) and all(map(_are_units, rows))


def rows_under_headings(kind: TabFamily) -> int:
    """How many rows right below the headings certainly belong to them.

    They are the same on several tabs, and number the columns; or they name nothing, and hold units
    in use, or texts over columns of only figures.
    """
    # Two tabs at least, as one alone does not show what stays.
    if len(kind.examples) < _FEWEST_TABS:
        return 0
    return sum(1 for _ in takewhile(partial(_is_of_headings, kind), range(_MOST_ROWS)))


_MOST_ROWS = 2
"""Further heading rows, and their units."""


def _is_of_headings(kind: TabFamily, below: int) -> bool:
    """Whether the row at a given distance below the first of all tables belongs to their
    headings."""
    rows = Counter(map(tuple, _first_rows(kind, below)))
    if rows and all("" not in row and count_on(row) for row in rows):
        return True  # it numbers the columns
    # In each language the row is another one.
    if not rows or len(rows) > MOST_LANGUAGES or any(row[0] != "" for row in rows):
        return False
    if min(rows.values()) < _FEWEST_TABS:
        return False
    texts = [cell for row in rows for cell in row if cell != ""]
    if not all(map(_are_texts, rows)) or not texts:
        return False
    in_use = sum(is_unit(cell) for cell in texts if isinstance(cell, str))
    return 2 * in_use > len(texts) or all(
        shape.columns[index] == FIGURE
        for example in kind.examples
        for shape in example.shapes
        for index, cell in enumerate(_row(example, shape, below))
        if cell != ""
    )


def _first_rows(kind: TabFamily, below: int = 0) -> list[Sequence[Cell]]:
    """A row of each table, at a given distance below its first."""
    rows = [_row(example, shape, below) for example in kind.examples for shape in example.shapes]
    return [row for row in rows if row]


def _row(example: Example, shape: Shape, below: int) -> Sequence[Cell]:
    row = shape.first + below
    return example.sheet.rows[row][shape.left : shape.right] if row < shape.end else ()


def _are_texts(cells: Sequence[Cell]) -> bool:
    """Whether none of the filled cells of a row is a figure."""
    return all(isinstance(cell, str) and not reads_as_figure(cell) for cell in cells if cell != "")


def _are_units(cells: Sequence[Cell]) -> bool:
    """Whether the cells right below headings are units: none is a figure, and they are all the
    same, or most are units in use."""
    texts = [cell for cell in cells if isinstance(cell, str)]
    if not _are_texts(cells):
        return False
    count = sum(map(is_unit, texts))
    return 2 * count > len(texts) or (len(set(texts)) == 1 and len(texts) > 1)
