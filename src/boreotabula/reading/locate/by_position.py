"""Places that the layout gives: by an address, by position, or by a table object."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.patterns import first_match
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.findings import WHOLE, Code, Finding, Telling
from boreotabula.reading.locate.frame import Frame
from boreotabula.reading.locate.levels import levels_down, levels_up
from boreotabula.reading.locate.place import Found, Place, missing_stubs
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import CellKind, Sheet, TableObject


def place_at(sheet: Sheet, block: BlockPlan, row: int, column: int, area: Frame) -> Found:
    """The place whose top left heading cell is given."""
    if row + max(block.depth, 1) > sheet.height or column >= sheet.width:
        where = sheet.address(row, column)
        return [], [_nothing_there(block, f"nothing stands at {where} or beyond it", where)]
    columns = range(column + _leading(block), area.columns.stop)
    levels = levels_down(sheet, block, row, area.rows.stop, columns)
    place = _by_levels(sheet, block, levels, row, column, area)
    return [place], list(map(Telling, missing_stubs(sheet, block, place)))


def _leading(block: BlockPlan) -> int:
    """How many leading columns of a cross-tab are named by position."""
    return len(block.columns) if block.across else 0


def _by_levels(
    sheet: Sheet, block: BlockPlan, levels: Sequence[int], top: int, left: int, area: Frame
) -> Place:
    """The place whose heading levels and left column are known; `top` is its first heading row, of
    one without headings its first row."""
    rows = range(min([top, *levels]), max(levels, default=top - 1) + 1)
    stub = _stub_in(sheet, block, block.names, rows, left, area.columns.stop)
    return Place(
        top=rows.start,
        bottom=rows.stop - 1,
        stub=stub,
        marks=stub,
        end=area.rows.stop,
        limit=area.columns.stop,
        left=left,
        fixed=True,
        levels=tuple(levels),
        leading=_leading(block),
    )


def found_by(sheet: Sheet, block: BlockPlan, area: Frame) -> Found:
    """Every place whose lowest heading row holds all texts of `found_by`, in reading order.

    Side by side each holds them again. The table reaches to the left as far as something stands in
    the heading row or below it, down to the first blank row.
    """
    places: list[Place] = []
    told: list[Telling] = []
    best: set[str] = set()
    for row in area.rows:
        met: dict[str, int] = {}
        floor = area.columns.start
        for column, text in _texts_in(sheet, row, area.columns):
            name = next((one.text for one in block.found_by if one.match(text) is not None), None)
            if name is None:
                continue
            met.setdefault(name, column)
            best = max(best, set(met), key=len)
            if len(met) < len(block.found_by):
                continue
            first, met = min(met.values()), {}
            rows = range(row, area.rows.stop)
            left = _left_edge(sheet, block, rows, first, floor)
            again = floor > area.columns.start and _goes_on(sheet, block, rows, floor, first, left)
            floor = column + 1
            # Under several upper headings the same ones stand again.
            if again:
                continue
            start = left + len(block.columns)
            if first < start:
                told.append(_over_leading(sheet, block, row, first, left))
                continue
            # Rows of the table above must not be taken for heading levels of this one.
            over = [one.bottom + 1 for one in places if one.bottom < row and one.left <= first]
            free = max([*over, area.rows.start])
            columns = range(start, area.columns.stop)
            levels = levels_up(sheet, block, range(free, row + 1), row, columns)
            places.append(_by_levels(sheet, block, levels, row, left, area))
    if not places and not told:
        wanted = ", ".join(one.text for one in block.found_by)
        seen = ", ".join(sorted(best)) or "none of them"
        told.append(_nothing_there(block, f"no row holds all of {wanted}", "", wanted, seen))
    return places, told


def _goes_on(
    sheet: Sheet, block: BlockPlan, rows: range, floor: int, first: int, left: int
) -> bool:
    """Whether headings that are met again, from `first` on, are of the table whose own headings end
    before `floor`: nothing sets them apart, and no leading columns stand between."""
    if left > floor:
        return block.gaps
    between = range(first - len(block.columns), first)
    if between.start < floor:
        return True
    # Leading columns name rows; with figures below it is a column of the same table.
    below = sheet.kinds[rows.start + 1 : _end_of_rows(sheet, rows, floor), between.start : first]
    return bool((below == CellKind.NUMBER).any())


def _texts_in(sheet: Sheet, row: int, columns: range) -> Iterator[tuple[int, str]]:
    """Column and text of the filled cells of a row, numbers and dates as they are shown."""
    for at in np.flatnonzero(sheet.filled[row, columns.start : columns.stop]).tolist():
        yield at + columns.start, cell_text(sheet.rows[row][at + columns.start])


def _left_edge(sheet: Sheet, block: BlockPlan, rows: range, first: int, floor: int) -> int:
    """The first column of a table whose first heading is known: a blank column ends it, unless the
    leading columns reach just beyond."""
    # A remark below the table must not stretch it.
    end = _end_of_rows(sheet, rows, floor)
    used: list[bool] = np.logical_or.reduce(sheet.filled[rows.start : end]).tolist()
    left = first
    while left > floor and used[left - 1]:
        left -= 1
    # A leading column may be blank throughout: it has a name all the same.
    named = first - len(block.columns)
    return named if floor <= named < left and used[named] else left


def _end_of_rows(sheet: Sheet, rows: range, floor: int) -> int:
    """Of some rows, the first of them a heading row, the first that is blank from a column on and
    not right below it: a blank row may set the headings apart."""
    filled: list[bool] = _any_in_row(sheet.filled[rows.start : rows.stop, floor:]).tolist()
    filled[:2] = [True] * len(filled[:2])
    return rows.start + (filled.index(False) if False in filled else len(rows))


def below_caption(sheet: Sheet, block: BlockPlan, area: Frame) -> Found:
    """The table below a caption, which stands in the first row of the area: its columns are named
    by position. The caption may stand in the corner of the table itself."""
    start = area.rows.start
    found = _under(sheet, block, area, start + 1)
    corner = _under(sheet, block, area, start)
    in_corner = corner is not None and corner.top == start and bool(block.across)
    # A remark beside the caption does not make it the corner of the table.
    if (
        corner
        and in_corner
        and (found is None or (not found.bare and _heads(sheet, block, corner, found, area)))
    ):
        found = corner
    if found is None:
        where = sheet.address(start, area.columns.start)
        why = f"no table stands below the caption in {sheet.row_called(start)}"
        return [], [_nothing_there(block, why, where)]
    columns = range(found.left + _leading(block), area.columns.stop)
    levels: tuple[int, ...] = ()
    if found.bare:
        rows = range(found.top, found.bottom + 1)
        levels = levels_up(sheet, block, rows, found.bottom, columns)
    elif block.depth:
        levels = levels_down(sheet, block, found.top, area.rows.stop, columns)
    return [_by_levels(sheet, block, levels, min(levels, default=found.top), found.left, area)], []


@dataclass(frozen=True)
class _Under:
    """Where the table below a caption begins: its left column, the first and last row that can hold
    headings, and whether its leading columns have none (`bare`)."""

    left: int
    top: int
    bottom: int
    bare: bool


def _under(sheet: Sheet, block: BlockPlan, area: Frame, start: int) -> _Under | None:
    """The table that begins in a row of an area or below it.

    The first row with a filled leading column is the first below the headings, if as many rows as
    there are levels stand above it; else these columns have headings, and it is one of their rows.
    """
    columns = area.columns
    within = sheet.filled[start : area.rows.stop, columns.start : columns.stop]
    counts = np.count_nonzero(within, axis=1)
    # Lines alone between caption and table, of the unit perhaps, do not tell where it begins.
    wide = [row for row in _first_rows(counts, block.depth) if counts[row] > 1]
    if not wide:
        return None
    left = int(within[wide].any(axis=0).argmax())
    number = _leading(block)
    if not number:
        top = start + wide[0]
        return _Under(columns.start + left, top, top, bare=False)
    beside = within[:, left + number :]
    right = _any_in_row(beside)
    leading = _any_in_row(within[:, left : left + number])
    # A line alone above the headings names no row.
    leading[: int(right.argmax())] = False
    if not leading.any():
        return None
    named = int(leading.argmax())
    above = np.flatnonzero(right[:named]).tolist()
    if _is_remark(sheet, above, named, beside, block.depth, range(start, area.rows.stop), columns):
        above = []
    bare = len(above) >= block.depth
    top, bottom = (above[0] if above else named), (above[-1] if bare else named)
    return _Under(columns.start + left, start + top, start + bottom, bare)


def _any_in_row(filled: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which rows hold anything."""
    return np.logical_or.reduce(filled, axis=1)  # type: ignore[no-any-return]


