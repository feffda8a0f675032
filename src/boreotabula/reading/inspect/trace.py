"""Trace a record back to its cells, and a cell to its records."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.account.roles import Role
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.locate.levels import level_row
from boreotabula.reading.plan import Plan
from boreotabula.reading.stamps.read import Stamped
from boreotabula.reading.tab import ReadBlock, TabReading
from boreotabula.reading.totals.compare import check_totals
from boreotabula.reading.values.convert import respelt
from boreotabula.reading.values.form import NotConvertedError, form_under
from boreotabula.reading.values.numbers import unit_of_text
from boreotabula.sheets.sheet import Cell, Sheet

Spot = tuple[int, int]
"""Row and column of a cell of the unturned sheet, counted from 0."""


@dataclass(frozen=True)
class FieldOrigin:
    """Where a field of a record comes from."""

    field: str
    what: str
    """In words: 'heading', 'stub', 'value', 'stamp', or what it is derived from."""
    where: str
    """An address, or a name, or the layout."""
    spot: Spot | None
    text: str
    """What stands there."""
    means: str = ""
    """What `same_as` turns it into, if anything."""
    kind: str = "text"
    """The type of the field."""


@dataclass(frozen=True)
class RecordTrace:
    """A record and the origin of each of its fields, in the order of the output."""

    table: str
    number: int
    """Its index among the records of its tab and table, counted from 0."""
    values: dict[str, object]
    origins: tuple[FieldOrigin, ...]

    @property
    def spots(self) -> list[Spot]:
        """The cells that it is made of."""
        return [origin.spot for origin in self.origins if origin.spot is not None]


@dataclass(frozen=True)
class CellFate:
    """What became of a cell: its role, why, and the records that it is part of."""

    role: Role
    why: str
    text: str
    records: tuple[tuple[str, int], ...]
    """Table and index of each record, counted from 0 within the tab."""
    said: tuple[str, ...]
    """The findings about the cell; for a printed total also what it was compared with."""


def trace_record(
    sheet: Sheet, reading: TabReading, plan: Plan, table: str, cell: str
) -> RecordTrace | None:
    """The record of a tab with this `source_cell`; None if there is none."""
    before = 0
    for read in _blocks(reading, table):
        cells = read.batch.column("source_cell").to_pylist()
        # Records are known by the cell they begin at, which no two of a table share.
        if cell in cells:
            index = cells.index(cell)
            origins = tuple(_origins(sheet, read, plan, table, index))
            return RecordTrace(table, before + index, _values(read, index), _typed(origins, plan))
        before += len(cells)
    if reading.blocks or cell not in reading.tables[table].column("source_cell").to_pylist():
        return None
    return _plain(sheet, reading, plan, table)


def _blocks(reading: TabReading, table: str) -> Iterator[ReadBlock]:
    return (block for block in reading.blocks if block.block.into == table)


def _values(read: ReadBlock, index: int) -> dict[str, object]:
    return {name: read.batch.column(name)[index].as_py() for name in read.batch.schema.names}


def _plain(sheet: Sheet, reading: TabReading, plan: Plan, table: str) -> RecordTrace:
    """The only record of a form without a block."""
    batch = reading.tables[table]
    values = {name: batch.column(name)[0].as_py() for name in batch.schema.names}
    stamped = next(iter(reading.stamped), None)
    origins = [
        _stamp_origin(sheet, field, stamped) or _derived(field, plan)
        for field in values
        if field not in PROVENANCE
    ]
    return RecordTrace(table, 0, values, _typed([origin for origin in origins if origin], plan))


def _typed(origins: Sequence[FieldOrigin], plan: Plan) -> tuple[FieldOrigin, ...]:
    return tuple(replace(origin, kind=plan.form(origin.field).kind) for origin in origins)


def _origins(
    sheet: Sheet, read: ReadBlock, plan: Plan, table: str, index: int
) -> Iterator[FieldOrigin]:
    for field in read.batch.schema.names:
        # Where a record is from is not itself from a cell.
        if field in PROVENANCE:
            continue
        # The order is that in which the fields were filled.
        origin = (
            _derived(field, plan)
            or _cell_origin(read, plan, field, index)
            or heading_origin(read, plan, field, index)
            or _stamp_origin(sheet, field, read.stamped)
        )
        if origin is None:
            # Said as well: an empty field may be just what is asked about.
            origin = FieldOrigin(field, "nothing", "", None, "")
        yield origin


def _derived(field: str, plan: Plan) -> FieldOrigin | None:
    if field not in plan.parts:
        return None
    part, of = plan.parts[field]
    return FieldOrigin(field, "part", f"the {part} of “{of}”", None, "")


def _stamp_origin(sheet: Sheet, field: str, stamped: Stamped | None) -> FieldOrigin | None:
    where = stamped.origins.get(field) if stamped else None
    if stamped is None or where is None:
        return None
    spot = spot_of(sheet, where)
    text = cell_text(sheet.cell(*spot)) if spot else stamped.captured.get(field, "")
    return FieldOrigin(field, "stamp", where, spot, text)


def spot_of(sheet: Sheet, where: str) -> Spot | None:
    """The cell of an address, or the first of a merged range; None if it is no address."""
    try:
        row, column = parse_address(where)
    except ValueError:
        return None
    return sheet.anchor(row, column)


def _cell_origin(read: ReadBlock, plan: Plan, field: str, index: int) -> FieldOrigin | None:
    """A value, or a cell of the record's row; a stub cell may stand in a row above."""
    spot = read.long.spot(field, index)
    if spot is None:
        return None
    what = "stub" if field in read.block.row_names else "value"
    return _origin(read, plan, field, what, *spot)


