"""Corrections of single cells, read instead of the sender's value as long as that value is still
there."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import date, datetime

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.values import CELL_CORRECTED, CORRECTION_LAPSED
from boreotabula.layout.addresses import Address
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet, make_sheet


@dataclass(frozen=True)
class Correction:
    """A value to read in a cell instead of the one in the file, who decided it, and why."""

    where: str
    """The file of corrections and its line."""
    file: Pattern
    tab: Pattern | None
    """None for a text file, or for any tab."""
    row: int
    """Counted from 0, as is `column`."""
    column: int
    was: str
    """What the cell must hold."""
    now: str
    """What is read instead."""
    who: str
    why: str


def corrected(
    sheet: Sheet, file: str, corrections: Sequence[Correction]
) -> tuple[Sheet, tuple[Finding, ...]]:
    """A sheet with its corrections, and a finding for each one made or lapsed.

    A correction has lapsed when its cell holds something else.
    """
    own = [
        correction for correction in corrections
        if correction.file.match(file) is not None
        and (correction.tab is None or correction.tab.match(sheet.name) is not None)
    ]  # fmt: skip
    if not own:
        return sheet, ()
    cells: dict[tuple[int, int], Cell] = {}
    findings: list[Finding] = []
    for correction in own:
        spot = correction.row, correction.column
        cell = sheet.cell(*spot)
        text = cell_text(cell).strip()
        slots = {"where": correction.where, "was": correction.was, "now": correction.now}
        if text == correction.was:
            cells[spot] = _like(cell, correction.now)
            finding = CELL_CORRECTED(
                Address(*spot), tab=sheet.name, who=correction.who, why=correction.why, **slots
            )
        else:
            finding = CORRECTION_LAPSED(Address(*spot), tab=sheet.name, text=text, **slots)
        findings.append(finding)
    return (_with_cells(sheet, cells) if cells else sheet), tuple(findings)


def _like(cell: Cell, text: str) -> Cell:
    """A text as a cell of the same kind as the one it replaces, if it can be one."""
    if isinstance(cell, datetime | date):
        with suppress(ValueError):
            return type(cell).fromisoformat(text)
    # A blank cell may have been meant to hold a number.
    if isinstance(cell, float) or cell == "":
        with suppress(ValueError):
            return float(text)
    return text


def _with_cells(sheet: Sheet, cells: dict[tuple[int, int], Cell]) -> Sheet:
    made = make_sheet(
        sheet.name,
        [list(row) for row in sheet.rows],
        sheet.merges,
        corrected=cells,
        visibility=sheet.visibility,
        hidden_rows=sheet.hidden_rows,
        hidden_columns=sheet.hidden_columns,
        tables=sheet.tables,
        typed=sheet.typed,
        indents=sheet.indents,
    )
    return replace(made, was={spot: sheet.cell(*spot) for spot in cells})
