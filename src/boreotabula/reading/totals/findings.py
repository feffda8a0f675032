"""What is to be said of printed totals that disagree: both figures, and the likely culprits."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from boreotabula.findings import culprits
from boreotabula.findings.finding import Finding, Spot
from boreotabula.findings.subjects.totals import (
    AVERAGE_DIFFERS,
    NO_TOTAL_OF_LINE_AGREES,
    TOTAL_BEFORE_CORRECTION,
    TOTAL_DIFFERS,
    TOTAL_WITHOUT_NUMBER,
    TOTALS_OF_LINE_DIFFER,
)
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.compare import Check, Totals
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet

_NEAR = 1e-6


def about_totals(
    sheet: Sheet, totals: Totals, columns: Columns, table: TableRows, figures: Figures
) -> list[Finding]:
    """The totals that disagree: those of one cause in one finding.

    One cause is a difference that several totals share, and a whole row or column of totals of
    which several disagree, each by another difference: a column was lost, perhaps.
    """
    search = _Search(sheet, columns, table, figures)
    before = [check for check in totals.wrong if search.corrected_in(check)] if sheet.was else []
    wrong = [check for check in totals.wrong if check not in before]
    whole = list(_whole_lines(totals, wrong))
    # What a whole line explains is not told cell by cell as well.
    pairs = {(check.row, check.column) for checks in whole for check in checks}
    result: dict[tuple[float, str], list[Check]] = {}
    for check in wrong:
        if (check.row, check.column) not in pairs:
            # The same difference with the same culprit is one cause.
            result.setdefault((_apart(check), search.culprit(check)), []).append(check)
    findings = [_differs(sheet, checks, cause[1]) for cause, checks in result.items()]
    findings += [_of_line(sheet, totals, checks) for checks in _same_cause(whole)]
    if totals.flaws:
        findings.append(_flawed(sheet, totals))
    if before:
        findings.append(_before_correction(sheet, before, search))
    return findings


def _before_correction(sheet: Sheet, checks: Sequence[Check], search: _Search) -> Finding:
    """Totals of the values that stood there before a correction: that explains them."""
    first, *others = checks
    where = sheet.address(first.row, first.column)
    return TOTAL_BEFORE_CORRECTION(
        where,
        printed=_number(first.printed),
        summed=_number(first.summed),
        total=where,
        cell=sheet.address(*search.corrected_in(first)[0]),
        others=[sheet.address(check.row, check.column) for check in others],
        number=len(others),
    )


_SEVERAL = 3


def _apart(check: Check) -> float:
    return round(check.printed - check.summed, 6)


def _whole_lines(totals: Totals, wrong: Sequence[Check]) -> Iterator[list[Check]]:
    """The totals of a column or row of which at least three disagree, each by a difference of its
    own or all of them; the fullest first, each total once."""
    agreeing = Counter(line for check in totals.checks if check.agrees for line in _lines_of(check))
    groups: dict[tuple[str, int], list[Check]] = {}
    for one in wrong:
        for line in _lines_of(one):
            groups.setdefault(line, []).append(one)
    pairs: set[tuple[int, int]] = set()
    for line, every in sorted(groups.items(), key=lambda one: -len(one[1])):
        checks = [check for check in every if (check.row, check.column) not in pairs]
        # One wrong cell gives all totals the same difference: that is no lost line.
        several = len({_apart(check) for check in checks}) >= _SEVERAL or not agreeing[line]
        if len(checks) >= _SEVERAL and several:
            pairs |= {(check.row, check.column) for check in checks}
            yield checks


def _lines_of(check: Check) -> tuple[tuple[str, int], tuple[str, int]]:
    return ("column", check.column), ("row", check.row)


def _same_cause(table: Iterable[list[Check]]) -> Iterator[list[Check]]:
    """Lines of totals that differ by the same amounts in the same places: subtotals and totals of
    the same records. Of each, those of the first line."""
    groups: set[frozenset[float]] = set()
    for checks in table:
        amounts = frozenset(map(_apart, checks))
        # Subtotals and totals of the same records fail by the same amounts.
        if amounts not in groups:
            groups.add(amounts)
            yield checks


def _number(number: float) -> str:
    return f"{number:,.10g}" if abs(number) < 1e10 else f"{number:,.2f}"


def _differs(sheet: Sheet, checks: Sequence[Check], culprit: str) -> Finding:
    first, other_checks = checks[0], checks[1:]
    apart = first.printed - first.summed
    kind = AVERAGE_DIFFERS if first.averaged else TOTAL_DIFFERS
    return kind(
        sheet.address(first.row, first.column),
        printed=_number(first.printed),
        summed=_number(first.summed),
        apart=_number(abs(apart)),
        more=apart > 0,
        range=_range(sheet, first),
        others=[sheet.address(check.row, check.column) for check in other_checks],
        number=len(other_checks),
        culprit=culprit,
    )


def _range(sheet: Sheet, check: Check) -> str:
    columns = check.columns or (check.column,)
    if not check.rows:
        return "none"
    first = sheet.address(check.rows[0], columns[0])
    last = sheet.address(check.rows[-1], columns[-1])
    return str(first) if first == last else f"{first} to {last}"


def _of_line(sheet: Sheet, totals: Totals, checks: Sequence[Check]) -> Finding:
    """A row or column of totals of which several disagree."""
    first = checks[0]
    in_row = len({check.row for check in checks}) == 1
    called = sheet.row_called(first.row) if in_row else sheet.column_called(first.column)
    line = ("row", first.row) if in_row else ("column", first.column)
    number = sum(line in _lines_of(check) for check in totals.checks)
    slots = {"printed": _number(first.printed), "summed": _number(first.summed), "line": called}
    where = sheet.address(first.row, first.column)
    if number == len(checks):
        return NO_TOTAL_OF_LINE_AGREES(where, **slots)
    return TOTALS_OF_LINE_DIFFER(where, wrong=len(checks), totals=number, **slots)


def _flawed(sheet: Sheet, totals: Totals) -> Finding:
    row, column = totals.flaws[0]
    text = cell_text(sheet.rows[row][column])
    where = sheet.address(row, column)
    return TOTAL_WITHOUT_NUMBER(where, totals=len(totals.flaws), text=text)


_NO_RECORDS = (
    RowKind.LEFT_OUT, RowKind.NAMELESS, RowKind.NUMBERED, RowKind.LIKE_TOTAL,
    RowKind.UNSURE, RowKind.BELOW,
)  # fmt: skip


class _Search:
    """Looks for what may have made a total disagree."""

    def __init__(self, sheet: Sheet, columns: Columns, table: TableRows, figures: Figures) -> None:
        self.sheet, self.columns, self.table, self.figures = sheet, columns, table, figures

    def culprit(self, check: Check) -> str:
        """The likeliest culprit in words; nothing if none is found."""
        columns = check.columns or (check.column,)
        # From the surest explanation to the weakest.
        steps = (self._no_number, self._left_out, self._swapped_total, self._one_cell,
                 self._one_line, self._swapped_cell, self._by_factor, self._subtotals)  # fmt: skip
        return next((message for step in steps if (message := step(check, columns))), "")

    def corrected_in(self, check: Check) -> list[Spot]:
        """The corrected cells that a total sums up, if it agrees with what stood there before."""
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
        """A row that is no record but holds just what is missing."""
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
        """A cell that holds just the difference: summed twice, or not at all."""
        apart = check.printed - check.summed
        for row in check.rows:
            for column in columns:
                number = self.figures.at(row, column)
                if number and abs(abs(number) - abs(apart)) < _NEAR:
                    return self._held(str(self.sheet.address(row, column)), number, apart)
        return ""

    def _one_line(self, check: Check, columns: Sequence[int]) -> str:
        """A whole line that holds just the difference."""
        apart = check.printed - check.summed
        # With one row or column the line is the cell, which was asked.
        if len(columns) > 1 and len(check.rows) > 1:
            for row in check.rows:
                number = self.figures.total(row, columns)
                if number and abs(abs(number) - abs(apart)) < _NEAR:
                    return self._held(self.sheet.row_called(row), number, apart)
        return ""

    def _held(self, where: str, number: float, apart: float) -> str:
        twice = (number > 0) == (apart > 0)
        return culprits.SUMMED_WRONGLY(where=where, twice=twice)

    def _swapped_cell(self, check: Check, columns: Sequence[int]) -> str:
        apart = check.printed - check.summed
        for row in check.rows:
            for column in columns:
                number = self.figures.at(row, column)
                if number and _swapped(number, number + apart):
                    cell, meant = self.sheet.address(row, column), _number(number + apart)
                    return culprits.CELL_SWAPPED(cell=cell, meant=meant)
        return ""

    def _by_factor(self, check: Check, columns: Sequence[int]) -> str:
        """The only cell that explains the difference if its decimal point is moved."""
        apart = check.printed - check.summed
        fitting = [
            (row, column, meant, max(number / meant, meant / number), number > meant)
            for row in check.rows
            for column in columns
            if (number := self.figures.at(row, column))
            for meant in (number * factor for factor in _FACTORS)
            if abs(meant - number - apart) < _NEAR
        ]
        if len(fitting) != 1:
            return ""
        row, column, meant, factor, large = fitting[0]
        cell = self.sheet.address(row, column)
        return culprits.CELL_BY_FACTOR(
            cell=cell, factor=_number(round(factor)), large=large, meant=_number(meant)
        )

    def _subtotals(self, check: Check, columns: Sequence[int]) -> str:
        if check.summed and abs(check.printed - 2 * check.summed) < _NEAR:
            return culprits.SUBTOTALS_TOO()
        return ""


def _number_in(cell: Cell) -> float:
    """The number that a cell holds; 0 if it is none, as it was summed."""
    return convert((cell,), ValueForm("number")).values[0].as_py() or 0.0


_FACTORS = (10.0, 100.0, 1000.0, 0.1, 0.01, 0.001)

_DIGITS = re.compile(r"-?\d{2,15}")


def _swapped(number: float, other_number: float) -> bool:
    """Whether two whole numbers differ by two neighbouring digits that changed places."""
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
