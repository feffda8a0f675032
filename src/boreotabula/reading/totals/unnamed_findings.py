"""Findings about rows that hold sums, or may."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.totals import LOOKS_LIKE_TOTAL, SUMS_WITHOUT_LABEL
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.sheets.sheet import Sheet


def row_finding(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    """A finding: rows that surely hold sums."""
    label, patterns = _labels(sheet, columns, rows)
    where = sheet.address(rows[0], columns.left)
    slots = {"rows": sheet.rows_called(rows), "count": len(rows)}
    if not patterns:
        return SUMS_WITHOUT_LABEL(where, label=label, **slots)
    return LOOKS_LIKE_TOTAL(where, label=label, patterns=patterns, **slots)


def likely_finding(
    kind: FindingKind, sheet: Sheet, columns: Columns, rows: Sequence[int]
) -> Finding:
    """A finding: rows that may be totals, worded for their kind."""
    label, patterns = _labels(sheet, columns, rows)
    return kind(
        sheet.address(rows[0], columns.left),
        rows=sheet.rows_called(rows),
        count=len(rows),
        label=label,
        patterns=patterns or [label],
    )


def _labels(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> tuple[str, list[str]]:
    """The label of the first row, and those of all that have one, as patterns to add."""
    labels = [
        next(
            (
                cell_text(cell)
                for cell in sheet.rows[row][columns.left : columns.right]
                if cell != ""
            ),
            "",
        )
        for row in rows
    ]
    named = [label for label in dict.fromkeys(labels) if not label.replace(".", "").isdigit()]
    return labels[0], named
