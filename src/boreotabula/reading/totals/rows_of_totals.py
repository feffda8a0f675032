"""A row of printed totals: which records it sums up, and whether it agrees."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from math import fsum

from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.rows.total_words import AVERAGE_WORDS, begins_as_total
from boreotabula.reading.totals.checks import Check, Range, Summands, mean_of
from boreotabula.reading.totals.figures import Figures, agree

_MOST_RANGES = 50
"""At most this many earlier and later rows of totals may bound what a total sums up."""


class RowOfTotals:
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
        """What the row may hold in a column: under averages, their sum or the average of the
        sums."""
        # Under a column of totals stands the sum of what these sum up.
        columns = self.meant[column].columns
        total = fsum(self.figures.span(column, group) for column in columns)
        if not self.meant[column].averaged:
            yield total
            return
        yield total / len(columns)
        yield fsum(
            mean_of(self.figures, row, columns) for row in self.figures.rows[group[0] : group[1]]
        )

    @property
    def ways(self) -> Iterator[str]:
        """For each agreeing total, whether its records lie "down" or "up" from it."""
        for (start, end), _ in self.agreeing.values():
            # A total of the whole block has no direction.
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
        """The range whose sum is nearest to a total that agrees with none."""
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
        """Whether the row has a label of averages."""
        columns = self.figures.columns
        named = [column.column for column in columns.every if column.kind is not ColumnKind.VALUE]
        return begins_as_total(self.figures.sheet, self.row, named, AVERAGE_WORDS)

    def _nearest_mean(self, column: int) -> tuple[Range, float]:
        """The range whose average is nearest to the printed one in a column."""
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
            filled = [mean_of(self.figures, row, columns) for row in rows]
        else:
            filled = self.figures.across(rows, columns)
        return fsum(filled) / max(len(filled), 1)

    def _check(self, column: int, group: Range, figure: float, *, agrees: bool) -> Check:
        rows = self.figures.rows[group[0] : group[1]]
        columns = self.meant[column].columns
        return Check(self.row, column, self.printed[column], figure, agrees, rows, columns)


_FEW_RANGES = 4
"""The number of ranges tried for averages."""


def row_ranges(records: Sequence[int], row: int, total_rows: Sequence[int]) -> list[Range]:
    """The record rows that a row of totals may sum up, likeliest first.

    Those since an earlier row of totals, nearest first; those down to a later one; all above, all
    below, all of the block.
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
