"""From block to records: values in the order of rows, then columns, built as Arrow arrays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain, compress
from operator import or_

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.layout.addresses import address
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.findings import Finding, Spot, Telling
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.lines import Lines
from boreotabula.reading.values.convert import Converted, as_array, convert, stands_for_nothing
from boreotabula.reading.values.findings import about_values, column_not_converted, not_converted
from boreotabula.reading.values.form import PLAIN_TEXT, TEXT, ValueForm
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class Misfit:
    """A filled cell that did not convert; row and column counted from 0."""

    row: int
    column: int
    cell: Cell
    reason: str


@dataclass(frozen=True)
class InRows:
    """A field with one cell for each row: where it is, for each of the record rows."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]


@dataclass(frozen=True)
class InSlots:
    """A field with a cell where each row meets each slot; the column is -1 where there is none."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]


@dataclass(frozen=True)
class Lengthened:
    """The records of a block: one array for each field it fills, all of one length."""

    arrays: Mapping[str, pa.Array]
    cells: pa.Array
    """The address of each record's value."""
    row_of: NDArray[np.int32]
    """Of each record, which of the record rows it is from; `slot_of` alike."""
    slot_of: NDArray[np.int32]
    sources: Mapping[str, InRows | InSlots]
    """Where the cells of each field are, those from headings apart."""
    misfits: tuple[Misfit, ...] = ()
    tellings: tuple[Telling, ...] = ()
    blanked: tuple[Spot, ...] = ()
    """Filled cells that stand for nothing, as the layout says."""

    def spot(self, field: str, record: int) -> Spot | None:
        """The cell that gave a field of a record (by its number); None if it has none."""
        source = self.sources.get(field)
        if source is None:
            return None
        row = self.row_of[record]
        if isinstance(source, InRows):
            return int(source.rows[row]), int(source.columns[row])
        column = int(source.columns[self.slot_of[record]])
        return None if column < 0 else (int(source.rows[row]), column)


_NOBODY = np.zeros(0, np.int32)


def nothing_lengthened(cells: pa.Array) -> Lengthened:
    """No block: records made of stamps alone."""
    return Lengthened({}, cells, _NOBODY, _NOBODY, {})


