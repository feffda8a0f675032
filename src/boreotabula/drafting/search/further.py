"""Other readings of a kind: its tables turned, and further tables beside the main one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from boreotabula.drafting.columns.tables import table_sketch
from boreotabula.drafting.columns.with_types import with_type
from boreotabula.drafting.search.evidence import typed_fields
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.tabs.likeness import grouped
from boreotabula.drafting.tabs.looks import FIGURE, TEXT, looks_of
from boreotabula.drafting.tabs.settling import settled
from boreotabula.drafting.tabs.shapes import Shape, shapes_of
from boreotabula.drafting.tabs.specimens import Example, Kindred, Specimen
from boreotabula.drafting.texts.words import field_name
from boreotabula.sheets.sheet import Sheet


def turned(kind: Kindred) -> tuple[Kindred, Kindred] | None:
    """The tabs of a kind with rows and columns changed, and as they lie with these tables; None
    unless their cells are alike along the rows, and not down the columns."""
    there: list[Example] = []
    lying: list[Example] = []
    for one in kind.examples:
        sheet = one.sheet.turn()
        lists = [shape for shape in shapes_of(sheet) if shape.levels == 1 and not shape.bare]
        shape = max(lists, key=_area, default=None)
        # One record on each tab is rather a form of labels and values.
        if shape is None or not one.shapes or shape.end - shape.first < _FEWEST_RECORDS:
            return None
        if _mixed(sheet, shape) or not any(_mixed(one.sheet, some) for some in one.shapes):
            return None
        specimen = Specimen(one.specimen.file, sheet, one.specimen.others)
        there.append(Example(specimen, (replace(shape, crossed=False),)))
        back = replace(
            shape, top=shape.left, left=shape.top, right=shape.end, end=shape.right,
            lowest=shape.left, highest=shape.left, first=shape.left,
        )  # fmt: skip
        lying.append(Example(one.specimen, (back,)))
    heads = {one.shapes[0].right - one.shapes[0].left for one in there}
    if len(heads) != 1:
        return None
    return Kindred(tuple(there)), replace(kind, examples=tuple(lying))


_FEWEST_RECORDS = 2


def _area(shape: Shape) -> int:
    return (shape.right - shape.left) * (shape.end - shape.top)


def _mixed(sheet: Sheet, shape: Shape) -> int:
    """How many columns of a table hold texts and figures."""
    looks = looks_of(sheet)[shape.first : shape.end, shape.left : shape.right]
    both = (looks == TEXT).any(axis=0) & (looks == FIGURE).any(axis=0)
    return int(np.count_nonzero(both))


def further_kinds(kind: Kindred) -> Iterator[Kindred]:
    """The tables that most tabs hold beside the main one, by their look."""
    groups = grouped([shape for one in kind.examples for shape in one.further])
    tabs = Counter(
        group
        for one in kind.examples
        for group in dict.fromkeys(groups[id(shape)] for shape in one.further)
    )
    for group, number in tabs.most_common(_MOST_BLOCKS):
        if 2 * number <= len(kind.examples):
            continue
        examples = tuple(
            Example(one.specimen, some)
            for one in kind.examples
            if (some := tuple(shape for shape in one.further if groups[id(shape)] == group))
        )
        yield Kindred(settled(examples))


_MOST_BLOCKS = 3
_OF_ITS_OWN = ("value", "heading", "group", "name", "corner", "class", "title", "number", "remark")
"""Names without a heading of the form: in another table they mean something else."""


def with_block(sketch: Sketch, kind: Kindred) -> Sketch:
    """The sketch with one more block, for further tables of its tabs."""
    other = table_sketch(kind)
    languages = sketch.reading.get("languages", ())
    types = typed_fields(dict(other.fields), kind, other, languages)
    names: dict[str, str] = {}
    fields = dict(sketch.fields)
    main = sketch
    for name in other.fields:
        own = name.rstrip("_0123456789") in _OF_ITS_OWN
        elsewhere = name in sketch.stamps or name in sketch.captured
        names[name] = field_name(name, fields) if own or elsewhere else name
        kind_of = types[name].kind if name in types else "text"
        # What has one heading in both tables is one field.
        before = fields.get(names[name], kind_of)
        fields[names[name]] = kind_of if before == kind_of else "text"
        if before == kind_of and name in types:
            main = with_type(main, names[name], types[name])
    headings = {text: names[name] for text, name in other.headings.items()}
    block = _renamed(other.block, names)
    if other.listed and "stub" not in block:
        block["stub"] = list(names.values())[:2]
    if main.listed and "stub" not in main.block:
        own_fields = [
            name for name in sketch.fields
            if name not in sketch.stamps and name not in sketch.captured
        ]  # fmt: skip
        main = main.having(stub=own_fields[:2])
    return replace(
        main,
        more=(*main.more, block),
        fields=fields,
        headings={**headings, **main.headings},
    )


def _renamed(block: Mapping[str, Any], names: Mapping[str, str]) -> dict[str, Any]:
    """The keys of a block with other names of fields."""
    keys = ("stub", "across", "value", "columns", "carry_down", "group_row")
    return {
        key: _other_names(value, names) if key in keys else value for key, value in block.items()
    }


def _other_names(value: Any, names: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return names.get(value, value)
    return [_other_names(one, names) for one in value]
