"""The heading rows of a place that was found by some of its headings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from boreotabula.reading.cells import is_figure
from boreotabula.reading.findings import Code, Finding, Spot
from boreotabula.reading.locate.frame import Frame
from boreotabula.reading.locate.levels import levels_up
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class HeadingRows:
    """First and last heading row of a place, the row of each level, and what is doubtful about
    them."""

    top: int
    bottom: int
    levels: tuple[int, ...] = ()
    doubt: tuple[Finding, ...] = ()


def heading_rows(
    sheet: Sheet,
    spots: Sequence[Spot],
    marks: Mapping[str, int],
    block: BlockPlan,
    area: Frame,
    before: Place | None = None,
) -> HeadingRows:
    """The heading rows, and which of them is which level; `spots` are the cells of the headings by
    which the place was found."""
    # Levels have no heading over the stub: they show only right of it.
    right = max(marks.values()) + 1
    found = _first_and_last(sheet, spots, marks, block, area, before)
    floor = found.top
    while floor > area.rows.start and not (
        before and (floor - 1 <= before.bottom or is_row_of(sheet, block, before, floor - 1))
    ):
        floor -= 1
    rows = range(floor, found.bottom + 1)
    levels = levels_up(sheet, block, rows, found.top, range(right, area.columns.stop))
    return replace(found, top=min([found.top, *levels]), levels=levels)


def _first_and_last(
    sheet: Sheet,
    spots: Sequence[Spot],
    marks: Mapping[str, int],
    block: BlockPlan,
    area: Frame,
    before: Place | None,
) -> HeadingRows:
    """First and last heading row.

    The headings that mark the place may stand on any of them, or be merged over several. Rows that
    are still wanting are looked for below as long as the marked columns are blank there and
    something stands right of them, then above, but never among the rows of the place `before`.
    As many such rows below as the layout says are units or the like.
    """
    depth, under = max(block.depth, 1), block.under_headings
    top = min(row for row, _ in spots)
    bottom = max(_merged_bottom(sheet, *spot) for spot in spots)
    # Levels have no heading over the stub: they show only right of it.
    right = max(marks.values()) + 1
    wanting = depth - _spanned(sheet, block, range(top, bottom + 1), right)
    # The headings that were found already span all levels, or more.
    if wanting <= 0:
        doubt = (_too_deep(sheet, top, bottom, depth, marks),) if wanting else ()
        return HeadingRows(top, bottom, doubt=doubt)
    below = 0
    while below < wanting + under and _continues(sheet, bottom + below + 1, marks, right):
        below += 1
    # Rows of units are no level, though they look like one.
    below = max(below - under, 0)
    room = 0
    while room < min(wanting, top - area.rows.start) and not (
        before and is_row_of(sheet, block, before, top - room - 1)
    ):
        room += 1
    above = 0
    while above < room and _filled_right(sheet, top - above - 1, right):
        above += 1
    # Both could be levels, but not all of them: a guess must be told.
    if below and above and below + above > wanting:
        return _doubtful_rows(sheet, top, bottom, wanting, right)
    below = min(below, wanting)
    # A blank row may set the lower levels apart, if they are not above.
    if not below and not above and block.across and _continues(sheet, bottom + 2, marks, right):
        below = 2 if bottom + 2 < sheet.height and not sheet.filled[bottom + 1].any() else 0
        return HeadingRows(top, bottom + below)
    return HeadingRows(top - min(wanting - below, room), bottom + below)


def _spanned(sheet: Sheet, block: BlockPlan, rows: range, right: int) -> int:
    """How many levels some rows hold, in which headings by which a place is found stand."""
    if not block.across:
        return len(rows)
    # A row that names the stub alone is no level of the cross-tab.
    return max(sum(_filled_right(sheet, row, right) for row in rows), 1)


def _doubtful_rows(sheet: Sheet, top: int, bottom: int, wanting: int, right: int) -> HeadingRows:
    """Heading rows could lie above or below: the fuller row is the lowest level; said aloud."""
    here = _count_right(sheet, bottom, right)
    # The lowest level has a heading over each column, upper ones over groups of them.
    goes_down = _count_right(sheet, bottom + 1, right) > here
    rows = (top, bottom + wanting) if goes_down else (max(top - wanting, 0), bottom)
    finding = Finding(
        Code.HEADING_ROWS_DOUBTFUL,
        f"the heading levels could begin in {sheet.row_called(top - wanting)} or in"
        f" {sheet.row_called(top)}; {sheet.row_called(rows[0])} was used",
        "Compare with the sheet; clear the row that is not a heading, or merge the stub headings"
        " over all heading rows.",
        at=sheet.address(rows[0], right),
    )
    return HeadingRows(*rows, doubt=(finding,))


def _too_deep(sheet: Sheet, top: int, bottom: int, depth: int, stub: Mapping[str, int]) -> Finding:
    return Finding(
        Code.HEADING_ROWS_DOUBTFUL,
        f"the stub headings reach over {sheet.row_called(top)} to {sheet.row_called(bottom)}, but"
        f" the layout names {depth} heading rows; the lowest were used",
        "Compare `across` (or `heading_rows`) with the sheet: one for each heading row.",
        at=sheet.address(top, min(stub.values())),
        looked_for=f"{depth} heading rows",
        found=f"{bottom - top + 1} heading rows",
    )


def _merged_bottom(sheet: Sheet, row: int, column: int) -> int:
    return min(sheet.merged(row, column).bottom, sheet.height - 1)


def _continues(sheet: Sheet, row: int, stub: Mapping[str, int], right: int) -> bool:
    return (
        row < sheet.height
        and all(sheet.rows[row][column] == "" for column in stub.values())
        and _filled_right(sheet, row, right)
    )


def _filled_right(sheet: Sheet, row: int, right: int) -> bool:
    return _count_right(sheet, row, right) > 0


def _count_right(sheet: Sheet, row: int, right: int) -> int:
    cells = sheet.rows[row][right:]
    return len(cells) - list(cells).count("")


def is_row_of(sheet: Sheet, block: BlockPlan, place: Place, row: int) -> bool:
    """Whether a row below the headings of a place looks like one of its records.

    It is named by a cell under the headings that mark the place, or holds nothing but figures; and
    no cell of it is a text where the first record has a figure, or the other way round.
    """
    # The first record is the measure of what a record looks like.
    first = place.bottom + 1 + block.under_headings
    if row < first:
        return False
    columns = range(place.left, place.limit)
    filled = [at for at in columns if sheet.rows[row][at] != ""]
    figures = {at for at in filled if is_figure(sheet, sheet.rows[row][at])}
    # Figures alone count as well: the stub cells of many forms are carried down.
    named = any(at in filled for at in place.marks.values())
    valued = block.is_list or any(at > place.last_mark for at in filled)
    like = not any(_names_stamp(sheet.rows[row][at], block) for at in filled) and all(
        is_figure(sheet, sheet.rows[first][at]) == (at in figures)
        for at in filled
        if sheet.rows[first][at] != ""
    )
    return bool(filled) and like and valued and (named or len(figures) == len(filled))


def _names_stamp(cell: Cell, block: BlockPlan) -> bool:
    """Whether a cell is the label of a stamp."""
    return isinstance(cell, str) and (
        cell.rstrip().endswith((":", "："))
        or any(one.match(cell) is not None for one in block.stamp_labels)
    )