@dataclass(frozen=True)
class _Grid:
    """The records before they are typed: which row and which slot each is from."""

    rows: Sequence[int]
    row_of: pa.Array
    slot_of: pa.Array
    cells: pa.Array
    values: Mapping[str, _Values]
    blanked: tuple[Spot, ...] = ()
    whole: bool = False
    """Whether every row is in a record."""


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
    for field, stub in lines.stub.items():
        build.by_row(field, stub.cells, stub.spots)
    for field, column in columns.by_row.items():
        if field not in lines.stub:
            cells = [sheet.rows[row][column] for row in rows]
            build.by_row(field, cells, [(row, column) for row in rows])
            if not grid.whole:
                build.unheld(column)
    return Lengthened(
        build.arrays,
        grid.cells,
        np.asarray(grid.row_of),
        np.asarray(grid.slot_of),
        build.sources,
        tuple(build.misfits),
        tuple(build.tellings),
        tuple(build.blanked),
    )


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
    row_of = _kept(every.row_of, kept)
    return _Grid(
        rows,
        row_of,
        _kept(every.slot_of, kept),
        _kept(cells, kept),
        {
            field: _Values(some if kept is None else list(compress(some, filled)), of_slots)
            for field, (some, _), of_slots in zip(fields, values, taken, strict=True)
        },
        tuple(blanked),
        whole=(kept is None and bool(slots)) or len(np.unique(np.asarray(row_of))) == len(rows),
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
    addressed = as_array(addresses, PLAIN_TEXT)
    return _Grid(rows, every.row_of, every.slot_of, addressed, {}, whole=True)


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
        self.rows = np.array(grid.rows, np.intp)
        self.arrays: dict[str, pa.Array] = {}
        self.sources: dict[str, InRows | InSlots] = {}
        self.misfits: list[Misfit] = []
        self.tellings: list[Telling] = []
        self.blanked: list[Spot] = list(grid.blanked)

    def values(self, field: str, values: _Values) -> None:
        """A field whose cells are the values of the records."""
        form = self.plan.form(field)
        done = convert(values.cells, form, plain=self.sheet.plain)
        self.arrays[field] = done.values
        columns = [-1 if one is None else one for one in values.columns]
        self.sources[field] = InSlots(self.rows, np.array(columns, np.intp))
        if done.unremarkable:
            return
        of_records = [values.columns[slot] for slot in self.grid.slot_of.to_pylist()]
        rows = [self.grid.rows[at] for at in self.grid.row_of.to_pylist()]
        filled = Counter(
            column for column, cell in zip(of_records, values.cells, strict=True) if cell != ""
        )
        spots = [(row, column or 0) for row, column in zip(rows, of_records, strict=True)]
        self._tell(done, values.cells, spots, field, filled)

    def headings(self, field: str, heads: _Heads, row: int, columns: Columns) -> None:
        """A field that the headings of one level fill."""
        form = self.plan.form(field)
        if not heads.done.unremarkable:
            told = _heading_findings(self.sheet, heads, row, columns, form, field)
            self.tellings += map(Telling, told)
        self.arrays[field] = heads.done.values.take(self.grid.slot_of)

    def by_row(self, field: str, cells: Sequence[Cell], spots: Sequence[Spot]) -> None:
        """A field that has one cell for each row."""
        done = convert(cells, self.plan.form(field))
        self.arrays[field] = done.values.take(self.grid.row_of)
        at = np.array(spots, np.intp).reshape(-1, 2)
        self.sources[field] = InRows(at[:, 0], at[:, 1])
        if not done.unremarkable:
            blanked = set(done.blanked)
            filled: Counter[int | None] = Counter(
                spot[1]
                for n, (spot, cell) in enumerate(zip(spots, cells, strict=True))
                if cell != "" and n not in blanked
            )
            self._tell(done, cells, spots, field, filled)
            self.blanked += [spots[n] for n in done.blanked]
        if field in self.plan.required:
            self._tell_blank(field, cells, spots)

    def _tell_blank(self, field: str, cells: Sequence[Cell], spots: Sequence[Spot]) -> None:
        """The blank cells of a field that every record must have."""
        held = set(np.asarray(self.grid.row_of).tolist())
        blank = [n for n, cell in enumerate(cells) if cell == "" and n in held]
        if blank and len(blank) < len(cells):
            where = self.sheet.address(*spots[blank[0]])
            more = f" (and {len(blank) - 1} more)" if len(blank) > 1 else ""
            finding = Finding(
                "required-value-blank",
                f"“{field}” is blank in {where}{more}; `required` says that every record has it",
                "Fill the cell, or ask the sender.",
                cell=where,
                looked_for=field,
                found="blank",
            )
            self.tellings.append(Telling(finding))

    def unheld(self, column: int) -> None:
        """The cells of a column beside the values in rows that hold no value: no record can hold
        them."""
        held = np.zeros(len(self.rows), bool)
        held[np.asarray(self.grid.row_of)] = True
        rows = self.rows[~held].tolist()
        spots = [(row, column) for row in rows if self.sheet.rows[row][column] != ""]
        if spots:
            text = cell_text(self.sheet.rows[spots[0][0]][column])
            many = f"{len(spots)} cells are" if len(spots) > 1 else "1 cell is"
            finding = Finding(
                "cells-unplaced",
                f"{many} beside values that are all blank, “{text}” first; no record can hold"
                f" {'them' if len(spots) > 1 else 'it'}",
                '`blank = "keep"` in [block] makes records of blank values.',
                cell=self.sheet.address(*spots[0]),
                looked_for="a value in its row",
                found=text,
            )
            self.tellings.append(Telling(finding, spots=spots, lapses=True))

    def _tell(
        self,
        done: Converted,
        cells: Sequence[Cell],
        spots: Sequence[Spot],
        field: str,
        filled: Counter[int | None],
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
                told = _whole_column(self.sheet, alike, field, form)
                at = [(misfit.row, misfit.column) for misfit in alike]
                self.tellings.append(Telling(told, spots=at))
            else:  # a cell that is carried down fails for each of its rows
                self.tellings += [
                    Telling(_one_cell(self.sheet, one, field, form), spots=[(one.row, one.column)])
                    for one in dict.fromkeys(alike)
                ]
        where = lambda at: self.sheet.address(*spots[at])  # noqa: E731
        self.tellings += [
            Telling(one, spots=[spots[at] for at in doubtful])
            for one in about_values(done, cells, where, field, form)
        ]


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
