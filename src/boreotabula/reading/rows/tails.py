"""The end of a table: what stands below its last full row may be no record."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.rows.classifier import RowClassifier
from boreotabula.reading.rows.table_rows import (
    Kinds,
    RowKind,
    carried_columns,
    of_kind,
)


def table_tail(kinds: Kinds, classifier: RowClassifier) -> Kinds:
    """Rows below the last values of a cross-tab do not belong to it, with one exception.

    They do if they follow at once and every stub cell is filled: rows whose values are all blank.
    """
    valued = of_kind(kinds, RowKind.RECORD, RowKind.TOTAL, RowKind.NAMELESS)
    # The total of a group that has no lines is still a line of the table.
    valued |= (kinds == RowKind.GROUP) & classifier.filled[:, list(classifier.columns.valued)].any(
        axis=1
    )
    last = int(np.flatnonzero(valued)[-1]) if valued.any() else classifier.block.under_headings - 1
    tail = np.flatnonzero(of_kind(kinds, RowKind.BARE, RowKind.GROUP))
    tail = tail[tail > last]
    if not len(tail):
        return kinds
    own = [stub_cells.filled for stub_cells in classifier.own.values()]
    named = np.logical_and.reduce(own)[tail] if own else np.zeros(len(tail), bool)
    before = np.concatenate(([last], tail[:-1]))
    # The first gap ends the table: what comes after it may be a remark.
    follows = (tail == before + 1) & (kinds[tail] == RowKind.BARE) & named
    below = tail[np.logical_or.accumulate(~follows)]
    kinds = kinds.copy()
    kinds[below] = RowKind.BELOW
    return kinds


def list_tail(kinds: Kinds, classifier: RowClassifier) -> Kinds:
    """What stands below the last full row of a list may be no record.

    Right below it: a row with one filled cell, where records have two or more. After a blank row:
    the same, then outside the table; and a row that leaves blank a column which every row before
    that blank row fills.
    """
    if classifier.block.every_row or len(classifier.known) < 2:
        return kinds
    values = np.flatnonzero(of_kind(kinds, RowKind.RECORD, RowKind.GROUP))
    # A group that the layout names is one wherever it is.
    listed = [row - classifier.rows.start for row, name in classifier.groups.items()
              if classifier.block.group_row[name.level].named]  # fmt: skip
    values = values[~np.isin(values, listed)]
    mask = kinds[values] == RowKind.GROUP
    if mask.all():
        return kinds
    filled = _known_filled(values, classifier)
    counts = np.count_nonzero(filled, axis=1)
    # Where most records fill one cell, one filled cell is nothing odd.
    if 2 * np.count_nonzero(counts[~mask] >= 2) <= np.count_nonzero(~mask):
        return kinds
    totals = np.flatnonzero(kinds == RowKind.TOTAL)
    start = max(int(np.searchsorted(values, totals[-1])) if len(totals) else 0, 1)
    # The row right above each is none of the table's: there is a gap.
    gaps = np.flatnonzero(np.concatenate(([False], kinds == RowKind.NONE))[values])
    tail = tail_after_gap(gaps[gaps >= start].tolist(), mask, filled, counts)
    kinds = kinds.copy()
    kinds[values[tail:]] = np.where(
        counts[tail:] == 1, np.uint8(RowKind.BELOW), np.uint8(RowKind.UNSURE)
    )
    index = tail - 1
    while index >= start and counts[index] == 1:
        kinds[values[index]] = RowKind.UNSURE
        index -= 1
    return kinds


def _known_filled(places: NDArray[np.intp], classifier: RowClassifier) -> NDArray[np.bool_]:
    """Which known columns of some rows are filled, directly or through a merged cell."""
    filled: NDArray[np.bool_] = classifier.sheet.filled_at(
        places + classifier.rows.start, classifier.known
    )
    for name, column in carried_columns(classifier.columns).items():
        filled[:, classifier.known.index(column)] |= classifier.own[name].filled[places]
    return filled


def tail_after_gap(
    gaps: Sequence[int],
    groups: NDArray[np.bool_],
    filled: NDArray[np.bool_],
    counts: NDArray[np.intp],
) -> int:
    """The first row from which all rows are unlike the records above; their number if there is
    none.

    It is the first after a gap. A row is unlike if it fills one cell, or leaves blank what every
    row before the gap fills.
    """
    number = len(filled)
    always = filled | groups[:, None]
    # Groups have but a name: they say nothing of what records fill.
    always = np.logical_and.accumulate(always, axis=0)
    # The row from which on a column is not filled by all any more; it is `number` if it always is.
    broken = np.where(always[-1], number, (~always).argmax(axis=0))
    unlike_before = np.where(filled, 0, broken).max(axis=1)
    unlike_before[counts == 1] = number
    # One row that is like the records proves that all above it are of the table.
    least = np.minimum.accumulate(unlike_before[::-1])[::-1]
    return next((gap for gap in gaps if gap <= least[gap]), number)
