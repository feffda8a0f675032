"""Arrow arrays of values, as the steps of reading make and take them."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.reading.values.form import TEXT


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
