"""Tables whose rows alternate: everything has the same measures below each other, as planned and
actual, and so have its totals.

A total sums up only the rows of its own measure.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.totals.record_rows import FEWEST_SUMMANDS
from boreotabula.reading.totals.unnamed_rows import CHANCE, rows_of_sums

_MOST_MEASURES = 12


def like_rows(figures: Figures, row: int) -> Figures | None:
    """The figures of the records with the same measure as a row of totals.

    They have the same text in the column that names the measure. None if these are all records, or
    too few.
    """
    column = _measure_column(figures)
    if column is None:
        return None
    text = _measure(figures, row, column)
    rest = [other for other in figures.rows if _measure(figures, other, column) != text]
    if not text or not rest or len(figures.rows) - len(rest) < FEWEST_SUMMANDS:
        return None
    return _without(figures, rest)


def _measure_column(figures: Figures) -> int | None:
    """The last column before the values, if another column names what is measured."""
    columns = figures.columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
    first = min(figures.places, default=0)
    leading = sorted(column.column for column in columns if column.column < first)
    named = len(leading) > 1 or (leading and figures.columns.block.group_row)
    return leading[-1] if named else None


def _measure(figures: Figures, row: int, column: int) -> str:
    return normal_form(cell_text(figures.sheet.rows[row][column]))


def _without(figures: Figures, rows: list[int]) -> Figures:
    table = figures.table.without(rows, RowKind.LEFT_OUT)
    return Figures(figures.sheet, figures.columns, figures.plan, table)


def rows_of_interleaved_sums(figures: Figures, table: TableRows) -> list[int]:
    """The record rows that hold sums, each of the rows of its own measure.

    All measures of a thing hold them, and their numbers are too long for a coincidence. Empty where
    rows do not alternate.
    """
    measures = _measures(figures, table)
    if measures is None:
        return []
    rows, count = table.record_rows, measures.max() + 1
    holds = np.zeros(len(rows), bool)
    for measure in range(count):
        other_rows = rows[measures != measure].tolist()
        part = _without(figures, other_rows)
        sums = rows_of_sums(part, part.table)
        holds |= np.isin(rows, [*sums.sure, *sums.maybe])
    things = np.arange(len(rows)) // count
    digits = np.log2(1.0 + np.abs(figures.record_values)).sum(axis=1)
    numbers: list[int] = []
    for thing in np.unique(things[holds]).tolist():
        own = things == thing
        if holds[own].all() and digits[own].sum() >= CHANCE:
            numbers += rows[own].tolist()
    return numbers


def _measures(figures: Figures, table: TableRows) -> NDArray[np.intp] | None:
    """The measure of each record row, counted from 0.

    None if there are not at least two that alternate from the first row to the last.
    """
    column = _measure_column(figures)
    if column is None:
        return None
    known: dict[object, int] = {}
    rows = figures.sheet.rows
    numbers = [known.setdefault(rows[row][column], len(known)) for row in table.records]
    count = len(known)
    if not 1 < count <= min(_MOST_MEASURES, len(numbers) // (FEWEST_SUMMANDS + 1)):
        return None
    if "" in known or numbers != [index % count for index in range(len(numbers))]:
        return None
    return np.array(numbers, np.intp)
