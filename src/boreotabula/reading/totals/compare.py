"""Control totals: every printed total is compared with the records that it sums up.

A row of totals may sum the records since any earlier row of totals, those down to a later one, or
the whole block; a column of totals the values under the same upper heading, those since the last
column of totals, or all of them. Whichever agrees is taken to be meant. Averages are recognised
where no sum agrees at all.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from math import fsum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.rows.total_words import AVERAGE_WORDS, begins_as_total
from boreotabula.reading.totals.figures import Figures, agree, all_agree, summed_columns
from boreotabula.sheets.sheet import CellKind, Flaw, Sheet


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
    averaged: bool = False
    """Whether it was held against their average, since its row is called so."""


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
    rows: NDArray[np.intp]
    printed: NDArray[np.float64]
    summed: NDArray[np.float64]
    agree: NDArray[np.bool_]

    def checks(self, *, wrong: bool) -> Iterator[Check]:
        """All of them one by one, or only those that disagree."""
        for at in np.flatnonzero(~self.agree).tolist() if wrong else range(len(self.rows)):
            row, agrees = int(self.rows[at]), bool(self.agree[at])
            printed, summed = float(self.printed[at]), float(self.summed[at])
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


def check_totals(sheet: Sheet, columns: Columns, table: TableRows, plan: Plan) -> Totals:
    """Compare the printed totals of a block with its records."""
    total_rows = table.of(RowKind.TOTAL)
    total_columns = columns.of(ColumnKind.TOTAL)
    # Most tables have none: nothing is set up for them.
    if not total_rows and not total_columns and not table.groups:
        return Totals()
    # What records hold, not what cells show: that is what totals must agree with.
    figures = Figures(sheet, columns, plan, table)
    if not figures.summed:
        return Totals()
    beside: list[ColumnOfTotals] = []
    meant = {one.column: Summands((one.column,)) for one in figures.summed}
    for column in total_columns:
        # A row of totals sums up what each column of totals was found to mean.
        meant[column.column], found = _compared(figures, column)
        beside += [found] if found else []
    below = _row_checks(figures, total_rows, meant) + _group_checks(figures, meant)
    # An error value is no total to compare, but must not pass unseen.
    at_right = [one.column for one in total_columns]
    flaws = (*_flaws(sheet, total_rows, list(meant)), *_flaws(sheet, figures.rows, at_right))
    return Totals(tuple(beside), tuple(below), flaws)


def _flaws(sheet: Sheet, rows: Sequence[int], columns: Sequence[int]) -> Iterator[tuple[int, int]]:
    """Where some rows and columns meet in a cell that holds no value."""
    where = np.ix_(np.array(rows, np.intp), np.array(columns, np.intp))
    for row, column in np.argwhere(sheet.kinds[where] == CellKind.OTHER).tolist():
        if isinstance(sheet.rows[rows[row]][columns[column]], Flaw):
            yield rows[row], columns[column]


# --- columns of totals ---------------------------------------------------------------------------


def _compared(figures: Figures, column: Column) -> tuple[Summands, ColumnOfTotals | None]:
    """The columns that a column of totals sums up, and its total of each record row."""
    sets = summand_sets(figures.columns, figures.plan)[column.column]
    if not sets:
        return Summands(()), None
    numbers = figures.numbers[figures.table.record_rows, column.column]
    there = ~np.isnan(numbers)
    rows, printed = figures.table.record_rows[there], numbers[there]
    best: ColumnOfTotals | None = None
    for some in sets:
        sums = figures.part(figures.rows, some)[there].sum(axis=1)
        same = all_agree(printed, sums)
        # The likeliest set comes first, so a tie keeps it.
        if best is None or same.sum() > best.agree.sum():
            best = ColumnOfTotals(column.column, some, rows, printed, sums, same)
        if same.all():
            break
    assert best is not None
    # An average is only thought of where no sum fits a single row.
    if len(printed) and not best.agree.any():
        means = np.array([_mean(figures, row, best.summands) for row in rows.tolist()])
        same = all_agree(printed, means)
        if same.all():
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
        one.column: _summand_sets(columns, one, summed, plan)
        for one in (*summed, *columns.of(ColumnKind.TOTAL))
    }


def _summand_sets(
    columns: Columns, column: Column, summed: tuple[Column, ...], plan: Plan
) -> list[tuple[int, ...]]:
    others = [one for one in summed if one.column != column.column]
    if len(columns.block.values) < 2:
        return _sets_among(columns, column, others)
    # “Total sold” sums up what was sold, not all values under its heading.
    known = _field_of_total(columns, column)
    fields = (known,) if known in columns.block.values else (*columns.block.values, "")
    found = [
        some
        for field in fields
        for some in _sets_among(
            columns, column, [one for one in others if field in ("", one.field)]
        )
    ]
    return list(dict.fromkeys(found))


def _sets_among(columns: Columns, column: Column, others: list[Column]) -> list[tuple[int, ...]]:
    labels = _folded(column)
    before = [one.column for one in columns.of(ColumnKind.TOTAL) if one.column < column.column]
    sets = [
        [one for one in others if _folded(one)[:depth] == labels[:depth]]
        for depth in range(len(labels) - 1, 0, -1)
        if labels[depth - 1]
    ]
    left = [one for one in others if one.column < column.column]
    # Since the last column of totals: the usual place of a subtotal.
    sets.append([one for one in left if one.column > max(before, default=-1)])
    sets += [left, others]
    found = [tuple(one.column for one in some) for some in sets if some]
    return list(dict.fromkeys(found))


def _folded(column: Column) -> tuple[str, ...]:
    return tuple(normal_form(cell_text(label)) for label in column.labels)


def _field_of_total(columns: Columns, column: Column) -> str | None:
    """The value that a column of totals is of, where several are under each heading: the field that
    its lowest heading means. Without one, the sums of each value are tried."""
    # A column of values that looks like a total sums up its own kind.
    if column.kind is ColumnKind.VALUE:
        return column.field
    lowest = cell_text(column.labels[-1]) if column.labels else ""
    return columns.block.names.field_of(lowest) if lowest else None


# --- rows of totals ------------------------------------------------------------------------------

Range = tuple[int, int]
"""Some of the record rows, by their numbers: from the first to before the second."""

_MOST_RANGES = 50
"""So many earlier rows of totals, and as many later ones, may bound what a total sums up."""


def _row_checks(
    figures: Figures, total_rows: Sequence[int], meant: Mapping[int, Summands]
) -> list[Check]:
    """The totals of each row, compared over the records that they may sum up.

    Where one disagrees, it is held against what the others of its row sum up, or else the row
    looks the way most rows of totals do, up or down.
    """
    rows = [_RowOfTotals(figures, row, total_rows, meant) for row in total_rows]
    ways = Counter(way for one in rows for way in one.ways)
    down = ways["down"] > ways["up"]
    return [check for one in rows for check in one.checks(down=down)]


def _group_checks(figures: Figures, meant: Mapping[int, Summands]) -> list[Check]:
    """The totals in rows that name groups: each sums up all records of its group."""
    table, found = figures.table, []
    for row in table.groups:
        if not table.lines_of(row):  # told as such
            continue
        # What belongs to the group is known: no other range is tried.
        some = (
            bisect_left(figures.rows, row),
            bisect_left(figures.rows, table.group_end(row)),
        )
        for column, summands in meant.items():
            printed = figures.at(row, column)
            if printed is not None and summands.columns and not summands.averaged:
                figure = fsum(figures.span(at, some) for at in summands.columns)
                agrees = agree(printed, figure)
                rows = figures.rows[some[0] : some[1]]
                found.append(Check(row, column, printed, figure, agrees, rows, summands.columns))
    return found


class _RowOfTotals:
    """The printed totals of one row, and the ranges of records over which they agree."""

    def __init__(
        self,
        figures: Figures,
        row: int,
        total_rows: Sequence[int],
        meant: Mapping[int, Summands],
    ) -> None:
        self.figures, self.row, self.meant = figures, row, meant
        self.printed = {
            column: number
            for column, some in meant.items()
            if some.columns and (number := figures.at(row, column)) is not None
        }
        # Records above it and below it.
        self.middle = bisect_left(figures.rows, row)
        self.ranges = row_ranges(figures.rows, row, total_rows)
        self.agreeing = self._agreeing()

    def _agreeing(self) -> dict[int, tuple[Range, float]]:
        """The totals that agree, each with the first range over which it does."""
        found: dict[int, tuple[Range, float]] = {}
        for some in self.ranges:
            for column in self.printed.keys() - found.keys():
                agreeing = (one for one in self._sums(column, some)
                            if agree(self.printed[column], one))  # fmt: skip
                if (figure := next(agreeing, None)) is not None:
                    found[column] = (some, figure)
            if len(found) == len(self.printed):
                break
        return {column: found[column] for column in self.printed if column in found}

    def _sums(self, column: int, some: Range) -> Iterator[float]:
        """What the row may hold in a column: under averages, their sum or that of the sums."""
        # Under a column of totals stands the sum of what these sum up.
        columns = self.meant[column].columns
        total = fsum(self.figures.span(at, some) for at in columns)
        if not self.meant[column].averaged:
            yield total
            return
        yield total / len(columns)
        yield fsum(
            _mean(self.figures, row, columns) for row in self.figures.rows[some[0] : some[1]]
        )

    @property
    def ways(self) -> Iterator[str]:
        """Where the records lie that its agreeing totals sum up."""
        for (start, end), _ in self.agreeing.values():
            # The whole block tells neither way.
            if not start == 0 < self.middle < end:
                yield "down" if start >= self.middle else "up"

    def checks(self, *, down: bool) -> Iterator[Check]:
        """Each of its totals, and what it was compared with."""
        # A row of totals without a number says nothing.
        if not self.printed or not self.ranges:
            return
        # A row of averages: only if every one of its totals is one.
        if not self.agreeing and (means := self._means()) is not None:
            yield from means
            return
        if self._called_average:
            for column in self.printed:
                some, mean = self._nearest_mean(column)
                agrees = agree(self.printed[column], mean)
                yield self._check(column, some, mean, agrees=agrees)._replace(averaged=True)
            return
        # The totals of a row nearly always sum up the same records.
        usual = Counter(some for some, _ in self.agreeing.values())
        for column, printed in self.printed.items():
            if column in self.agreeing:
                some, figure = self.agreeing[column]
                yield self._check(column, some, figure, agrees=True)
            else:
                some, figure = self._nearest(column, printed, list(usual), down=down)
                yield self._check(column, some, figure, agrees=False)

    def _nearest(
        self, column: int, printed: float, usual: Sequence[Range], *, down: bool
    ) -> tuple[Range, float]:
        """The range whose figure is nearest to a total that agrees with none."""
        # A wrong total is held against what it most likely was meant to sum.
        side = [one for one in self.ranges if (one[0] >= self.middle) is down]
        found = [
            (some, figure)
            for some in (usual[:1] or side or self.ranges)
            for figure in self._sums(column, some)
        ]
        return min(found, key=lambda one: abs(one[1] - printed))

    def _means(self) -> list[Check] | None:
        """The checks if every total of the row is an average."""
        found = []
        for column, printed in self.printed.items():
            for some in self.ranges[:_FEW_RANGES] + self.ranges[-1:]:
                mean = self._average(column, some)
                if agree(printed, mean):
                    check = self._check(column, some, mean, agrees=True)
                    found.append(check._replace(averaged=True))
                    break
            else:
                return None
        return found

    @property
    def _called_average(self) -> bool:
        """Whether the row is named as averages are."""
        columns = self.figures.columns
        named = [one.column for one in columns.every if one.kind is not ColumnKind.VALUE]
        return begins_as_total(self.figures.sheet, self.row, named, AVERAGE_WORDS)

    def _nearest_mean(self, column: int) -> tuple[Range, float]:
        """The range whose average is nearest to what is printed in a column."""
        ranges = self.ranges[:_FEW_RANGES] + self.ranges[-1:]
        means = [(some, self._average(column, some)) for some in ranges]
        return min(means, key=lambda pair: abs(pair[1] - self.printed[column]))

    def _average(self, column: int, some: Range) -> float:
        columns, averaged = self.meant[column]
        rows = self.figures.rows[some[0] : some[1]]
        # Blank cells do not count into an average, zeros do.
        if len(columns) == 1:
            filled = [n for row in rows if (n := self.figures.at(row, columns[0])) is not None]
        elif averaged:
            filled = [_mean(self.figures, row, columns) for row in rows]
        else:
            filled = self.figures.across(rows, columns)
        return fsum(filled) / max(len(filled), 1)

    def _check(self, column: int, some: Range, figure: float, *, agrees: bool) -> Check:
        rows = self.figures.rows[some[0] : some[1]]
        columns = self.meant[column].columns
        return Check(self.row, column, self.printed[column], figure, agrees, rows, columns)


_FEW_RANGES = 4
"""So many ranges are tried for averages."""


def row_ranges(records: Sequence[int], row: int, total_rows: Sequence[int]) -> list[Range]:
    """The record rows that a row of totals may sum up, the likeliest first.

    Those since an earlier row of totals, the nearest first; those down to a later one; all above,
    all below, all of the block.
    """
    # Found by search: blocks can have thousands of rows of totals.
    middle, number = bisect_left(records, row), len(records)
    at = bisect_left(total_rows, row)
    # Bounded, so that many totals do not take the square of the time.
    before = total_rows[max(at - _MOST_RANGES, 0) : at][::-1]
    after = total_rows[at + 1 : at + 1 + _MOST_RANGES]
    # Nearest first: a subtotal must not be explained by a wider range that fits by chance.
    ups = [(bisect_left(records, start), middle) for start in before] + [(0, middle)]
    downs = [(middle, bisect_left(records, end)) for end in after] + [(middle, number)]
    # Totals above their records are as usual as below: both ways are tried in turn.
    nearest = [*ups[:1], *downs[:1], *ups[1:], *downs[1:], (0, number)]
    return list(dict.fromkeys(nearest))
