"""Totals that nobody named: rows and columns that hold the sums of the others.

They must not become records, whatever their label: their cells are unplaced, with an error.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import accumulate

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns import Column, ColumnKind, Columns
from boreotabula.reading.figures import Figures, agree, summed_columns
from boreotabula.reading.findings import Finding
from boreotabula.reading.lines import Line, LineKind, Lines
from boreotabula.reading.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.totals import row_ranges, summand_sets
from boreotabula.workbooks.sheet import Sheet

LIKE_TOTAL = "it looks like a total"

_FEWEST_SUMMANDS = 2
_FEWEST_PLACES = 2
"""So many sums must be seen in a row or column, each of at least two numbers other than zero."""


@dataclass(frozen=True)
class Settled:
    """A block without the rows and columns that look like totals."""

    columns: Columns
    lines: Lines
    findings: tuple[Finding, ...] = ()


def without_lookalikes(
    sheet: Sheet, place: Place, columns: Columns, lines: Lines, plan: Plan
) -> Settled:
    """Take out what looks like a total: columns first, then rows."""
    figures = Figures(sheet, columns, plan, lines.records)
    found: list[Finding] = []
    if not figures.summed or len(figures.rows) < _FEWEST_SUMMANDS:
        return Settled(columns, lines)
    if not columns.block.is_list:
        alike = list(_columns_alike(figures))
        if alike:
            found += [_column_finding(sheet, place, one) for one in alike]
            columns = _without_columns(columns, alike)
            figures = Figures(sheet, columns, plan, lines.records)
    rows = _rows_alike(figures, lines)
    if rows:
        found += [_row_finding(sheet, place, columns, row) for row in rows]
        lines = _without_rows(lines, rows)
    return Settled(columns, lines, tuple(found))


# --- columns -------------------------------------------------------------------------------------


def _columns_alike(figures: Figures) -> Iterator[Column]:
    """Value columns that hold, row by row, the sums of others beside them."""
    sums = figures.sums()
    before = [0.0, *accumulate(sums)]
    taken: set[int] = set()
    for column, sets in _candidates(figures.columns, figures.plan):
        whole = sums[column.column]
        if not whole:
            continue
        room = 0.5 + abs(whole) * 1e-9
        for some, (first, end, other, last) in sets:
            # Most sets are one or two runs of columns: differences of sums so far tell them.
            if not taken and end:
                summed = before[end] - before[first] + before[last] - before[other]
                if not -room <= whole - summed <= room:
                    continue
            summands = tuple(at for at in some if at not in taken) if taken else some
            if len(summands) < _FEWEST_SUMMANDS:
                continue
            if agree(whole, sum(map(sums.__getitem__, summands))) and _sums_up(
                figures, column.column, summands
            ):
                taken.add(column.column)
                yield column
                break


_Runs = tuple[int, int, int, int]
"""First column and the one after the last of two runs of columns; all zero if there are more."""


@lru_cache(maxsize=64)
def _candidates(
    columns: Columns, plan: Plan
) -> list[tuple[Column, list[tuple[tuple[int, ...], _Runs]]]]:
    """The sets of columns that each column of values could sum up, and their runs."""
    sets = summand_sets(columns, plan)
    return [
        (one, [(some, _runs(some)) for some in sets[one.column] if len(some) >= _FEWEST_SUMMANDS])
        for one in summed_columns(columns, plan)
    ]


def _runs(places: tuple[int, ...]) -> _Runs:
    breaks = [at for at in range(1, len(places)) if places[at] != places[at - 1] + 1]
    if len(breaks) > 1:
        return 0, 0, 0, 0
    if not breaks:
        return places[0], places[-1] + 1, 0, 0
    (at,) = breaks
    return places[0], places[at - 1] + 1, places[at], places[-1] + 1


def _sums_up(figures: Figures, column: int, summands: Sequence[int]) -> bool:
    """Whether a column holds the sum of others in every row, and in enough of them truly one."""
    seen = 0
    for row in figures.rows:
        number = figures.at(row, column)
        if not agree(number or 0.0, figures.total(row, summands)):
            return False
        if number and sum(bool(figures.at(row, at)) for at in summands) >= _FEWEST_SUMMANDS:
            seen += 1
    return seen >= _FEWEST_PLACES


def _without_columns(columns: Columns, alike: Sequence[Column]) -> Columns:
    places = {one.column for one in alike}
    return Columns(
        tuple(
            Column(one.column, ColumnKind.UNKNOWN, why=LIKE_TOTAL) if one.column in places else one
            for one in columns.every
        ),
        columns.block,
    )


def _column_finding(sheet: Sheet, place: Place, column: Column) -> Finding:
    heading = next((cell_text(one) for one in reversed(column.labels) if one != ""), "")
    where = sheet.address(max(place.bottom, 0), column.column)
    return Finding(
        "looks-like-total",
        f"{sheet.column_called(column.column)} (“{heading}”) holds the sums of columns beside it;"
        " its cells are unplaced, and make no records",
        f"Add “{heading}” to `totals` of [block]; if it is no total, say so by `ignore` or another"
        " heading.",
        cell=where,
        looked_for="a pattern in `totals`",
        found=heading,
    )


# --- rows ----------------------------------------------------------------------------------------


def _rows_alike(figures: Figures, lines: Lines) -> list[int]:
    """Record rows that hold, column by column, the sums of records above them."""
    columns = [one.column for one in figures.summed]
    unnamed = _unnamed(lines)
    totals = [line.row for line in lines.lines if line.kind is LineKind.TOTAL]
    records: list[int] = []
    found: list[int] = []
    ends = sorted(totals)
    running = since = 0.0
    at_end = 0
    for row, number in zip(figures.rows, figures.across(figures.rows, columns), strict=True):
        while at_end < len(ends) and ends[at_end] < row:
            since, at_end = 0.0, at_end + 1
        near = number and (
            abs(number - since) <= 0.5 or abs(number - running) <= 0.5 or row in unnamed
        )
        if near and len(records) >= _FEWEST_SUMMANDS:
            ranges = row_ranges(records, row, [*totals, *found])
            if any(
                some and _is_sum(figures, row, columns, some, named=row not in unnamed)
                for some in ranges
            ):
                found.append(row)
                since = 0.0
                continue
        records.append(row)
        running += number
        since += number
    return found


def _is_sum(
    figures: Figures, row: int, columns: Sequence[int], rows: tuple[int, ...], *, named: bool
) -> bool:
    """Whether a row holds the sums of some rows in each of its columns, and truly sums.

    A row that lacks what names the others may leave columns blank.
    """
    seen = most = 0
    for column in columns:
        number = figures.at(row, column)
        if number is None and not named:
            continue
        if not agree(number or 0.0, figures.down(column, rows)):
            return False
        if number:
            summands = sum(bool(figures.at(one, column)) for one in rows)
            seen += summands >= _FEWEST_SUMMANDS
            most = max(most, summands)
    if seen >= _FEWEST_PLACES:
        return True
    # One column alone may sum up by chance: then the row must lack what names the others.
    return seen == 1 and most > _FEWEST_SUMMANDS and not named


def _unnamed(lines: Lines) -> set[int]:
    """The record rows where a stub cell is blank that most of the others have."""
    records = lines.records
    return {
        row
        for cells in lines.stub.values()
        if cells.count("") * 2 < len(cells)
        for row, cell in zip(records, cells, strict=True)
        if cell == ""
    }


def _without_rows(lines: Lines, rows: Sequence[int]) -> Lines:
    taken = set(rows)
    kept = [row not in taken for row in lines.records]
    return replace(
        lines,
        lines=tuple(
            Line(line.row, LineKind.UNPLACED, LIKE_TOTAL) if line.row in taken else line
            for line in lines.lines
        ),
        stub={
            field: tuple(cell for cell, keep in zip(cells, kept, strict=True) if keep)
            for field, cells in lines.stub.items()
        },
    )


def _row_finding(sheet: Sheet, place: Place, columns: Columns, row: int) -> Finding:
    label = next(
        (cell_text(cell) for cell in sheet.rows[row][columns.left : columns.right] if cell != ""),
        "",
    )
    shown = "" if label.replace(".", "").isdigit() else label
    return Finding(
        "looks-like-total",
        f"{sheet.row_called(row)} (“{label}”) holds the sums of the records above it; its cells are"
        " unplaced, and make no records",
        f"Add “{shown}” to `totals` of [block]; if it is no total, correct the sheet."
        if shown
        else "Write a label such as “Total” beside it, and list that in `totals` of [block].",
        cell=sheet.address(row, columns.left),
        looked_for="a pattern in `totals`",
        found=label,
    )
