"""The numbers of a block as its records hold them, with which printed totals are compared."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property, lru_cache
from math import fsum, isfinite

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import TableRows
from boreotabula.reading.values.convert import are_for_nothing, respelt, stands_for_nothing
from boreotabula.reading.values.form import NotConvertedError, ValueForm, form_under
from boreotabula.reading.values.numbers import read_number
from boreotabula.sheets.sheet import Cell, Flaw, Sheet


def number_in(cell: Cell, form: ValueForm) -> float | None:
    """The number of a cell, as a record would hold it; None if it holds none."""
    if isinstance(cell, bool | Flaw) or cell == "" or stands_for_nothing(cell, form):
        return None
    if isinstance(cell, float | int):
        return float(cell) * float(form.factor("")) if form.heading_unit else float(cell)
    if isinstance(cell, str):
        try:
            written = respelt(cell, form)
            number = float(read_number(written, form)) if isinstance(written, str) else None
        except NotConvertedError:
            return None
        return number if number is not None and isfinite(number) else None
    return None


@dataclass(frozen=True, eq=False)
class Figures:
    """The numbers of a block; its columns are those whose values can be added up."""

    sheet: Sheet
    columns: Columns
    plan: Plan
    table: TableRows

    @property
    def rows(self) -> tuple[int, ...]:
        """The record rows."""
        return self.table.records

    @cached_property
    def summed(self) -> tuple[Column, ...]:
        """The columns of values that can be added up."""
        return summed_columns(self.columns, self.plan)

    @cached_property
    def places(self) -> list[int]:
        """Where these columns are."""
        return [column.column for column in self.summed]

    @cached_property
    def _forms(self) -> Mapping[int, ValueForm]:
        return _forms(self.columns, self.plan)

    def form(self, column: int) -> ValueForm:
        """How the values of a column are written; for a column of totals as in its neighbour."""
        return self._forms.get(column) or next(iter(self._forms.values()))

    @cached_property
    def numbers(self) -> NDArray[np.float64]:
        """The number in each cell, NaN where there is none.

        In the rows of the table, and columns of values and of totals, it is the number that a
        record would hold.
        """
        # Elsewhere texts are no figures, and reading each as a number would take long.
        held = [*self.places, *(column.column for column in self.columns.of(ColumnKind.TOTAL))]
        start, end = self.table.start, self.table.start + len(self.table.kinds)
        closer = self.sheet.is_text[start:end, held]
        # Numbers can stand for nothing, too: then they must not be summed up.
        for place, column in enumerate(held):
            if (form := self.form(column)).empty:
                closer[:, place] |= are_for_nothing(self.sheet.numbers[start:end, column], form)
        # Under a heading with another unit than the first every number is converted.
        scaled = {
            index: float(value_form.factor(""))
            for index in held
            if (value_form := self.form(index)).heading_unit
        }
        # Most sheets hold numbers as numbers: then the sheet's own matrix does.
        if not closer.any() and not scaled:
            return self.sheet.numbers
        # The sheet's own matrix must stay as it was read.
        numbers = self.sheet.numbers.copy()
        for position, factor in scaled.items():
            numbers[start:end, position] *= factor
        known: dict[tuple[int, Cell], float] = {}
        for position, place in zip(*map(np.ndarray.tolist, np.nonzero(closer)), strict=True):
            row, column = start + position, held[place]
            cell = self.sheet.rows[row][column]
            key = (column, cell)
            # Only texts repeat enough to be worth a look-up.
            if type(cell) is not str or key not in known:
                number = number_in(cell, self.form(column))
                known[key] = np.nan if number is None else number
            numbers[row, column] = known[key]
        return numbers

    def at(self, row: int, column: int) -> float | None:
        """The number at a place; None if there is none."""
        number = float(self.numbers[row, column])
        # NaN is the one number that is not itself.
        return None if number != number else number

    def part(self, rows: Sequence[int], columns: Sequence[int]) -> NDArray[np.float64]:
        """The numbers where some rows and columns meet; zero where there is none."""
        where = np.ix_(np.asarray(rows, np.intp), np.asarray(columns, np.intp))
        return _zero_for_none(self.numbers[where])

    @cached_property
    def record_numbers(self) -> NDArray[np.float64]:
        """The numbers of the record rows in the columns of values; NaN where there is none."""
        return self.numbers[np.ix_(self.table.record_rows, np.array(self.places, np.intp))]

    @cached_property
    def record_values(self) -> NDArray[np.float64]:
        """The same numbers; zero where there is none."""
        return _zero_for_none(self.record_numbers)

    @cached_property
    def _place_of(self) -> Mapping[int, int]:
        return {column: index for index, column in enumerate(self.places)}

    def total(self, row: int, columns: Sequence[int]) -> float:
        """The sum of one row over some columns."""
        return self.across((row,), columns)[0]

    def across(self, rows: Sequence[int], columns: Sequence[int]) -> list[float]:
        """The sum of each of these rows over some columns."""
        numbers: list[float] = self.part(rows, columns).sum(axis=1).tolist()
        return numbers

    def span(self, column: int, group: tuple[int, int]) -> float:
        """The sum of a column over a range of record rows, by index: from the first to before the
        second."""
        start, end = group
        if start == end:
            return 0.0
        self._asked[column] += 1
        # One by one is exact whatever the numbers; sums so far are only for whole ones.
        if self._asked[column] > _FEW:  # then it pays to add up once
            sums, whole = self._sums_so_far(column)
            if whole:
                return float(sums[end] - sums[start])
        # Summed without loss: a total is compared to its last printed digit.
        return fsum(self.down(column)[start:end].tolist())

    def down(self, column: int) -> NDArray[np.float64]:
        """The numbers of a column in the record rows; zero where there is none."""
        index = self._place_of.get(column)
        if index is not None:
            return self.record_values[:, index]
        return self.part(self.rows, [column])[:, 0]

    def _sums_so_far(self, column: int) -> tuple[NDArray[np.float64], bool]:
        """The running sums of a column, and whether all are whole: only then are their differences
        exact."""
        known = self._so_far.get(column)
        if known is None:
            numbers = self.down(column)
            sums = np.concatenate(([0.0], np.cumsum(numbers)))
            whole = bool((numbers == np.floor(numbers)).all())
            # Of fractions, sums so far lose digits that their differences would need.
            exact = whole and bool((np.abs(sums) < _EXACT).all())
            known = self._so_far[column] = (sums, exact)
        return known

    @cached_property
    def _asked(self) -> Counter[int]:
        return Counter()

    @cached_property
    def _so_far(self) -> dict[int, tuple[NDArray[np.float64], bool]]:
        return {}

    def sums(self) -> NDArray[np.float64]:
        """The sum of each column over all record rows; zero for columns that cannot be summed."""
        sums = np.zeros(self.sheet.width)
        # Zero elsewhere, so that sums over runs of columns can be told by differences.
        sums[self.places] = self.record_values.sum(axis=0)
        return sums


def _zero_for_none(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(np.isnan(numbers), 0.0, numbers)


@lru_cache(maxsize=64)
def summed_columns(columns: Columns, plan: Plan) -> tuple[Column, ...]:
    """The columns of values that can be added up."""
    kind = ColumnKind.BESIDE if columns.block.is_list else ColumnKind.VALUE
    return tuple(
        column for column in columns.of(kind)
        # Shares of different wholes have no sum.
        if plan.form(column.field).type.totals and not _of_shares(column)
    )  # fmt: skip


def _of_shares(column: Column) -> bool:
    """Whether a heading says that the column holds shares."""
    return any("%" in cell_text(label) for label in column.labels)


@lru_cache(maxsize=64)
def _forms(columns: Columns, plan: Plan) -> Mapping[int, ValueForm]:
    return {
        summed_column.column: form_under(
            plan.form(summed_column.field), columns.heading_of(summed_column.column)
        )
        for summed_column in summed_columns(columns, plan)
    }


def decimals_of(number: float) -> int:
    """How many decimals a number is printed with."""
    exponent = Decimal(repr(number)).as_tuple().exponent
    return max(-exponent, 0) if isinstance(exponent, int) else 0


_FEW = 3
"""From this question on it pays to add up once for all."""

_EXACT = 2.0**53
"""Whole numbers below this are exact."""

_SAME = 1e-9
"""How far sums that are the same may differ as binary fractions."""


def agree(printed: float, summed: float) -> bool:
    """Whether a printed total equals a sum, within half a unit of its last printed place."""
    apart = abs(printed - summed)
    # Relative, as the error of a sum grows with it.
    if apart <= _SAME * (abs(summed) + 1.0):
        return True
    return apart <= 0.5 and apart <= 0.5 * 10.0 ** -decimals_of(printed) + _SAME


def all_agree(printed: NDArray[np.float64], summed: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which of these printed totals equal their sums; see `agree`."""
    apart = np.abs(printed - summed)
    mask: NDArray[np.bool_] = apart <= _SAME * (np.abs(summed) + 1.0)
    # How many places were printed is asked only where it could make the difference.
    for index in np.flatnonzero(~mask & (apart <= 0.5)).tolist():
        mask[index] = agree(float(printed[index]), float(summed[index]))
    return mask
