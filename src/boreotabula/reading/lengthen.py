"""From block to records: values in the order of rows, then columns, built as Arrow arrays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain, compress
from operator import or_

import pyarrow as pa

from boreotabula.layout.addresses import address
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns import Columns
from boreotabula.reading.convert import TEXT, Converted, as_array, convert
from boreotabula.reading.findings import Finding
from boreotabula.reading.lines import Lines
from boreotabula.reading.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class Misfit:
    """A filled cell that did not convert; row and column counted from 0."""

    row: int
    column: int
    cell: Cell
    reason: str


@dataclass(frozen=True)
class Lengthened:
    """The records of a block: one array for each field it fills, all of one length."""

    arrays: Mapping[str, pa.Array]
    cells: pa.Array
    """The address of each record's value."""
    misfits: tuple[Misfit, ...]
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class _Grid:
    """The records before they are typed: which row and which slot each is from."""

    rows: list[int]
    row_of: pa.Array
    slot_of: pa.Array
    cells: pa.Array
    values: Mapping[str, _Values]


@dataclass(frozen=True)
class _Values:
    """The cells of one value field, one for each record, and the column of each slot."""

    cells: Sequence[Cell]
    columns: Sequence[int | None]


def lengthen(sheet: Sheet, place: Place, columns: Columns, lines: Lines, plan: Plan) -> Lengthened:
    """The records of a block.

    A cross-tab gives one for each slot of a row in which a value stands, a list one for each row.
    """
    block = columns.block
    rows = lines.records
    grid = _list_grid(sheet, columns, rows) if block.is_list else _grid(sheet, columns, rows)
    build = _Builder(sheet, plan, grid)
    for field, values in grid.values.items():
        build.values(field, values)
    for level, field in enumerate(block.across):
        build.headings(field, _heads(columns, level, plan.types[field]), place.top + level, columns)
    for field, cells in lines.stub.items():
        build.by_row(field, cells, lines.stub_columns[field])
    for field, column in columns.by_row.items():
        build.by_row(field, [sheet.rows[row][column] for row in rows], column)
    return Lengthened(build.arrays, grid.cells, tuple(build.misfits), tuple(build.findings))


# --- which records there are --------------------------------------------------------------------


def _grid(sheet: Sheet, columns: Columns, rows: list[int]) -> _Grid:
    """A record for each slot of a row in which at least one value stands."""
    slots, fields, taken = columns.slots, columns.block.values, columns.by_value
    size = len(rows) * len(slots)
    values = [_values(sheet, rows, some) for some in taken]
    filled = values[0][1] if values else b""
    for _, others in values[1:]:
        filled = bytes(map(or_, filled, others))
    every = _every(len(rows), len(slots))
    cells = _first_cells(sheet, rows, columns, values)
    if columns.block.keep_blank or 0 not in filled:
        kept = None
    else:
        kept = pa.array(list(compress(range(size), filled)), pa.int32())
    return _Grid(
        rows,
        _kept(every.row_of, kept),
        _kept(every.slot_of, kept),
        _kept(cells, kept),
        {
            field: _Values(some if kept is None else list(compress(some, filled)), of_slots)
            for field, (some, _), of_slots in zip(fields, values, taken, strict=True)
        },
    )


def _list_grid(sheet: Sheet, columns: Columns, rows: list[int]) -> _Grid:
    """A record for each row."""
    firsts = [
        next(
            (at for at in range(columns.left, columns.right) if sheet.rows[row][at] != ""),
            columns.left,
        )
        for row in rows
    ]
    addresses = [sheet.address(row, first) for row, first in zip(rows, firsts, strict=True)]
    every = _every(len(rows), 1)
    return _Grid(rows, every.row_of, every.slot_of, as_array(addresses, "text"), {})


@dataclass(frozen=True)
class _Every:
    """Row and slot number of every place of a grid, line by line."""

    place: pa.Array
    row_of: pa.Array
    slot_of: pa.Array


