"""Totals that no rule names: rows and columns that hold the sums of the others.

They must not become records, whatever their label: their cells are unplaced, with an error.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding
from boreotabula.findings.places import Why
from boreotabula.findings.subjects.rows import GROUPS_BY_SUMS
from boreotabula.findings.subjects.totals import (
    COLUMN_LIKE_TOTAL,
    GROUP_SUMS_LIKELY,
    NEAR_SUMS_LIKELY,
    SUMS_LIKELY,
)
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.pattern_rules import matches_any
from boreotabula.reading.rows.table_rows import GroupName, RowKind, TableRows
from boreotabula.reading.totals.compare import summand_sets
from boreotabula.reading.totals.figures import Figures, agree, all_agree, summed_columns
from boreotabula.reading.totals.interleaved import rows_of_interleaved_sums
from boreotabula.reading.totals.record_rows import FEWEST_SUMMANDS
from boreotabula.reading.totals.unnamed_findings import likely_finding, row_finding
from boreotabula.reading.totals.unnamed_rows import (
    FEWEST_PLACES,
    groups_by_sums,
    rows_of_sums,
)
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class WithoutSums:
    """A block without the rows and columns that look like totals."""

    columns: Columns
    table: TableRows
    scoped_findings: tuple[ScopedFinding, ...] = ()


def without_unnamed_totals(
    sheet: Sheet, place: Place, columns: Columns, table: TableRows, plan: Plan
) -> WithoutSums:
    """Remove what looks like a total: columns first, then rows."""
    figures = Figures(sheet, columns, plan, table)
    scoped_findings: list[ScopedFinding] = []
    # Nothing sums up with fewer rows but by chance.
    if not figures.summed or len(figures.rows) < FEWEST_SUMMANDS:
        return WithoutSums(columns, table)
    # The columns of a list are different fields: one may well be the sum of two others.
    if not columns.block.is_list:
        # Columns first: a column of sums would double the sum of every row.
        alike = list(_columns_of_sums(figures))
        if alike:
            scoped_findings += [
                ScopedFinding(_column_finding(sheet, place, column), WHOLE, [column.column])
                for column in alike
            ]
            columns = _without_columns(columns, alike)
            # Without them: else each row's sum would count them twice.
            figures = Figures(sheet, columns, plan, table)
    innermost = columns.block.group_row[-1] if columns.block.group_row else None
    if innermost and not innermost.named and innermost.indent is None:
        table, told = _with_groups(sheet, columns, table, figures)
        scoped_findings += told
        figures = Figures(sheet, columns, plan, table)
    sum_rows = rows_of_sums(figures, table)
    kept = columns.block.not_totals
    sure = sum_rows.sure or rows_of_interleaved_sums(figures, table)
    rows = [row for row in sure if not _is_kept(sheet, columns, row, kept)]
    if rows:
        within = range(columns.left, columns.right)
        scoped_findings.append(ScopedFinding(row_finding(sheet, columns, rows), rows, within))
        table = table.without(rows, RowKind.LIKE_TOTAL)
    for kind, likely in (
        (SUMS_LIKELY, sum_rows.maybe),
        (GROUP_SUMS_LIKELY, sum_rows.groups),
        (NEAR_SUMS_LIKELY, sum_rows.near),
    ):
        if numbers := [row for row in likely if not _is_kept(sheet, columns, row, kept)]:
            scoped_findings.append(ScopedFinding(likely_finding(kind, sheet, columns, numbers)))
    return WithoutSums(columns, table, tuple(scoped_findings))


def _is_kept(sheet: Sheet, columns: Columns, row: int, kept: Sequence[Pattern]) -> bool:
    """Whether the layout says that a row is a record, whatever it sums up."""
    cells = sheet.rows[row][columns.left : columns.right]
    return any(matches_any(cell, kept) for cell in cells)


def _with_groups(
    sheet: Sheet, columns: Columns, table: TableRows, figures: Figures
) -> tuple[TableRows, list[ScopedFinding]]:
    """The rows, where those that sum up the rows below them name their groups."""
    level = len(columns.block.group_row) - 1
    # Where names stand in rows of their own, equal numbers below each other are no sums.
    if any(name.level == level for name in table.groups.values()):
        return table, []
    groups = groups_by_sums(figures, table)
    if not groups.rows:
        return table, []
    stub = [column.column for column in columns.of(ColumnKind.STUB)] or [columns.left]
    # A line number that is passed over is no name.
    names = {
        row: next((column for column in stub if sheet.rows[row][column] != ""), stub[0])
        for row in groups.rows
    }
    table = table.naming({row: GroupName(level, name) for row, name in names.items()})
    finding = _groups_finding(sheet, columns, groups.rows)
    return table, [ScopedFinding(finding)] if groups.doubtful else []


def _groups_finding(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    """Rows of small numbers that were taken for names of groups because they hold sums."""
    label = cell_text(next(cell for cell in sheet.rows[rows[0]][columns.left :] if cell != ""))
    return GROUPS_BY_SUMS(
        sheet.address(rows[0], columns.left),
        field=columns.block.group_row[-1].field,
        rows=sheet.rows_called(rows),
        count=len(rows),
        text=label,
    )


# --- columns -------------------------------------------------------------------------------------


def _columns_of_sums(figures: Figures) -> Iterator[Column]:
    """Value columns that hold, row by row, the sums of others beside them."""
    sums = figures.sums()
    before = np.concatenate(([0.0], np.cumsum(sums)))
    candidates = _candidates(figures.columns, figures.plan)
    wholes = sums[candidates.of]
    first, end, value, last = candidates.runs
    # Most sets are one or two runs of columns: differences of sums so far tell them.
    summed = before[end] - before[first] + before[last] - before[value]
    scattered = candidates.scattered
    if len(scattered.sets):
        summed[scattered.sets] = np.add.reduceat(sums[scattered.columns], scattered.starts)
    # A first sieve over whole columns; what passes is compared row by row.
    lost = 1e-12 * float(np.abs(before).max())  # what differences of large sums may lose
    near = np.abs(wholes - summed) <= 0.5 + np.abs(wholes) * 1e-9 + lost
    taken: set[int] = set()
    for column, number in candidates.columns:
        # A column of zeros sums up anything.
        if not sums[column.column]:
            continue
        for index in number:
            # Once a column is taken out, the sieve no longer holds: all sets are tried.
            if not (taken or near[index]):
                continue
            # A sum that was found is no summand of the next: sums of sums would hide.
            summands = tuple(
                position for position in candidates.sets[index] if position not in taken
            )
            if len(summands) < FEWEST_SUMMANDS:
                continue
            if agree(float(wholes[index]), float(sums[list(summands)].sum())) and _sums_up(
                figures, column.column, summands
            ):
                taken.add(column.column)
                yield column
                break


@dataclass(frozen=True)
class _Scattered:
    """The sets of columns that are more than two runs, concatenated."""

    sets: NDArray[np.intp]
    """The index of each set."""
    columns: NDArray[np.intp]
    starts: NDArray[np.intp]
    """Where each begins among the columns."""


@dataclass(frozen=True)
class _Candidates:
    """The sets of columns that columns of values could sum up."""

    columns: tuple[tuple[Column, range], ...]
    """Each column of values, and the indices of its sets."""
    sets: tuple[tuple[int, ...], ...]
    of: NDArray[np.intp]
    """The column that each set belongs to."""
    runs: NDArray[np.intp]
    """For each set the first column and the one after the last of two runs; all zero if it has
    more."""
    scattered: _Scattered


@lru_cache(maxsize=64)
def _candidates(columns: Columns, plan: Plan) -> _Candidates:
    candidates = summand_sets(columns, plan)
    every: list[tuple[Column, range]] = []
    sets: list[tuple[int, ...]] = []
    of: list[int] = []
    for summed_column in summed_columns(columns, plan):
        groups = [
            numbers
            for numbers in candidates[summed_column.column]
            if len(numbers) >= FEWEST_SUMMANDS
        ]
        every.append((summed_column, range(len(sets), len(sets) + len(groups))))
        sets += groups
        of += [summed_column.column] * len(groups)
    ends = [_runs(members) for members in sets]
    runs = np.array(ends, np.intp).reshape(-1, 4).T
    numbers = [index for index, two_runs in enumerate(ends) if not any(two_runs)]
    flat = [column for index in numbers for column in sets[index]]
    starts = np.cumsum([0, *(len(sets[index]) for index in numbers)])[:-1]
    scattered = _Scattered(np.array(numbers, np.intp), np.array(flat, np.intp), starts)
    return _Candidates(tuple(every), tuple(sets), np.array(of, np.intp), runs, scattered)


def _runs(places: tuple[int, ...]) -> tuple[int, int, int, int]:
    """The first column and the one after the last of two runs; all zero if there are more."""
    first, last = places[0], places[-1]
    if last - first + 1 == len(places):
        return first, last + 1, 0, 0
    # In order, so that the end of the first run is found by bisection.
    end = bisect_left(range(len(places)), True, key=lambda index: places[index] != first + index)
    if last - places[end] + 1 == len(places) - end:
        return first, first + end, places[end], last + 1
    return 0, 0, 0, 0


def _sums_up(figures: Figures, column: int, summands: Sequence[int]) -> bool:
    """Whether a column holds the sum of others in every row, and a sum of at least two numbers in
    enough of them."""
    numbers, values = figures.down(column), figures.part(figures.rows, summands)
    # One row that is none is proof enough: it is a column of its own.
    if not all_agree(numbers, values.sum(axis=1)).all():
        return False
    # A copy of one column is its sum, too, and is no total.
    several = np.count_nonzero(values, axis=1) >= FEWEST_SUMMANDS
    return int(np.count_nonzero(several & (numbers != 0))) >= FEWEST_PLACES


def _without_columns(columns: Columns, alike: Sequence[Column]) -> Columns:
    places = {column.column for column in alike}
    return Columns(
        tuple(
            Column(column.column, ColumnKind.LIKE_TOTAL, why=Why.LIKE_TOTAL)
            if column.column in places
            else column
            for column in columns.every
        ),
        columns.block,
    )


def _column_finding(sheet: Sheet, place: Place, column: Column) -> Finding:
    heading = next((cell_text(label) for label in reversed(column.labels) if label != ""), "")
    where = sheet.address(max(place.bottom, 0), column.column)
    called = sheet.column_called(column.column)
    return COLUMN_LIKE_TOTAL(where, column=called, label=heading)
