"""Where the blocks of a layout stand on a sheet."""

from __future__ import annotations

from boreotabula.layout.headings import HeadingNames
from boreotabula.reading.locate.by_position import by_position, place_at, table_places
from boreotabula.reading.locate.place import Found
from boreotabula.reading.locate.search import only_place, repeated_places
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Sheet


def find_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """Where a block stands: one place, several if it repeats, none if it is not there."""
    # What says most exactly where a table is comes first.
    if block.named_table:
        return table_places(sheet, block, names)
    if block.at is not None:
        # The address is that of the sheet as a person sees it.
        row, column = block.at if not sheet.turned else block.at[::-1]
        return place_at(sheet, block, names, row, column)
    if block.columns:
        return by_position(sheet, block, names)
    if block.repeat:
        return repeated_places(sheet, block, names)
    return only_place(sheet, block, names)
