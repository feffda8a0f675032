"""What cells of a workbook say, as texts that can be compared with records."""

from __future__ import annotations

from collections.abc import Sequence

import pyarrow as pa

from boreotabula.stores.csv import column_text, field_type

EXACT_DIGITS = 15
"""Whole numbers of more digits are texts in a sheet."""

MARK = "\x00"


def one_gap(text: str) -> str:
    """A text whose white space is single blanks: spreadsheet programs do not keep all of it."""
    return " ".join(text.split())


def strings_of(values: pa.Array | pa.ChunkedArray, value: pa.Field) -> list[str]:
    """Values as CSV has them, blanks as empty texts."""
    kind = field_type(value)
    chunks = values.chunks if isinstance(values, pa.ChunkedArray) else [values]
    strings: list[str] = []
    for chunk in chunks:
        if len(chunk):
            strings += [one_gap(text or "") for text in column_text(chunk, kind).to_pylist()]
    return strings


def decoded_schema(schema: pa.Schema) -> pa.Schema:
    """A schema whose texts are no entries of a dictionary: those of several files differ."""
    return pa.schema(
        value.with_type(value.type.value_type) if pa.types.is_dictionary(value.type) else value
        for value in schema
    )


def plain_texts(texts: Sequence[str]) -> list[str]:
    return [text.removeprefix(MARK) for text in texts]
