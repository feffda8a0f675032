"""Records as digests: tabs that repeat those of others are told without keeping them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from functools import lru_cache
from hashlib import blake2b

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.layout.model import PROVENANCE

KEPT = 48
"""So many records of a tab are kept: those with the smallest digests, which are the same ones on
tabs with the same records (a bottom-k sketch: A. Broder, On the resemblance and containment of
documents, 1997)."""
_BASIS = np.uint64(0xCBF29CE484222325)
_PRIME = np.uint64(0x100000001B3)  # both of FNV-1a, 64 bits

Digests = NDArray[np.uint64]


def lines_of(tables: Mapping[str, pa.RecordBatch]) -> tuple[tuple[int, int], ...]:
    """Some records of a tab: the digest of what each says besides numbers, and of all it says.

    Records that say the same but for numbers are one.
    """
    known: dict[int, int] = {}
    for batch in tables.values():
        if batch.num_rows:
            names = [name for name in batch.schema.names if name not in PROVENANCE]
            numbers = [name for name in names if _is_number(batch.schema.field(name).type)]
            words = _digest(batch, [name for name in names if name not in numbers], _BASIS)
            whole = _digest(batch, numbers, words)
            smallest = np.argsort(words, kind="stable")[: 2 * KEPT].tolist()
            for at in smallest:
                known.setdefault(int(words[at]), int(whole[at]))
    # Words that all records share, or none, tell no record from another.
    return tuple(sorted(known.items())[:KEPT]) if len(known) > 1 else ()


def _is_number(kind: pa.DataType) -> bool:
    return bool(
        pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)
    )


def _digest(batch: pa.RecordBatch, names: Collection[str], start: np.uint64 | Digests) -> Digests:
    digests = np.full(batch.num_rows, start, np.uint64)
    with np.errstate(over="ignore"):
        for name in names:
            digests = (digests ^ _numbers_of(batch.column(name))) * _PRIME
            # Without it, small differences would stay in the lowest bits.
            digests ^= digests >> np.uint64(29)
    return digests


def _numbers_of(column: pa.Array) -> Digests:
    """A number for each value, the same for the same value."""
    if pa.types.is_dictionary(column.type):
        texts = [0 if text is None else _of_text(text) for text in column.dictionary.to_pylist()]
        numbers = np.array([*texts, 0], np.uint64)
        where = pc.fill_null(column.indices, len(texts)).to_numpy(zero_copy_only=False)
        picked: Digests = numbers[where.astype(np.intp)]
        return picked
    if pa.types.is_floating(column.type) or pa.types.is_integer(column.type):
        filled = column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
        bits: Digests = np.nan_to_num(filled, nan=-1.5).astype(np.float64).view(np.uint64)
        return bits
    return np.array([_of_text(str(value)) for value in column.to_pylist()], np.uint64)


@lru_cache(maxsize=65536)
def _of_text(text: str) -> int:
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest(), "big")
