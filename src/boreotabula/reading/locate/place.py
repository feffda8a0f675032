"""The frame of a block on a sheet, and how the frames of several bound each other."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from boreotabula.findings.finding import Finding, ScopedFinding
from boreotabula.findings.places import Refusal
from boreotabula.findings.subjects.headings import STUB_COLUMN_UNHEADED, STUB_HEADING_MISSING
from boreotabula.reading.locate.captions import Caption
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Place:
    """The frame of a block. Rows and columns count from 0; `end` and `limit` are exclusive."""

    top: int
    """First heading row."""
    bottom: int
    """Last heading row; the row above `top` if there are no heading rows."""
    stub: Mapping[str, int]
    """The column of each stub field whose heading is there."""
    marks: Mapping[str, int]
    """The column of each field by whose heading the place was found: the stub fields, if there are
    any."""
    end: int
    """The first row past the block."""
    limit: int
    """The first column past the block."""
    left: int
    """The column of the leftmost stub, or of the first heading cell where that is given."""
    fixed: bool = False
    """Whether the block begins exactly at `left`: columns further left do not belong to it."""
    copies: frozenset[int] = frozenset()
    """Rows inside the block that repeat headings, of all levels or of the lowest alone."""
    totals_from: int | None = None
    """The first row that a table object reserves for its totals."""
    levels: tuple[int, ...] = ()
    """The heading row of each level, top to bottom; others may stand between them."""
    refused: Mapping[int, Refusal] = field(default_factory=dict)
    """Rows among the headings that are not a level, and why."""
    leading: int = 0
    """The number of columns, from `left` on, that are named by position."""
    caption: Caption | None = None
    """The caption that names the table."""
    lead: int | None = None
    """The first row above the headings that belongs to it, if it has its own stamps there."""

    @property
    def depth(self) -> int:
        """Number of heading rows."""
        return self.bottom - self.top + 1

    @property
    def first(self) -> int:
        """The first row that belongs to it: its caption or stamps, if it has any."""
        above = [self.caption.row] if self.caption is not None else []
        return min([self.top, *above, *([] if self.lead is None else [self.lead])])

    @property
    def last_stub(self) -> int:
        """The rightmost stub column; the column before `left` if there is none."""
        return max([self.left + self.leading - 1, *self.stub.values()])

    @property
    def last_mark(self) -> int:
        """The rightmost column by whose heading the place was found; see `last_stub`."""
        return max(self.marks.values(), default=self.left - 1)


Found = tuple[list[Place], list[ScopedFinding]]
"""The places of a block, and findings about what is missing or doubtful."""


def bounded(places: Sequence[Place]) -> list[Place]:
    """Places of one sheet, each ending where the next begins."""
    return [_bounded(place, places) for place in places]


def same_table(place: Place, other_place: Place) -> bool:
    """Whether two places share a heading row, and also a stub column or the left edge."""
    # Stacked tables share columns, and tables side by side share rows: the same table shares both.
    rows = place.top <= other_place.bottom and other_place.top <= place.bottom
    # Places without heading rows have a bottom above their top, and overlap nothing.
    rows = rows or (place.top, place.bottom) == (other_place.top, other_place.bottom)
    shared = set(place.marks.values()) & set(other_place.marks.values())
    return rows and (bool(shared) or place.left == other_place.left)


def _bounded(place: Place, places: Sequence[Place]) -> Place:
    limit = place.limit
    fixed = place.fixed
    for other_place in places:
        beside = other_place.top <= place.bottom and place.top <= other_place.bottom
        # Only tables in the same rows bound each other sideways.
        if other_place is place or not beside:
            continue
        if other_place.left > place.last_mark:
            # This one ends where the next one to the right begins.
            limit = min(limit, other_place.left)
        elif other_place.left < place.left:
            # The next one to the left keeps its columns: this one does not grow over them.
            fixed = True
    below = [
        other.first
        for other in places
        if other is not place
        and other.top > place.bottom
        and other.left < limit
        and place.left < other.limit
    ]
    return replace(place, limit=limit, fixed=fixed, end=min([place.end, *below]))


def bounded_by_turned(place: Place, turned: Sequence[Place]) -> Place:
    """A place that ends where the next turned table begins, whose headings run down the side.

    The rows of `turned` are the columns of the sheet, and their columns its rows.
    """
    below = [
        other_place.left
        for other_place in turned
        if other_place.left > place.bottom
        and other_place.top < place.limit
        and place.left < other_place.end
    ]
    return replace(place, end=min([place.end, *below]))


def turned_bounded(place: Place, upright: Sequence[Place]) -> Place:
    """A turned place that ends where the next unturned table begins."""
    below = [
        other_place.first
        for other_place in upright
        if other_place.first > place.last_mark
        and place.top < other_place.limit
        and other_place.left < place.end
    ]
    return replace(place, limit=min([place.limit, *below]))


def missing_stubs(sheet: Sheet, block: BlockPlan, place: Place) -> Iterator[Finding]:
    """Stub fields whose heading is missing."""
    # A column without any heading is likelier to be the one that is missed than a lost column.
    unheaded = any(
        not any(sheet.cell(row, column) != "" for row in range(place.top, place.bottom + 1))
        for column in range(place.left, min(place.last_mark + 2, sheet.width))
    )
    for name in block.stub:
        if name not in place.stub and name not in block.optional_fields:
            kind = STUB_COLUMN_UNHEADED if unheaded else STUB_HEADING_MISSING
            where = sheet.address(place.top, place.left)
            yield kind(where, field=name, there=", ".join(place.stub))