@lru_cache(maxsize=64)
def _every(height: int, width: int) -> _Every:
    return _Every(
        pa.array(range(height * width), pa.int32()),
        pa.array([row for row in range(height) for _ in range(width)], pa.int32()),
        pa.array(list(range(width)) * height, pa.int32()),
    )


def _kept(array: pa.Array, kept: pa.Array | None) -> pa.Array:
    return array if kept is None else array.take(kept)


def _values(
    sheet: Sheet, rows: Sequence[int], columns: Sequence[int | None]
) -> tuple[list[Cell], bytes]:
    """The cells where rows and columns meet, line by line, and 1 for each that is filled."""
    if not columns or not rows:
        return [], b""
    width, filled = sheet.width, sheet.filled
    first, last = columns[0], columns[-1]
    if first is not None and list(columns) == list(range(first, first + len(columns))):
        assert last is not None
        cells = list(chain.from_iterable(sheet.rows[row][first : last + 1] for row in rows))
        spans = (filled[row * width + first : row * width + last + 1] for row in rows)
        return cells, b"".join(spans)
    cells = [
        "" if column is None else sheet.rows[row][column] for row in rows for column in columns
    ]
    return cells, bytes(cell != "" for cell in cells)


def _first_cells(
    sheet: Sheet,
    rows: Sequence[int],
    columns: Columns,
    values: Sequence[tuple[list[Cell], bytes]],
) -> pa.Array:
    """The address of the first filled value of each place, line by line."""
    slots, firsts = columns.slots, columns.firsts
    size = len(rows) * len(slots)
    if len(values) < 2:
        every = _every(len(rows), len(slots))
        addresses = _addresses(tuple(rows), firsts, sheet.turned)
        return pa.DictionaryArray.from_arrays(every.place, addresses, safe=False)
    texts = []
    for at in range(size):
        row, slot = divmod(at, len(slots))
        filled = [
            column
            for column, (_, mask) in zip(slots[slot].columns, values, strict=True)
            if column is not None and mask[at]
        ]
        texts.append(sheet.address(rows[row], min(filled, default=firsts[slot])))
    return as_array(texts, "text")


@lru_cache(maxsize=64)
def _addresses(rows: tuple[int, ...], columns: tuple[int, ...], turned: bool) -> pa.Array:
    """Addresses of every place; tabs of one form share them, so they are kept."""
    texts = [
        address(column, row) if turned else address(row, column)
        for row in rows
        for column in columns
    ]
    return pa.array(texts, pa.string())


# --- typed columns ------------------------------------------------------------------------------


class _Builder:
    """Turns the cells of each field into a typed array; what does not convert is noted."""

    def __init__(self, sheet: Sheet, plan: Plan, grid: _Grid) -> None:
        self.sheet, self.plan, self.grid = sheet, plan, grid
        self.arrays: dict[str, pa.Array] = {}
        self.misfits: list[Misfit] = []
        self.findings: list[Finding] = []

    def values(self, field: str, values: _Values) -> None:
        """A field whose cells are the values of the records."""
        done = convert(values.cells, self.plan.types[field], plain=self.sheet.plain)
        self.arrays[field] = done.values
        if not done.failures:
            return
        columns = [values.columns[slot] for slot in self.grid.slot_of.to_pylist()]
        rows = self.grid.row_of.to_pylist()
        misfits = [
            Misfit(self.grid.rows[rows[at]], column, values.cells[at], reason)
            for at, reason in done.failures
            if (column := columns[at]) is not None
        ]
        filled = Counter(
            column for column, cell in zip(columns, values.cells, strict=True) if cell != ""
        )
        self._tell(misfits, field, filled)

    def headings(self, field: str, heads: _Heads, row: int, columns: Columns) -> None:
        """A field that the headings of one level fill."""
        kind = self.plan.types[field]
        if heads.done.failures:
            self.findings += _heading_findings(self.sheet, heads, row, columns, kind, field)
        self.arrays[field] = heads.done.values.take(self.grid.slot_of)

    def by_row(self, field: str, cells: Sequence[Cell], column: int) -> None:
        """A field that has one cell for each row."""
        done = convert(cells, self.plan.types.get(field, "text"))
        self.arrays[field] = done.values.take(self.grid.row_of)
        if done.failures:
            misfits = [
                Misfit(self.grid.rows[at], column, cells[at], reason)
                for at, reason in done.failures
            ]
            self._tell(misfits, field, {column: sum(cell != "" for cell in cells)})

    def _tell(
        self, misfits: Sequence[Misfit], field: str, filled: Mapping[int, int] | Counter[int | None]
    ) -> None:
        """One finding for each misfit, or for the column if all of its cells fail alike."""
        kind = self.plan.types.get(field, "text")
        self.misfits += misfits
        for column in dict.fromkeys(misfit.column for misfit in misfits):
            alike = [misfit for misfit in misfits if misfit.column == column]
            reasons = {misfit.reason for misfit in alike}
            if len(alike) == filled[column] > 1 and len(reasons) == 1:
                self.findings.append(_whole_column(self.sheet, alike, field, kind))
            else:
                self.findings += [_one_cell(self.sheet, one, field, kind) for one in alike]


