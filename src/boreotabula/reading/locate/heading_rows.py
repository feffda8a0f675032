"""The heading rows of a place that was found by some of its headings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from boreotabula.findings.finding import Finding, Spot
from boreotabula.findings.places import Refusal
from boreotabula.findings.subjects.headings import HEADING_ROWS_DOUBTFUL, HEADINGS_TOO_DEEP
from boreotabula.reading.cells import is_figure
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.levels import levels_up, refused_rows
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True)
class HeadingRows:
    """First and last heading row of a place, the row of each level, and any doubts about them."""

    top: int
    bottom: int
    levels: tuple[int, ...] = ()
    refused: Mapping[int, Refusal] = field(default_factory=dict)
    """Rows among them that are not a level, and why."""
    doubt: tuple[Finding, ...] = ()


def heading_rows(
    sheet: Sheet,
    spots: Sequence[Spot],
    marks: Mapping[str, int],
    block: BlockPlan,
    area: TableFrame,
    before: Place | None = None,
) -> HeadingRows:
    """Find the heading rows, and which of them is which level.

    `spots` are the cells of the headings by which the place was found.
    """
    # Levels have no heading over the stub: they show only right of it.
    right = max(marks.values()) + 1
    columns, leading = range(right, area.columns.stop), range(min(marks.values()), right)
    refused: Mapping[int, Refusal] = {}
    lowest = min(row for row, _ in spots)
    if block.across and block.depth > 1:
        above = range(area.rows.start, lowest + 1)
        refused = refused_rows(sheet, block, above, leading, columns)
    room: list[int] = []
    for row in range(lowest - 1, area.rows.start - 1, -1):
        if len(room) == max(block.depth, 1):
            break
        if before and is_row_of(sheet, block, before, row):
            break
        room += [row] if row not in refused else []
    first_and_last = _first_and_last(sheet, spots, marks, block, room)
    floor = first_and_last.top
    while floor > area.rows.start and not (
        before and (floor - 1 <= before.bottom or is_row_of(sheet, block, before, floor - 1))
    ):
        floor -= 1
    rows = [row for row in range(floor, first_and_last.bottom + 1) if row not in refused]
    levels = levels_up(sheet, block, rows, first_and_last.top, columns)
    return replace(
        first_and_last, top=min([first_and_last.top, *levels]), levels=levels, refused=refused
    )


def _first_and_last(
    sheet: Sheet,
    spots: Sequence[Spot],
    marks: Mapping[str, int],
    block: BlockPlan,
    room: Sequence[int],
) -> HeadingRows:
    """First and last heading row; `room` are rows above that may be heading rows, nearest first.

    The headings that mark the place may stand on any of them, or be merged over several. Missing
    rows are looked for below, as long as the marked columns are blank there and a cell right of
    them is filled, then above. Below, the number of rows that the layout calls units or the like
    also counts.
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
    above = 0
    while above < min(len(room), wanting) and _filled_right(sheet, room[above], right):
        above += 1
    # Both could be levels, but not all of them: a guess must be told.
    if below and above and below + above > wanting:
        return _doubtful_rows(sheet, top, bottom, wanting, right)
    below = min(below, wanting)
    # A blank row may set the lower levels apart, if they are not above.
    if not below and not above and block.across and _continues(sheet, bottom + 2, marks, right):
        below = 2 if bottom + 2 < sheet.height and not sheet.filled[bottom + 1].any() else 0
        return HeadingRows(top, bottom + below)
    upper = room[: wanting - below]
    return HeadingRows(upper[-1] if upper else top, bottom + below)


def _spanned(sheet: Sheet, block: BlockPlan, rows: range, right: int) -> int:
    """How many levels the rows hold in which the headings of the place stand."""
    if not block.across:
        return len(rows)
    # A row that names the stub alone is no level of the cross-tab.
    return max(sum(_filled_right(sheet, row, right) for row in rows), 1)


def _doubtful_rows(sheet: Sheet, top: int, bottom: int, wanting: int, right: int) -> HeadingRows:
    """Heading rows that could lie above or below, with a finding: the fuller row is the lowest
    level."""
    position = _count_right(sheet, bottom, right)
    # The lowest level has a heading over each column, upper ones over groups of them.
    goes_down = _count_right(sheet, bottom + 1, right) > position
    rows = (top, bottom + wanting) if goes_down else (max(top - wanting, 0), bottom)
    finding = HEADING_ROWS_DOUBTFUL(
        sheet.address(rows[0], right),
        upper=sheet.row_called(top - wanting),
        lower=sheet.row_called(top),
        used=sheet.row_called(rows[0]),
    )
    return HeadingRows(*rows, doubt=(finding,))


def _too_deep(sheet: Sheet, top: int, bottom: int, depth: int, stub: Mapping[str, int]) -> Finding:
    return HEADINGS_TOO_DEEP(
        sheet.address(top, min(stub.values())),
        top=sheet.row_called(top),
        bottom=sheet.row_called(bottom),
        named=depth,
        rows=bottom - top + 1,
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

    Then a cell under the headings that mark the place names it, or it holds only figures. No cell
    of it is a text where the first record has a figure, or the reverse.
    """
    # The first record is the measure of what a record looks like.
    first = place.bottom + 1 + block.under_headings
    if row < first:
        return False
    columns = range(place.left, place.limit)
    filled = [column for column in columns if sheet.rows[row][column] != ""]
    figures = {column for column in filled if is_figure(sheet, sheet.rows[row][column])}
    # Figures alone count as well: the stub cells of many forms are carried down.
    named = any(mark in filled for mark in place.marks.values())
    valued = block.is_list or any(index > place.last_mark for index in filled)
    like = not any(names_stamp(sheet.rows[row][column], block) for column in filled) and all(
        is_figure(sheet, sheet.rows[first][column]) == (column in figures)
        for column in filled
        if sheet.rows[first][column] != ""
    )
    return bool(filled) and like and valued and (named or len(figures) == len(filled))


def names_stamp(cell: Cell, block: BlockPlan) -> bool:
    """Whether a cell is the label of a stamp, alone or with its value after a colon."""
    if not isinstance(cell, str):
        return False
    label = cell[
        : min((index for sign in ":：" if (index := cell.find(sign)) >= 0), default=len(cell))
    ]
    return cell.rstrip().endswith((":", "：")) or any(
        stamp_label.match(text) is not None
        for stamp_label in block.stamp_labels
        for text in (cell, label)
    )
