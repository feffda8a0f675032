"""The tables of a tab, without the labels and values that look like one."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from boreotabula.drafting.tabs.repeats import Repeats, repeats_of
from boreotabula.drafting.tabs.shapes import Shape, shapes_of
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet

_FEWEST_FILES = 2


def tables_of(sheet: Sheet, repeats: Repeats | None = None) -> list[Shape]:
    """The tables of a sheet; what looks like a small one may be labels with their values."""
    repeats = repeats or repeats_of([sheet])
    return without_pairs(sheet, shapes_of(sheet, repeats), repeats, frozenset())


def without_pairs(
    sheet: Sheet, shapes: Sequence[Shape], repeats: Repeats, heads: Collection[str]
) -> list[Shape]:
    """The tables of a sheet without labels and values that look like one; what is among the first
    `heads` of wider tables is no label."""
    return [
        one for one in shapes
        if normal_form(cell_text(one.heads[0])) in heads
        or not _is_pairs(sheet, one, shapes, repeats)
    ]  # fmt: skip


PAIR_COLUMNS = 2
"""So many columns may be labels and values, and no table."""


def _is_pairs(sheet: Sheet, shape: Shape, shapes: Sequence[Shape], repeats: Repeats) -> bool:
    """Whether what looks like a table are labels with their values beside them."""
    if shape.right - shape.left > PAIR_COLUMNS or shape.bare:
        return False
    if any(other.heads == shape.heads for other in shapes if other is not shape):
        return False
    head = sheet.rows[shape.lowest][shape.left : shape.right]
    labels = [
        cell_text(sheet.rows[row][shape.left]).rstrip() for row in range(shape.lowest, shape.end)
    ]
    marked = [text.endswith((":", "：")) for text in labels if text]
    if marked and 2 * sum(marked) > len(marked):
        return True
    if _has_labels_beside(sheet, shape):
        return True
    alone = len(shapes) == 1
    if shape.end - shape.first <= 1 and not shape.crossed and (not alone or shape.top == 0):
        return True
    if repeats.tabs < _FEWEST_FILES or repeats.is_fixed(head):
        return False
    # What stays from tab to tab is a label, what varies a value, from the first row on.
    return all(repeats.stays(text) for text in labels if text)


def _has_labels_beside(sheet: Sheet, shape: Shape) -> bool:
    """Whether two more columns, the first of texts, stand beside two columns beyond a gap, in their
    heading row, too: labels with their values, side by side."""
    rows = range(shape.lowest, shape.end)
    filled = sheet.filled[rows.start : rows.stop]
    columns = [
        int(at) for at in np.flatnonzero(filled.any(axis=0))
        if not shape.left <= at < shape.right
    ]  # fmt: skip
    if len(columns) != PAIR_COLUMNS:
        return False
    label, value = columns
    apart = label > shape.right or value < shape.left - 1
    texts = [sheet.rows[row][label] for row in rows]
    named = all(isinstance(text, str) for text in texts) and texts[0] != ""
    return apart and named and len(set(texts)) == len(texts)
