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
        for index in np.flatnonzero(~self.agree).tolist() if wrong else range(len(self.rows)):
            row, agrees = int(self.rows[index]), bool(self.agree[index])
            printed, summed = float(self.printed[index]), float(self.summed[index])
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
        return len(self.rows) + sum(len(column.rows) for column in self.columns)

    @property
    def checks(self) -> list[Check]:
        """Each of them."""
        return [
            *(check for column in self.columns for check in column.checks(wrong=False)),
            *self.rows,
        ]

    @cached_property
    def wrong(self) -> list[Check]:
        """Those that disagree."""
        below = [check for column in self.columns for check in column.checks(wrong=True)]
        return [*below, *(row for row in self.rows if not row.agrees)]


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
    meant = {column.column: Summands((column.column,)) for column in figures.summed}
    for column in total_columns:
        # A row of totals sums up what each column of totals was found to mean.
        meant[column.column], column_of_totals = _compared(figures, column)
        beside += [column_of_totals] if column_of_totals else []
    below = _row_checks(figures, total_rows, meant) + _group_checks(figures, meant)
    # An error value is no total to compare, but must not pass unseen.
    at_right = [total_column.column for total_column in total_columns]
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
    mask = ~np.isnan(numbers)
    rows, printed = figures.table.record_rows[mask], numbers[mask]
    best: ColumnOfTotals | None = None
    for group in sets:
        sums = figures.part(figures.rows, group)[mask].sum(axis=1)
        same = all_agree(printed, sums)
        # The likeliest set comes first, so a tie keeps it.
        if best is None or same.sum() > best.agree.sum():
            best = ColumnOfTotals(column.column, group, rows, printed, sums, same)
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


def _mean(figures: Figures, row: int, numbers: Sequence[int]) -> float:
    filled = [number for index in numbers if (number := figures.at(row, index)) is not None]
    return fsum(filled) / max(len(filled), 1)


@lru_cache(maxsize=64)
def summand_sets(columns: Columns, plan: Plan) -> Mapping[int, list[tuple[int, ...]]]:
    """The sets of columns that each column of values or totals could sum up, the likeliest first.

    Those under the same upper headings, from the lowest level up; those left of it since the last
    column of totals; all that stand left of it; all others.
    """
    summed = summed_columns(columns, plan)
    return {
        column.column: _summand_sets(columns, column, summed, plan)
        for column in (*summed, *columns.of(ColumnKind.TOTAL))
    }


def _summand_sets(
    columns: Columns, column: Column, summed: tuple[Column, ...], plan: Plan
) -> list[tuple[int, ...]]:
    other_columns = [one for one in summed if one.column != column.column]
    if len(columns.block.values) < 2:
        return _sets_among(columns, column, other_columns)
    # “Total sold” sums up what was sold, not all values under its heading.
    known_text = _field_of_total(columns, column)
    fields = (known_text,) if known_text in columns.block.values else (*columns.block.values, "")
    groups = [
        numbers
        for field in fields
        for numbers in _sets_among(
            columns, column, [column for column in other_columns if field in ("", column.field)]
        )
    ]
    return list(dict.fromkeys(groups))


def _sets_among(
    columns: Columns, column: Column, other_columns: list[Column]
) -> list[tuple[int, ...]]:
    labels = _folded(column)
    before = [one.column for one in columns.of(ColumnKind.TOTAL) if one.column < column.column]
    sets = [
        [column for column in other_columns if _folded(column)[:depth] == labels[:depth]]
        for depth in range(len(labels) - 1, 0, -1)
        if labels[depth - 1]
    ]
    left = [one for one in other_columns if one.column < column.column]
    # Since the last column of totals: the usual place of a subtotal.
    sets.append([column for column in left if column.column > max(before, default=-1)])
    sets += [left, other_columns]
    groups = [tuple(column.column for column in columns) for columns in sets if columns]
    return list(dict.fromkeys(groups))


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
    ways = Counter(way for row in rows for way in row.ways)
    down = ways["down"] > ways["up"]
    return [check for row in rows for check in row.checks(down=down)]


