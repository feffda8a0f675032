"""Tables found by texts in their lowest heading row, where the leading columns need no heading."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from boreotabula.findings.finding import WHOLE, ScopedFinding
from boreotabula.findings.subjects.tables import COLUMNS_BESIDE_CROSS_TAB, FOUND_BY_MISSING
from boreotabula.reading.cells import cell_text
from boreotabula.reading.locate.by_position import by_levels, nothing_there
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.levels import any_in_row, last_heading_row, levels_up, refused_rows
from boreotabula.reading.locate.place import Found, Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import CellKind, Sheet


def found_by(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """Every place whose lowest heading row holds all texts of `found_by`, in reading order.

    Tables side by side hold them once each. A table reaches left as far as cells are filled in its
    heading row or below it, down to the first blank row.
    """
    places: list[Place] = []
    scoped_findings: list[ScopedFinding] = []
    best: set[str] = set()
    for row in area.rows:
        numbers: dict[str, int] = {}
        floor = area.columns.start
        for column, text in _texts_in(sheet, row, area.columns):
            name = next(
                (pattern.text for pattern in block.found_by if pattern.match(text) is not None),
                None,
            )
            if name is None:
                continue
            numbers.setdefault(name, column)
            best = max(best, set(numbers), key=len)
            if len(numbers) < len(block.found_by):
                continue
            first, numbers = min(numbers.values()), {}
            rows = range(row, area.rows.stop)
            left = _left_edge(sheet, block, rows, first, floor)
            again = floor > area.columns.start and _goes_on(sheet, block, rows, floor, first, left)
            floor = column + 1
            # Under several upper headings the same ones stand again.
            if again:
                continue
            start = left + len(block.columns)
            if first < start:
                scoped_findings.append(_over_leading(sheet, block, row, first, left))
                continue
            # Rows of the table above must not be taken for heading levels of this one.
            over = [
                place.bottom + 1 for place in places if place.bottom < row and place.left <= first
            ]
            free = max([*over, area.rows.start])
            places.append(_place_at(sheet, block, area, (row, left), free))
    if not places and not scoped_findings:
        marks, there = (pattern.text for pattern in block.found_by), ", ".join(sorted(best))
        scoped_findings.append(nothing_there(block, FOUND_BY_MISSING, marks=marks, there=there))
    return places, scoped_findings


def _place_at(
    sheet: Sheet, block: BlockPlan, area: TableFrame, corner: tuple[int, int], free: int
) -> Place:
    """The place whose texts stand in the row of its `corner`, and which begins at its column.

    Heading levels may stand above, down from the row `free`.
    """
    row, left = corner
    leading = range(left, left + len(block.columns))
    columns = range(leading.stop, area.columns.stop)
    # Rows that are passed over may stand below the one that holds the texts.
    lowest = last_heading_row(sheet, row, area.rows.stop, leading, block.trailing_passed)
    rows = range(free, lowest + 1)
    refused = refused_rows(sheet, block, rows, leading, columns)
    kept = [row for row in rows if row not in refused]
    levels = levels_up(sheet, block, kept, row, columns)
    return replace(by_levels(sheet, block, levels, row, left, area), refused=refused)


def _goes_on(
    sheet: Sheet, block: BlockPlan, rows: range, floor: int, first: int, left: int
) -> bool:
    """Whether headings met again, from `first` on, still belong to the table whose own headings end
    before `floor`: nothing separates them, and no leading columns stand between."""
    if left > floor:
        return block.gaps
    between = range(first - len(block.columns), first)
    if between.start < floor:
        return True
    # Leading columns name rows; with figures below it is a column of the same table.
    below = sheet.kinds[rows.start + 1 : _end_of_rows(sheet, rows, floor), between.start : first]
    return bool((below == CellKind.NUMBER).any())


def _texts_in(sheet: Sheet, row: int, columns: range) -> Iterator[tuple[int, str]]:
    """Column and text of the filled cells of a row; numbers and dates as displayed."""
    for column in np.flatnonzero(sheet.filled[row, columns.start : columns.stop]).tolist():
        yield column + columns.start, cell_text(sheet.rows[row][column + columns.start])


def _left_edge(sheet: Sheet, block: BlockPlan, rows: range, first: int, floor: int) -> int:
    """The left edge of a table whose first heading is known.

    A blank column ends the table, unless the leading columns reach just beyond.
    """
    # A remark below the table must not stretch it.
    end = _end_of_rows(sheet, rows, floor)
    used: list[bool] = np.logical_or.reduce(sheet.filled[rows.start : end]).tolist()
    left = first
    while left > floor and used[left - 1]:
        left -= 1
    # A leading column may be blank throughout: it has a name all the same.
    named = first - len(block.columns)
    return named if floor <= named < left and used[named] else left


def _end_of_rows(sheet: Sheet, rows: range, floor: int) -> int:
    """The row before which a table ends: the first that is blank from a column on.

    The first of `rows` is a heading row. A blank row right below it may only set the headings
    apart.
    """
    filled: list[bool] = any_in_row(sheet.filled[rows.start : rows.stop, floor:]).tolist()
    filled[:2] = [True] * len(filled[:2])
    return rows.start + (filled.index(False) if False in filled else len(rows))


def _over_leading(sheet: Sheet, block: BlockPlan, row: int, first: int, left: int) -> ScopedFinding:
    """A finding: a heading of the cross-tab stands over a column that `columns` names."""
    heading, where = cell_text(sheet.rows[row][first]), sheet.address(row, first)
    finding = COLUMNS_BESIDE_CROSS_TAB(
        where,
        heading=heading,
        place=first - left + 1,
        named=len(block.columns),
        there=first - left,
    )
    return ScopedFinding(finding, WHOLE, WHOLE)
