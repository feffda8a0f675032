"""The cost of values in bits: a reading that takes fewer explains its tabs better.

Minimum description length (Rissanen 1978): the shorter of two descriptions is the likelier one, and
each bit between them doubles the odds.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import log2

import numpy as np
from numpy.typing import NDArray

LETTER = 4.7
"""A letter is one of 26."""
TYPE = 3.3
"""A type is one of ten."""
KEY = 8.0
"""A key of a layout, and its place."""
NAME = 4.0
"""Which of the texts of a form is meant: it need not be spelt out."""
CLEARLY = 10.0
"""One reading must be better than another by this many bits to be taken: odds of 1,000 to 1."""


def bits_of_letters(text: str) -> float:
    """The cost of a text letter by letter, with the sign that ends it."""
    return LETTER * (len(text) + 1)


def bits_of_numbers(values: NDArray[np.float64]) -> float:
    """The cost of some numbers: the ends of their range, then each within it."""
    if not len(values):
        return 0.0
    decimals = next((n for n in range(4) if np.allclose(values * 10**n % 1, 0, atol=1e-6)), 4)
    low, high = float(values.min()) * 10**decimals, float(values.max()) * 10**decimals
    ends = log2(abs(low) + 2) + log2(abs(high) + 2)
    return float(ends + len(values) * log2(high - low + 1))


def bits_of_texts(texts: Sequence[str]) -> float:
    """The cost of some texts: each letter by letter at its first occurrence, by index later."""
    known_texts: set[str] = set()
    bits = 0.0
    for text in texts:
        bits += log2(len(known_texts) + 2)  # which of those, or a new one
        if text not in known_texts:
            known_texts.add(text)
            bits += bits_of_letters(text)
    return bits


def bits_of_presence(filled: int, places: int) -> float:
    """The cost of saying which of some places are filled (the entropy of their share)."""
    if not 0 < filled < places:
        return 0.0
    share = filled / places
    return -places * (share * log2(share) + (1 - share) * log2(1 - share))
