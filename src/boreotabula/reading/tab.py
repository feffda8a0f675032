"""Reading one tab: the steps of this room in their order."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache

import pyarrow as pa

from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.columns import Column, ColumnKind, settle_columns
from boreotabula.reading.convert import ARROW_TYPES, TEXT
from boreotabula.reading.findings import Finding, Unplaced
from boreotabula.reading.lengthen import Lengthened, blank, constant, lengthen
from boreotabula.reading.lines import Line, LineKind, Lines, settle_lines
from boreotabula.reading.place import Place, find_place
from boreotabula.reading.plan import Plan
from boreotabula.reading.roles import Account, Role, RoleMap, unplaced_cell
from boreotabula.reading.stamps import read_stamps
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class TabReading:
    """All that came of one tab. `records` has the columns of `record_schema`."""

    records: pa.RecordBatch
    account: Account
    findings: tuple[Finding, ...]
    unplaced: tuple[Unplaced, ...]
    roles: RoleMap = field(repr=False)


@lru_cache(maxsize=64)
def record_schema(plan: Plan) -> pa.Schema:
    """The columns of the output: the fields in the layout's order, then where a record is from.

    Each field carries its type in the layout as metadata `field_type`, since Arrow has no months.
    """
    fields = [
        pa.field(name, ARROW_TYPES[kind], metadata={"field_type": kind})
        for name, kind in plan.types.items()
    ]
    fields += [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in PROVENANCE]
    return pa.schema(fields)


def read_tab(sheet: Sheet, plan: Plan, captured: Mapping[str, str], file: str) -> TabReading:
    """Read one tab. `captured` are stamps from the names of file and tab; `file` is its path."""
    roles = RoleMap(sheet)
    stamped = read_stamps(sheet, plan, captured, roles)
    place, findings = find_place(sheet, plan.block, plan.names)
    findings = [*stamped.findings, *findings]
    long: Lengthened | None = None
    if place is not None:
        columns, about_columns = settle_columns(sheet, place, plan)
        lines, about_lines = settle_lines(sheet, place, columns, plan.block)
        long = lengthen(sheet, place, columns, lines, plan)
        findings += [*about_columns, *about_lines, *long.findings]
        _mark_block(roles, place, columns, lines)
        for misfit in long.misfits:
            roles.unplace(misfit.row, misfit.column, misfit.reason)
    unplaced = list(_unplaced(roles, place))
    findings += _about_unplaced(unplaced)
    return TabReading(
        _records(plan, long, stamped.values, file, sheet.name),
        roles.account(),
        tuple(replace(one, file=file, tab=sheet.name) for one in findings),
        tuple(one.unplaced._replace(file=file, tab=sheet.name) for one in unplaced),
        roles,
    )


def _records(
    plan: Plan,
    long: Lengthened | None,
    stamps: Mapping[str, object],
    file: str,
    tab: str,
) -> pa.RecordBatch:
    arrays = dict(long.arrays) if long else {}
    length = len(long.cells) if long else 0
    if long:
        arrays["source_cell"] = long.cells
    stamped = {**stamps, "source_file": file, "source_tab": tab}
    schema = record_schema(plan)
    columns = []
    for column in schema:
        if column.name in arrays:
            columns.append(arrays[column.name])
        elif column.name in stamped:
            kind = plan.types.get(column.name, "text")
            columns.append(constant(stamped[column.name], kind, length))
        else:
            columns.append(blank(column.type, length))
    return pa.RecordBatch.from_arrays(columns, schema=schema)


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
    LineKind.TOTAL: (_UNKNOWN, Role.TOTAL),
    LineKind.UNPLACED: ({}, Role.UNPLACED),
}
"""The role of each kind of column on each kind of row, and that of all other columns."""


def _mark_block(roles: RoleMap, place: Place, columns: Sequence[Column], lines: Lines) -> None:
    """Give every cell of the block its role, one template for each kind of row."""
    ignored = {
        column.column: roles.rule(column.why)
        for column in columns
        if column.kind is ColumnKind.IGNORED
    }

    @cache
    def template(kind: LineKind) -> bytes:
        codes, other = _LINE_CODES[kind]
        return bytes(ignored.get(one.column, codes.get(one.kind, other)) for one in columns)

    left = columns[0].column
    for row in range(place.top, place.bottom + 1):
        roles.mark_line(row, left, template(LineKind.HEADING))
    for line in lines.lines:
        roles.mark_line(line.row, left, template(line.kind))
    if lines.ended:
        row, column, text = lines.ended
        roles.mark(row, column, roles.rule(f"ends_at: {text}"))
    _give_reasons(roles, place, columns, lines.lines)


def _give_reasons(
    roles: RoleMap, place: Place, columns: Sequence[Column], lines: Sequence[Line]
) -> None:
    headings = range(place.top, place.bottom + 1)
    for column in columns:
        if column.kind is ColumnKind.UNKNOWN:
            for row in (*headings, *(line.row for line in lines)):
                roles.unplace(row, column.column, column.why)
    for line in lines:
        if line.kind is LineKind.UNPLACED:
            for column in columns:
                if column.kind is not ColumnKind.IGNORED:
                    roles.unplace(line.row, column.column, line.why)


@dataclass(frozen=True)
class _Stray:
    """An unplaced cell; `told` if a finding of its own already speaks of it."""

    unplaced: Unplaced
    cell: Cell
    told: bool


def _unplaced(roles: RoleMap, place: Place | None) -> Iterator[_Stray]:
    for row, column, cell, reason in roles.unplaced():
        why = reason or _why_outside(row, column, place)
        yield _Stray(unplaced_cell(row, column, cell, why), cell, reason is not None)


def _why_outside(row: int, column: int, place: Place | None) -> str:
    if place is None:
        return "no table was found on this tab"
    if row < place.top:
        return "above the table"
    if row >= place.end or column >= place.limit:
        return "in a second table, which was not read"
    return "outside the table"


def _about_unplaced(strays: Sequence[_Stray]) -> Iterator[Finding]:
    """Numbers in no record are a warning, texts (titles, remarks) a note."""
    texts = [one for one in strays if isinstance(one.cell, str) and not one.told]
    numbers = [one for one in strays if not isinstance(one.cell, str) and not one.told]
    for code, some, what in (
        ("numbers-unplaced", numbers, "filled cell(s) with numbers or dates"),
        ("texts-unplaced", texts, "text(s)"),
    ):
        if some:
            first = some[0].unplaced
            yield Finding(
                code,
                f"{len(some)} {what} of this tab in no record; the first is “{first.text}”"
                f" ({first.reason})",
                "Look at unplaced.csv; what matters needs a place in the layout.",
                cell=first.cell,
                looked_for="a role for every filled cell",
                found=first.text,
            )
