"""Places that the layout gives: by an address, by position, or by a table object."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import WHOLE, ScopedFinding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.tables import (
    LEADING_HEADINGS_UNKNOWN,
    NOTHING_AT_PLACE,
    TAB_OF_TABLE_EMPTY,
    TABLE_OBJECT_BLANK,
    TABLE_OBJECT_MISSING,
)
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.patterns import first_match
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.levels import last_heading_row, levels_down, levels_up, refused_rows
from boreotabula.reading.locate.place import Found, Place, missing_stubs
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet, TableObject


def place_at(sheet: Sheet, block: BlockPlan, row: int, column: int, area: TableFrame) -> Found:
    """The place whose top left heading cell is given."""
    if row + max(block.depth, 1) > sheet.height or column >= sheet.width:
        where = sheet.address(row, column)
        return [], [nothing_there(block, NOTHING_AT_PLACE, where, place=where)]
    columns = range(column + leading_of(block), area.columns.stop)
    levels = levels_down(sheet, block, row, area.rows.stop, columns)
    place = by_levels(sheet, block, levels, row, column, area)
    return [place], list(map(ScopedFinding, missing_stubs(sheet, block, place)))


def leading_of(block: BlockPlan) -> int:
    """How many leading columns of a cross-tab are named by position."""
    return len(block.columns) if block.across else 0


def by_levels(
    sheet: Sheet, block: BlockPlan, levels: Sequence[int], top: int, left: int, area: TableFrame
) -> Place:
    """The place whose heading levels and left column are known.

    `top` is its first heading row, or its first row if it has no headings.
    """
    rows = range(min([top, *levels]), max(levels, default=top - 1) + 1)
    stub = _stub_in(sheet, block, block.names, rows, left, area.columns.stop)
    return Place(
        top=rows.start,
        bottom=rows.stop - 1,
        stub=stub,
        marks=stub,
        end=area.rows.stop,
        limit=area.columns.stop,
        left=left,
        fixed=True,
        levels=tuple(levels),
        leading=leading_of(block),
    )


def by_position(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """A block whose columns are named by position, and whose place is not given.

    It begins with the row that holds most headings of these fields, in the column of the first of
    them. Where no heading is known, it begins with the first row as wide as the table: cover rows
    above it hold fewer cells.
    """
    # Without a cell there is no row that could be the widest.
    if sheet.blank:
        return [], [nothing_there(block, TAB_OF_TABLE_EMPTY)]
    filled = sheet.filled
    # Headings tell the place better than widths do: cover rows can be wide as well.
    row = _heading_row(sheet, block, block.names) if block.depth else None
    if block.across:
        return _by_leading_heading(sheet, block, row, area)
    if row is None:
        row = _first_wide_row(filled.sum(axis=1), len(block.columns))
    return place_at(sheet, block, row, int(filled[row:].any(axis=0).argmax()), area)


def _by_leading_heading(sheet: Sheet, block: BlockPlan, row: int | None, area: TableFrame) -> Found:
    """A cross-tab named by position, found by the headings of some of its leading columns.

    `row` is the first that could be one of its heading rows.
    """
    if row is None:
        named = filter(None, block.columns)
        return [], [nothing_there(block, LEADING_HEADINGS_UNKNOWN, marks=named)]
    known_pairs = [
        (index, column - block.columns.index(field))
        for index in range(row, min(row + block.depth, sheet.height))
        for _, column, text in sheet.texts(range(index, index + 1))
        if (field := block.names.field_of(text)) and field in block.columns
    ]
    row, left = known_pairs[-1][0], max(known_pairs[-1][1], 0)
    columns = range(left + len(block.columns), area.columns.stop)
    leading = range(left, columns.start)
    lowest = last_heading_row(sheet, row, area.rows.stop, leading, block.depth - 1)
    rows = range(area.rows.start, lowest + 1)
    refused = refused_rows(sheet, block, rows, leading, columns)
    kept = [row for row in rows if row not in refused]
    levels = levels_up(sheet, block, kept, row, columns)
    place = replace(by_levels(sheet, block, levels, row, left, area), refused=refused)
    return [place], []


def _heading_row(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> int | None:
    """The row that holds most headings of the named fields: at least two of them, or the only
    one."""
    wanted = {field for field in block.columns if field}
    fields: dict[int, set[str]] = {}
    for row, _, text in sheet.texts():
        field = names.field_of(text)
        if field in wanted and field is not None:
            fields.setdefault(row, set()).add(field)
    counts = {row: len(field) for row, field in fields.items()}
    best = max(counts, key=lambda row: (counts[row], -row), default=None)
    # One word alone could stand anywhere on a cover.
    if best is None or counts[best] < min(2, len(wanted)):
        return None
    return max(best - (block.depth - 1), 0)


def _first_wide_row(widths: NDArray[np.integer[Any]], named: int) -> int:
    """The first row that fills as many cells as the widest, but no more than are named.

    Rows right above it that fill at least half as many also belong to the table.
    """
    # A remark beside the table makes a row wider than the table is.
    most = min(int(widths.max()), named)
    row = int((widths >= most).argmax())
    # The first records may lack cells: they must not be cut off as cover rows.
    while row > 0 and widths[row - 1] > 1 and 2 * widths[row - 1] >= most:
        row -= 1
    return row


def table_places(sheet: Sheet, block: BlockPlan) -> Found:
    """The table objects whose names match."""
    chosen = [
        table for table in sheet.tables if first_match(block.named_table, table.name) is not None
    ]
    # Named, but not there: said with what is there instead.
    if not chosen:
        text = ", ".join(table.name for table in sheet.tables)
        named = (pattern.text for pattern in block.named_table)
        kind = TABLE_OBJECT_MISSING
        return [], [nothing_there(block, kind, marks=named, there=text)]
    places = [
        _table_place(sheet, block, table_object)
        for table_object in chosen
        # An object can lie beyond the last filled cell: then it is blank.
        if table_object.top + table_object.heading_rows <= sheet.height
        and table_object.left < sheet.width
    ]
    if not places:
        where = sheet.address(chosen[0].top, chosen[0].left)
        return [], [nothing_there(block, TABLE_OBJECT_BLANK, where, place=where)]
    missing = [
        ScopedFinding(missing_stub)
        for place in places
        for missing_stub in missing_stubs(sheet, block, place)
    ]
    return places, missing


def _table_place(sheet: Sheet, block: BlockPlan, table: TableObject) -> Place:
    """The frame of a table object; upper heading levels stand above it."""
    top = table.top
    # Table objects have one heading row; further levels can only stand above them.
    first = max(top - (block.depth - table.heading_rows), 0) if table.heading_rows else top
    bottom = top + table.heading_rows - 1
    end = min(table.bottom + 1, sheet.height)
    rows = range(first, bottom + 1)
    stub = _stub_in(sheet, block, block.names, rows, table.left, table.right + 1)
    return Place(
        top=first,
        bottom=bottom,
        stub=stub,
        marks=stub,
        end=end,
        limit=min(table.right + 1, sheet.width),
        left=table.left,
        fixed=True,
        levels=tuple(range(max(bottom - block.depth + 1, first), bottom + 1)),
        leading=leading_of(block),
        # The workbook itself says which rows are totals: no pattern is needed.
        totals_from=table.bottom + 1 - table.totals_rows if table.totals_rows else None,
    )


def _stub_in(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, rows: range, left: int, limit: int
) -> dict[str, int]:
    """The stub columns in given heading rows; by position where the columns are named so."""
    # Named by position, a field is where it is whatever stands over it.
    if block.columns:
        return {
            field: left + index
            for index, field in enumerate(block.columns)
            if field in block.stub and left + index < sheet.width
        }
    numbers: dict[str, int] = {}
    for row in rows:
        for _, column, text in sheet.texts(range(row, row + 1)):
            field = names.field_of(text)
            if field in block.stub and field is not None and left <= column < limit:
                numbers.setdefault(field, column)
    return numbers


def nothing_there(
    block: BlockPlan,
    kind: FindingKind,
    at: Address | None = None,
    *,
    marks: Iterable[str] = (),
    **slots: object,
) -> ScopedFinding:
    """A finding: the table is not there; `marks` says what it was looked for by, if not by its
    headings."""
    named = ", ".join(marks) or ", ".join(block.marks)
    return ScopedFinding(kind(at, marks=named, **slots), WHOLE, WHOLE)
