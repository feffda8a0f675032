"""Measures: the same few headings under every upper one, whose values differ in kind."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import type_of
from boreotabula.look.texts.words import is_total, is_unit, level_name
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.sheets.sheet import Cell

_MOST_MEASURES = 6
"""More headings than this that repeat under each group are data, not measures."""


def measures_of(shapes: Tables) -> list[list[str]]:
    """The headings of each measure where the same few stand under every upper heading, and their
    values differ in type or unit.

    Empty if the headings are values of a level themselves.
    """
    # Each table gives its groups, and all must agree.
    groups = [measures for example, shape in shapes for measures in _under_upper(example, shape)]
    sizes = {len(group) for group in groups}
    if len(groups) < _FEWEST_GROUPS * len(shapes) or len(sizes) != 1:
        return []
    (size,) = sizes
    by_place = [[group[index] for group in groups] for index in range(size)]
    if not 1 < size <= _MOST_MEASURES:
        return []
    cells = [[cell for column in columns for cell in column.cells] for columns in by_place]
    # Few odd cells, such as a note in a figure, do not make another type.
    types = {type_of(_most_cells(column)) for column in cells}
    heads = [list(dict.fromkeys(column.heading for column in measures)) for measures in by_place]
    units = any(is_unit(text) or "(" in text for head in heads for text in head)
    per_table = {len({measure.heading for measure in group}) for group in groups}
    # A measure amid the others may be what they sum up to; sums of a level stand at its edge.
    summed = any(_sums_amid(group) for group in groups)
    if all(level_name([text]) for head in heads for text in head):
        return []  # quarters under years, say
    # In each language the words are the same under each upper heading.
    alike = all(len(head) * _FEWEST_GROUPS <= len(groups) for head in heads)
    # Values of a level that are called otherwise in each language would be other values.
    differ = len(types) > 1 or units or summed or _are_translated(shapes)
    return heads if differ and alike and per_table == {size} else []


def _most_cells(cells: Sequence[Cell]) -> Sequence[Cell]:
    """The numbers among some cells if nearly all are numbers: “440*” among them makes no other
    type."""
    numbers = [cell for cell in cells if isinstance(cell, float)]
    return numbers if len(numbers) >= _NEARLY_ALL * len(cells) else cells


_NEARLY_ALL = 0.8


def _are_translated(shapes: Tables) -> bool:
    """Whether the lowest headings differ exactly where those over the names of rows do.

    Tables with the same headings over names then have the same lowest headings, and others have
    different ones.
    """
    pairs = set()
    for example, shape in shapes:
        rows = example.sheet.rows[shape.top : shape.lowest + 1]
        names = {cell_text(cell) for row in rows for cell in row[shape.left : shape.values.start]}
        heads = {cell_text(rows[-1][column]) for column in shape.values}
        pairs.add((frozenset(names - {""}), frozenset(heads - {""})))
    shared = any(
        first[index] & second[index] for first, second in combinations(pairs, 2) for index in (0, 1)
    )
    return len(pairs) > 1 and all(over_names for over_names, _ in pairs) and not shared


_FEWEST_GROUPS = 2
"""Headings under a single group repeat nothing."""


def _sums_amid(columns: Sequence[_Measured]) -> bool:
    """Whether a column that is not the last holds the sums of the others, row by row."""
    lines = [column.cells for column in columns]
    if len(lines) <= _FEWEST_GROUPS or len(set(map(len, lines))) != 1 or not lines[0]:
        return False
    if not all(isinstance(cell, float) for cells in lines for cell in cells):
        # In another number of rows nothing can be summed row by row.
        return False
    numbers = np.array(lines, float)
    rest = numbers.sum(axis=0) - numbers
    return bool(np.isclose(numbers[:-1], rest[:-1]).all(axis=1).any())


@dataclass(frozen=True)
class _Measured:
    heading: str
    cells: list[Cell]


def _under_upper(example: Example, shape: Shape) -> Iterator[list[_Measured]]:
    """The columns under each heading of the level above the lowest, without totals."""
    if shape.levels < _FEWEST_GROUPS:
        return
    group: list[_Measured] = []
    for column in shape.values:
        if example.sheet.rows[shape.lowest - 1][column] != "" and group:
            yield group
            group = []
        heading = cell_text(example.sheet.rows[shape.lowest][column])
        above = cell_text(example.sheet.rows[shape.lowest - 1][column])
        if heading and not is_total(heading) and not is_total(above):
            cells = [example.sheet.rows[row][column] for row in range(shape.first, shape.end)]
            group.append(_Measured(one_line(heading), [cell for cell in cells if cell != ""]))
    if group:
        yield group
