"""Tables whose rows take turns: each thing has the same measures below each other, as planned and
real, and so have its totals. A total sums up the rows of its own measure alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Column, ColumnKind
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.totals.record_rows import FEWEST_SUMMANDS
from boreotabula.reading.totals.unnamed_rows import CHANCE, rows_of_sums

_MOST_MEASURES = 12


def like_rows(figures: Figures, row: int) -> Figures | None:
    """The figures of the records with the same measure as a row of totals: the same text in the
    last column of the stub. None if they are all records, or too few."""
    stub = _measured(figures)
    if stub is None:
        return None
    column = stub.column
    text = _measure(figures, row, column)
    rest = [other for other in figures.rows if _measure(figures, other, column) != text]
    if not text or not rest or len(figures.rows) - len(rest) < FEWEST_SUMMANDS:
        return None
    return _without(figures, rest)


def _measured(figures: Figures) -> Column | None:
    """The last column of the stub, if something else names what is measured: one column alone
    names that."""
    stub = figures.columns.of(ColumnKind.STUB)
    return stub[-1] if len(stub) > 1 or (stub and figures.columns.block.group_row) else None


def _measure(figures: Figures, row: int, column: int) -> str:
    return normal_form(cell_text(figures.sheet.rows[row][column]))


def _without(figures: Figures, rows: list[int]) -> Figures:
    table = figures.table.without(rows, RowKind.LEFT_OUT)
    return Figures(figures.sheet, figures.columns, figures.plan, table)


def rows_of_interleaved_sums(figures: Figures, table: TableRows) -> list[int]:
    """The record rows that hold sums, each of the rows of its own measure: all measures of a thing
    do, and their numbers are too long for a chance. None where rows do not take turns."""
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
    """Which measure each record row is of, counted from 0; None if there are no two that take
    turns from the first row to the last."""
    stub = _measured(figures)
    cells = table.stub[stub.field].cells if stub else ()
    known: dict[object, int] = {}
    numbers = [known.setdefault(cell, len(known)) for cell in cells]
    count = len(known)
    if not 1 < count <= min(_MOST_MEASURES, len(numbers) // (FEWEST_SUMMANDS + 1)):
        return None
    if "" in known or numbers != [index % count for index in range(len(numbers))]:
        return None
    return np.array(numbers, np.intp)
