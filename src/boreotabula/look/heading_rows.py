"""Which rows of a tab hold the headings of the table below."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from itertools import pairwise

import numpy as np

from boreotabula.layout.headings import normal_form
from boreotabula.look.crossed import FEWEST, choice_run, is_mark, level_run, marks_run
from boreotabula.look.looks import FIGURE, TEXT, TabLook, looks_of_columns
from boreotabula.look.texts.words import is_unit, level_name
from boreotabula.reading.cells import cell_text, count_on
from boreotabula.sheets.sheet import Cell, Sheet


def is_upper(tab: TabLook, row: int, first: int, columns: range) -> bool:
    """Whether the row below is a heading row as well: then this one is an upper level of it."""
    sheet, looks, left = tab.sheet, tab.looks, columns.start
    after = first + 1
    if first != row + 1 or after >= sheet.height or not tab.row(after, columns).any():
        return False
    if _is_units(sheet, row, first, columns) or _numbers_columns(tab, first, columns):
        return False
    figures = [sheet.rows[first][column] for column in columns if looks[first, column] == FIGURE]
    # Years with a name beside them are values that happen to be such numbers; many numbers in a row
    # are none, if nothing stands over the names.
    beside = looks[first, left] and (looks[row, left] or len(figures) < _MANY)
    labels = not figures or (not beside and are_labels(figures))
    return labels and is_headed(tab, first, tab.body(after), columns)


def _numbers_columns(tab: TabLook, row: int, columns: range) -> bool:
    """Whether a row below headings numbers all columns, including the first: a level of numbers
    stands only over values."""
    cells = tab.sheet.rows[row][columns.start : columns.stop]
    if "" in cells or not count_on(cells):
        return False
    above = tab.looks[max(row - _MOST_LEVELS, 0) : row, columns.start]
    return bool((above == TEXT).any())


_MOST_LEVELS = 3


def names_parts(tab: TabLook, row: int, first: int, body: range, columns: range) -> bool:
    """Whether the row `first`, right below headings, only names the parts of some of them: “Adult”
    and “Child” under “Passengers”, and nothing under the others.

    Such names are texts over columns of values, and some stand where the row above is blank. A
    record has no texts there.
    """
    upper, lower = tab.row(row, columns), tab.row(first, columns)
    named = lower > 0
    # Most rows are told by the cells of these two; what stands below them takes longer to look at.
    if not (named & (upper == 0)).any() or not (lower[named] == TEXT).all():
        return False
    # Nothing stands beside them that has no heading at all.
    if not (upper[~named] == TEXT).all():
        return False
    looks = np.array(looks_of_columns(tab.part(body, columns)))
    # Of a form that was not filled in nothing stands below them, but they stand on other tabs too.
    cells = tab.sheet.rows[first][columns.start : columns.stop]
    kinds = (FIGURE, 0) if tab.repeats is not None and tab.repeats.is_fixed(cells) else (FIGURE,)
    over = (upper > 0) | named
    return bool(np.isin(looks[named], kinds).all() and over[looks == FIGURE].all())


_MANY = 5
"""This many years or dates in a row are headings; fewer may be values beside a name."""


def heads_below(tab: TabLook, row: int, columns: range) -> bool:
    """Whether a row holds the lowest headings of the table right below it."""
    after = row + 1
    if after >= tab.sheet.height or not tab.row(after, columns).any():
        return False
    return is_headed(tab, row, tab.body(after), columns)


_SOON = 4
"""Values stand in one of this many rows below the headings: units and groups may come first."""


def _is_units(sheet: Sheet, row: int, below: int, columns: range) -> bool:
    """Whether the texts of a row are the units of the headings above: all of them the same, under
    headings that differ, or most of them units in use."""
    heads, units = (
        [
            cell_text(cell)
            for cell in sheet.rows[row][columns.start + 1 : columns.stop]
            if cell != ""
        ]
        for row in (row, below)
    )
    if len(set(heads)) < len(heads) or not units or len(units) > len(heads):
        return False
    count = sum(is_unit(unit) for unit in units)
    same = len(set(units)) == 1 and len(units) == len(heads) > 1
    return same or (2 * count > len(units) and not sheet.rows[below][columns.start])


def is_headed(tab: TabLook, row: int, rows: range, columns: range) -> bool:
    """Whether a row holds the lowest headings of some rows below it."""
    sheet = tab.sheet
    heads = tab.row(row, columns)
    body = tab.part(rows, columns)
    if _numbers_columns(tab, row, columns):
        return False
    if row and names_parts(tab, row - 1, row, rows, columns):
        return True
    if np.count_nonzero(heads) < 1 or len(columns) < FEWEST:
        return False
    numbered = [column for column in columns if tab.looks[row, column] == FIGURE]
    figures = [sheet.rows[row][column] for column in numbered]
    below = [sheet.cell(rows.start, index) for index in numbered]
    if figures and (not are_labels(figures) or _come_again(figures, below)):
        return False
    looks = looks_of_columns(body)
    valued = [index for index, look in enumerate(looks) if look == FIGURE]
    named = np.flatnonzero(heads)
    unnamed = [index for index in range(named[0], named[-1]) if not heads[index] and looks[index]]
    if len(unnamed) >= len(named):
        return False  # texts far apart, as in the head of a page
    # Headings stand over nearly all columns of values, and values below nearly all of them.
    if valued:
        over = sum(bool(heads[column]) for column in valued)
        present = any(cells[valued].any() for cells in body[:_SOON])
        # A lone figure may head a column if nothing is over the names beside it.
        bare = not heads[0] and looks[0] == TEXT
        texts = np.count_nonzero(heads == TEXT) or len(figures) > 1 or bare
        return bool(2 * over > len(valued) and present and texts)
    cells = sheet.rows[row][columns.start : columns.stop]
    if marks_run(cells, sheet, rows, columns.start):
        return bool((body[:, 0] == TEXT).any())
    level = level_run(cells)
    if level and level[1] - level[0] > FEWEST and heads[0] and body[:, level[0] : level[1]].any():
        return bool((body[:, 0] == TEXT).any() or (body[:, 0] == FIGURE).any())
    return _heads_texts(tab, row, rows, columns)


def _heads_texts(tab: TabLook, row: int, rows: range, columns: range) -> bool:
    """Whether a row heads a list of only texts.

    It stands on other tabs, too, while the rows below it do not; on a single tab, none of its texts
    is repeated below it.
    """
    sheet, repeats = tab.sheet, tab.repeats
    across = slice(columns.start, columns.stop)
    heads = sheet.rows[row][across]
    if len(rows) < 1 or not (tab.row(row, columns) == TEXT).all():
        return False
    if choice_run(sheet, rows, columns) and not any(map(is_mark, heads)):
        return True
    marks = [head for head in heads[1:] if is_mark(head)]
    if len(set(marks)) < len(marks):
        return False  # a row of marks, which come again, names no columns
    below = [sheet.rows[row][across] for row in rows]
    if repeats is not None and repeats.tabs > 1:
        count = repeats.tabs_with(heads)
        if not repeats.is_fixed(heads) or _is_below_headings(tab, row, columns, count):
            return False
        others = [repeats.tabs_with(cells) for cells in below[:_SAMPLE]]
        # The names of groups, and some answers, may be the same on all tabs as well; marks say
        # nothing of what varies, as it counts in which column they stand.
        several = [
            other < count or any(map(is_mark, cells[1:]))
            for other, cells in zip(others, below, strict=False)
            if sum(cell != "" for cell in cells) > 1
        ]
        vary = 2 * sum(several) > len(several)
        return count > max(others) or (vary and _are_unlike(heads, below))
    if len(rows) < FEWEST or (row and tab.row(row - 1, columns).all()):
        return False
    return len(columns) > FEWEST and _are_unlike(heads, below)


def _is_below_headings(tab: TabLook, row: int, columns: range, count: int) -> bool:
    """Whether texts over all columns stand right above a row, and on more tabs than its `count`.

    Then they are the headings, and the row is a record on two tabs.
    """
    if not row or tab.repeats is None or not (tab.row(row - 1, columns) == TEXT).all():
        return False
    return tab.repeats.tabs_with(tab.sheet.rows[row - 1][columns.start : columns.stop]) > count


def _are_unlike(heads: Sequence[Cell], below: Sequence[Sequence[Cell]]) -> bool:
    """Whether headings differ from each other, and each from everything below it."""
    plain = [normal_form(cell_text(cell)) for cell in heads]
    texts = [
        {normal_form(cell_text(cells[column])) for cells in below} for column in range(len(heads))
    ]
    unlike = not any(text in column for text, column in zip(plain, texts, strict=True))
    return unlike and len(set(plain)) == len(plain)


_SAMPLE = 12
"""This many rows show whether the rows of a list are the same on other tabs."""


def are_labels(cells: Sequence[Cell]) -> bool:
    """Whether figures of a heading row are labels: years, dates, or 1, 2, 3."""
    if level_name(cells) or all(isinstance(cell, date) for cell in cells):
        return True
    numbers = [cell for cell in cells if isinstance(cell, float)]
    if len(numbers) != len(cells) or len(numbers) < FEWEST + 1:
        return False
    return all(after - number == 1 for number, after in pairwise(numbers))


def _come_again(heads: Sequence[Cell], below: Sequence[Cell]) -> bool:
    """Whether moments stand over moments of the same kind: then they are values, as in a timetable.

    Years do not count: any number may look like a year.
    """
    kind = level_name(heads)
    return kind not in ("", "year") and level_name(below) == kind
