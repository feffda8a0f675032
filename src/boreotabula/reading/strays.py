"""The cells that nothing speaks for, and what is to be said of them by where they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.findings import Finding, Severity, Spot, Telling
from boreotabula.reading.lines import is_boilerplate
from boreotabula.reading.roles import RoleMap, rank_of
from boreotabula.workbooks.sheet import Sheet


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
    spots: dict[str, list[Spot]] = {}
    for row, column in open_:
        if within[row, column]:
            code = "cells-unplaced"
        else:
            figure = is_figure(roles.sheet, roles.sheet.rows[row][column])
            code = "numbers-unplaced" if figure else "texts-unplaced"
        spots.setdefault(code, []).append((row, column))
    for code in ("cells-unplaced", "numbers-unplaced", "texts-unplaced"):
        if code in spots:
            told = _SAID[code](roles, frames, spots[code])
            roles.tell(Telling(told, spots=spots[code]))
    for (row, column), reason, _ in roles.unplaced():
        if not reason:
            why = "in no record" if within[row, column] else _why_outside(row, frames)
            roles.explain(row, column, why)


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


def _in_frame(roles: RoleMap, frames: Sequence[Frame], spots: Sequence[Spot]) -> Finding:
    first, text, why = _first(roles, frames, spots)
    said = "1 cell of the table is" if len(spots) == 1 else f"{len(spots)} cells of the table are"
    return Finding(
        "cells-unplaced",
        f"{said} in no record; the first is “{text}” ({why or 'nothing in the layout names it'})",
        "Look at unplaced.csv: what belongs to the records needs a heading that a field is known"
        " by; what does not, a rule such as `ignore`, `skip` or `ends_at`.",
        cell=first,
        looked_for="a role for every cell of the table",
        found=text,
    )


def _numbers(roles: RoleMap, frames: Sequence[Frame], spots: Sequence[Spot]) -> Finding:
    return _outside("numbers-unplaced", "number or date", roles, frames, spots)


def _texts(roles: RoleMap, frames: Sequence[Frame], spots: Sequence[Spot]) -> Finding:
    return _outside("texts-unplaced", "text", roles, frames, spots)


def _outside(
    code: str, what: str, roles: RoleMap, frames: Sequence[Frame], spots: Sequence[Spot]
) -> Finding:
    first, text, why = _first(roles, frames, spots)
    said = (
        f"1 {what} of this tab is"
        if len(spots) == 1
        else f"{len(spots)} {what.replace(' or ', 's or ')}s of this tab are"
    )
    return Finding(
        code,
        f"{said} in no record; the first is “{text}” ({why or _why_outside(spots[0][0], frames)})",
        "Look at unplaced.csv; what matters needs a place in the layout.",
        cell=first,
        looked_for="a role for every filled cell",
        found=text,
    )


def _first(roles: RoleMap, frames: Sequence[Frame], spots: Sequence[Spot]) -> tuple[str, str, str]:
    row, column = spots[0]
    sheet: Sheet = roles.sheet
    text = cell_text(sheet.rows[row][column])
    return sheet.address(row, column), text, roles.why(row, column)


_SAID: dict[str, Any] = {
    "cells-unplaced": _in_frame,
    "numbers-unplaced": _numbers,
    "texts-unplaced": _texts,
}