@dataclass(frozen=True)
class _Heads:
    """The headings of one level over each slot, and what they are as values."""

    labels: tuple[Cell, ...]
    done: Converted


@lru_cache(maxsize=512)
def _heads(columns: Columns, level: int, kind: str) -> _Heads:
    labels = tuple(_single(slot.labels[level]) for slot in columns.slots)
    return _Heads(labels, convert(labels, kind))


def _single(cell: Cell) -> Cell:
    return one_line(cell) if isinstance(cell, str) else cell


def _one_cell(sheet: Sheet, misfit: Misfit, field: str, kind: str) -> Finding:
    text = cell_text(misfit.cell)
    return Finding(
        "value-not-converted",
        f"“{text}” is no {kind} for “{field}” ({misfit.reason}); the record keeps an empty value",
        "Correct the cell, or ask the sender what is meant.",
        cell=sheet.address(misfit.row, misfit.column),
        looked_for=kind,
        found=text,
    )


def _whole_column(sheet: Sheet, misfits: Sequence[Misfit], field: str, kind: str) -> Finding:
    first = misfits[0]
    return Finding(
        "column-not-converted",
        f"none of the {len(misfits)} cells of {sheet.column_called(first.column)} is"
        f" {_a(kind)} for “{field}” ({first.reason})",
        "If the column is no part of the table, list its heading in `ignore`; if it is another"
        " field, add its heading to the glossary.",
        cell=sheet.address(first.row, first.column),
        looked_for=kind,
        found=cell_text(first.cell),
    )


def _a(kind: str) -> str:
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"


def _heading_findings(
    sheet: Sheet,
    heads: _Heads,
    row: int,
    columns: Columns,
    kind: str,
    field: str,
) -> list[Finding]:
    return [
        Finding(
            "heading-not-converted",
            f"the heading “{cell_text(heads.labels[at])}” is no {kind} for “{field}” ({reason});"
            " the field is empty in the records of its column",
            "If the column is no part of the table, list its heading in `ignore`.",
            cell=sheet.address(row, columns.slots[at].first),
            looked_for=kind,
            found=cell_text(heads.labels[at]),
        )
        for at, reason in heads.done.failures
    ]


@lru_cache(maxsize=256)
def constant(value: object, kind: str, length: int) -> pa.Array:
    """The same value `length` times, as an array of a field type."""
    return as_array([value], kind).take(_zeros(length))


@lru_cache(maxsize=64)
def _zeros(length: int) -> pa.Array:
    return pa.Array.from_buffers(pa.int32(), length, [None, pa.py_buffer(bytes(4 * length))])


def blank(kind: pa.DataType, length: int) -> pa.Array:
    """Empty values of a type."""
    if kind == TEXT:
        return pa.array([None] * length, pa.string()).dictionary_encode()
    return pa.nulls(length, kind)
