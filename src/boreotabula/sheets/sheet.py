"""A sheet as plain data, the common result of all readers."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from enum import Enum, IntEnum
from functools import cached_property
from itertools import chain
from typing import Any, NamedTuple, TypedDict, Unpack

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.addresses import Address, column_letters

_MOST_NAMED = 5
"""At most this many rows are named."""


@dataclass(frozen=True)
class Flaw:
    """A filled cell that holds no value: an error value, or a formula without a stored result."""

    text: str

    def __str__(self) -> str:
        return self.text


Cell = str | float | bool | datetime | date | time | timedelta | Flaw
"""The content of a cell; the empty string is a blank cell."""


class Code(float):
    """A number that its workbook displays as a code, such as 007; `text` is the displayed text."""

    text: str

    def __new__(cls, number: float, text: str) -> Code:
        # The number stays a number for all that compute, and has its text for all that show it.
        made = super().__new__(cls, number)
        made.text = text
        return made

    def __reduce__(self) -> tuple[type[Code], tuple[float, str]]:
        return Code, (float(self), self.text)


class Span(NamedTuple):
    """A merged range; rows and columns count from 0, all ends inclusive."""

    top: int
    left: int
    bottom: int
    right: int


@dataclass(frozen=True)
class TableObject:
    """A workbook's table object; rows and columns count from 0, all ends inclusive."""

    name: str
    top: int
    left: int
    bottom: int
    right: int
    heading_rows: int = 1
    totals_rows: int = 0


class Visibility(Enum):
    """Whether a tab is visible in the spreadsheet program; the value is the name in messages."""

    VISIBLE = "visible"
    HIDDEN = "hidden"
    VERY_HIDDEN = "very hidden"


Text = tuple[int, int, str]
"""A text cell: its row and column, counted from 0, and the unchanged text."""


LineNumbers = Sequence[int] | NDArray[np.intp]
"""Rows or columns, counted from 0."""


class CellKind(IntEnum):
    """What a cell holds, as far as arrays tell it."""

    BLANK = 0
    NUMBER = 1
    """Including codes such as 007; without TRUE and FALSE."""
    TEXT = 2
    OTHER = 3
    """A date or time, TRUE or FALSE, or no value at all."""


