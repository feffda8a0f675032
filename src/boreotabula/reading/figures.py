"""The numbers of a block as its records hold them: what printed totals are compared with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from math import fsum, isfinite

from boreotabula.reading.columns import Column, ColumnKind, Columns
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
    rows: Sequence[int]
    """The record rows."""

    @cached_property
    def summed(self) -> tuple[Column, ...]:
        """The columns of values that can be added up."""
        kind = ColumnKind.BESIDE if self.columns.block.is_list else ColumnKind.VALUE
        return tuple(
            one for one in self.columns.of(kind) if self.plan.form(one.field).base in _SUMMED
        )

    @cached_property
    def _forms(self) -> Mapping[int, ValueForm]:
        return {one.column: self.plan.form(one.field) for one in self.summed}

    def form(self, column: int) -> ValueForm:
        """How the values of a column are written; of a column of totals as its neighbours'."""
        return self._forms.get(column) or next(iter(self._forms.values()))

    def at(self, row: int, column: int) -> float | None:
        """The number at a place; None if there is none."""
        return number_in(self.sheet.rows[row][column], self.form(column))

    @cached_property
    def _fast(self) -> bool:
        """Whether every filled cell of the sheet is a text or means just its number."""
        return self.sheet.plain and not any(form.empty for form in self._forms.values())

    def total(self, row: int, columns: Sequence[int]) -> float:
        """The sum of a record row over some columns."""
        cells = self.sheet.rows[row]
        if self._fast:
            whole = columns and columns[-1] - columns[0] == len(columns) - 1
            some = cells[columns[0] : columns[-1] + 1] if whole else [cells[at] for at in columns]
            with suppress(TypeError):  # a text among them
                return fsum(filter(None, some))  # type: ignore[arg-type]
        return fsum(number for at in columns if (number := self.at(row, at)) is not None)

    def down(self, column: int, rows: Sequence[int]) -> float:
        """The sum of a column over some rows."""
        if self._fast:
            cells = [self.sheet.rows[row][column] for row in rows]
            with suppress(TypeError):
                return fsum(filter(None, cells))  # type: ignore[arg-type]
        return fsum(number for row in rows if (number := self.at(row, column)) is not None)


def decimals_of(number: float) -> int:
    """How many decimals a number is printed with."""
    exponent = Decimal(repr(number)).as_tuple().exponent
    return max(-exponent, 0) if isinstance(exponent, int) else 0


def agree(printed: float, summed: float) -> bool:
    """Whether a printed total is a sum, to half a unit of its last printed place."""
    if printed == summed:
        return True
    room = 0.5 * 10.0 ** -decimals_of(printed) if abs(printed - summed) <= 0.5 else 0.0
    return abs(printed - summed) <= room + 1e-9 * max(1.0, abs(summed))
