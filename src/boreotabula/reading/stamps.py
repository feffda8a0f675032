"""Stamps: values found once on a tab, or in its name or its file's, and put on every record."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from boreotabula.layout.addresses import address
from boreotabula.reading.convert import cell_text, convert_kept, kind_of
from boreotabula.reading.findings import Finding
from boreotabula.reading.plan import CellStamp, Plan
from boreotabula.reading.roles import Role, RoleMap
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class Stamped:
    """The value of each stamped field (None if it has none), and what is to be said of it."""

    values: Mapping[str, object]
    findings: tuple[Finding, ...]


def read_stamps(sheet: Sheet, plan: Plan, captured: Mapping[str, str], roles: RoleMap) -> Stamped:
    """All stamps of a tab; `captured` are those that come from the names of file and tab."""
    values: dict[str, object] = {}
    findings: list[Finding] = []
    for field, text in captured.items():
        values[field], finding = _converted(plan, field, text, "")
        findings += finding
    for stamp in plan.stamps:
        values[stamp.field], finding = _from_cell(sheet, plan, stamp, roles)
        findings += finding
    return Stamped(values, tuple(findings))


def _from_cell(
    sheet: Sheet, plan: Plan, stamp: CellStamp, roles: RoleMap
) -> tuple[object, list[Finding]]:
    row, column = _anchor(sheet, stamp.row, stamp.column)
    cell = sheet.cell(row, column)
    label = _label_left(sheet, row, column)
    if label is not None:
        roles.mark(*label, Role.LABEL)
    where = address(stamp.row, stamp.column)
    if cell == "":
        beside = f", beside “{cell_text(sheet.cell(*label))}”" if label else ""
        return None, [
            Finding(
                "stamp-blank",
                f"the cell for “{stamp.field}” is blank{beside}; the field is empty in all records"
                " of this tab",
                "Fill the cell, or look whether the form has moved on this tab.",
                cell=where,
                looked_for=stamp.field,
                found="blank",
            )
        ]
    value, findings = _converted(plan, stamp.field, cell, where)
    if findings:
        roles.unplace(row, column, findings[0].message)
    else:
        roles.mark(row, column, Role.STAMP)
    return value, findings


def _anchor(sheet: Sheet, row: int, column: int) -> tuple[int, int]:
    """The cell that holds the content of a place: of a merged range its top left one."""
    for span in sheet.merges:
        if span.top <= row <= span.bottom and span.left <= column <= span.right:
            return span.top, span.left
    return row, column


def _label_left(sheet: Sheet, row: int, column: int) -> tuple[int, int] | None:
    """The nearest filled cell left of a stamp, if it is a text: that is what names it."""
    if row >= sheet.height:
        return None
    for at in range(min(column, sheet.width) - 1, -1, -1):
        if sheet.rows[row][at] != "":
            return (row, at) if isinstance(sheet.rows[row][at], str) else None
    return None


def _converted(plan: Plan, field: str, cell: Cell, where: str) -> tuple[object, list[Finding]]:
    kind = plan.types[field]
    result = convert_kept((cell,), kind)
    if not result.failures:
        return result.values[0].as_py(), []
    source = "" if where else " (from the name of the file or tab)"
    return None, [
        Finding(
            "stamp-not-converted",
            f"“{cell_text(cell)}”{source} is no {kind} for “{field}”"
            f" ({result.failures[0][1]}); the field is empty in all records of this tab",
            "Correct the cell, or look whether the form has moved on this tab."
            if where
            else "Correct the name, or the pattern that captures it.",
            cell=where,
            looked_for=kind,
            found=cell_text(cell) or kind_of(cell),
        )
    ]
