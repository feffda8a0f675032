"""Printed totals, and the records that they were compared with."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import fsum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.totals.figures import Figures


class Check(NamedTuple):
    """A printed total and what it was compared with; rows and columns count from 0."""

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
    """Whether it was compared with their average, because its label says so."""


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
        """All checks one by one, or only those that disagree."""
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
    """Cells of totals that hold an error value instead of a number."""

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
    """The columns that a column sums up; a column of values has only itself."""

    columns: tuple[int, ...]
    averaged: bool = False
    """Whether it holds their average instead."""


def mean_of(figures: Figures, row: int, numbers: Sequence[int]) -> float:
    """The mean of the filled cells of some columns in a row; 0 if none is filled."""
    filled = [number for index in numbers if (number := figures.at(row, index)) is not None]
    return fsum(filled) / max(len(filled), 1)


Range = tuple[int, int]
"""Some of the record rows, by index: from the first to before the second."""