@dataclass(frozen=True, eq=False)
class Sheet:
    """One tab: a rectangle of cells that begins at A1. Made by `make_sheet`.

    Arrays of the same shape answer for all rows and columns at once what would take a Python step
    for each cell.
    """

    name: str
    rows: Sequence[Sequence[Cell]]
    """All of one length."""
    merges: tuple[Span, ...]
    kinds: NDArray[np.uint8] = field(repr=False)
    """The `CellKind` of each cell."""
    numbers: NDArray[np.float64] = field(repr=False)
    """The number in each cell; NaN where there is none."""
    visibility: Visibility = Visibility.VISIBLE
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    tables: tuple[TableObject, ...] = ()
    turned: bool = False
    """Whether rows and columns are swapped, see `turn`."""
    typed: bool = True
    """Whether numbers and dates are distinct from texts; in a text file all cells are texts."""
    indents: Mapping[tuple[int, int], int] = field(default_factory=dict)
    """The indentation of cells whose style has one."""
    was: Mapping[tuple[int, int], Cell] = field(default_factory=dict)
    """The original content of cells that a person has corrected."""

    @property
    def height(self) -> int:
        """Number of rows."""
        return int(self.kinds.shape[0])

    @property
    def width(self) -> int:
        """Number of columns."""
        return int(self.kinds.shape[1])

    @cached_property
    def filled(self) -> NDArray[np.bool_]:
        """A mask of the filled cells."""
        mask: NDArray[np.bool_] = self.kinds != CellKind.BLANK
        return mask

    @cached_property
    def is_text(self) -> NDArray[np.bool_]:
        """A mask of the text cells."""
        mask: NDArray[np.bool_] = self.kinds == CellKind.TEXT
        return mask

    def texts(self, rows: range | None = None) -> Iterable[Text]:
        """The text cells of some rows, or of all, in reading order.

        Looking for headings does not touch the numbers. There may be millions of texts, so they are
        made on demand.
        """
        # Once for a small tab, as several stages ask for its texts; a large one would fill the
        # memory.
        if rows is None and self.kinds.size <= _AT_ONCE:
            return self._few_texts
        return self._texts_in(range(self.height) if rows is None else rows)

    @cached_property
    def _few_texts(self) -> tuple[Text, ...]:
        return tuple(self._texts_in(range(self.height)))

    def _texts_in(self, rows: range) -> Iterator[Text]:
        step = max(1, _AT_ONCE // max(self.width, 1))
        cells: Any = self.rows  # where the kind says so, there is a text
        for start in range(rows.start, min(rows.stop, self.height), step):
            mask = self.is_text[start : min(start + step, rows.stop)]
            numbers, columns = (values.tolist() for values in np.nonzero(mask))
            texts = [
                cells[start + row][column] for row, column in zip(numbers, columns, strict=True)
            ]
            yield from zip((row + start for row in numbers), columns, texts, strict=True)

    def cell(self, row: int, column: int) -> Cell:
        """The cell at a place counted from 0; blank outside the sheet."""
        if row < self.height and column < self.width:
            return self.rows[row][column]
        return ""

    def indent(self, row: int, column: int) -> int:
        """The indentation of a cell: by its style, or else by the leading blanks of its text."""
        cell = self.cell(row, column)
        blanks = len(cell) - len(cell.lstrip()) if isinstance(cell, str) else 0
        return self.indents.get((row, column), 0) or blanks

    def column_filled(self, column: int, start: int, end: int) -> bool:
        """Whether a column has a filled cell from row `start` to before row `end`."""
        return bool(self.filled[start:end, column].any())

    def filled_at(self, rows: LineNumbers, columns: LineNumbers) -> NDArray[np.bool_]:
        """A mask of the filled cells where some rows and columns meet."""
        meet = np.ix_(np.asarray(rows, np.intp), np.asarray(columns, np.intp))
        mask: NDArray[np.bool_] = self.filled[meet]
        return mask

    def merged_in(self, rows: range, columns: range) -> tuple[Span, ...]:
        """The merged ranges that share a cell with an area, in order."""
        # Arrays are worth their start only from some ranges on.
        if len(self.merges) <= _FEW_MERGES:
            return tuple(
                merge
                for merge in self.merges
                if merge.top < rows.stop
                and merge.bottom >= rows.start
                and merge.left < columns.stop
                and merge.right >= columns.start
            )
        top, left, bottom, right = self._ends
        within = (top < rows.stop) & (bottom >= rows.start)
        within &= (left < columns.stop) & (right >= columns.start)
        return tuple(self.merges[index] for index in np.flatnonzero(within))

    @cached_property
    def _ends(self) -> NDArray[np.intp]:
        return np.array(self.merges, np.intp).reshape(-1, 4).T

    def merged(self, row: int, column: int) -> Span:
        """The merged range that covers a place, or the place alone."""
        spans = self.merged_in(range(row, row + 1), range(column, column + 1))
        return spans[0] if spans else Span(row, column, row, column)

    def anchor(self, row: int, column: int) -> tuple[int, int]:
        """The cell that holds the content of a place: in a merged range its top left one."""
        span = self.merged(row, column)
        return span.top, span.left

    def address(self, row: int, column: int) -> Address:
        """The address of a cell in the file."""
        return Address(column, row) if self.turned else Address(row, column)

    def column_called(self, column: int) -> str:
        """What to call a column of this sheet: 'column D', or 'row 4' of a turned one."""
        return f"row {column + 1}" if self.turned else f"column {column_letters(column)}"

    def row_called(self, row: int) -> str:
        """What to call a row of this sheet: 'row 4', or 'column D' of a turned one."""
        return f"column {column_letters(row)}" if self.turned else f"row {row + 1}"

    def rows_called(self, rows: Sequence[int]) -> str:
        """What to call some rows: the first few, and the number of further ones."""
        word, _, first = self.row_called(rows[0]).partition(" ")
        if len(rows) == 1:
            return f"{word} {first}"
        named = [self.row_called(row).partition(" ")[2] for row in rows[:_MOST_NAMED]]
        count = len(rows) - len(named)
        last = f"{count} more" if count else named.pop()
        return f"{word}s {', '.join(named)} and {last}"

    def turn(self) -> Sheet:
        """The sheet with rows and columns swapped; addresses remain those in the file."""
        return Sheet(
            self.name,
            # Seen turned, the arrays are views: nothing is copied.
            list(zip(*self.rows, strict=True)),
            tuple(Span(merge.left, merge.top, merge.right, merge.bottom) for merge in self.merges),
            self.kinds.T,
            self.numbers.T,
            visibility=self.visibility,
            hidden_rows=self.hidden_columns,
            hidden_columns=self.hidden_rows,
            typed=self.typed,
            turned=not self.turned,
            indents={spot[::-1]: indent for spot, indent in self.indents.items()},
            was={spot[::-1]: cell for spot, cell in self.was.items()},
        )

    @property
    def blank(self) -> bool:
        """Whether no cell is filled."""
        return not self.kinds.any()


class Traits(TypedDict, total=False):
    """The properties of a sheet besides its cells, each as in `Sheet`; missing ones have its
    defaults."""

    visibility: Visibility
    hidden_rows: Sequence[int]
    hidden_columns: Sequence[int]
    tables: Sequence[TableObject]
    typed: bool
    indents: Mapping[tuple[int, int], int]


def make_sheet(
    name: str,
    rows: Sequence[list[Cell]],
    merges: Sequence[Span] = (),
    *,
    corrected: Mapping[tuple[int, int], Cell] | None = None,
    **traits: Unpack[Traits],
) -> Sheet:
    """A sheet from rows of cells, padded to one width; `corrected` cells replace them.

    Cells that hold only white space look blank to a person and become blank here.
    """
    corrected = corrected or {}
    # A list of its own, as rows are padded here.
    rows = list(rows)
    rows.extend([] for _ in range(len(rows), max((row for row, _ in corrected), default=-1) + 1))
    width = max(map(len, rows), default=0)
    width = max(width, max((column for _, column in corrected), default=-1) + 1)
    for row in rows:
        if len(row) < width:
            row.extend([""] * (width - len(row)))
    for (index, column), cell in corrected.items():
        rows[index][column] = cell
    # In bands, so that lists of all cells of a large tab are never there at once.
    step = max(1, _AT_ONCE // max(width, 1))
    bands = [
        _arrays(rows[position : position + step], width)
        for position in range(0, len(rows) or 1, step)
    ]
    kinds, numbers = map(np.concatenate, zip(*bands, strict=True)) if len(bands) > 1 else bands[0]
    return Sheet(
        name,
        rows,
        tuple(merges),
        kinds,
        numbers,
        visibility=traits.get("visibility", Visibility.VISIBLE),
        hidden_rows=tuple(row for row in traits.get("hidden_rows", ()) if row < len(rows)),
        hidden_columns=tuple(index for index in traits.get("hidden_columns", ()) if index < width),
        tables=tuple(traits.get("tables", ())),
        typed=traits.get("typed", True),
        indents=traits.get("indents", {}),
    )


_FEW_MERGES = 40
"""Up to this many merged ranges are checked one by one, which is faster than arrays."""

_AT_ONCE = 100_000
"""This many cells are processed together: their lists take several times the memory of the arrays.
"""

_NO_NUMBER = float("nan")
_BLANK, _NUMBER, _TEXT, _OTHER = map(int, CellKind)


def _arrays(
    rows: Sequence[list[Cell]], width: int
) -> tuple[NDArray[np.uint8], NDArray[np.float64]]:
    """The kinds and the numbers of some rows; texts of white space become blank in them."""
    cells: list[Any] = list(chain.from_iterable(rows))
    types = list(map(type, cells))
    # A number is what most cells hold, so only the others are visited.
    kinds = bytearray((_NUMBER,)) * len(cells)
    for kind in {*types}:
        if issubclass(kind, float | int) and kind is not bool:
            continue
        for place in _places_of(kind, types):
            cell = cells[place]
            cells[place] = _NO_NUMBER
            if kind is not str:
                kinds[place] = _OTHER
            elif cell and not cell.isspace():
                kinds[place] = _TEXT
            else:
                kinds[place] = _BLANK
                rows[place // width][place % width] = ""
    # An array made of a list looks at each number three times as long as this packs it.
    numbers = np.frombuffer(struct.pack(f"={len(cells)}d", *cells))
    shape = len(rows), width
    return np.frombuffer(bytes(kinds), np.uint8).reshape(shape), numbers.reshape(shape)


def _places_of(kind: type, types: Sequence[type]) -> Iterator[int]:
    """Where a type stands in a list of types; what is between takes no step of Python."""
    place = -1
    with suppress(ValueError):  # there is no further one
        while True:
            place = types.index(kind, place + 1)
            yield place
