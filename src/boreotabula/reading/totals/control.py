"""Control lines, which give the number of records above them and the sums of their fields."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import fsum

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.totals import (
    CONTROL_UNREADABLE,
    COUNT_DIFFERS,
    SUM_OF_LINE_DIFFERS,
)
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.totals.figures import Figures, agree, number_in
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Sheet

_COUNT = ValueForm("integer")


@dataclass(frozen=True)
class ControlFigure:
    """A figure of a control line, and what it was compared with; row and column count from 0."""

    row: int
    column: int
    field: str
    """The field that is summed up; None for the number of records."""
    printed: float | None
    counted: float

    @property
    def agrees(self) -> bool:
        """Whether both are equal."""
        return self.printed is not None and agree(self.printed, self.counted)


def control_figures(
    sheet: Sheet, columns: Columns, table: TableRows, plan: Plan
) -> Iterator[ControlFigure]:
    """Each figure of the control lines of a table: for the records since the line before."""
    control = columns.block.control
    if control is None:
        return
    figures = Figures(sheet, columns, plan, table)
    start = table.start
    for row in table.of(RowKind.CONTROL):
        rows = [record for record in table.records if start <= record < row]
        start = row
        if control.count is not None:
            printed = number_in(sheet.cell(row, control.count), _COUNT)
            yield ControlFigure(row, control.count, "", printed, len(rows))
        for field, column in control.sums.items():
            printed = number_in(sheet.cell(row, column), plan.form(field))
            yield ControlFigure(row, column, field, printed, _sum(figures, rows, field))


def _sum(figures: Figures, rows: Sequence[int], field: str) -> float:
    places = [column.column for column in figures.summed if column.field == field]
    return fsum(figures.across(rows, places)) if rows and places else 0.0


def about_control(sheet: Sheet, figures: Sequence[ControlFigure]) -> Iterator[Finding]:
    """A finding: control lines that disagree with what was read."""
    for figure in figures:
        if figure.agrees:
            continue
        text = cell_text(sheet.cell(figure.row, figure.column))
        where = sheet.address(figure.row, figure.column)
        counted = f"{figure.counted:,.10g}"
        if figure.printed is None:
            yield CONTROL_UNREADABLE(where, row=sheet.row_called(figure.row), text=text)
        elif figure.field:
            yield SUM_OF_LINE_DIFFERS(
                where,
                field=figure.field,
                row=sheet.row_called(figure.row),
                text=text,
                counted=counted,
            )
        else:
            yield COUNT_DIFFERS(where, row=sheet.row_called(figure.row), text=text, counted=counted)
