"""Which cell each record of a table has: its row, its column, and its address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.findings.finding import Spot
from boreotabula.layout.addresses import column_letters
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import TableRows
from boreotabula.reading.values.arrays import taken
from boreotabula.reading.values.convert import stands_for_nothing
from boreotabula.reading.values.form import ValueForm
from boreotabula.reading.values.picked import Picked
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Grid:
    """The records before they are typed: the row and slot of each."""

    rows: NDArray[np.intp]
    row_of: NDArray[np.int32]
    slot_of: NDArray[np.int32]
    cells: pa.Array
    values: Mapping[str, ValueCells]
    blanked: tuple[Spot, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether every row is part of a record."""
        return bool(self.held.all())

    @cached_property
    def held(self) -> NDArray[np.bool_]:
        """Which of the rows are part of a record."""
        held = np.zeros(len(self.rows), bool)
        # A row can have many records, and is held by any of them.
        held[self.row_of] = True
        return held


@dataclass(frozen=True)
class ValueCells:
    """The cells of one value field, one for each record, and the column of each slot."""

    cells: Picked
    columns: NDArray[np.intp]


def grid_of(sheet: Sheet, columns: Columns, table: TableRows, plan: Plan) -> Grid:
    """One record for each slot of a row in which at least one value stands."""
    rows = table.record_rows
    slots, fields = columns.slots, columns.block.value
    every = _every(len(rows), len(slots))
    values: dict[str, ValueCells] = {}
    masks: list[NDArray[np.bool_]] = []
    blanked: list[Spot] = []
    for field, of_slots in zip(fields, columns.by_value, strict=True):
        array = np.array([-1 if index is None else index for index in of_slots], np.intp)
        # Line by line, then column by column: records stand in the order in which they are read.
        cells = Picked(sheet, rows[every.row_of], array[every.slot_of])
        filled = cells.filled
        # What stands for nothing makes no record, as if the cell were blank.
        if plan.form(field).empty:
            blanked += _blank_those_for_nothing(cells, filled, plan.form(field))
        values[field] = ValueCells(cells, array)
        masks.append(filled)
    # One of several values is enough for a record.
    any_filled = np.logical_or.reduce(masks)
    kept = None
    # A slot without any value is no record, unless the layout asks for blank ones.
    if columns.block.blank != "keep" and not any_filled.all():
        kept = np.flatnonzero(any_filled)
    addresses = _first_cells(sheet, table, columns, every, masks)
    if kept is None:
        return Grid(rows, every.row_of, every.slot_of, addresses, values, tuple(blanked))
    return Grid(
        rows,
        every.row_of[kept],
        every.slot_of[kept],
        taken(addresses, kept),
        {name: ValueCells(value.cells.take(kept), value.columns) for name, value in values.items()},
        tuple(blanked),
    )


def _blank_those_for_nothing(
    cells: Picked, filled: NDArray[np.bool_], form: ValueForm
) -> list[Spot]:
    """Make the cells that the layout counts as blank blank; returns where they are."""
    places = [
        column
        for column in np.flatnonzero(filled).tolist()
        if stands_for_nothing(cells[column], form)
    ]
    spots = [(int(cells.rows[row]), int(cells.columns[row])) for row in places]
    filled[places] = False
    cells.leave_out(places)
    return spots


def list_grid(sheet: Sheet, columns: Columns, rows: NDArray[np.intp]) -> Grid:
    """One record per row."""
    # A record of a list is found again at its first filled cell.
    first = sheet.filled[rows, columns.left : columns.right].argmax(axis=1) + columns.left
    every = _every(len(rows), 1)
    return Grid(rows, every.row_of, every.slot_of, addresses_of(sheet, rows, first), {})


@dataclass(frozen=True)
class _Every:
    """Row and slot of every place of a grid, line by line."""

    row_of: NDArray[np.int32]
    slot_of: NDArray[np.int32]


@lru_cache(maxsize=64)
def _every(height: int, width: int) -> _Every:
    rows, slots = np.arange(height, dtype=np.int32), np.arange(width, dtype=np.int32)
    return _Every(np.repeat(rows, width), np.tile(slots, height))


def _first_cells(
    sheet: Sheet,
    table: TableRows,
    columns: Columns,
    every: _Every,
    masks: Sequence[NDArray[np.bool_]],
) -> pa.Array:
    """The address of the first filled value of each place, line by line."""
    # One value for each slot: the places are the same for all like tabs.
    if len(masks) < 2:
        return _addresses(table.records, columns.firsts, sheet.turned)
    firsts = np.array(columns.firsts, np.intp)[every.slot_of]
    first_cells = np.full(len(firsts), sheet.width)
    for mask, of_slots in zip(masks, columns.by_value, strict=True):
        values = np.array([sheet.width if index is None else index for index in of_slots], np.intp)
        # Of several values the leftmost filled one stands for the record.
        first_cells = np.minimum(first_cells, np.where(mask, values[every.slot_of], sheet.width))
    rows = table.record_rows[every.row_of]
    return addresses_of(sheet, rows, np.where(first_cells < sheet.width, first_cells, firsts))


@lru_cache(maxsize=64)
def _addresses(rows: tuple[int, ...], columns: tuple[int, ...], turned: bool) -> pa.Array:
    """Addresses of every place, cached because tabs of one form share them."""
    every = _every(len(rows), len(columns))
    numbers, row_of, letters, column_of = rows, every.row_of, columns, every.slot_of
    # Addresses are those of the file, where rows and columns lie as they are.
    if turned:
        numbers, row_of, letters, column_of = letters, column_of, numbers, row_of
    # The parts are written once for each row and column, not once for each cell.
    return _joined(
        _letters(letters).take(pa.array(column_of)),
        _row_numbers(np.array(numbers, np.intp)).take(pa.array(row_of)),
    )


def addresses_of(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]
) -> pa.DictionaryArray:
    """The addresses of cells in the file."""
    if sheet.turned:
        rows, columns = columns, rows
    different, column_of = np.unique(columns, return_inverse=True)
    letters = _letters(different.tolist()).take(pa.array(column_of))
    return _joined(letters, _row_numbers(rows))


def _letters(columns: Sequence[int]) -> pa.Array:
    return pa.array(list(map(column_letters, columns)), pa.string())


def _row_numbers(rows: NDArray[np.intp]) -> pa.Array:
    return pa.array(rows + 1, pa.int64()).cast(pa.string())


def _joined(letters: pa.Array, numbers: pa.Array) -> pa.DictionaryArray:
    texts = pc.binary_join_element_wise(letters, numbers, "")
    return pa.DictionaryArray.from_arrays(pa.array(np.arange(len(texts), dtype=np.int32)), texts)
