"""A web page, often saved with the ending .xls: its first table becomes a sheet."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

from boreotabula.layout.addresses import MAX_COLUMNS
from boreotabula.limits import RANGE, Budget
from boreotabula.sheets.kinds import NO_TABLE
from boreotabula.sheets.look import check_extent
from boreotabula.sheets.sheet import Span
from boreotabula.sheets.text import find_encoding, read_whole
from boreotabula.unreadable import UnreadableError

_CHARSET = re.compile(rb"charset=[\"']?([\w-]+)", re.IGNORECASE)
_MOST_SPANNED = 1000
"""HTML allows no wider cell (4.9.11)."""


class WebTable(HTMLParser):
    """The cells and merged ranges of the first table of a page."""

    def __init__(self, budget: Budget) -> None:
        super().__init__()
        self._budget = budget
        self.cells: dict[tuple[int, int], str] = {}
        self.merges: list[Span] = []
        self.tables = 0
        self._depth = 0
        self._row = -1
        self._column = 0
        self._taken: dict[int, int] = {}
        """By column the last row to which a cell above reaches down."""
        self._place: tuple[int, int] | None = None
        self._text: list[str] = []
        self._bottom = self._right = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Rows and cells of the first table; tables within a cell are part of its text."""
        if tag == "table":
            self._depth += 1
            self.tables += self._depth == 1
        # Only the first table: pages have others for menus.
        if self.tables != 1 or self._depth != 1:
            return
        if tag == "tr":
            self._finish()
            self._row, self._column = self._row + 1, 0
        elif tag in ("td", "th"):
            self._finish()
            self._begin(dict(attrs))
        elif tag in ("br", "p") and self._text:
            self._text.append("\n")

    def handle_endtag(self, tag: str) -> None:
        """The end of a cell or of the table."""
        if tag in ("td", "th", "tr", "table") and self._depth == 1:
            self._finish()
        if tag == "table":
            self._depth = max(self._depth - 1, 0)

    def handle_data(self, data: str) -> None:
        """Text of the open cell."""
        if self._place is not None:
            self._text.append(data)

    def _begin(self, attrs: dict[str, str | None]) -> None:
        self._row = max(self._row, 0)
        # A cell that reaches down from a row above takes the place.
        while self._taken.get(self._column, -1) >= self._row:
            self._column += 1
        high, wide = _spanned(attrs.get("rowspan")), _spanned(attrs.get("colspan"))
        self._place = (self._row, self._column)
        if high * wide > 1:
            self.merges.append(
                Span(self._row, self._column, self._row + high - 1, self._column + wide - 1)
            )
            self._budget.hold(RANGE, "its merged cells")
        if high > 1:
            last = self._row + high - 1
            self._taken |= dict.fromkeys(range(self._column, self._column + wide), last)
        self._column += wide
        # A sheet has no more columns, and markup may claim any number.
        if self._column > MAX_COLUMNS:
            raise UnreadableError(
                f"its table is wider than {MAX_COLUMNS:,} columns, as no sheet is", NO_TABLE
            )

    def _finish(self) -> None:
        if self._place is not None:
            text = re.sub(r"[ \t\r\f\xa0]+", " ", "".join(self._text)).strip()
            if text:
                row, column = self._place
                self._bottom, self._right = max(self._bottom, row), max(self._right, column)
                # At each cell: a page may put cells anywhere by its spans.
                check_extent(self._bottom, self._right, len(self.cells), self._budget)
                self.cells[self._place] = text
        self._place, self._text = None, []


def _spanned(text: str | None) -> int:
    return min(max(int(text), 1), _MOST_SPANNED) if text and text.isdecimal() else 1


def read_web_page(path: Path, budget: Budget) -> tuple[list[list[str]], list[Span], str, bool]:
    """Rows and merged ranges of the first table, remarks, and whether there are further tables.

    Raises UnreadableError if there is no table, or the page is too large.
    """
    data = read_whole(path, budget)
    declared = _CHARSET.search(data[:4096])
    try:
        # A page may declare what no program knows; then its bytes tell.
        text = data.decode(declared[1].decode() if declared else find_encoding(data), "replace")
    except LookupError:
        text = data.decode(find_encoding(data), "replace")
    table = WebTable(budget)
    table.feed(text)
    table.close()
    if not table.cells:
        raise UnreadableError("it is a web page without a table", NO_TABLE)
    height = max(row for row, _ in table.cells) + 1
    width = max(column for _, column in table.cells) + 1
    rows = [
        [table.cells.get((row, column), "") for column in range(width)] for row in range(height)
    ]
    extra = f"; the first of its {table.tables} tables" if table.tables > 1 else ""
    return rows, table.merges, f"read as a web page{extra}, {height:,} rows", table.tables > 1