def _is_remark(
    sheet: Sheet,
    above: Sequence[int],
    named: int,
    right: NDArray[np.bool_],
    depth: int,
    rows: range,
    columns: range,
) -> bool:
    """Whether the one row above the first named one is a remark: a text alone, while the named row
    holds nothing but texts, several of them right of the leading columns: then it has the headings.
    """
    if depth != 1 or len(above) != 1 or np.count_nonzero(right[named]) < _SEVERAL:
        return False
    alone = np.count_nonzero(sheet.filled[rows.start + above[0], columns.start : columns.stop]) == 1
    cells = sheet.rows[rows.start + named][columns.start : columns.stop]
    return alone and not any(is_figure(sheet, cell) for cell in cells if cell != "")


_SEVERAL = 2


def _first_rows(counts: NDArray[np.integer[Any]], depth: int) -> list[int]:
    """The filled rows of a table down to a blank one, and past it where too few came before."""
    rows: list[int] = []
    for row, count in enumerate(counts.tolist()):
        if count:
            rows.append(row)
        elif len(rows) > depth:
            break
    return rows


def _heads(sheet: Sheet, block: BlockPlan, over: _Under, below: _Under, area: Frame) -> bool:
    """Whether the first row of what may be a table has a heading over each cell of the row below;
    of several levels, over the first of them."""
    columns = slice(over.left + _leading(block), area.columns.stop)
    headed, filled = (sheet.filled[one.top, columns] for one in (over, below))
    if not filled.any():
        return bool(headed.any())
    return bool(headed[filled].all() if block.depth == 1 else headed[int(filled.argmax())])


