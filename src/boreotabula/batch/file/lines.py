"""Records as digests, so that repeated tabs are recognised without keeping them."""

from __future__ import annotations

from base64 import b64decode, b64encode
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from hashlib import blake2b
from operator import itemgetter

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.layout.model import PROVENANCE

KEPT = 48
"""This many lines of a tab are kept: those with the smallest digests, which are the same ones on
tabs with the same records (a bottom-k sketch: A. Broder, On the resemblance and containment of
documents, 1997)."""
_BASIS = np.uint64(0xCBF29CE484222325)
_PRIME = np.uint64(0x100000001B3)  # both of FNV-1a, 64 bits

Digests = NDArray[np.uint64]


@dataclass(frozen=True)
class LineDigests:
    """Some lines of a tab as digests: the subject of each, in order, and its numbers.

    A line is all records that share a value of the field with the most values, such as the lot;
    values that all records of the tab share belong to it.
    """

    words: Digests
    numbers: Digests


def pack_lines(tables: Mapping[str, Mapping[str, pa.Array]], stamps: Mapping[str, object]) -> str:
    """Some lines of a tab, for `read_lines`, as a text: most tabs are never read again, and there
    may be very many.

    `tables` holds the columns of each output table by field, `stamps` what all its records share.
    """
    # An empty start, so that a tab without records needs no case of its own.
    words, numbers = [np.zeros(0, np.uint64)], [np.zeros(0, np.uint64)]
    for columns in tables.values():
        summed: list[pa.Array] = []
        # Each as a dictionary, with its length: Arrow makes an object each time it is asked.
        telling: list[tuple[int, pa.DictionaryArray]] = []
        shared: list[str] = []
        # Numbers are summed by line; everything else tells what a line is about.
        for name, column in columns.items():
            if name in PROVENANCE:
                continue
            if name in stamps:
                shared.append(str(stamps[name]))
            elif _is_number(kind := column.type):
                summed.append(column)
            else:
                if not pa.types.is_dictionary(kind):
                    column = column.dictionary_encode()
                telling.append((len(column.dictionary), column))
        once = [column for size, column in telling if size == 1 and not column.null_count]
        shared += [str(column.dictionary[0]) for column in once]
        varying = [pair for pair in telling if pair[0] > 1]
        if varying:
            # The field with most values is the finest that still groups: a lot, a site, a day.
            size, by = max(varying, key=itemgetter(0))
            places = by.indices
            if by.null_count:
                # A blank belongs to no line; it gets a place of its own that is cut off below.
                places = pc.fill_null(places, size)
            where = places.to_numpy(zero_copy_only=False)
            counts = np.bincount(where, minlength=size + 1)[:size]
            mask = counts > 0
            words.append(_words(by, shared)[mask])
            numbers.append(_numbers(summed, where, counts)[mask])
    # Sorted and without repeats, which makes comparing two tabs a merge of two sorted arrays.
    every, first = np.unique(np.concatenate(words), return_index=True)
    # Words that all records share, or none, tell no record from another.
    if len(every) <= 1:
        return ""
    kept = np.concatenate([every[:KEPT], np.concatenate(numbers)[first[:KEPT]]])
    # In a fixed byte order, as results may be kept on a drive that two machines share.
    return b64encode(kept.astype("<u8").tobytes()).decode()


def read_lines(text: str) -> LineDigests:
    """The digests in the text that was kept."""
    words, numbers = np.frombuffer(b64decode(text), "<u8").reshape(2, -1)
    return LineDigests(words, numbers)


def _is_number(kind: pa.DataType) -> bool:
    is_number = pa.types.is_integer(kind) or pa.types.is_floating(kind)
    return bool(is_number or pa.types.is_decimal(kind))


def _words(by: pa.DictionaryArray, shared: Sequence[str]) -> Digests:
    """A digest for each value of a field, and for what all records share."""
    digests = np.array([_of_text(str(value)) for value in by.dictionary.to_pylist()], np.uint64)
    with np.errstate(over="ignore"):
        # What all records share is folded in, so that equal lines of two months differ.
        digests = (digests ^ np.uint64(_of_text("\n".join(shared)))) * _PRIME
        # Without it, small differences would stay in the lowest bits.
        digests ^= digests >> np.uint64(29)
    return digests


def _numbers(
    summed: Sequence[pa.Array], where: NDArray[np.intp], counts: NDArray[np.intp]
) -> Digests:
    """A digest of the sums of each line, and of its number of records."""
    digests = counts.astype(np.uint64) ^ _BASIS
    with np.errstate(over="ignore"):
        for column in summed:
            # The usual column is there as it is: no copy is made of it.
            if pa.types.is_decimal(column.type):
                column = column.cast(pa.float64(), safe=False)
            weights = column.to_numpy(zero_copy_only=False)
            weights = np.nan_to_num(weights) if column.null_count else weights
            sums = np.bincount(where, weights, len(counts) + 1)[: len(counts)]
            # In another order of the records the last digit may differ.
            digests = (digests ^ np.round(sums, 6).view(np.uint64)) * _PRIME
            digests ^= digests >> np.uint64(29)
    return digests


@lru_cache(maxsize=65536)
def _of_text(text: str) -> int:
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest(), "big")
