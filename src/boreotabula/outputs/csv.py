"""CSV as RFC 4180 has it: UTF-8, commas (or tabs), CRLF, quotes where needed.

Whole columns are turned into text and joined by Arrow; a text that repeats is looked at once.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from itertools import product
from typing import BinaryIO

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pa_csv

from boreotabula.texts import FORMULA, GUARD

_APART = "\x1f"
_SIGNS = (b'"', b"\n", b"\r", _APART.encode())
_PLAIN = pa_csv.WriteOptions(include_header=False, quoting_style="none", delimiter=_APART)
_AT_ONCE = 200_000
_EXACT = 1e15
"""Below this, whole floats are written without exponent or decimal point."""


class CsvWriter:
    """Writes record batches of one schema to a stream; the heading line is written at once.

    `mark` stands between values: a comma, or a tab.
    """

    def __init__(self, stream: BinaryIO, schema: pa.Schema, mark: str = ",") -> None:
        self._stream, self._mark = stream, mark
        self._kinds = [field_type(field) for field in schema]
        self._guarded = _GUARDED in (schema.metadata or {})
        names = _quoted(pa.array(schema.names, pa.string()), mark)
        stream.write((mark.join(names.to_pylist()) + "\r\n").encode())

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch, so many at a time: their texts take much memory."""
        for start in range(0, batch.num_rows, _AT_ONCE):
            self._write(batch.slice(start, _AT_ONCE))

    def _write(self, batch: pa.RecordBatch) -> None:
        columns = [
            column_text(column, kind)
            for column, kind in zip(batch.columns, self._kinds, strict=True)
        ]
        if self._guarded:
            columns = [
                _guarded(column) if kind == "text" else column
                for column, kind in zip(columns, self._kinds, strict=True)
            ]
        if _structural(columns, self._mark):
            self._stream.write(_quoted_lines(columns, self._mark))
        else:
            self._stream.write(_plain_lines(columns, self._mark))


_GUARDED = b"texts_guarded"


def guarded(schema: pa.Schema) -> pa.Schema:
    """A schema whose texts are written so that no spreadsheet program takes one for a formula."""
    return schema.with_metadata({**(schema.metadata or {}), _GUARDED: b"1"})


def _guarded(texts: pa.DictionaryArray) -> pa.DictionaryArray:
    """Texts with an apostrophe before those that would be formulas."""
    known = texts.dictionary
    risky = pc.match_substring_regex(known, FORMULA)
    safe = pc.if_else(risky, pc.binary_join_element_wise(GUARD, known, ""), known)
    return pa.DictionaryArray.from_arrays(texts.indices, safe)


def csv_rows(table: pa.Table) -> list[list[str]]:
    """The heading and the records of a small table as the texts that CSV holds."""
    stream = io.BytesIO()
    writer = CsvWriter(stream, table.schema)
    for batch in table.to_batches():
        writer.write(batch)
    return list(csv.reader(io.StringIO(stream.getvalue().decode(), newline="")))


def _plain_lines(columns: list[pa.Array], mark: str) -> bytes:
    """Lines of texts that need no quotes, by Arrow's own writer.

    Neighbours that repeat much are joined beforehand. The writer is told to set columns apart by
    a sign that is in no text, so that it lets the marks within joined texts pass.
    """
    texts = [_decoded(column) for column in _neighbours_joined(columns, mark)]
    batch = pa.RecordBatch.from_arrays(texts, names=list(map(str, range(len(texts)))))
    stream = pa.BufferOutputStream()
    with pa_csv.CSVWriter(stream, batch.schema, write_options=_PLAIN) as writer:
        writer.write(batch)
    content: bytes = stream.getvalue().to_pybytes()
    return content.replace(b"\n", b"\r\n").replace(_APART.encode(), mark.encode())


def _neighbours_joined(columns: list[pa.Array], mark: str) -> list[pa.Array]:
    """Columns of few different texts joined to their neighbours, as long as pairs stay few."""
    joined: list[pa.Array] = []
    run: list[pa.Array] = []
    pairs = 1
    for column in columns:
        different = _different(column)
        if run and (not different or 4 * pairs * different > len(column)):
            joined.append(_paired(run, mark))
            run, pairs = [], 1
        if different:
            run.append(column)
            pairs *= different
        else:
            joined.append(column)
    return [*joined, _paired(run, mark)] if run else joined


