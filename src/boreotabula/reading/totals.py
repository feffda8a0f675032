"""Control totals: every printed total is compared with the records that it sums up.

A row of totals may sum the records since any earlier row of totals, or the whole block; a column of
totals the values under the same upper heading, those since the last column of totals, or all of
them. Whichever agrees is taken to be meant. Averages are recognised where no sum agrees at all.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import fsum

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns import Column, ColumnKind, Columns
from boreotabula.reading.figures import Figures, agree
from boreotabula.reading.lines import LineKind, Lines
from boreotabula.reading.plan import Plan
from boreotabula.workbooks.sheet import Flaw, Sheet


@dataclass(frozen=True)
class Check:
    """A printed total and what it was compared with; rows and columns counted from 0."""

    row: int
    column: int
    printed: float
    summed: float
    agrees: bool
    rows: tuple[int, ...]
    """The record rows that it sums up, as far as known."""
    columns: tuple[int, ...]
    """The columns of values that it sums up."""


@dataclass(frozen=True)
class TotalsCount:
    """How many printed totals were compared, and how many agree."""

    printed: int = 0
    agree: int = 0


@dataclass(frozen=True)
class Totals:
    """All printed totals of a block."""

    checks: tuple[Check, ...] = ()
    flaws: tuple[tuple[int, int], ...] = ()
    """Places of totals that hold an error value instead of a number."""

    @property
    def wrong(self) -> list[Check]:
        """Those that disagree."""
        return [one for one in self.checks if not one.agrees]


_Values = Mapping[int, float]
"""What each record row adds to a column."""


def check_totals(sheet: Sheet, columns: Columns, lines: Lines, plan: Plan) -> Totals:
    """Compare the printed totals of a block with its records."""
    total_rows = [line.row for line in lines.lines if line.kind is LineKind.TOTAL]
    total_columns = columns.of(ColumnKind.TOTAL)
    if not total_rows and not total_columns:
        return Totals()
    figures = Figures(sheet, columns, plan, lines.records)
    if not figures.summed:
        return Totals()
    checks: list[Check] = []
    summands: dict[int, tuple[int, ...]] = {one.column: (one.column,) for one in figures.summed}
    for column in total_columns:
        meant, found = _column_checks(figures, column)
        checks += found
        summands[column.column] = meant
    for row in total_rows:
        checks += _row_checks(figures, row, total_rows, summands)
    places = [(row, column) for row in total_rows for column in summands] + [
        (row, column.column) for row in figures.rows for column in total_columns
    ]
    flaws = tuple(at for at in places if isinstance(sheet.rows[at[0]][at[1]], Flaw))
    return Totals(tuple(checks), flaws)


# --- columns of totals ---------------------------------------------------------------------------


def _column_checks(figures: Figures, column: Column) -> tuple[tuple[int, ...], list[Check]]:
    """The columns that a column of totals sums up, and its total of each record row."""
    printed = {
        row: number
        for row in figures.rows
        if (number := figures.at(row, column.column)) is not None
    }
    sets = summand_sets(figures.columns, column, figures.summed)
    if not sets:
        return (), []
    best = max(sets, key=lambda some: _agreeing(figures, printed, some))
    sums = {row: figures.total(row, best) for row in printed}
    if printed and not any(agree(printed[row], sums[row]) for row in printed):
        means = {row: _mean(figures, row, best) for row in printed}
        if all(agree(printed[row], means[row]) for row in printed):
            sums = means
    return best, [
        Check(row, column.column, number, sums[row], agree(number, sums[row]), (row,), best)
        for row, number in printed.items()
    ]


def _agreeing(figures: Figures, printed: _Values, some: Sequence[int]) -> int:
    return sum(agree(number, figures.total(row, some)) for row, number in printed.items())


def _mean(figures: Figures, row: int, some: Sequence[int]) -> float:
    filled = [number for at in some if (number := figures.at(row, at)) is not None]
    return fsum(filled) / max(len(filled), 1)


@lru_cache(maxsize=1024)
def summand_sets(
    columns: Columns, column: Column, summed: tuple[Column, ...]
) -> list[tuple[int, ...]]:
    """The sets of columns that a column could sum up, the likeliest first.

    Those under the same upper headings, from the lowest level up; those left of it since the last
    column of totals; all that stand left of it; all others.
    """
    field = _field_of_total(columns, column, summed)
    others = [one for one in summed if one.column != column.column and field in ("", one.field)]
    labels = _folded(column)
    before = [one.column for one in columns.of(ColumnKind.TOTAL) if one.column < column.column]
    sets = [
        [one for one in others if _folded(one)[:depth] == labels[:depth]]
        for depth in range(len(labels) - 1, 0, -1)
        if labels[depth - 1]
    ]
    left = [one for one in others if one.column < column.column]
    sets.append([one for one in left if one.column > max(before, default=-1)])
    sets += [left, others]
    found = [tuple(one.column for one in some) for some in sets if some]
    return list(dict.fromkeys(found))


def _folded(column: Column) -> tuple[str, ...]:
    return tuple(normal_form(cell_text(label)) for label in column.labels)


def _field_of_total(columns: Columns, column: Column, summed: Sequence[Column]) -> str:
    """The value that a column of totals is of, where several stand under each heading.

    Known by the lowest heading: the same as that of one of the values.
    """
    values = columns.block.values
    if len(values) < 2:
        return ""
    if column.kind is ColumnKind.VALUE:
        return column.field
    lowest = _folded(column)[-1:] or ("",)
    return next((one for one in values if normal_form(one) == lowest[0]), "")


# --- rows of totals ------------------------------------------------------------------------------


def _row_checks(
    figures: Figures, row: int, total_rows: Sequence[int], summands: Mapping[int, tuple[int, ...]]
) -> list[Check]:
    """The totals of one row, each compared over the records that it may sum up."""
    printed = {
        column: number
        for column, some in summands.items()
        if some and (number := figures.at(row, column)) is not None
    }
    ranges = row_ranges(figures.rows, row, total_rows)
    if not printed or not ranges:
        return []
    found = [
        _best(row, at, number, ranges, summands[at], _summing(figures, at, summands))
        for at, number in printed.items()
    ]
    if not any(one.agrees for one in found):
        means = [
            _best(
                row, column, number, ranges, summands[column], _averaging(figures, column, summands)
            )
            for column, number in printed.items()
        ]
        if all(one.agrees for one in means):
            return means
    return found


def row_ranges(
    records: Sequence[int], row: int, total_rows: Sequence[int]
) -> list[tuple[int, ...]]:
    """The record rows that a row of totals may sum up.

    Those since each earlier row of totals, the nearest first; all of the block; of a row above all
    records those down to the next row of totals.
    """
    above = [one for one in records if one < row]
    starts = sorted((one for one in total_rows if one < row), reverse=True)
    ranges = [tuple(one for one in above if one > start) for start in (*starts, -1)]
    if not above:
        after = min((one for one in total_rows if one > row), default=None)
        ranges.append(tuple(one for one in records if after is None or one < after))
    ranges.append(tuple(records))
    return list(dict.fromkeys(ranges))


_Over = Callable[[Sequence[int]], float]


def _summing(figures: Figures, column: int, summands: Mapping[int, tuple[int, ...]]) -> _Over:
    some = summands[column]
    if some == (column,):
        return lambda rows: figures.down(column, rows)
    return lambda rows: fsum(figures.total(row, some) for row in rows)


def _averaging(figures: Figures, column: int, summands: Mapping[int, tuple[int, ...]]) -> _Over:
    some = summands[column]

    def mean(rows: Sequence[int]) -> float:
        if some == (column,):
            filled = [n for row in rows if (n := figures.at(row, column)) is not None]
        else:
            filled = [figures.total(row, some) for row in rows]
        return fsum(filled) / max(len(filled), 1)

    return mean


def _best(
    row: int,
    column: int,
    printed: float,
    ranges: Sequence[tuple[int, ...]],
    some: tuple[int, ...],
    over: _Over,
) -> Check:
    """The first range whose figure agrees; else the nearest one, with its difference."""
    first: Check | None = None
    for rows in ranges:
        figure = over(rows)
        if agree(printed, figure):
            return Check(row, column, printed, figure, True, rows, some)
        check = Check(row, column, printed, figure, False, rows, some)
        if first is None or abs(figure - printed) < abs(first.summed - printed):
            first = check
    assert first is not None
    return first
