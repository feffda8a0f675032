"""Columns that are filled once and hold for the rows below, too: names of groups."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from boreotabula.drafting.columns.column import DraftColumn
from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell

_FEWEST_BLANKS = 0.3
"""A column of groups has at least this share of blank cells: fewer are gaps in what was filled in.
"""
_MOST_AGAIN = 0.1
"""A group begins once in a table: where more values than this share occur again, the blanks are
gaps."""


def find_carried_columns(
    tables: Tables, columns: Sequence[DraftColumn], leading: int | None = None
) -> Iterator[int]:
    """The columns whose cells name the rows down to their next filled cell, left to right.

    The first row of each table is filled, and all rows are named by another column. No value begins
    twice in a group of the carried column before, or at all if there is none, unless cells are
    merged over the rows. If there are `leading` columns, only those.
    """
    before: DraftColumn | None = None
    records = [_is_record(example, shape) for example, shape in tables]
    for index, column in enumerate(columns[:leading]):
        parts = list(_parts(tables, column, records))
        # What the column shows by itself is asked first: most have no blank cell, and a table may
        # have hundreds of columns.
        carries = _has_groups(parts) and _begins_once(parts, before)
        # Nearest first: the column right of it most often names its rows.
        naming = [*columns[index + 1 : index + 1 + _MOST_NAMING], *columns[:index]]
        if carries and any(_is_named_by(parts, other_column) for other_column in naming):
            before = column
            yield index
        else:
            before = None


_MOST_NAMING = 3
"""Among this many columns right of a column of groups, or left of it, is the one that names each
row."""


@dataclass(frozen=True)
class _Part:
    """A column in one of the tables: its rows, without totals and blank ones at its end, and the
    cell in each."""

    table: int
    example: Example
    shape: Shape
    place: int
    rows: Sequence[int]
    cells: Sequence[Cell]

    def cells_of(self, place: int) -> list[Cell]:
        """The cells of another column in the same rows."""
        return [self.example.sheet.rows[row][self.shape.left + place] for row in self.rows]


def _parts(
    tables: Tables, column: DraftColumn, records: Sequence[NDArray[np.bool_]]
) -> Iterator[_Part]:
    """A column in each of the tables that have it; `records` are the rows of each that are no
    totals."""
    for number, place in column.places.items():
        example, shape = tables[number]
        left = shape.left + place
        # Rows that are blank from a column on belong to none of its groups.
        within = example.sheet.filled[shape.first : shape.end, left : shape.right]
        rows = (np.flatnonzero(within.any(axis=1) & records[number]) + shape.first).tolist()
        if rows:
            cells = [example.sheet.rows[row][left] for row in rows]
            yield _Part(number, example, shape, place, rows, cells)


def _is_record(example: Example, shape: Shape) -> NDArray[np.bool_]:
    """Which rows of a table have no leading cell that names a total."""
    columns = slice(shape.left, shape.left + max(shape.leading, 1))
    return np.array(
        [
            not any(is_total(cell_text(cell)) for cell in row[columns] if cell != "")
            for row in example.sheet.rows[shape.first : shape.end]
        ],
        bool,
    )


def _has_groups(parts: Sequence[_Part]) -> bool:
    """Whether a column is filled in the first row of each table, and blank in enough others."""
    if any(part.cells[0] == "" for part in parts):
        return False
    blank = sum(part.cells.count("") for part in parts)
    return blank > 0 and blank >= _FEWEST_BLANKS * sum(len(part.cells) for part in parts)


def _begins_once(parts: Sequence[_Part], within: DraftColumn | None) -> bool:
    """Whether hardly any value begins twice in a group of another column."""
    filled = again = 0
    for part in parts:
        groups = _groups(part, within.places.get(part.table) if within else None)
        texts = [
            (group, cell_text(cell))
            for group, cell in zip(groups, part.cells, strict=True)
            if cell != ""
        ]
        # Merged cells say themselves how far a group reaches, whatever comes again.
        again += 0 if _is_merged(part) else len(texts) - len(set(texts))
        filled += len(texts)
    return again <= _MOST_AGAIN * filled


def _is_named_by(parts: Sequence[_Part], column: DraftColumn) -> bool:
    """Whether another column names the rows whose cell is blank, all by texts, or all by numbers
    and dates."""
    for part in parts:
        place = column.places.get(part.table)
        if place is None:
            if "" in part.cells:
                return False
            continue
        names = part.cells_of(place)
        if any(cell == "" and name == "" for cell, name in zip(part.cells, names, strict=True)):
            return False
        if len({isinstance(name, str) for name in names if name != ""}) > 1:
            return False
    return True


def _groups(part: _Part, outer: int | None) -> list[int]:
    """The index of each row's group: a group begins where a column is filled."""
    if outer is None:
        return [0] * len(part.rows)
    return list(accumulate(int(cell != "") for cell in part.cells_of(outer)))


def _is_merged(part: _Part) -> bool:
    """Whether cells of a column are merged over several rows."""
    column = part.shape.left + part.place
    rows = range(part.shape.first, part.shape.end)
    spans = part.example.sheet.merged_in(rows, range(column, column + 1))
    return any(span.bottom > span.top for span in spans)


def numbers_lines(shapes: Tables, column: DraftColumn) -> bool:
    """Whether a leading column numbers the lines."""
    for number, place in column.places.items():
        example, shape = shapes[number]
        cells = [
            example.sheet.rows[row][shape.left + place] for row in range(shape.first, shape.end)
        ]
        numbers = [cell for cell in cells if isinstance(cell, float)]
        if len(numbers) < len([cell for cell in cells if cell != ""]) or numbers != sorted(numbers):
            return False
    return True
