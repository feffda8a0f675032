"""Where the tables of a tab are, by their look alone: heading rows, leading columns, values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from boreotabula.drafting.tabs.crossed import (
    FEWEST,
    choice_run,
    differ_in_kind,
    is_crossed,
    is_key,
    is_mark,
    level_run,
    marks_run,
    value_run,
)
from boreotabula.drafting.tabs.looks import (
    FIGURE,
    TEXT,
    Looks,
    columns_of,
    first_blank,
    looks_of,
    runs_of,
)
from boreotabula.drafting.tabs.repeats import Repeats
from boreotabula.drafting.texts.words import is_total, is_unit, level_name
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet

_MOST_LEVELS = 4
_MOST_COUNTS = 4
"""So many columns of texts go with each column of their counts, at least."""
_BODY = 60
"""So many rows below the headings tell what a column holds."""


@dataclass(frozen=True)
class Shape:
    """A table by its look. Rows and columns counted from 0."""

    top: int
    """The first heading row; `lowest` is the last one."""
    lowest: int
    left: int
    right: int
    """The first column past it."""
    first: int
    """The first row below the headings."""
    end: int
    """The first row that may be none of its."""
    leading: int
    """So many columns stand left of the values."""
    bare: bool
    """Whether no leading column has a heading."""
    highest: int
    """The first row of headings that could belong to it, also where it is a list."""
    heads: tuple[Cell, ...]
    """The lowest headings, for each column."""
    columns: tuple[int, ...]
    """What most cells of each column look like."""
    crossed: bool
    """Whether it looks like a cross-tab, and not like a list."""
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
        """The columns of the values of a cross-tab."""
        return range(self.left + self.leading, self.right)


def shapes_of(sheet: Sheet, repeats: Repeats | None = None) -> list[Shape]:
    """The tables of a sheet, in reading order; `repeats` is what other tabs hold too."""
    if sheet.blank:
        return []
    looks = looks_of(sheet)
    found: list[Shape] = []
    for row in range(sheet.height - 1):
        # A row of a table that was found is none of headings, unless it repeats them.
        within = any(
            one.lowest < row < one.end
            and not looks[row, : one.left].any()
            and not looks[row, one.right :].any()
            and not _repeats(sheet, one, row)
            for one in found
        )
        if looks[row].any() and not within:
            # Those that were found decide whether a row is another one's.
            found += list(_shapes_in(sheet, looks, row, found, repeats))
    return found


def _shapes_in(
    sheet: Sheet, looks: Looks, row: int, before: Sequence[Shape], repeats: Repeats | None
) -> Iterator[Shape]:
    """The tables whose lowest heading row is some row, from left to right."""
    first = row + 1 if looks[row + 1].any() else row + 2
    if first >= sheet.height or not looks[first].any():
        return
    end = first_blank(looks[first : first + _BODY], first)
    used: NDArray[np.bool_] = np.logical_or.reduce(looks[row:end] > 0)
    for left, right in _joined(sheet, row, first, list(runs_of(used)), looks[first:end]):
        if _is_upper(sheet, looks, row, first, left, right, repeats):
            continue
        # Beyond a blank row another heading row heads what follows.
        if first > row + 1 and any(
            _heads_below(sheet, looks, at, left, right, repeats)
            for at in range(first, min(first + _SOON, sheet.height))
        ):
            continue
        if _is_headed(sheet, looks, row, first, end, left, right, repeats) and not any(
            one.lowest < row < one.end and one.left < right and left < one.right
            and not _repeats(sheet, one, row) for one in before
        ):  # fmt: skip
            last = _before_footer(looks, first, end, left, right)
            shape = _shape(sheet, looks, row, first, last, left, right)
            # What it looks like is told by its first rows, where it ends by all of them.
            yield replace(shape, end=_end_of(sheet, looks, shape, repeats))


def only_two_columns(sheet: Sheet) -> Shape | None:
    """All that stands on a sheet as a list headed by its first row, if that is two columns without
    a gap: it may as well be labels with their values."""
    rows, columns = (np.flatnonzero(sheet.filled.any(axis=at)) for at in (1, 0))
    if len(columns) != FEWEST or len(rows) <= FEWEST:
        return None
    top, left, end, right = (
        int(one) for one in (rows[0], columns[0], rows[-1] + 1, columns[-1] + 1)
    )
    if not sheet.filled[top:end, left:right].all() or not sheet.is_text[top, left:right].all():
        return None
    return table_at(sheet, top, range(top + 1, end), range(left, right))


def table_at(sheet: Sheet, heading: int, rows: range, columns: range) -> Shape:
    """A list at a known place: its heading row, the rows of its records, and its columns."""
    shape = _shape(
        sheet, looks_of(sheet), heading, rows.start, rows.stop, columns.start, columns.stop
    )
    return replace(shape, crossed=False, top=heading, highest=heading)


def _joined(
    sheet: Sheet, row: int, first: int, runs: Sequence[tuple[int, int]], body: Looks
) -> Iterator[tuple[int, int]]:
    """Runs of columns under a heading row; one that begins with values goes on with the table left
    of it, beyond a blank column, unless the same headings begin anew."""
    found: list[tuple[int, int]] = []
    rows = range(first, first + len(body))
    for left, right in runs:
        near = found and left - found[-1][1] == 1 and found[-1][1] - found[-1][0] > 1
        head = sheet.rows[row][left]
        goes_on = (
            near
            and head != ""
            and columns_of(body[:, left : left + 1])[0] == FIGURE
            and not set(sheet.rows[row][left:right]) & set(sheet.rows[row][slice(*found[-1])])
            and not is_key(head, sheet, rows, left)
        )
        if goes_on:
            found[-1] = (found[-1][0], right)
        else:
            found.append((left, right))
    yield from found


def _is_upper(
    sheet: Sheet, looks: Looks, row: int, first: int, left: int, right: int,
    repeats: Repeats | None,
) -> bool:  # fmt: skip
    """Whether the row below is a heading row as well: then this one is an upper level of it."""
    after = first + 1
    if first != row + 1 or after >= sheet.height or not looks[after, left:right].any():
        return False
    end = first_blank(looks[after : after + _BODY], after)
    if _is_units(sheet, row, first, left, right):
        return False
    figures = [sheet.rows[first][at] for at in range(left, right) if looks[first, at] == FIGURE]
    # Years with a name beside them are values that happen to be such numbers; many numbers in a row
    # are none, if nothing stands over the names.
    beside = looks[first, left] and (looks[row, left] or len(figures) < _MANY)
    labels = not figures or (not beside and _label_figures(figures))
    return labels and _is_headed(sheet, looks, first, after, end, left, right, repeats)


_MANY = 5


def _heads_below(
    sheet: Sheet, looks: Looks, row: int, left: int, right: int, repeats: Repeats | None
) -> bool:
    """Whether a row holds the lowest headings of what stands right below it."""
    after = row + 1
    if after >= sheet.height or not looks[after, left:right].any():
        return False
    end = first_blank(looks[after : after + _BODY], after)
    return _is_headed(sheet, looks, row, after, end, left, right, repeats)


_SOON = 4
"""Values stand in one of so many rows below the headings: units and groups may come first."""


def _is_units(sheet: Sheet, row: int, below: int, left: int, right: int) -> bool:
    """Whether the texts of a row are the units of the headings above: all of them the same, under
    headings that differ, or most of them units that are in use."""
    heads, units = (
        [cell_text(cell) for cell in sheet.rows[at][left + 1 : right] if cell != ""]
        for at in (row, below)
    )
    if len(set(heads)) < len(heads) or not units or len(units) > len(heads):
        return False
    known = sum(is_unit(one) for one in units)
    same = len(set(units)) == 1 and len(units) == len(heads) > 1
    return same or (2 * known > len(units) and not sheet.rows[below][left])


def _repeats(sheet: Sheet, shape: Shape, row: int) -> bool:
    """Whether a row inside a table repeats its headings."""
    at, head = next(((at, cell) for at, cell in enumerate(shape.heads) if cell != ""), (0, ""))
    # Most rows differ in their first cell already.
    if normal_form(cell_text(sheet.rows[row][shape.left + at])) != normal_form(cell_text(head)):
        return False
    here = [normal_form(cell_text(one)) for one in sheet.rows[row][shape.left : shape.right]]
    return here == [normal_form(cell_text(one)) for one in shape.heads]


def _is_headed(
    sheet: Sheet, looks: Looks, row: int, first: int, end: int, left: int, right: int,
    repeats: Repeats | None,
) -> bool:  # fmt: skip
    """Whether a row holds the lowest headings of what stands below it."""
    heads = looks[row, left:right]
    body = looks[first:end, left:right]
    if np.count_nonzero(heads) < 1 or right - left < FEWEST:
        return False
    figures = [sheet.rows[row][at] for at in range(left, right) if looks[row, at] == FIGURE]
    below = [sheet.cell(first, at) for at in range(left, right) if looks[row, at] == FIGURE]
    if figures and (not _label_figures(figures) or _come_again(figures, below)):
        return False
    columns = columns_of(body)
    valued = [at for at, look in enumerate(columns) if look == FIGURE]
    # Headings stand over nearly all columns of values, and values below nearly all of them.
    if valued:
        over = sum(bool(heads[at]) for at in valued)
        there = any(cells[valued].any() for cells in body[:_SOON])
        # A lone figure may head a column if nothing is over the names beside it.
        bare = not heads[0] and columns[0] == TEXT
        texts = np.count_nonzero(heads == TEXT) or len(figures) > 1 or bare
        return bool(2 * over > len(valued) and there and texts)
    level = level_run(sheet.rows[row][left:right])
    if level and level[1] - level[0] > FEWEST and heads[0] and body[:, level[0] : level[1]].any():
        return bool((body[:, 0] == TEXT).any() or (body[:, 0] == FIGURE).any())
    return _heads_texts(sheet, looks, row, range(first, end), left, right, repeats)


def _heads_texts(
    sheet: Sheet, looks: Looks, row: int, rows: range, left: int, right: int,
    repeats: Repeats | None,
) -> bool:  # fmt: skip
    """Whether a row heads a list of nothing but texts: it stands on other tabs, too, while the rows
    below it do not; of a tab that is alone, if none of its texts comes again below it."""
    heads = sheet.rows[row][left:right]
    if len(rows) < 1 or not (looks[row, left:right] == TEXT).all():
        return False
    if choice_run(sheet, rows, range(left, right)) and not any(map(is_mark, heads)):
        return True
    below = [sheet.rows[at][left:right] for at in rows]
    if repeats is not None and repeats.tabs > 1:
        most = max(map(repeats.tabs_with, below[:_SAMPLE]))
        return repeats.is_fixed(heads) and repeats.tabs_with(heads) > most
    if len(rows) < FEWEST or (row and looks[row - 1, left:right].all()):
        return False
    plain = [normal_form(cell_text(cell)) for cell in heads]
    columns = [{normal_form(cell_text(cells[at])) for cells in below} for at in range(len(heads))]
    unlike = not any(text in column for text, column in zip(plain, columns, strict=True))
    return unlike and len(set(plain)) == len(plain) and right - left > FEWEST


_SAMPLE = 12
"""So many rows tell whether the rows of a list are the same on other tabs."""


def _before_footer(looks: Looks, first: int, end: int, left: int, right: int) -> int:
    """The first row of the footer of a table, or its end: rows that hold a text in a column of
    figures and nothing in its first column, as net sum and tax below the lines of an invoice."""
    figures = looks[first, left:right] == FIGURE
    while end > first + 1:
        row = looks[end - 1, left:right]
        if row[0] or not looks[first, left] or not (row[figures] == TEXT).any():
            return end
        end -= 1
    return end


def _end_of(sheet: Sheet, looks: Looks, shape: Shape, repeats: Repeats | None) -> int:
    """The first row past a table: a blank row ends it, unless rows like its own follow."""
    left, right = shape.left, shape.right
    own: Looks = looks[:, left:right]
    whole = first_blank(own[shape.first :], shape.first)
    end = _before_footer(looks, shape.first, whole, left, right)
    if end < whole:
        return end
    always: NDArray[np.bool_] = np.logical_and.reduce(own[shape.first : end] > 0, axis=0)
    while True:
        after = np.flatnonzero(own[end:].any(axis=1))
        if not len(after) or after[0] > _WIDEST_GAP:
            return end
        start = end + int(after[0])
        stop = first_blank(own[start:], start)
        rows = [row for row in range(start, stop) if not _names_group(looks, shape, row)]
        if (
            not rows
            or not all(_continues(sheet, looks, shape, row, always) for row in rows)
            or _is_headed(sheet, looks, start, start + 1, stop, left, right, repeats)
        ):
            return end
        end = stop


_WIDEST_GAP = 2


def _names_group(looks: Looks, shape: Shape, row: int) -> bool:
    """Whether a row holds nothing but a text in the first column of a table, as the name of a group
    does."""
    return bool(looks[row, shape.left] == TEXT and np.count_nonzero(looks[row]) == 1)


def _continues(
    sheet: Sheet, looks: Looks, shape: Shape, row: int, always: NDArray[np.bool_]
) -> bool:
    """Whether a row beyond a blank one is one of a table: its cells look as those above do, and no
    column is blank that all rows before fill, but for a row of sums."""
    cells = looks[row, shape.left : shape.right]
    texts = sheet.rows[row][shape.left : shape.right]
    if any(is_total(cell_text(cell)) for cell in texts if isinstance(cell, str)):
        return bool((cells == FIGURE).any())
    beside = looks[row, : shape.left].any() or looks[row, shape.right :].any()
    columns = np.array(shape.columns, np.uint8)
    unlike = (cells > 0) & (columns > 0) & (cells != columns)
    several = np.count_nonzero(cells) > 1 or shape.right - shape.left == 1
    lacks = (always & (cells == 0)).any()
    figures = not (columns == FIGURE).any() or bool((cells[columns == FIGURE] == FIGURE).any())
    label = isinstance(texts[0], str) and texts[0].rstrip().endswith((":", "："))
    return bool(several and figures and not unlike.any() and not lacks and not label
                and not (beside and shape.left == 0))  # fmt: skip


def _label_figures(cells: Sequence[Cell]) -> bool:
    """Whether figures of a heading row are labels: years, dates, or 1, 2, 3."""
    if level_name(cells) or all(isinstance(one, date) for one in cells):
        return True
    numbers = [one for one in cells if isinstance(one, float)]
    if len(numbers) != len(cells) or len(numbers) < FEWEST + 1:
        return False
    return all(after - one == 1 for one, after in pairwise(numbers))


def _come_again(heads: Sequence[Cell], below: Sequence[Cell]) -> bool:
    """Whether moments stand over moments of the same kind: then they are values, as in a timetable.

    Years do not count: any number may look like one.
    """
    kind = level_name(heads)
    return kind not in ("", "year") and level_name(below) == kind


def _shape(
    sheet: Sheet, looks: Looks, row: int, first: int, end: int, left: int, right: int
) -> Shape:
    columns = columns_of(looks[first:end, left:right])
    heads = tuple(sheet.rows[row][left:right])
    start, stop = value_run(columns, heads)
    choices = choice_run(sheet, range(first, end), range(left, right))
    level = level_run(heads) or marks_run(heads, sheet, range(first, end), left) or choices
    if level:
        # Headings that are moments say where the values begin, whatever stands below them.
        stop = stop if start <= level[0] and stop > level[1] else level[1]
        start = level[0]
    while start + 1 < stop and is_key(heads[start], sheet, range(first, end), left + start):
        start += 1
    top = _top(sheet, looks, row, left + start, left + stop, left)
    if not start and top < row:
        # Names may be numbers, such as days: nothing of the upper headings stands over them.
        over = [at for at in range(left, right) if looks[row - 1, at]]
        start = over[0] - left if over else 0
    above = [sheet.rows[at][left : left + start] for at in range(top, row + 1)]
    bare = start > 0 and not any(cell != "" for cells in above for cell in cells)
    crossed = (
        bare
        or choices is not None
        or (
            is_crossed(sheet, columns, heads, start, stop, row - top + 1, range(first, end), left)
            and not differ_in_kind(sheet, range(first, end), range(left + start, left + stop))
        )
    )
    values = tuple(
        tuple(sheet.rows[at][column] for at in range(first, end)) for column in range(left, right)
    )
    return Shape(top if crossed else row, row, left, right, first, end, start, bare, top, heads,
                 columns, crossed, values)  # fmt: skip


def _top(sheet: Sheet, looks: Looks, lowest: int, start: int, stop: int, left: int) -> int:
    """The first heading row: those above the lowest that hold headings of groups of columns."""
    row = lowest
    while row > 0 and lowest - row < _MOST_LEVELS - 1:
        above = looks[row - 1]
        over, beside = above[start:stop], above[left:start]
        cells = [sheet.rows[row - 1][at] for at in range(start, stop) if above[at]]
        covering = sheet.merged(row - 1, start)
        if not cells and covering.left < start <= covering.right:
            # A heading that reaches over the values begins left of them.
            cells = [sheet.rows[row - 1][covering.left]]
        # Headings of groups that are merged over several columns belong to the table, as does one
        # over a first column that has none below.
        within = sheet.merged_in(range(row - 1, row), range(left, stop))
        grouped = any(left <= one.left < one.right < stop for one in within)
        grouped = grouped or bool(row == lowest and above[left] and not looks[row, left])
        if not cells or (beside.any() and looks[row, left:start].any() and not grouped):
            break
        figures = [one for one in cells if not isinstance(one, str)]
        if figures and not _label_figures(figures) and level_name(cells) == "":
            break
        # One text alone is a title, unless it is merged over the columns, or stands over the first
        # of the values, right of the names.
        merged = any(
            one.right > one.left for one in sheet.merged_in(range(row - 1, row), range(start, stop))
        )
        if np.count_nonzero(over) == 1 and not (merged or (over[0] and start > left)):
            break
        if above[stop:].any() and np.count_nonzero(over) == 1 and not (merged or grouped):
            break
        row -= 1
    return row