def by_position(sheet: Sheet, block: BlockPlan, area: Frame) -> Found:
    """A block whose columns are named by position, and whose place is not given.

    It begins with the row that holds most headings of these fields, in the column where the first
    of them stands in turn; where no heading is known, with the first row that is as wide as the
    table: cover rows above it hold fewer cells.
    """
    # Without a cell there is no row that could be the widest.
    if sheet.blank:
        return [], [_nothing_there(block, "nothing stands on this tab", "")]
    filled = sheet.filled
    # Headings tell the place better than widths do: cover rows can be wide as well.
    row = _heading_row(sheet, block, block.names) if block.depth else None
    if block.across:
        return _by_leading_heading(sheet, block, row, area)
    if row is None:
        row = _first_wide_row(filled.sum(axis=1), len(block.columns))
    return place_at(sheet, block, row, int(filled[row:].any(axis=0).argmax()), area)


def _by_leading_heading(sheet: Sheet, block: BlockPlan, row: int | None, area: Frame) -> Found:
    """A cross-tab by position, some of whose leading columns have a heading by which it is found;
    `row` is the first that could be one of its heading rows."""
    if row is None:
        wanted = ", ".join(filter(None, block.columns))
        why = "no heading over the leading columns of the cross-tab is known"
        return [], [_nothing_there(block, why, "", wanted, "none of them")]
    known = [
        (at, column - block.columns.index(field))
        for at in range(row, min(row + block.depth, sheet.height))
        for _, column, text in sheet.texts(range(at, at + 1))
        if (field := block.names.field_of(text)) and field in block.columns
    ]
    lowest, left = known[-1][0], max(known[-1][1], 0)
    columns = range(left + len(block.columns), area.columns.stop)
    levels = levels_up(sheet, block, range(area.rows.start, lowest + 1), lowest, columns)
    return [_by_levels(sheet, block, levels, lowest, left, area)], []


