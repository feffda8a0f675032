"""Tabs whose numbers are the sums of other tabs of their workbook, cell by cell."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.totals.figures import all_agree

FEWEST_TABS = 3
"""With only two tabs, one being the sum of the other proves nothing."""
_FEWEST_SUMS = 3
"""This many cells must be sums of at least two numbers: fewer may be a coincidence."""
_MOST = 20_000_000
"""With more cells than this in all tabs, they are not compared: such a workbook is no set of small
forms."""

Numbers = tuple[NDArray[np.intp], NDArray[np.float64]]
"""Cells, as row × 65,536 + column, and their numbers."""


def sums_of_others(tabs: Mapping[str, Numbers]) -> Iterator[tuple[str, Sequence[str]]]:
    """The tabs that sum up other tabs which stand in a row, and those others.

    The smaller sums come first, so that a year is the sum of its months, without the quarters.
    """
    names = [name for name, (cells, _) in tabs.items() if len(cells) >= _FEWEST_SUMS]
    if len(names) < FEWEST_TABS:
        return
    # Few workbooks hold such tabs: their sums alone show that, before the cells are looked at.
    alone = np.array([[tabs[name][1].sum()] for name in names])
    least = sorted(alone[:, 0].tolist())
    # No sum of two that are positive is less than that of the two smallest.
    if least[0] > 0 and least[-1] < 0.99 * (least[0] + least[1]):
        return
    if not any(True for index in range(len(names)) for _ in _runs(alone, range(len(names)), index)):
        return
    every = np.unique(np.concatenate([tabs[name][0] for name in names]))
    if len(every) * len(names) > _MOST:
        return
    matrix = np.zeros((len(names), len(every)))
    for row, name in enumerate(names):
        cells, numbers = tabs[name]
        matrix[row, np.searchsorted(every, cells)] = numbers
    left = list(range(len(names)))
    while True:
        sums = [
            (index, other_numbers)
            for index in left
            if (other_numbers := _run_summed(matrix, left, index))
        ]
        if not sums:
            return
        row, other_numbers = min(sums, key=lambda pair: len(pair[1]))
        yield names[row], [names[index] for index in other_numbers]
        left.remove(row)


def _run_summed(
    matrix: NDArray[np.float64], left: Sequence[int], index: int
) -> Sequence[int] | None:
    """The consecutive tabs whose numbers a tab sums up; None if there are none."""
    for run in _runs(matrix, left, index):
        members = matrix[run]
        several = np.count_nonzero(members, axis=0) > 1
        true_sums = np.count_nonzero(several & (matrix[index] != 0))
        if true_sums >= _FEWEST_SUMS and all_agree(matrix[index], members.sum(axis=0)).all():
            return run
    return None


def _runs(matrix: NDArray[np.float64], left: Sequence[int], index: int) -> Iterator[list[int]]:
    """Consecutive tabs, at least two, whose numbers add up to the same sum as those of a tab."""
    other_numbers = [position for position in left if position != index]
    ends = np.concatenate(([0.0], np.cumsum(matrix[other_numbers].sum(axis=1))))
    apart = np.abs(ends[None, :] - ends[:, None] - matrix[index].sum())
    near = apart <= 1e-6 + 1e-9 * np.abs(ends).max()
    for first, end in zip(*np.nonzero(np.triu(near, 2)), strict=True):
        yield other_numbers[first:end]
