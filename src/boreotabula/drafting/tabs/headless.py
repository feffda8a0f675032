"""Lists without headings: rows that are filled alike."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from boreotabula.drafting.tabs.specimens import TabFamily
from boreotabula.look.looks import FIGURE, looks_of, looks_of_columns
from boreotabula.sheets.sheet import Sheet

_MOST_HAVE = 0.5
"""A row of a list without headings fills at least half of its columns."""


def holds_records(kind: TabFamily) -> bool:
    return (
        kind.has_table
        or kind.has_cards
        or kind.has_lines
        or all(is_headless(example.sheet) for example in kind.examples)
    )


def with_headless(kinds: Sequence[TabFamily]) -> list[TabFamily]:
    """The kinds, with tabs of a list without headings as one.

    A tab that has the same columns below headings belongs to it as well.
    """
    bare = [kind for kind in kinds if not (kind.has_table or kind.has_cards or kind.has_lines)]
    headless = [example for kind in bare for example in kind.examples if is_headless(example.sheet)]
    widths = Counter(example.sheet.width for example in headless)
    if not widths:
        return list(kinds)
    (width, _), *_ = widths.most_common(1)
    own = [example for example in headless if example.sheet.width == width]
    looks = column_looks(own[0].sheet)
    for kind in kinds:
        for one in kind.examples if len(kind.examples) < len(own) else ():
            shape = one.shapes[0] if len(one.shapes) == 1 else None
            if (
                shape
                and one.sheet.width == width
                and shape.first == 1
                and (column_looks(one.sheet) == looks)
            ):
                own.append(replace(one, shapes=(), further=one.shapes))
    taken = {id(example.specimen) for example in own}
    rest = (
        tuple(example for example in kind.examples if id(example.specimen) not in taken)
        for kind in kinds
    )
    return [*(TabFamily(examples) for examples in rest if examples), TabFamily(tuple(own))]


_LEAST_ROWS, _LEAST_COLUMNS, _ALIKE_ROWS = 2, 2, 0.9


def column_looks(sheet: Sheet) -> tuple[int, ...]:
    """What the cells of each column of a sheet look like, below its first row."""
    return looks_of_columns(looks_of(sheet)[1:])


def _has_label(sheet: Sheet) -> bool:
    """Whether a text of a sheet is a label, or begins with one."""
    return any(_LABELLED.match(text) is not None for *_, text in sheet.texts())


_LABELLED = re.compile(r"\s*[^\W\d][^:]{0,40}:(?:\s|$)")


def is_headless(sheet: Sheet) -> bool:
    """Whether a sheet holds rows that are filled alike, with figures among them, from its first row
    on or below headings."""
    looks = looks_of(sheet)
    if looks.shape[0] < _LEAST_ROWS or looks.shape[1] < _LEAST_COLUMNS or _has_label(sheet):
        return False
    columns = np.array(column_looks(sheet), np.uint8)
    alike = (looks == columns) | (looks == 0)
    filled = np.count_nonzero(looks, axis=1) >= _MOST_HAVE * np.count_nonzero(columns)
    rows = alike.all(axis=1) & filled
    return bool((columns == FIGURE).any() and rows[1:].mean() >= _ALIKE_ROWS)
