"""Places that the layout gives: by an address, by position, or by a table object."""

from __future__ import annotations

from dataclasses import replace

from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.patterns import first_match
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Found, Place, missing_stubs
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Sheet, TableObject


def given_place(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, row: int, column: int
) -> Found:
    """The place whose top left heading cell is given."""
    if row + max(block.depth, 1) > sheet.height or column >= sheet.width:
        where = sheet.address(row, column)
        return [], [_nothing_there(block, f"nothing stands at {where} or beyond it", where)]
    place = Place(
        top=row,
        bottom=row + block.depth - 1,
        stub=_stub_in(sheet, block, names, range(row, row + block.depth), column, sheet.width),
        end=sheet.height,
        limit=sheet.width,
        left=column,
        fixed=True,
    )
    return [place], list(missing_stubs(sheet, block, place))


def first_filled(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """A block whose columns are named by position: it begins with the first filled row."""
    at = sheet.filled.find(1)
    if at < 0:
        return [], [_nothing_there(block, "nothing stands on this tab", "")]
    row = at // sheet.width
    first = min(
        place % sheet.width for place in range(len(sheet.filled)) if sheet.filled[place] == 1
    )
    return given_place(sheet, block, names, row, first)


def table_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """The table objects whose names match."""
    chosen = [one for one in sheet.tables if first_match(block.named_table, one.name) is not None]
    if not chosen:
        seen = ", ".join(one.name for one in sheet.tables) or "no table object"
        wanted = ", ".join(one.text for one in block.named_table)
        finding = _nothing_there(block, f"no table object of this tab matches {wanted}", "")
        return [], [replace(finding, looked_for=wanted, found=seen)]
    places = [
        _table_place(sheet, block, names, one)
        for one in chosen
        if one.top + one.heading_rows <= sheet.height and one.left < sheet.width
    ]
    if not places:
        where = sheet.address(chosen[0].top, chosen[0].left)
        return [], [_nothing_there(block, f"the table object at {where} is blank", where)]
    missing = [finding for place in places for finding in missing_stubs(sheet, block, place)]
    return places, missing


def _table_place(sheet: Sheet, block: BlockPlan, names: HeadingNames, table: TableObject) -> Place:
    """The frame of a table object; upper heading levels stand above it."""
    top = table.top
    first = max(top - (block.depth - table.heading_rows), 0) if table.heading_rows else top
    bottom = top + table.heading_rows - 1
    end = min(table.bottom + 1, sheet.height)
    rows = range(first, bottom + 1)
    return Place(
        top=first,
        bottom=bottom,
        stub=_stub_in(sheet, block, names, rows, table.left, table.right + 1),
        end=end,
        limit=min(table.right + 1, sheet.width),
        left=table.left,
        fixed=True,
        totals_from=table.bottom + 1 - table.totals_rows if table.totals_rows else None,
    )


def _stub_in(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, rows: range, left: int, limit: int
) -> dict[str, int]:
    """The stub columns in given heading rows; by position where the columns are named so."""
    if block.columns:
        return {
            field: left + at
            for at, field in enumerate(block.columns)
            if field in block.stub and left + at < sheet.width
        }
    found: dict[str, int] = {}
    for row in rows:
        for column, text in sheet.texts[row] if row < sheet.height else ():
            field = names.field_of(text)
            if field in block.stub and field is not None and left <= column < limit:
                found.setdefault(field, column)
    return found


def _nothing_there(block: BlockPlan, why: str, cell: str) -> Finding:
    return Finding(
        "block-not-found",
        f"{why}, so nothing was read from the table",
        "Compare the tab with the layout; if it is no such form, leave it out in [tabs].",
        cell=cell,
        looked_for=", ".join(block.stub) or "the table",
        found="nothing",
    )
