"""Pair the records of two sides; those with the same key are paired too."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.review.compare.parts import arrays_of, joined_texts

Places = NDArray[np.int64]


@dataclass(frozen=True)
class Pairing:
    """Indices of records: equal pairs, pairs that differ, and those of one side only."""

    same: int
    before: Places
    """For pairs that differ the record before; `after` holds its partner."""
    after: Places
    gone: Places
    new: Places


def pair(before: pa.Table, after: pa.Table, key: Sequence[str], values: Sequence[str]) -> Pairing:
    """Pair records of the same key: first those with all values equal, then in order.

    Otherwise order is ignored.
    """
    # One text for each record is compared faster than several columns.
    keys = [joined_texts(arrays_of(value, key)) for value in (before, after)]
    wholes = [
        joined_texts([keys[index].cast(pa.string()), *arrays_of(value, values)])
        for index, value in enumerate((before, after))
    ]
    # Equal records first: of two with the same key only the other one has changed.
    old, new = _matched(*_codes(*wholes))
    left_old, left_new = _others(old, before.num_rows), _others(new, after.num_rows)
    some_old, some_new = _matched(
        *_codes(keys[0].take(pa.array(left_old)), keys[1].take(pa.array(left_new)))
    )
    return Pairing(
        len(old),
        left_old[some_old],
        left_new[some_new],
        left_old[_others(some_old, len(left_old))],
        left_new[_others(some_new, len(left_new))],
    )


def _codes(value: pa.Array, other: pa.Array) -> tuple[Places, Places]:
    """A number for each text, the same on both sides."""
    whole = pa.chunked_array([value, other]).combine_chunks().dictionary_encode()
    codes = whole.indices.to_numpy(zero_copy_only=False).astype(np.int64)
    return codes[: len(value)], codes[len(value) :]


def _matched(places: Places, other_places: Places) -> tuple[Places, Places]:
    """Indices of both sides that hold the same number, each used once, in order."""
    high = int(max(places.max(initial=0), other_places.max(initial=0))) + 1
    first, second = (_times(codes) * high + codes for codes in (places, other_places))
    _, intersect1d, there = np.intersect1d(first, second, assume_unique=True, return_indices=True)
    order = np.argsort(intersect1d, kind="stable")
    return intersect1d[order].astype(np.int64), there[order].astype(np.int64)


def _times(codes: Places) -> Places:
    """How many equal numbers stand before each, in order."""
    # Stable, so that the first of one side meets the first of the other.
    order = np.argsort(codes, kind="stable")
    ordered = codes[order]
    starts = np.flatnonzero(np.r_[True, ordered[1:] != ordered[:-1]]) if len(codes) else order
    lengths = np.diff(np.r_[starts, len(codes)])
    times = np.empty(len(codes), np.int64)
    times[order] = np.arange(len(codes)) - np.repeat(starts, lengths)
    return times


def _others(places: Places, length: int) -> Places:
    left = np.ones(length, bool)
    left[places] = False
    return np.flatnonzero(left)
