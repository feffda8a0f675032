"""CSV by RFC 4180: UTF-8, commas (or tabs), CRLF, quotes where needed.

Whole columns are turned into text and joined by Arrow; a repeated text is processed once.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from itertools import chain
from typing import BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.layout.field_types import FieldType, Nature, TextStyle, type_called
from boreotabula.reading.values.arrays import decoded
from boreotabula.texts import FORMULA, GUARD

_SIGNS = (b'"', b"\n", b"\r")
_AT_ONCE = 400_000
"""This many values are written together: their texts take much memory, and no array of texts holds
more than 2 GiB."""
_EXACT = 1e15
"""Below this, whole floats are written without exponent or decimal point."""


MARKS = {".csv": ",", ".csv.gz": ",", ".tsv": "\t", ".psv": "|"}
"""The separator of values for each kind of text, by the ending of its name."""


def mark_of(name: str) -> str | None:
    """The separator of a file's values; None if it is no such text."""
    lower = name.lower()
    return next((mark for ending, mark in MARKS.items() if lower.endswith(ending)), None)


class CsvWriter:
    """Writes record batches of one schema to a stream; the heading line is written at once.

    `mark` is the separator, see `MARKS`.
    """

    def __init__(self, stream: BinaryIO, schema: pa.Schema, mark: str = ",") -> None:
        self._stream, self._mark = stream, mark
        self._kinds = [field_type(field) for field in schema]
        self._guarded = _GUARDED in (schema.metadata or {})
        # Headings are quoted as values are: a field may be called anything.
        names = _quoted(pa.array(schema.names, pa.string()), mark)
        stream.write((mark.join(names.to_pylist()) + "\r\n").encode())

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch in portions."""
        # By values and not by records: a table of a hundred columns takes a hundred times the
        # memory.
        step = max(_AT_ONCE // batch.num_columns, 1)
        for start in range(0, batch.num_rows, step):
            self._write(batch.slice(start, step))

    def _write(self, batch: pa.RecordBatch) -> None:
        columns = [
            column_text(column, kind)
            for column, kind in zip(batch.columns, self._kinds, strict=True)
        ]
        # After the conversion to text, since numbers and dates are no formulas.
        if self._guarded:
            columns = [
                _guarded(column) if kind.nature is Nature.TEXT else column
                for column, kind in zip(columns, self._kinds, strict=True)
            ]
        # Looking for quotes costs far less than putting them round every text.
        if _structural(columns, self._mark):
            self._stream.write(_quoted_lines(columns, self._mark))
        else:
            self._stream.write(_plain_lines(columns, self._mark))


_GUARDED = b"texts_guarded"


def guarded(schema: pa.Schema) -> pa.Schema:
    """A schema whose texts are written so that no spreadsheet program takes one for a formula."""
    return schema.with_metadata({**(schema.metadata or {}), _GUARDED: b"1"})


def _guarded(texts: pa.DictionaryArray) -> pa.DictionaryArray:
    """The texts, with an apostrophe before those that would be formulas."""
    # Once for each different text of the batch, not for each record.
    value = texts.dictionary
    risky = pc.match_substring_regex(value, FORMULA)
    safe = pc.if_else(risky, pc.binary_join_element_wise(GUARD, value, ""), value)
    return pa.DictionaryArray.from_arrays(texts.indices, safe)


def csv_texts(table: pa.Table) -> list[list[str]]:
    """The heading and the records of a small table as CSV texts."""
    stream = io.BytesIO()
    writer = CsvWriter(stream, table.schema)
    for batch in table.to_batches():
        writer.write(batch)
    return list(csv.reader(io.StringIO(stream.getvalue().decode(), newline="")))


def _plain_lines(columns: list[pa.Array], mark: str) -> memoryview:
    """Lines of texts that need no quotes: pieces of lines, joined by Arrow in one step.

    Neighbouring columns with few different texts make one piece, which includes the separators
    within and after it.
    """
    joiner = _Joiner(len(columns[0]))
    for index, column in enumerate(columns):
        end = mark if index < len(columns) - 1 else "\r\n"
        # Neighbouring columns of few texts share a piece, so most lines are joined of three or
        # four pieces instead of twenty.
        if _is_of_few(column, len(column)):
            joiner.add_few(column, end)
        else:
            joiner.add(decoded(column).cast(pa.string()), end)
    return _content(
        pc.binary_join_element_wise(
            *joiner.pieces(), "", null_handling="replace", null_replacement=""
        )
    )


_WORTH = 4
"""Pieces of lines are built in advance if there are at most a fourth as many of them as lines."""


def _is_of_few(column: pa.Array, lines: int) -> bool:
    if not pa.types.is_dictionary(column.type):
        return False
    # A column with gaps would need a place for them in every piece.
    texts = column.dictionary
    few = len(texts) == 1 or _WORTH * len(texts) <= lines
    return few and not (column.null_count or texts.null_count)


class _Joiner:
    """Collects the pieces from which lines are joined."""

    def __init__(self, lines: int) -> None:
        self._lines = lines
        self._pieces: list[pa.Array | pa.Scalar] = []
        self._texts = [""]
        """The distinct texts of the current piece."""
        self._indices: pa.Array | None = None
        """The index of each line's text; None as long as there is only one."""

    def add(self, column: pa.Array, end: str) -> None:
        """Add a column with many different texts, and the separator after it."""
        self._close()
        self._pieces.append(column)
        self._texts = [end]

    def add_few(self, column: pa.DictionaryArray, end: str) -> None:
        """Add a column with few different texts, and the separator after it."""
        texts: list[str] = column.dictionary.to_pylist()
        # Too many pairs of texts: another piece is cheaper than making all of them.
        if _WORTH * len(self._texts) * len(texts) > self._lines and len(texts) > 1:
            self._close()
        self._texts = [one + text + end for one in self._texts for text in texts]
        if len(texts) == 1:
            return
        if self._indices is None:
            # A place for each pair of texts, counted as the digits of a number are.
            self._indices = column.indices
        else:
            width = pa.scalar(len(texts), pa.int32())
            self._indices = pc.add(pc.multiply(self._indices, width), column.indices)

    def pieces(self) -> list[pa.Array | pa.Scalar]:
        """All pieces, in order."""
        self._close()
        # Arrow joins arrays only; with texts alone the line is made once and repeated.
        if all(isinstance(piece, pa.Scalar) for piece in self._pieces):
            whole = "".join(piece.as_py() for piece in self._pieces)
            return [pa.array([whole] * self._lines, pa.string())]
        return self._pieces

    def _close(self) -> None:
        # A list without a type would have its type looked for, which costs more than all the rest.
        if self._indices is not None:
            self._pieces.append(pa.array(self._texts, pa.string()).take(self._indices))
        elif self._texts != [""]:
            self._pieces.append(pa.scalar(self._texts[0], pa.string()))
        self._texts, self._indices = [""], None


