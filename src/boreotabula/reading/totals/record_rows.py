"""The record rows of a table as numbers: the independent values of each, and what names it."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.field_types import type_called
from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.reading.totals.figures import Figures

FEWEST_SUMMANDS = 2
"""A row or column of sums has at least this many non-zero numbers in each sum."""
NEAR = 0.75
"""A number is near a sum if it is at least this share of it, or the reverse."""
_NEARLY_ONE = 1 - 1e-6

FEWEST_MEMBERS = 3
"""This many rows make a group where the layout does not name one."""


class RecordRows:
    """The record rows of a table, each identified by its index among them."""

    def __init__(self, figures: Figures, table: TableRows) -> None:
        self.figures = figures
        self.rows = table.record_rows
        self.numbers, self.values = figures.record_numbers, figures.record_values
        self.totals = table.where(RowKind.TOTAL)
        self.unnamed = _unnamed(figures, table)
        self.sums = self.values.sum(axis=1)
        self.before_gap = np.append(table.kinds == RowKind.NONE, True)[self.rows + 1 - table.start]
        self.labels = [
            column.column for column in figures.columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
        ]

    @cached_property
    def independent(self) -> NDArray[np.intp]:
        """The columns with independent values: a price times some pieces is not."""
        return _independent(self.values)

    @property
    def single_column(self) -> bool:
        """Whether only one column has independent values."""
        return len(self.independent) == 1

    @cached_property
    def digits(self) -> NDArray[np.float64]:
        """The bits in the numbers of each row."""
        values = np.abs(self.values[:, self.independent])
        digits: NDArray[np.float64] = np.log2(1.0 + values).sum(axis=1)
        return digits

    def indent(self, index: int) -> int:
        """The indentation of a record row's name."""
        row = int(self.rows[index])
        sheet = self.figures.sheet
        named = next((column for column in self.labels if sheet.rows[row][column] != ""), None)
        return 0 if named is None else sheet.indent(row, named)

    def is_near(self, index: int, members: NDArray[np.intp]) -> bool:
        """Whether most numbers of a row are near the sums of some rows."""
        if len(members) < FEWEST_SUMMANDS:
            return False
        sums = self.values[members].sum(axis=0)
        mask = (self.values[index] != 0) & (sums != 0)
        ratios = self.values[index][mask] / sums[mask]
        near = (ratios >= NEAR) & (ratios <= 1 / NEAR)
        return bool(2 * np.count_nonzero(near) > len(near) > 0)

    def is_named_total(self, row: int) -> bool:
        """Whether a record row begins with a word for totals."""
        return begins_as_total(self.figures.sheet, int(self.rows[row]), self.labels)


def _independent(values: NDArray[np.float64]) -> NDArray[np.intp]:
    """The columns that are no multiple of an earlier one: only those are independent evidence."""
    lengths = np.sqrt((values * values).sum(axis=0))
    directions = values / np.where(lengths == 0, 1.0, lengths)
    # Of two columns that are multiples the directions are the same, or nearly if rounded: few are
    # worth a closer look.
    near = np.abs(directions.T @ directions) > _NEARLY_ONE
    kept: list[int] = []
    for index in np.flatnonzero(lengths).tolist():
        before = [
            position
            for position in np.flatnonzero(near[index, :index]).tolist()
            if position in kept
        ]
        if not any(_is_multiple(values[:, index], values[:, column]) for column in before):
            kept.append(index)
    return np.array(kept or [0], np.intp)


def _is_multiple(column: NDArray[np.float64], values: NDArray[np.float64]) -> bool:
    """Whether a column is another one times a constant, in three rows at least."""
    mask = values != 0
    if np.count_nonzero(mask) < FEWEST_MEMBERS or (column[~mask] != 0).any():
        return False
    ratios = column[mask] / values[mask]
    # Rounded to cents, the product is only nearly one.
    return bool(np.allclose(ratios, ratios[0], rtol=1e-4))


def _unnamed(figures: Figures, table: TableRows) -> NDArray[np.bool_]:
    """The record rows where a cell is blank that most of the others fill: one of the stub, or in a
    list of any column.

    A row with a date or time, or with a text after its numbers, is an incomplete record and no sum.
    """
    sheet, columns = figures.sheet, figures.columns
    carry = columns.block.carry_down
    groups = [group.field for group in columns.block.group_row]
    every = {
        name: stub.filled for name, stub in table.stub.items()
        if name not in carry and name not in groups
    }  # fmt: skip
    told = np.zeros(len(table.record_rows), bool)
    if columns.block.is_list:
        beside = {name: column for name, column in columns.by_row.items() if name not in table.stub}
        types = {name: type_called(figures.plan.form(name).kind) for name in beside}
        numbers = [column for name, column in beside.items() if types[name].is_number]
        for name, column in beside.items():
            every[name] = sheet.filled[table.record_rows, column]
            # The labels of totals stand before their numbers; remarks on a record behind them.
            remark = numbers and column > min(numbers) and not types[name].is_number
            if types[name].is_moment or remark:
                told |= every[name]
    values = np.zeros(len(table.record_rows), bool)
    for filled in every.values():
        if 2 * np.count_nonzero(~filled) < len(filled):
            values |= ~filled
    return values & ~told