def _different(column: pa.Array) -> int:
    """Number of texts of a dictionary column; 0 for all columns that are not joined."""
    if not pa.types.is_dictionary(column.type):
        return 0
    texts = column.dictionary
    return 0 if column.null_count or texts.null_count else len(texts)


def _paired(columns: list[pa.Array], mark: str) -> pa.Array:
    """Dictionary columns as one, its texts joined by the mark."""
    if len(columns) == 1:
        return columns[0]
    texts = list(map(mark.join, product(*(one.dictionary.to_pylist() for one in columns))))
    indices = columns[0].indices
    for column in columns[1:]:
        if len(column.dictionary) > 1:
            width = pa.scalar(len(column.dictionary), pa.int32())
            indices = pc.add(pc.multiply(indices, width), column.indices)
    # A list without a type would have its type looked for, which costs more than all the rest.
    return pa.DictionaryArray.from_arrays(indices, pa.array(texts, pa.string()))


def _decoded(column: pa.Array) -> pa.Array:
    if pa.types.is_dictionary(column.type):
        return pc.take(column.dictionary, column.indices, boundscheck=False)
    return column


def _quoted_lines(columns: list[pa.Array], mark: str) -> memoryview:
    """Lines with quotes round the texts that need them: Arrow's writer would quote every text."""
    texts = [_quoted(_decoded(column), mark) for column in columns]
    lines = pc.binary_join_element_wise(*texts, mark, null_handling="replace", null_replacement="")
    return _content(pc.binary_join_element_wise(lines, "", "\r\n"))


def field_type(field: pa.Field) -> str:
    """The layout's type of a column, as `record_schema` notes it."""
    metadata = field.metadata or {}
    return str(metadata.get(b"field_type", b"text").decode())


def column_text(column: pa.Array, kind: str) -> pa.Array:
    """The texts of a column: an array of texts, or a dictionary array of them."""
    if kind == "text":
        return column if pa.types.is_dictionary(column.type) else column.dictionary_encode()
    if kind == "month":
        days = _once(column)
        months = [
            None if day is None else day.isoformat()[:7] for day in days.dictionary.to_pylist()
        ]
        return pa.DictionaryArray.from_arrays(days.indices, pa.array(months, pa.string()))
    if kind == "datetime":
        return pc.replace_substring(column.cast(pa.string()), " ", "T")
    if pa.types.is_floating(column.type):
        return _number_text(column)
    return column.cast(pa.string())


def _once(column: pa.Array) -> pa.Array:
    """Each value of a column that repeats few of them once; most often it is one for a tab."""
    if column.null_count == 0 and column[0] == column[-1]:
        ends = pc.min_max(column)
        if ends["min"] == ends["max"]:
            zeros = pa.py_buffer(bytes(4 * len(column)))
            indices = pa.Array.from_buffers(pa.int32(), len(column), [None, zeros])
            return pa.DictionaryArray.from_arrays(indices, column.slice(0, 1))
    return column.dictionary_encode()


def _number_text(column: pa.Array) -> pa.Array:
    """Shortest text that reads back as the same number; whole numbers with all their digits."""
    text = column.cast(pa.string())
    whole = pc.and_(pc.equal(pc.round(column), column), pc.less(pc.abs(column), _EXACT))
    if not pc.any(whole).as_py():
        return text
    digits = pc.if_else(whole, column, None).cast(pa.int64()).cast(pa.string())
    return pc.if_else(whole, digits, text)


def _quoted(text: pa.Array, mark: str) -> pa.Array:
    """Put quotes round the texts that hold the mark, a quote or a line break."""
    needs = pc.match_substring_regex(text, f'[{mark}"\r\n]')
    doubled = pc.replace_substring(text, '"', '""')
    return pc.if_else(needs, pc.binary_join_element_wise('"', doubled, '"', ""), text)


def _structural(columns: Sequence[pa.Array], mark: str) -> bool:
    """Whether a text needs care: the bytes of all are looked at in one go.

    Numbers never do, and what is no dictionary by now is a column of numbers.
    """
    texts = (one.dictionary for one in columns if pa.types.is_dictionary(one.type))
    content = b" ".join(map(_content, texts))
    return any(sign in content for sign in (mark.encode(), *_SIGNS))


def _content(lines: pa.Array) -> memoryview:
    """The bytes of all texts of an array, one after the other, without copying them."""
    _, offsets, data = lines.buffers()
    if data is None:
        return memoryview(b"")
    ends = memoryview(offsets).cast("i")
    return memoryview(data)[ends[lines.offset] : ends[lines.offset + len(lines)]]
