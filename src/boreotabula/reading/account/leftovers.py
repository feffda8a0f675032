"""Findings about the cells that have no role, chosen by where the cells are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import ScopedFinding
from boreotabula.findings.kind import Severity
from boreotabula.findings.places import Rule, Why
from boreotabula.findings.subjects.totals import CELLS_UNPLACED, NUMBERS_UNPLACED, TEXTS_UNPLACED
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.account.roles import Role, RoleMap, rank_of
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.rows.pattern_rules import matches_any
from boreotabula.reading.values.picked import Places
from boreotabula.sheets.sheet import CellKind


def tell_leftovers(roles: RoleMap, frames: Sequence[TableFrame]) -> None:
    """Report each unplaced cell in a finding whose severity depends on its place.

    Within the frame of a table it is an error; outside, a number or date is a warning and any other
    text a note.
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
    roles.explain_cells(rows[within], columns[within], Why.NOT_READ)
    for reason, mask in _outside(rows, frames).items():
        # A cell of a table has the reason that its row or column gave.
        mask &= ~within
        roles.explain_cells(rows[mask], columns[mask], reason)
    kinds = {
        CELLS_UNPLACED: untold & within,
        NUMBERS_UNPLACED: untold & ~within & figures,
        TEXTS_UNPLACED: untold & ~within & ~figures,
    }
    for kind, mask in kinds.items():
        number = int(np.count_nonzero(mask))
        if number:
            # The first in reading order: that is where a person begins to look.
            row, column = int(rows[mask][0]), int(columns[mask][0])
            where = roles.sheet.address(row, column)
            text = cell_text(roles.sheet.rows[row][column])
            finding = kind(where, cells=number, text=text, reason=roles.why(row, column))
            roles.tell(ScopedFinding(finding, cells=(rows[mask], columns[mask])))


def label_boilerplate(
    roles: RoleMap, frames: Sequence[TableFrame], patterns: Sequence[Pattern]
) -> None:
    """Make the texts of the form itself labels if they are outside the tables."""
    if not patterns or roles.all_placed:
        return
    rows, columns = np.nonzero(roles.unplaced_mask)
    outside = ~_within(rows, columns, frames)
    cells = roles.sheet.rows
    spots = zip(rows[outside].tolist(), columns[outside].tolist(), strict=True)
    roles.label(spot for spot in spots if matches_any(cells[spot[0]][spot[1]], patterns))


def leave_out_around(roles: RoleMap, frame: TableFrame, *, below: bool, beside: bool) -> None:
    """Leave out what lies below a table, or beside it in its rows, and belongs to no other
    table."""
    if roles.all_placed or not (below or beside):
        return
    mask = roles.unplaced_mask
    rows, columns = np.nonzero(mask)
    under = rows >= frame.rows.stop
    level = (rows >= frame.rows.start) & ~under
    aside = level & ((columns < frame.columns.start) | (columns >= frame.columns.stop))
    for wanted, among, rule in ((below, under, Rule.BELOW), (beside, aside, Rule.BESIDE)):
        if wanted:
            spots = zip(rows[among].tolist(), columns[among].tolist(), strict=True)
            roles.give_spots(spots, Role.LEFT_OUT, rule)


def _within(rows: Places, columns: Places, frames: Sequence[TableFrame]) -> NDArray[np.bool_]:
    """A mask of the cells within the frame of a table."""
    within = np.zeros(len(rows), bool)
    for frame in frames:
        inside = (rows >= frame.rows.start) & (rows < frame.rows.stop)
        within |= inside & (columns >= frame.columns.start) & (columns < frame.columns.stop)
    return within


def _figures(
    roles: RoleMap, rows: Places, columns: Places, among: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Which of these filled cells hold a number or a date; in a text file, a text that reads as
    one."""
    sheet = roles.sheet
    figures: NDArray[np.bool_] = sheet.kinds[rows, columns] != CellKind.TEXT
    # In a text file all cells are texts: only how they read can tell.
    for column in np.flatnonzero(among).tolist() if not sheet.typed else ():
        figures[column] = is_figure(sheet, sheet.rows[rows[column]][columns[column]])
    return figures


def _outside(rows: Places, frames: Sequence[TableFrame]) -> dict[Why, NDArray[np.bool_]]:
    """The reasons why cells outside the tables are unplaced, each with its cells."""
    if not frames:
        return {Why.NO_TABLE: np.ones(len(rows), bool)}
    above = rows < min(frame.rows.start for frame in frames)
    below = rows >= max(frame.rows.stop for frame in frames)
    return {
        Why.ABOVE: above,
        Why.BELOW: below & ~above,
        Why.OUTSIDE: ~above & ~below,
    }
