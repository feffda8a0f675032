"""Possible causes of a disagreement between a printed total and its records, with their cells."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import product

from boreotabula.findings import culprits
from boreotabula.findings.finding import Spot
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.checks import Check
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet

_NEAR = 1e-6


def difference(check: Check) -> float:
    return round(check.printed - check.summed, 6)


def number_text(number: float) -> str:
    return f"{number:,.10g}" if abs(number) < 1e10 else f"{number:,.2f}"


_NO_RECORDS = (
    RowKind.LEFT_OUT, RowKind.NAMELESS, RowKind.NUMBERED, RowKind.LIKE_TOTAL,
    RowKind.UNSURE, RowKind.BELOW,
)  # fmt: skip


class Suspects:
    """Looks for the cause of a disagreement."""

    def __init__(self, sheet: Sheet, columns: Columns, table: TableRows, figures: Figures) -> None:
        self.sheet, self.columns, self.table, self.figures = sheet, columns, table, figures

    def culprit(self, check: Check) -> str:
        """The likeliest culprit in words; empty if there is none."""
        columns = check.columns or (check.column,)
        # From the surest explanation to the weakest.
        steps = (self._no_number, self._left_out, self._swapped_total, self._one_cell,
                 self._one_line, self._swapped_cell, self._by_factor, self._subtotals)  # fmt: skip
        return _first(step(check, columns) for step in steps)

    def explained_together(self, wrong: Sequence[Check]) -> dict[Spot, str]:
        """The culprit that several totals point at, by the cells of the totals.

        It is a cell whose row and column differ by the same amount, or one that stands under the
        neighbouring heading.
        """
        result: dict[Spot, str] = {}
        by_difference: dict[float, list[Check]] = {}
        for check in wrong:
            if not check.averaged:
                by_difference.setdefault(difference(check), []).append(check)
        for apart, checks in by_difference.items():
            cell = _crossing(checks)
            if cell is not None and (message := self._at_crossing(cell, apart)):
                result |= {(check.row, check.column): message for check in checks}
            for less in checks if apart > 0 else ():
                for more in by_difference.get(-apart, ()):
                    if message := self._moved(less, more, apart):
                        result |= {(check.row, check.column): message for check in (less, more)}
        return result

    def _at_crossing(self, cell: Spot, apart: float) -> str:
        """What may be wrong with a cell whose row and column both differ by the same amount."""
        number = self.figures.at(*cell)
        if not number:
            return ""
        # From the surest explanation to the weakest.
        return (
            self._digits_swapped(cell, apart)
            or self._point_moved(cell, apart)
            or self._held(cell, apart)
            or culprits.CELL_ASKED(
                cell=self.sheet.address(*cell), meant=number_text(number + apart)
            )
        )

    def _moved(self, less: Check, more: Check, apart: float) -> str:
        """The only cell of the larger column whose move to the neighbouring column, where its row
        is blank, would make both totals right."""
        lacking, having = (check.columns or (check.column,) for check in (less, more))
        if len(lacking) != 1 or len(having) != 1 or abs(lacking[0] - having[0]) != 1:
            return ""
        column, other = having[0], lacking[0]
        fitting = [
            row for row in more.rows
            if row in less.rows and self.sheet.rows[row][other] == ""
            and (number := self.figures.at(row, column)) and abs(number - apart) < _NEAR
        ]  # fmt: skip
        if len(fitting) != 1:
            return ""
        heading = next((one for one in self.columns.every if one.column == other), None)
        labels = heading.labels if heading is not None else ()
        text = next((cell_text(label) for label in reversed(labels) if label != ""), "")
        return culprits.CELL_MOVED(
            cell=self.sheet.address(fitting[0], column), left=other < column, heading=text
        )

    def one_row(self, checks: Sequence[Check]) -> str:
        """The only row whose cells equal the differences of a row of totals, column by column."""
        if len({check.row for check in checks}) > 1 or any(check.averaged for check in checks):
            return ""
        common = set.intersection(*(set(check.rows) for check in checks))
        fitting = [
            (row, sign)
            for row in sorted(common)
            for sign in (1, -1)
            if all(
                abs(self.figures.total(row, check.columns or (check.column,)) * sign
                    - difference(check)) < _NEAR
                for check in checks
            )
        ]  # fmt: skip
        if len(fitting) != 1:
            return ""
        row, sign = fitting[0]
        return culprits.ROW_IN_TOTALS(row=self.sheet.row_called(row), twice=sign > 0)

    def corrected_in(self, check: Check) -> list[Spot]:
        """The corrected cells that a total sums up, if it agrees with the values before the
        correction."""
        columns = check.columns or (check.column,)
        spots = [spot for spot in self.sheet.was if spot[0] in check.rows and spot[1] in columns]
        change = sum(
            (self.figures.at(*spot) or 0.0) - _number_in(self.sheet.was[spot]) for spot in spots
        )
        agrees = abs(check.printed - (check.summed - change)) < _NEAR
        return spots if change and agrees else []

    def _no_number(self, check: Check, columns: Sequence[int]) -> str:
        """Filled cells that are in no record."""
        texts = [
            (row, column)
            for row in check.rows
            for column in columns
            if self.sheet.rows[row][column] != "" and self.figures.at(row, column) is None
        ]
        if not texts:
            return ""
        row, column = texts[0]
        text, cell = cell_text(self.sheet.rows[row][column]), self.sheet.address(row, column)
        return culprits.CELL_IN_NO_RECORD(text=text, cell=cell, more=len(texts) - 1)

    def _left_out(self, check: Check, columns: Sequence[int]) -> str:
        """A row that is no record but holds exactly what is missing."""
        apart = check.printed - check.summed
        for row in self.table.of(*_NO_RECORDS):
            held = [n for column in columns if (n := self.figures.at(row, column)) is not None]
            # What a rule left out by mistake shows here first.
            if held and abs(sum(held) - apart) < _NEAR:
                rule = self.table.rules.get(row, "")
                return culprits.ROW_LEFT_OUT(row=self.sheet.row_called(row), rule=rule)
        return ""

    def _swapped_total(self, check: Check, columns: Sequence[int]) -> str:
        if _swapped(check.printed, check.summed):
            return culprits.TOTAL_SWAPPED()
        return ""

    def _one_cell(self, check: Check, columns: Sequence[int]) -> str:
        """A cell that holds exactly the difference: summed twice, or not at all."""
        apart = check.printed - check.summed
        return _first(self._held(cell, apart) for cell in _cells(check, columns))

    def _one_line(self, check: Check, columns: Sequence[int]) -> str:
        """A row or column that holds exactly the difference."""
        apart = check.printed - check.summed
        # With one row or column the line is the cell, which was asked.
        if len(columns) > 1 and len(check.rows) > 1:
            for row in check.rows:
                number = self.figures.total(row, columns)
                if _same_size(number, apart):
                    where = self.sheet.row_called(row)
                    return culprits.SUMMED_WRONGLY(where=where, twice=number * apart > 0)
        return ""

    def _held(self, cell: Spot, apart: float) -> str:
        number = self.figures.at(*cell) or 0.0
        if not _same_size(number, apart):
            return ""
        where = str(self.sheet.address(*cell))
        return culprits.SUMMED_WRONGLY(where=where, twice=number * apart > 0)

    def _swapped_cell(self, check: Check, columns: Sequence[int]) -> str:
        """The first cell that explains the difference if two of its digits are swapped."""
        apart = check.printed - check.summed
        return _first(self._digits_swapped(cell, apart) for cell in _cells(check, columns))

    def _digits_swapped(self, cell: Spot, apart: float) -> str:
        number = self.figures.at(*cell)
        if not number or not _swapped(number, number + apart):
            return ""
        meant = number_text(number + apart)
        return culprits.CELL_SWAPPED(cell=self.sheet.address(*cell), meant=meant)

    def _by_factor(self, check: Check, columns: Sequence[int]) -> str:
        """The only cell that explains the difference if its decimal point is moved."""
        apart = check.printed - check.summed
        messages = [self._point_moved(cell, apart) for cell in _cells(check, columns)]
        fitting = [message for message in messages if message]
        return fitting[0] if len(fitting) == 1 else ""

    def _point_moved(self, cell: Spot, apart: float) -> str:
        number = self.figures.at(*cell)
        if not number:
            return ""
        for factor in _FACTORS:
            meant = number * factor
            if abs(meant - number - apart) < _NEAR:
                return culprits.CELL_BY_FACTOR(
                    cell=self.sheet.address(*cell),
                    factor=number_text(round(max(factor, 1 / factor))),
                    large=factor < 1,
                    meant=number_text(meant),
                )
        return ""

    def _subtotals(self, check: Check, columns: Sequence[int]) -> str:
        if check.summed and abs(check.printed - 2 * check.summed) < _NEAR:
            return culprits.SUBTOTALS_TOO()
        return ""


def _first(messages: Iterable[str]) -> str:
    """The first message that is not empty."""
    return next((message for message in messages if message), "")


def _cells(check: Check, columns: Sequence[int]) -> Iterator[Spot]:
    """The cells that a total sums up, row by row."""
    return product(check.rows, columns)


def _same_size(number: float, other_number: float) -> bool:
    return bool(number) and abs(abs(number) - abs(other_number)) < _NEAR


def _crossing(checks: Sequence[Check]) -> Spot | None:
    """The cell where the only row and the only column meet whose totals are among these."""
    rows = {check.rows[0] for check in checks if len(check.rows) == 1 and len(check.columns) > 1}
    columns = {
        (check.columns or (check.column,))[0]
        for check in checks
        if len(check.rows) > 1 and len(check.columns) <= 1
    }
    return (rows.pop(), columns.pop()) if len(rows) == len(columns) == 1 else None


def _number_in(cell: Cell) -> float:
    """The number of a cell as it was summed; 0 if it holds none."""
    return convert((cell,), ValueForm("number")).values[0].as_py() or 0.0


_FACTORS = (10.0, 100.0, 1000.0, 0.1, 0.01, 0.001)

_DIGITS = re.compile(r"-?\d{2,15}")


def _swapped(number: float, other_number: float) -> bool:
    """Whether two whole numbers differ by swapping two neighbouring digits."""
    if number == other_number or not (number.is_integer() and other_number.is_integer()):
        return False
    first, second = str(int(number)), str(int(other_number))
    # Digits that changed places never change how many there are.
    if len(first) != len(second) or not _DIGITS.fullmatch(first):
        return False
    differ = [index for index, (a, b) in enumerate(zip(first, second, strict=True)) if a != b]
    return (
        len(differ) == 2
        and differ[1] == differ[0] + 1
        and first[differ[0]] == second[differ[1]]
        and first[differ[1]] == second[differ[0]]
    )
