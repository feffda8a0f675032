"""The headings over each column of a block, as far as each of them reaches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

from boreotabula.layout.addresses import address
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Cell, Sheet, Span


@dataclass(frozen=True)
class HeadingsOver:
    """The headings over one column: cells of its own, and what reaches it, level by level."""

    own: tuple[str, ...]
    labels: tuple[Cell, ...]

    @property
    def texts(self) -> list[str]:
        """All texts that speak of the column."""
        return [*self.own, *(one_line(cell_text(label)) for label in self.labels if label != "")]

    @property
    def joined(self) -> str:
        """The headings of a list's column as one, top to bottom."""
        return " / ".join(dict.fromkeys(self.texts[len(self.own) :] or self.own))


@dataclass(frozen=True)
class Headings:
    """The heading rows of a block, from its left to its right edge, as plain values.

    Tabs of one form have the same; what they mean is worked out once.
    """

    top: int
    left: int
    start: int
    """The first column that is right of all stub columns."""
    rows: tuple[tuple[Cell, ...], ...]
    width: int
    types: tuple[type, ...]
    """Of all cells: to Python 1.0 and True are equal, as headings they are not."""
    spans: tuple[Span, ...]
    stub: tuple[tuple[str, int], ...]
    turned: bool

    @property
    def bottom(self) -> int:
        """The last heading row."""
        return self.top + len(self.rows) - 1

    def address(self, row: int, column: int) -> str:
        """The address of a place, as a person finds it."""
        return address(column, row) if self.turned else address(row, column)


def headings_of(sheet: Sheet, place: Place, left: int, right: int) -> Headings:
    rows = tuple(tuple(row[left:right]) for row in sheet.rows[place.top : place.bottom + 1])
    return Headings(
        place.top,
        left,
        max(place.last_stub + 1, left),
        rows,
        right - left,
        tuple(map(type, chain.from_iterable(rows))),
        sheet.merged_in(range(place.top, place.bottom + 1), range(sheet.width)),
        tuple(place.stub.items()),
        sheet.turned,
    )


def headings_over(headings: Headings, block: BlockPlan) -> list[HeadingsOver]:
    """The headings over each column; the lowest rows, as many as there are levels, count."""
    levels = [
        [_own(headings, row, at, cell) for at, cell in enumerate(cells)]
        for row, cells in enumerate(headings.rows)
    ]
    # In a list the upper headings reach over every column, in a cross-tab over the values only.
    # Else the caption over a cross-tab would reach into its stub.
    start = 0 if block.is_list else headings.start - headings.left
    blank: list[Cell] = [""] * headings.width
    reached = _reach(levels, start, block.reach_left) if levels else []
    padded = [*[blank] * (block.depth - len(levels)), *reached]
    # The lowest rows are the levels: what stands above is a title.
    kept = padded[-block.depth :] if block.depth else []
    return [
        HeadingsOver(
            tuple(one_line(cell_text(level[at][0])) for level in levels if level[at][0] != ""),
            tuple(level[at] for level in kept) if at >= start else (),
        )
        for at in range(headings.width)
    ]


def _own(headings: Headings, row: int, at: int, cell: Cell) -> tuple[Cell, Span | None]:
    """The heading that stands at a place, itself or through the merged cell that covers it."""
    sheet_row, column = headings.top + row, headings.left + at
    for span in headings.spans:
        if span.top <= sheet_row <= span.bottom and span.left <= column <= span.right:
            # A merged cell may begin above or left of the headings: then its text is not of them.
            row, at = span.top - headings.top, span.left - headings.left
            inside = row >= 0 and at >= 0
            return headings.rows[row][at] if inside else "", span
    return cell, None


_Level = Sequence[tuple[Cell, Span | None]]


def _reach(levels: Sequence[_Level], start: int, leftward: bool) -> list[list[Cell]]:
    """The heading of each level over each column from `start` on, to the right or to the left."""
    if not leftward:
        return _reach_right(levels, start)
    # Reaching to the left is reaching to the right in a mirror.
    mirrored = _reach_right([level[start:][::-1] for level in levels], 0)
    return [[""] * start + labels[::-1] for labels in mirrored]


def _reach_right(levels: Sequence[_Level], start: int) -> list[list[Cell]]:
    """The heading of each level over each column.

    An upper heading reaches as far as its merged cell, or, unmerged, to the next filled cell of
    its level, but never across a place where a heading begins in the level above it. The lowest
    level does not reach.
    """
    reached: list[list[Cell]] = []
    breaks: set[int] = set()
    for depth, level in enumerate(levels):
        lowest = depth == len(levels) - 1
        current: Cell = ""
        labels: list[Cell] = [""] * start
        begins: set[int] = set()
        for at in range(start, len(level)):
            cell, span = level[at]
            if cell != "" or span is not None:
                # A merged cell begins once, though it covers several columns.
                if span is None or at == start or level[at - 1][1] != span:
                    begins.add(at)
                labels.append(cell)
                # A merged heading ends where it is merged to; others go on until the next.
                current = "" if span is not None else cell
            # Below a new upper heading nothing of the group before may be inherited.
            elif at in breaks or lowest:
                labels.append("")
                current = ""
            else:
                labels.append(current)
        reached.append(labels)
        breaks |= begins
    return reached
