"""A sheet as plain data: what all readers of files hand on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from itertools import chain
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
    """One tab: a rectangle of cells that begins at A1. Made by `make_sheet`."""

    name: str
    rows: Sequence[Sequence[Cell]]
    """All of one length."""
    merges: tuple[Span, ...]
    texts: Sequence[Sequence[Text]] = field(repr=False)
    """The text cells of each row, so that looking for headings does not touch the numbers."""
    filled: bytes = field(repr=False)
    """1 for each filled cell, 0 for each blank one, line by line."""
    plain: bool
    """Whether all filled cells are texts or floats: no dates, no TRUE, no errors."""

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

    def column_filled(self, column: int, start: int, end: int) -> bool:
        """Whether anything stands in a column, from row `start` to before row `end`."""
        return 1 in self.filled[start * self.width + column : end * self.width : self.width]

    @property
    def blank(self) -> bool:
        """Whether no cell is filled."""
        return 1 not in self.filled


def make_sheet(name: str, rows: Sequence[list[Cell]], merges: Sequence[Span] = ()) -> Sheet:
    """A sheet from rows of cells, padded to one width.

    Cells of nothing but white space look blank to a person and become blank here.
    """
    width = max(map(len, rows), default=0)
    for row in rows:
        if len(row) < width:
            row.extend([""] * (width - len(row)))
    types = list(map(type, chain.from_iterable(rows)))
    texts: list[list[Text]] = [[] for _ in rows]
    filled = bytearray(b"\1") * len(types)
    for place in _places_of(str, types):
        at, column = divmod(place, width)
        text = str(rows[at][column])
        if not text or text.isspace():
            rows[at][column] = ""
            filled[place] = 0
        else:
            texts[at].append((column, text))
    plain = types.count(float) + types.count(str) == len(types)
    return Sheet(name, rows, tuple(merges), texts, bytes(filled), plain)


def _places_of(wanted: type, types: list[type]) -> Iterator[int]:
    """Where a type stands in a list; the search itself takes no step of Python for each cell."""
    place = -1
    try:
        while True:
            place = types.index(wanted, place + 1)
            yield place
    except ValueError:
        return
