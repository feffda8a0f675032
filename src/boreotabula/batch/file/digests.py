"""A digest of a tab's records, by which copies are recognised."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from hashlib import blake2b

import numpy as np
import pyarrow as pa


def records_digest(tables: Mapping[str, Mapping[str, pa.Array]], without: Collection[str]) -> str:
    """A digest of a tab's records without some fields, for any number of tables.

    `tables` holds the columns of each output table by field. Equal records have equal digests only
    if their arrays were built alike, as those of similar tabs are.
    """
    # Not a digest against attack, but short and fast, as it is made for each tab.
    result = blake2b(digest_size=16)
    records = 0
    for table, columns in tables.items():
        count = max(map(len, columns.values()), default=0)
        records += count
        result.update(f"{table} {count}".encode())
        # The number of columns may differ with the stamps, so each is told by its name.
        for name, column in columns.items():
            if name not in without:
                result.update(name.encode())
                _take(result, column)
    return result.hexdigest() if records else ""


_FEW = 128
"""Up to this many different texts can be coded in one byte each."""


def _take_texts(result: blake2b, texts: pa.Array) -> None:
    # The bytes of the buffers, not the values: nothing is made into an object of Python.
    _, offsets, data = texts.buffers()
    # A slice shares the buffer of the whole, so the offset counts.
    ends = np.frombuffer(offsets, np.int32)[texts.offset :][: len(texts) + 1]
    result.update(np.diff(ends).tobytes())
    if data is not None:
        result.update(memoryview(data)[ends[0] : ends[-1]])


def _take(result: blake2b, column: pa.Array) -> None:
    if pa.types.is_dictionary(column.type):
        _take_texts(result, column.dictionary)
        # One byte for each record instead of four; the texts themselves are in the digest
        # already.
        if len(column.dictionary) <= _FEW and not column.null_count:
            result.update(column.indices.to_numpy().astype(np.int8).tobytes())
            return
        column = column.indices
    if column.null_count:
        # Where the gaps are is part of what a column says.
        result.update(memoryview(column.is_valid().cast(pa.int8()).buffers()[1]))
        if pa.types.is_boolean(column.type):
            column = column.cast(pa.int8())
        column = column.drop_null()
    elif pa.types.is_boolean(column.type):
        # Arrow packs eight of them into a byte, which may begin within one.
        column = column.cast(pa.int8())
    data = column.buffers()[1]
    if data is not None and len(column):
        width = column.type.bit_width // 8
        start, end = column.offset * width, (column.offset + len(column)) * width
        result.update(memoryview(data)[start:end])
