"""The rows of a nested heading, one for each level, where other rows may stand between."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.places import Refusal
from boreotabula.layout.field_types import Nature
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.plan import PASSED, BlockPlan
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Sheet

_TWO = 2
"""This many headings make a row above a blank one a level: a title or cover cell stands alone."""


def level_row(rows: Sequence[int], block: BlockPlan, level: int) -> int:
    """The row of a level among those found: its first row, if it has several.

    Where fewer rows were found than there are levels, upper ones are missing: then the first row.
    """
    missing = block.depth - len(rows)
    return rows[max(block.levels.index(level) - missing, 0)] if rows else 0


def levels_up(
    sheet: Sheet, block: BlockPlan, rows: Sequence[int], top: int, columns: range
) -> tuple[int, ...]:
    """The rows of the levels, top to bottom, found from the lowest heading row upwards.

    Each level takes the next row in which a heading begins over `columns`, those of the cross-tab.
    A level that is passed over takes the next row, whatever it holds. `rows` are all that could
    hold headings, top to bottom; those from `top` on surely do.
    """
    bottom = rows[-1]
    # The levels of a list are joined, blank ones too: its rows follow each other. Where no heading
    # is known to stand over the values, none is looked for further up: it would be a cover cell.
    sure = (row for row in rows if row >= top)
    if not block.across or not any(_begin(sheet, row, columns) for row in sure):
        return tuple(rows[max(len(rows) - block.depth, 0) :])
    columns = _run_of(sheet, bottom, columns) if not block.gaps else columns
    numbers: list[int] = []
    index = len(rows) - 1
    for level in reversed(block.levels):
        if level != PASSED:
            index = next(_begins_up(sheet, rows, index, top, columns), index)
        if index < 0:
            break
        numbers.append(rows[index])
        index -= 1
    return tuple(reversed(numbers))


def _begins_up(
    sheet: Sheet, rows: Sequence[int], index: int, top: int, columns: range
) -> Iterator[int]:
    """The indices in `rows`, upwards from a given one, that could be the next level, nearest
    first."""
    while index >= 0 and rows[index] >= top:
        if _begin(sheet, rows[index], columns):
            yield index
        index -= 1
    if index < 0:
        return
    if _begin(sheet, rows[index], columns):
        yield index
    # One blank row may set levels apart; what stands further off is a cover.
    elif index > 0 and _begin(sheet, rows[index - 1], columns) >= _TWO:
        yield index - 1


def refused_rows(
    sheet: Sheet, block: BlockPlan, rows: range, leading: range, columns: range
) -> Mapping[int, Refusal]:
    """Rows above the lowest heading row, the last of `rows`, that are placed like a level but hold
    no headings; and why.

    The columns of a level hold texts, or values of its field. A row of figures over a field of
    texts is refused if it also fills the `leading` columns with anything but headings, or if texts
    stand above it that could be the level instead.
    """
    forms = [
        block.level_forms[level] if level < len(block.level_forms) else None
        for level in reversed(block.levels)
        if level != PASSED
    ][1:]
    columns = _run_of(sheet, rows[-1], columns) if rows and not block.gaps else columns
    refused: dict[int, Refusal] = {}
    row = rows.stop - 2
    for form in forms:
        blank = 0
        while row >= rows.start:
            if not _begin(sheet, row, columns):
                blank += 1
                # One blank row may set levels apart; what stands further off is a cover.
                if blank > 1:
                    return refused
            else:
                above = range(rows.start, row + 1)
                refusal = _refusal(sheet, block, form, above, leading, columns) if form else None
                if refusal is None:
                    break
                refused[row] = refusal
            row -= 1
        row -= 1
    return refused


def _refusal(
    sheet: Sheet,
    block: BlockPlan,
    form: ValueForm,
    rows: range,
    leading: range,
    columns: range,
) -> Refusal | None:
    """Why the last of some rows is no level of a field; None if it may be one."""
    row = rows[-1]
    filled = [column for column in columns if sheet.rows[row][column] != ""]
    if form.type.is_number or _groups(sheet, row, columns):
        return None
    odd = _unreadable(sheet, form, row, filled)
    if 2 * odd <= len(filled):
        return None
    stub = [sheet.rows[row][column] for column in leading if sheet.rows[row][column] != ""]
    if any(block.names.field_of(cell_text(cell)) is None for cell in stub):
        return Refusal.FILLS_STUB
    above = (index for index in range(row - 1, max(row - 3, rows.start - 1), -1))
    nearest = next((index for index in above if _begin(sheet, index, columns)), None)
    if nearest is None:
        return None
    over = [column for column in columns if sheet.rows[nearest][column] != ""]
    return Refusal.FIGURES if 2 * _unreadable(sheet, form, nearest, over) <= len(over) else None


def _unreadable(sheet: Sheet, form: ValueForm, row: int, columns: Sequence[int]) -> int:
    """How many cells of a row cannot be headings of a field."""
    cells = [sheet.rows[row][column] for column in columns]
    if form.type.nature is Nature.TEXT:
        return sum(is_figure(sheet, cell) for cell in cells)
    return len(convert(cells, form).failures)


def _groups(sheet: Sheet, row: int, columns: range) -> bool:
    """Whether the cells of a row stand over groups of columns, as upper headings do.

    Then the first is filled, and others are blank or repeat the one before.
    """
    cells = [sheet.rows[row][column] for column in columns]
    return (
        bool(cells)
        and cells[0] != ""
        and any(cell in ("", before) for before, cell in pairwise(cells))
    )


def levels_down(
    sheet: Sheet, block: BlockPlan, top: int, end: int, columns: range
) -> tuple[int, ...]:
    """The rows of the levels, found downwards from a known first heading row.

    `end` is the first row that is no heading row.
    """
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
    """The columns up to the first blank one of a row; all of them if the first is blank.

    Another table beside this one has heading rows of its own.
    """
    filled: list[bool] = sheet.filled[row, columns.start : columns.stop].tolist()
    length = filled.index(False) if False in filled else len(filled)
    return range(columns.start, columns.start + length) if length else columns


def _begin(sheet: Sheet, row: int, columns: range) -> int:
    """How many headings begin in a row, over some columns."""
    return int(np.count_nonzero(sheet.filled[row, columns.start : columns.stop]))


def last_heading_row(sheet: Sheet, row: int, end: int, leading: range, most: int) -> int:
    """The last heading row, at most this many rows below a known one.

    A row that is blank in the leading columns, and filled right of them, names no record.
    """
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
