"""How a tab is drawn on a terminal: fitted to its width, with a sign for everything unusual."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from rich.text import Text

from boreotabula.cli.role_looks import ROLE_LOOKS
from boreotabula.cli.screen import PlainConsole
from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address, column_letters, parse_address
from boreotabula.reading.account.roles import Role
from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.sheets.sheet import Cell, Code, Flaw, Sheet
from boreotabula.texts import counted

if TYPE_CHECKING:
    from boreotabula.batch.views import TabView

Window = tuple[int, int, int, int]
"""First row and column, last row and column, counted from 0."""


_NUMBER_AS_TEXT = "magenta"
_NARROWEST = 5
_ALONE = 22
"""A text with blank cells beside it overflows into them, so its column need not be wider."""
_WIDEST = 60
"""Longer texts are cut, however much room there is."""
_HIDDEN = "~"
_RIGHTWARD, _DOWNWARD = "→", "↓"


def parse_window(text: str) -> Window:
    """A range such as 'B2:H30' or 'C7'. Raises CallError if it is no range."""
    first, _, last = text.partition(":")
    try:
        (top, left), (bottom, right) = parse_address(first), parse_address(last or first)
    except ValueError:
        raise CallError(f"“{text}” is not a range of cells such as B2:H30") from None
    return min(top, bottom), min(left, right), max(top, bottom), max(left, right)


def described(view: TabView, window: Window | None) -> dict[str, Any]:
    """A tab as plain data: each filled cell with its address, content and role."""
    sheet = view.sheet
    top, left, bottom, right = _bounds(sheet, window)
    return {
        "tab": sheet.name,
        "visibility": sheet.visibility,
        "merged": [
            f"{Address(merge.top, merge.left)}:{Address(merge.bottom, merge.right)}"
            for merge in sheet.merges
        ],
        "hidden_rows": [row + 1 for row in sheet.hidden_rows],
        "hidden_columns": [column_letters(column) for column in sheet.hidden_columns],
        "tables": [
            {
                "name": table.name,
                "cells": f"{Address(table.top, table.left)}:{Address(table.bottom, table.right)}",
            }
            for table in sheet.tables
        ],
        "cells": [
            _described_cell(view, row, column)
            for row in range(top, bottom + 1)
            for column in range(left, right + 1)
            if sheet.rows[row][column] != ""
        ],
    }


def _described_cell(view: TabView, row: int, column: int) -> dict[str, Any]:
    cell = view.sheet.rows[row][column]
    cells = {
        "cell": str(Address(row, column)),
        "content": cell_text(cell) if _as_text(cell) else cell,
        "kind": "error" if isinstance(cell, Flaw) else _KINDS.get(kind_of(cell), kind_of(cell)),
    }
    if view.reading is not None:
        roles = view.reading.roles
        cells["role"] = roles.role(row, column).word
        why = roles.why(row, column)
        if why:
            cells["why"] = why
    return cells


def _as_text(cell: Cell) -> bool:
    return isinstance(cell, Code) or not isinstance(cell, str | float | bool)


_KINDS = {"a number": "number", "a date or time": "date or time", "TRUE or FALSE": "yes or no"}


def _bounds(sheet: Sheet, window: Window | None) -> Window:
    top, left, bottom, right = window or (0, 0, sheet.height - 1, sheet.width - 1)
    return top, left, min(bottom, sheet.height - 1), min(right, sheet.width - 1)


# --- drawing ------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Drawn:
    """A cell as it is drawn."""

    text: str
    style: str = ""
    right: bool = False
    whole: bool = False
    """Whether it is a number, or looks like one: then it is never cut."""


def print_part(
    console: PlainConsole,
    view: TabView,
    file: str,
    rows: Sequence[int],
    columns: Sequence[int],
    marked: Collection[tuple[int, int]],
) -> None:
    """Draw some rows and columns of a tab, some cells of them marked."""
    console.tell(_title(view.sheet, file))
    window = (rows[0], columns[0], rows[-1], columns[-1])
    drawing = _Drawing(view, window, len(rows))
    drawing.rows, drawing.more_rows = list(rows), []
    drawing.columns, drawing.marked = list(columns), frozenset(marked)
    for line in drawing.lines(console.width):
        console.print(line, no_wrap=True, overflow="crop", soft_wrap=True)
    for note in drawing.meanings(counted=False):
        console.tell(note)


def print_tab(
    console: PlainConsole,
    view: TabView,
    file: str,
    window: Window | None,
    most_rows: int,
    *,
    brief: bool = False,
) -> None:
    """Draw a tab: a line above, the cells, and what the signs mean; if `brief`, without the
    meanings."""
    sheet = view.sheet
    console.tell(_title(sheet, file))
    top, left, bottom, right = _bounds(sheet, window)
    if sheet.blank or top > bottom or left > right:
        console.print("nothing stands here", style="dim")
        return
    drawing = _Drawing(view, (top, left, bottom, right), most_rows)
    for line in drawing.lines(console.width):
        console.print(line, no_wrap=True, overflow="crop", soft_wrap=True)
    if brief and drawing.more_rows:
        console.print(f"… {counted(len(drawing.more_rows), 'more filled row')}", style="dim")
    for note in drawing.notes() if not brief else ():
        console.tell(note)


def _title(sheet: Sheet, file: str) -> Text:
    title = Text.assemble((f"{file} › {sheet.name}" if sheet.name else file, "bold"))
    title.append(f"  {sheet.height} rows × {sheet.width} columns")
    if sheet.visibility.value != "visible":
        title.append(f" · {sheet.visibility.value}", "bold magenta")
    for table in sheet.tables:
        first, last = Address(table.top, table.left), Address(table.bottom, table.right)
        title.append(f" · table {table.name} {first}:{last}")
    return title


class _Drawing:
    """The part of a tab that fits on the terminal."""

    def __init__(self, view: TabView, window: Window, most_rows: int) -> None:
        self.view, self.sheet = view, view.sheet
        self.top, self.left, bottom, self.right = window
        self.hidden_rows = set(self.sheet.hidden_rows)
        self.hidden_columns = set(self.sheet.hidden_columns)
        self.covered = dict(self._covered())
        self.seen: set[str] = set()
        filled = [row for row in range(self.top, bottom + 1) if self._any(row)]
        self.rows = filled[:most_rows]
        self.more_rows = filled[most_rows:]
        self.last_row = bottom
        self.cut_columns: list[int] = []
        self.columns: list[int] | None = None
        """The columns to draw; None for all that are filled."""
        self.marked: frozenset[tuple[int, int]] = frozenset()

    def _any(self, row: int) -> bool:
        return bool(self.sheet.filled[row, self.left : self.right + 1].any())

    def _covered(self) -> Iterator[tuple[tuple[int, int], str]]:
        """The cells that merged ranges cover, and the sign that points to their content."""
        for span in self.sheet.merges:
            # Some files merge whole columns; no more than this is drawn anyway.
            for row in range(span.top, min(span.bottom, span.top + 500) + 1):
                for column in range(span.left, min(span.right, span.left + 500) + 1):
                    if (row, column) != (span.top, span.left):
                        yield (row, column), _RIGHTWARD if row == span.top else _DOWNWARD

    def lines(self, width: int) -> Iterator[Text]:
        """The heading line of letters, then a line for each filled row; blank rows folded."""
        gutter = len(str(self.last_row + 1)) + 1
        columns = self.columns or [
            column
            for column in range(self.left, self.right + 1)
            if self.sheet.column_filled(column, self.top, self.last_row + 1)
            or self._between(column)
        ]
        drawn = {row: [self._cell(row, column) for column in columns] for row in self.rows}
        widths = _fitted(
            [self._letters(column) for column in columns], list(drawn.values()), width - gutter - 1
        )
        self.cut_columns = columns[len(widths) :]
        head = Text(" " * (gutter + 1))
        for column, size in zip(columns, widths, strict=False):
            head.append(self._letters(column).center(size), "bold")
            head.append(" ")
        yield head
        before = self.top - 1
        for row in self.rows:
            if row > before + 1:
                skipped = _rows(row - before - 1, blank=self.columns is None)
                yield Text(f"{'⋮':>{gutter}} {skipped}", "dim")
            before = row
            yield self._line(row, drawn[row], widths, gutter)

    def _between(self, column: int) -> bool:
        return self.left < column < self.right

    def _letters(self, column: int) -> str:
        hidden = column in self.hidden_columns
        self.seen |= {_HIDDEN} if hidden else set()
        return column_letters(column) + (_HIDDEN if hidden else "")

    def _line(self, row: int, cells: Sequence[_Drawn], widths: Sequence[int], gutter: int) -> Text:
        hidden = row in self.hidden_rows
        self.seen |= {_HIDDEN} if hidden else set()
        line = Text()
        line.append(f"{row + 1}{_HIDDEN if hidden else ''}".rjust(gutter), "bold")
        line.append(" ")
        column = 0
        while column < len(widths):
            cell, size = cells[column], widths[column]
            column += 1
            while (
                len(cell.text) > size
                and column < len(widths)
                and not (cell.right or cells[column].text)
            ):
                size += 1 + widths[column]  # the text runs on over the blank cell beside it
                column += 1
            text = cell.text if len(cell.text) <= size else cell.text[: size - 1] + "…"
            line.append(text.rjust(size) if cell.right else text.ljust(size), cell.style)
            line.append(" ")
        return line

    def _cell(self, row: int, column: int) -> _Drawn:
        cell = self.sheet.rows[row][column]
        if cell == "":
            sign = self.covered.get((row, column), "")
            self.seen |= {sign} if sign else set()
            return _Drawn(sign, "dim")
        text, style = self._content(cell)
        right = not isinstance(cell, str | Flaw)
        # Cut in two, it would read as another number.
        whole = right or style == _NUMBER_AS_TEXT or _is_code(text)
        if self.view.reading is not None:
            role = self.view.reading.roles.role(row, column)
            letter, style = ROLE_LOOKS[role]
            whole = whole or role is Role.UNPLACED
            self.seen.add(letter)
            # On the inner side, so that numbers and texts stay aligned.
            text = f"{text} {letter}" if right else f"{letter} {text}"
        whole = whole and len(text) <= _WIDEST
        if (row, column) in self.marked:
            return _Drawn(f"[{text}]", f"{style} reverse".strip(), right, whole)
        return _Drawn(text, style, right, whole)

    def _content(self, cell: Cell) -> tuple[str, str]:
        if isinstance(cell, Flaw):
            self.seen.add("!")
            return f"!{cell.text}", "bold red"
        text = " ".join(cell_text(cell).split())
        if isinstance(cell, str) and _looks_like_number(text):
            self.seen.add("'")
            return f"'{text}", _NUMBER_AS_TEXT
        return text, "" if isinstance(cell, str) else "bright_blue"

    def notes(self) -> Iterator[Text]:
        """What was left out of the drawing, and what its signs mean."""
        if self.more_rows:
            first = Address(self.more_rows[0], self.left)
            last = Address(self.more_rows[-1], self.right)
            yield Text(f"… {len(self.more_rows)} more filled rows: --cells {first}:{last}", "dim")
        if self.cut_columns:
            first = Address(self.top, self.cut_columns[0])
            last = Address(self.last_row, self.cut_columns[-1])
            yield Text(
                f"… {len(self.cut_columns)} more columns do not fit: --cells {first}:{last}", "dim"
            )
        yield from self.meanings()

    def meanings(self, *, counted: bool = True) -> Iterator[Text]:
        """The meanings of the signs; letters of roles with the number of cells of the tab."""
        signs = [(sign, what) for sign, what in _SIGNS.items() if sign in self.seen]
        if signs:
            yield Text("   ".join(f"{sign} {what}" for sign, what in signs), "dim")
        if self.view.reading is not None:
            yield self._legend(counted=counted)

    def _legend(self, *, counted: bool) -> Text:
        assert self.view.reading is not None
        counts = self.view.reading.account.roles
        legend = Text()
        for role, (letter, style) in ROLE_LOOKS.items():
            if counts[role]:
                # Only between its entries a legend is broken.
                legend.append("   " if legend else "")
                entry = f"{letter} {role.word}" + (f" {counts[role]}" if counted else "")
                legend.append(entry.replace(" ", "\u00a0"), style)
        return legend


_SIGNS = {
    "'": "text that looks like a number",
    "!": "an error value, or no result",
    _RIGHTWARD: "merged with the cell at the left",
    _DOWNWARD: "merged with the cell above",
    _HIDDEN: "hidden",
}


def _is_code(text: str) -> bool:
    """Whether a text is one word with a digit in it: part of a code would be another code."""
    return " " not in text and any(map(str.isdigit, text))


def _rows(number: int, *, blank: bool) -> str:
    return f"{number} {'blank ' if blank else ''}row{'' if number == 1 else 's'}"


def _looks_like_number(text: str) -> bool:
    return any(sign.isdigit() for sign in text) and all(
        sign.isdigit() or sign in "+-.,' \u00a0\u202f%" for sign in text
    )


def _wanted(row: Sequence[_Drawn], column: int) -> int:
    """The width that a cell asks for."""
    runs_on = column + 1 < len(row) and not row[column + 1].text and not row[column].right
    return min(len(row[column].text), _ALONE if runs_on else _WIDEST)


def _fitted(heads: Sequence[str], rows: Sequence[Sequence[_Drawn]], width: int) -> list[int]:
    """Widths of the columns that fit: natural ones, else the widest texts are cut, else some
    columns are left out.

    A number, a code and an unplaced cell are never cut: the remainder would read as another one.
    """
    natural = [
        max(len(head), *(_wanted(row, index) for row in rows), 1)
        for index, head in enumerate(heads)
    ]
    numbers = [
        max((len(row[column].text) for row in rows if row[column].whole), default=0)
        for column in range(len(heads))
    ]
    cap = max(natural, default=0)

    def sizes() -> list[int]:
        return [max(min(index, cap), least) for index, least in zip(natural, numbers, strict=True)]

    while cap > _NARROWEST and sum(sizes()) + len(natural) > width:
        cap -= 1
    widths: list[int] = []
    for size in sizes():
        if widths and sum(widths) + len(widths) + size > width:
            break
        widths.append(size)
    return widths
