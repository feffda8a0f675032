"""Rows that name groups, found by the sums of the rows below them; they may be nested."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from boreotabula.drafting.tabs.specimens import Example
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.totals.figures import all_agree

_MOST_MEMBERS = 200
"""Longer groups are not added up: it would take time, and forms have none."""
_LEAST_DIGITS = 8.0
"""Bits of evidence in the sums of a tab that rule out coincidence."""


@dataclass(frozen=True)
class SumRow:
    """A row that holds the sums of rows below it; `end` is the first row that it does not sum
    up."""

    row: int
    end: int
    label: str


def group_names(examples: Sequence[Example]) -> list[list[str]]:
    """The names of groups of each level, outer to inner.

    Empty if rows of sums do not divide all rows of some tables.
    """
    levels: list[dict[str, None]] = []
    for example in examples:
        for shape in example.shapes:
            sum_rows = list(_sum_rows(example, shape))
            if not sum_rows:
                continue
            for sum_row, depth in _with_depth(sum_rows):
                while len(levels) <= depth:
                    levels.append({})
                levels[depth][sum_row.label] = None
    return [list(names) for names in levels if names]


def _sum_rows(example: Example, shape: Shape) -> Iterator[SumRow]:
    """The rows of sums of a table, if all its rows are under one of them."""
    # Numbers alone tell sums, so rows without any are passed over.
    rows = [row for row in range(shape.first, shape.end) if not _is_total(example, shape, row)]
    numbers = example.sheet.numbers[rows][:, shape.values.start : shape.values.stop]
    reduce = np.logical_or.reduce(~np.isnan(numbers), axis=1)
    rows = [row for row, value in zip(rows, reduce.tolist(), strict=True) if value]
    values = np.nan_to_num(numbers[reduce])
    lines: list[int] = []
    sums: dict[int, int] = {}
    # From below: what a row sums up are lines, never other sums.
    for index in range(len(rows) - 1, -1, -1):
        end = _end_of_sum(values, index, lines)
        if end is None:
            lines.append(index)
        else:
            sums[index] = end
    # A line that no row sums up means that these are not groups.
    covered = {line for position, end in sums.items() for line in lines if position < line < end}
    digits = float(np.log2(1 + np.abs(values[list(sums)])).sum()) if sums else 0.0
    if not sums or len(covered) < len(lines) or digits < _LEAST_DIGITS:
        return
    for index in sorted(sums):
        end = rows[sums[index]] if sums[index] < len(rows) else shape.end
        yield SumRow(rows[index], end, _label(example, shape, rows[index]))


def _end_of_sum(values: NDArray[np.float64], index: int, lines: Sequence[int]) -> int | None:
    """The end of the rows below a row that it sums up; `lines` are the rows below, last first. None
    if it is no sum."""
    if not values[index].any() or not lines:
        return None
    below = lines[::-1][:_MOST_MEMBERS]
    # Sums so far, row by row: each end is tried in one comparison.
    so_far = np.cumsum(values[below], axis=0)
    for number in np.flatnonzero((np.abs(so_far - values[index]) <= 0.5).all(axis=1)).tolist():
        # A line that equals the next one alone is no sum, unless more of them are.
        if (number or values.shape[1] > 1) and all_agree(values[index], so_far[number]).all():
            return int(below[number]) + 1
    return None


def _with_depth(sum_rows: Sequence[SumRow]) -> Iterator[tuple[SumRow, int]]:
    """Rows of sums with the number of others around them."""
    open_: list[SumRow] = []
    # A stack of the rows of sums that are still open.
    for sum_row in sum_rows:
        while open_ and open_[-1].end <= sum_row.row:
            open_.pop()
        yield sum_row, len(open_)
        open_.append(sum_row)


def _label(example: Example, shape: Shape, row: int) -> str:
    cells = example.sheet.rows[row][shape.left : shape.left + max(shape.leading, 1)]
    texts = [cell for cell in cells if isinstance(cell, str) and cell.strip()]
    return one_line(texts[-1].strip()) if texts else ""


def _is_total(example: Example, shape: Shape, row: int) -> bool:
    cells = example.sheet.rows[row][shape.left : shape.left + max(shape.leading, 1)]
    return any(is_total(cell_text(cell)) for cell in cells if cell != "")


def patterns_of(names: Sequence[str], most: int) -> list[str]:
    """Patterns for some names: the names, or if they are many, their common beginning."""
    first = names[0].split(" ")[0]
    if len(names) > 1 and all(name.startswith(f"{first} ") for name in names):
        return [f"{first} *"]
    return list(names) if len(names) <= most else []
