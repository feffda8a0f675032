"""A sheet as plain data: what all readers of files hand on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from itertools import compress, repeat
from typing import NamedTuple


@dataclass(frozen=True)
class Flaw:
    """A filled cell that holds no value: an error value, or a formula without a stored result."""

    text: str

    def __str__(self) -> str:
        return self.text


Cell = str | float | bool | datetime | date | time | timedelta | Flaw
"""What a cell holds; the empty string is a blank cell."""


class Span(NamedTuple):
    """A merged range; rows and columns counted from 0, all ends included."""

    top: int
    left: int
    bottom: int
    right: int


Text = tuple[int, str]
"""A text cell: its column counted from 0, and the text as it stands in the file."""


@dataclass(frozen=True)
class Sheet:
    """One tab: a rectangle of cells that begins at A1.

    `rows` all have the same length; `texts` lists the text cells of each row, so that looking
    for headings does not touch the numbers.
    """

    name: str
    rows: Sequence[Sequence[Cell]]
    merges: tuple[Span, ...] = ()
    texts: Sequence[Sequence[Text]] = field(default=(), repr=False)

    @property
    def height(self) -> int:
        """Number of rows."""
        return len(self.rows)

    @property
    def width(self) -> int:
        """Number of columns."""
        return len(self.rows[0]) if self.rows else 0

    def cell(self, row: int, column: int) -> Cell:
        """The cell at a place counted from 0; blank outside the sheet."""
        if row < self.height and column < self.width:
            return self.rows[row][column]
        return ""

    @property
    def blank(self) -> bool:
        """Whether no cell is filled."""
        return all(cell == "" for row in self.rows for cell in row)


def make_sheet(name: str, rows: Sequence[list[Cell]], merges: Sequence[Span] = ()) -> Sheet:
    """A sheet from rows of cells, padded to one width.

    Cells of nothing but white space look blank to a person and become blank here.
    """
    width = max(map(len, rows), default=0)
    for row in rows:
        if len(row) < width:
            row.extend([""] * (width - len(row)))
    return Sheet(name, rows, tuple(merges), [list(_texts(row)) for row in rows])


def _texts(row: list[Cell]) -> Iterator[Text]:
    # Most cells are numbers or blank: they are passed over without a step of Python for each.
    for column, cell in compress(enumerate(row), map(isinstance, row, repeat(str))):
        if not cell:
            continue
        if cell.isspace():  # type: ignore[union-attr]  # only texts are left here
            row[column] = ""
        else:
            yield column, cell  # type: ignore[misc]
