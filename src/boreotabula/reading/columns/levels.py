"""The headings over each column of a block, and how far each of them reaches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import PASSED, BlockPlan
from boreotabula.sheets.sheet import Cell, Sheet, Span


@dataclass(frozen=True)
class HeadingsOver:
    """The headings over one column: its own cells, and the heading that reaches it on each
    level."""

    own: tuple[str, ...]
    labels: tuple[Cell, ...]

    @property
    def texts(self) -> list[str]:
        """All heading texts of the column."""
        return [*self.own, *(one_line(cell_text(label)) for label in self.labels if label != "")]

    @property
    def joined(self) -> str:
        """The headings of a list's column as one text, top to bottom."""
        return " / ".join(dict.fromkeys(self.texts[len(self.own) :] or self.own))


@dataclass(frozen=True)
class Headings:
    """The heading rows of a block, from its left to its right edge, as plain values.

    Tabs of one form share them, so their meaning is worked out once.
    """

    top: int
    left: int
    start: int
    """The first column right of all stub columns."""
    levels: tuple[int, ...]
    """Which of the rows, counted from `top`, are levels; titles and blank rows may stand between.
    """
    hidden: frozenset[int]
    """Hidden columns."""
    texts: frozenset[int]
    """Columns that hold only texts below the headings, where that was asked."""
    rows: tuple[tuple[Cell, ...], ...]
    width: int
    types: tuple[type, ...]
    """The types of all cells: Python counts 1.0 and True as equal, headings do not."""
    spans: tuple[Span, ...]
    stub: tuple[tuple[str, int], ...]
    turned: bool

    @property
    def bottom(self) -> int:
        """The last heading row."""
        return self.top + len(self.rows) - 1

    def address(self, row: int, column: int) -> Address:
        """The address of a cell in the file."""
        return Address(column, row) if self.turned else Address(row, column)


def headings_of(
    sheet: Sheet, place: Place, left: int, right: int, texts: frozenset[int] = frozenset()
) -> Headings:
    """The heading rows of a place between two columns, as plain values."""
    # A row that is no level names nothing.
    blank: tuple[Cell, ...] = ("",) * (right - left)
    rows = tuple(
        blank if index in place.refused else tuple(row[left:right])
        for index, row in enumerate(sheet.rows[place.top : place.bottom + 1], place.top)
    )
    return Headings(
        top=place.top,
        left=left,
        start=max(place.last_stub + 1, left),
        levels=tuple(row - place.top for row in place.levels),
        hidden=frozenset(sheet.hidden_columns),
        texts=texts,
        rows=rows,
        width=right - left,
        types=tuple(map(type, chain.from_iterable(rows))),
        spans=sheet.merged_in(range(place.top, place.bottom + 1), range(sheet.width)),
        stub=tuple(place.stub.items()),
        turned=sheet.turned,
    )


def headings_over(headings: Headings, block: BlockPlan) -> list[HeadingsOver]:
    """The headings that reach each column; rows that make up one level are joined."""
    levels = _own_levels(headings)
    # In a list the upper headings reach over every column, in a cross-tab over the values only.
    # Else the caption over a cross-tab would reach into its stub.
    start = 0 if block.is_list else headings.start - headings.left
    blank: list[Cell] = [""] * headings.width
    # What stands above or between the levels is a title, and reaches over nothing.
    picked = [levels[row] for row in headings.levels]
    reached = _reach(picked, start, block.reach == "left") if picked else []
    padded = [*[blank] * (block.depth - len(picked)), *reached]
    kept = _as_levels(padded, block) if block.across else padded
    return [
        HeadingsOver(
            _own_texts(levels, index),
            tuple(level[index] for level in kept) if index >= start else (),
        )
        for index in range(headings.width)
    ]


