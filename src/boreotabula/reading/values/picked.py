"""Cells picked from a sheet, to be converted together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import overload

import numpy as np
from numpy.typing import NDArray

from boreotabula.sheets.sheet import Cell, CellKind, Sheet

Places = NDArray[np.intp]
"""Rows or columns, counted from 0, or indices."""


class Picked(Sequence[Cell]):
    """Cells of a sheet, including blank ones, where each is, and their kinds and numbers as arrays.

    `rows` and `columns` have one entry for each cell. A column of -1 means that there is no cell,
    which counts as a blank one.
    """

    def __init__(self, sheet: Sheet, rows: Places, columns: Places) -> None:
        self.sheet, self.rows, self.columns = sheet, rows, columns
        # Copies: cells can be left out without a change to the sheet.
        self.kinds: NDArray[np.uint8] = sheet.kinds[rows, columns]
        self.numbers: NDArray[np.float64] = sheet.numbers[rows, columns]
        # The last column was taken for it, as -1 means in arrays.
        absent = columns < 0
        if absent.any():
            self.kinds[absent], self.numbers[absent] = CellKind.BLANK, np.nan

    @property
    def filled(self) -> NDArray[np.bool_]:
        """A mask of the filled cells."""
        mask: NDArray[np.bool_] = self.kinds != CellKind.BLANK
        return mask

    def take(self, places: Places) -> Picked:
        """The cells at some indices."""
        return Picked(self.sheet, self.rows[places], self.columns[places])

    def leave_out(self, places: Sequence[int]) -> None:
        """Make the cells at some indices count as blank."""
        self.columns[places] = -1
        self.kinds[places], self.numbers[places] = CellKind.BLANK, np.nan

    def __len__(self) -> int:
        return len(self.rows)

    @overload
    def __getitem__(self, index: int) -> Cell: ...
    @overload
    def __getitem__(self, slice_: slice) -> list[Cell]: ...
    def __getitem__(self, value: int | slice) -> Cell | list[Cell]:
        if isinstance(value, slice):
            return [self[index] for index in range(len(self))[value]]
        column = self.columns[value]
        return self.sheet.rows[self.rows[value]][column] if column >= 0 else ""

    def __iter__(self) -> Iterator[Cell]:
        rows = self.sheet.rows
        for row, column in zip(self.rows.tolist(), self.columns.tolist(), strict=True):
            yield rows[row][column] if column >= 0 else ""
