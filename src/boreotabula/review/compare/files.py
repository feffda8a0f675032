"""A comparison as a file: CSV, or a workbook with the changes and the sums."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.batch.claims import claimed
from boreotabula.batch.output_checks import check_place
from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_ROWS
from boreotabula.review.compare.compare import Comparison
from boreotabula.sheets.parts.writing import new_workbook, put
from boreotabula.stores.csv import CsvWriter

ENDINGS = (".csv", ".xlsx")


def check_changes(out: Path) -> None:
    """Raises CallError if changes cannot be written to a file."""
    check_place(out, ENDINGS, "changes are written as")


def write_changes(comparison: Comparison, out: Path) -> None:
    """Write the differences, whole or not at all. Raises CallError if that cannot be done."""
    if out.suffix.lower() == ".xlsx":
        content = _workbook(comparison)
        with claimed(out) as stream:
            stream.write(content)
        return
    with claimed(out) as stream:
        fields = [pa.field(name, pa.string(), metadata={"field_type": "text"})
                  for name in comparison.changes.schema.names]  # fmt: skip
        writer = CsvWriter(stream, pa.schema(fields))
        for batch in comparison.changes.to_batches():
            writer.write(batch)


def _workbook(comparison: Comparison) -> bytes:
    # Cut off, the list would look complete.
    if comparison.changes.num_rows + 1 > MAX_ROWS:
        raise CallError(
            f"{comparison.changes.num_rows:,} changes are more than a sheet has rows;"
            " write .csv instead"
        )
    content = io.BytesIO()
    with new_workbook(content, in_memory=True) as book:
        head = book.add_format({"bold": True, "bottom": 1})
        tab = book.add_worksheet("Changes")
        rows = zip(*(column.to_pylist() for column in comparison.changes.columns), strict=True)
        _fill(tab, comparison.changes.schema.names, rows, head)
        sums = book.add_worksheet("Sums")
        names = [comparison.by or "all", "field", "before", "after", "difference"]
        lines = (
            (group, name, sums.before, sums.after, sums.difference)
            for (group, name), sums in comparison.sums.items()
        )
        _fill(sums, names, lines, head)
    return content.getvalue()


def _fill(tab: Any, names: list[str], rows: Any, head: Any) -> None:
    widths = [len(name) for name in names]
    for column, name in enumerate(names):
        put(tab, 0, column, name, head)
    last = 0
    for last, row in enumerate(rows, 1):
        for column, value in enumerate(row):
            if value is not None:
                put(tab, last, column, value if isinstance(value, str) else float(value))
            widths[column] = max(widths[column], len(str(value or "")))
    for column, width in enumerate(widths):
        tab.set_column(column, column, min(max(width + 2, 8), 40))
    tab.freeze_panes(1, 0)
    tab.autofilter(0, 0, last, len(names) - 1)
