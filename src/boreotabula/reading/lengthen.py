"""From block to records: values in the order of rows, then columns, built as Arrow arrays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain, compress
from operator import or_

import pyarrow as pa

from boreotabula.layout.addresses import address
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns import Columns
from boreotabula.reading.findings import Finding
from boreotabula.reading.lines import Lines
from boreotabula.reading.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.value_findings import about_values, column_not_converted, not_converted
from boreotabula.reading.values.convert import Converted, as_array, convert, stands_for_nothing
from boreotabula.reading.values.form import PLAIN_TEXT, TEXT, ValueForm
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class Misfit:
    """A filled cell that did not convert; row and column counted from 0."""

    row: int
    column: int
    cell: Cell
    reason: str


Spot = tuple[int, int]
"""Row and column of a cell, counted from 0."""


@dataclass(frozen=True)
class Lengthened:
    """The records of a block: one array for each field it fills, all of one length."""

    arrays: Mapping[str, pa.Array]
    cells: pa.Array
    """The address of each record's value."""
    misfits: tuple[Misfit, ...] = ()
    findings: tuple[Finding, ...] = ()
    blanked: tuple[Spot, ...] = ()
    """Filled cells that stand for nothing, as the layout says."""
    unheld: tuple[Spot, ...] = ()
    """Filled cells of other fields in rows that make no record."""
    used: int = 0
    """How many cells are values of the records: each counted once."""
    spots: Callable[[str, int], Spot | None] = lambda *_: None
    """The cell that gave a field of a record (by its number); None if it stands in no row."""


@dataclass(frozen=True)
class _Grid:
    """The records before they are typed: which row and which slot each is from."""

    rows: Sequence[int]
    row_of: pa.Array
    slot_of: pa.Array
    cells: pa.Array
    values: Mapping[str, _Values]
    blanked: tuple[Spot, ...] = ()


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
    grid = _list_grid(sheet, columns, rows) if block.is_list else _grid(sheet, columns, rows, plan)
    build = _Builder(sheet, plan, grid)
    for field, values in grid.values.items():
        build.values(field, values)
    for level, field in enumerate(block.across):
        build.headings(field, _heads(columns, level, plan.form(field)), place.top + level, columns)
    for field, cells in lines.stub.items():
        build.by_row(field, cells, lines.stub_columns[field])
    for field, column in columns.by_row.items():
        build.beside(field, [sheet.rows[row][column] for row in rows], column)
    unheld = () if block.is_list else tuple(_unheld(sheet, columns, grid))
    return Lengthened(
        build.arrays,
        grid.cells,
        tuple(build.misfits),
        tuple(build.findings),
        tuple(build.blanked),
        unheld,
        build.used - sum(build.valid(*spot) for spot in unheld),
        build.spot,
    )


def _unheld(sheet: Sheet, columns: Columns, grid: _Grid) -> Iterator[Spot]:
    """The cells beside the values in rows that hold no value: no record can hold them."""
    if not columns.by_row:
        return
    held = set(grid.row_of.to_pylist())
    for at, row in enumerate(grid.rows):
        if at not in held:
            for column in columns.by_row.values():
                if sheet.rows[row][column] != "":
                    yield row, column


# --- which records there are --------------------------------------------------------------------


def _grid(sheet: Sheet, columns: Columns, rows: Sequence[int], plan: Plan) -> _Grid:
    """A record for each slot of a row in which at least one value stands."""
    slots, fields, taken = columns.slots, columns.block.values, columns.by_value
    size = len(rows) * len(slots)
    values = [_values(sheet, rows, some) for some in taken]
    blanked: list[Spot] = []
    for at, field in enumerate(fields):
        if plan.form(field).empty:
            values[at], spots = _without_empty(values[at], plan.form(field), rows, taken[at])
            blanked += spots
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
        tuple(blanked),
    )


def _without_empty(
    values: tuple[list[Cell], bytes],
    form: ValueForm,
    rows: Sequence[int],
    columns: Sequence[int | None],
) -> tuple[tuple[list[Cell], bytes], list[Spot]]:
    """Values without those that stand for nothing, and where these are."""
    cells, filled = list(values[0]), bytearray(values[1])
    spots: list[Spot] = []
    for at, cell in enumerate(cells):
        if cell != "" and stands_for_nothing(cell, form):
            row, slot = divmod(at, len(columns))
            column = columns[slot]
            assert column is not None  # a filled cell stands somewhere
            spots.append((rows[row], column))
            cells[at], filled[at] = "", 0
    return (cells, bytes(filled)), spots


