"""The rows of a worksheet as markup (ECMA-376 part 1, 18.3.1): whole columns are turned into
text.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date, datetime
from tempfile import TemporaryFile
from typing import BinaryIO
from xml.sax.saxutils import escape

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_ROWS, column_letters
from boreotabula.layout.field_types import FieldType, Nature
from boreotabula.reading.values.arrays import decoded
from boreotabula.stores.csv import column_text, field_type

_MOST_SIGNS = 32_767
"""The longest text of a cell."""
_EXACT = 15
"""The digits that spreadsheet programs keep: longer numbers are written as texts."""
_FIRST_DAY = date(1900, 3, 1)
"""Programs count the days before it in two ways: they are written as texts."""
_DAY_ZERO = {False: date(1899, 12, 30), True: date(1904, 1, 1)}
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]|_x[0-9A-Fa-f]{4}_|\r")
_WIDEST = 44
"""Longer texts are cut on screen, and whole in the cell."""
_LOOKED_AT = 500
"""The number of first rows that decide the width of a column."""


class CellMarkup:
    """Turns record batches of one schema into the markup of cells, column by column."""

    def __init__(
        self,
        schema: pa.Schema,
        columns: Sequence[int],
        styles: Sequence[int | None] = (),
        since_1904: bool = False,
    ) -> None:
        """`columns` are those of the sheet, counted from 0; `styles` gives the cell style of
        each.
        """
        self.kinds = [field_type(value) for value in schema]
        self.letters = [column_letters(column) for column in columns]
        self._zero = _DAY_ZERO[since_1904]
        numbers = styles or [None] * len(schema)
        self._marks = ["" if index is None else f' s="{index}"' for index in numbers]

    def cells(self, index: int, column: pa.Array, numbers: pa.Array) -> pa.Array:
        """The markup of a column's cells, by its index in the schema; empty where there is no
        value.

        `numbers` are those of the rows, counted from 1, as texts.
        """
        lead, mark = f'<c r="{self.letters[index]}', self._marks[index]
        kind = self.kinds[index]
        # Spreadsheets hold truth values as 0 and 1 with a type of their own.
        if kind.nature is Nature.YES_NO:
            bits = column.cast(pa.int8()).cast(pa.string())
            return _joined(lead, numbers, f'"{mark} t="b"><v>', bits, "</v></c>")
        values = self._numbers(column, kind)
        if values is None:
            texts = self._texts(column, kind)
        else:
            written = _joined(lead, numbers, f'"{mark}><v>', values, "</v></c>")
            # What no number of a spreadsheet can hold stands beside those that can, as text.
            left_over = pc.and_(column.is_valid(), values.is_null())
            if not pc.any(left_over).as_py():
                return written
            texts = pc.if_else(left_over, decoded(self._texts(column, kind)), None)
            joined = _joined(lead, numbers, '" t="inlineStr"><is><t>', texts, "</t></is></c>")
            return pc.if_else(left_over, joined, written)
        head = f'"{mark} t="inlineStr"><is><t xml:space="preserve">'
        return _joined(lead, numbers, head, decoded(texts), "</t></is></c>")

    def _numbers(self, column: pa.Array, kind: FieldType) -> pa.Array | None:
        """The numbers that a spreadsheet stores for a column, as texts; None for texts."""
        if pa.types.is_dictionary(column.type) or pa.types.is_string(column.type):
            return None
        if kind.is_moment:
            return self._serials(column)
        texts = decoded(column_text(column, kind))
        if pa.types.is_floating(column.type):
            return texts
        # Counted without sign and point, since only digits take up the precision.
        digits = pc.utf8_length(pc.replace_substring_regex(texts, "[-.]", ""))
        return pc.if_else(pc.less_equal(digits, _EXACT), texts, None)

    def _serials(self, column: pa.Array) -> pa.Array:
        once = column.dictionary_encode()
        # Once for each different value: most days of a table come again.
        serials = [self._serial(value) for value in once.dictionary.to_pylist()]
        return pc.take(pa.array(serials, pa.string()), once.indices)

    def _serial(self, value: object) -> str | None:
        if isinstance(value, datetime):
            day = value.date()
            part = (value - datetime(day.year, day.month, day.day)).total_seconds() / 86400
        elif isinstance(value, date):
            day, part = value, 0.0
        else:  # a time of day
            seconds = sum(
                getattr(value, unit) * size
                for unit, size in (("hour", 3600), ("minute", 60), ("second", 1))
            )
            return repr((seconds + getattr(value, "microsecond") / 1e6) / 86400)  # noqa: B009
        if day < max(_FIRST_DAY, self._zero):
            return None
        return repr((day - self._zero).days + part).removesuffix(".0")

    def _texts(self, column: pa.Array, kind: FieldType) -> pa.Array:
        texts = column_text(column, kind)
        once = texts if pa.types.is_dictionary(texts.type) else texts.dictionary_encode()
        # Once for each different text, as a text that repeats need not be escaped again.
        result = [
            None if value is None else xml_text(value) for value in once.dictionary.to_pylist()
        ]
        for text in once.dictionary.to_pylist():
            if text is not None and len(text) > _MOST_SIGNS:
                raise CallError(
                    f"“{text[:40]}…” has {len(text):,} characters, and a cell holds"
                    f" {_MOST_SIGNS:,};"
                    " write .csv or .parquet instead"
                )
        return pa.DictionaryArray.from_arrays(once.indices, pa.array(result, pa.string()))


def heading_cell(address: str, text: str, style: int | None = None) -> str:
    """The markup of a heading cell."""
    mark = "" if style is None else f' s="{style}"'
    return f'<c r="{address}"{mark} t="inlineStr"><is><t>{xml_text(text)}</t></is></c>'


def check_room(table: str, rows: int) -> None:
    """Raises CallError if a sheet does not hold this many rows."""
    if rows > MAX_ROWS:
        raise CallError(
            f"“{table}” has more records than a sheet has rows ({MAX_ROWS:,}); write .csv or"
            " .parquet instead"
        )


class SheetRows:
    """Takes record batches of one schema and keeps their rows as markup in a temporary file.

    The first row of the sheet holds the headings, the first column the first field.
    """

    def __init__(self, table: str, schema: pa.Schema, styles: Sequence[int | None] = ()) -> None:
        """`styles` gives the cell style of each column."""
        self.table, self.schema = table, schema
        self.count = 0
        self.content: BinaryIO = TemporaryFile()  # noqa: SIM115  # lives as long as the rows
        self._markup = CellMarkup(schema, range(len(schema)), styles)
        self.widths = [len(name) + 3 for name in schema.names]

    def close(self) -> None:
        """Discard the rows."""
        self.content.close()

    @property
    def last(self) -> int:
        """The number of the last row, counted from 1; a table without records has a blank row."""
        return 1 + max(self.count, 1)

    def heading_row(self) -> bytes:
        """The markup of the heading row."""
        places = zip(self._markup.letters, self.schema.names, strict=True)
        cells = "".join(heading_cell(f"{letters}1", name) for letters, name in places)
        return f'<row r="1">{cells}</row>'.encode()

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch. Raises CallError if a sheet cannot hold them."""
        if not batch.num_rows:
            return
        check_room(self.table, 1 + self.count + batch.num_rows)
        start = 2 + self.count
        # As texts from the start: the numbers of rows are joined to every cell.
        numbers = pa.array(map(str, range(start, start + batch.num_rows)), pa.string())
        parts: list[pa.Array | str] = ['<row r="', numbers, '">']
        for index, column in enumerate(batch.columns):
            if self.count < _LOOKED_AT:
                self._measure(index, column)
            parts.append(self._markup.cells(index, column, numbers))
        lines = pc.binary_join_element_wise(*parts, "</row>", "")
        # To a file and not to memory: markup takes many times the room of the values.
        self.content.write("".join(lines.to_pylist()).encode())
        self.count += batch.num_rows

    def _measure(self, index: int, column: pa.Array) -> None:
        kind = self._markup.kinds[index]
        texts = column_text(column.slice(0, _LOOKED_AT), kind).unique().to_pylist()
        longest = max((len(text) for text in texts if text is not None), default=0)
        self.widths[index] = max(self.widths[index], min(longest + 2, _WIDEST))


def xml_text(text: str) -> str:
    """Text as markup, with the characters that XML forbids escaped as in ECMA-376 22.4.2.4."""
    return escape(without_forbidden(text))


def without_forbidden(text: str) -> str:
    """Text with the characters that XML forbids escaped as in ECMA-376 22.4.2.4."""
    return _FORBIDDEN.sub(
        lambda match: f"_x{ord(match[0]):04X}_" if len(match[0]) == 1 else f"_x005F_{match[0][1:]}",
        text,
    )


def _joined(lead: str, numbers: pa.Array, head: str, values: pa.Array, end: str) -> pa.Array:
    """The cells of a column, joined; empty where there is no value."""
    cells = pc.binary_join_element_wise(lead, numbers, head, values, end, "")
    return pc.fill_null(cells, "")
