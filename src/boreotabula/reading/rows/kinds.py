"""Telling the rows of a block apart, each by its own cells: records, totals, and all others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.findings import Spot
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.reading.rows.lines import (
    Line,
    LineKind,
    Lines,
    StubCells,
    carried_columns,
    single,
)
from boreotabula.workbooks.sheet import Cell, Sheet


def tell_rows_apart(
    sheet: Sheet, place: Place, columns: Columns, spoken: frozenset[Spot] = frozenset()
) -> Lines:
    """What each row below the headings is, by its own cells.

    A row whose cells are all `spoken` for, as stamps and their labels, is passed over.
    """
    block = columns.block
    ended = _end(sheet, place, columns)
    rows = range(place.bottom + 1, ended[0] if ended else place.end)
    own = {name: _own(sheet, rows, at) for name, at in carried_columns(columns).items()}
    read = _Reader(sheet, columns, place, spoken)
    cells = [some for some, _ in own.values()]
    each = list(zip(*cells, strict=True)) if cells else [()] * len(rows)
    lines = [line for line in map(read.line, rows, each) if line]
    lines = _named_by_carrying(lines, rows.start, own, block)
    lines = _list_tail(lines, read, own) if block.is_list else _table_tail(lines, read, own)
    if block.keep_blank:
        bare = (LineKind.BARE,)
        lines = [one._replace(kind=LineKind.RECORD) if one.kind in bare else one for one in lines]
    at = [line.row - rows.start for line in lines if line.kind is LineKind.RECORD]
    stub = {
        name: StubCells(tuple(some[n] for n in at), tuple(spots[n] for n in at))
        for name, (some, spots) in own.items()
    }
    kept = {
        name: {row: (cell, spot) for row, cell, spot in zip(rows, *own[name], strict=True)
               if cell != ""}
        for name in block.carry_down if name in own
    }  # fmt: skip
    outside = (LineKind.BELOW, LineKind.LABEL)
    inside = [line.row for line in lines if line.kind not in outside]
    return Lines(tuple(lines), stub, ended, max(inside, default=place.bottom), kept)


_Own = tuple[list[Cell], list[Spot]]
"""The cells of a column in some rows, and where each of them is."""


def _own(sheet: Sheet, rows: range, column: int) -> _Own:
    """The cells of a stub column; a merged cell speaks for all of its rows."""
    cells = [sheet.rows[row][column] for row in rows]
    spots = [(row, column) for row in rows]
    for span in sheet.merges:
        if span.left <= column <= span.right and span.bottom > span.top:
            for row in range(max(span.top, rows.start), min(span.bottom + 1, rows.stop)):
                cells[row - rows.start] = sheet.cell(span.top, span.left)
                spots[row - rows.start] = (span.top, span.left)
    return [single(cell) for cell in cells], spots


def _end(sheet: Sheet, place: Place, columns: Columns) -> tuple[int, int, str] | None:
    """The first row whose first filled cell matches `ends_at`."""
    patterns = columns.block.ends_at
    if not patterns:
        return None
    left, right = (columns.left, columns.right) if place.fixed else (0, sheet.width)
    for row in range(place.bottom + 1, place.end):
        cells = sheet.rows[row]
        column = next((at for at in range(left, right) if cells[at] != ""), None)
        if column is None:
            continue
        for one in patterns:
            if one.match(cell_text(cells[column])) is not None:
                return row, column, one.text
    return None


def _named_by_carrying(
    lines: Sequence[Line], start: int, own: Mapping[str, _Own], block: BlockPlan
) -> list[Line]:
    """Rows without a stub cell of their own are records if one is carried down to them."""
    sources = [own[name][0] for name in block.carry_down if name in own and name in block.stub]
    if not sources:
        return list(lines)
    found: list[Line] = []
    any_yet = False
    for line in lines:
        if line.kind in (LineKind.RECORD, LineKind.BARE):
            any_yet = any_yet or any(cells[line.row - start] != "" for cells in sources)
        elif line.kind is LineKind.NAMELESS and any_yet:
            line = line._replace(kind=LineKind.RECORD)
        found.append(line)
    return found


def is_boilerplate(cell: Cell, patterns: Sequence[Pattern]) -> bool:
    """Whether a cell holds a text of the form itself."""
    return isinstance(cell, str) and any(one.match(cell) is not None for one in patterns)


class _Reader:
    """What is needed to tell what a row is."""

    def __init__(
        self, sheet: Sheet, columns: Columns, place: Place, spoken: frozenset[Spot]
    ) -> None:
        self.sheet = sheet
        self.rows = sheet.rows
        self.columns = columns
        self.block: BlockPlan = columns.block
        self.left, self.right = columns.left, columns.right
        self.copies = place.copies
        self.under = range(place.bottom + 1, place.bottom + 1 + self.block.under_headings)
        self.first = self.under.stop
        self.totals_from = place.totals_from
        self.spoken = spoken
        self.spoken_rows = frozenset(row for row, _ in spoken)
        shape = (sheet.height, sheet.width)
        self.filled: NDArray[np.uint8] = np.frombuffer(sheet.filled, np.uint8).reshape(shape)
        within = self.filled[:, self.left : self.right]
        self.held = _any(within)
        self.valued_columns = columns.valued
        self.valued = _any(self.filled[:, list(columns.valued)])
        self.named = bool(place.stub)
        known = (ColumnKind.STUB, ColumnKind.BESIDE)
        self.known = [one.column for one in columns.of(*known)]
        self.known_held = _any(self.filled[:, self.known])

    def line(self, row: int, own: Sequence[Cell]) -> Line | None:
        """The line of a row, or None if nothing stands in the columns of the block.

        `own` are its stub cells as they stand there. The order of the questions is the order of
        the rules in the docs.
        """
        if row in self.copies:
            return Line(row, LineKind.HEADING)
        if not self.held[row]:
            return None
        if self.block.boilerplate and self._is_boilerplate(row):
            return Line(row, LineKind.LABEL)
        if self.under and row in self.under:
            return Line(row, LineKind.LEFT_OUT, "under_headings")
        if self.totals_from is not None and row >= self.totals_from:
            return Line(row, LineKind.TOTAL)
        if self.block.skip and (rule := self._matching(self.block.skip, row, own)) is not None:
            return Line(row, LineKind.LEFT_OUT, f"skip: {rule.text}")
        if self.block.totals and self._matching(self.block.totals, row, own) is not None:
            return Line(row, LineKind.TOTAL)
        if row == self.first and self._counts_columns(row):
            return Line(row, LineKind.NUMBERED)
        if row in self.spoken_rows and self._all_spoken(row):
            return None
        if self.block.group_row and self._is_group(row):
            return Line(row, LineKind.GROUP)
        if self.block.is_list:
            known = self.known_held[row] or any(cell != "" for cell in own)
            return Line(row, LineKind.RECORD if known else LineKind.BARE)
        if not self.valued[row]:
            return Line(row, LineKind.BARE)
        if own.count("") < len(own) or not self.named:
            return Line(row, LineKind.RECORD)
        return Line(row, LineKind.NAMELESS)

    def _is_boilerplate(self, row: int) -> bool:
        """Whether a row holds one cell, a text of the form itself."""
        filled = [cell for cell in self.rows[row][self.left : self.right] if cell != ""]
        return len(filled) == 1 and is_boilerplate(filled[0], self.block.boilerplate)

    def _matching(
        self, patterns: Sequence[Pattern], row: int, own: Sequence[Cell]
    ) -> Pattern | None:
        """The pattern that a stub cell matches, or the row's first filled cell."""
        cells = self.rows[row]
        first = next(cells[at] for at in range(self.left, self.right) if cells[at] != "")
        texts = dict.fromkeys(cell_text(cell) for cell in (*own, first) if cell != "")
        for one in patterns:
            for text in texts:
                if one.match(text) is not None:
                    return one
        return None

    def _counts_columns(self, row: int) -> bool:
        """Whether a row under the headings numbers the columns: 1, 2, 3 and so on."""
        cells = [cell for cell in self.rows[row][self.left : self.right] if cell != ""]
        if not cells or cell_text(cells[0]).strip("().") != "1":
            return False
        texts = [cell_text(cell).strip("().") for cell in cells]
        return len(texts) > 2 and texts == [str(number + 1) for number in range(len(texts))]

    def _is_group(self, row: int) -> bool:
        """Whether only the first stub cell of a row is filled."""
        filled = np.flatnonzero(self.filled[row, self.left : self.right]) + self.left
        if len(filled) != 1:
            return False
        firsts = self.known[:1] if self.block.is_list and not self.named else ()
        return int(filled[0]) in firsts or int(filled[0]) not in self.valued_columns

    def _all_spoken(self, row: int) -> bool:
        """Whether all that stands in a row is spoken for: stamps and their labels."""
        return all(
            (row, column) in self.spoken
            for column in range(self.left, self.right)
            if self.rows[row][column] != ""
        )