def _list_grid(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> _Grid:
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
    return _Grid(rows, every.row_of, every.slot_of, as_array(addresses, PLAIN_TEXT), {})


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
    return as_array(texts, PLAIN_TEXT)


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
        self.blanked: list[Spot] = list(grid.blanked)
        self.used = 0
        """How many cells gave a value, stub cells apart."""
        self._columns: dict[str, int] = {}
        self._by_row: dict[int, pa.Array] = {}

    def valid(self, row: int, column: int) -> bool:
        """Whether the cell of a row gave a value to a field that has one for each row."""
        return bool(self._by_row[column][self.grid.rows.index(row)].is_valid)

    def spot(self, field: str, record: int) -> Spot | None:
        """The cell that gave a field of a record; None if it stands in no row of its own."""
        row = self.grid.rows[self.grid.row_of[record].as_py()]
        if field in self.grid.values:
            column = self.grid.values[field].columns[self.grid.slot_of[record].as_py()]
        else:
            column = self._columns.get(field)
        return None if column is None else (row, column)

    def values(self, field: str, values: _Values) -> None:
        """A field whose cells are the values of the records."""
        form = self.plan.form(field)
        done = convert(values.cells, form, plain=self.sheet.plain)
        self.arrays[field] = done.values
        self.used += len(done.values) - done.values.null_count
        if done.unremarkable:
            return
        columns = [values.columns[slot] for slot in self.grid.slot_of.to_pylist()]
        rows = [self.grid.rows[at] for at in self.grid.row_of.to_pylist()]
        filled = Counter(
            column for column, cell in zip(columns, values.cells, strict=True) if cell != ""
        )
        spots = [(row, column or 0) for row, column in zip(rows, columns, strict=True)]
        self._tell(done, values.cells, spots, field, filled)

    def headings(self, field: str, heads: _Heads, row: int, columns: Columns) -> None:
        """A field that the headings of one level fill."""
        form = self.plan.form(field)
        if not heads.done.unremarkable:
            self.findings += _heading_findings(self.sheet, heads, row, columns, form, field)
        self.arrays[field] = heads.done.values.take(self.grid.slot_of)

    def beside(self, field: str, cells: Sequence[Cell], column: int) -> None:
        """A field besides the stub that has one cell for each row."""
        self.blanked += self.by_row(field, cells, column)
        values = self._by_row[column]
        self.used += len(values) - values.null_count

    def by_row(self, field: str, cells: Sequence[Cell], column: int) -> list[Spot]:
        """A field that has one cell for each row; returns the cells that stand for nothing."""
        self._columns[field] = column
        done = convert(cells, self.plan.form(field))
        self._by_row[column] = done.values
        self.arrays[field] = done.values.take(self.grid.row_of)
        spots = [(row, column) for row in self.grid.rows]
        if not done.unremarkable:
            blanked = set(done.blanked)
            filled = sum(cell != "" and at not in blanked for at, cell in enumerate(cells))
            self._tell(done, cells, spots, field, {column: filled})
        return [spots[at] for at in done.blanked]

    def _tell(
        self,
        done: Converted,
        cells: Sequence[Cell],
        spots: Sequence[Spot],
        field: str,
        filled: Mapping[int, int] | Counter[int | None],
    ) -> None:
        """One finding for each misfit, or for the column if all of its cells fail alike."""
        form = self.plan.form(field)
        misfits = [Misfit(*spots[at], cells[at], reason) for at, reason in done.failures]
        self.misfits += misfits
        doubtful = set(done.doubt.places) if done.doubt and not done.doubt.settled else set()
        single = [
            one for one, (at, _) in zip(misfits, done.failures, strict=True) if at not in doubtful
        ]
        for column in dict.fromkeys(misfit.column for misfit in single):
            alike = [misfit for misfit in single if misfit.column == column]
            reasons = {misfit.reason for misfit in alike}
            if len(alike) == filled[column] > 1 and len(reasons) == 1:
                self.findings.append(_whole_column(self.sheet, alike, field, form))
            else:
                self.findings += [_one_cell(self.sheet, one, field, form) for one in alike]
        where = lambda at: self.sheet.address(*spots[at])  # noqa: E731
        self.findings += about_values(done, cells, where, field, form)


@dataclass(frozen=True)
class _Heads:
    """The headings of one level over each slot, and what they are as values."""

    labels: tuple[Cell, ...]
    done: Converted


@lru_cache(maxsize=512)
def _heads(columns: Columns, level: int, form: ValueForm) -> _Heads:
    labels = tuple(_single(slot.labels[level]) for slot in columns.slots)
    return _Heads(labels, convert(labels, form))


def _single(cell: Cell) -> Cell:
    return one_line(cell) if isinstance(cell, str) else cell


def _one_cell(sheet: Sheet, misfit: Misfit, field: str, form: ValueForm) -> Finding:
    where = sheet.address(misfit.row, misfit.column)
    return not_converted(misfit.cell, where, field, form, misfit.reason)


def _whole_column(sheet: Sheet, misfits: Sequence[Misfit], field: str, form: ValueForm) -> Finding:
    first = misfits[0]
    return column_not_converted(
        [one.cell for one in misfits],
        sheet.column_called(first.column),
        sheet.address(first.row, first.column),
        field,
        form,
        first.reason,
    )


def _heading_findings(
    sheet: Sheet, heads: _Heads, row: int, columns: Columns, form: ValueForm, field: str
) -> list[Finding]:
    def where(at: int) -> str:
        return sheet.address(row, columns.slots[at].first)

    kind = form.kind
    failed = [
        Finding(
            "heading-not-converted",
            f"the heading “{cell_text(heads.labels[at])}” is no {kind} for “{field}” ({reason});"
            " the field is empty in the records of its column",
            "If the column is no part of the table, list its heading in `ignore`.",
            cell=where(at),
            looked_for=kind,
            found=cell_text(heads.labels[at]),
        )
        for at, reason in heads.done.failures
    ]
    return failed + about_values(heads.done, heads.labels, where, field, form)


@lru_cache(maxsize=256)
def constant(value: object, form: ValueForm, length: int) -> pa.Array:
    """The same value `length` times, as an array of a field type."""
    return as_array([value], form).take(_zeros(length))


@lru_cache(maxsize=64)
def _zeros(length: int) -> pa.Array:
    return pa.Array.from_buffers(pa.int32(), length, [None, pa.py_buffer(bytes(4 * length))])


def blank(kind: pa.DataType, length: int) -> pa.Array:
    """Empty values of a type."""
    if kind == TEXT:
        return pa.array([None] * length, pa.string()).dictionary_encode()
    return pa.nulls(length, kind)
