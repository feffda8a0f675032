"""What the cells of a tab look like: texts, figures, or nothing; and runs of them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.cells import reads_as_figure
from boreotabula.sheets.sheet import CellKind, Sheet

TEXT, FIGURE = 1, 2
"""What a filled cell looks like; 0 is blank."""


Looks = NDArray[np.uint8]


def looks_of(sheet: Sheet) -> Looks:
    """What each cell of a sheet looks like; a text that reads as a number or date is a figure."""
    looks: Looks = np.where(sheet.filled, np.uint8(FIGURE), np.uint8(0))
    for row, column, text in sheet.texts():
        code = text.strip()[:1] == "0" and text.strip().isdigit() and len(text.strip()) > 1
        looks[row, column] = FIGURE if reads_as_figure(text) and not code else TEXT
    looks[sheet.kinds == CellKind.OTHER] = FIGURE
    return looks


def first_blank(looks: Looks, start: int) -> int:
    """The first of some rows that is blank; `start` is the number of the first of them."""
    filled: list[bool] = np.logical_or.reduce(looks > 0, axis=1).tolist()
    return start + (filled.index(False) if False in filled else len(filled))


def runs_of(used: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """The runs of columns that hold anything."""
    start: int | None = None
    for at, there in enumerate([*used.tolist(), False]):
        if there and start is None:
            start = at
        elif not there and start is not None:
            yield start, at
            start = None


def columns_of(body: Looks) -> tuple[int, ...]:
    """What most filled cells of each column look like."""
    figures = np.count_nonzero(body == FIGURE, axis=0)
    texts = np.count_nonzero(body == TEXT, axis=0)
    found = np.where(figures > texts, FIGURE, np.where(texts, TEXT, 0))
    return tuple(int(one) for one in found)
