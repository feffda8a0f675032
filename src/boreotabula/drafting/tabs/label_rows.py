"""Rows of labels with their values below, which look like tables of one record."""

from __future__ import annotations

from dataclasses import replace

from boreotabula.drafting.tabs.likeness import grouped
from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.look.shape import Shape


def with_label_rows(kind: TabFamily) -> TabFamily:
    """A kind without further tables that have one record on every tab, above the main table: they
    describe the tab, as labels and values do.

    With a single tab this is unknown.
    """
    if len(kind.examples) == 1:
        return kind
    groups = grouped([shape for example in kind.examples for shape in example.further])
    several = {
        groups[id(shape)]
        for example in kind.examples
        for shape in example.further
        if shape.end - shape.first > 1 or not _is_above(shape, example)
    }

    def parted(example: Example) -> Example:
        further = tuple(shape for shape in example.further if groups[id(shape)] in several)
        rows = tuple(shape for shape in example.further if groups[id(shape)] not in several)
        return replace(example, further=further, label_rows=rows)

    return replace(kind, examples=tuple(map(parted, kind.examples)))


def _is_above(shape: Shape, example: Example) -> bool:
    return all(shape.end <= main.top for main in example.shapes)