def _any(filled: NDArray[np.uint8]) -> list[bool]:
    """Whether any of its cells is filled, row by row."""
    found: list[bool] = np.count_nonzero(filled, axis=1).astype(bool).tolist()
    return found


# --- the end of a table ------------------------------------------------------------------------


def _table_tail(lines: Sequence[Line], read: _Reader, own: Mapping[str, _Own]) -> list[Line]:
    """Rows below the last values of a cross-tab are no part of it, unless they follow at once and
    every stub cell is filled: a line whose values are all blank."""
    valued = (LineKind.RECORD, LineKind.TOTAL, LineKind.NAMELESS)
    last = max((line.row for line in lines if line.kind in valued), default=read.first - 1)
    start = read.under.start
    found: list[Line] = []
    below = False
    before = last
    for line in lines:
        if line.row > last and line.kind in (LineKind.BARE, LineKind.GROUP):
            named = bool(own) and all(cells[line.row - start] != "" for cells, _ in own.values())
            follows = line.row == before + 1 and line.kind is LineKind.BARE and named
            below = below or not follows
            before = line.row
            if below:
                line = line._replace(kind=LineKind.BELOW)
        found.append(line)
    return found


def _list_tail(lines: Sequence[Line], read: _Reader, own: Mapping[str, _Own]) -> list[Line]:
    """What stands below the last full row of a list may be no record.

    Right below it: a row with one filled cell, where records have two or more. After a blank row:
    the same, which is outside the table then; and a row that leaves blank a column which every row
    before that blank row fills.
    """
    if read.block.every_row or len(read.known) < 2:
        return list(lines)
    some = [line for line in lines if line.kind in (LineKind.RECORD, LineKind.GROUP)]
    records = [at for at, line in enumerate(some) if line.kind is LineKind.RECORD]
    if not records:
        return list(lines)
    filled = _known_filled(read, [line.row for line in some], own)
    counts = filled.sum(axis=1)
    if 2 * np.count_nonzero(counts[records] >= 2) <= len(records):
        return list(lines)
    last = max((line.row for line in lines if line.kind is LineKind.TOTAL), default=-1)
    start = next((at for at, line in enumerate(some) if line.row > last), len(some))
    kinds: dict[int, LineKind] = {}
    there = {line.row for line in lines}
    gaps = [at for at in range(max(start, 1), len(some)) if some[at].row - 1 not in there]
    groups = [at for at, line in enumerate(some) if line.kind is LineKind.GROUP]
    tail = _tail_after_gap(gaps, groups, filled, counts)
    for at in range(tail, len(some)):
        kinds[some[at].row] = LineKind.BELOW if counts[at] == 1 else LineKind.UNSURE
    at = tail - 1
    while at >= max(start, 1) and counts[at] == 1:
        kinds[some[at].row] = LineKind.UNSURE
        at -= 1
    return [line._replace(kind=kinds.get(line.row, line.kind)) for line in lines]


