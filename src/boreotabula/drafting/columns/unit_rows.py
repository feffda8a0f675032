"""Rows of units right below the headings of tables."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.drafting.tabs.specimens import TabFamily
from boreotabula.look.texts.words import is_unit
from boreotabula.reading.cells import reads_as_figure
from boreotabula.sheets.sheet import Cell

_FEWEST_TABS = 2


def may_have_units(kind: TabFamily) -> bool:
    """Whether what stands right below the headings of all tables may be units."""
    rows = [[cell for cell in row if cell != ""] for row in _first_rows(kind)]
    rows = [row for row in rows if row]
    return bool(rows) and all(map(_are_units, rows))


def has_units(kind: TabFamily) -> bool:
    """Whether units stand there for sure: the same on several tabs, most of them in use, and below
    no name of a row."""
    rows = _first_rows(kind)
    same = len({tuple(row) for row in rows}) == 1
    if len(kind.examples) < _FEWEST_TABS or not same or rows[0][0] != "":
        return False
    texts = [cell for cell in rows[0] if isinstance(cell, str) and cell]
    return may_have_units(kind) and 2 * sum(map(is_unit, texts)) > len(texts)


def _first_rows(kind: TabFamily) -> list[Sequence[Cell]]:
    return [
        example.sheet.rows[shape.first][shape.left : shape.right]
        for example in kind.examples
        for shape in example.shapes
        if shape.first < example.sheet.height
    ]


def _are_units(cells: Sequence[Cell]) -> bool:
    """Whether the cells right below headings are units: none of them is a figure, they are all the
    same, or most are units that are in use."""
    texts = [cell for cell in cells if isinstance(cell, str)]
    if len(texts) < len(cells) or any(map(reads_as_figure, texts)):
        return False
    count = sum(map(is_unit, texts))
    return 2 * count > len(texts) or (len(set(texts)) == 1 and len(texts) > 1)
