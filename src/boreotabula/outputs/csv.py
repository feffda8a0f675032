"""CSV as RFC 4180 has it: UTF-8, commas, CRLF, quotes where needed.

Whole columns are turned into text and joined by Arrow; a text that repeats is looked at once.
"""

from __future__ import annotations

from typing import BinaryIO

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pa_csv

_NEEDS_QUOTES = '[",\r\n]'
_SIGNS = (b",", b'"', b"\n", b"\r")
_PLAIN = pa_csv.WriteOptions(include_header=False, quoting_style="none", eol="\r\n")
_EXACT = 1e15
"""Below this, whole floats are written without exponent or decimal point."""


class CsvWriter:
    """Writes record batches of one schema to a stream; the heading line is written at once."""

    def __init__(self, stream: BinaryIO, schema: pa.Schema) -> None:
        self._stream = stream
        self._kinds = [field_type(field) for field in schema]
        names = _quoted(pa.array(schema.names, pa.string()))
        stream.write((",".join(names.to_pylist()) + "\r\n").encode())

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""
        if not batch.num_rows:
            return
        columns = [
            _text(column, kind) for column, kind in zip(batch.columns, self._kinds, strict=True)
        ]
        if any(map(_structural, columns)):
            self._stream.write(_quoted_lines(columns))
        else:
            self._stream.write(_plain_lines(columns))


def _plain_lines(columns: list[pa.Array]) -> pa.Buffer:
    """Lines of texts that need no quotes, by Arrow's own writer."""
    texts = [_decoded(column) for column in columns]
    batch = pa.RecordBatch.from_arrays(texts, names=list(map(str, range(len(texts)))))
    stream = pa.BufferOutputStream()
    with pa_csv.CSVWriter(stream, batch.schema, write_options=_PLAIN) as writer:
        writer.write(batch)
    return stream.getvalue()


def _decoded(column: pa.Array) -> pa.Array:
    if pa.types.is_dictionary(column.type):
        return column.dictionary.take(column.indices)
    return column


def _quoted_lines(columns: list[pa.Array]) -> memoryview:
    """Lines with quotes round the texts that need them: Arrow's writer would quote every text."""
    texts = [_quoted(_decoded(column)) for column in columns]
    lines = pc.binary_join_element_wise(*texts, ",", null_handling="replace", null_replacement="")
    return _content(pc.binary_join_element_wise(lines, "", "\r\n"))


def field_type(field: pa.Field) -> str:
    """The layout's type of a column, as `record_schema` notes it."""
    metadata = field.metadata or {}
    return str(metadata.get(b"field_type", b"text").decode())


def _text(column: pa.Array, kind: str) -> pa.Array:
    """The texts of a column: an array of texts, or a dictionary array of them."""
    if pa.types.is_dictionary(column.type):
        return column
    if kind == "month":
        days = column.dictionary_encode()  # few months, many records
        months = pc.utf8_slice_codeunits(days.dictionary.cast(pa.string()), 0, 7)
        return pa.DictionaryArray.from_arrays(days.indices, months)
    if pa.types.is_floating(column.type):
        return _number_text(column)
    return column.cast(pa.string())


def _number_text(column: pa.Array) -> pa.Array:
    """Shortest text that reads back as the same number; whole numbers with all their digits."""
    text = column.cast(pa.string())
    whole = pc.and_(pc.equal(pc.round(column), column), pc.less(pc.abs(column), _EXACT))
    if not pc.any(whole).as_py():
        return text
    digits = pc.if_else(whole, column, None).cast(pa.int64()).cast(pa.string())
    return pc.if_else(whole, digits, text)


def _quoted(text: pa.Array) -> pa.Array:
    """Put quotes round the texts that hold a comma, a quote or a line break."""
    needs = pc.match_substring_regex(text, _NEEDS_QUOTES)
    doubled = pc.replace_substring(text, '"', '""')
    return pc.if_else(needs, pc.binary_join_element_wise('"', doubled, '"', ""), text)


def _structural(column: pa.Array) -> bool:
    """Whether a text of a column needs care: the bytes of all are looked at in one go."""
    texts = column.dictionary if pa.types.is_dictionary(column.type) else column
    if not pa.types.is_string(texts.type):
        return False
    content = bytes(_content(texts))
    return any(sign in content for sign in _SIGNS)


def _content(lines: pa.Array) -> memoryview:
    """The bytes of all texts of an array, one after the other, without copying them."""
    _, offsets, data = lines.buffers()
    if data is None:
        return memoryview(b"")
    ends = memoryview(offsets).cast("i")
    return memoryview(data)[ends[lines.offset] : ends[lines.offset + len(lines)]]
