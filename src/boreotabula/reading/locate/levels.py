"""The rows of a nested heading, one for each of its levels, where other rows may stand between."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.plan import PASSED, BlockPlan
from boreotabula.workbooks.sheet import Sheet

_TWO = 2
"""So many headings make a row beyond a blank one a level: a title or cover cell stands alone."""


def level_row(rows: Sequence[int], block: BlockPlan, level: int) -> int:
    """The row of a level among those that were found: the first of its rows, if it has several.

    Where fewer rows were found than there are levels, upper ones are missing: then the first row.
    """
    missing = block.depth - len(rows)
    return rows[max(block.levels.index(level) - missing, 0)] if rows else 0


def levels_up(
    sheet: Sheet, block: BlockPlan, rows: range, top: int, columns: range
) -> tuple[int, ...]:
    """The rows of the levels, top to bottom, found from the lowest heading row upwards.

    Each level takes the next row in which a heading begins over `columns`, those of the cross-tab;
    a level that is passed over takes the next row, whatever it holds. `rows` are all that could
    hold headings, those from `top` on surely do.
    """
    floor, bottom = rows.start, rows.stop - 1
    # The levels of a list are joined, blank ones too: its rows follow each other. Where no heading
    # is known to stand over the values, none is looked for further up: it would be a cover cell.
    if not block.across or not any(_begin(sheet, row, columns) for row in range(top, bottom + 1)):
        return tuple(range(max(bottom - block.depth + 1, floor), bottom + 1))
    columns = _run_of(sheet, bottom, columns) if not block.gaps else columns
    found: list[int] = []
    row = bottom
    for level in reversed(block.levels):
        if level != PASSED:
            row = next(_begins_up(sheet, row, top, floor, columns), row)
        if row < floor:
            break
        found.append(row)
        row -= 1
    return tuple(reversed(found))


def _begins_up(sheet: Sheet, row: int, top: int, floor: int, columns: range) -> Iterator[int]:
    """The rows from one upwards that could be the next level, the nearest first."""
    while row >= max(top, floor):
        if _begin(sheet, row, columns):
            yield row
        row -= 1
    if row < floor:
        return
    if _begin(sheet, row, columns):
        yield row
    # One blank row may set levels apart; what stands further off is a cover.
    elif row > floor and _begin(sheet, row - 1, columns) >= _TWO:
        yield row - 1


def levels_down(
    sheet: Sheet, block: BlockPlan, top: int, end: int, columns: range
) -> tuple[int, ...]:
    """The same from a known first heading row downwards; `end` is the first row that is none."""
    if not block.across:
        return tuple(range(top, min(top + block.depth, end)))
    rows: list[int] = []
    row = top
    for level in block.levels:
        if row >= end:
            break
        blank = bool(rows) and row + 1 < end and not _begin(sheet, row, columns)
        if level != PASSED and blank and _begin(sheet, row + 1, columns):
            row += 1
        rows.append(row)
        row += 1
    return tuple(rows)


def _run_of(sheet: Sheet, row: int, columns: range) -> range:
    """The columns up to the first blank one of a row; all if its first one is blank.

    Another table beside this one has heading rows of its own.
    """
    filled: list[bool] = sheet.filled[row, columns.start : columns.stop].tolist()
    length = filled.index(False) if False in filled else len(filled)
    return range(columns.start, columns.start + length) if length else columns


def _begin(sheet: Sheet, row: int, columns: range) -> int:
    """How many headings begin in a row, over some columns."""
    return int(np.count_nonzero(sheet.filled[row, columns.start : columns.stop]))


def last_heading_row(sheet: Sheet, row: int, end: int, leading: range, most: int) -> int:
    """The last heading row from one on that is known, at most so many further down: a row that is
    blank in the leading columns, and filled right of them, names no line."""
    last = row
    while last - row < most and last + 1 < end:
        below = sheet.filled[last + 1]
        if below[leading.start : leading.stop].any() or not below[leading.stop :].any():
            break
        last += 1
    return last


def any_in_row(filled: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which rows hold anything."""
    return np.logical_or.reduce(filled, axis=1)  # type: ignore[no-any-return]
