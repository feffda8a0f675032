"""Facts about a sheet that the fast reader does not give: found by searching the file itself.

The reader returns blank cells for an error value, and for a formula without a stored result. A
number would then vanish silently, so each kind of file is searched.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from io import BytesIO
from typing import Protocol, runtime_checkable

from boreotabula.layout.addresses import Address
from boreotabula.limits import FILLED, PLACE, Budget
from boreotabula.sheets.sheet import Cell, Span, TableObject

ERROR_TEXTS = {
    0x00: "#NULL!", 0x07: "#DIV/0!", 0x0F: "#VALUE!", 0x17: "#REF!", 0x1D: "#NAME?",
    0x24: "#NUM!", 0x2A: "#N/A", 0x2B: "#GETTING_DATA",
}  # fmt: skip
"""Error values by their code, [MS-XLS] 2.5.10 and [MS-XLSB] 2.5.98.2."""

Reach = tuple[int, int]
"""The first and the last of a run of rows or columns, counted from 0."""

NO_RESULT = "(a formula without a stored result)"


@dataclass(frozen=True)
class SheetFacts:
    """What was found in one sheet; rows and columns count from 0."""

    cells: Mapping[tuple[int, int], Cell] = field(default_factory=dict)
    """Cells that the reader gets wrong: error values, formulas without a result, and others."""
    hidden_rows: tuple[Reach, ...] = ()
    """The first and last of each run of hidden rows; `hidden_columns` alike."""
    hidden_columns: tuple[Reach, ...] = ()
    merges: tuple[Span, ...] | None = None
    """Merged ranges, if the reader does not give them."""
    tables: tuple[TableObject, ...] = ()
    formats: Mapping[tuple[int, int], str] = field(default_factory=dict)
    """The number formats of cells that may hold codes such as 007."""
    indents: Mapping[tuple[int, int], int] = field(default_factory=dict)
    """The indentation of cells whose style has one."""


@dataclass(frozen=True)
class NamedCell:
    """The cell of a workbook's defined name; `tab` is the name of its sheet."""

    tab: str
    row: int
    column: int


class Inside(Protocol):
    """The inside of an open workbook."""

    def look(self, number: int, name: str) -> SheetFacts:
        """Search a sheet, given its name and its index among all sheets of the workbook.

        Raises UnreadableError if its cells span more than may be read.
        """

    def names(self) -> Mapping[str, NamedCell]:
        """The defined names of a single cell (or with the first cell of a range)."""

    def close(self) -> None:
        """Close the file."""


@runtime_checkable
class Renaming(Protocol):
    """The inside of a workbook whose sheets can be given other names, in a copy of it."""

    def renamed(self, names: Sequence[str]) -> BytesIO:
        """The file in memory, its sheets called by these names in order."""


def joined_reaches(reaches: Iterable[Reach]) -> tuple[Reach, ...]:
    """Sorted runs of rows or columns; those that overlap or touch are joined."""
    pairs: list[Reach] = []
    for first, last in sorted(reaches):
        if pairs and first <= pairs[-1][1] + 1:
            pairs[-1] = (pairs[-1][0], max(pairs[-1][1], last))
        # Overlapping runs occur where several rules hide the same rows.
        elif last >= first >= 0:
            pairs.append((first, last))
    return tuple(pairs)


def within(reaches: Iterable[Reach], end: int) -> tuple[int, ...]:
    """The rows or columns of some runs that are before `end`."""
    return tuple(index for first, last in reaches for index in range(first, min(last + 1, end)))


def size_of(row: int, column: int, filled: int) -> int:
    """The bytes of the cells from A1 to a place, given the number of filled ones."""
    return (row + 1) * (column + 1) * PLACE + filled * FILLED


def check_extent(row: int, column: int, filled: int, budget: Budget) -> None:
    """Raises OverBudgetError if the cells from A1 to a place take more than is left."""
    budget.need(size_of(row, column, filled), _reaching(row, column, filled))


def hold_extent(row: int, column: int, filled: int, budget: Budget) -> None:
    """Count cells that stay in memory as long as the file is open. Raises OverBudgetError as
    `check_extent` does."""
    budget.hold(size_of(row, column, filled), _reaching(row, column, filled))


def _reaching(row: int, column: int, filled: int) -> str:
    return f"a tab whose cells reach to {Address(row, column)}, {filled:,} of them filled,"
