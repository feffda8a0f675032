"""The table below a caption whose leading columns are named by position."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.subjects.tables import NOTHING_BELOW_CAPTION
from boreotabula.reading.cells import is_figure
from boreotabula.reading.locate.by_position import by_levels, leading_of, nothing_there
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.levels import any_in_row, levels_down, levels_up
from boreotabula.reading.locate.place import Found
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet


def below_caption(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """The table below a caption, which stands in the first row of the area.

    Its columns are named by position. The caption may stand in the corner of the table itself.
    """
    start = area.rows.start
    under = _under(sheet, block, area, start + 1)
    corner = _under(sheet, block, area, start)
    in_corner = corner is not None and corner.top == start and bool(block.across)
    # A remark beside the caption does not make it the corner of the table.
    if (
        corner
        and in_corner
        and (under is None or (not under.bare and _heads(sheet, block, corner, under, area)))
    ):
        under = corner
    if under is None:
        where = sheet.address(start, area.columns.start)
        kind, row = NOTHING_BELOW_CAPTION, sheet.row_called(start)
        return [], [nothing_there(block, kind, where, place=row)]
    columns = range(under.left + leading_of(block), area.columns.stop)
    levels: tuple[int, ...] = ()
    if under.bare:
        rows = range(under.top, under.bottom + 1)
        levels = levels_up(sheet, block, rows, under.bottom, columns)
    elif block.depth:
        levels = levels_down(sheet, block, under.top, area.rows.stop, columns)
    return [by_levels(sheet, block, levels, min(levels, default=under.top), under.left, area)], []


@dataclass(frozen=True)
class _Under:
    """Where the table below a caption begins.

    Its left column, the first and last row that can hold headings, and whether its leading columns
    have none (`bare`).
    """

    left: int
    top: int
    bottom: int
    bare: bool


def _under(sheet: Sheet, block: BlockPlan, area: TableFrame, start: int) -> _Under | None:
    """Find the table that begins in a row of an area or below it.

    The first row with a filled leading column is the first below the headings if as many rows as
    there are levels stand above it. Otherwise these columns have headings, and it is one of their
    rows.
    """
    columns = area.columns
    within = sheet.filled[start : area.rows.stop, columns.start : columns.stop]
    counts = np.count_nonzero(within, axis=1)
    # Lines alone between caption and table, of the unit perhaps, do not tell where it begins.
    wide = [row for row in _first_rows(counts, block.depth) if counts[row] > 1]
    if not wide:
        return None
    left = int(within[wide].any(axis=0).argmax())
    number = leading_of(block)
    if not number:
        top = start + wide[0]
        return _Under(columns.start + left, top, top, bare=False)
    beside = within[:, left + number :]
    right = any_in_row(beside)
    leading = any_in_row(within[:, left : left + number])
    # A line alone above the headings names no row.
    leading[: int(right.argmax())] = False
    if not leading.any():
        return None
    named = int(leading.argmax())
    above = np.flatnonzero(right[:named]).tolist()
    # Of one level, headings that name no line right below show that the row above is a remark.
    deeper = named + 1 < len(within) and right[named + 1] and not leading[named + 1]
    if block.depth == 1 and not above and deeper and not _fuller(beside, named, named + 1):
        return _under(sheet, block, area, start + named + 1)
    rows = range(start, area.rows.stop)
    if block.depth == 1 and _is_remark(sheet, above, named, beside, rows, columns):
        above = []
    bare = len(above) >= block.depth
    top, bottom = (above[0] if above else named), (above[-1] if bare else named)
    return _Under(columns.start + left, start + top, start + bottom, bare)


def _is_remark(
    sheet: Sheet,
    above: Sequence[int],
    named: int,
    right: NDArray[np.bool_],
    rows: range,
    columns: range,
) -> bool:
    """Whether the only row above the first named one is a remark.

    A remark is a text alone, while the named row holds only texts and has the headings: several of
    them, or over other columns.
    """
    if len(above) != 1:
        return False
    over = right[above[0]]
    alone = np.count_nonzero(sheet.filled[rows.start + above[0], columns.start : columns.stop]) == 1
    several = np.count_nonzero(right[named]) >= _SEVERAL
    if not alone or not (several or not right[named:, over].any()):
        return False
    cells = sheet.rows[rows.start + named][columns.start : columns.stop]
    return not any(is_figure(sheet, cell) for cell in cells if cell != "")


def _fuller(filled: NDArray[np.bool_], row: int, count: int) -> bool:
    """Whether a row fills more columns than another one."""
    return bool(np.count_nonzero(filled[row]) > np.count_nonzero(filled[count]))


_SEVERAL = 2
"""A caption stands above a row that fills several columns; a remark does not."""


def _first_rows(counts: NDArray[np.integer[Any]], depth: int) -> list[int]:
    """The filled rows of a table down to a blank one, or past it where too few came before."""
    rows: list[int] = []
    for row, count in enumerate(counts.tolist()):
        if count:
            rows.append(row)
        elif len(rows) > depth:
            break
    return rows


def _heads(sheet: Sheet, block: BlockPlan, over: _Under, below: _Under, area: TableFrame) -> bool:
    """Whether the first row of a possible table has a heading over each cell of the row below; with
    several levels, over the first of them."""
    columns = slice(over.left + leading_of(block), area.columns.stop)
    headed, filled = (sheet.filled[under.top, columns] for under in (over, below))
    if not filled.any():
        return bool(headed.any())
    return bool(headed[filled].all() if block.depth == 1 else headed[int(filled.argmax())])
