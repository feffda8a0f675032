"""The cells that nothing speaks for, and what is to be said of them by where they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.findings import Finding, Severity, Spot, Telling
from boreotabula.reading.roles import RoleMap, rank_of
from boreotabula.reading.row_kinds import is_boilerplate


@dataclass(frozen=True)
class Frame:
    """The rows and columns of a sheet (counted from 0) that a table takes, as the sheet lies."""

    rows: range
    columns: range


def tell_strays(roles: RoleMap, frames: Sequence[Frame]) -> None:
    """Have a finding speak for each unplaced cell, as loudly as its place asks for.

    Within the frame of a table that is an error, for a number or date outside a warning, for any
    other text outside a note.
    """
    if roles.all_placed:
        return
    needed, within = _needed(roles, frames)
    open_ = np.argwhere(roles.untold(needed)).tolist()
    for (row, column), reason, _ in roles.unplaced():
        if not reason:
            why = "nothing in the layout names it" if within[row, column] else ""
            roles.explain(row, column, why or _why_outside(row, frames))
    spots: dict[str, list[Spot]] = {IN_FRAME: [], NUMBERS: [], TEXTS: []}
    for row, column in open_:
        figure = is_figure(roles.sheet, roles.sheet.rows[row][column])
        outside = NUMBERS if figure else TEXTS
        spots[IN_FRAME if within[row, column] else outside].append((row, column))
    for code, some in spots.items():
        if some:
            row, column = some[0]
            where = roles.sheet.address(row, column)
            text = cell_text(roles.sheet.rows[row][column])
            told = about_strays(code, len(some), where, text, roles.why(row, column))
            roles.tell(Telling(told, spots=some))


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
        for row, column in np.argwhere(outside).tolist()
        if is_boilerplate(rows[row][column], patterns)
    )


def _within(roles: RoleMap, frames: Sequence[Frame]) -> NDArray[np.bool_]:
    """Which cells are within the frame of a table."""
    within: NDArray[np.bool_] = np.zeros(roles.filled.shape, bool)
    for one in frames:
        within[one.rows.start : one.rows.stop, one.columns.start : one.columns.stop] = True
    return within


def _needed(roles: RoleMap, frames: Sequence[Frame]) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
    """How loudly each unplaced cell must be spoken of, and which cells are within a frame."""
    within = _within(roles, frames)
    needed = np.where(within, rank_of(Severity.ERROR), rank_of(Severity.NOTE)).astype(np.uint8)
    for row, column in np.argwhere(roles.unplaced_mask & ~within).tolist():
        if is_figure(roles.sheet, roles.sheet.rows[row][column]):
            needed[row, column] = rank_of(Severity.WARNING)
    return needed, within


def _why_outside(row: int, frames: Sequence[Frame]) -> str:
    if not frames:
        return "no table was found on this tab"
    if all(row < one.rows.start for one in frames):
        return "above the table"
    if all(row >= one.rows.stop for one in frames):
        return "below the table"
    return "outside the table"
