"""Where the tables of a tab are, by their look alone: heading rows, leading columns, values."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from boreotabula.drafting.types import type_of
from boreotabula.drafting.words import is_total, is_unit, level_name
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.workbooks.sheet import Cell, CellKind, Sheet

TEXT, FIGURE = 1, 2
"""What a filled cell looks like; 0 is blank."""
_MOST_LEVELS = 4
_BODY = 60
"""So many rows below the headings tell what a column holds."""

Looks = NDArray[np.uint8]


def looks_of(sheet: Sheet) -> Looks:
    """What each cell of a sheet looks like; a text that reads as a number or date is a figure."""
    looks: Looks = np.where(sheet.filled, np.uint8(FIGURE), np.uint8(0))
    for row, column, text in sheet.texts():
        code = text.strip()[:1] == "0" and text.strip().isdigit() and len(text.strip()) > 1
        looks[row, column] = FIGURE if reads_as_figure(text) and not code else TEXT
    looks[sheet.kinds == CellKind.OTHER] = FIGURE
    return looks


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

    @property
    def levels(self) -> int:
        """Number of heading rows."""
        return self.lowest - self.top + 1

    @property
    def signature(self) -> tuple[object, ...]:
        """Tables with the same may be read by the same layout."""
        if self.crossed:
            return "cross-tab", self.levels, self.leading, self.bare
        return "list", self.levels, self.columns

    @property
    def of_texts(self) -> bool:
        """Whether the values of a cross-tab are texts: marks or names."""
        return self.crossed and FIGURE not in self.columns[self.leading :]

    @property
    def values(self) -> range:
        """The columns of the values of a cross-tab."""
        return range(self.left + self.leading, self.right)


def shapes_of(sheet: Sheet) -> list[Shape]:
    """The tables of a sheet, in reading order."""
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
            found += list(_shapes_in(sheet, looks, row, found))
    return found


def _shapes_in(sheet: Sheet, looks: Looks, row: int, before: Sequence[Shape]) -> Iterator[Shape]:
    """The tables whose lowest heading row is some row, from left to right."""
    first = row + 1 if looks[row + 1].any() else row + 2
    if first >= sheet.height or not looks[first].any():
        return
    end = _first_blank(looks[first : first + _BODY], first)
    used: NDArray[np.bool_] = np.logical_or.reduce(looks[row:end] > 0)
    for left, right in _joined(sheet, row, first, list(_runs(used)), looks[first:end]):
        if _is_upper(sheet, looks, row, first, left, right):
            continue
        # Beyond a blank row another heading row heads what follows.
        if first > row + 1 and _heads_below(sheet, looks, first, left, right):
            continue
        if _is_headed(sheet, looks, row, first, end, left, right) and not any(
            one.lowest < row < one.end and one.left < right and left < one.right
            and not _repeats(sheet, one, row) for one in before
        ):  # fmt: skip
            shape = _shape(sheet, looks, row, first, end, left, right)
            # What it looks like is told by its first rows, where it ends by all of them.
            yield replace(shape, end=_first_blank(looks[first:], first))


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
            and _columns(body[:, left : left + 1])[0] == FIGURE
            and not set(sheet.rows[row][left:right]) & set(sheet.rows[row][slice(*found[-1])])
            and not _is_key(head, sheet, rows, left)
        )
        if goes_on:
            found[-1] = (found[-1][0], right)
        else:
            found.append((left, right))
    yield from found


def _is_upper(sheet: Sheet, looks: Looks, row: int, first: int, left: int, right: int) -> bool:
    """Whether the row below is a heading row as well: then this one is an upper level of it."""
    after = first + 1
    if first != row + 1 or after >= sheet.height or not looks[after, left:right].any():
        return False
    end = _first_blank(looks[after : after + _BODY], after)
    if _is_units(sheet, row, first, left, right):
        return False
    figures = [sheet.rows[first][at] for at in range(left, right) if looks[first, at] == FIGURE]
    # Years with a name beside them are values that happen to be such numbers; many numbers in a row
    # are none, if nothing stands over the names.
    beside = looks[first, left] and (looks[row, left] or len(figures) < _MANY)
    labels = not figures or (not beside and _label_figures(figures))
    return labels and _is_headed(sheet, looks, first, after, end, left, right)


_MANY = 5


def _heads_below(sheet: Sheet, looks: Looks, row: int, left: int, right: int) -> bool:
    """Whether a row holds the lowest headings of what stands right below it."""
    after = row + 1
    if after >= sheet.height or not looks[after, left:right].any():
        return False
    end = _first_blank(looks[after : after + _BODY], after)
    return _is_headed(sheet, looks, row, after, end, left, right)


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


def _first_blank(looks: Looks, start: int) -> int:
    """The first of some rows that is blank; `start` is the number of the first of them."""
    filled: list[bool] = np.logical_or.reduce(looks > 0, axis=1).tolist()
    return start + (filled.index(False) if False in filled else len(filled))


def _repeats(sheet: Sheet, shape: Shape, row: int) -> bool:
    """Whether a row inside a table repeats its headings."""
    here = [normal_form(cell_text(one)) for one in sheet.rows[row][shape.left : shape.right]]
    return here == [normal_form(cell_text(one)) for one in shape.heads]


def _runs(used: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """The runs of columns that hold anything."""
    start: int | None = None
    for at, there in enumerate([*used.tolist(), False]):
        if there and start is None:
            start = at
        elif not there and start is not None:
            yield start, at
            start = None


def _is_headed(
    sheet: Sheet, looks: Looks, row: int, first: int, end: int, left: int, right: int
) -> bool:
    """Whether a row holds the lowest headings of what stands below it."""
    heads = looks[row, left:right]
    body = looks[first:end, left:right]
    if np.count_nonzero(heads) < 1 or right - left < _FEWEST:
        return False
    figures = [sheet.rows[row][at] for at in range(left, right) if looks[row, at] == FIGURE]
    if figures and not _label_figures(figures):
        return False
    columns = _columns(body)
    valued = [at for at, look in enumerate(columns) if look == FIGURE]
    # Headings stand over nearly all columns of values, and values below nearly all of them.
    if valued:
        over = sum(bool(heads[at]) for at in valued)
        there = any(cells[valued].any() for cells in body[:_SOON])
        # A lone figure may head a column if nothing is over the names beside it.
        bare = not heads[0] and columns[0] == TEXT
        texts = np.count_nonzero(heads == TEXT) or len(figures) > 1 or bare
        return bool(2 * over > len(valued) and there and texts)
    level = _level_run(sheet.rows[row][left:right])
    if level and level[1] - level[0] > _FEWEST and heads[0] and body[:, level[0] : level[1]].any():
        return bool((body[:, 0] == TEXT).any() or (body[:, 0] == FIGURE).any())
    # A list of nothing but texts: headed by its first row, which none of the others is like.
    return bool(len(body) >= _FEWEST and (heads == TEXT).all() and right - left > _FEWEST
                and not looks[row - 1, left:right].all() if row else False)  # fmt: skip


_FEWEST = 2


def _label_figures(cells: Sequence[Cell]) -> bool:
    """Whether figures of a heading row are labels: years, dates, or 1, 2, 3."""
    if level_name(cells) or all(isinstance(one, date) for one in cells):
        return True
    numbers = [one for one in cells if isinstance(one, float)]
    if len(numbers) != len(cells) or len(numbers) < _FEWEST + 1:
        return False
    return all(after - one == 1 for one, after in pairwise(numbers))


def _columns(body: Looks) -> tuple[int, ...]:
    """What most filled cells of each column look like."""
    figures = np.count_nonzero(body == FIGURE, axis=0)
    texts = np.count_nonzero(body == TEXT, axis=0)
    found = np.where(figures > texts, FIGURE, np.where(texts, TEXT, 0))
    return tuple(int(one) for one in found)


def _shape(
    sheet: Sheet, looks: Looks, row: int, first: int, end: int, left: int, right: int
) -> Shape:
    columns = _columns(looks[first:end, left:right])
    heads = tuple(sheet.rows[row][left:right])
    start, stop = _value_run(columns, heads)
    if level := _level_run(heads):
        # Headings that are moments say where the values begin, whatever stands below them.
        stop = stop if start <= level[0] and stop > level[1] else level[1]
        start = level[0]
    while start + 1 < stop and _is_key(heads[start], sheet, range(first, end), left + start):
        start += 1
    top = _top(sheet, looks, row, left + start, left + stop, left)
    if not start and top < row:
        # Names may be numbers, such as days: nothing of the upper headings stands over them.
        over = [at for at in range(left, right) if looks[row - 1, at]]
        start = over[0] - left if over else 0
    above = [sheet.rows[at][left : left + start] for at in range(top, row + 1)]
    bare = start > 0 and not any(cell != "" for cells in above for cell in cells)
    crossed = bare or (
        _is_crossed(sheet, columns, heads, start, stop, row - top + 1, range(first, end), left)
        and not _differ_in_kind(sheet, range(first, end), range(left + start, left + stop))
    )
    return Shape(top if crossed else row, row, left, right, first, end, start, bare, top, heads,
                 columns, crossed)  # fmt: skip


def _level_run(heads: Sequence[Cell]) -> tuple[int, int] | None:
    """The longest run of headings that are moments of one kind, right of others."""
    names = [level_name([one]) if one != "" else "" for one in heads]
    best: tuple[int, int] | None = None
    start = 1
    while start < len(names):
        stop = start + 1
        while stop < len(names) and names[stop] == names[start]:
            stop += 1
        if names[start] and stop - start >= max(_FEWEST, best[1] - best[0] + 1 if best else 0):
            best = start, stop
        start = stop
    return best if best and not names[0] else None


def _value_run(columns: Sequence[int], heads: Sequence[Cell]) -> tuple[int, int]:
    """The longest run of columns without texts, the last of equals."""
    # A column that is blank so far may get values yet.
    runs = list(_runs(np.array([look != TEXT for look in columns], bool)))
    none = (len(columns), len(columns))
    return max(runs, key=lambda one: (one[1] - one[0], one[0]), default=none)


_KEYS = re.compile(
    r"(?:no|nr|nro|id|code|kode|koodi|kod|year|år|vuosi|jahr|month|måned|månad|kuukausi|monat|week"
    r"|uke|vecka|viikko|woche|day|dag|päivä|tag|postcode|postnummer)\b\.?"
)
"""Headings of columns of numbers that name rows."""


def _is_key(head: Cell, sheet: Sheet, rows: range, column: int) -> bool:
    """Whether a column of figures names the rows, as line numbers, years and codes do."""
    if not isinstance(head, str) or reads_as_figure(head):
        return False
    cells = [sheet.rows[row][column] for row in rows if sheet.rows[row][column] != ""]
    numbers = [one for one in cells if isinstance(one, float)]
    if not numbers or len(numbers) < len(cells):
        return False
    if _KEYS.fullmatch(head.strip().casefold()) and all(one.is_integer() for one in numbers):
        return True
    if len(numbers) < _FEWEST + 1:
        return False
    lines = [float(one) for one in range(1, len(numbers) + 1)]
    years = all(one.is_integer() and 1900 <= one <= 2100 for one in numbers)
    steps = all(0 <= after - one <= 1 for one, after in pairwise(numbers))
    return numbers == lines or (years and steps)


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
        # One text alone is a title, unless it is merged over the columns, or stands over the first.
        merged = any(
            one.right > one.left for one in sheet.merged_in(range(row - 1, row), range(start, stop))
        )
        if np.count_nonzero(over) == 1 and not (merged or over[0]):
            break
        if above[stop:].any() and np.count_nonzero(over) == 1 and not (merged or grouped):
            break
        row -= 1
    return row


def _has_dates(sheet: Sheet, rows: range, columns: range) -> bool:
    """Whether any of some columns holds dates."""
    for at in columns:
        cells = [sheet.rows[row][at] for row in rows[:_SAMPLE]]
        if type_of([one for one in cells if not is_total(cell_text(one))]) == "date":
            return True
    return False


def _is_crossed(
    sheet: Sheet,
    columns: Sequence[int],
    heads: Sequence[Cell],
    start: int,
    stop: int,
    levels: int,
    rows: range,
    left: int,
) -> bool:
    """Whether a table is a cross-tab: what its headings and columns speak for."""
    values = [one for one in heads[start:stop] if one != "" and not is_total(cell_text(one))]
    if stop - start < 1 or start == 0:
        return False
    for_cross = 2 * (levels > 1) + 3 * bool(level_name(values) and len(values) > 1)
    for_cross += 2 * any(is_total(cell_text(one)) for one in heads[start:])
    for_cross += (
        2 * _alike(values)
        + (len(values) >= max(_SEVERAL, start + 1))
        + all(len(cell_text(one)) <= _SHORT for one in values)
        # A capital alone is a grade or a class.
        + 2 * all(len(text) == 1 and text.isupper() for text in map(cell_text, values))
    )
    texts_after = sum(look == TEXT for look in columns[stop:])
    for_list = 2 * (len(values) < _FEWEST) + 2 * (texts_after > 1) + (start > _SEVERAL)
    for_list += _differ(values)
    # What stands beside a date and a name is an entry of a journal.
    if start >= _FEWEST and any(look == FIGURE for look in columns[:start]):
        for_list += 4 * _has_dates(sheet, rows, range(left, left + start))
    return for_cross > for_list


def _differ_in_kind(sheet: Sheet, rows: range, columns: range) -> bool:
    """Whether some columns hold dates and others numbers: a cross-tab has values of one kind."""
    kinds = set()
    for at in columns[:_MOST_SAMPLED]:
        cells = [sheet.rows[row][at] for row in rows[:_SAMPLE] if sheet.rows[row][at] != ""]
        if cells:
            kinds.add(type_of(cells))
    return bool(kinds & _MOMENTS and kinds & {"integer", "number", "percent"})


_MOST_SAMPLED, _SAMPLE = 12, 12
_MOMENTS = {"date", "datetime", "time", "month"}
_SEVERAL, _SHORT = 3, 3


def _alike(heads: Sequence[Cell]) -> bool:
    """Whether headings are the same words with other figures: “Pot 95”, “Pot 60”."""
    texts = [cell_text(one) for one in heads]
    words = {re.sub(r"\d+", "#", one) for one in texts}
    return len(texts) > 1 and len(set(texts)) > 1 and len(words) == 1 and "#" in next(iter(words))


def _differ(heads: Sequence[Cell]) -> int:
    """Whether headings name different measures: with different units, or in several words."""
    texts = [cell_text(one) for one in heads]
    units = {one.rpartition("(")[2] for one in texts if "(" in one}
    # Units below one another's headings name measures, unless they come again and again.
    named = len(set(texts)) == len(texts) > 1 and 2 * sum(map(is_unit, texts)) > len(texts)
    return 2 * (len(units) > 1) + 3 * named