def _heading_row(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> int | None:
    """The row that holds most headings of the named fields, at least two of them (or the only)."""
    wanted = {field for field in block.columns if field}
    fields: dict[int, set[str]] = {}
    for row, _, text in sheet.texts():
        field = names.field_of(text)
        if field in wanted and field is not None:
            fields.setdefault(row, set()).add(field)
    counts = {row: len(some) for row, some in fields.items()}
    best = max(counts, key=lambda row: (counts[row], -row), default=None)
    # One word alone could stand anywhere on a cover.
    if best is None or counts[best] < min(2, len(wanted)):
        return None
    return max(best - (block.depth - 1), 0)


def _first_wide_row(widths: NDArray[np.integer[Any]], named: int) -> int:
    """The first row that fills as many cells as the widest, but no more than are named.

    Rows right above it that fill at least half as many belong to the table, too.
    """
    # A remark beside the table makes a row wider than the table is.
    most = min(int(widths.max()), named)
    row = int((widths >= most).argmax())
    # The first records may lack cells: they must not be cut off as cover rows.
    while row > 0 and widths[row - 1] > 1 and 2 * widths[row - 1] >= most:
        row -= 1
    return row


def table_places(sheet: Sheet, block: BlockPlan) -> Found:
    """The table objects whose names match."""
    chosen = [one for one in sheet.tables if first_match(block.named_table, one.name) is not None]
    # Named, but not there: said with what is there instead.
    if not chosen:
        seen = ", ".join(one.name for one in sheet.tables) or "no table object"
        wanted = ", ".join(one.text for one in block.named_table)
        why = f"no table object of this tab matches {wanted}"
        return [], [_nothing_there(block, why, "", wanted, seen)]
    places = [
        _table_place(sheet, block, one)
        for one in chosen
        # An object can lie beyond the last filled cell: then it is blank.
        if one.top + one.heading_rows <= sheet.height and one.left < sheet.width
    ]
    if not places:
        where = sheet.address(chosen[0].top, chosen[0].left)
        return [], [_nothing_there(block, f"the table object at {where} is blank", where)]
    missing = [Telling(one) for place in places for one in missing_stubs(sheet, block, place)]
    return places, missing


def _table_place(sheet: Sheet, block: BlockPlan, table: TableObject) -> Place:
    """The frame of a table object; upper heading levels stand above it."""
    top = table.top
    # Table objects have one heading row; further levels can only stand above them.
    first = max(top - (block.depth - table.heading_rows), 0) if table.heading_rows else top
    bottom = top + table.heading_rows - 1
    end = min(table.bottom + 1, sheet.height)
    rows = range(first, bottom + 1)
    stub = _stub_in(sheet, block, block.names, rows, table.left, table.right + 1)
    return Place(
        top=first,
        bottom=bottom,
        stub=stub,
        marks=stub,
        end=end,
        limit=min(table.right + 1, sheet.width),
        left=table.left,
        fixed=True,
        levels=tuple(range(max(bottom - block.depth + 1, first), bottom + 1)),
        leading=_leading(block),
        # The workbook itself says which rows are totals: no pattern is needed.
        totals_from=table.bottom + 1 - table.totals_rows if table.totals_rows else None,
    )


def _stub_in(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, rows: range, left: int, limit: int
) -> dict[str, int]:
    """The stub columns in given heading rows; by position where the columns are named so."""
    # Named by position, a field is where it is whatever stands over it.
    if block.columns:
        return {
            field: left + at
            for at, field in enumerate(block.columns)
            if field in block.stub and left + at < sheet.width
        }
    found: dict[str, int] = {}
    for row in rows:
        for _, column, text in sheet.texts(range(row, row + 1)):
            field = names.field_of(text)
            if field in block.stub and field is not None and left <= column < limit:
                found.setdefault(field, column)
    return found


def _over_leading(sheet: Sheet, block: BlockPlan, row: int, first: int, left: int) -> Telling:
    """A heading of the cross-tab stands over a column that `columns` names."""
    heading, where = cell_text(sheet.rows[row][first]), sheet.address(row, first)
    finding = Finding(
        Code.BLOCK_NOT_FOUND,
        f"“{heading}” in {where} stands over column {first - left + 1} of the table, but `columns`"
        f" names {len(block.columns)} columns left of the cross-tab; nothing was read from it",
        "Look whether a column is lacking on this tab; if not, name as many columns as there are.",
        cell=where,
        looked_for=f"{len(block.columns)} columns left of “{heading}”",
        found=str(first - left),
    )
    return Telling(finding, WHOLE, WHOLE)


def _nothing_there(
    block: BlockPlan, why: str, cell: str, looked_for: str = "", found: str = "nothing"
) -> Telling:
    finding = Finding(
        Code.BLOCK_NOT_FOUND,
        f"{why}, so nothing was read from the table",
        "Compare the tab with the layout; if it is no such form, leave it out in [tabs].",
        cell=cell,
        looked_for=looked_for or ", ".join(block.marks) or "the table",
        found=found,
    )
    return Telling(finding, WHOLE, WHOLE)
