"""The cells that nothing speaks for, and what is to be said of them by where they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.findings import Finding, Severity, Telling
from boreotabula.reading.locate.frame import Frame
from boreotabula.reading.roles import RoleMap, rank_of, spots_of
from boreotabula.reading.rows.kinds import is_boilerplate


def tell_strays(roles: RoleMap, frames: Sequence[Frame]) -> None:
    """Have a finding speak for each unplaced cell, as loudly as its place asks for.

    Within the frame of a table that is an error, for a number or date outside a warning, for any
    other text outside a note.
    """
    if roles.all_placed:
        return
    within = _within(roles, frames)
    figures = _figures(roles, roles.unplaced_mask & ~within)
    open_ = roles.untold(_needed(within, figures))
    roles.explain_where(within, "nothing in the layout names it")
    for reason, rows in _outside(roles.sheet.height, frames).items():
        roles.explain_where(~within & rows[:, None], reason)
    kinds = {
        IN_FRAME: open_ & within,
        NUMBERS: open_ & ~within & figures,
        TEXTS: open_ & ~within & ~figures,
    }
    for code, some in kinds.items():
        number = int(np.count_nonzero(some))
        if number:
            row, column = next(spots_of(some))
            where = roles.sheet.address(row, column)
            text = cell_text(roles.sheet.rows[row][column])
            told = about_strays(code, number, where, text, roles.why(row, column))
            roles.tell(Telling(told, where=some))


IN_FRAME, NUMBERS, TEXTS = "cells-unplaced", "numbers-unplaced", "texts-unplaced"
"""The codes of what is said of cells by where they are: in a table, or outside of all."""

_CALLED = {
    IN_FRAME: ("cell of the table", "cells of the table"),
    NUMBERS: ("number or date of this tab", "numbers or dates of this tab"),
    TEXTS: ("text of this tab", "texts of this tab"),
}


def about_strays(code: str, number: int, where: str, text: str, reason: str) -> Finding:
    """What is to be said of so many cells that nothing else speaks for.

    Address, text and reason are those of the first.
    """
    one, several = _CALLED[code]
    said = f"1 {one} is" if number == 1 else f"{number} {several} are"
    advice = (
        "Look at unplaced.csv: what belongs to the records needs a heading that a field is known"
        " by; what does not, a rule such as `ignore`, `skip` or `ends_at`."
        if code == IN_FRAME
        else "Look at unplaced.csv; what matters needs a place in the layout."
    )
    return Finding(
        code,
        f"{said} in no record; the first is “{text}” ({reason})",
        advice,
        cell=where,
        looked_for="a role for every filled cell",
        found=text,
    )


def label_boilerplate(roles: RoleMap, frames: Sequence[Frame], patterns: Sequence[Pattern]) -> None:
    """Make the texts of the form itself labels, where they are outside the tables."""
    if not patterns or roles.all_placed:
        return
    outside = roles.unplaced_mask & ~_within(roles, frames)
    rows = roles.sheet.rows
    roles.label(
        (row, column)
        for row, column in spots_of(outside)
        if is_boilerplate(rows[row][column], patterns)
    )


def _within(roles: RoleMap, frames: Sequence[Frame]) -> NDArray[np.bool_]:
    """Which cells are within the frame of a table."""
    within: NDArray[np.bool_] = np.zeros(roles.filled.shape, bool)
    for one in frames:
        within[one.rows.start : one.rows.stop, one.columns.start : one.columns.stop] = True
    return within


def _figures(roles: RoleMap, among: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which of some cells hold a number or a date."""
    figures: NDArray[np.bool_] = np.zeros(among.shape, bool)
    rows = roles.sheet.rows
    for row, column in spots_of(among):
        if is_figure(roles.sheet, rows[row][column]):
            figures[row, column] = True
    return figures


def _needed(within: NDArray[np.bool_], figures: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """How loudly each unplaced cell must be spoken of."""
    outside = np.where(figures, rank_of(Severity.WARNING), rank_of(Severity.NOTE))
    return np.where(within, rank_of(Severity.ERROR), outside).astype(np.uint8)


def _outside(height: int, frames: Sequence[Frame]) -> dict[str, NDArray[np.bool_]]:
    """Why cells outside the tables are unplaced, each reason with the rows that it is true of."""
    rows = np.arange(height)
    if not frames:
        return {"no table was found on this tab": np.ones(height, bool)}
    above = rows < min(one.rows.start for one in frames)
    below = rows >= max(one.rows.stop for one in frames)
    return {
        "above the table": above,
        "below the table": below & ~above,
        "outside the table": ~above & ~below,
    }
