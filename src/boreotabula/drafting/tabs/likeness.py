"""How similar tables are: one block may read those of a group."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from boreotabula.drafting.texts.periods import period_of
from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import FIGURE
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import level_name
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell

_FEW = 2


def tokens(heads: Sequence[Cell]) -> list[str]:
    """The headings of a table in the form that is compared: moments by their kind, because they may
    move on."""
    kinds = [level_name([cell]) if cell != "" else "" for cell in heads]
    several = Counter(kind for kind in kinds if kind)
    return [
        f"<{kind}>" if kind in _MOVING or several[kind] > 1 else normal_form(cell_text(cell))
        for kind, cell in zip(kinds, heads, strict=True)
    ]


_MOVING = ("year", "quarter", "week", "month", "day", "time")
"""Headings of these kinds are moments wherever they stand; names of weekdays may be words, too."""


def are_classes(texts: Sequence[str]) -> bool:
    """Whether headings are the same words with other figures, or single letters."""
    words = {re.sub(r"\d+", "#", text) for text in texts}
    numbered = len(words) == 1 and "#" in next(iter(words))
    return len(texts) > 1 and (numbered or all(len(text) == 1 for text in texts))


def grouped(shapes: Sequence[Shape]) -> dict[int, int]:
    """The index of the group that each table belongs to, by its `id`: one block may read tables of
    one group.

    The largest tables come first.
    """
    numbers: dict[int, int] = {}
    groups: list[_Group] = []
    for shape in sorted(
        shapes, key=lambda shape: -(shape.right - shape.left) * (shape.end - shape.first)
    ):
        scores = [(group.likeness(shape), -number) for number, group in enumerate(groups)]
        best, number = max(scores, default=(0.0, 0))
        if best >= _ALIKE:
            groups[-number].shapes.append(shape)
        else:
            groups.append(_Group([shape]))
            number = -(len(groups) - 1)
        numbers[id(shape)] = -number
    return numbers


_ALIKE = 0.5
"""Two tables of one kind share at least this part of the headings of the larger one."""


_MOST_TEXTS = 0.5
"""Tabs that share this part of their texts are of one form."""


@dataclass
class _Group:
    """Tables that are similar, collected so far."""

    shapes: list[Shape]

    def likeness(self, shape: Shape) -> float:
        """How similar a table is to those of the group, from 0 to 1."""
        best = max(_likeness(shape, one) for one in self._different()[:_COMPARED])
        # Other words, but the same columns: another language.
        if best < _ALIKE and self._holds_values_of(shape):
            return _ALIKE
        return best

    def _holds_values_of(self, shape: Shape) -> bool:
        """Whether a table has the columns of the group by place: texts that the group has, and
        numbers of one range, unless most of the texts are."""
        looks = _column_kinds(shape)
        own = [
            one for one in self.shapes if one.levels == shape.levels and _column_kinds(one) == looks
        ]
        if not own or len(looks) < _FEW or not any(tokens(shape.heads)):
            return False
        shared, apart = 0.0, False
        for index, cells in enumerate(shape.values_of):
            theirs = [cell for shape in own for cell in shape.values_of[index]]
            numbers = [
                [cell for cell in value if isinstance(cell, float)] for value in (cells, theirs)
            ]
            if all(numbers):
                apart = apart or max(map(min, numbers)) > min(map(max, numbers))
            else:
                texts = _texts_in(cells), _texts_in(theirs)
                number = len(texts[0] & texts[1])
                shared = max(shared, number / max(min(map(len, texts)), 1))
        return shared >= _MOST_TEXTS or (shared > 0 and not apart)

    def _different(self) -> list[Shape]:
        return list({shape.heads: shape for shape in self.shapes}.values())


_COMPARED = 12
"""A tab is compared with this many distinct tabs of a kind: these are similar to each other."""


def _likeness(one: Shape, other_shape: Shape) -> float:
    """How similar the headings of two tables are, from 0 to 1."""
    ours, theirs = set(tokens(one.heads)) - {""}, set(tokens(other_shape.heads)) - {""}
    shared = len(ours & theirs) / max(len(ours), len(theirs), 1)
    if shared >= _ALIKE:
        return shared
    if one.crossed and other_shape.crossed and one.leading == other_shape.leading:
        stubs = [
            [normal_form(cell_text(cell)) for cell in shape.heads[: shape.leading]]
            for shape in (one, other_shape)
        ]
        if stubs[0] == stubs[1] and one.levels == other_shape.levels:
            return _ALIKE
    # Some words, and all columns of the same looks.
    if shared >= _SOME and one.columns == other_shape.columns and one.levels == other_shape.levels:
        return _ALIKE
    return shared


_SOME = 0.25
"""With columns that look the same this share of the headings is enough."""


def _column_kinds(shape: Shape) -> tuple[int, ...]:
    """What the cells of each column are: dates in words and codes of digits do not count as
    texts."""

    def kind(look: int, cells: Sequence[Cell]) -> int:
        texts = [cell for cell in cells if isinstance(cell, str) and cell.strip()]
        group = texts[:_FEW_CELLS]
        figures = sum(text.strip().isdigit() or period_of(text) is not None for text in group)
        return FIGURE if group and 2 * figures > len(group) else look

    return tuple(
        kind(look, cells) for look, cells in zip(shape.columns, shape.values_of, strict=True)
    )


_FEW_CELLS = 6
"""This many texts of a column show whether two columns are the same."""


def _texts_in(cells: Iterable[Cell]) -> set[str]:
    return {cell.strip() for cell in cells if isinstance(cell, str) and cell.strip()}
