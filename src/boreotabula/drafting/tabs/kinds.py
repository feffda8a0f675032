"""The tabs of a folder sorted by kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from boreotabula.drafting.tabs.cards import cards_of
from boreotabula.drafting.tabs.headless import holds_records, with_headless
from boreotabula.drafting.tabs.interface_lines import Marks, interface_lines_of
from boreotabula.drafting.tabs.label_rows import with_label_rows
from boreotabula.drafting.tabs.left_out import (
    without_copied_files,
    without_lookups,
    without_summaries,
)
from boreotabula.drafting.tabs.likeness import grouped
from boreotabula.drafting.tabs.settling import settled
from boreotabula.drafting.tabs.specimens import Example, LeftOut, Specimen, TabFamily
from boreotabula.layout.headings import normal_form
from boreotabula.look.repeats import repeats_of
from boreotabula.look.tables import PAIR_COLUMNS, shapes_of, without_pairs
from boreotabula.reading.cells import cell_text


@dataclass(frozen=True)
class Sorted:
    """The tabs of a folder by kind, the kind with most files and cells first, and the tabs without
    a kind."""

    kinds: tuple[TabFamily, ...]
    left_out: tuple[LeftOut, ...]


_CARDS, _NO_TABLE = -1, -2
"""The kinds of tabs that hold cards, and of those that hold no table."""


def sort_tabs(specimens: Sequence[Specimen]) -> Sorted:
    """The kinds of some tabs.

    Copies of files, tabs with the same content in every file, and tabs that sum up others have no
    kind: they are left out, and reported.
    """
    own, left_out = without_copied_files(specimens)
    own, lookups = without_lookups(own)
    repeats = repeats_of([specimen.sheet for specimen in own])
    shapes_there = [shapes_of(specimen.sheet, repeats) for specimen in own]
    heads = {
        normal_form(cell_text(shape.heads[0]))
        for shapes in shapes_there for shape in shapes if shape.right - shape.left > PAIR_COLUMNS
    } - {""}  # fmt: skip
    every = [
        without_pairs(specimen.sheet, shapes, repeats, heads)
        for specimen, shapes in zip(own, shapes_there, strict=True)
    ]
    groups = grouped([shape for shapes in every for shape in shapes])
    kinds: dict[int | Marks, list[Example]] = {}
    cards_there = cards_of([specimen.sheet for specimen in own])
    lines_there = interface_lines_of([specimen.sheet for specimen in own])
    areas: Counter[int] = Counter()
    for shape in (shape for shapes in every for shape in shapes):
        areas[groups[id(shape)]] += (shape.right - shape.left) * (shape.end - shape.top)
    for one, shapes, cards, lines in zip(own, every, cards_there, lines_there, strict=True):
        if lines:
            kinds.setdefault(lines.lines.marks, []).append(Example(one, (), lines=lines))
            continue
        if cards:
            kinds.setdefault(_CARDS, []).append(Example(one, (), cards=cards))
            continue
        # Of several tables the same one is the main one on all tabs, though its length varies.
        there = dict.fromkeys(groups[id(shape)] for shape in shapes)
        main = max(there, key=lambda group: areas[group], default=_NO_TABLE)
        existing_shapes = tuple(shape for shape in shapes if groups[id(shape)] == main)
        further = tuple(shape for shape in shapes if groups[id(shape)] != main)
        kinds.setdefault(main, []).append(Example(one, existing_shapes, further))
    result = with_headless([TabFamily(tuple(kind)) for kind in kinds.values()])
    result = [
        with_label_rows(TabFamily(settled(kind.examples))) if kind.has_table else kind
        for kind in result
    ]
    result, summaries = without_summaries(result)
    # Tabs with a table come before those without one: these are covers and notes.
    ranked = sorted(
        result, key=lambda kind: (not holds_records(kind), -len(kind.files) * kind.weight)
    )
    return Sorted(tuple(ranked), (*left_out, *lookups, *summaries))
