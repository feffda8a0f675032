"""Labels with their values, outside of the tables: what a form says once for all its records."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from boreotabula.drafting.texts.periods import period_of
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet

_LONGEST = 40
"""A longer text is a sentence, and not a label."""
_MARKS = (":", "：")


@dataclass(frozen=True)
class Pair:
    """A label and its value; rows and columns count from 0."""

    label: str
    row: int
    column: int
    value: Cell
    way: str
    """Where the value is: 'right', 'below', or 'inside' the cell of the label."""
    sure: bool
    """Whether the label ends as labels do."""


Share = Callable[[str], float]
"""The share of the tabs of a kind that hold a text outside of their tables."""


def inside(shapes: Sequence[Shape], row: int, column: int) -> bool:
    """Whether a cell belongs to a table, including its headings."""
    return any(
        min(shape.top, shape.highest) <= row < shape.end and shape.left <= column < shape.right
        for shape in shapes
    )


def pairs_of(sheet: Sheet, shapes: Sequence[Shape], share: Share | None = None) -> list[Pair]:
    """The labelled values of a sheet outside of its tables, in reading order.

    A label is marked by its colon, or stays from tab to tab, as `share` shows. On a single tab, two
    cells beside each other are a pair.
    """
    pairs: list[Pair] = []
    taken: set[tuple[int, int]] = set()
    # Row by row, since labels are read as people read them.
    for row in np.flatnonzero(sheet.filled.any(axis=1)).tolist():
        columns = [
            index
            for index in np.flatnonzero(sheet.filled[row]).tolist()
            if not inside(shapes, row, index)
        ]
        for number, column in enumerate(columns):
            cell = sheet.rows[row][column]
            # The value of a label to its left is no label itself.
            if (row, column) in taken or not isinstance(cell, str) or reads_as_figure(cell):
                continue
            right = columns[number + 1] if number + 1 < len(columns) else None
            for pair in _pairs_at(_Line(sheet, row, columns, shapes, share), column, right):
                pairs.append(pair)
                if pair.way == "right" and right is not None:
                    taken.add((row, right))
                if pair.way == "below":
                    taken.add((row + 1, column))
                break
    return pairs


@dataclass(frozen=True)
class _Line:
    """A row of a sheet, and its filled columns outside of the tables of the sheet."""

    sheet: Sheet
    row: int
    columns: Sequence[int]
    shapes: Sequence[Shape]
    share: Share | None


def _pairs_at(line: _Line, column: int, right: int | None) -> Iterator[Pair]:
    """The pair whose label stands in a column of a line, if there is one; `right` is the next
    filled column, or None."""
    sheet, row, shapes, share = line.sheet, line.row, line.shapes, line.share
    text = str(sheet.rows[row][column])
    label, mark, rest = text.partition(":")
    # Digits before a colon are a time of day.
    if mark and rest.strip() and len(label) <= _LONGEST and not label.strip().isdigit():
        if not _is_note(row, column, shapes):
            yield Pair(label.strip(), row, column, rest.strip(), "inside", sure=True)
        return
    label = text.strip().rstrip(":：").strip()
    sure = text.strip()[-1:] in _MARKS
    # Without its mark a text with a comma, or of several sentences, is a title; a word for totals
    # belongs to a table, if there is one, unless it stands in its footer.
    of_table = shapes and is_total(label) and not _is_in_footer(sheet, row, column, shapes)
    sentence = not sure and (re.search(r"[,;.!?] ", label) or of_table)
    if not label or len(label) > _LONGEST or sentence:
        return
    stays = sure or share is None or share(text) >= _ONE_LANGUAGE
    if right is not None and not sure and _is_label(line, right):
        return
    if right is not None and stays and not _crosses(row, column, right, shapes):
        # Right before below: it is the more usual of the two.
        value = sheet.rows[row][right]
        marked = isinstance(value, str) and value.strip()[-1:] in _MARKS
        alone = _stand_alone(line.columns, column, right)
        if not marked and (sure or _is_value(text, value, alone, share)):
            yield Pair(label, row, column, value, "right", sure)
            return
    under = sheet.cell(row + 1, column)
    # Without a mark only a figure below is a value, and only where no table stands.
    is_value = sure or (not shapes and not isinstance(under, str))
    if under != "" and is_value and not inside(shapes, row + 1, column):
        yield Pair(label, row, column, under, "below", sure)


_MOST_HAVE = 0.5
"""A label stands on at least half of the tabs; a value does not."""
_ONE_LANGUAGE = 0.25
"""Or on a quarter of them, because each language has its own labels. The tabs that share the other
labels show whether they are labels of a form, and not remarks."""


def _is_value(label: str, value: Cell, alone: bool, share: Share | None) -> bool:
    """Whether the cell right of a label without a mark is its value: a figure or period, a text
    that other tabs have not, or one that stands `alone` with it."""
    if not isinstance(value, str) or reads_as_figure(value) or period_of(value):
        return True
    if value.strip().casefold() == label.strip().casefold():
        return False
    return alone or (share is not None and share(value) < share(label))


def _is_label(line: _Line, column: int) -> bool:
    """Whether the cell right of a text is itself a label: it stays, and what follows it varies."""
    cells, share = line.sheet.rows[line.row], line.share
    cell = cells[column]
    after = [index for index in line.columns if index > column]
    if not isinstance(cell, str) or not after or share is None or share(cell) < _MOST_HAVE:
        return False
    return not reads_as_figure(cell) and _is_value(cell, cells[after[0]], False, share)


def _stand_alone(columns: Sequence[int], column: int, right: int) -> bool:
    """Whether two cells are the only ones in their row, or in their run of cells."""
    beside = right == column + 1
    apart = column - 1 not in columns and right + 1 not in columns
    return len(columns) == 2 or (beside and apart)


def _is_in_footer(sheet: Sheet, row: int, column: int, shapes: Sequence[Shape]) -> bool:
    """Whether a text stands right below a table, not under its first column, alone with its right
    neighbour: below the lines of an invoice, say."""
    return any(
        shape.left < column < shape.right
        and shape.end <= row
        and sheet.filled[shape.end : row + 1].any(axis=1).all()
        and not sheet.filled[row, :column].any()
        for shape in shapes
    )


def _is_note(row: int, column: int, shapes: Sequence[Shape]) -> bool:
    """Whether a text below a table is a note; a text right above the next table is not."""
    below = any(shape.end <= row and shape.left <= column < shape.right for shape in shapes)
    over = any(
        row < shape.top <= row + 2 and shape.left <= column < shape.right for shape in shapes
    )
    return below and not over


def _crosses(row: int, column: int, right: int, shapes: Sequence[Shape]) -> bool:
    """Whether a table stands between two cells of a row."""
    return any(shape.top <= row < shape.end and column < shape.left <= right for shape in shapes)
