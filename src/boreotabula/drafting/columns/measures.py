"""Measures: the same few headings under every upper one, whose values differ in kind."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import type_of
from boreotabula.look.texts.words import is_total, is_unit
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.sheets.sheet import Cell

_MOST_MEASURES = 6


def measures_of(shapes: Tables) -> list[list[str]]:
    """The headings of each measure where the same few stand under every upper heading, and their
    values differ in type or unit; none if they are values of a level themselves."""
    groups = [some for one, shape in shapes for some in _under_upper(one, shape)]
    sizes = {len(some) for some in groups}
    if len(groups) < _FEWEST_GROUPS * len(shapes) or len(sizes) != 1:
        return []
    (size,) = sizes
    by_place = [[some[at] for some in groups] for at in range(size)]
    if not 1 < size <= _MOST_MEASURES:
        return []
    cells = [[cell for column in columns for cell in column.cells] for columns in by_place]
    types = {type_of(some) for some in cells}
    heads = [list(dict.fromkeys(column.heading for column in some)) for some in by_place]
    units = any(is_unit(text) or "(" in text for some in heads for text in some)
    per_table = {len({one.heading for one in some}) for some in groups}
    # A measure amid the others may be what they sum up to; sums of a level stand at its edge.
    summed = any(_sums_amid(some) for some in groups)
    # In each language the words are the same under each upper heading.
    alike = all(len(some) * _FEWEST_GROUPS <= len(groups) for some in heads)
    return heads if (len(types) > 1 or units or summed) and alike and per_table == {size} else []


_FEWEST_GROUPS = 2


def _sums_amid(columns: Sequence[_Measured]) -> bool:
    """Whether a column that is not the last holds the sums of the others, row by row."""
    cells = [one.cells for one in columns]
    if len(cells) <= _FEWEST_GROUPS or len({len(some) for some in cells}) != 1 or not cells[0]:
        return False
    if not all(isinstance(cell, float) for some in cells for cell in some):
        return False
    numbers = np.array(cells, float)
    rest = numbers.sum(axis=0) - numbers
    return bool(np.isclose(numbers[:-1], rest[:-1]).all(axis=1).any())


@dataclass(frozen=True)
class _Measured:
    heading: str
    cells: list[Cell]


def _under_upper(one: Example, shape: Shape) -> Iterator[list[_Measured]]:
    """The columns under each heading of the level above the lowest, totals left out."""
    if shape.levels < _FEWEST_GROUPS:
        return
    group: list[_Measured] = []
    for at in shape.values:
        if one.sheet.rows[shape.lowest - 1][at] != "" and group:
            yield group
            group = []
        heading = cell_text(one.sheet.rows[shape.lowest][at])
        above = cell_text(one.sheet.rows[shape.lowest - 1][at])
        if heading and not is_total(heading) and not is_total(above):
            cells = [one.sheet.rows[row][at] for row in range(shape.first, shape.end)]
            group.append(_Measured(one_line(heading), [cell for cell in cells if cell != ""]))
    if group:
        yield group
