"""The table of a kind as it appears: cross-tab, list, or rows without headings."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from boreotabula.drafting.columns.alignment import columns_by_place, columns_of
from boreotabula.drafting.columns.carried import find_carried_columns, numbers_lines
from boreotabula.drafting.columns.lists import list_sketch
from boreotabula.drafting.columns.measures import measures_of
from boreotabula.drafting.columns.over_columns import Tables, heading_at, named_field
from boreotabula.drafting.doubts import Doubt, Spot
from boreotabula.drafting.sketch import Sketch, one_or_list
from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.drafting.texts.captions import caption_of
from boreotabula.look.looks import FIGURE, TEXT, looks_of
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import field_name, is_total, level_name, total_pattern
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Cell


def table_sketch(kind: TabFamily) -> Sketch:
    shapes = [(example, shape) for example in kind.examples for shape in example.shapes]
    several = any(len(example.shapes) > 1 for example in kind.examples)
    first = shapes[0][1]
    # What the looks say first; a list with a corner is tried before a plain one.
    sketch = _cross_tab(shapes) if first.crossed else _cornered_list(shapes) or list_sketch(shapes)
    block: dict[str, Any] = dict(sketch.block)
    if totals := _totals(shapes):
        block["totals"] = one_or_list(totals)
    if _has_gap(shapes):
        block["gaps"] = True
    if several:
        block["repeat"] = True
    sketch = replace(sketch, block=block)
    return _captioned(sketch, shapes) if several else sketch


def _captioned(sketch: Sketch, shapes: Tables) -> Sketch:
    """Add the texts above the tables of a tab as captions, if they name each of them and have no
    label."""
    if {"caption", "stamps"} & sketch.block.keys():
        return sketch
    lines = _lines_above(shapes)
    # Two texts above one table are a title and a remark, and which is which is not known.
    if lines is None or any(len(above) > 1 for above in lines):
        return sketch
    texts = [above[0] for above in lines]
    if {"found_by", "columns"} & sketch.block.keys():
        return _titled(sketch, shapes, texts, {})
    stub = {} if "stub" in sketch.block else {"stub": next(iter(sketch.fields))}
    caption = caption_of(texts, sketch.fields)
    if caption is None:
        return _titled(sketch, shapes, texts, stub)
    pattern, captured = caption
    if ":" in pattern:
        return sketch
    fields = {**captured, **sketch.fields}
    return replace(sketch.having(caption=pattern, **stub), fields=fields)


def _titled(
    sketch: Sketch, shapes: Tables, texts: Sequence[str], stub: Mapping[str, Any]
) -> Sketch:
    """Add the texts above the tables, which have no word in common, as captions.

    Each must name one table of its tab, and none may have a label or be a figure.
    """
    by_tab: dict[int, list[str]] = {}
    for (example, _), text in zip(shapes, texts, strict=True):
        # A text that several tables of one tab share does not tell them apart.
        by_tab.setdefault(id(example), []).append(text)
    named = all(len(set(texts)) == len(texts) for texts in by_tab.values())
    if not named or any(":" in text or reads_as_figure(text) for text in texts):
        return sketch
    name = field_name("title", sketch.fields)
    stamps = {name: {"from": "table title"}}
    fields = {name: "text", **sketch.fields}
    return replace(sketch.having(stamps=stamps, **stub), fields=fields)


def _has_gap(shapes: Tables) -> bool:
    """Whether a column within a table is blank, including its headings."""
    return any(
        not example.sheet.filled[shape.top : shape.end, column].any()
        for example, shape in shapes
        for column in range(shape.left + 1, shape.right - 1)
    )


def _cross_tab(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    shape = shapes[0][1]
    span = _leading
    blank = any(not heading_at(*shape, index) for shape in shapes for index in span(shape[1]))
    aligned = (columns_by_place if blank else columns_of)(shapes, heading_at, span)
    doubts = [doubt for column in aligned for doubt in column.doubts]
    leading = [column.headings for column in aligned]
    corner = _corner_names(shapes)
    # Where a leading column has no heading, all of them are known by their place.
    bare = shape.bare or corner or blank
    stub: list[str] = []
    for column, heads in zip(aligned, leading, strict=True):
        if len(aligned) > 1 and bare and not heads and numbers_lines(shapes, column):
            stub.append("-")
        else:
            own = [] if corner and not stub else heads
            # By position no heading is looked for, so none need be known.
            stub.append(named_field(own, fields, {} if bare else headings, "name"))
    measures = measures_of(shapes)
    across = _level_fields(shapes, shape.levels - bool(measures), fields)
    values = [named_field(heads, fields, headings, "value") for heads in measures]
    values = values or [field_name("value", fields)]
    # Whole numbers until all cells are looked at; the search widens the type.
    fields |= dict.fromkeys(values, "integer")
    block: dict[str, Any] = {"columns" if bare else "stub": one_or_list(stub)}
    block |= {"across": one_or_list(across), "value": one_or_list(values)}
    doubts += _odd_in_level(shapes)
    for heads in _beside(shapes):
        named_field(heads, fields, headings, "remark")
    if corner:
        name = field_name("corner", fields)
        fields = {name: "text", **fields}
        block["found_by"] = one_or_list(_found_by(shapes))
        block["stamps"] = {name: {"from": "stub head"}}
    elif bare:
        caption = _caption(shapes, fields) if shape.bare else None
        if caption:
            block["caption"], captured = caption
            fields = {**captured, **fields}
        else:
            block["found_by"] = one_or_list(_found_by(shapes))
    carried = [stub[index] for index in find_carried_columns(shapes, aligned) if stub[index] != "-"]
    if carried and not shape.bare and not corner:
        block["carry_down"] = one_or_list(carried)
    return Sketch(block=block, fields=fields, headings=headings, doubts=tuple(doubts))


def _cornered_list(shapes: Tables) -> Sketch | None:
    """Lists side by side or below each other whose first heading names the table; the other
    headings are the same in all of them.

    None if the lists are not like that.
    """
    heads = {shape.heads[1:] for _, shape in shapes}
    levels = {shape.lowest - shape.highest for _, shape in shapes}
    corners = dict.fromkeys(heading_at(*shape, 0) for shape in shapes)
    if len(heads) != 1 or levels != {0} or "" in heads.pop() or not _corner_names(shapes):
        return None
    if "" in corners or len(corners) > _MOST_CORNERS:
        return None
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    corner = named_field([], fields, headings, "corner")
    name = named_field([], fields, headings, "name")
    headings |= dict.fromkeys(corners, name)
    example, shape = shapes[0]
    for index in range(1, len(shape.heads)):
        named_field([heading_at(example, shape, index)], fields, headings)
    block = {"stub": list(fields)[1:3], "stamps": {corner: {"from": "stub head"}}}
    return Sketch(block=block, listed=True, fields=fields, headings=headings)


_MOST_CORNERS = 12
"""More headings of one column than this are no names of tables."""


def _level_fields(shapes: Tables, levels: int, fields: dict[str, str]) -> list[str]:
    """The fields of the heading levels, top to bottom, named by what their headings are; added to
    `fields`."""
    summing = {_summing_heading(*shape) for shape in shapes}
    names = []
    for level in range(levels):
        cells = [cell for example, shape in shapes for cell in level_cells(example, shape, level)]
        lowest = level == shapes[0][1].levels - 1
        headings = [
            cell for cell in cells if not is_total(text := cell_text(cell)) and text not in summing
        ]
        fallback = "heading" if lowest else "group"
        names.append(field_name(level_name(headings) or fallback, fields))
        fields[names[-1]] = "text"
    return names


def _odd_in_level(shapes: Tables) -> list[Doubt]:
    """The question about a heading that is no moment where most others of its level are.

    A column of changes beside those of years, say, would be read as one more year.
    """
    places: dict[str, tuple[Example, Shape, int]] = {}
    for example, shape in shapes:
        for column in shape.values:
            text = heading_at(example, shape, column - shape.left)
            if text and not is_total(text):
                places.setdefault(text, (example, shape, column))
    summing = {_summing_heading(*place) for place in shapes}
    moments = [text for text in places if level_name([text])]
    beside = {text for heads in _beside(shapes) for text in heads}
    odd = [
        # Sums and columns beside the levels are known as what they are.
        text for text in places
        if not level_name([text]) and text not in summing and text not in beside
    ]  # fmt: skip
    if not odd or len(moments) <= len(odd):
        return []
    example, shape, column = places[odd[0]]
    kind = level_name(moments) or "date or period"
    return [
        Doubt.at_cell(
            "level", Spot(example.specimen.file, example.specimen.tab, shape.lowest, column),
            f"“{odd[0]}” is no {kind} as the headings beside it are, but read as one more",
            f"if its column is another measure, list “{odd[0]}” in `ignore` of [block]",
            choices=("one more", "left out"), records=shape.end - shape.first,
        )
    ]  # fmt: skip


def _leading(shape: Shape) -> range:
    return range(shape.leading)


def _corner_names(shapes: Tables) -> bool:
    """Whether the text over the stub names the table: it differs from table to table of a tab, and
    the other headings are the same."""
    by_tab: dict[int, list[Shape]] = {}
    for example, shape in shapes:
        by_tab.setdefault(id(example), []).append(shape)
    for group in by_tab.values():
        corners = {cell_text(shape.heads[0]) for shape in group}
        rest = {shape.heads[1:] for shape in group}
        if len(corners) == len(group) > 1 and "" not in corners:
            return bool(set.intersection(*(set(map(cell_text, cells)) for cells in rest)))
    return False


def _beside(shapes: Tables) -> list[list[str]]:
    """The headings of columns right of the values, of texts or of another measure.

    Those that never share a tab, but are equally far from the right edge, are one column in several
    languages.
    """
    by_place: dict[int, dict[str, None]] = {}
    for example, shape in shapes:
        if shape.of_texts:
            continue
        # From the right edge: only what stands behind the last figure is beside the values.
        for index in range(shape.right - shape.left - 1, shape.leading, -1):
            is_beside = shape.left + index >= shape.values.stop
            if shape.columns[index] == FIGURE and not is_beside:
                break
            text = heading_at(example, shape, index)
            if text and not is_total(text) and (shape.columns[index] == TEXT or is_beside):
                by_place.setdefault(shape.right - shape.left - index, {})[text] = None
    return [list(heads) for _, heads in sorted(by_place.items(), reverse=True)]


def level_cells(example: Example, shape: Shape, level: int) -> list[Cell]:
    cells = example.sheet.rows[shape.top + level]
    return [
        cells[column]
        for column in shape.values
        if cells[column] != "" and (shape.of_texts or shape.columns[column - shape.left] != TEXT)
    ]


def _found_by(shapes: Tables) -> list[str]:
    """Headings of the lowest level that all tables have: two of them, or the only one."""
    common: list[str] | None = None
    for _, shape in shapes:
        heads = [cell_text(cell) for cell in shape.heads[shape.leading :] if cell != ""]
        common = heads if common is None else [text for text in common if text in heads]
    return list(dict.fromkeys(common or []))[:2]


def _caption(shapes: Tables, taken: Collection[str]) -> tuple[str, dict[str, str]] | None:
    """The pattern of the texts right above all tables, and the fields that it fills beside those
    already `taken`."""
    lines = _lines_above(shapes)
    if lines is None:
        return None
    # A remark may stand between a caption and its table.
    nearest = caption_of([above[0] for above in lines], taken)
    return nearest or caption_of([above[-1] for above in lines], taken)


def _lines_above(shapes: Tables) -> list[list[str]] | None:
    """The texts in the two rows above each table, nearest first; None if a table has none."""
    lines = []
    for example, shape in shapes:
        above = [
            cell_text(example.sheet.rows[row][column])
            for row in range(shape.top - 1, max(shape.top - 3, -1), -1)
            for column in range(shape.left, shape.right)
            if example.sheet.rows[row][column] != ""
        ]
        if not above:
            return None
        lines.append(above)
    return lines


def _totals(shapes: Tables) -> list[str]:
    """Patterns for the headings and row labels that name totals."""
    totals: dict[str, None] = {}
    for example, shape in shapes:
        heads = [
            cell_text(example.sheet.rows[row][column])
            for row in range(shape.top, shape.lowest + 1)
            for column in (shape.values if shape.crossed else ())
        ]
        labels = _labels_of_totals(example, shape)
        totals |= dict.fromkeys(filter(None, map(total_pattern, (*heads, *labels))))
        if shape.crossed and (summed := _summing_heading(example, shape)):
            totals[total_pattern(summed) or summed] = None
    # A pattern that is covered by a wider one is left out.
    return [text for text in totals if text + "*" not in totals]


def _labels_of_totals(example: Example, shape: Shape) -> list[str]:
    """The texts in the leading columns of a table, and right below it, that may name totals.

    A row whose name is a word for totals by coincidence, as the department “Media” is, does not
    count: another name stands beside it, or it has no figure and the record right below has.
    """
    columns = range(shape.left, shape.left + max(shape.leading, 1))
    rows = range(shape.first, min(shape.end + 3, example.sheet.height))
    names = [[cell_text(example.sheet.rows[row][column]) for column in columns] for row in rows]
    looks = looks_of(example.sheet)[rows.start : rows.stop, shape.left : shape.right]
    figures: list[bool] = (looks == FIGURE).any(axis=1).tolist()
    is_record = [
        has and any(texts) and not any(map(is_total, texts))
        for texts, has in zip(names, figures, strict=True)
    ]
    return [
        text
        for texts, has, before_record in zip(names, figures, [*is_record[1:], False], strict=True)
        if not (any(text and not is_total(text) for text in texts[1:]) if has else before_record)
        for text in texts
    ]


def _summing_heading(example: Example, shape: Shape) -> str:
    """The heading of the last column of values if it sums up all others, row by row."""
    numbers = example.sheet.numbers[shape.first : shape.end, shape.values.start : shape.values.stop]
    # Of two columns one is the sum of the other only if they are equal.
    if numbers.shape[1] <= 2 or np.isnan(numbers[:, -1]).all():
        return ""
    rows = ~np.isnan(numbers[:, -1])
    sums = np.nansum(numbers[:, :-1], axis=1)
    same = bool(np.allclose(sums[rows], numbers[rows, -1], rtol=1e-9, atol=1e-6))
    return cell_text(shape.heads[-1]) if same and rows.sum() > 1 else ""
