"""The rows of a block: which are records, which totals, and what names each record row."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto
from typing import NamedTuple

from boreotabula.layout.addresses import address
from boreotabula.layout.patterns import Pattern, first_match
from boreotabula.reading.columns import Column, ColumnKind
from boreotabula.reading.convert import cell_text, one_line
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Cell, Sheet


class LineKind(Enum):
    """What a row of a block is."""

    RECORD = auto()
    """Named by its stub; its values become records."""
    TOTAL = auto()
    """Printed totals of the rows above."""
    HEADING = auto()
    """The headings again."""
    BARE = auto()
    """Named by its stub, but without any value."""
    UNPLACED = auto()
    """Filled, but no part of the layout speaks for it; `why` says so."""


class Line(NamedTuple):
    """One filled row of a block; `row` is counted from 0."""

    row: int
    kind: LineKind
    why: str = ""


@dataclass(frozen=True)
class Lines:
    """The filled rows of a block, and the row (if any) at which it ends by a pattern."""

    lines: tuple[Line, ...]
    stub: Mapping[str, tuple[Cell, ...]]
    """The stub cells of the record rows, in order, carried down and out of merged cells."""
    ended: tuple[int, int, str] | None
    """Row, column and pattern of the cell that ends the block."""

    @property
    def records(self) -> list[int]:
        """The rows that hold records."""
        return [line.row for line in self.lines if line.kind is LineKind.RECORD]


def settle_lines(
    sheet: Sheet, place: Place, columns: Sequence[Column], block: BlockPlan
) -> tuple[Lines, list[Finding]]:
    """What each row below the headings is."""
    ended = _end(sheet, place, block)
    end = ended[0] if ended else place.end
    rows = range(place.bottom + 1, end)
    own = {field: _own_stub(sheet, rows, column) for field, column in place.stub.items()}
    stub = {
        field: _carried(cells) if field in block.carry_down else cells
        for field, cells in own.items()
    }
    read = _Reader(sheet, columns, block.totals, place)
    own_of, stub_of = zip(*own.values(), strict=True), zip(*stub.values(), strict=True)
    found = map(read.line, rows, own_of, stub_of)
    lines = list(_notes_apart([line for line in found if line], rows.start))
    findings = [_nameless(sheet, columns, line) for line in lines if line.why == _NAMELESS]
    records = [line.row - rows.start for line in lines if line.kind is LineKind.RECORD]
    named = {field: tuple(cells[at] for at in records) for field, cells in stub.items()}
    return Lines(tuple(lines), named, ended), findings


def _end(sheet: Sheet, place: Place, block: BlockPlan) -> tuple[int, int, str] | None:
    """The first row whose first filled cell matches `ends_at`."""
    if not block.ends_at:
        return None
    for row in range(place.bottom + 1, place.end):
        column = next((at for at, cell in enumerate(sheet.rows[row]) if cell != ""), None)
        if column is None or not isinstance(text := sheet.rows[row][column], str):
            continue
        for one in block.ends_at:
            if one.match(text) is not None:
                return row, column, one.text
    return None


def _own_stub(sheet: Sheet, rows: range, column: int) -> list[Cell]:
    """The cells of a stub column; a merged cell speaks for all of its rows."""
    cells = [sheet.rows[row][column] for row in rows]
    for span in sheet.merges:
        if span.left <= column <= span.right and span.bottom > span.top:
            for row in range(max(span.top, rows.start), min(span.bottom + 1, rows.stop)):
                cells[row - rows.start] = sheet.cell(span.top, span.left)
    return [one_line(cell) if isinstance(cell, str) else cell for cell in cells]


def _carried(cells: Sequence[Cell]) -> list[Cell]:
    carried: list[Cell] = []
    last: Cell = ""
    for cell in cells:
        last = cell if cell != "" else last
        carried.append(last)
    return carried


_VALUED = (ColumnKind.VALUE, ColumnKind.TOTAL, ColumnKind.BESIDE)
_NAMELESS = "values in a row without stub"
_VALUELESS = "a row without values, and not every stub cell is filled"
_APART = "below the last values"


class _Reader:
    """What is needed to tell what a row is."""

    def __init__(
        self, sheet: Sheet, columns: Sequence[Column], totals: Sequence[Pattern], place: Place
    ) -> None:
        self.rows = sheet.rows
        self.totals = tuple(totals)
        self.first, self.last = columns[0].column, columns[-1].column + 1
        self.valued = [column.column for column in columns if column.kind in _VALUED]
        """Columns in which something makes a row more than a name."""
        depth = range(place.depth)
        self.copies = {first + level for first in place.repeats for level in depth}

    def line(self, row: int, own: Sequence[Cell], stub: Sequence[Cell]) -> Line | None:
        """The line of a row, or None if nothing stands in the columns of the block.

        `own` are its stub cells as they stand there, `stub` those carried down too.
        """
        cells = self.rows[row]
        if row in self.copies:
            return Line(row, LineKind.HEADING)
        if self.totals and self._is_total(own):
            return Line(row, LineKind.TOTAL)
        if any(cells[column] != "" for column in self.valued):
            if own.count("") < len(own):
                return Line(row, LineKind.RECORD)
            return Line(row, LineKind.UNPLACED, _NAMELESS)
        if all(cell == "" for cell in cells[self.first : self.last]):
            return None
        if "" not in stub:
            return Line(row, LineKind.BARE)
        return Line(row, LineKind.UNPLACED, _VALUELESS)

    def _is_total(self, own: Sequence[Cell]) -> bool:
        return any(
            cell != "" and first_match(self.totals, cell_text(cell)) is not None for cell in own
        )


def _notes_apart(lines: Sequence[Line], start: int) -> Iterator[Line]:
    """Rows without values that follow a blank row after the last values are notes, no stubs."""
    valued = [line.row for line in lines if line.kind in (LineKind.RECORD, LineKind.TOTAL)]
    last = max(valued, default=start - 1)
    apart = False
    before = last
    for line in lines:
        if line.row > last:
            apart = apart or line.row > before + 1
            before = line.row
            if apart and line.kind is LineKind.BARE:
                line = Line(line.row, LineKind.UNPLACED, _APART)
        yield line


def _nameless(sheet: Sheet, columns: Sequence[Column], line: Line) -> Finding:
    column = next(
        one.column
        for one in columns
        if one.kind is not ColumnKind.STUB and sheet.rows[line.row][one.column] != ""
    )
    return Finding(
        "row-without-stub",
        f"row {line.row + 1} holds values, but no stub cell names it; they are unplaced",
        "Fill the stub cells; if this is a row of totals, write a label such as “Total” beside it"
        " and list it in `totals`; for merged-looking groups use `carry_down`.",
        cell=address(line.row, column),
        looked_for="a filled stub cell",
        found=cell_text(sheet.rows[line.row][column]),
    )
