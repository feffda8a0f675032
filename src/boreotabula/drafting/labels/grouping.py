"""Labels of several tabs that are one stamp: the same words, or others at the same place."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.drafting.labels.gathered import (
    FEW,
    FEWEST_TABS,
    type_of_values,
)
from boreotabula.drafting.labels.pairs import Pair, inside
from boreotabula.drafting.texts.languages import groups_of_like
from boreotabula.drafting.texts.periods import period_of
from boreotabula.layout.headings import normal_form
from boreotabula.look.shape import Shape
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet


def with_labels_above(
    sheets: Sequence[Sheet],
    shapes: Sequence[Sequence[Shape]],
    every: Sequence[Sequence[Pair]],
) -> list[list[Pair]]:
    """The pairs of all tabs, including values below labels that have no mark.

    Such labels stand side by side in one row and never change, and below each of them is a value
    that does.
    """
    rows: dict[int, list[int]] = {}
    # In one tab nothing shows what stays.
    for row, column, text in sheets[0].texts() if len(sheets) >= FEW else ():
        above = {cell_text(sheet.cell(row, column)) for sheet in sheets}
        below = [cell_text(sheet.cell(row + 1, column)) for sheet in sheets]
        within = any(inside(shape, index, column) for shape in shapes for index in (row, row + 1))
        if above == {text.strip()} and all(below) and not within:
            rows.setdefault(row, []).append(column)
    spots = {
        (row, index)
        for row, numbers in rows.items()
        if len(numbers) >= FEW and _are_values(sheets, row + 1, numbers)
        for index in numbers
    }
    taken = spots | {(row + 1, index) for row, index in spots}
    groups = []
    for one, pairs in zip(sheets, every, strict=True):
        own = [
            Pair(cell_text(cell), row, index, one.cell(row + 1, index), "below", sure=True)
            for row, index in sorted(spots)
            if (cell := one.cell(row, index)) != ""
        ]
        groups.append([*own, *(pair for pair in pairs if (pair.row, pair.column) not in taken)])
    return groups


def _are_values(sheets: Sequence[Sheet], row: int, columns: Sequence[int]) -> bool:
    """Whether cells are values of labels above them: some vary from tab to tab, and those that do
    not are figures or periods."""
    varying = [
        len({cell_text(sheet.cell(row, column)) for sheet in sheets}) >= FEW for column in columns
    ]
    constant = (column for column, varies in zip(columns, varying, strict=True) if not varies)
    return any(varying) and all(
        not isinstance(cell := sheets[0].cell(row, index), str) or period_of(cell)
        for index in constant
    )


Found = list[tuple[int, Pair]]
"""Pairs that mean the same, each with the index of its tab."""


def groups_of(every: Sequence[Sequence[Pair]]) -> list[Found]:
    """The pairs of all tabs grouped by meaning.

    Pairs of one label are a group; so are those of labels that tabs in other languages have in the
    same order, with values of the same type.
    """
    merged: list[Found] = []
    for number, tabs in enumerate(_languages(every)):
        by_label: dict[str, Found] = {}
        for tab in tabs:
            for pair in every[tab]:
                by_label.setdefault(normal_form(pair.label), []).append((tab, pair))
        # A majority of the tabs of its language.
        # A label on few of many tabs is a remark.
        own = [
            group
            for group in by_label.values()
            if 2 * len({index for index, _ in group}) > len(tabs)
        ]
        free = list(merged) if number else []
        labels = {_label(group) for group in own}
        for values in own:
            # What is called the same in both languages is no translation of something else.
            like = next((other for other in free if _label(other) == _label(values)), None) or next(
                (other for other in free
                 if _label(other) not in labels and _of_one_type(values, other)), None
            )  # fmt: skip
            if like is None:
                merged.append(list(values))
            else:
                # Only labels behind the last pair, so that the order of both languages is kept.
                free = free[free.index(like) + 1 :]
                like += values
    # What few tabs have, in whatever language, is no part of the form.
    return [
        group for group in merged if FEWEST_TABS * len({index for index, _ in group}) > len(every)
    ]


def _label(group: Found) -> str:
    """The first label of pairs with one meaning, in the form that is compared."""
    return normal_form(group[0][1].label)


def _languages(every: Sequence[Sequence[Pair]]) -> list[list[int]]:
    """The tabs in groups that share less than half of their labels; the largest first."""
    return groups_of_like([{normal_form(pair.label) for pair in pairs} for pairs in every])


def _of_one_type(group: Found, other: Found) -> bool:
    types = {type_of_values([pair.value for _, pair in pairs]) for pairs in (group, other)}
    return len(types) == 1 or types <= {"integer", "number"}
