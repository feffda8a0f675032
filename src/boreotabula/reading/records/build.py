"""From block to records: values ordered by row, then column, built as Arrow arrays."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.findings.finding import Finding, ScopedFinding, Spot
from boreotabula.findings.reasons import Reason
from boreotabula.findings.subjects.rows import REQUIRED_VALUE_BLANK
from boreotabula.findings.subjects.totals import CELLS_WITHOUT_VALUE
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.locate.levels import level_row
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.grid import Grid, ValueCells, grid_of, list_grid
from boreotabula.reading.records.levels import LevelHeads, heading_findings, level_heads
from boreotabula.reading.rows.table_rows import TableRows
from boreotabula.reading.values.arrays import repeated, taken
from boreotabula.reading.values.convert import Converted, as_array, convert
from boreotabula.reading.values.findings import about_values, column_not_converted, not_converted
from boreotabula.reading.values.form import ValueForm, form_under
from boreotabula.reading.values.picked import Picked
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True)
class Misfit:
    """A filled cell that did not convert; row and column count from 0."""

    row: int
    column: int
    cell: Cell
    reason: Reason


@dataclass(frozen=True)
class InRows:
    """A field with one cell per row, given for each of the record rows."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]


@dataclass(frozen=True)
class InSlots:
    """A field with a cell where each row meets each slot; the column is -1 where there is none."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]


class WayMet(NamedTuple):
    """A text of a field that shows whether the day or the month comes first, and its cell."""

    field: str
    day_first: bool
    text: str
    cell: str


@dataclass(frozen=True)
class LongRecords:
    """The records of a block: one array for each field that it fills, all of one length."""

    arrays: Mapping[str, pa.Array]
    cells: pa.Array
    """The address of each record's value."""
    row_of: NDArray[np.int32]
    """The index of the record row of each record; `slot_of` alike."""
    slot_of: NDArray[np.int32]
    sources: Mapping[str, InRows | InSlots]
    """Where the cells of each field are, without those from headings."""
    misfits: tuple[Misfit, ...] = ()
    scoped_findings: tuple[ScopedFinding, ...] = ()
    blanked: tuple[Spot, ...] = ()
    """Filled cells that the layout counts as blank."""
    ways: tuple[WayMet, ...] = ()
    """Texts of dates that show whether the day or the month comes first."""

    def spot(self, field: str, record: int) -> Spot | None:
        """The cell that gave a field of a record (by its index); None if no cell did."""
        source = self.sources.get(field)
        if source is None:
            return None
        row = self.row_of[record]
        if isinstance(source, InRows):
            return int(source.rows[row]), int(source.columns[row])
        column = int(source.columns[self.slot_of[record]])
        return None if column < 0 else (int(source.rows[row]), column)


_NOBODY = np.zeros(0, np.int32)


def stamps_alone(cells: pa.Array) -> LongRecords:
    """Records made of stamps alone, without a block."""
    return LongRecords({}, cells, _NOBODY, _NOBODY, {})


def build_records(
    sheet: Sheet, place: Place, columns: Columns, table: TableRows, plan: Plan
) -> LongRecords:
    """The records of a block.

    A cross-tab gives one for each slot of a row that holds a value, a list one for each row.
    """
    block = columns.block
    rows = table.record_rows
    # First which records there are, then what is in them.
    grid = (
        list_grid(sheet, columns, rows) if block.is_list else grid_of(sheet, columns, table, plan)
    )
    build = _Builder(sheet, plan, grid)
    for field, values in grid.values.items():
        build.values(field, values, columns)
    for level, field in enumerate(block.across):
        row = level_row(place.levels, block, level)
        build.headings(field, level_heads(columns, level, plan.form(field)), row, columns)
    for field, stub in table.stub.items():
        build.by_row(field, stub.cells, stub.rows, stub.columns)
    if block.parts is not None:
        build.parts(block.parts.field, table.part_numbers())
    for field, column in columns.by_row.items():
        if field not in table.stub:
            cells = Picked(sheet, rows, np.full(len(rows), column))
            build.by_row(field, cells, rows, cells.columns, columns.heading_of(column))
            # Such cells belong to no record, though their column is known.
            if not grid.whole:
                build.unheld(column)
    return LongRecords(
        arrays=build.arrays,
        cells=grid.cells,
        row_of=grid.row_of,
        slot_of=grid.slot_of,
        sources=build.sources,
        misfits=tuple(build.misfits),
        scoped_findings=tuple(build.scoped_findings),
        blanked=tuple(build.blanked),
        ways=tuple(build.ways),
    )


