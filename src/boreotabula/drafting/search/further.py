"""Other readings of a kind: its tables turned, and further tables beside the main one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, time
from functools import lru_cache
from math import log2
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.drafting.columns.tables import table_sketch
from boreotabula.drafting.columns.with_types import with_type
from boreotabula.drafting.search.evidence import typed_fields
from boreotabula.drafting.sketch import Sketch, key_texts, one_or_list
from boreotabula.drafting.tabs.likeness import grouped
from boreotabula.drafting.tabs.settling import settled
from boreotabula.drafting.tabs.specimens import Example, Specimen, TabFamily
from boreotabula.drafting.texts.bits import CLEARLY
from boreotabula.layout.headings import normal_form
from boreotabula.look.crossed import MOMENTS
from boreotabula.look.shape import Shape
from boreotabula.look.tables import shapes_of
from boreotabula.look.texts.types import MOST_LANGUAGES, type_of
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True)
class Turned:
    """The tabs of a kind whose headings may run down the side."""

    there: TabFamily
    """The tabs with rows and columns swapped."""
    lying: TabFamily
    """The tabs unturned, with these tables."""
    is_clear: bool
    """Whether their cells are alike along the rows, and not down the columns."""
    stays: bool = False
    """Whether the texts down their side are the same on all tabs, and their headings are not."""


def turned(kind: TabFamily) -> Turned | None:
    """The tabs of a kind as they are if headings run down the side.

    None if the types of their cells contradict that, or if there are no such tables.
    """
    if kind.has_cards:
        return _of_cards(kind)
    existing_examples: list[Example] = []
    lying: list[Example] = []
    saved = 0.0
    for example in kind.examples:
        sheet = example.sheet.turn()
        shapes = _alike(
            [shape for shape in shapes_of(sheet) if shape.levels == 1 and not shape.bare]
        )
        # One record on each tab is rather a form of labels and values.
        if not shapes or max(map(_height, shapes)) < _FEWEST_RECORDS:
            return None
        above = max((row.end for row in example.label_rows), default=0)
        shapes = [_without_labels(sheet, shape, above) for shape in shapes]
        headings = {row for own in example.shapes for row in range(own.top, own.lowest + 1)}
        for shape in shapes:
            as_columns, as_rows = _bits_of_types(sheet, shape, headings)
            saved += as_rows - as_columns
        specimen = Specimen(example.specimen.file, sheet, example.specimen.others)
        existing_examples.append(
            Example(specimen, tuple(replace(shape, crossed=False) for shape in shapes))
        )
        lying.append(Example(example.specimen, tuple(map(_lying, shapes))))
    if saved < -CLEARLY or not _share_headings(existing_examples):
        return None
    stays = len(_headings_of(existing_examples)) == 1 < len(_headings_of(kind.examples))
    lying_there = replace(kind, examples=tuple(lying))
    return Turned(TabFamily(tuple(existing_examples)), lying_there, saved >= CLEARLY, stays)


def _headings_of(examples: Sequence[Example]) -> set[frozenset[str]]:
    """The distinct sets of headings of the tables."""
    return {
        frozenset(normal_form(cell_text(cell)) for cell in shape.heads)
        for example in examples for shape in example.shapes
    }  # fmt: skip


def _of_cards(kind: TabFamily) -> Turned:
    existing_examples = [
        Example(replace(example.specimen, sheet=example.sheet.turn()), example.cards)
        for example in kind.examples
    ]
    lying = [
        Example(example.specimen, tuple(map(_lying, example.cards))) for example in kind.examples
    ]
    return Turned(
        TabFamily(tuple(existing_examples)), replace(kind, examples=tuple(lying)), is_clear=True
    )


_FEWEST_RECORDS = 2
"""A table with fewer records may be labels above their values."""


def _share_headings(examples: Sequence[Example]) -> bool:
    """Whether tabs have the same headings, in whatever language: the names of records differ.

    Most headings stand on several tabs, if there are that many.
    """
    heads = [
        {normal_form(cell_text(cell)) for shape in example.shapes for cell in shape.heads}
        for example in examples
    ]
    tabs = Counter(text for head in heads for text in head)
    several = sum(number > 1 for number in tabs.values())
    shared = len(examples) == 1 or 2 * several >= len(tabs)
    return shared and len(tabs) <= MOST_LANGUAGES * max(map(len, heads))


def _without_labels(sheet: Sheet, shape: Shape, above: int) -> Shape:
    """A table without labels and their values in front of it, which look like columns of one value,
    and without anything before the column `above`."""
    filled = np.count_nonzero(sheet.filled[shape.first : shape.end, shape.left : shape.right], 0)
    several = np.flatnonzero(filled > 1)
    cut = max(int(several[0]) if len(several) else 0, above - shape.left)
    if _height(shape) <= _FEWEST_RECORDS or not 0 < cut < len(shape.heads):
        return shape
    heads, columns = shape.heads[cut:], shape.columns[cut:]
    return replace(shape, left=shape.left + cut, heads=heads, columns=columns)


def _height(shape: Shape) -> int:
    return shape.end - shape.first


def _lying(shape: Shape) -> Shape:
    """A table that was turned, as it stands on its tab."""
    return replace(
        shape, top=shape.left, left=shape.top, right=shape.end, end=shape.right,
        lowest=shape.left, highest=shape.left, first=shape.left,
    )  # fmt: skip


def _alike(shapes: Sequence[Shape]) -> list[Shape]:
    """The largest of some tables, and all that have most of its headings."""
    heads = {id(shape): {normal_form(cell_text(cell)) for cell in shape.heads} for shape in shapes}
    largest = max(
        shapes, key=lambda shape: (shape.right - shape.left) * (shape.end - shape.top), default=None
    )
    if largest is None:
        return []
    own = heads[id(largest)]
    return [
        shape for shape in shapes if 2 * len(heads[id(shape)] & own) > len(own | heads[id(shape)])
    ]


_MOST_LINES = 40
"""This many rows of a table show the type of all of them."""


def _bits_of_types(sheet: Sheet, shape: Shape, names: Collection[int]) -> tuple[float, float]:
    """The bits that give the types of a table's cells, column by column and row by row; a text that
    reads as a date has the type of dates.

    The first lines in either direction are enough. What stands first in a line names the others,
    whichever way they are read; so do the columns `names`, which hold the headings of the unturned
    table.
    """
    columns = [index for index in range(shape.left + 1, shape.right) if index not in names]
    body = range(shape.first, shape.end)[:_MOST_LINES], columns[:_MOST_LINES]
    types = np.array(
        [[_type_of(sheet.rows[row][column]) for column in body[1]] for row in body[0]], np.int64
    ).reshape(len(body[0]), len(body[1]))
    return sum(map(_coded, types.T)), sum(map(_coded, types))


_TEXT, _MOMENT, _NUMBER = 1, 2, 3


def _type_of(cell: Cell) -> int:
    if isinstance(cell, str):
        return _type_of_text(cell) if cell else 0
    return _MOMENT if isinstance(cell, date | time) else _NUMBER


@lru_cache(maxsize=4096)
def _type_of_text(text: str) -> int:
    if not reads_as_figure(text):
        return _TEXT
    return _MOMENT if type_of([text]) in MOMENTS else _NUMBER


def _coded(types: NDArray[np.int64]) -> float:
    """The bits of a line: none if all of its cells are of one type, else those of the counts and of
    the order (Rissanen 1983, in two parts)."""
    counts = np.bincount(types[types > 0])
    counts = counts[counts > 0]
    total = int(counts.sum())
    order = float(-sum(count * log2(count / total) for count in counts.tolist()))
    return order + max(len(counts) - 1, 0) * log2(total + 1)


def further_kinds(kind: TabFamily) -> Iterator[TabFamily]:
    """The tables that most tabs hold beside the main one, by their appearance."""
    groups = grouped([shape for example in kind.examples for shape in example.further])
    tabs = Counter(
        group
        for example in kind.examples
        for group in dict.fromkeys(groups[id(shape)] for shape in example.further)
    )
    for group, number in tabs.most_common(_MOST_BLOCKS):
        if 2 * number <= len(kind.examples):
            continue
        examples = tuple(
            Example(example.specimen, shapes)
            for example in kind.examples
            if (shapes := tuple(shape for shape in example.further if groups[id(shape)] == group))
        )
        yield TabFamily(settled(examples))


_MOST_BLOCKS = 3
"""More tables than this beside the main one are a collection, and no form."""
_OF_ITS_OWN = ("value", "heading", "group", "name", "corner", "class", "title", "number", "remark")
"""Names that the form has no heading for: in another table they mean something else."""


def with_block(sketch: Sketch, kind: TabFamily) -> Sketch:
    """The sketch with a further block, for other tables of its tabs."""
    other_sketch = table_sketch(kind)
    languages = sketch.reading.get("languages", ())
    types = typed_fields(dict(other_sketch.fields), kind, other_sketch, languages)
    kinds = {name: type_.kind for name, type_ in types.items()}
    other_sketch = replace(other_sketch, fields={**other_sketch.fields, **kinds})
    names: dict[str, str] = {}
    fields = dict(sketch.fields)
    main = sketch
    for name in other_sketch.fields:
        own = name.rstrip("_0123456789") in _OF_ITS_OWN
        elsewhere = name in sketch.stamps or name in sketch.captured
        names[name] = field_name(name, fields) if own or elsewhere else name
        kind_of = kinds.get(name, "text")
        # What has one heading in both tables is one field.
        before = fields.get(names[name], kind_of)
        fields[names[name]] = kind_of if before == kind_of else "text"
        if before == kind_of and name in types:
            main = with_type(main, names[name], types[name])
    headings = {text: names[name] for text, name in other_sketch.headings.items()}
    block = _renamed(other_sketch.block, names)
    if other_sketch.listed and "stub" not in block:
        block["stub"] = one_or_list([names[name] for name in other_sketch.naming_fields])
    if main.listed and "stub" not in main.block:
        main = main.having(stub=one_or_list(sketch.naming_fields))
    if not set(names.values()) & sketch.fields.keys():
        # Records that have no field in common are of two tables.
        main = main.having(into=main.block.get("into") or _table_name(main.block))
        block["into"] = field_name(_table_name(block), main.tables, "table")
    return replace(
        main,
        more=(*main.more, block),
        fields=fields,
        headings={**headings, **main.headings},
    )


def _table_name(block: Mapping[str, Any]) -> str:
    """The name of a block's output table: from what names its rows."""
    names = [*key_texts(block.get("stub")), *key_texts(block.get("columns"))]
    return next((name for name in names if name != "-"), "table")


def _renamed(block: Mapping[str, Any], names: Mapping[str, str]) -> dict[str, Any]:
    """The keys of a block with fields renamed."""
    keys = ("stub", "across", "value", "columns", "carry_down", "group_row")
    return {
        key: _other_names(value, names) if key in keys else value for key, value in block.items()
    }


def _other_names(value: Any, names: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return names.get(value, value)
    return [_other_names(part, names) for part in value]
