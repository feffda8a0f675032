"""Rows of a worksheet: moved, and written cell by cell."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.sax.saxutils import escape

from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address
from boreotabula.sheets.parts.editing import Package
from boreotabula.sheets.parts.worksheet import (
    Worksheet,
    cells_by_column,
    formula_of,
    move_row,
    put_cells,
    set_style,
    style_of,
)
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.master.follow import follow_formulas
from boreotabula.stores.master.place import TablePlace
from boreotabula.stores.master.references import RowChange


@dataclass(frozen=True)
class FurtherColumn:
    """The cell of a new row in a column that is no field."""

    style: int | None
    start: str = ""
    """The cell of the formula."""
    formula: str = ""

    def markup(self, address: Address) -> str:
        """The markup of the cell at an address; empty if there is nothing in it."""
        style = "" if self.style is None else f' s="{self.style}"'
        inner = f"<f>{escape(self._moved(address))}</f>" if self.formula else ""
        return f'<c r="{address}"{style}>{inner}</c>' if style or inner else ""

    def _moved(self, address: Address) -> str:
        from openpyxl.formula.translate import Translator  # heavy, and seldom needed

        moved: str = Translator(f"={self.formula}", self.start).translate_formula(str(address))
        return moved.removeprefix("=")


def move_rows(sheet: Worksheet, change: RowChange, where: str) -> None:
    """Remove some rows; the others move, and their formulas follow. `where` is the tab, in
    messages."""
    # All other rows move up by as many as go above them.
    places = {
        number: change.row(number) if number > change.top else number
        for number in sorted(sheet.rows.keys() - set(change.gone))
    }
    with_formulas = {places[index] for index in sheet.with_formulas & places.keys()}
    sheet.replace(((now, sheet.rows[was]) for was, now in places.items()), with_formulas)

    def moved(row: Any) -> bool:
        followed = follow_formulas(row, change, where, on_tab=True)
        number = int(row.get("r")) - 1
        if places[number] != number:
            move_row(row, places[number])
        return followed or places[number] != number

    sheet.edit({now for was, now in places.items() if was != now} | with_formulas, moved)


def put_row(
    sheet: Worksheet,
    number: int,
    cells: Mapping[int, str],
    further: Mapping[int, FurtherColumn] | None = None,
) -> None:
    """Write cells, given as markup, into a row; an empty text is a blank.

    `further` are the columns of a new row that are no fields. Cells of any other row keep their
    looks.
    """
    row = sheet.row(number)
    values_by_number = cells_by_column(row)
    texts_by_number = {
        column: text
        # A new row gets the formula and looks of further columns; an old one keeps its own.
        for column, further in (further or {}).items()
        if (text := further.markup(Address(number, column)))
    }
    written = texts_by_number | dict(cells)
    blank = {column: f'<c r="{Address(number, column)}"/>' for column in written}
    made = sheet.made("".join(text or blank[column] for column, text in written.items()))
    new = {}
    for (column, text), cell in zip(written.items(), made, strict=True):
        old = values_by_number.get(column)
        # A cell that is written anew keeps the style that a person gave it.
        if old is not None and further is None:
            set_style(cell, style_of(old))
        elif not text:
            if old is not None:
                row.remove(old)
            continue
        new[column] = cell
    put_cells(row, new)
    sheet.put(number, row)


def refuse_moving(
    package: Package, part: str, sheet: Sheet, place: TablePlace, change: RowChange, where: str
) -> None:
    """Raises CallError if rows that must move hold something that cannot move with them."""
    worksheet = package.worksheet(part)
    first, end = change.gone[0], max(change.ends)
    message = f"rows below row {first + 1} move up because records were removed, but"
    # Compared with the area of the table taken out: anything else in these rows would stay
    # behind.
    beside = sheet.filled[first : end + 1].copy()
    beside[:, place.left : place.right + 1] = False
    if beside.any():
        row, column = (int(values[0]) for values in beside.nonzero())
        raise CallError(
            f"{where}: {message} {Address(first + row, column)} beside the table cannot"
            " move with them; move it to another tab"
        )
    for kind in ("/comments", "/threadedComment"):
        for notes in package.related(part, kind).values():
            for note in package.tree(notes).iter("{*}comment", "{*}threadedComment"):
                row = int("".join(filter(str.isdigit, note.get("ref", "0")))) - 1
                if first <= row <= end:
                    raise CallError(
                        f"{where}: {message} the note of {note.get('ref')} cannot move"
                        " with them; write it in a column of its own"
                    )
    # A shared formula has its text in another row, which may move differently.
    shares = (
        formula.get("t") == "shared"
        for number in worksheet.with_formulas.intersection(range(place.top, max(place.ends) + 1))
        for formula in worksheet.row(number).iter("{*}f")
    )
    if any(shares):
        raise CallError(
            f"{where}: {message} formulas that cells share cannot move with them; enter"
            " them again in each row"
        )


def calculated_columns(
    sheet: Worksheet, columns: Iterable[int], numbers: Sequence[int]
) -> set[int]:
    """The columns, among some, that have a formula in each row."""
    calculated = set(columns)
    # Row by row until no column is left, which most often is the first row.
    for number in numbers:
        cells = cells_by_column(sheet.row(number))
        calculated = {
            column
            for column in calculated
            if column in cells and formula_of(cells[column]) is not None
        }
        if not calculated:
            break
    return calculated if numbers else set()


def further_column(
    sheet: Worksheet, change: RowChange, column: int, first: Any, is_calculated: bool
) -> FurtherColumn:
    """The cell of a new row in a column that is no field: its looks, and the formula of the column
    if every row has one.

    `first` is the original cell of the first row.
    """
    style = style_of(first)
    if not is_calculated:
        return FurtherColumn(style)
    # The formula of a row that stays, if one does: what it refers to has followed already. Of
    # cells that share a formula only the first one has its text (18.3.1.40).
    staying = (
        index for index in sorted(sheet.with_formulas) if change.top < index <= change.bottom
    )
    cells = (cells_by_column(sheet.row(number)).get(column) for number in staying)
    cell = next((cell for cell in cells if cell is not None and cell.findtext("{*}f")), first)
    formula = formula_of(cell)
    if not formula.text or formula.get("t") == "array":
        return FurtherColumn(style)
    return FurtherColumn(style, cell.get("r"), formula.text)
