"""Totals of several measures, whose label stands once."""

from __future__ import annotations

from bisect import bisect_left

import numpy as np

from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.rows.table_rows import RowKind, TableRows
from boreotabula.sheets.sheet import Sheet


def with_further_totals(sheet: Sheet, columns: Columns, table: TableRows) -> TableRows:
    """The rows of a table, where the rows below a total that belong to it are totals as well.

    This happens where measures alternate in the last column of the stub. The label of the total
    stands once for all of them, in a column that is carried down, or alone in a row as names of
    groups do. Otherwise they would become records of whatever stands above the total.
    """
    rows = _further_totals(sheet, columns, table)
    return table.without(rows, RowKind.TOTAL) if rows else table


def _further_totals(sheet: Sheet, columns: Columns, table: TableRows) -> list[int]:
    stub = columns.of(ColumnKind.STUB)
    carry = [column.column for column in stub if column.field in table.own]
    if not stub or not (carry or columns.block.group_row) or stub[-1].column in carry:
        return []
    measure = stub[-1].column
    records = table.records
    rows: list[int] = []
    for total in table.of(RowKind.TOTAL):
        known = {sheet.rows[row][measure] for row in records if row < total} - {""}
        cells, after = sheet.rows[total], bisect_left(records, total)
        if cells[measure] in known:
            within = carry if any(cells[index] for index in carry) else None
        else:
            alone = columns.block.group_row and np.count_nonzero(sheet.filled[total]) == 1
            within = [] if alone else None
        if within is None:
            continue
        for row, record in enumerate(records[after:], total + 1):
            own = sheet.rows[record]
            # Beyond a gap, or what names others, is something else.
            if record != row or own[measure] not in known or any(own[index] for index in within):
                break
            rows.append(record)
    return rows
