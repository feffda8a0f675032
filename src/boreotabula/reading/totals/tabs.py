"""Tabs whose numbers are the sums of other tabs of their workbook, cell by cell."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.totals.figures import all_agree

FEWEST_TABS = 3
_FEWEST_SUMS = 3
"""So many cells must be true sums, of two numbers at least: fewer may be a coincidence."""
_MOST = 20_000_000
"""More cells of all tabs together are not compared: such a workbook is no set of small forms."""

Numbers = tuple[NDArray[np.intp], NDArray[np.float64]]
"""Cells, as row × 65,536 + column, and their numbers."""


def sums_of_others(tabs: Mapping[str, Numbers]) -> Iterator[tuple[str, Sequence[str]]]:
    """The tabs that sum up others which stand in turn, and those others; the smaller sums first,
    so that a year is the sum of its months, the quarters left aside."""
    names = [name for name, (cells, _) in tabs.items() if len(cells) >= _FEWEST_SUMS]
    if len(names) < FEWEST_TABS:
        return
    # Few workbooks hold such tabs: their sums alone show that, before the cells are looked at.
    alone = np.array([[tabs[name][1].sum()] for name in names])
    least = sorted(alone[:, 0].tolist())
    # No sum of two that are positive is less than that of the two smallest.
    if least[0] > 0 and least[-1] < 0.99 * (least[0] + least[1]):
        return
    if not any(True for at in range(len(names)) for _ in _runs(alone, range(len(names)), at)):
        return
    every = np.unique(np.concatenate([tabs[name][0] for name in names]))
    if len(every) * len(names) > _MOST:
        return
    matrix = np.zeros((len(names), len(every)))
    for at, name in enumerate(names):
        cells, numbers = tabs[name]
        matrix[at, np.searchsorted(every, cells)] = numbers
    left = list(range(len(names)))
    while True:
        sums = [(at, others) for at in left if (others := _run_summed(matrix, left, at))]
        if not sums:
            return
        at, others = min(sums, key=lambda pair: len(pair[1]))
        yield names[at], [names[one] for one in others]
        left.remove(at)


def _run_summed(matrix: NDArray[np.float64], left: Sequence[int], at: int) -> Sequence[int] | None:
    """The tabs in turn whose numbers a tab sums up; None if there are none."""
    for others in _runs(matrix, left, at):
        members = matrix[others]
        several = np.count_nonzero(members, axis=0) > 1
        true_sums = np.count_nonzero(several & (matrix[at] != 0))
        if true_sums >= _FEWEST_SUMS and all_agree(matrix[at], members.sum(axis=0)).all():
            return others
    return None


def _runs(matrix: NDArray[np.float64], left: Sequence[int], at: int) -> Iterator[list[int]]:
    """Tabs in turn, two at least, whose numbers add up to the same sum as those of a tab."""
    others = [one for one in left if one != at]
    ends = np.concatenate(([0.0], np.cumsum(matrix[others].sum(axis=1))))
    apart = np.abs(ends[None, :] - ends[:, None] - matrix[at].sum())
    near = apart <= 1e-6 + 1e-9 * np.abs(ends).max()
    for first, end in zip(*np.nonzero(np.triu(near, 2)), strict=True):
        yield others[first:end]
