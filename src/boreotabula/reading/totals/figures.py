"""The numbers of a block as its records hold them: what printed totals are compared with."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property, lru_cache
from itertools import accumulate, repeat
from math import fsum, isfinite

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.convert import respelt, stands_for_nothing
from boreotabula.reading.values.form import NotConvertedError, ValueForm
from boreotabula.reading.values.numbers import read_number
from boreotabula.workbooks.sheet import Cell, Flaw, Sheet

_SUMMED = ("integer", "number", "decimal")
"""Types whose values are added up; shares are not."""


def number_in(cell: Cell, form: ValueForm) -> float | None:
    """The number that a cell holds, as a record would; None if it holds none."""
    if isinstance(cell, bool | Flaw) or cell == "" or stands_for_nothing(cell, form):
        return None
    if isinstance(cell, float | int):
        return float(cell)
    if isinstance(cell, str):
        written = respelt(cell, form)
        try:
            number = float(read_number(written, form)) if isinstance(written, str) else None
        except NotConvertedError:
            return None
        return number if number is not None and isfinite(number) else None
    return None


@dataclass(frozen=True, eq=False)
class Figures:
    """The numbers of a block; columns are those whose values can be added up."""

    sheet: Sheet
    columns: Columns
    plan: Plan
    rows: tuple[int, ...]
    """The record rows."""

    @cached_property
    def summed(self) -> tuple[Column, ...]:
        """The columns of values that can be added up."""
        return summed_columns(self.columns, self.plan)

    @cached_property
    def _forms(self) -> Mapping[int, ValueForm]:
        return _forms(self.columns, self.plan)

    def form(self, column: int) -> ValueForm:
        """How the values of a column are written; of a column of totals as its neighbours'."""
        return self._forms.get(column) or next(iter(self._forms.values()))

    def at(self, row: int, column: int) -> float | None:
        """The number at a place; None if there is none."""
        return number_in(self.sheet.rows[row][column], self.form(column))

    def numbers(self, column: int, rows: Sequence[int]) -> list[float | None]:
        """The numbers of a column in some rows, None where there is none."""
        form, sheet_rows = self.form(column), self.sheet.rows
        cells = [sheet_rows[row][column] for row in rows]
        if self._fast:
            return [one if type(one) is float else number_in(one, form) for one in cells]
        return [number_in(one, form) for one in cells]

    @cached_property
    def _fast(self) -> bool:
        """Whether every filled cell of the sheet is a text or means just its number."""
        return self.sheet.plain and not any(form.empty for form in self._forms.values())

    def total(self, row: int, columns: Sequence[int]) -> float:
        """The sum of one row over some columns."""
        return self.across((row,), columns)[0]

    def across(self, rows: Sequence[int], columns: Sequence[int]) -> list[float]:
        """The sum of each of some rows over some columns."""
        first, end = columns[0], columns[-1] + 1
        lines = [self.sheet.rows[row] for row in rows]
        if end - first == len(columns):
            parts = [cells[first:end] for cells in lines]
        else:
            parts = [[cells[at] for at in columns] for cells in lines]
        if self._fast:
            try:
                return [float(sum(filter(None, cells))) for cells in parts]  # type: ignore[arg-type]
            except TypeError:
                pass  # a text among them
        return [self._sum(cells, columns) for cells in parts]

    def down(self, column: int, rows: tuple[int, ...]) -> float:
        """The sum of a column over some of the record rows."""
        known = self._downs.get((column, rows))
        if known is None:
            known = self._downs[column, rows] = self._sum(self._part(column, rows), repeat(column))
        return known

    def span(self, column: int, some: tuple[int, int]) -> float:
        """The sum of a column over some of the record rows, by their numbers: from the first to
        before the second."""
        start, end = some
        if start == end:
            return 0.0
        self._asked[column] += 1
        if self._asked[column] > _FEW:  # then it pays to add up once
            sums, whole = self._sums_so_far(column)
            if whole:
                return sums[end] - sums[start]
        return self._sum(self._turned[column][start:end], repeat(column))

    def _sums_so_far(self, column: int) -> tuple[Sequence[float], bool]:
        """The sums of a column up to each record row, and whether all are whole: only then are
        their differences exact."""
        known = self._so_far.get(column)
        if known is None:
            numbers = [number or 0.0 for number in self.numbers(column, self.rows)]
            sums = [0.0, *accumulate(numbers)]
            exact = all(map(float.is_integer, numbers)) and max(map(abs, sums)) < _EXACT
            known = self._so_far[column] = (sums, exact)
        return known

    @cached_property
    def _asked(self) -> Counter[int]:
        return Counter()

    @cached_property
    def _so_far(self) -> dict[int, tuple[Sequence[float], bool]]:
        return {}

    def _part(self, column: int, rows: tuple[int, ...]) -> Sequence[Cell]:
        """The cells of a column in some of the record rows: most often all, or a run of them."""
        if not rows:
            return ()
        start = self.rows.index(rows[0])
        if self.rows[start : start + len(rows)] == rows:
            return self._turned[column][start : start + len(rows)]
        return [self.sheet.rows[row][column] for row in rows]

    @cached_property
    def _turned(self) -> list[tuple[Cell, ...]]:
        """The record rows of the sheet, column by column."""
        return list(zip(*(self.sheet.rows[row] for row in self.rows), strict=True))

    @cached_property
    def _downs(self) -> dict[tuple[int, tuple[int, ...]], float]:
        return {}

    def sums(self) -> list[float]:
        """The sum of each column over all record rows; of those that cannot be summed zero."""
        found = [0.0] * self.sheet.width
        for one in self.summed:
            found[one.column] = self._sum(self._turned[one.column], repeat(one.column))
        return found

    def _sum(self, cells: Sequence[Cell], columns: Iterable[int]) -> float:
        """The sum of cells that stand in some columns, to more places than any total is printed."""
        if self._fast:
            try:
                return float(sum(filter(None, cells)))  # type: ignore[arg-type]
            except TypeError:
                pass  # a text among them
        forms = map(self.form, columns)
        numbers = map(number_in, cells, forms)
        return fsum(number for number in numbers if number is not None)


@lru_cache(maxsize=64)
def summed_columns(columns: Columns, plan: Plan) -> tuple[Column, ...]:
    """The columns of values that can be added up."""
    kind = ColumnKind.BESIDE if columns.block.is_list else ColumnKind.VALUE
    return tuple(
        one for one in columns.of(kind)
        if plan.form(one.field).base in _SUMMED and not _of_shares(one)
    )  # fmt: skip


def _of_shares(column: Column) -> bool:
    """Whether a heading says that the column holds shares."""
    return any("%" in cell_text(label) for label in column.labels)


@lru_cache(maxsize=64)
def _forms(columns: Columns, plan: Plan) -> Mapping[int, ValueForm]:
    return {one.column: plan.form(one.field) for one in summed_columns(columns, plan)}


def decimals_of(number: float) -> int:
    """How many decimals a number is printed with."""
    exponent = Decimal(repr(number)).as_tuple().exponent
    return max(-exponent, 0) if isinstance(exponent, int) else 0


_FEW = 3

_EXACT = 2.0**53
"""Whole numbers below this are exact."""

_SAME = 1e-9
"""What binary fractions may be apart in sums that are the same."""


def agree(printed: float, summed: float) -> bool:
    """Whether a printed total is a sum, to half a unit of its last printed place."""
    apart = abs(printed - summed)
    if apart <= _SAME * (abs(summed) + 1.0):
        return True
    return apart <= 0.5 and apart <= 0.5 * 10.0 ** -decimals_of(printed) + _SAME