def _known_filled(read: _Reader, rows: Sequence[int], own: Mapping[str, _Own]) -> NDArray[np.bool_]:
    """Which known columns of some rows are filled, by themselves or through a merged cell."""
    filled: NDArray[np.bool_] = read.filled[np.ix_(rows, read.known)].astype(bool)
    start = read.under.start
    for name, column in carried_columns(read.columns).items():
        cells = own[name][0]
        there = np.array([cells[row - start] != "" for row in rows])
        filled[:, read.known.index(column)] |= there
    return filled


def _tail_after_gap(
    gaps: Sequence[int], groups: Sequence[int], filled: NDArray[np.bool_], counts: NDArray[Any]
) -> int:
    """From which row on all are unlike the records above: the first after a gap of which that
    holds, else their number. A row is unlike if it fills one cell, or leaves blank what every row
    before the gap fills."""
    number = len(filled)
    always = filled.copy()
    always[groups] = True
    always = np.logical_and.accumulate(always, axis=0)
    # The row from which on a column is not filled by all any more; it is `number` if it always is.
    broken = np.where(always[-1], number, (~always).argmax(axis=0))
    unlike_before = np.where(filled, 0, broken).max(axis=1)
    unlike_before[counts == 1] = number
    least = np.minimum.accumulate(unlike_before[::-1])[::-1]
    return next((at for at in gaps if at <= least[at]), number)