def _quoted_lines(columns: list[pa.Array], mark: str) -> memoryview:
    """Lines with quotes around the texts that need them: Arrow's writer would quote every text."""
    texts = [_quoted(decoded(column), mark) for column in columns]
    lines = pc.binary_join_element_wise(*texts, mark, null_handling="replace", null_replacement="")
    return _content(pc.binary_join_element_wise(lines, "", "\r\n"))


def field_type(field: pa.Field) -> FieldType:
    """The layout's type of a column, as `record_schema` notes it."""
    return type_called(type_name(field))


def type_name(field: pa.Field) -> str:
    """The type as the layout writes it."""
    metadata = field.metadata or {}
    return str(metadata.get(b"field_type", b"text").decode())


def column_text(column: pa.Array, kind: FieldType) -> pa.Array:
    """The texts of a column: an array of texts, or a dictionary array of them."""
    if kind.written is TextStyle.AS_TEXT:
        return column if pa.types.is_dictionary(column.type) else column.dictionary_encode()
    if kind.written is TextStyle.AS_MONTH:
        days = _once(column)
        months = [
            None if day is None else day.isoformat()[:7] for day in days.dictionary.to_pylist()
        ]
        return pa.DictionaryArray.from_arrays(days.indices, pa.array(months, pa.string()))
    if kind.written is TextStyle.AS_MOMENT:
        return pc.replace_substring(column.cast(pa.string()), " ", "T")
    if pa.types.is_floating(column.type):
        return _number_text(column)
    return column.cast(pa.string())


def column_texts(values: pa.Array | pa.ChunkedArray, field: pa.Field) -> list[str | None]:
    """The texts of a field's values; None where one is blank."""
    kind = field_type(field)
    chunks = values.chunks if isinstance(values, pa.ChunkedArray) else [values]
    texts = [column_text(chunk, kind).to_pylist() for chunk in chunks if len(chunk)]
    return list(chain.from_iterable(texts))


def _once(column: pa.Array) -> pa.Array:
    """Each day of a column once; most often there is one for a tab."""
    if column.null_count == 0 and len(column):
        # As bytes of the buffer: comparing all days with the first costs far less than encoding
        # them.
        days = np.frombuffer(column.buffers()[1], np.int32)[column.offset :][: len(column)]
        if (days == days[0]).all():
            zeros = pa.py_buffer(bytes(4 * len(column)))
            indices = pa.Array.from_buffers(pa.int32(), len(column), [None, zeros])
            return pa.DictionaryArray.from_arrays(indices, column.slice(0, 1))
    return column.dictionary_encode()


def _number_text(column: pa.Array) -> pa.Array:
    """The shortest text that reads back as the same number; whole numbers with all their digits."""
    text = column.cast(pa.string())
    # Above that limit a float has no exact digits any more.
    whole = pc.and_(pc.equal(pc.round(column), column), pc.less(pc.abs(column), _EXACT))
    if not pc.any(whole).as_py():
        return text
    digits = pc.if_else(whole, column, None).cast(pa.int64()).cast(pa.string())
    return pc.if_else(whole, digits, text)


def _quoted(text: pa.Array, mark: str) -> pa.Array:
    """Put quotes around the texts that hold the separator, a quote or a line break."""
    # Read by a person, quotes where none are needed are noise; so they are put only where RFC
    # 4180 asks for them.
    needs = pc.match_substring_regex(text, f'[{mark}"\r\n]')
    doubled = pc.replace_substring(text, '"', '""')
    return pc.if_else(needs, pc.binary_join_element_wise('"', doubled, '"', ""), text)


def _structural(columns: Sequence[pa.Array], mark: str) -> bool:
    """Whether a text needs quotes: the bytes of all are checked in one step.

    Numbers never do, and an array that is not dictionary-encoded here is a column of numbers.
    """
    texts = (column.dictionary for column in columns if pa.types.is_dictionary(column.type))
    content = b" ".join(map(_content, texts))
    return any(sign in content for sign in (mark.encode(), *_SIGNS))


def _content(lines: pa.Array) -> memoryview:
    """The bytes of all texts of an array, concatenated, without copying them."""
    _, offsets, data = lines.buffers()
    if data is None:
        return memoryview(b"")
    ends = memoryview(offsets).cast("i")
    return memoryview(data)[ends[lines.offset] : ends[lines.offset + len(lines)]]
