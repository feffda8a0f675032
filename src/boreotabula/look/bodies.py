"""The ends of a tab's tables."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from boreotabula.look.heading_rows import is_headed
from boreotabula.look.looks import FIGURE, TEXT, Looks, TabLook, first_blank
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text


def before_footer(tab: TabLook, rows: range, columns: range) -> int:
    """The first row of a table's footer, or its end.

    Footer rows hold a text in a column of figures and nothing in the first column, as net sum and
    tax below the lines of an invoice.
    """
    first, end = tab.row(rows.start, columns), rows.stop
    while end > rows.start + 1:
        row = tab.row(end - 1, columns)
        if row[0] or not first[0] or not (row[first == FIGURE] == TEXT).any():
            return end
        end -= 1
    return end


def end_of_table(tab: TabLook, shape: Shape) -> int:
    """The first row past a table: a blank row ends it, unless rows like its own follow."""
    columns = range(shape.left, shape.right)
    own: Looks = tab.looks[:, shape.left : shape.right]
    whole = first_blank(own[shape.first :], shape.first)
    end = before_footer(tab, range(shape.first, whole), columns)
    if end < whole:
        return end
    always: NDArray[np.bool_] = np.logical_and.reduce(own[shape.first : end] > 0, axis=0)
    while True:
        after = np.flatnonzero(own[end:].any(axis=1))
        if not len(after) or after[0] > _WIDEST_GAP:
            return end
        start = end + int(after[0])
        stop = first_blank(own[start:], start)
        rows = [row for row in range(start, stop) if not _names_group(tab.looks, shape, row)]
        if (
            not rows
            or not all(_continues(tab, shape, row, always) for row in rows)
            or is_headed(tab, start, range(start + 1, stop), columns)
        ):
            return end
        end = stop


_WIDEST_GAP = 2
"""Beyond more blank rows than this stands something else."""


def _names_group(looks: Looks, shape: Shape, row: int) -> bool:
    """Whether a row holds only a text in the first column of a table, as the name of a group
    does."""
    return bool(looks[row, shape.left] == TEXT and np.count_nonzero(looks[row]) == 1)


def _continues(tab: TabLook, shape: Shape, row: int, always: NDArray[np.bool_]) -> bool:
    """Whether a row after a blank one belongs to the table: its cells look like those above, and no
    column is blank that all earlier rows fill, except in a row of sums."""
    looks = tab.looks
    cells = looks[row, shape.left : shape.right]
    texts = tab.sheet.rows[row][shape.left : shape.right]
    if any(is_total(cell_text(cell)) for cell in texts if isinstance(cell, str)):
        return bool((cells == FIGURE).any())
    beside = looks[row, : shape.left].any() or looks[row, shape.right :].any()
    # A wider row is one of another table; what stands side by side has a gap between.
    if looks[row, max(shape.left - 1, 0) : shape.left].any() or looks[row, shape.right :][:1].any():
        return False
    columns = np.array(shape.columns, np.uint8)
    unlike = (cells > 0) & (columns > 0) & (cells != columns)
    several = np.count_nonzero(cells) > 1 or shape.right - shape.left == 1
    lacks = (always & (cells == 0)).any()
    figures = not (columns == FIGURE).any() or bool((cells[columns == FIGURE] == FIGURE).any())
    label = isinstance(texts[0], str) and texts[0].rstrip().endswith((":", "："))
    return bool(several and figures and not unlike.any() and not lacks and not label
                and not (beside and shape.left == 0))  # fmt: skip