# --- typed columns ------------------------------------------------------------------------------


class _Builder:
    """Converts the cells of each field to a typed array and notes what does not convert."""

    def __init__(self, sheet: Sheet, plan: Plan, grid: Grid) -> None:
        self.sheet, self.plan, self.grid = sheet, plan, grid
        self.rows = grid.rows
        self.arrays: dict[str, pa.Array] = {}
        self.sources: dict[str, InRows | InSlots] = {}
        self.misfits: list[Misfit] = []
        self.scoped_findings: list[ScopedFinding] = []
        self.blanked: list[Spot] = list(grid.blanked)
        self.ways: list[WayMet] = []

    def values(self, field: str, values: ValueCells, columns: Columns) -> None:
        """A field whose cells are the values of the records."""
        self.sources[field] = InSlots(self.rows, values.columns)
        parts, order = self._by_unit(field, values, columns)
        arrays = []
        for form, cells in parts:
            done = convert(cells, form)
            arrays.append(done.values)
            # The usual case says nothing: then no cell is looked at again.
            if not done.unremarkable:
                self._tell(done, cells, cells.rows, cells.columns, cells.filled, field)
        whole = arrays[0] if len(arrays) == 1 else pa.concat_arrays(arrays)
        self.arrays[field] = whole if order is None else taken(whole, order)

    def _by_unit(
        self, field: str, values: ValueCells, columns: Columns
    ) -> tuple[list[tuple[ValueForm, Picked]], NDArray[np.intp] | None]:
        """The cells of a field split by the unit that their headings name, and each record's index
        in the concatenation; None if the order is unchanged."""
        form = self.plan.form(field)
        if not form.factors:
            return [(form, values.cells)], None
        forms = [form_under(form, columns.heading_of(int(column))) for column in values.columns]
        different = list(dict.fromkeys(forms))
        if len(different) == 1:
            return [(different[0], values.cells)], None
        which = np.array([different.index(form) for form in forms], np.intp)[self.grid.slot_of]
        places = [np.flatnonzero(which == number) for number in range(len(different))]
        parts = [
            (value_form, values.cells.take(place))
            for value_form, place in zip(different, places, strict=True)
        ]
        return parts, np.argsort(np.concatenate(places), kind="stable")

    def headings(self, field: str, heads: LevelHeads, row: int, columns: Columns) -> None:
        """A field that the headings of one level fill."""
        form = self.plan.form(field)
        if not heads.done.unremarkable:
            findings = heading_findings(self.sheet, heads, row, columns, form, field)
            self.scoped_findings += map(ScopedFinding, findings)
            for day_first, index in heads.done.ways:
                where = self.sheet.address(row, columns.slots[index].first)
                text = cell_text(heads.labels[index])
                self.ways.append(WayMet(field, day_first, text, str(where)))
        self.arrays[field] = taken(heads.done.values, self.grid.slot_of)

    def parts(self, field: str, numbers: NDArray[np.intp]) -> None:
        """A field that numbers the parts of the table."""
        form = self.plan.form(field)
        cells = [float(number) for number in numbers.tolist()]
        self.arrays[field] = taken(convert(cells, form).values, self.grid.row_of)

    def by_row(
        self,
        field: str,
        cells: Sequence[Cell],
        rows: NDArray[np.intp],
        columns: NDArray[np.intp],
        heading: str = "",
    ) -> None:
        """A field that has one cell per row, and where each cell is."""
        done = convert(cells, form_under(self.plan.form(field), heading))
        # In a list rows and records are the same: nothing is to be taken.
        flag = not self.grid.values and self.grid.whole
        self.arrays[field] = done.values if flag else taken(done.values, self.grid.row_of)
        # Where the cells are is kept, so that roles can be booked from the records.
        self.sources[field] = InRows(rows, columns)
        if not done.unremarkable:
            blanked = list(done.blanked)
            filled = np.array([cell != "" for cell in cells], bool)
            # What stands for nothing must not count as a cell that failed.
            filled[blanked] = False
            self._tell(done, cells, rows, columns, filled, field)
            self.blanked += [(int(rows[column]), int(columns[column])) for column in blanked]
        if field in self.plan.required:
            self._tell_blank(field, cells, rows, columns)

    def _tell_blank(
        self, field: str, cells: Sequence[Cell], rows: NDArray[np.intp], columns: NDArray[np.intp]
    ) -> None:
        """Report the blank cells of a field that every record must have."""
        held = self.grid.held
        blank = [index for index, cell in enumerate(cells) if cell == "" and held[index]]
        # A column that is blank throughout is told as a missing field.
        if blank and len(blank) < len(cells):
            where = self.sheet.address(int(rows[blank[0]]), int(columns[blank[0]]))
            finding = REQUIRED_VALUE_BLANK(where, field=field, more=len(blank) - 1)
            self.scoped_findings.append(ScopedFinding(finding))

    def unheld(self, column: int) -> None:
        """The cells of a column beside the values in rows without a value: no record can hold
        them."""
        rows = self.rows[~self.grid.held]
        spots = [(row, column) for row in rows[self.sheet.filled[rows, column]].tolist()]
        if spots:
            text = cell_text(self.sheet.rows[spots[0][0]][column])
            where = self.sheet.address(*spots[0])
            finding = CELLS_WITHOUT_VALUE(where, cells=len(spots), text=text)
            self.scoped_findings.append(ScopedFinding(finding, spots=spots, lapses=True))

    def _tell(
        self,
        done: Converted,
        cells: Sequence[Cell],
        rows: NDArray[np.intp],
        columns: NDArray[np.intp],
        filled: NDArray[np.bool_],
        field: str,
    ) -> None:
        """Report each misfit, or the column as a whole if all of its cells fail alike."""
        form = self.plan.form(field)

        def spot(column: int) -> Spot:
            return int(rows[column]), max(int(columns[column]), 0)

        self.ways += [
            WayMet(
                field, day_first, cell_text(cells[column]), str(self.sheet.address(*spot(column)))
            )
            for day_first, column in done.ways
        ]
        # Each is unplaced with its own reason, whether or not it gets a finding of its own.
        misfits = [Misfit(*spot(column), cells[column], reason) for column, reason in done.failures]
        self.misfits += misfits
        # A doubt that was settled left values: there is nothing unplaced.
        doubtful = set(done.doubt.places) if done.doubt and not done.doubt.settled else set()
        # Those of a doubt share one cause, and one finding.
        single = [
            misfit
            for misfit, (index, _) in zip(misfits, done.failures, strict=True)
            if index not in doubtful
        ]
        self._tell_misfits(single, columns[filled], field, form)
        where = lambda value: self.sheet.address(*spot(value))  # noqa: E731
        self.scoped_findings += [
            ScopedFinding(about_value, spots=[spot(position) for position in doubtful])
            for about_value in about_values(done, cells, where, field, form)
        ]

    def _tell_misfits(
        self, misfits: Sequence[Misfit], columns: NDArray[np.intp], field: str, form: ValueForm
    ) -> None:
        """Report cells that are no values of a field; `columns` are those of all its filled
        cells."""
        by_column: dict[int, list[Misfit]] = {}
        for misfit in misfits:
            by_column.setdefault(misfit.column, []).append(misfit)
        for column, alike in by_column.items():
            # Several kinds of faults in one column have several causes.
            reasons = {misfit.reason for misfit in alike}
            number = int(np.count_nonzero(columns == column))
            # A whole column that fails alike is one cause: the wrong column, most likely.
            if len(alike) == number > 1 and len(reasons) == 1:
                finding = _whole_column(self.sheet, alike, field, form)
                spots = [(misfit.row, misfit.column) for misfit in alike]
                self.scoped_findings.append(ScopedFinding(finding, spots=spots))
            else:  # a cell that is carried down fails for each of its rows
                self.scoped_findings += [
                    ScopedFinding(
                        _one_cell(self.sheet, misfit, field, form),
                        spots=[(misfit.row, misfit.column)],
                    )
                    for misfit in dict.fromkeys(alike)
                ]


def _one_cell(sheet: Sheet, misfit: Misfit, field: str, form: ValueForm) -> Finding:
    where = sheet.address(misfit.row, misfit.column)
    return not_converted(misfit.cell, where, field, form, misfit.reason)


def _whole_column(sheet: Sheet, misfits: Sequence[Misfit], field: str, form: ValueForm) -> Finding:
    first = misfits[0]
    return column_not_converted(
        [misfit.cell for misfit in misfits],
        sheet.column_called(first.column),
        sheet.address(first.row, first.column),
        field,
        form,
        first.reason,
    )


@lru_cache(maxsize=256)
def constant(value: object, form: ValueForm, length: int) -> pa.Array:
    """The same value `length` times, as an array of a field type."""
    one = as_array([value], form)
    if pa.types.is_dictionary(one.type) and not one.null_count:
        return repeated(one.dictionary, length)
    return taken(one, np.zeros(length, np.int32))
