"""Columns that are filled once and meant for the rows below, too: names of groups."""

from __future__ import annotations

from collections.abc import Iterator

from boreotabula.drafting.columns.alignment import Column
from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.tabs.shapes import Shape
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.words import is_total
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell

_FEWEST_BLANKS = 0.3
"""A column of groups has so large a part of blank cells: fewer are gaps in what was filled in."""
_MOST_AGAIN = 0.1
"""A group begins once in a table: where more values come again, the blanks are gaps."""


def is_filled_once(tables: Tables, column: Column, named_by: Column | None) -> bool:
    """Whether the cells of a column name the rows down to its next filled one.

    The rows are named by another column, `named_by`, throughout; the first row of each table is
    filled, and no value begins twice, unless cells are merged over the rows.
    """
    blank = filled = again = 0
    for number, at in column.places.items():
        one, shape = tables[number]
        cells = list(_cells(one, shape, at, named_by.places.get(number) if named_by else None))
        if not cells:
            continue
        if cells[0][0] == "" or any(cell == "" and not named for cell, named in cells):
            return False
        texts = [cell_text(cell) for cell, _ in cells if cell != ""]
        again += 0 if _is_merged(one, shape, at) else len(texts) - len(set(texts))
        filled += len(texts)
        blank += len(cells) - len(texts)
    return (
        blank > 0 and blank >= _FEWEST_BLANKS * (blank + filled) and again <= _MOST_AGAIN * filled
    )


def _cells(
    one: Example, shape: Shape, at: int, named_at: int | None
) -> Iterator[tuple[Cell, bool]]:
    """The cells of a column, without those of totals and blank rows; and whether another column
    names the row."""
    rows = one.sheet.rows
    for row in range(shape.first, shape.end):
        leading = rows[row][shape.left : shape.left + max(shape.leading, 1)]
        rest = one.sheet.filled[row, shape.left + at + 1 : shape.right]
        if not (rest.any() or rows[row][shape.left + at] != "") or any(
            is_total(cell_text(cell)) for cell in leading if cell != ""
        ):
            continue
        named = named_at is not None and rows[row][shape.left + named_at] != ""
        yield rows[row][shape.left + at], named


def _is_merged(one: Example, shape: Shape, at: int) -> bool:
    """Whether cells of a column are merged over several rows."""
    column = shape.left + at
    spans = one.sheet.merged_in(range(shape.first, shape.end), range(column, column + 1))
    return any(span.bottom > span.top for span in spans)
