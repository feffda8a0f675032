"""The look of a tab's cells: texts, figures, or nothing; and runs of them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from boreotabula.look.repeats import Repeats
from boreotabula.look.texts.types import DASHES, FOOTNOTE_SIGNS
from boreotabula.reading.cells import reads_as_figure
from boreotabula.sheets.sheet import CellKind, Sheet

TEXT, FIGURE = 1, 2
"""The look of a filled cell; 0 is blank."""


Looks = NDArray[np.uint8]


def looks_of(sheet: Sheet) -> Looks:
    """The look of each cell of a sheet; a text that reads as a number or date is a figure.

    It is worked out once for a sheet, as each of its tables may be asked for it.
    """
    looks = _LOOKS.get(sheet)
    if looks is None:
        looks = _LOOKS[sheet] = _looks_in(sheet)
        # All callers share it.
        looks.flags.writeable = False
    return looks


_LOOKS: WeakKeyDictionary[Sheet, Looks] = WeakKeyDictionary()
"""The looks of the sheets that are still in use."""


def _looks_in(sheet: Sheet) -> Looks:
    looks: Looks = np.where(sheet.filled, np.uint8(FIGURE), np.uint8(0))
    for row, column, text in sheet.texts():
        # A bare dash stands where a figure is missing, unless it is the first cell of its column.
        is_missing = text.strip() in DASHES and sheet.filled[:row, column].any()
        looks[row, column] = FIGURE if is_missing else _look_of(text.strip())
    looks[sheet.kinds == CellKind.OTHER] = FIGURE
    return looks


def _look_of(text: str) -> int:
    if reads_as_figure(text):
        code = text[:1] == "0" and text.isdigit() and len(text) > 1
        return TEXT if code else FIGURE
    # A year with the sign of a footnote is a heading.
    number = text.rstrip(FOOTNOTE_SIGNS).rstrip()
    signed = len(text) - len(number) > 0 and number[-1:].isdigit() and not _YEAR.fullmatch(number)
    return FIGURE if signed and reads_as_figure(number) else TEXT


_YEAR = re.compile(r"(?:19|20)\d\d")


@dataclass(frozen=True)
class TabLook:
    """A tab with the look of its cells, and what it shares with other tabs, if that is known."""

    sheet: Sheet
    looks: Looks
    repeats: Repeats | None = None

    @classmethod
    def of(cls, sheet: Sheet, repeats: Repeats | None = None) -> TabLook:
        """The look of a sheet."""
        return cls(sheet, looks_of(sheet), repeats)

    def part(self, rows: range, columns: range) -> Looks:
        """The look of some rows and columns."""
        return self.looks[rows.start : rows.stop, columns.start : columns.stop]

    def row(self, row: int, columns: range) -> Looks:
        """The look of some columns of a row."""
        return self.looks[row, columns.start : columns.stop]

    def body(self, first: int) -> range:
        """The rows from one to the next blank row, as far as they show the content of columns."""
        return range(first, first_blank(self.looks[first : first + _BODY], first))


_BODY = 60
"""This many rows below the headings show the content of a column."""


def first_blank(looks: Looks, start: int) -> int:
    """The first blank row; `start` is the index of the first row."""
    filled: list[bool] = np.logical_or.reduce(looks > 0, axis=1).tolist()
    return start + (filled.index(False) if False in filled else len(filled))


def runs_of(used: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """The runs of filled columns."""
    start: int | None = None
    for index, value in enumerate([*used.tolist(), False]):
        if value and start is None:
            start = index
        elif not value and start is not None:
            yield start, index
            start = None


def looks_of_columns(body: Looks) -> tuple[int, ...]:
    """The look of most filled cells in each column."""
    figures = np.count_nonzero(body == FIGURE, axis=0)
    texts = np.count_nonzero(body == TEXT, axis=0)
    columns = np.where(figures > texts, FIGURE, np.where(texts, TEXT, 0))
    return tuple(int(value) for value in columns)
