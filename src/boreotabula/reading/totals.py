"""Control totals: every printed total is compared with the records that it sums up.

A row of totals may sum the records since any earlier row of totals, or the whole block; a column of
totals the values under the same upper heading, those since the last column of totals, or all of
them. Whichever agrees is taken to be meant. Averages are recognised where no sum agrees at all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from itertools import product
from math import fsum
from typing import NamedTuple

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns import Column, ColumnKind, Columns
from boreotabula.reading.figures import Figures, agree, summed_columns
from boreotabula.reading.lines import LineKind, Lines
from boreotabula.reading.plan import Plan
from boreotabula.workbooks.sheet import Flaw, Sheet


class Check(NamedTuple):
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
class ColumnOfTotals:
    """The printed totals of one column, by record row, and what they were compared with."""

    column: int
    summands: tuple[int, ...]
    rows: Sequence[int]
    printed: Sequence[float]
    summed: Sequence[float]
    agree: Sequence[bool]

    def checks(self, *, wrong: bool) -> Iterator[Check]:
        """All of them one by one, or only those that disagree."""
        if wrong and all(self.agree):
            return
        every = zip(self.rows, self.printed, self.summed, self.agree, strict=True)
        for row, printed, summed, agrees in every:
            if not (wrong and agrees):
                yield Check(row, self.column, printed, summed, agrees, (row,), self.summands)


@dataclass(frozen=True)
class Totals:
    """All printed totals of a block: those of columns, and those of rows."""

    columns: tuple[ColumnOfTotals, ...] = ()
    rows: tuple[Check, ...] = ()
    flaws: tuple[tuple[int, int], ...] = ()
    """Places of totals that hold an error value instead of a number."""

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.rows) + sum(len(one.rows) for one in self.columns)

    @property
    def checks(self) -> list[Check]:
        """Each of them."""
        return [*(one for some in self.columns for one in some.checks(wrong=False)), *self.rows]

    @cached_property
    def wrong(self) -> list[Check]:
        """Those that disagree."""
        below = [one for some in self.columns for one in some.checks(wrong=True)]
        return [*below, *(one for one in self.rows if not one.agrees)]


class Summands(NamedTuple):
    """The columns that a column sums up; a column of values has itself alone."""

    columns: tuple[int, ...]
    averaged: bool = False
    """Whether it holds their average instead."""


def check_totals(sheet: Sheet, columns: Columns, lines: Lines, plan: Plan) -> Totals:
    """Compare the printed totals of a block with its records."""
    total_rows = [line.row for line in lines.lines if line.kind is LineKind.TOTAL]
    total_columns = columns.of(ColumnKind.TOTAL)
    if not total_rows and not total_columns:
        return Totals()
    figures = Figures(sheet, columns, plan, lines.records)
    if not figures.summed:
        return Totals()
    beside: list[ColumnOfTotals] = []
    meant = {one.column: Summands((one.column,)) for one in figures.summed}
    for column in total_columns:
        meant[column.column], found = _compared(figures, column)
        beside += [found] if found else []
    below = [one for row in total_rows for one in _row_checks(figures, row, total_rows, meant)]
    flaws = () if sheet.plain else tuple(
        (row, at)
        for rows, places in (
            (total_rows, list(meant)), (figures.rows, [one.column for one in total_columns])
        )
        for row in rows for at in places if isinstance(sheet.rows[row][at], Flaw)
    )  # fmt: skip
    return Totals(tuple(beside), tuple(below), flaws)


# --- columns of totals ---------------------------------------------------------------------------


def _compared(figures: Figures, column: Column) -> tuple[Summands, ColumnOfTotals | None]:
    """The columns that a column of totals sums up, and its total of each record row."""
    sets = summand_sets(figures.columns, figures.plan)[column.column]
    if not sets:
        return Summands(()), None
    numbers = figures.numbers(column.column, figures.rows)
    rows = [row for row, one in zip(figures.rows, numbers, strict=True) if one is not None]
    printed = [one for one in numbers if one is not None]
    best: ColumnOfTotals | None = None
    for some in sets:
        sums = figures.across(rows, some)
        same = [True] * len(rows) if sums == printed else list(map(agree, printed, sums))
        if best is None or sum(same) > sum(best.agree):
            best = ColumnOfTotals(column.column, some, rows, printed, sums, same)
        if all(same):
            break
    assert best is not None
    if printed and not any(best.agree):
        means = [_mean(figures, row, best.summands) for row in rows]
        same = list(map(agree, printed, means))
        if all(same):
            return Summands(best.summands, True), replace(best, summed=means, agree=same)
    return Summands(best.summands), best


def _mean(figures: Figures, row: int, some: Sequence[int]) -> float:
    filled = [number for at in some if (number := figures.at(row, at)) is not None]
    return fsum(filled) / max(len(filled), 1)


@lru_cache(maxsize=64)
def summand_sets(columns: Columns, plan: Plan) -> Mapping[int, list[tuple[int, ...]]]:
    """The sets of columns that each column of values or totals could sum up, the likeliest first.

    Those under the same upper headings, from the lowest level up; those left of it since the last
    column of totals; all that stand left of it; all others.
    """
    summed = summed_columns(columns, plan)
    return {
        one.column: _summand_sets(columns, one, summed)
        for one in (*summed, *columns.of(ColumnKind.TOTAL))
    }


def _summand_sets(
    columns: Columns, column: Column, summed: tuple[Column, ...]
) -> list[tuple[int, ...]]:
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
    figures: Figures, row: int, total_rows: Sequence[int], meant: Mapping[int, Summands]
) -> list[Check]:
    """The totals of one row, each compared over the records that it may sum up."""
    printed = {
        column: number
        for column, some in meant.items()
        if some.columns and (number := figures.at(row, column)) is not None
    }
    ranges = row_ranges(figures.rows, row, total_rows)
    if not printed or not ranges:
        return []
    found = [
        _best(row, at, number, ranges, meant[at].columns, _sums(figures, meant[at]))
        for at, number in printed.items()
    ]
    if not any(one.agrees for one in found):
        means = [
            _best(row, at, number, ranges, meant[at].columns, [_average(figures, meant[at])])
            for at, number in printed.items()
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


_Over = Callable[[tuple[int, ...]], float]


def _sums(figures: Figures, meant: Summands) -> list[_Over]:
    """What a row of sums may hold in a column: under averages, their sum or that of the sums."""
    some = meant.columns
    if len(some) == 1:
        return [lambda rows: figures.down(some[0], rows)]
    if not meant.averaged:
        return [lambda rows: fsum(figures.down(at, rows) for at in some)]
    return [
        lambda rows: fsum(figures.down(at, rows) for at in some) / len(some),
        lambda rows: fsum(_mean(figures, row, some) for row in rows),
    ]


def _average(figures: Figures, meant: Summands) -> _Over:
    some = meant.columns

    def mean(rows: tuple[int, ...]) -> float:
        if len(some) == 1:
            filled = [n for row in rows if (n := figures.at(row, some[0])) is not None]
        elif meant.averaged:
            filled = [_mean(figures, row, some) for row in rows]
        else:
            filled = figures.across(rows, some)
        return fsum(filled) / max(len(filled), 1)

    return mean


def _best(
    row: int,
    column: int,
    printed: float,
    ranges: Sequence[tuple[int, ...]],
    some: tuple[int, ...],
    overs: Sequence[_Over],
) -> Check:
    """The first range whose figure agrees; else the nearest one, with its difference."""
    first: Check | None = None
    for over, rows in product(overs, ranges):
        figure = over(rows)
        if agree(printed, figure):
            return Check(row, column, printed, figure, True, rows, some)
        check = Check(row, column, printed, figure, False, rows, some)
        if first is None or abs(figure - printed) < abs(first.summed - printed):
            first = check
    assert first is not None
    return first
