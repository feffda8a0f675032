"""Labels with their values, outside of the tables: what a form says once for all its records."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from boreotabula.drafting.shapes import Shape
from boreotabula.reading.cells import reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet

_LONGEST = 40
"""A longer text is a sentence, and no label."""


@dataclass(frozen=True)
class Pair:
    """A label and its value; rows and columns counted from 0."""

    label: str
    row: int
    column: int
    value: Cell
    way: str
    """Where the value is: 'right', 'below', or 'inside' the cell of the label."""
    sure: bool
    """Whether the label ends as labels do."""


def pairs_of(sheet: Sheet, shapes: Sequence[Shape]) -> list[Pair]:
    """The labelled values of a sheet outside of its tables, in reading order."""
    taken: set[tuple[int, int]] = set()
    found: list[Pair] = []
    for row, column, text in sheet.texts():
        inside = any(one.top <= row < one.end and one.left <= column < one.right for one in shapes)
        if inside or (row, column) in taken or reads_as_figure(text):
            continue
        for one in _pairs_at(sheet, row, column, text, shapes):
            found.append(one)
            if one.way == "right":
                taken.add((row, _next_right(sheet, row, column)))
            break
    return found


def _pairs_at(
    sheet: Sheet, row: int, column: int, text: str, shapes: Sequence[Shape]
) -> Iterator[Pair]:
    label, mark, rest = text.partition(":")
    below = any(one.end <= row and one.left <= column < one.right for one in shapes)
    # Below a table such a text is a note, unless it stands right above the next one.
    over = any(row < one.top <= row + 2 and one.left <= column < one.right for one in shapes)
    if mark and below and rest.strip() and not over:
        return
    if mark and rest.strip() and len(label) <= _LONGEST and not label.strip().isdigit():
        yield Pair(label.strip(), row, column, rest.strip(), "inside", sure=True)
        return
    label = text.strip().rstrip(":：").strip()
    sure = text.strip()[-1:] in (":", "：")
    # Without its mark a text with a comma, or of several sentences, is a title.
    if not label or len(label) > _LONGEST or (not sure and re.search(r"[,;.!?] ", label)):
        return
    at = _next_right(sheet, row, column)
    if at < sheet.width and not any(
        one.top <= row < one.end and one.left <= at < one.right for one in shapes
    ):
        value = sheet.rows[row][at]
        ends = isinstance(value, str) and value.strip()[-1:] in (":", "：")
        # Two texts beside each other are a pair if nothing else stands in their row.
        alone = sum(cell != "" for cell in sheet.rows[row]) == 2
        if not ends and (sure or not isinstance(value, str) or alone):
            yield Pair(label, row, column, value, "right", sure)
            return
    under = sheet.cell(row + 1, column)
    # Without a mark only a figure below is a value, and only where no table stands.
    if under != "" and (sure or (not shapes and not isinstance(under, str))):
        yield Pair(label, row, column, under, "below", sure)


def _next_right(sheet: Sheet, row: int, column: int) -> int:
    """The next filled cell right of a cell; the width of the sheet if there is none."""
    start = sheet.merged(row, column).right + 1
    cells = sheet.rows[row]
    return next((at for at in range(start, sheet.width) if cells[at] != ""), sheet.width)
