"""A sheet as plain data: what all readers of files hand on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from enum import Enum
from functools import cached_property
from itertools import chain
from typing import NamedTuple

from boreotabula.layout.addresses import address, column_letters


@dataclass(frozen=True)
class Flaw:
    """A filled cell that holds no value: an error value, or a formula without a stored result."""

    text: str

    def __str__(self) -> str:
        return self.text


Cell = str | float | bool | datetime | date | time | timedelta | Flaw
"""What a cell holds; the empty string is a blank cell."""


class Code(float):
    """A number that its workbook shows as a code, such as 007; `text` is what is seen."""

    text: str

    def __new__(cls, number: float, text: str) -> Code:
        made = super().__new__(cls, number)
        made.text = text
        return made

    def __reduce__(self) -> tuple[type[Code], tuple[float, str]]:
        return Code, (float(self), self.text)


class Span(NamedTuple):
    """A merged range; rows and columns counted from 0, all ends included."""

    top: int
    left: int
    bottom: int
    right: int


@dataclass(frozen=True)
class TableObject:
    """A workbook's own table; rows and columns counted from 0, all ends included."""

    name: str
    top: int
    left: int
    bottom: int
    right: int
    heading_rows: int = 1
    totals_rows: int = 0


class Visibility(Enum):
    """Whether a tab is seen in the spreadsheet program; the value is how messages call it."""

    VISIBLE = "visible"
    HIDDEN = "hidden"
    VERY_HIDDEN = "very hidden"


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
    visibility: Visibility = Visibility.VISIBLE
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    tables: tuple[TableObject, ...] = ()
    turned: bool = False
    """Whether rows and columns have changed places, see `turn`."""
    typed: bool = True
    """Whether numbers and dates are kept apart from texts; in a text file all cells are texts."""

    @cached_property
    def height(self) -> int:
        """Number of rows."""
        return len(self.rows)

    @cached_property
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

    def address(self, row: int, column: int) -> str:
        """The address of a place, as a person finds it in the file."""
        return address(column, row) if self.turned else address(row, column)

    def column_called(self, column: int) -> str:
        """How a person calls a column of this sheet: 'column D', or 'row 4' of a turned one."""
        return f"row {column + 1}" if self.turned else f"column {column_letters(column)}"

    def row_called(self, row: int) -> str:
        """How a person calls a row of this sheet: 'row 4', or 'column D' of a turned one."""
        return f"column {column_letters(row)}" if self.turned else f"row {row + 1}"

    def rows_called(self, rows: Sequence[int]) -> str:
        """How a person calls some rows: the first of them, and how many more there are."""
        first = self.row_called(rows[0])
        return first if len(rows) == 1 else f"{first} and {len(rows) - 1} more"

    def turn(self) -> Sheet:
        """The sheet with rows and columns changed; addresses still say where a cell stands."""
        return replace(
            make_sheet(
                self.name,
                [list(column) for column in zip(*self.rows, strict=True)],
                [Span(one.left, one.top, one.right, one.bottom) for one in self.merges],
                visibility=self.visibility,
                hidden_rows=self.hidden_columns,
                hidden_columns=self.hidden_rows,
                typed=self.typed,
            ),
            turned=not self.turned,
        )

    @property
    def blank(self) -> bool:
        """Whether no cell is filled."""
        return 1 not in self.filled


def make_sheet(
    name: str,
    rows: Sequence[list[Cell]],
    merges: Sequence[Span] = (),
    *,
    corrected: Mapping[tuple[int, int], Cell] | None = None,
    visibility: Visibility = Visibility.VISIBLE,
    hidden_rows: Sequence[int] = (),
    hidden_columns: Sequence[int] = (),
    tables: Sequence[TableObject] = (),
    typed: bool = True,
) -> Sheet:
    """A sheet from rows of cells, padded to one width; cells of `corrected` are laid over them.

    Cells of nothing but white space look blank to a person and become blank here.
    """
    corrected = corrected or {}
    rows = list(rows)
    rows.extend([] for _ in range(len(rows), max((row for row, _ in corrected), default=-1) + 1))
    width = max(map(len, rows), default=0)
    width = max(width, max((column for _, column in corrected), default=-1) + 1)
    for row in rows:
        if len(row) < width:
            row.extend([""] * (width - len(row)))
    for (at, column), cell in corrected.items():
        rows[at][column] = cell
    flat = list(chain.from_iterable(rows))
    types = list(map(type, flat))
    texts: list[list[Text]] = [[] for _ in rows]
    filled = bytearray(b"\1") * len(types)
    # The search from text to text takes no step of Python for the numbers between them.
    place = types.index(str) if str in types else -1
    while place >= 0:
        text = flat[place]
        if text == "":
            filled[place] = 0
        elif text.isspace():  # type: ignore[union-attr]  # only texts are looked at
            rows[place // width][place % width] = ""
            filled[place] = 0
        else:
            at, column = divmod(place, width)
            texts[at].append((column, text))  # type: ignore[arg-type]
        try:
            place = types.index(str, place + 1)
        except ValueError:
            break
    return Sheet(
        name,
        rows,
        tuple(merges),
        texts,
        bytes(filled),
        plain=types.count(float) + types.count(str) == len(types),
        visibility=visibility,
        hidden_rows=tuple(row for row in hidden_rows if row < len(rows)),
        hidden_columns=tuple(column for column in hidden_columns if column < width),
        tables=tuple(tables),
        typed=typed,
    )
