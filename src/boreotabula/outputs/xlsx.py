"""A workbook as output: a tab for each output table, typed cells, the first row frozen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from typing import Any, BinaryIO

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_ROWS
from boreotabula.outputs.csv import field_type
from boreotabula.reading.values.form import DECIMAL

_FORMATS = {
    "month": "yyyy-mm",
    "date": "yyyy-mm-dd",
    "datetime": "yyyy-mm-dd hh:mm",
    "time": "hh:mm:ss",
    "percent": "0.0##%",
}
_WIDTH = 14


class XlsxBook:
    """A workbook that is written row by row, whatever its length.

    Raises CallError once a table has more records than a sheet has rows. Use `sheet` for a writer
    of each table, then `close`.
    """

    def __init__(self, stream: BinaryIO) -> None:
        import xlsxwriter  # only needed for this kind of output

        # Texts are written as texts, whatever sign they begin with.
        options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
        self._book = xlsxwriter.Workbook(stream, options)
        self._bold = self._book.add_format({"bold": True, "bottom": 1})
        self._formats: dict[str, Any] = {}

    def sheet(self, name: str, schema: pa.Schema) -> XlsxSheet:
        """The writer of one table."""
        sheet = self._book.add_worksheet(name)
        sheet.freeze_panes(1, 0)
        sheet.set_column(0, len(schema) - 1, _WIDTH)
        sheet.write_row(0, 0, schema.names, self._bold)
        return XlsxSheet(name, sheet, schema, [self._format(field_type(one)) for one in schema])

    def _format(self, kind: str) -> Any:
        """The number format of a field type; None if it needs none."""
        form = _number_format(kind)
        if form is None:
            return None
        if form not in self._formats:
            self._formats[form] = self._book.add_format({"num_format": form})
        return self._formats[form]

    def close(self) -> None:
        """Write the workbook to its stream."""
        self._book.close()

    def abandon(self) -> None:
        """Let go of the workbook without writing it."""
        self._book.fileclosed = True


def _number_format(kind: str) -> str | None:
    decimals = DECIMAL.fullmatch(kind)
    if decimals:
        return "0." + "0" * int(decimals[1]) if int(decimals[1]) else "0"
    return _FORMATS.get(kind)


class XlsxSheet:
    """Writes record batches of one schema to a sheet."""

    def __init__(self, name: str, sheet: Any, schema: pa.Schema, formats: Sequence[Any]) -> None:
        self._name, self._sheet, self._formats = name, sheet, formats
        self._row = 1

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""
        if self._row + batch.num_rows > MAX_ROWS:
            raise CallError(
                f"“{self._name}” has more records than a sheet has rows ({MAX_ROWS:,}); write .csv"
                " instead"
            )
        columns = [column.to_pylist() for column in batch.columns]
        for place, values in enumerate(zip(*columns, strict=True), self._row):
            for column, value in enumerate(values):
                if value is not None:
                    self._put(place, column, value)
        self._row += batch.num_rows

    def _put(self, row: int, column: int, value: object) -> None:
        write: Callable[..., object] = self._sheet.write_number
        if isinstance(value, str):
            write = self._sheet.write_string
        elif isinstance(value, datetime | date | time):
            write = self._sheet.write_datetime
        elif isinstance(value, bool):
            write = self._sheet.write_boolean
        write(row, column, value, self._formats[column])
