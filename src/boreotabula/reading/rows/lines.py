"""The rows of a block: which are records, which totals, and what names each record row.

Rows are told apart first, by their own cells; only then are stub cells carried down.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import Enum, auto
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.reading.cells import one_line
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.findings import Spot
from boreotabula.workbooks.sheet import Cell, Sheet


class LineKind(Enum):
    """What a row of a block is."""

    RECORD = auto()
    """Its values become records."""
    TOTAL = auto()
    """Printed totals of other rows."""
    HEADING = auto()
    """The headings again."""
    BARE = auto()
    """Named by its stub, but without any value: left out by the rule `blank`."""
    GROUP = auto()
    """Names the group of the rows below."""
    LEFT_OUT = auto()
    """Left out by a rule; `why` names it."""
    LABEL = auto()
    """Holds nothing but a text of the form itself."""
    NAMELESS = auto()
    """Holds values, but no stub cell names them."""
    NUMBERED = auto()
    """Numbers the columns."""
    LIKE_TOTAL = auto()
    """Holds the sums of other rows, though no pattern of totals matches it."""
    UNSURE = auto()
    """Right below the table, or after a blank row, and not filled as its records are."""
    BELOW = auto()
    """Below the table, and no part of it."""


class Line(NamedTuple):
    """One filled row of a block; `row` is counted from 0."""

    row: int
    kind: LineKind
    why: str = ""


@dataclass(frozen=True)
class StubCells:
    """The cells of a field that names rows, one for each record row, and where each of them is."""

    cells: tuple[Cell, ...]
    spots: tuple[Spot, ...]
    """The cell itself, or the one that it is carried down from, or the corner of a merged one."""


@dataclass(frozen=True)
class Lines:
    """The filled rows of a block, and the row (if any) at which it ends by a pattern."""

    lines: tuple[Line, ...]
    stub: Mapping[str, StubCells]
    """The stub cells of the record rows, in order; those carried down once `carried` was called."""
    ended: tuple[int, int, str] | None
    """Row, column and pattern of the cell that ends the block."""
    last: int
    """The last row of the table; the last heading row if it has no rows."""
    own: Mapping[str, Mapping[int, tuple[Cell, Spot]]] = field(default_factory=dict, repr=False)
    """Of fields that are carried down: the filled cells of all rows, and where each is."""

    @cached_property
    def records(self) -> tuple[int, ...]:
        """The rows that hold records."""
        return tuple(line.row for line in self.lines if line.kind is LineKind.RECORD)

    def of(self, *kinds: LineKind) -> list[int]:
        """The rows of some kinds."""
        return [line.row for line in self.lines if line.kind in kinds]

    def without(self, rows: Mapping[int, LineKind]) -> Lines:
        """The same where some record rows are of another kind."""
        kept = [row not in rows for row in self.records]
        return replace(
            self,
            lines=tuple(
                line._replace(kind=rows[line.row])
                if line.row in rows and line.kind is LineKind.RECORD
                else line
                for line in self.lines
            ),
            stub={name: _kept(cells, kept) for name, cells in self.stub.items()},
        )


def _kept(stub: StubCells, kept: Sequence[bool]) -> StubCells:
    both = [
        pair for pair, keep in zip(zip(stub.cells, stub.spots, strict=True), kept, strict=True)
        if keep
    ]  # fmt: skip
    return StubCells(tuple(cell for cell, _ in both), tuple(spot for _, spot in both))


def carried_columns(columns: Columns) -> Mapping[str, int]:
    """The column of each field whose cells name rows: stub fields, and those carried down."""
    carry = columns.block.carry_down
    return {
        one.field: one.column
        for one in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
        if one.kind is ColumnKind.STUB or one.field in carry
    }


def carried(sheet: Sheet, columns: Columns, lines: Lines) -> Lines:
    """The rows with their stub cells carried down from record rows, and the names of groups.

    Headings, totals, group rows and rows that are left out never give a value to carry; a row
    without values does, as it names the rows below it. What is named by nothing then is no record.
    """
    block = columns.block
    stub = dict(lines.stub)
    for name, own in lines.own.items():
        stub[name] = _carried(lines, own, stub[name])
    if block.group_row:
        stub[block.group_row] = _groups(sheet, lines, columns)
    lines = replace(lines, stub=stub)
    named = [name for name in stub if name in block.stub]
    if block.is_list or not named or not block.carry_down:
        return lines
    every = zip(*(stub[name].cells for name in named), strict=True)
    nameless = {
        row: LineKind.NAMELESS
        for row, cells in zip(lines.records, every, strict=True)
        if not any(cell != "" for cell in cells)
    }
    return lines.without(nameless) if nameless else lines


def _carried(lines: Lines, own: Mapping[int, tuple[Cell, Spot]], stub: StubCells) -> StubCells:
    cells: list[Cell] = []
    spots: list[Spot] = []
    last: tuple[Cell, Spot] | None = None
    at = 0
    for line in lines.lines:
        if line.kind in (LineKind.RECORD, LineKind.BARE):
            last = own.get(line.row, last)
        if line.kind is LineKind.RECORD:
            cell, spot = last or ("", stub.spots[at])
            cells.append(cell)
            spots.append(spot)
            at += 1
    return StubCells(tuple(cells), tuple(spots))


def _groups(sheet: Sheet, lines: Lines, columns: Columns) -> StubCells:
    """The name of the group that each record row belongs to."""
    cells: list[Cell] = []
    spots: list[Spot] = []
    current: Cell = ""
    spot = (0, columns.left)
    for line in lines.lines:
        if line.kind is LineKind.GROUP:
            row = sheet.rows[line.row]
            at = next(at for at in range(columns.left, columns.right) if row[at] != "")
            current, spot = single(row[at]), (line.row, at)
        elif line.kind is LineKind.RECORD:
            cells.append(current)
            spots.append(spot if current != "" else (line.row, columns.left))
    return StubCells(tuple(cells), tuple(spots))


def single(cell: Cell) -> Cell:
    """A cell as stub cells are kept: a text in one line."""
    return one_line(cell) if isinstance(cell, str) else cell


def known_counts(sheet: Sheet, columns: Columns, lines: Lines) -> NDArray[np.intp]:
    """How many known columns of a list each of its record rows fills."""
    known = [one.column for one in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)]
    named = carried_columns(columns).values()
    plain = [column for column in known if column not in named]
    filled = np.frombuffer(sheet.filled, np.uint8).reshape(sheet.height, sheet.width)
    counts: NDArray[np.intp] = filled[np.ix_(lines.records, plain)].sum(axis=1, dtype=np.intp)
    for one in lines.stub.values():
        counts = counts + np.array([cell != "" for cell in one.cells], np.intp)
    return counts
