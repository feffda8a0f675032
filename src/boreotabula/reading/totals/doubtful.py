"""Totals that cannot be compared, and rows that a pattern may have taken for totals by mistake."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator, Sequence

import numpy as np

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.totals import TOTAL_DOUBTFUL, TOTAL_OVER_TEXTS
from boreotabula.layout.field_types import Nature
from boreotabula.layout.patterns import matching
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.reading.rows.total_words import AVERAGE_WORDS, begins_as_total
from boreotabula.reading.totals.checks import Totals
from boreotabula.sheets.sheet import Sheet

_AMOUNT = re.compile(
    r"(?P<before>[^\d\s.,'’+()-]{0,5}\.?)\s*[-+−(]?\d[\d\s.,'’]*\d?\)?"
    r"\s*(?P<behind>,-|[^\d\s.,'’+()-]{0,5}\.?)"
)
"""A number with a sign of money or a unit before or after it."""


def without_pattern_slips(totals: Totals, slips: Collection[int]) -> Totals:
    """The totals without those of rows that are reported as doubtful."""
    rows = tuple(row for row in totals.rows if row.row not in slips)
    return Totals(totals.columns, rows, totals.flaws)


def slips_of(sheet: Sheet, totals: Totals, columns: Columns, table: TableRows) -> list[int]:
    """The rows that a pattern of `totals` took, but that look like records.

    No total of them agrees, and they fill a cell of texts, besides their label, that most records
    fill and no other row of totals does.
    """
    block = columns.block
    rows = table.of(RowKind.TOTAL)
    if not rows or not block.totals or not table.records:
        return []
    named = [column.column for column in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)]
    # What no word calls an average may be one by chance.
    agreeing = {
        row.row
        for row in totals.rows
        if row.agrees
        and not (row.averaged and not begins_as_total(sheet, row.row, named, AVERAGE_WORDS))
    }
    doubted = [row for row in rows if row not in agreeing]
    # The usual totals agree: then the records need not be looked at.
    if not doubted:
        return []
    texts = [
        index
        for index in named
        if 2 * sum(_is_text(sheet, row, index) for row in table.records) > len(table.records)
    ]
    filled = Counter(text for row in rows for text in texts if _is_text(sheet, row, text))
    return [
        row
        for row in doubted
        if any(filled[index] == 1 for index in _beside_label(sheet, row, texts))
    ]


def _beside_label(sheet: Sheet, row: int, texts: Sequence[int]) -> list[int]:
    """The columns of texts that a row fills, except the first, which is its label."""
    return [text for text in texts if _is_text(sheet, row, text)][1:]


def _is_text(sheet: Sheet, row: int, column: int) -> bool:
    cell = sheet.rows[row][column]
    return cell != "" and not is_figure(sheet, cell)


def about_slips(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Iterator[Finding]:
    """A finding: rows that a pattern of `totals` may have taken by mistake."""
    for row in rows:
        cells = sheet.rows[row][columns.left : columns.right]
        label = next(cell_text(cell) for cell in cells if cell != "")
        pattern = matching(columns.block.totals.patterns, label)
        column = columns.left + next(index for index, cell in enumerate(cells) if cell != "")
        yield TOTAL_DOUBTFUL(
            sheet.address(row, column),
            row=sheet.row_called(row),
            label=label,
            pattern=str(pattern or ""),
        )


def over_texts(sheet: Sheet, columns: Columns, table: TableRows, plan: Plan) -> Iterator[Finding]:
    """A finding: printed totals over fields that are read as texts, where most records hold
    amounts."""
    kinds = (ColumnKind.BESIDE,) if columns.block.is_list else (ColumnKind.VALUE,)
    by_field: dict[str, list[tuple[int, int]]] = {}
    rows = table.of(RowKind.TOTAL)
    held = columns.of(*kinds) if rows else ()
    # The columns of a cross-tab share a field or two: asked once, not for each.
    of_texts = {
        field
        for field in {column.field for column in held}
        if plan.form(field).type.nature is Nature.TEXT
    }
    for one in held if of_texts else ():
        if one.field not in of_texts:
            continue
        pairs = [(row, one.column) for row in rows if _sign(sheet, row, one.column) is not None]
        if pairs and _mostly_amounts(sheet, table, one.column):
            by_field.setdefault(one.field, []).extend(pairs)
    for field, spots in by_field.items():
        row, column = spots[0]
        signs = Counter(
            sign for record in table.records if (sign := _sign(sheet, record, column)) is not None
        )
        decimals = any(
            re.search(r"[.,]\d{2}\D*$", cell_text(sheet.rows[row][column])) for row in table.records
        )
        yield TOTAL_OVER_TEXTS(
            sheet.address(row, column),
            field=field,
            text=cell_text(sheet.rows[row][column]),
            noun=plan.form(field).noun,
            more=len(spots) - 1,
            unit=next((sign for sign, _ in signs.most_common() if sign), ""),
            proposed="decimal(2)" if decimals else "number",
        )


def _mostly_amounts(sheet: Sheet, table: TableRows, column: int) -> bool:
    rows = table.record_rows[sheet.filled[table.record_rows, column]]
    amounts = [_sign(sheet, row, column) is not None for row in rows.tolist()]
    return 2 * int(np.count_nonzero(amounts)) > len(amounts)


def _sign(sheet: Sheet, row: int, column: int) -> str | None:
    """The unit beside the amount in a cell, empty without one; None if it holds no amount."""
    cell = sheet.rows[row][column]
    if cell == "":
        return None
    if not isinstance(cell, str):
        return "" if is_figure(sheet, cell) else None
    match = _AMOUNT.fullmatch(cell.strip())
    return None if match is None else match["before"] or match["behind"]