def _converted_unit(read: ReadBlock, plan: Plan, field: str, cell: Cell, column: int) -> str:
    """The factor that converts a number from its own unit to the field's; empty if there is
    none."""
    form = form_under(plan.form(field), read.columns.heading_of(column))
    if not form.factors:
        return ""
    unit = unit_of_text(cell, form) if isinstance(cell, str) else ""
    factor = form.factor(unit)
    return (
        f"{unit or form.heading_unit} × {factor.normalize():f} {form.unit}" if factor != 1 else ""
    )


def _origin(
    read: ReadBlock, plan: Plan, field: str, what: str, row: int, column: int
) -> FieldOrigin:
    cell = read.view.cell(row, column)
    text = one_line(cell_text(cell))
    try:
        other_cell = respelt(cell, plan.form(field))
    except NotConvertedError:  # it is in no record, and said to be so
        other_cell = cell
    means = "" if other_cell == cell else one_line(cell_text(other_cell))
    means = _converted_unit(read, plan, field, cell, column) or means
    spot = (column, row) if read.view.turned else (row, column)
    return FieldOrigin(field, what, str(read.view.address(row, column)), spot, text, means)


def heading_origin(read: ReadBlock, plan: Plan, field: str, index: int) -> FieldOrigin | None:
    """The heading of a level that reaches the column of a record's first value.

    None if the field is not a level. Records are counted from 0 within their block.
    """
    if field not in read.block.across:
        return None
    level = read.block.across.index(field)
    spots = (read.long.spot(value, index) for value in read.block.value)
    column = min(spot[1] for spot in spots if spot is not None)
    slot = next(slot for slot in read.columns.slots if column in slot.columns)
    label = slot.labels[level]
    place = read.place
    row = level_row(place.levels, read.block, level)
    if label == "":
        return FieldOrigin(field, "heading", "", None, "")
    cut = read.block.levels.count(level) > 1
    step = 1 if read.block.reach == "left" else -1
    where = column
    while 0 <= where < read.view.width:
        result = read.view.anchor(row, where)
        part = read.view.cell(*result)
        # Of a heading that is cut over several rows the first part is shown.
        if part == label or (cut and part != "" and cell_text(part) in cell_text(label)):
            return _origin(read, plan, field, "heading", *result)
        where += step
    return FieldOrigin(field, "heading", "", None, one_line(cell_text(label)))


# --- the other way round -------------------------------------------------------------------------


def fate_of(sheet: Sheet, reading: TabReading, plan: Plan, row: int, column: int) -> CellFate:
    """What became of a cell of a tab; row and column are counted from 0."""
    role = reading.roles.role(row, column)
    # What was said of the cell belongs to its fate.
    texts = [
        finding.message + (f" (accepted by {finding.accepted})" if finding.accepted else "")
        for finding in reading.findings
        if finding.at == (row, column)
    ]
    texts += _compared(reading, plan, row, column)
    records: list[tuple[str, int]] = []
    start: dict[str, int] = {}
    for read in reading.blocks:
        before = start.get(read.block.into, 0)
        numbers = _records_at(sheet, read, plan, (row, column))
        records += [(read.block.into, before + index) for index in numbers]
        start[read.block.into] = before + read.batch.num_rows
    # A form without a block gives one record, made of all its stamps.
    if not reading.blocks and role is Role.STAMP:
        records = [(table, 0) for table, batch in reading.tables.items() if batch.num_rows]
    why = reading.roles.why(row, column)
    text = one_line(cell_text(sheet.cell(row, column)))
    return CellFate(role, why, text, tuple(records), tuple(dict.fromkeys(texts)))


def _records_at(sheet: Sheet, read: ReadBlock, plan: Plan, spot: Spot) -> Iterator[int]:
    """The indices of the records of a block that a cell is part of."""
    turned = read.view.turned
    row, column = spot[::-1] if turned else spot
    if not read.batch.num_rows:
        return
    fields = [name for name in read.batch.schema.names if name not in PROVENANCE]
    # A stamp is on every record of its block.
    if any(spot_of(sheet, where) == spot for where in read.stamped.origins.values()):
        yield from range(read.batch.num_rows)
        return
    for index in range(read.batch.num_rows):
        spots = [read.long.spot(field, index) for field in fields]
        if (row, column) in spots:
            yield index
        # Headings and carried stub cells stand outside the record's own row or column.
        elif row <= read.place.bottom or column <= read.place.last_stub:
            origins = (
                _cell_origin(read, plan, field, index) or heading_origin(read, plan, field, index)
                for field in fields
                if field in read.block.across or field in read.table.stub
            )
            if any(origin is not None and origin.spot == spot for origin in origins):
                yield index


def _compared(reading: TabReading, plan: Plan, row: int, column: int) -> Iterator[str]:
    if reading.roles.role(row, column) is not Role.TOTAL:
        return
    for read in reading.blocks:
        pair = (column, row) if read.view.turned else (row, column)
        for check in check_totals(read.view, read.columns, read.table, plan).checks:
            if (check.row, check.column) == pair:
                verdict = "agrees with" if check.agrees else "differs from"
                yield (
                    f"the printed total {check.printed:,.10g} {verdict} the {check.summed:,.10g} of"
                    f" {len(check.rows)} rows of records"
                )


def cells_around(
    spots: Sequence[Spot], sheet: Sheet, around: int = 2
) -> tuple[list[int], list[int]]:
    """The rows and columns to show: some cells, and a few around the last of them."""
    row, column = spots[-1]
    rows = {spot[0] for spot in spots} | set(range(row - around, row + around + 1))
    columns = {spot[1] for spot in spots} | set(range(column - around, column + around + 1))
    return (
        [row for row in sorted(rows) if 0 <= row < sheet.height],
        [column for column in sorted(columns) if 0 <= column < sheet.width],
    )
