"""The roles that do not depend on records: headings, totals, and cells left out by rules."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from boreotabula.findings.finding import Spot
from boreotabula.findings.places import Rule, Why
from boreotabula.reading.account.roles import Role, RoleMap
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.records.build import LongRecords
from boreotabula.reading.rows.findings import empty_group
from boreotabula.reading.rows.table_rows import RowKind, TableRows

_REASONS: Mapping[RowKind, str] = {
    RowKind.NAMELESS: Why.NO_STUB,
    RowKind.NUMBERED: Why.COLUMN_NUMBERS,
    RowKind.LIKE_TOTAL: Why.LIKE_TOTAL,
    RowKind.UNSURE: Why.UNLIKE_RECORDS,
    RowKind.BELOW: Why.BELOW,
    RowKind.GROUP: Why.GROUP_WITHOUT_LINES,
    RowKind.BARE: Why.NO_VALUES,
    RowKind.HEADINGS_AGAIN: Why.HEADINGS_AGAIN,
    RowKind.RECORD: Why.NO_RECORD,
}
"""The reason why the cells of a row are unplaced, unless a record holds them."""


def mark_block(roles: RoleMap, place: Place, columns: Columns, table: TableRows) -> None:
    """Give every cell of the block the role that follows from its row and column.

    Cells that only a record can give a role stay unplaced here, with the reason why they would be.
    """
    every = range(columns.left, columns.right)
    # Frames without headings begin above the sheet's first row.
    headings = [*range(max(place.top, 0), place.bottom + 1), *table.of(RowKind.HEADING)]
    roles.give(headings, every, Role.HEADING)
    roles.give(sorted(place.refused), every, Role.UNPLACED, Why.NO_LEVEL)
    # Only the reason: whether a record holds the cell is booked later.
    for kind, reason in _REASONS.items():
        roles.give(table.of(kind), every, Role.UNPLACED, reason)
    _mark_columns(roles, columns, table, headings)
    totals = table.where(RowKind.TOTAL, RowKind.CONTROL)
    roles.give(totals, _without_unknown(columns), Role.TOTAL)
    _mark_groups(roles, columns, table)
    roles.give(table.where(RowKind.LABEL), every, Role.LABEL)
    by_rule: dict[str, list[int]] = {}
    for row, rule in table.rules.items():
        by_rule.setdefault(str(rule), []).append(row)
    for why, rows in by_rule.items():
        roles.give(rows, every, Role.LEFT_OUT, why)
    if table.ended:
        row, column, text = table.ended
        roles.give([row], [column], Role.LEFT_OUT, f"ends_at: {text}")


def mark_values(roles: RoleMap, long: LongRecords) -> None:
    """Mark cells that belong to a record by their place but that no record holds: those that did
    not convert, and those that stand for no value."""
    for misfit in long.misfits:
        roles.give_spots([(misfit.row, misfit.column)], Role.UNPLACED, str(misfit.reason))
    for spot in long.blanked:
        text = cell_text(roles.sheet.cell(*spot))
        roles.give_spots([spot], Role.LEFT_OUT, f"empty: {text}")


def mark_spots(roles: RoleMap, spots: Iterable[Spot], reason: str) -> None:
    """Mark single cells that no record can hold, with the reason."""
    roles.give_spots(spots, Role.UNPLACED, reason)


def label_cells(roles: RoleMap, spots: Iterable[Spot]) -> None:
    """Make cells labels if they have no role yet."""
    roles.label(spots)


def _mark_columns(
    roles: RoleMap, columns: Columns, table: TableRows, headings: Sequence[int]
) -> None:
    """Mark the cells in heading rows and table rows that their column decides."""
    records = table.records
    within = table.there[table.kinds[table.there - table.start] != RowKind.BELOW].tolist()
    totals = [column.column for column in columns.of(ColumnKind.TOTAL)]
    roles.give(records, totals, Role.TOTAL)
    if not columns.block.is_list:
        stub = [column.column for column in columns.of(ColumnKind.STUB)]
        blank = [*records, *table.of(RowKind.BARE)]
        roles.give(blank, stub, Role.LEFT_OUT, Rule.BLANK)
    for one in columns.of(ColumnKind.IGNORED):
        roles.give([*headings, *within], [one.column], Role.LEFT_OUT, one.why)
    # A year over the stub may be a value that slid up: it must not pass as a heading.
    if not columns.block.columns:  # by position a heading may be a number
        for one in columns.of(ColumnKind.STUB):
            roles.give(
                _figures(roles, headings, one.column),
                [one.column],
                Role.UNPLACED,
                Why.NUMBER_OVER_STUB,
            )
    for one in columns.of(ColumnKind.UNKNOWN, ColumnKind.LIKE_TOTAL):
        if roles.filled[within, one.column].any():
            roles.give([*headings, *within], [one.column], Role.UNPLACED, one.why)
            continue
        # A heading over nothing is a heading; a number there may be more than that.
        figures = _figures(roles, headings, one.column)
        roles.give(figures, [one.column], Role.UNPLACED, one.why)


def _mark_groups(roles: RoleMap, columns: Columns, table: TableRows) -> None:
    """Mark rows that name groups: numbers under values are totals of the group."""
    sheet = roles.sheet
    valued = set(columns.valued)
    for row, name in table.groups.items():
        if not table.lines_of(row):
            # One that the layout names is left out; any other is told as a whole.
            if empty_group(sheet, columns, row, name):
                roles.give([row], range(columns.left, columns.right), Role.LEFT_OUT, Rule.GROUP_ROW)
            continue
        for column in np.flatnonzero(roles.filled[row, columns.left : columns.right]).tolist():
            index = column + columns.left
            if index == name.column:
                continue  # it is in the records of the group, if there are any
            if index not in valued:
                roles.give_spots([(row, index)], Role.LEFT_OUT, Rule.GROUP_ROW)
            elif is_figure(sheet, sheet.rows[row][index]):
                roles.give_spots([(row, index)], Role.TOTAL)


def _figures(roles: RoleMap, rows: Sequence[int], column: int) -> list[int]:
    """The rows where a column holds anything but a text."""
    return [row for row in rows if not isinstance(roles.sheet.rows[row][column], str)]


def _without_unknown(columns: Columns) -> list[int]:
    unknown = (ColumnKind.UNKNOWN, ColumnKind.IGNORED, ColumnKind.LIKE_TOTAL)
    return [column.column for column in columns.every if column.kind not in unknown]
