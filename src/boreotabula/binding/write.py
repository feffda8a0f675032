"""Writing the tabs of a bound workbook: cells and looks, and the list in front."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any

from boreotabula.binding.bound import Bound
from boreotabula.binding.looks import Link, TabStyle
from boreotabula.layout.addresses import MAX_COLUMNS, MAX_ROWS
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Flaw, Sheet
from boreotabula.texts import counted

_WIDEST = 60
_PADDING = 5 / 7
"""What the writing library adds to a width, in characters."""


class Formats:
    """The cell formats of the new workbook, each made once."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self._made: dict[tuple[tuple[str, object], ...], Any] = {}

    def of(self, properties: Mapping[str, object]) -> Any:
        """The format with some properties; None if there are none."""
        if not properties:
            return None
        key = tuple(sorted(properties.items()))
        if key not in self._made:
            self._made[key] = self._book.add_format(dict(properties))
        return self._made[key]


_MOMENTS: Sequence[tuple[type, str]] = (
    (datetime, "yyyy-mm-dd hh:mm"), (date, "yyyy-mm-dd"), (time, "hh:mm:ss"),
    (timedelta, "[h]:mm:ss"),
)  # fmt: skip
"""How moments are displayed where the file does not say; a datetime is a date, so it comes first.
"""


def let_go(book: Any) -> None:
    """Release a workbook that is not written to its end."""
    book.fileclosed = True
    for worksheet in book.worksheets():
        worksheet.row_data_fh.close()


def write_tab(
    tab: Any, sheet: Sheet, look: TabStyle | None, formats: Formats, names: Mapping[str, str]
) -> list[str]:
    """Write one tab, row by row; returns in words what could not be kept.

    `names` are those of the tabs of its file in the new workbook, so that links resolve.
    """
    look = look or TabStyle()
    _set_columns(tab, sheet, look)
    hidden_rows = {row for row in sheet.hidden_rows if row < MAX_ROWS}
    places = [*look.styled, *look.links, *look.notes]
    lowest = max([sheet.height - 1, *(row for row, _ in places), *hidden_rows], default=-1)
    lost = 0
    by_row: dict[int, set[int]] = {}
    for row, column in places:
        by_row.setdefault(row, set()).add(column)
    for row in range(min(lowest + 1, MAX_ROWS)):
        if row in hidden_rows:
            tab.set_row(row, None, None, {"hidden": True})
        cells = sheet.rows[row] if row < sheet.height else ()
        filled = {column for column, cell in enumerate(cells) if cell != ""}
        for column in sorted(filled | by_row.get(row, set())):
            if column < MAX_COLUMNS:
                cell = cells[column] if column < len(cells) else ""
                # Only the row that is written now takes anything.
                if note := look.notes.get((row, column)):
                    tab.write_comment(row, column, note.text, {"author": note.author})
                link = look.links.get((row, column))
                lost += link is not None and not _link(tab, row, column, link, names)
                _put(tab, row, column, cell, look.styled.get((row, column), {}), formats)
    # The library's own way to merge writes cells of later rows, which are not kept in memory.
    tab.merge += [list(span) for span in sheet.merges if span.top != span.bottom
                  or span.left != span.right]  # fmt: skip
    if look.freeze:
        tab.freeze_panes(*look.freeze)
    if look.filter:
        tab.autofilter(*look.filter)
    return [*look.lost, *([counted(lost, "link")] if lost else [])]


def _set_columns(tab: Any, sheet: Sheet, look: TabStyle) -> None:
    """The widths of columns, and which of them are hidden."""
    widths = look.widths if look.known else _fitting(sheet)
    hidden = set(sheet.hidden_columns)
    for column in sorted({*widths, *hidden}):
        if column < MAX_COLUMNS:
            width = widths.get(column)
            number = max(width - _PADDING, 0.0) if look.known and width is not None else width
            tab.set_column(column, column, number, None, {"hidden": column in hidden})


def _link(tab: Any, row: int, column: int, link: Link, names: Mapping[str, str]) -> bool:
    """Link a cell, which is written again afterwards; returns whether that succeeded."""
    address = link.address
    if link.place:
        where, _, cell = link.place.rpartition("!")
        name = names.get(where.strip("'").replace("''", "'")) if where else tab.get_name()
        quoted = (name or "").replace("'", "''")
        address = f"internal:'{quoted}'!{cell}" if name else ""
    if not address:
        return False
    try:
        return bool(tab.write_url(row, column, address, None, address, link.tip or None) == 0)
    except ValueError:  # longer than a workbook can hold
        return False


def _put(
    tab: Any, row: int, column: int, cell: Cell, look: Mapping[str, object], formats: Formats
) -> None:
    if cell == "":
        tab.write_blank(row, column, None, formats.of(look))
    elif isinstance(cell, bool):
        tab.write_boolean(row, column, cell, formats.of(look))
    elif isinstance(cell, float | int):
        tab.write_number(row, column, float(cell), formats.of(look))
    elif isinstance(cell, datetime | date | time | timedelta):
        usual = next(form for kind, form in _MOMENTS if isinstance(cell, kind))
        try:
            tab.write_datetime(row, column, cell, formats.of({"num_format": usual, **look}))
        except (ValueError, OverflowError):  # before the first day that a workbook knows
            tab.write_string(row, column, cell_text(cell), formats.of(look))
    else:
        text = cell if isinstance(cell, str) and not isinstance(cell, Flaw) else cell_text(cell)
        tab.write_string(row, column, text, formats.of(look))


def _fitting(sheet: Sheet) -> dict[int, float]:
    """Widths that fit the first rows, for files that have none."""
    columns = zip(*sheet.rows[:200], strict=True)
    longest = [max((len(cell_text(cell)) for cell in column), default=0) for column in columns]
    return {
        index: float(min(max(position + 2, 8), _WIDEST)) for index, position in enumerate(longest)
    }


def write_contents(tab: Any, bound: Sequence[Bound], formats: Formats) -> None:
    """The tab in front: what each tab is, and what is missing."""
    head = formats.of({"bold": True, "bottom": 1})
    link = formats.of({"font_color": "#0563C1", "underline": 1})
    names = ("tab", "file", "tab there", "rows", "columns", "note")
    tab.freeze_panes(1, 0)
    for column, (name, width) in enumerate(zip(names, (33, 48, 28, 8, 9, 60), strict=True)):
        tab.set_column(column, column, width)
        tab.write_string(0, column, name, head)
    for row, one in enumerate(bound, 1):
        if one.name:
            quoted = one.name.replace("'", "''")
            tab.write_url(row, 0, f"internal:'{quoted}'!A1", link, one.name)
        tab.write_string(row, 1, one.file)
        tab.write_string(row, 2, one.tab)
        if one.name:
            tab.write_number(row, 3, one.rows)
            tab.write_number(row, 4, one.columns)
        tab.write_string(row, 5, one.note)