def _group_checks(figures: Figures, meant: Mapping[int, Summands]) -> list[Check]:
    """The totals in rows that name groups: each sums up all records of its group."""
    table, checks = figures.table, []
    for row in table.groups:
        if not table.lines_of(row):  # told as such
            continue
        # What belongs to the group is known: no other range is tried.
        group = (
            bisect_left(figures.rows, row),
            bisect_left(figures.rows, table.group_end(row)),
        )
        for column, summands in meant.items():
            printed = figures.at(row, column)
            if printed is not None and summands.columns and not summands.averaged:
                figure = fsum(figures.span(column, group) for column in summands.columns)
                agrees = agree(printed, figure)
                rows = figures.rows[group[0] : group[1]]
                checks.append(Check(row, column, printed, figure, agrees, rows, summands.columns))
    return checks


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
            for column, group in meant.items()
            if group.columns and (number := figures.at(row, column)) is not None
        }
        # Records above it and below it.
        self.middle = bisect_left(figures.rows, row)
        self.ranges = row_ranges(figures.rows, row, total_rows)
        self.agreeing = self._agreeing()

    def _agreeing(self) -> dict[int, tuple[Range, float]]:
        """The totals that agree, each with the first range over which it does."""
        result: dict[int, tuple[Range, float]] = {}
        for range_ in self.ranges:
            for column in self.printed.keys() - result.keys():
                agreeing = (number for number in self._sums(column, range_)
                            if agree(self.printed[column], number))  # fmt: skip
                if (figure := next(agreeing, None)) is not None:
                    result[column] = (range_, figure)
            if len(result) == len(self.printed):
                break
        return {column: result[column] for column in self.printed if column in result}

    def _sums(self, column: int, group: Range) -> Iterator[float]:
        """What the row may hold in a column: under averages, their sum or that of the sums."""
        # Under a column of totals stands the sum of what these sum up.
        columns = self.meant[column].columns
        total = fsum(self.figures.span(column, group) for column in columns)
        if not self.meant[column].averaged:
            yield total
            return
        yield total / len(columns)
        yield fsum(
            _mean(self.figures, row, columns) for row in self.figures.rows[group[0] : group[1]]
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
                group, mean = self._nearest_mean(column)
                agrees = agree(self.printed[column], mean)
                yield self._check(column, group, mean, agrees=agrees)._replace(averaged=True)
            return
        # The totals of a row nearly always sum up the same records.
        usual = Counter(values for values, _ in self.agreeing.values())
        for column, printed in self.printed.items():
            if column in self.agreeing:
                group, figure = self.agreeing[column]
                yield self._check(column, group, figure, agrees=True)
            else:
                group, figure = self._nearest(column, printed, list(usual), down=down)
                yield self._check(column, group, figure, agrees=False)

    def _nearest(
        self, column: int, printed: float, usual: Sequence[Range], *, down: bool
    ) -> tuple[Range, float]:
        """The range whose figure is nearest to a total that agrees with none."""
        # A wrong total is held against what it most likely was meant to sum.
        side = [range_ for range_ in self.ranges if (range_[0] >= self.middle) is down]
        result = [
            (group, figure)
            for group in (usual[:1] or side or self.ranges)
            for figure in self._sums(column, group)
        ]
        return min(result, key=lambda one: abs(one[1] - printed))

    def _means(self) -> list[Check] | None:
        """The checks if every total of the row is an average."""
        checks = []
        for column, printed in self.printed.items():
            for range_ in self.ranges[:_FEW_RANGES] + self.ranges[-1:]:
                mean = self._average(column, range_)
                if agree(printed, mean):
                    check = self._check(column, range_, mean, agrees=True)
                    checks.append(check._replace(averaged=True))
                    break
            else:
                return None
        return checks

    @property
    def _called_average(self) -> bool:
        """Whether the row is named as averages are."""
        columns = self.figures.columns
        named = [column.column for column in columns.every if column.kind is not ColumnKind.VALUE]
        return begins_as_total(self.figures.sheet, self.row, named, AVERAGE_WORDS)

    def _nearest_mean(self, column: int) -> tuple[Range, float]:
        """The range whose average is nearest to what is printed in a column."""
        ranges = self.ranges[:_FEW_RANGES] + self.ranges[-1:]
        means = [(range_, self._average(column, range_)) for range_ in ranges]
        return min(means, key=lambda pair: abs(pair[1] - self.printed[column]))

    def _average(self, column: int, group: Range) -> float:
        columns, averaged = self.meant[column]
        rows = self.figures.rows[group[0] : group[1]]
        # Blank cells do not count into an average, zeros do.
        if len(columns) == 1:
            filled = [n for row in rows if (n := self.figures.at(row, columns[0])) is not None]
        elif averaged:
            filled = [_mean(self.figures, row, columns) for row in rows]
        else:
            filled = self.figures.across(rows, columns)
        return fsum(filled) / max(len(filled), 1)

    def _check(self, column: int, group: Range, figure: float, *, agrees: bool) -> Check:
        rows = self.figures.rows[group[0] : group[1]]
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
    index = bisect_left(total_rows, row)
    # Bounded, so that many totals do not take the square of the time.
    before = total_rows[max(index - _MOST_RANGES, 0) : index][::-1]
    after = total_rows[index + 1 : index + 1 + _MOST_RANGES]
    # Nearest first: a subtotal must not be explained by a wider range that fits by chance.
    ups = [(bisect_left(records, start), middle) for start in before] + [(0, middle)]
    downs = [(middle, bisect_left(records, end)) for end in after] + [(middle, number)]
    # Totals above their records are as usual as below: both ways are tried in turn.
    nearest = [*ups[:1], *downs[:1], *ups[1:], *downs[1:], (0, number)]
    return list(dict.fromkeys(nearest))
