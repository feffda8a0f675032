"""The role of each cell of a block."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

from boreotabula.reading.columns import ColumnKind, Columns
from boreotabula.reading.lines import Line, LineKind, Lines
from boreotabula.reading.place import Place
from boreotabula.reading.roles import Role, RoleMap

_RECORD_CODES = {
    ColumnKind.STUB: Role.STUB,
    ColumnKind.BESIDE: Role.VALUE,
    ColumnKind.VALUE: Role.VALUE,
    ColumnKind.TOTAL: Role.TOTAL,
    ColumnKind.UNKNOWN: Role.UNPLACED,
}


_UNKNOWN = {ColumnKind.UNKNOWN: Role.UNPLACED}


_LINE_CODES: Mapping[LineKind, tuple[Mapping[ColumnKind, Role], Role]] = {
    LineKind.HEADING: (_UNKNOWN, Role.HEADING),
    LineKind.RECORD: (_RECORD_CODES, Role.UNPLACED),
    LineKind.BARE: (_RECORD_CODES, Role.UNPLACED),
    LineKind.GROUP: ({}, Role.STUB),
    LineKind.TOTAL: (_UNKNOWN, Role.TOTAL),
    LineKind.UNPLACED: ({}, Role.UNPLACED),
}
"""The role of each kind of column on each kind of row, and that of all other columns."""


@lru_cache(maxsize=256)
def _templates(columns: Columns) -> Mapping[LineKind, bytes]:
    """The roles of a whole row, for each kind of row."""
    return {
        kind: bytes(codes.get(one.kind, other) for one in columns.every)
        for kind, (codes, other) in _LINE_CODES.items()
    }


def mark_block(roles: RoleMap, place: Place, columns: Columns, lines: Lines) -> None:
    """Give every cell of the block its role, one template for each kind of row."""
    templates = _templates(columns)
    ignored = [(one.column, roles.rule(one.why)) for one in columns.of(ColumnKind.IGNORED)]
    left = columns.left
    for row in range(max(place.top, 0), place.bottom + 1):
        roles.mark_line(row, left, templates[LineKind.HEADING])
    for line in lines.lines:
        if line.kind is LineKind.LEFT_OUT:
            roles.mark_line(line.row, left, bytes([roles.rule(line.why)] * len(columns.every)))
        else:
            roles.mark_line(line.row, left, templates[line.kind])
    for column, rule in ignored:
        for row in (*range(max(place.top, 0), place.bottom + 1), *(one.row for one in lines.lines)):
            roles.mark(row, column, rule)
    if lines.ended:
        row, column, text = lines.ended
        roles.mark(row, column, roles.rule(f"ends_at: {text}"))
    _give_reasons(roles, place, columns, lines.lines)


def _give_reasons(roles: RoleMap, place: Place, columns: Columns, lines: Sequence[Line]) -> None:
    headings = range(max(place.top, 0), place.bottom + 1)
    for column in columns.of(ColumnKind.UNKNOWN):
        for row in (*headings, *(line.row for line in lines if line.kind in _LINE_CODES)):
            roles.unplace(row, column.column, column.why)
    for line in lines:
        if line.kind is LineKind.UNPLACED:
            for column in columns.every:
                if column.kind is not ColumnKind.IGNORED:
                    roles.unplace(line.row, column.column, line.why)
