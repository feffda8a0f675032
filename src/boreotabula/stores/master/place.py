"""Where the table stands on a tab of a workbook, and which of its columns are which fields."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address, column_letters
from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet

_LEAST = 2
"""This many headings make a heading row, where a table has as many fields."""

Area = tuple[int, int, int, int]
"""Top, left, bottom and right, counted from 0, inclusive."""


@dataclass(frozen=True)
class TablePlace:
    """A table on a tab, rows and columns counted from 0."""

    top: int
    """The heading row."""
    left: int
    right: int
    bottom: int
    """The last filled row; the heading row if there is none below it."""
    ends: tuple[int, ...]
    """Rows that references to the table take for its last one."""
    headings: Mapping[int, str]
    """The heading of each column as written."""
    fields: Mapping[str, int]
    """The column of each field."""

    @property
    def further(self) -> list[int]:
        """The columns that are not fields of the layout."""
        known_numbers = set(self.fields.values())
        return [index for index in range(self.left, self.right + 1) if index not in known_numbers]


def field_finder(names: HeadingNames, fields: Sequence[str]) -> Callable[[str], str | None]:
    """A function that gives the field of a heading: by the field's name first, then by the names in
    the layout and its glossaries."""
    own = {normal_form(name): name for name in fields}

    def found(heading: str) -> str | None:
        if not heading.strip():
            return None
        known_text = own.get(normal_form(heading)) or names.field_of(heading)
        return known_text if known_text in own.values() else None

    return found


def find_place(
    sheet: Sheet, area: Area | None, field_of: Callable[[str], str | None], wanted: int, where: str
) -> TablePlace | None:
    """The place of the table on a tab: that of its table object, else below the row that holds most
    headings of the layout.

    None if no row holds enough of them. `wanted` is the number of fields, `where` names the tab in
    messages. Raises CallError if two columns mean the same field.
    """
    if area is not None:
        top, left, low, right = area
        return _placed(sheet, top, range(left, right + 1), low, field_of, where)
    best, most = None, 0
    for row in range(sheet.height):
        # The row with most headings, since a title above the table may hold one of them as well.
        filled = sheet.filled[row].nonzero()[0]
        known_texts = {field_of(cell_text(sheet.cell(row, int(column)))) for column in filled} - {
            None
        }
        if len(known_texts) > most:
            best, most = row, len(known_texts)
    # A single heading may be a word by chance, unless the table has only one field.
    if best is None or most < min(_LEAST, wanted):
        return None
    first = next(
        column for column in range(sheet.width) if field_of(cell_text(sheet.cell(best, column)))
    )
    return _placed(sheet, best, _run_of(sheet, best, first), None, field_of, where)


def _run_of(sheet: Sheet, row: int, column: int) -> range:
    """The contiguous filled cells of a row around a column."""
    left = right = column
    while left > 0 and sheet.filled[row, left - 1]:
        left -= 1
    while right + 1 < sheet.width and sheet.filled[row, right + 1]:
        right += 1
    return range(left, right + 1)


def _placed(
    sheet: Sheet,
    top: int,
    columns: range,
    low: int | None,
    field_of: Callable[[str], str | None],
    where: str,
) -> TablePlace:
    headings = {column: cell_text(sheet.cell(top, column)) for column in columns}
    exact = {normal_form(text): index for index, text in headings.items()}
    fields: dict[str, int] = {}
    for position, text in headings.items():
        field = field_of(text)
        if field is None:
            continue
        if field in fields:
            named = exact.get(normal_form(field))
            if named in (position, fields[field]):  # the column of the field's own name goes first
                fields[field] = named
                continue
            first, second = column_letters(fields[field]), column_letters(position)
            raise CallError(
                f"{where}: the columns {first} “{headings[fields[field]]}” and {second} “{text}”"
                f" both mean the field “{field}”; give one of them another heading"
            )
        fields[field] = position
    last = _last_row(sheet, top, columns, low)
    ends = (max(last, top + 1), *((max(low, top + 1),) if low is not None else ()))
    return TablePlace(top, columns[0], columns[-1], last, ends, headings, fields)


def _last_row(sheet: Sheet, top: int, columns: range, low: int | None) -> int:
    """The last row of a table: in a table object the last filled one, else the one before a gap."""
    end = min(sheet.height, sheet.height if low is None else low + 1)
    last = top
    for row in range(top + 1, end):
        if sheet.filled[row, columns[0] : columns[-1] + 1].any():
            last = row
        # Without an object a blank row ends the table; below it something else may stand.
        elif low is None:
            break
    return last


def refuse_neighbours(sheet: Sheet, place: TablePlace, right: int, where: str) -> None:
    """Raises CallError if new columns beside a table would cover something."""
    for row in range(place.top, sheet.height):
        beside = sheet.filled[row, place.right + 1 : right + 1]
        if beside.any():
            column = place.right + 1 + int(beside.nonzero()[0][0])
            raise CallError(
                f"{where}: {Address(row, column)} is filled, but the table needs this cell for a"
                " new column; move what is there to another tab"
            )


def refuse_below(sheet: Sheet, place: TablePlace, right: int, last: int, where: str) -> None:
    """Raises CallError if rows at the end of a table would cover something, or touch it."""
    if last <= place.bottom:
        return
    # One row more than needed: touching the table, it would be taken for part of it.
    for row in range(max(place.ends) + 1, min(last + 2, sheet.height)):
        below = sheet.filled[row, place.left : right + 1]
        if below.any():
            column = place.left + int(below.nonzero()[0][0])
            raise CallError(
                f"{where}: {Address(row, column)} is filled, but the table needs this cell for new"
                " rows; move what is there to another tab, or leave more room"
            )
