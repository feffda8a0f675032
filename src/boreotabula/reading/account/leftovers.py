"""The cells that nothing speaks for, and what is to be said of them by where they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.addresses import Address
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.account.roles import RoleMap, rank_of
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.findings import Code, Finding, Severity, Telling
from boreotabula.reading.locate.frame import Frame
from boreotabula.reading.rows.kinds import is_boilerplate
from boreotabula.reading.values.picked import Places
from boreotabula.texts import counted
from boreotabula.workbooks.sheet import CellKind


def tell_leftovers(roles: RoleMap, frames: Sequence[Frame]) -> None:
    """Have a finding speak for each unplaced cell, as loudly as its place asks for.

    Within the frame of a table that is an error, for a number or date outside a warning, for any
    other text outside a note.
    """
    # From here on only unplaced cells are looked at: most often few or none.
    rows, columns = np.nonzero(roles.unplaced_mask)
    if not len(rows):
        return
    # In a table every cell belongs to something: what does not is an error.
    within = _within(rows, columns, frames)
    figures = ~within & _figures(roles, rows, columns, ~within)
    # A number outside may be data; a text is more likely a remark.
    outside = np.where(figures, rank_of(Severity.WARNING), rank_of(Severity.NOTE))
    needed = np.where(within, rank_of(Severity.ERROR), outside)
    # What a louder finding speaks of is told already: one cause, one finding.
    untold = roles.heard(rows, columns) < needed
    roles.explain_cells(rows[within], columns[within], "no part of the layout reads it")
    for reason, some in _outside(rows, frames).items():
        # A cell of a table has the reason that its row or column gave.
        some &= ~within
        roles.explain_cells(rows[some], columns[some], reason)
    kinds = {
        IN_FRAME: untold & within,
        NUMBERS: untold & ~within & figures,
        TEXTS: untold & ~within & ~figures,
    }
    for code, some in kinds.items():
        number = int(np.count_nonzero(some))
        if number:
            # The first in reading order: that is where a person begins to look.
            row, column = int(rows[some][0]), int(columns[some][0])
            where = roles.sheet.address(row, column)
            text = cell_text(roles.sheet.rows[row][column])
            told = about_leftovers(code, number, where, text, roles.why(row, column))
            roles.tell(Telling(told, cells=(rows[some], columns[some])))


IN_FRAME, NUMBERS, TEXTS = Code.CELLS_UNPLACED, Code.NUMBERS_UNPLACED, Code.TEXTS_UNPLACED
"""The codes of what is said of cells by where they are: in a table, or outside of all."""

_CALLED = {
    IN_FRAME: ("cell of the table", "cells of the table"),
    NUMBERS: ("number or date of this tab", "numbers or dates of this tab"),
    TEXTS: ("text of this tab", "texts of this tab"),
}


def about_leftovers(
    code: Code, number: int, where: Address | None, text: str, reason: str
) -> Finding:
    """What is to be said of so many cells that nothing else speaks for.

    Address, text and reason are those of the first.
    """
    one, several = _CALLED[code]
    said = counted(number, f"{one} is", f"{several} are")
    advice = (
        "Look at unplaced.csv: give what belongs to the records a heading that a field has; leave"
        " out the rest with `ignore`, `skip` or `ends_at`."
        if code == IN_FRAME
        else "Look at unplaced.csv, and add to the layout what matters."
    )
    return Finding(
        code,
        f"{said} in no record; the first is “{text}” ({reason})",
        advice,
        at=where,
        looked_for="a role for every filled cell",
        found=text,
    )


def label_boilerplate(roles: RoleMap, frames: Sequence[Frame], patterns: Sequence[Pattern]) -> None:
    """Make the texts of the form itself labels, where they are outside the tables."""
    if not patterns or roles.all_placed:
        return
    rows, columns = np.nonzero(roles.unplaced_mask)
    outside = ~_within(rows, columns, frames)
    cells = roles.sheet.rows
    spots = zip(rows[outside].tolist(), columns[outside].tolist(), strict=True)
    roles.label(spot for spot in spots if is_boilerplate(cells[spot[0]][spot[1]], patterns))


def _within(rows: Places, columns: Places, frames: Sequence[Frame]) -> NDArray[np.bool_]:
    """Which cells are within the frame of a table."""
    within = np.zeros(len(rows), bool)
    for one in frames:
        inside = (rows >= one.rows.start) & (rows < one.rows.stop)
        within |= inside & (columns >= one.columns.start) & (columns < one.columns.stop)
    return within


def _figures(
    roles: RoleMap, rows: Places, columns: Places, among: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Which of some filled cells hold a number or a date; in a text file, a text that reads so."""
    sheet = roles.sheet
    figures: NDArray[np.bool_] = sheet.kinds[rows, columns] != CellKind.TEXT
    # In a text file all cells are texts: only how they read can tell.
    for at in np.flatnonzero(among).tolist() if not sheet.typed else ():
        figures[at] = is_figure(sheet, sheet.rows[rows[at]][columns[at]])
    return figures


def _outside(rows: Places, frames: Sequence[Frame]) -> dict[str, NDArray[np.bool_]]:
    """Why cells outside the tables are unplaced, each reason with the cells that it is true of."""
    if not frames:
        return {"no table was found on this tab": np.ones(len(rows), bool)}
    above = rows < min(one.rows.start for one in frames)
    below = rows >= max(one.rows.stop for one in frames)
    return {
        "above the table": above,
        "below the table": below & ~above,
        "outside the table": ~above & ~below,
    }
