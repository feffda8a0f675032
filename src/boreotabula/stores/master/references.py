"""References to cells of a table, in formulas and lists of areas, when the table's rows change.

Rows below removed ones move up; new rows are added at the end. A reference to all rows of the table
still covers all of them afterwards, whether they are more or fewer.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

from boreotabula.layout.addresses import MAX_ROWS, column_letters, column_number


@dataclass(frozen=True)
class RowChange:
    """How the rows of a table on a tab change; all rows and columns count from 0."""

    tab: str
    top: int
    """The heading row."""
    left: int
    right: int
    ends: tuple[int, ...]
    """Rows that were the last one: of the table object, and of its filled part."""
    bottom: int
    """The new last row."""
    gone: Sequence[int] = ()
    """The removed rows, in order."""

    @property
    def moves(self) -> bool:
        """Whether any row changes its place."""
        return bool(self.gone)

    def row(self, row: int) -> int:
        """The new index of a row."""
        # Rows below the table keep their place, whatever becomes of it.
        return row - bisect_left(self.gone, row) if row <= max(self.ends) else row

    def rows(self, first: int, last: int, *, alone: bool = False) -> tuple[int, int] | None:
        """The rows that an area covers afterwards; None if all of its rows are removed.

        An area of a single cell that was written `alone` means that cell, never the whole column.
        """
        end = max(self.ends)
        # An area over the whole table stays one over the whole table, however many rows that is.
        if not alone and first <= self.top + 1 and last >= min(self.ends):
            return first, self.bottom if last in self.ends else max(last, self.bottom)
        if last <= self.top or first > end or not self.gone:
            return first, last
        within = min(last, end)
        left = bisect_left(self.gone, within + 1) - bisect_left(self.gone, max(first, self.top))
        if left >= last - first + 1:
            return None
        moved = self.row(last) if last <= end else last
        if last in self.gone:
            # The last row of the area goes; it ends with the one before.
            moved -= 1
        return self.row(first), moved

    def meets(self, first: int, last: int) -> bool:
        """Whether columns are among those of the table."""
        return first <= self.right and last >= self.left


class LostReferenceError(Exception):
    """A formula refers to a cell of a removed row; the text is the reference."""


_CELL = r"\$?[A-Za-z]{1,3}\$?[0-9]{1,7}"
_REFERENCE = re.compile(
    r'"(?:[^"]|"")*"'  # a text
    r"|\[[^\[\]]*\]"  # a column of a table object
    r"|(?<![\w.$'!\]])(?P<tab>(?:'(?:[^']|'')+'|[\w.]+)!)?"
    rf"(?P<first>{_CELL})(?::(?P<last>{_CELL}))?(?![\w(.!])"
)


def changed_formula(formula: str, change: RowChange, *, on_tab: bool, whole: bool = False) -> str:
    """A formula whose references to the table follow its rows.

    `on_tab` says whether it stands on the table's own tab, where references need not name it;
    `whole` whether a single cell that it names was a whole column, as in charts. Raises
    LostReferenceError.
    """

    def one(match: re.Match[str]) -> str:
        if match["first"] is None:
            return match[0]
        # A reference without a tab means the formula's own tab.
        named = _tab_of(match["tab"])
        if named is None and not on_tab:
            return match[0]
        if named is not None and named.casefold() != change.tab.casefold():
            return match[0]
        area = _changed_area(match["first"], match["last"], change, whole=whole)
        if area is None:
            raise LostReferenceError(match[0])
        return (match["tab"] or "") + area

    return _REFERENCE.sub(one, formula)


def changed_areas(areas: str, change: RowChange) -> str:
    """Areas separated by blanks, as conditional formats list them; removed ones are omitted."""
    texts = []
    for part in areas.split():
        first, _, last = part.partition(":")
        area = _changed_area(first, last or None, change, whole=True)
        if area is not None:
            texts.append(area)
    return " ".join(texts)


def _tab_of(prefix: str | None) -> str | None:
    if prefix is None:
        return None
    name = prefix.removesuffix("!")
    return name[1:-1].replace("''", "'") if name.startswith("'") else name


_PARTS = re.compile(r"(\$?)([A-Za-z]{1,3})(\$?)([0-9]{1,7})")


def _changed_area(first: str, last: str | None, change: RowChange, *, whole: bool) -> str | None:
    start, end = _PARTS.fullmatch(first), _PARTS.fullmatch(last or first)
    if start is None or end is None:
        # A name or a whole column is no cell.
        return first if last is None else f"{first}:{last}"
    columns = column_number(start[2].upper()), column_number(end[2].upper())
    rows = int(start[4]) - 1, int(end[4]) - 1
    same = first if last is None else f"{first}:{last}"
    # Areas down to the last row mean the whole column and stay.
    if not change.meets(*columns) or rows[1] >= MAX_ROWS - 1 or rows[0] > rows[1]:
        return same
    now = change.rows(*rows, alone=last is None and not whole)
    if now is None:
        return None
    if now == rows:
        return same
    top, bottom = f"{start[1]}{start[2]}{start[3]}{now[0] + 1}", now[1] + 1
    if last is None and now[0] == now[1]:
        return top
    return f"{top}:{end[1]}{end[2]}{end[3]}{bottom}"


def area_text(top: int, left: int, bottom: int, right: int, *, fixed: bool = False) -> str:
    """An area such as 'A3:F63', or '$A$3:$F$63' if it is absolute; rows and columns from 0."""
    mark = "$" if fixed else ""
    first, last = column_letters(left), column_letters(right)
    return f"{mark}{first}{mark}{top + 1}:{mark}{last}{mark}{bottom + 1}"
