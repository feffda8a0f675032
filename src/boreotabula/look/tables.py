"""The tables of a tab, without the labels and values that look like one.

They are recognised only by their look: rows of headings over columns of one kind.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import normal_form
from boreotabula.look.bodies import before_footer, end_of_table
from boreotabula.look.crossed import is_key
from boreotabula.look.heading_rows import heads_below, is_headed, is_upper
from boreotabula.look.looks import FIGURE, TEXT, TabLook, looks_of, looks_of_columns, runs_of
from boreotabula.look.repeats import Repeats, repeats_of
from boreotabula.look.shape import Shape, shape_of
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import CellKind, Sheet

_FEWEST_FILES = 2
_SOON = 4
"""The values of a table begin in one of this many rows below its headings."""


def shapes_of(sheet: Sheet, repeats: Repeats | None = None) -> list[Shape]:
    """The tables of a sheet, in reading order; `repeats` is what other tabs have, too."""
    if sheet.blank:
        return []
    tab = TabLook.of(sheet, repeats)
    looks = tab.looks
    shapes: list[Shape] = []
    for row in range(sheet.height - 1):
        # A row of a table that was found is none of headings, unless it repeats them.
        within = any(
            shape.lowest < row < shape.end
            and not looks[row, : shape.left].any()
            and not looks[row, shape.right :].any()
            and not _repeats_headings(sheet, shape, row)
            for shape in shapes
        )
        if looks[row].any() and not within:
            # Those that were found decide whether a row is another one's.
            shapes += list(_shapes_in(tab, row, shapes))
    return shapes


def _shapes_in(tab: TabLook, row: int, before: Sequence[Shape]) -> Iterator[Shape]:
    """The tables with a given lowest heading row, from left to right."""
    sheet, looks = tab.sheet, tab.looks
    first = row + 1 if looks[row + 1].any() else row + 2
    if first >= sheet.height or not looks[first].any():
        return
    rows = tab.body(first)
    used: NDArray[np.bool_] = np.logical_or.reduce(looks[row : rows.stop] > 0)
    for left, right in _joined(tab, row, rows, list(runs_of(used))):
        columns = range(left, right)
        if is_upper(tab, row, first, columns):
            continue
        # Beyond a blank row another heading row heads what follows.
        if first > row + 1 and any(
            heads_below(tab, index, columns)
            for index in range(first, min(first + _SOON, sheet.height))
        ):
            continue
        if is_headed(tab, row, rows, columns) and not any(
            shape.lowest < row < shape.end and shape.left < right and left < shape.right
            and not _repeats_headings(sheet, shape, row) for shape in before
        ):  # fmt: skip
            last = before_footer(tab, rows, columns)
            shape = shape_of(tab, row, range(first, last), columns)
            # What it looks like is told by its first rows, where it ends by all of them.
            yield replace(shape, end=end_of_table(tab, shape))


def _repeats_headings(sheet: Sheet, shape: Shape, row: int) -> bool:
    """Whether a row inside a table repeats its headings."""
    column, head = next(
        ((index, cell) for index, cell in enumerate(shape.heads) if cell != ""), (0, "")
    )
    # Most rows differ in their first cell already.
    if normal_form(cell_text(sheet.rows[row][shape.left + column])) != normal_form(cell_text(head)):
        return False
    texts = [normal_form(cell_text(row)) for row in sheet.rows[row][shape.left : shape.right]]
    return texts == [normal_form(cell_text(head)) for head in shape.heads]


def _joined(
    tab: TabLook, row: int, rows: range, runs: Sequence[tuple[int, int]]
) -> Iterator[tuple[int, int]]:
    """Runs of columns under a heading row.

    A run that begins with values continues the table left of it, beyond a blank column, unless the
    same headings start again.
    """
    joined: list[tuple[int, int]] = []
    sheet = tab.sheet
    for left, right in runs:
        near = (
            joined
            and left - joined[-1][1] == 1
            and (joined[-1][1] - joined[-1][0] > 1 or _names_rows(tab, rows, left))
        )
        head = sheet.rows[row][left]
        goes_on = (
            near
            and head != ""
            and looks_of_columns(tab.part(rows, range(left, left + 1)))[0] == FIGURE
            and not _begins_anew(tab, row, range(*joined[-1]), range(left, right))
            and not is_key(head, sheet, rows, left)
        )
        if goes_on:
            joined[-1] = (joined[-1][0], right)
        else:
            joined.append((left, right))
    yield from joined


def _names_rows(tab: TabLook, rows: range, left: int) -> bool:
    """Whether the column before a blank one names the rows whose values begin at the column `left`.

    It holds texts, one in each row that has such a value, except perhaps in a row of sums.
    """
    names = tab.part(rows, range(left - 2, left - 1))[:, 0]
    values = tab.part(rows, range(left, left + 1))[:, 0]
    named = names[values > 0] == TEXT
    return bool(len(named) > 1 and named[:-1].all())


def _begins_anew(tab: TabLook, row: int, before: range, columns: range) -> bool:
    """Whether headings of some columns are those of the table before them.

    Then they are another table, unless only headings of values are repeated, as years are under
    each group.
    """
    heads, again = (
        set(tab.sheet.rows[row][part.start : part.stop]) - {""} for part in (before, columns)
    )
    if not heads & again:
        return False
    return tab.sheet.rows[row][before.start] in again or not _have_groups(tab, row, before, columns)


def _have_groups(tab: TabLook, row: int, before: range, columns: range) -> bool:
    """Whether different texts stand over two parts of a heading row: the names of groups."""
    for above in range(row - 1, max(row - _MOST_LEVELS, -1), -1):
        first, second = (
            set(tab.sheet.rows[above][part.start : part.stop]) - {""} for part in (before, columns)
        )
        if not first or not second:
            return False
        # What stands over the names of rows is none of a group.
        if not second & first and len(first) > (tab.looks[above, before.start] > 0):
            return True
    return False


_MOST_LEVELS = 4


def tables_of(sheet: Sheet, repeats: Repeats | None = None) -> list[Shape]:
    """The tables of a sheet; an apparent small one may be labels with their values."""
    repeats = repeats or repeats_of([sheet])
    return without_pairs(sheet, shapes_of(sheet, repeats), repeats, frozenset())


def without_pairs(
    sheet: Sheet, shapes: Sequence[Shape], repeats: Repeats, heads: Collection[str]
) -> list[Shape]:
    """The tables of a sheet without labels and values that look like one; a text among the first
    `heads` of wider tables is no label."""
    return [
        shape for shape in shapes
        if normal_form(cell_text(shape.heads[0])) in heads
        or not _is_pairs(sheet, shape, shapes, repeats)
    ]  # fmt: skip


PAIR_COLUMNS = 2
"""This many columns may be labels and values, and no table."""


def _is_pairs(sheet: Sheet, shape: Shape, shapes: Sequence[Shape], repeats: Repeats) -> bool:
    """Whether an apparent table is labels with their values beside them."""
    if shape.right - shape.left > PAIR_COLUMNS or shape.bare:
        return False
    if any(other_shape.heads == shape.heads for other_shape in shapes if other_shape is not shape):
        return False
    head = sheet.rows[shape.lowest][shape.left : shape.right]
    labels = [
        cell_text(sheet.rows[row][shape.left]).rstrip() for row in range(shape.lowest, shape.end)
    ]
    marked = [text.endswith((":", "：")) for text in labels if text]
    if marked and 2 * sum(marked) > len(marked):
        return True
    if _has_labels_beside(sheet, shape) and not _is_headed_alike(sheet, shape, repeats):
        return True
    alone = len(shapes) == 1
    if shape.end - shape.first <= 1 and not shape.crossed and (not alone or shape.top == 0):
        return True
    if repeats.tabs < _FEWEST_FILES:
        return False
    # What stays from tab to tab is a label, what varies a value, from the first row on.
    stays = all(repeats.stays(text) for text in labels if text)
    return stays and (_mixes_types(sheet, shape) or not repeats.is_headed(head))


def _mixes_types(sheet: Sheet, shape: Shape) -> bool:
    """Whether the last column of a table holds both numbers and dates: values of labels are of any
    type, those below a heading of one."""
    kinds = sheet.kinds[shape.first : shape.end, shape.right - 1]
    return {CellKind.NUMBER, CellKind.OTHER} <= set(kinds.tolist())


def _is_headed_alike(sheet: Sheet, shape: Shape, repeats: Repeats) -> bool:
    """Whether two texts stand over numbers, and on several tabs: headings rather than a label with
    its value."""
    head = sheet.rows[shape.lowest][shape.left : shape.right]
    below = looks_of(sheet)[shape.first : shape.end, shape.right - 1]
    texts = all(isinstance(cell, str) and cell for cell in head)
    return texts and bool((below == FIGURE).all()) and repeats.is_fixed(head)


def _has_labels_beside(sheet: Sheet, shape: Shape) -> bool:
    """Whether two more columns, the first of texts, stand beside two columns beyond a gap, also in
    their heading row: labels with their values, side by side."""
    rows = range(shape.lowest, shape.end)
    filled = sheet.filled[rows.start : rows.stop]
    columns = [
        int(index) for index in np.flatnonzero(filled.any(axis=0))
        if not shape.left <= index < shape.right
    ]  # fmt: skip
    if len(columns) != PAIR_COLUMNS:
        return False
    label, value = columns
    apart = label > shape.right or value < shape.left - 1
    texts = [sheet.rows[row][label] for row in rows]
    named = all(isinstance(text, str) for text in texts) and texts[0] != ""
    return apart and named and len(set(texts)) == len(texts)
