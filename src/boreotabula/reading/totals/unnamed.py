"""Totals that nobody named: rows and columns that hold the sums of the others.

They must not become records, whatever their label: their cells are unplaced, with an error.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate

from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.findings import WHOLE, Finding, Telling
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.lines import LineKind, Lines
from boreotabula.reading.totals.compare import summand_sets
from boreotabula.reading.totals.figures import Figures, agree, summed_columns
from boreotabula.reading.totals.unnamed_rows import (
    FEWEST_PLACES,
    FEWEST_SUMMANDS,
    maybe_finding,
    row_finding,
    rows_alike,
)
from boreotabula.workbooks.sheet import Sheet

_WHY = "it looks like a total"


@dataclass(frozen=True)
class Settled:
    """A block without the rows and columns that look like totals."""

    columns: Columns
    lines: Lines
    tellings: tuple[Telling, ...] = ()


def without_lookalikes(
    sheet: Sheet, place: Place, columns: Columns, lines: Lines, plan: Plan
) -> Settled:
    """Take out what looks like a total: columns first, then rows."""
    figures = Figures(sheet, columns, plan, lines.records)
    found: list[Telling] = []
    if not figures.summed or len(figures.rows) < FEWEST_SUMMANDS:
        return Settled(columns, lines)
    if not columns.block.is_list:
        alike = list(_columns_alike(figures))
        if alike:
            found += [
                Telling(_column_finding(sheet, place, one), WHOLE, [one.column]) for one in alike
            ]
            columns = _without_columns(columns, alike)
            figures = Figures(sheet, columns, plan, lines.records)
    alike_rows = rows_alike(figures, lines)
    if alike_rows.sure:
        rows = alike_rows.sure
        within = range(columns.left, columns.right)
        found.append(Telling(row_finding(sheet, columns, rows), rows, within))
        lines = lines.without(dict.fromkeys(rows, LineKind.LIKE_TOTAL))
    if alike_rows.maybe:
        found.append(Telling(maybe_finding(sheet, columns, alike_rows.maybe)))
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
            if len(summands) < FEWEST_SUMMANDS:
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
        (one, [(some, _runs(some)) for some in sets[one.column] if len(some) >= FEWEST_SUMMANDS])
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
        if number and sum(bool(figures.at(row, at)) for at in summands) >= FEWEST_SUMMANDS:
            seen += 1
    return seen >= FEWEST_PLACES


def _without_columns(columns: Columns, alike: Sequence[Column]) -> Columns:
    places = {one.column for one in alike}
    return Columns(
        tuple(
            Column(one.column, ColumnKind.LIKE_TOTAL, why=_WHY) if one.column in places else one
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
