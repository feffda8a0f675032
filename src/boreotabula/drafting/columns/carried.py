"""Columns that are filled once and hold for the rows below, too: names of groups."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import accumulate

from boreotabula.drafting.columns.column import DraftColumn
from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text

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

    Each is within the groups of the one before it. If there are `leading` columns, only those.
    """
    before: DraftColumn | None = None
    for index, column in enumerate(columns[:leading]):
        # Nearest first: the column right of it most often names its rows.
        naming = [*columns[index + 1 : index + 1 + _MOST_NAMING], *columns[:index]]
        if any(is_filled_once(tables, column, other_column, before) for other_column in naming):
            before = column
            yield index
        else:
            before = None


_MOST_NAMING = 3
"""Among this many columns right of a column of groups, or left of it, is the one that names each
row."""


def is_filled_once(
    tables: Tables,
    column: DraftColumn,
    named_by: DraftColumn | None,
    within: DraftColumn | None = None,
) -> bool:
    """Whether the cells of a column name the rows down to its next filled cell.

    The rows must all be named by another column, `named_by`. The first row of each table is filled.
    No value begins twice in a group of the column `within`, or at all if there is none, unless
    cells are merged over the rows.
    """
    blank = filled = again = 0
    for number, place in column.places.items():
        example, shape = tables[number]
        rows = _rows(example, shape, place)
        cells = [example.sheet.rows[row][shape.left + place] for row in rows]
        if not cells:
            continue
        naming = named_by.places.get(number) if named_by else None
        named = [
            naming is not None and example.sheet.rows[row][shape.left + naming] != ""
            for row in rows
        ]
        if (
            not _is_of_one_look(example, shape, rows, naming)
            or cells[0] == ""
            or any(cell == "" and not is_named for cell, is_named in zip(cells, named, strict=True))
        ):
            return False
        outer = within.places.get(number) if within else None
        groups = _groups(example, shape, rows, outer)
        texts = [
            (group, cell_text(cell))
            for group, cell in zip(groups, cells, strict=True)
            if cell != ""
        ]
        # Merged cells say themselves how far a group reaches, whatever comes again.
        again += 0 if _is_merged(example, shape, place) else len(texts) - len(set(texts))
        filled += len(texts)
        blank += len(cells) - len(texts)
    return (
        blank > 0 and blank >= _FEWEST_BLANKS * (blank + filled) and again <= _MOST_AGAIN * filled
    )


def _is_of_one_look(
    example: Example, shape: Shape, rows: Sequence[int], column: int | None
) -> bool:
    """Whether a column names rows consistently: all by texts, or all by numbers and dates."""
    if column is None:
        return True
    cells = [example.sheet.rows[row][shape.left + column] for row in rows]
    return len({isinstance(cell, str) for cell in cells if cell != ""}) <= 1


def _rows(example: Example, shape: Shape, column: int) -> list[int]:
    """The rows of a table, without totals and those that are empty from a column on."""
    rows = []
    for row in range(shape.first, shape.end):
        cells = example.sheet.rows[row]
        leading = cells[shape.left : shape.left + max(shape.leading, 1)]
        is_blank = not example.sheet.filled[row, shape.left + column : shape.right].any()
        if not is_blank and not any(is_total(cell_text(cell)) for cell in leading if cell != ""):
            rows.append(row)
    return rows


def _groups(example: Example, shape: Shape, rows: Sequence[int], outer: int | None) -> list[int]:
    """The index of each row's group: a group begins where a column is filled."""
    if outer is None:
        return [0] * len(rows)
    begins = [example.sheet.rows[row][shape.left + outer] != "" for row in rows]
    return list(accumulate(map(int, begins)))


def _is_merged(example: Example, shape: Shape, index: int) -> bool:
    """Whether cells of a column are merged over several rows."""
    column = shape.left + index
    spans = example.sheet.merged_in(range(shape.first, shape.end), range(column, column + 1))
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
