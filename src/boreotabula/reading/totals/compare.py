"""Control totals: every printed total is compared with the records that it sums up.

A row of totals may sum the records since any earlier row of totals, those down to a later one, or
the whole block. A column of totals may sum the values under the same upper heading, those since the
last column of totals, or all of them. Whichever agrees is assumed to be meant. Averages are
considered where no sum agrees at all.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from math import fsum

import numpy as np

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.checks import Check, ColumnOfTotals, Summands, Totals, mean_of
from boreotabula.reading.totals.figures import Figures, agree, all_agree, summed_columns
from boreotabula.reading.totals.interleaved import like_rows
from boreotabula.reading.totals.rows_of_totals import RowOfTotals
from boreotabula.sheets.sheet import CellKind, Flaw, Sheet


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
    """The cells where rows and columns meet that hold an error value."""
    where = np.ix_(np.array(rows, np.intp), np.array(columns, np.intp))
    for row, column in np.argwhere(sheet.kinds[where] == CellKind.OTHER).tolist():
        if isinstance(sheet.rows[rows[row]][columns[column]], Flaw):
            yield rows[row], columns[column]


# --- columns of totals ---------------------------------------------------------------------------


def _compared(figures: Figures, column: Column) -> tuple[Summands, ColumnOfTotals | None]:
    """The columns that a column of totals sums up, and its total in each record row."""
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
        means = np.array([mean_of(figures, row, best.summands) for row in rows.tolist()])
        same = all_agree(printed, means)
        if same.all():
            return Summands(best.summands, True), replace(best, summed=means, agree=same)
    return Summands(best.summands), best


@lru_cache(maxsize=64)
def summand_sets(columns: Columns, plan: Plan) -> Mapping[int, list[tuple[int, ...]]]:
    """The sets of columns that each column of values or totals could sum up, likeliest first.

    Those under the same upper headings, from the lowest level up; those over the same lower
    headings, as “planned” under each month; those left of it since the last column of totals; all
    columns left of it; all others.
    """
    summed = summed_columns(columns, plan)
    totals = columns.of(ColumnKind.TOTAL)
    every = _Summable(summed, totals)
    by_field = (
        {
            field: _Summable([column for column in summed if column.field == field], totals)
            for field in columns.block.value
        }
        if len(columns.block.value) > 1
        else {}
    )
    return {
        column.column: _summand_sets(columns, column, every, by_field)
        for column in (*summed, *totals)
    }


def _summand_sets(
    columns: Columns, column: Column, every: _Summable, by_field: Mapping[str, _Summable]
) -> list[tuple[int, ...]]:
    if not by_field:
        return every.sets_for(column)
    # “Total sold” sums up what was sold, not all values under its heading.
    own = by_field.get(_field_of_total(columns, column) or "")
    parts = [own] if own else [*by_field.values(), every]
    return list(dict.fromkeys(numbers for part in parts for numbers in part.sets_for(column)))


class _Summable:
    """Columns of values, and which of them stand under or over the same headings."""

    def __init__(self, summed: Sequence[Column], totals: Sequence[Column]) -> None:
        self._columns = [column.column for column in summed]
        self._totals = [column.column for column in totals]
        self._under: dict[tuple[str, ...], list[int]] = {}
        """By their upper headings, of each number of levels."""
        self._over: dict[tuple[int, tuple[str, ...]], list[int]] = {}
        """By the headings from a level on."""
        for column in summed:
            labels = _folded(column)
            for depth in range(1, len(labels) + 1):
                self._under.setdefault(labels[:depth], []).append(column.column)
                self._over.setdefault((depth, labels[depth:]), []).append(column.column)

    def sets_for(self, column: Column) -> list[tuple[int, ...]]:
        """The sets of these columns that a column could sum up, likeliest first."""
        labels, number = _folded(column), column.column
        groups = [
            self._under.get(labels[:depth], [])
            for depth in range(len(labels) - 1, 0, -1)
            if labels[depth - 1]
        ]
        groups += [
            self._over.get((depth, labels[depth:]), [])
            for depth in range(1, len(labels))
            if labels[depth - 1] and all(labels[depth:])
        ]
        left = self._columns[: bisect_left(self._columns, number)]
        # Since the last column of totals: the usual place of a subtotal.
        before = self._totals[: bisect_left(self._totals, number)]
        groups += [left[bisect_right(left, before[-1]) :] if before else left, left, self._columns]
        return list(dict.fromkeys(filter(None, (_without(group, number) for group in groups))))


def _without(numbers: list[int], number: int) -> tuple[int, ...]:
    """Sorted numbers without one of them."""
    place = bisect_left(numbers, number)
    held = place < len(numbers) and numbers[place] == number
    return tuple(numbers[:place] + numbers[place + held :])


def _folded(column: Column) -> tuple[str, ...]:
    return tuple(normal_form(cell_text(label)) for label in column.labels)


def _field_of_total(columns: Columns, column: Column) -> str | None:
    """The value field of a column of totals, where several are under each heading.

    That is the field of its lowest heading. Without one, the sums of each value field are tried.
    """
    # A column of values that looks like a total sums up its own kind.
    if column.kind is ColumnKind.VALUE:
        return column.field
    lowest = cell_text(column.labels[-1]) if column.labels else ""
    return columns.block.names.field_of(lowest) if lowest else None


# --- rows of totals ------------------------------------------------------------------------------


def _row_checks(
    figures: Figures, total_rows: Sequence[int], meant: Mapping[int, Summands]
) -> list[Check]:
    """The totals of each row, compared over the records that they may sum up.

    A total that disagrees is compared over what the others of its row sum up. If none agrees, the
    row is assumed to sum in the direction in which most rows of totals do.
    """
    rows = _rows_of_totals(figures, total_rows, meant)
    ways = Counter(way for row in rows for way in row.ways)
    down = ways["down"] > ways["up"]
    return [check for row in rows for check in row.checks(down=down)]


def _rows_of_totals(
    figures: Figures, total_rows: Sequence[int], meant: Mapping[int, Summands]
) -> list[RowOfTotals]:
    """The rows of totals; a row that sums up the records of one measure is compared only with
    them."""
    rows = [RowOfTotals(figures, row, total_rows, meant) for row in total_rows]
    parts = {
        row.row: RowOfTotals(part, row.row, total_rows, meant)
        for row in rows
        if len(row.agreeing) < len(row.printed) and (part := like_rows(figures, row.row))
    }
    better = any(
        len(parts[row.row].agreeing) > len(row.agreeing) for row in rows if row.row in parts
    )
    if not better:
        return rows
    return [
        part if part and len(part.agreeing) >= len(row.agreeing) else row
        for row in rows
        for part in [parts.get(row.row)]
    ]


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