def joined_headings(sheet: Sheet, rows: range, columns: range) -> list[str]:
    """The headings over the columns of a list in some rows, each as one text: “Passengers / Adult”.

    Upper headings reach as far as in a list that is read with that many `heading_rows`.
    """
    cells = tuple(tuple(sheet.rows[row][columns.start : columns.stop]) for row in rows)
    headings = Headings(
        top=rows.start, left=columns.start, start=columns.start, levels=tuple(range(len(rows))),
        hidden=frozenset(), texts=frozenset(),
        rows=cells, width=len(columns), types=tuple(map(type, chain.from_iterable(cells))),
        spans=sheet.merged_in(rows, range(sheet.width)), stub=(), turned=sheet.turned,
    )  # fmt: skip
    levels = _own_levels(headings)
    reached = _reach_right(levels, 0)
    return [
        HeadingsOver(_own_texts(levels, index), tuple(labels)).joined
        for index, labels in enumerate(zip(*reached, strict=True))
    ]


def _own_levels(headings: Headings) -> list[_Level]:
    """The heading of each row at each column, and the merged cell that it is part of."""
    return [
        [_own(headings, row, index, cell) for index, cell in enumerate(cells)]
        for row, cells in enumerate(headings.rows)
    ]


def _own_texts(levels: Sequence[_Level], index: int) -> tuple[str, ...]:
    """The texts that stand directly over a column, from the top."""
    return tuple(one_line(cell_text(level[index][0])) for level in levels if level[index][0] != "")


def _as_levels(rows: Sequence[Sequence[Cell]], block: BlockPlan) -> list[Sequence[Cell]]:
    """The headings of each level: its row, or the joined texts of its rows."""
    numbers = sorted({level for level in block.levels if level != PASSED})
    by_level = [
        [row for row, level in zip(rows, block.levels, strict=True) if level == number]
        for number in numbers
    ]
    return [groups[0] if len(groups) == 1 else list(map(_one_text, *groups)) for groups in by_level]


def _one_text(*cells: Cell) -> Cell:
    """Join a heading that is split over several rows."""
    filled = [cell for cell in cells if cell != ""]
    # A year alone in one of the rows stays the number that it is.
    return filled[0] if len(filled) == 1 else " ".join(map(cell_text, filled))


def _own(headings: Headings, row: int, index: int, cell: Cell) -> tuple[Cell, Span | None]:
    """The heading at a place, its own or that of the merged cell that covers it."""
    sheet_row, column = headings.top + row, headings.left + index
    for span in headings.spans:
        if span.top <= sheet_row <= span.bottom and span.left <= column <= span.right:
            # A merged cell may begin above or left of the headings: then its text is not of them.
            row, index = span.top - headings.top, span.left - headings.left
            inside = row >= 0 and index >= 0
            return headings.rows[row][index] if inside else "", span
    return cell, None


_Level = Sequence[tuple[Cell, Span | None]]


def _reach(levels: Sequence[_Level], start: int, leftward: bool) -> list[list[Cell]]:
    """The heading of each level over each column from `start` on, rightward or leftward."""
    if not leftward:
        return _reach_right(levels, start)
    # Reaching to the left is reaching to the right in a mirror.
    mirrored = _reach_right([level[start:][::-1] for level in levels], 0)
    return [[""] * start + labels[::-1] for labels in mirrored]


def _reach_right(levels: Sequence[_Level], start: int) -> list[list[Cell]]:
    """The heading of each level over each column, rightward.

    An upper heading reaches as far as its merged cell. Unmerged, it reaches to the next filled cell
    of its level, but never past a place where a heading begins in the level above. The lowest level
    does not reach.
    """
    reached: list[list[Cell]] = []
    breaks: set[int] = set()
    for depth, level in enumerate(levels):
        lowest = depth == len(levels) - 1
        current: Cell = ""
        labels: list[Cell] = [""] * start
        begins: set[int] = set()
        for index in range(start, len(level)):
            cell, span = level[index]
            if cell != "" or span is not None:
                # A merged cell begins once, though it covers several columns.
                if span is None or index == start or level[index - 1][1] != span:
                    begins.add(index)
                labels.append(cell)
                # A merged heading ends where it is merged to; others go on until the next.
                current = "" if span is not None else cell
            # Below a new upper heading nothing of the group before may be inherited.
            elif index in breaks or lowest:
                labels.append("")
                current = ""
            else:
                labels.append(current)
        reached.append(labels)
        breaks |= begins
    return reached
