"""The cells of a workbook as texts that can be compared with records."""

from __future__ import annotations

from collections.abc import Sequence

import pyarrow as pa

from boreotabula.stores.csv import column_text, field_type

EXACT_DIGITS = 15
"""Whole numbers with more digits are texts in a sheet."""

MARK = "\x00"


def one_gap(text: str) -> str:
    """A text with single blanks as white space: spreadsheet programs do not preserve all of it."""
    return " ".join(text.split())


def strings_of(values: pa.Array | pa.ChunkedArray, value: pa.Field) -> list[str]:
    """Values as in CSV, blanks as empty texts."""
    kind = field_type(value)
    chunks = values.chunks if isinstance(values, pa.ChunkedArray) else [values]
    strings: list[str] = []
    for chunk in chunks:
        if len(chunk):
            strings += [one_gap(text or "") for text in column_text(chunk, kind).to_pylist()]
    return strings


def decoded_schema(schema: pa.Schema) -> pa.Schema:
    """A schema without dictionary-encoded texts: the dictionaries of several files differ."""
    return pa.schema(
        value.with_type(value.type.value_type) if pa.types.is_dictionary(value.type) else value
        for value in schema
    )


def plain_texts(texts: Sequence[str]) -> list[str]:
    return [text.removeprefix(MARK) for text in texts]
