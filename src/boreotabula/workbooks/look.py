"""What the fast reader does not tell of a sheet: found by a look into the file itself.

The reader gives an error value, and a formula without a stored result, as blank cells. Read so,
a number would vanish without a word; so each kind of file is looked into.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from boreotabula.layout.addresses import address
from boreotabula.workbooks.errors import UnreadableError
from boreotabula.workbooks.limits import Limits
from boreotabula.workbooks.sheet import Cell, Span, TableObject

ERROR_TEXTS = {
    0x00: "#NULL!", 0x07: "#DIV/0!", 0x0F: "#VALUE!", 0x17: "#REF!", 0x1D: "#NAME?",
    0x24: "#NUM!", 0x2A: "#N/A", 0x2B: "#GETTING_DATA",
}  # fmt: skip
"""Error values by their code, [MS-XLS] 2.5.10 and [MS-XLSB] 2.5.98.2."""

NO_RESULT = "(a formula without a stored result)"


@dataclass(frozen=True)
class Look:
    """What was seen in one sheet; rows and columns counted from 0."""

    cells: Mapping[tuple[int, int], Cell] = field(default_factory=dict)
    """Cells that the reader gives wrongly: error values, formulas without a result, and others."""
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    merges: tuple[Span, ...] | None = None
    """Merged ranges, if the reader does not tell them."""
    tables: tuple[TableObject, ...] = ()
    formats: Mapping[tuple[int, int], str] = field(default_factory=dict)
    """The number formats of cells that may hold codes such as 007."""


@dataclass(frozen=True)
class NamedCell:
    """The cell that a defined name of a workbook stands for; `tab` is the name of its sheet."""

    tab: str
    row: int
    column: int


class Inside(Protocol):
    """The inside of an open workbook."""

    def look(self, number: int, name: str) -> Look:
        """Look into a sheet, named and numbered among all sheets of the workbook.

        Raises UnreadableError if its cells span more than may be read.
        """

    def names(self) -> Mapping[str, NamedCell]:
        """The defined names that stand for one cell (or the first of a range)."""

    def close(self) -> None:
        """Let go of the file."""


def check_extent(row: int, column: int, limits: Limits) -> None:
    """Raises UnreadableError if the cells from A1 to a place are more than may be read."""
    if (row + 1) * (column + 1) > limits.cells:
        raise UnreadableError(
            f"its cells reach as far as {address(row, column)}, more than a table needs: most of"
            " the sheet would be blank",
            "Delete the rows and columns beyond the table, and save the file again.",
        )
