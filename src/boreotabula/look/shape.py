"""A table of a tab as it looks: heading rows, leading columns, values."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from boreotabula.look.crossed import (
    FEWEST,
    TableColumns,
    choice_run,
    columns_beside,
    differ_in_kind,
    is_crossed,
    is_key,
    level_run,
    marks_run,
    value_run,
)
from boreotabula.look.heading_rows import are_labels, names_parts
from boreotabula.look.looks import FIGURE, TEXT, TabLook, looks_of_columns
from boreotabula.look.texts.words import is_total, level_name
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet

_MOST_LEVELS = 4
"""At most this many rows of headings are looked for."""
_MOST_COUNTS = 4
"""At least this many columns of texts belong to each column of their counts."""


@dataclass(frozen=True)
class Shape:
    """A table as it looks. Rows and columns count from 0."""

    top: int
    """The first heading row; `lowest` is the last one."""
    lowest: int
    left: int
    right: int
    """The first column past the table."""
    first: int
    """The first row below the headings."""
    end: int
    """The first row that may be outside the table."""
    leading: int
    """The number of columns left of the values."""
    bare: bool
    """Whether no leading column has a heading."""
    highest: int
    """The first row of headings that could belong to it, even if it is a list."""
    heads: tuple[Cell, ...]
    """The lowest headings, for each column."""
    columns: tuple[int, ...]
    """The look of most cells in each column."""
    crossed: bool
    """Whether it looks like a cross-tab, and not like a list."""
    beside: int = 0
    """The number of columns right of a cross-tab's values, if they include numbers of another
    measure."""
    values_of: tuple[tuple[Cell, ...], ...] = field(default=(), repr=False, compare=False)
    """The first cells of each column."""

    @property
    def levels(self) -> int:
        """Number of heading rows."""
        return self.lowest - self.top + 1

    @property
    def of_texts(self) -> bool:
        """Whether the values of a cross-tab are texts: marks or names, which may be counted beside
        them."""
        columns = self.columns[self.leading :]
        return self.crossed and columns.count(TEXT) >= max(_MOST_COUNTS * columns.count(FIGURE), 1)

    @property
    def values(self) -> range:
        """The columns of a cross-tab's values."""
        return range(self.left + self.leading, self.right - self.beside)


def only_two_columns(sheet: Sheet) -> Shape | None:
    """The whole sheet as a list headed by its first row, if it has only two columns without a gap:
    it may as well be labels with their values."""
    rows, columns = (np.flatnonzero(sheet.filled.any(axis=literal)) for literal in (1, 0))
    if len(columns) != FEWEST or len(rows) <= FEWEST:
        return None
    top, left, end, right = (
        int(value) for value in (rows[0], columns[0], rows[-1] + 1, columns[-1] + 1)
    )
    if not sheet.filled[top:end, left:right].all() or not sheet.is_text[top, left:right].all():
        return None
    return table_at(sheet, top, range(top + 1, end), range(left, right))


def table_at(sheet: Sheet, heading: int, rows: range, columns: range) -> Shape:
    """A list at a known place: its heading row, the rows of its records, and its columns."""
    shape = shape_of(TabLook.of(sheet), heading, rows, columns)
    return replace(shape, crossed=False, top=heading, highest=heading)


def shape_of(tab: TabLook, heading: int, rows: range, columns: range) -> Shape:
    """The table below a heading row, in some rows and columns of a tab; its end is not
    determined."""
    sheet, left = tab.sheet, columns.start
    looks = looks_of_columns(tab.part(rows, columns))
    heads = _heads(tab, heading, rows, columns)
    start, stop = value_run(looks, heads)
    choices = choice_run(sheet, rows, columns)
    level = level_run(heads) or marks_run(heads, sheet, rows, left) or choices
    if level:
        # Headings that are moments say where the values begin, whatever stands below them.
        stop = stop if start <= level[0] and stop > level[1] else level[1]
        start = level[0]
    while start + 1 < stop and is_key(heads[start], sheet, rows, left + start):
        start += 1
    top = _top(tab, heading, range(left + start, left + stop), left)
    if not start and top < heading:
        # Names may be numbers, such as days: nothing of the upper headings stands over them.
        over = [column for column in columns if tab.looks[heading - 1, column]]
        start = over[0] - left if over else 0
    above = [sheet.rows[row][left : left + start] for row in range(top, heading + 1)]
    bare = start > 0 and not any(cell != "" for cells in above for cell in cells)
    values = range(left + start, left + stop)
    crossed = (
        bare
        or choices is not None
        or (
            is_crossed(
                sheet, TableColumns(looks, heads, left, start, stop), heading - top + 1, rows
            )
            and not differ_in_kind(sheet, rows, values)
            and not _are_cut(sheet, heading, top, values)
            and not _is_ragged(tab, heading, top, values)
        )
    )
    cells = tuple(tuple(sheet.rows[row][column] for row in rows) for column in columns)
    beside = columns_beside(sheet, rows, values, heads[start:stop]) if crossed else 0
    beside += len(columns) - stop if beside else 0  # texts further to the right
    return Shape(
        top=top if crossed else heading, lowest=heading, left=left, right=columns.stop,
        first=rows.start, end=rows.stop, leading=start, bare=bare, highest=top, heads=heads,
        columns=looks, crossed=crossed, beside=beside, values_of=cells,
    )  # fmt: skip


