"""The roles that do not depend on records: headings, totals, what rules leave out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.roles import Role, RoleMap
from boreotabula.reading.rows.lines import LineKind, Lines

BLANK_RULE = "blank"
"""The rule that leaves out the stub cells of rows without values."""

_REASONS: Mapping[LineKind, str] = {
    LineKind.NAMELESS: "values in a row without stub",
    LineKind.NUMBERED: "column numbers under the headings",
    LineKind.LIKE_TOTAL: "it looks like a total",
    LineKind.UNSURE: "in a row that is not filled as the records are",
    LineKind.BELOW: "below the table",
    LineKind.GROUP: "the name of a group without lines",
    LineKind.BARE: "in a row without values",
    LineKind.RECORD: "no record holds it",
}
"""Why the cells of a row are unplaced, unless a record holds them."""


def mark_block(roles: RoleMap, place: Place, columns: Columns, lines: Lines) -> None:
    """Give every cell of the block the role that it has by its row and column.

    Cells that only a record can give a role stay unplaced here, with the reason why they would be.
    """
    every = range(columns.left, columns.right)
    headings = [*range(max(place.top, 0), place.bottom + 1), *lines.of(LineKind.HEADING)]
    roles.give(headings, every, Role.HEADING)
    for kind, reason in _REASONS.items():
        roles.give(lines.of(kind), every, Role.UNPLACED, reason)
    _mark_columns(roles, columns, lines, headings)
    for line in lines.lines:
        if line.kind is LineKind.TOTAL:
            roles.give([line.row], _without_unknown(columns), Role.TOTAL)
        elif line.kind is LineKind.LABEL:
            roles.give([line.row], every, Role.LABEL)
        elif line.kind is LineKind.LEFT_OUT:
            roles.give([line.row], every, Role.LEFT_OUT, line.why)
    if lines.ended:
        row, column, text = lines.ended
        roles.give([row], [column], Role.LEFT_OUT, f"ends_at: {text}")


def _mark_columns(roles: RoleMap, columns: Columns, lines: Lines, headings: Sequence[int]) -> None:
    """What columns say of the cells in heading rows and rows of the table."""
    records = lines.records
    within = [line.row for line in lines.lines if line.kind is not LineKind.BELOW]
    totals = [one.column for one in columns.of(ColumnKind.TOTAL)]
    roles.give(records, totals, Role.TOTAL)
    if not columns.block.is_list:
        stub = [one.column for one in columns.of(ColumnKind.STUB)]
        blank = [*records, *lines.of(LineKind.BARE)]
        roles.give(blank, stub, Role.LEFT_OUT, BLANK_RULE)
    for one in columns.of(ColumnKind.IGNORED):
        roles.give([*headings, *within], [one.column], Role.LEFT_OUT, one.why)
    if not columns.block.columns:  # by position a heading may be a number
        for one in columns.of(ColumnKind.STUB):
            roles.give(_figures(roles, headings, one.column), [one.column], Role.UNPLACED, _OVER)
    for one in columns.of(ColumnKind.UNKNOWN, ColumnKind.LIKE_TOTAL):
        if roles.filled[within, one.column].any():
            roles.give([*headings, *within], [one.column], Role.UNPLACED, one.why)
            continue
        # A heading over nothing is a heading; a number there may be more than that.
        figures = _figures(roles, headings, one.column)
        roles.give(figures, [one.column], Role.UNPLACED, one.why)


_OVER = "a number over the stub, which is found by texts"


def _figures(roles: RoleMap, rows: Sequence[int], column: int) -> list[int]:
    """The rows where a column holds anything but a text."""
    return [row for row in rows if not isinstance(roles.sheet.rows[row][column], str)]


def _without_unknown(columns: Columns) -> list[int]:
    unknown = (ColumnKind.UNKNOWN, ColumnKind.IGNORED, ColumnKind.LIKE_TOTAL)
    return [one.column for one in columns.every if one.kind not in unknown]
