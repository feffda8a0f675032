"""Arrow arrays of values, as the steps of reading make and take them."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.reading.values.form import TEXT


def plain_type(kind: pa.DataType) -> pa.DataType:
    """The type of values that are not dictionary-encoded."""
    return kind.value_type if pa.types.is_dictionary(kind) else kind


def plain_schema(schema: pa.Schema) -> pa.Schema:
    """A schema without dictionary-encoded texts: the dictionaries of several files differ."""
    return pa.schema([field.with_type(plain_type(field.type)) for field in schema])


def decoded(column: pa.Array) -> pa.Array:
    """A column with plain values, not dictionary-encoded ones."""
    dictionary = pa.types.is_dictionary(column.type)
    return pc.take(column.dictionary, column.indices) if dictionary else column


def taken(values: pa.Array, places: NDArray[np.integer[Any]]) -> pa.Array:
    """The values at some indices."""
    if pa.types.is_dictionary(values.type) and not values.null_count:
        # Arrow's own way takes several times as long for the few thousand values of a tab.
        indices = values.indices.to_numpy()[places]
        return pa.DictionaryArray.from_arrays(pa.array(indices), values.dictionary, safe=False)
    return values.take(pa.array(places))


def repeated(value: pa.Array, length: int) -> pa.Array:
    """An array of one value `length` times; a text as a dictionary array."""
    if pa.types.is_string(value.type):
        return pa.DictionaryArray.from_arrays(_zeros(length), value, safe=False)
    return value.take(_zeros(length))


def blank(kind: pa.DataType, length: int) -> pa.Array:
    """Empty values of a type."""
    if kind == TEXT:
        return pa.array([None] * length, pa.string()).dictionary_encode()
    return pa.nulls(length, kind)


@lru_cache(maxsize=64)
def _zeros(length: int) -> pa.Array:
    return pa.Array.from_buffers(pa.int32(), length, [None, pa.py_buffer(bytes(4 * length))])