def _is_ragged(tab: TabLook, heading: int, top: int, values: range) -> bool:
    """Whether only some of several columns of values have named parts.

    An example is a merged heading over “Net” and “Tax”, with nothing over or under “Distance”
    beside them. Each column of a cross-tab has a heading on each level.
    """
    if heading == top:
        return False
    heads = [[tab.sheet.rows[row][column] for row in range(top, heading + 1)] for column in values]
    # Sums stand beside the groups, and blank columns between them.
    own = [
        column for column, cells in zip(values, heads, strict=True)
        if any(cell != "" for cell in cells)
        and not any(is_total(cell_text(cell)) for cell in cells)
    ]  # fmt: skip
    merged = [
        span for span in tab.sheet.merged_in(range(top, heading), values) if span.right > span.left
    ]
    over = {column for span in merged for column in range(span.left, span.right + 1)}
    upper = {column for column in own if (tab.looks[top:heading, column] > 0).any()}
    if any(tab.looks[heading, column] == 0 and column in upper for column in own):
        return True
    # Unmerged headings reach on to the right: then nothing is said of the columns behind them.
    return bool(over) and upper <= over and not set(own) <= over


def _heads(tab: TabLook, heading: int, rows: range, columns: range) -> tuple[Cell, ...]:
    """The lowest headings of some columns; where only some have named parts, the others take theirs
    from the row above."""
    lower = tab.sheet.rows[heading][columns.start : columns.stop]
    if not heading or not names_parts(tab, heading - 1, heading, rows, columns):
        return tuple(lower)
    upper = tab.sheet.rows[heading - 1][columns.start : columns.stop]
    return tuple(low if low != "" else high for low, high in zip(lower, upper, strict=True))


def _are_cut(sheet: Sheet, heading: int, top: int, values: range) -> bool:
    """Whether headings are split over two rows.

    Then over each column of values stand two texts of its own, “Beds” and “occupied” below it. The
    upper heading of a group stands over several columns.
    """
    if heading - top != 1 or len(values) < FEWEST:
        return False
    levels = [sheet.rows[row][values.start : values.stop] for row in (top, heading)]
    worded = all(isinstance(cell, str) and cell for level in levels for cell in level)
    merged = any(span.right > span.left for span in sheet.merged_in(range(top, top + 1), values))
    unlike = all(len(set(level)) == len(level) for level in levels)
    return worded and unlike and not merged and not any(map(level_name, levels))


def _top(tab: TabLook, lowest: int, values: range, left: int) -> int:
    """The first heading row: those above the lowest that hold headings of groups of columns."""
    sheet, looks, start, stop = tab.sheet, tab.looks, values.start, values.stop
    row = lowest
    # Names may be numbers, such as days: then they stand in the first column all the same.
    names = slice(left, max(start, left + 1))
    while row > 0 and lowest - row < _MOST_LEVELS - 1:
        above = looks[row - 1]
        over, beside = above[start:stop], above[names]
        cells = [sheet.rows[row - 1][column] for column in range(start, stop) if above[column]]
        covering = sheet.merged(row - 1, start)
        if not cells and covering.left < start <= covering.right:
            # A heading that reaches over the values begins left of them.
            cells = [sheet.rows[row - 1][covering.left]]
        # Headings of groups that are merged over several columns belong to the table, as does one
        # over a first column that has none below.
        within = sheet.merged_in(range(row - 1, row), range(left, stop))
        grouped = any(left <= span.left < span.right < stop for span in within)
        grouped = grouped or bool(row == lowest and above[left] and not looks[row, left])
        if not cells or (beside.any() and looks[row, names].any() and not grouped):
            break
        # Names of rows are headed once: above a row without such a heading stand labels.
        headed = looks[row + 1 : lowest + 1, names].any()
        if beside.any() and headed and not looks[row, names].any():
            break
        figures = [cell for cell in cells if not isinstance(cell, str)]
        if figures and not are_labels(figures) and level_name(cells) == "":
            break
        # One text alone is a title, unless it is merged over the columns, or stands over the first
        # of the values, right of the names.
        merged = any(
            span.right > span.left
            for span in sheet.merged_in(range(row - 1, row), range(start, stop))
        )
        if np.count_nonzero(over) == 1 and not (merged or (over[0] and start > left)):
            break
        if above[stop:].any() and np.count_nonzero(over) == 1 and not (merged or grouped):
            break
        row -= 1
    return row
