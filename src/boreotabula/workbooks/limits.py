"""How much a file may ask for: hostile and broken files must not take the machine with them."""

from __future__ import annotations

from dataclasses import dataclass

MEBI = 2**20
MOST_CELLS = 20_000_000
"""Cells of the rectangle that spans all filled cells of a tab; more would take gigabytes."""


@dataclass(frozen=True)
class Limits:
    """`inflated` is the most bytes that one part of a zipped file may grow to."""

    inflated: int = 1024 * MEBI
    cells: int = MOST_CELLS
