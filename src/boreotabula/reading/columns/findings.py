"""Findings about the columns of a block."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from boreotabula.findings.finding import Finding, ScopedFinding, Spot
from boreotabula.findings.subjects.headings import (
    HEADING_BEYOND_GAP,
    HEADING_CONTRADICTS,
    HEADING_LEVEL_BLANK,
    HEADING_UNKNOWN,
    HEADINGS_REPEATED,
    LEVEL_CONTRADICTS,
    VALUE_HEADING_UNKNOWN,
)
from boreotabula.findings.subjects.tables import (
    COLUMNS_DIFFER,
    FIELD_MISSING,
    REQUIRED_FIELD_MISSING,
    RULE_TAKES_ALL,
    VALUES_BEYOND_COLUMNS,
    VALUES_WITHOUT_HEADING,
)
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.kinds import Column, ColumnKind, ColumnReason, Columns
from boreotabula.reading.columns.levels import Headings, HeadingsOver
from boreotabula.reading.locate.levels import level_row
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.sheets.sheet import Sheet


def unknown_heading(place: Headings, column: int, heads: HeadingsOver) -> Finding:
    heading = heads.joined or heads.own[-1]
    return HEADING_UNKNOWN(place.address(place.bottom, column), heading=heading)


def unknown_value(place: Headings, block: BlockPlan, column: int, heads: HeadingsOver) -> Finding:
    label = one_line(cell_text(heads.labels[-1])) or "blank"
    where = place.address(place.bottom, column)
    return VALUE_HEADING_UNKNOWN(where, heading=label, values=", ".join(block.value))


def blank_level(
    place: Headings, block: BlockPlan, column: int, heads: HeadingsOver
) -> Finding | None:
    blank = [
        (level, field)
        for level, (field, label) in enumerate(zip(block.across, heads.labels, strict=False))
        if label == ""
    ]
    # Most columns have all their levels.
    if not blank:
        return None
    level, field = blank[0]
    index = column - place.left
    row = level_row(place.levels, block, level)
    cells = place.rows[row] if place.rows else ()
    # A heading right of it is often the one that was meant to reach over this column, too.
    right = next((n for n, cell in enumerate(cells) if n > index and cell != ""), None)
    beside: dict[str, object] = {"text": "", "cell": ""}
    if right is not None:
        where = place.address(place.top + row, place.left + right)
        beside = {"text": one_line(cell_text(cells[right])), "cell": where}
    return HEADING_LEVEL_BLANK(
        place.address(place.top + row, column), field=field, heading=heads.own[-1], **beside
    )


def contradicting(
    place: Headings, block: BlockPlan, columns: Mapping[int, tuple[str, str]]
) -> Finding:
    """A finding: columns named by position have the headings of other fields; `columns` gives both
    fields by column."""
    column, (field, known_text) = next(iter(columns.items()))
    heading = one_line(cell_text(place.rows[-1][column - place.left])) or known_text
    return HEADING_CONTRADICTS(
        place.address(place.bottom, column),
        field=field,
        heading=heading,
        known=known_text,
        more=len(columns) - 1,
    )


def level_contradicts(
    place: Headings, block: BlockPlan, row: int, column: int, field: str, level: int
) -> Finding:
    """A finding: a text over the stub names another level than its row was read as."""
    return LEVEL_CONTRADICTS(
        place.address(place.top + row, column),
        field=field,
        heading=one_line(cell_text(place.rows[row][column - place.left])),
        level=block.across[level] if 0 <= level < len(block.across) else "",
    )


def too_narrow(place: Headings, block: BlockPlan, position: int) -> Finding:
    """A finding: a table has fewer columns than `columns` names."""
    where = place.address(max(place.bottom, 0), place.left)
    return COLUMNS_DIFFER(where, named=len(block.columns), columns=position)


def nothing_left(place: Headings, block: BlockPlan, rule: str) -> Finding:
    """A finding: a rule of `ignore` leaves no column of values."""
    where = place.address(max(place.bottom, 0), place.left)
    return RULE_TAKES_ALL(where, rule=rule, lines="column")


def fields_missing(
    place: Headings, plan: Plan, block: BlockPlan, taken: Mapping[str, int]
) -> Iterator[Finding]:
    """A finding: fields of the output that nothing on this tab fills."""
    expected = [
        *plan.tables[block.into],
        # A field that any heading may fill is missed only if it is required.
        *(plan.unclaimed & plan.required if block.is_list else ()),
    ]
    for field in expected:
        # What other blocks are for is no loss of this one.
        is_known = field in block.filled or field in taken or field in block.optional_fields
        if is_known or field in block.foreign or block.by_list:
            continue
        kind = REQUIRED_FIELD_MISSING if field in plan.required else FIELD_MISSING
        yield kind(place.address(place.bottom, place.left) if place.rows else None, field=field)


def values_twice(place: Headings, columns: Columns) -> Iterator[tuple[int, Finding]]:
    """A finding: two columns have the same headings, so only the cells tell their records apart."""
    first: dict[tuple[str, tuple[str, ...]], Column] = {}
    for column in columns.of(ColumnKind.VALUE):
        # In normal form: “A” and “a ” over two columns are the same to whoever reads the records.
        labels = tuple(normal_form(cell_text(label)) for label in column.labels)
        before = first.setdefault((column.field, labels), column)
        # Blank headings are told as such, not as headings that repeat.
        if before is not column and any(labels):
            yield (
                column.column,
                HEADINGS_REPEATED(
                    place.address(place.bottom, column.column),
                    headings=" / ".join(one_line(cell_text(label)) for label in column.labels),
                    first=place.address(place.bottom, before.column),
                ),
            )


def without_heading(sheet: Sheet, place: Place, column: Column, row: int, number: int) -> Finding:
    """A finding: cells of a column that has no heading; `row` is the first of them."""
    where = sheet.address(row, column.column)
    slots = {
        "cells": number,
        "column": sheet.column_called(column.column),
        "text": cell_text(sheet.rows[row][column.column]),
    }
    if column.cause is ColumnReason.UNNAMED:
        return VALUES_BEYOND_COLUMNS(where, **slots)
    bottom = max(place.bottom, 0)
    return VALUES_WITHOUT_HEADING(
        where,
        heading_cell=sheet.address(bottom, column.column),
        heading_row=sheet.row_called(bottom),
        **slots,
    )


def beyond_gap(
    sheet: Sheet,
    place: Place,
    right: int,
    last: int,
    claimed_cells: Collection[Spot],
    *,
    leave_out: bool,
) -> Iterator[ScopedFinding]:
    """A finding: headings with cells below them, right of the gap that ends the block.

    `last` is the last row of the block. Headings that the layout excludes, labels of stamps and
    cells in `claimed_cells` do not count.
    """
    if leave_out:
        return
    for column in range(right, place.limit):
        headings = [sheet.rows[row][column] for row in range(place.top, place.bottom + 1)]
        texts = [
            cell_text(cell)
            for row, cell in enumerate(headings, place.top)
            if cell != "" and (row, column) not in claimed_cells
        ]
        # A heading over nothing, or values of another table, are no part of this one.
        if texts and sheet.column_filled(column, place.bottom + 1, last + 1):
            finding = HEADING_BEYOND_GAP(
                sheet.address(place.bottom, column),
                column=sheet.column_called(right),
                heading=texts[-1],
            )
            rows, columns = range(place.top, last + 1), range(right, place.limit)
            yield ScopedFinding(finding, rows, columns, lapses=True)
            # The first column stands for all behind the gap: they have one cause.
            return
