"""The table of a kind as its look suggests it: cross-tab, list, or rows without headings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from boreotabula.drafting.captions import caption_of
from boreotabula.drafting.shapes import FIGURE, TEXT, Shape, looks_of
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.specimens import Example, Kindred
from boreotabula.drafting.types import type_of
from boreotabula.drafting.words import field_name, is_total, is_unit, level_name, total_pattern
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.workbooks.sheet import Cell


def table_sketch(kind: Kindred) -> Sketch:
    shapes = [(one, shape) for one in kind.examples for shape in one.shapes]
    several = any(len(one.shapes) > 1 for one in kind.examples)
    first = shapes[0][1]
    sketch = _cross_tab(shapes) if first.crossed else _list(shapes)
    block: dict[str, Any] = dict(sketch.block)
    if totals := _totals(shapes):
        block["totals"] = _few(totals)
    if _has_gap(shapes):
        block["gaps"] = True
    if several:
        block["repeat"] = True
    sketch = replace(sketch, block=block)
    return _captioned(sketch, shapes) if several else sketch


def _captioned(sketch: Sketch, shapes: Tables) -> Sketch:
    """With the texts above the tables of a tab, if they name each of them and have no label."""
    known = {"caption", "found_by", "columns"} & sketch.block.keys()
    found = None if known else _caption(shapes, alone=True)
    if found is None:
        return sketch
    pattern, captured = found
    if ":" in pattern or set(captured) & set(sketch.fields):
        return sketch
    more = {} if "stub" in sketch.block else {"stub": next(iter(sketch.fields))}
    fields = {**captured, **sketch.fields}
    return replace(sketch.having(caption=pattern, **more), fields=fields)


def _has_gap(shapes: Tables) -> bool:
    """Whether a column amid a table is blank, its headings too."""
    return any(
        not one.sheet.filled[shape.top : shape.end, at].any()
        for one, shape in shapes
        for at in range(shape.left + 1, shape.right - 1)
    )


def _few(texts: Sequence[str]) -> str | list[str]:
    return texts[0] if len(texts) == 1 else list(texts)


Tables = Sequence[tuple[Example, Shape]]


def _headings(shapes: Tables, at: int) -> list[str]:
    """The headings of the column at some place of all tables: first that of the usual language."""
    texts: Counter[str] = Counter()
    for one, shape in shapes:
        if shape.left + at < shape.right:
            texts[_heading(one, shape, at)] += 1
    del texts[""]
    usual = _heading(*_usual(shapes), at)
    return sorted(texts, key=lambda text: (text != usual, -texts[text]))


def _heading(one: Example, shape: Shape, at: int) -> str:
    """The lowest heading over a column of a table, counted from its first."""
    column = shape.left + at
    if column >= shape.right:
        return ""
    above = (one.sheet.rows[row][column] for row in range(shape.lowest, shape.top - 1, -1))
    return one_line(cell_text(next((cell for cell in above if cell != ""), "")).strip())


def _usual(shapes: Tables) -> tuple[Example, Shape]:
    """The table whose headings most tables have; of equals one without foreign letters, as it makes
    the plainer names."""
    heads = [
        tuple(_heading(one, shape, at) for at in range(shape.leading or shape.right - shape.left))
        for one, shape in shapes
    ]
    counts = Counter(heads)
    best = max(range(len(heads)), key=lambda at: (
        counts[heads[at]], sum(map(str.isascii, heads[at])), -at,
    ))  # fmt: skip
    return shapes[best]


def _heading_of(name: str) -> str:
    """The heading by which a field is known by its name, in normal form."""
    return normal_form(name.replace("_", " "))


def _named(
    heads: Sequence[str],
    fields: dict[str, str],
    headings: dict[str, str],
    fallback: str = "field",
) -> str:
    """A field for some headings, which is added to those that are there."""
    name = field_name(heads[0] if heads else fallback, fields, fallback)
    fields[name] = "text"
    for text in heads:
        if normal_form(text) != _heading_of(name):
            headings.setdefault(text, name)
    return name


def _cross_tab(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    shape = shapes[0][1]
    leading = [_headings(shapes, at) for at in range(shape.leading)]
    corner = _corner_names(shapes)
    # Where a leading column has no heading, all of them are known by their place.
    bare = shape.bare or corner or not all(leading)
    stub: list[str] = []
    for at, heads in enumerate(leading):
        if bare and not heads and _numbers_lines(shapes, at):
            stub.append("-")
        else:
            own = [] if corner else heads
            # By position no heading is looked for, so none need be known.
            stub.append(_named(own, fields, {} if bare else headings, "name"))
    across = []
    measures = _measures(shapes)
    for level in range(shape.levels - bool(measures)):
        cells = [cell for example, some in shapes for cell in level_cells(example, some, level)]
        lowest = level == shape.levels - 1
        summing = {_summing_heading(*some) for some in shapes}
        known = level_name([
            cell for cell in cells if not is_total(text := cell_text(cell)) and text not in summing
        ])  # fmt: skip
        name = field_name(known or ("heading" if lowest else "group"), fields)
        fields[name] = "text"
        across.append(name)
    values = [_named(heads, fields, headings, "value") for heads in measures]
    values = values or [field_name("value", fields)]
    fields |= dict.fromkeys(values, "integer")
    block: dict[str, Any] = {"columns" if bare else "stub": _few(stub)}
    block |= {"across": _few(across), "value": _few(values)}
    for heads in _beside(shapes):
        _named(heads, fields, headings, "remark")
    if corner:
        name = field_name("corner", fields)
        fields = {name: "text", **fields}
        block["found_by"] = _few(_found_by(shapes))
        block["stamps"] = {name: {"from": "stub head"}}
    elif bare:
        caption = _caption(shapes) if shape.bare else None
        if caption:
            block["caption"], captured = caption
            fields = {**captured, **fields}
        else:
            block["found_by"] = _few(_found_by(shapes))
    carried = [name for at, name in enumerate(stub) if name != "-" and _is_carried(shapes, at)]
    if carried and not shape.bare and not corner:
        block["carry_down"] = _few(carried)
    return Sketch(block=block, fields=fields, headings=headings)


_MOST_MEASURES = 6


def _measures(shapes: Tables) -> list[list[str]]:
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


def _corner_names(shapes: Tables) -> bool:
    """Whether the text over the stub names the table: it differs from table to table of a tab, and
    the other headings are the same."""
    by_tab: dict[int, list[Shape]] = {}
    for one, shape in shapes:
        by_tab.setdefault(id(one), []).append(shape)
    for some in by_tab.values():
        corners = {cell_text(one.heads[0]) for one in some}
        rest = {one.heads[1:] for one in some}
        if some[0].leading == 1 and len(corners) == len(some) > 1 and "" not in corners:
            return bool(set.intersection(*(set(map(cell_text, one)) for one in rest)))
    return False


def _beside(shapes: Tables) -> list[list[str]]:
    """The headings of columns of texts right of the values; headings that are never on one tab, but
    as far from the right edge, are of one column, in several languages."""
    by_place: dict[int, dict[str, None]] = {}
    for one, shape in shapes:
        if shape.of_texts:
            continue
        for at in range(shape.right - shape.left - 1, shape.leading, -1):
            if shape.columns[at] == FIGURE:
                break
            text = _heading(one, shape, at)
            if text and not is_total(text) and shape.columns[at] == TEXT:
                by_place.setdefault(shape.right - shape.left - at, {})[text] = None
    return [list(heads) for _, heads in sorted(by_place.items(), reverse=True)]


def level_cells(example: Example, shape: Shape, level: int) -> list[Cell]:
    cells = example.sheet.rows[shape.top + level]
    return [cells[at] for at in shape.values
            if cells[at] != "" and (shape.of_texts or shape.columns[at - shape.left] != TEXT)
            ]  # fmt: skip


def _numbers_lines(shapes: Tables, at: int) -> bool:
    """Whether a leading column numbers the lines."""
    for one, shape in shapes:
        cells = [one.sheet.rows[row][shape.left + at] for row in range(shape.first, shape.end)]
        numbers = [cell for cell in cells if isinstance(cell, float)]
        if len(numbers) < len([cell for cell in cells if cell != ""]) or numbers != sorted(numbers):
            return False
    return True


def _found_by(shapes: Tables) -> list[str]:
    """Headings that all tables have, of the lowest level: two of them, or the only one."""
    common: list[str] | None = None
    for _, shape in shapes:
        heads = [cell_text(cell) for cell in shape.heads[shape.leading :] if cell != ""]
        common = heads if common is None else [one for one in common if one in heads]
    return list(dict.fromkeys(common or []))[:2]


def _caption(shapes: Tables, *, alone: bool = False) -> tuple[str, dict[str, str]] | None:
    """The pattern of the texts right above all tables, and the fields that it fills; or only of
    such as stand `alone` over their table."""
    texts = []
    for one, shape in shapes:
        above = [
            cell_text(one.sheet.rows[row][column])
            for row in range(shape.top - 1, max(shape.top - 3, -1), -1)
            for column in range(shape.left, shape.right)
            if one.sheet.rows[row][column] != ""
        ]
        if not above or (alone and len(above) > 1):
            return None
        texts.append(above[0])
    return caption_of(texts)


def _is_carried(shapes: Tables, at: int) -> bool:
    """Whether a leading column is filled once and meant for the rows below, too."""
    blank = filled = 0
    for one, shape in shapes:
        column = shape.left + at
        rows = range(shape.first, shape.end)
        valued = [
            row for row in rows if one.sheet.filled[row, shape.values.start : shape.right].any()
        ]
        others = [c for c in range(shape.left, shape.left + shape.leading) if c != column]
        for row in valued:
            cell = one.sheet.rows[row][column]
            named = any(one.sheet.rows[row][other] != "" for other in others)
            total = any(
                is_total(cell_text(one.sheet.rows[row][other])) for other in (column, *others)
            )
            blank += cell == "" and named and not total
            filled += cell != ""
    return blank > 0 and filled > 0 and 3 * blank > filled


def _totals(shapes: Tables) -> list[str]:
    """Patterns for the headings and row labels that name totals."""
    found: dict[str, None] = {}
    for one, shape in shapes:
        heads = [
            cell_text(one.sheet.rows[row][column])
            for row in range(shape.top, shape.lowest + 1)
            for column in (shape.values if shape.crossed else ())
        ]
        columns = range(shape.left, shape.left + max(shape.leading, 1))
        labels = [
            cell_text(one.sheet.rows[row][column])
            for row in range(shape.first, min(shape.end + 3, one.sheet.height))
            for column in columns
        ]
        found |= dict.fromkeys(filter(None, map(total_pattern, (*heads, *labels))))
        if shape.crossed and (summed := _summing_heading(one, shape)):
            found[total_pattern(summed) or summed] = None
    return [one for one in found if one + "*" not in found]


def _summing_heading(one: Example, shape: Shape) -> str:
    """The heading of the last column of values if it sums up all others, row by row."""
    numbers = one.sheet.numbers[shape.first : shape.end, shape.values.start : shape.values.stop]
    if numbers.shape[1] <= 2 or np.isnan(numbers[:, -1]).all():
        return ""
    rows = ~np.isnan(numbers[:, -1])
    sums = np.nansum(numbers[:, :-1], axis=1)
    same = bool(np.allclose(sums[rows], numbers[rows, -1], rtol=1e-9, atol=1e-6))
    return cell_text(shape.heads[-1]) if same and rows.sum() > 1 else ""


def _list(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    shape = shapes[0][1]
    rows = shape.lowest - shape.highest + 1
    for at in range(shape.right - shape.left):
        heads = _headings(shapes, at)
        if rows > 1:
            heads = [text for text in dict.fromkeys(_joined(*one, at) for one in shapes) if text]
        known = {normal_form(text) for text in headings} | set(map(_heading_of, fields))
        # Of two columns with one heading only the first can be known by it; the other is told.
        if heads and normal_form(heads[0]) not in known:
            _named([text for text in heads if normal_form(text) not in known], fields, headings)
    block: dict[str, Any] = {"heading_rows": rows} if rows > 1 else {}
    if fields and _is_filled_once(shapes):
        first = next(iter(fields))
        block |= {"stub": list(fields)[:2], "carry_down": first}
    return Sketch(block=block, listed=True, fields=fields, headings=headings)


_MOST_FILLED = 0.7


def _is_filled_once(shapes: Tables) -> bool:
    """Whether the first column of a list names groups: a text at the start of each, and nothing in
    the rows below, whose second column is filled throughout."""
    filled = total = 0
    for one, shape in shapes:
        rows = [
            row for row in range(shape.first, shape.end)
            if not is_total(cell_text(one.sheet.rows[row][shape.left]))
        ]  # fmt: skip
        cells = [one.sheet.rows[row][shape.left] for row in rows]
        if shape.columns[0] != TEXT or not cells or cells[0] == "" or shape.right - shape.left < 3:
            return False
        if any(one.sheet.rows[row][shape.left + 1] == "" for row in rows):
            return False
        filled += sum(cell != "" for cell in cells)
        total += len(cells)
    return filled < _MOST_FILLED * total


def list_heading(one: Example, shape: Shape, at: int) -> str:
    """The heading of a column of a list, counted from its first: of several rows as joined."""
    rows = shape.lowest - shape.highest + 1
    return _joined(one, shape, at) if rows > 1 else _heading(one, shape, at)


def _joined(one: Example, shape: Shape, at: int) -> str:
    """The headings of all rows over a column of a list, as they are joined."""
    column = shape.left + at
    texts: list[str] = []
    if column >= shape.right:
        return ""
    for row in range(shape.highest, shape.lowest + 1):
        cell = one.sheet.cell(*one.sheet.anchor(row, column))
        if cell == "" and row < shape.lowest:
            left = (where for where in range(column, shape.left - 1, -1)
                    if one.sheet.rows[row][where] != "")  # fmt: skip
            cell = one.sheet.rows[row][next(left, column)]
        if cell != "":
            texts.append(one_line(cell_text(cell)).rstrip(": *"))
    return " / ".join(dict.fromkeys(texts))


_LEAST_ROWS, _LEAST_COLUMNS = 2, 2


def position_sketch(kind: Kindred) -> Sketch:
    """A list without headings: rows that are filled alike. Nothing if the tabs hold none."""
    looks = [looks_of(one.sheet) for one in kind.examples]
    widths = {one.shape[1] for one in looks}
    dense = all(
        one.shape[0] >= _LEAST_ROWS and np.count_nonzero(one) > 0.9 * one.size
        and ((one == one[0]).mean() > 0.9) for one in looks
    )  # fmt: skip
    if len(widths) != 1 or not dense or (width := widths.pop()) < _LEAST_COLUMNS:
        return Sketch()
    fields: dict[str, str] = {}
    columns: list[str] = []
    for at in range(width):
        cells = [row[at] for one in kind.examples for row in one.sheet.rows]
        found = type_of(cells)
        named = {"datetime": "time", "date": "date", "month": "month", "time": "time"}.get(found)
        name = field_name(named or "column", fields)
        fields[name] = found
        columns.append(name)
    return Sketch(block={"headings": 0, "columns": columns}, fields=fields)


def lone_rows(one: Example, shape: Shape) -> list[int]:
    """The rows of a table that hold nothing but a text in its first column."""
    looks = looks_of(one.sheet)[shape.first : shape.end, shape.left : shape.right]
    alone = (np.count_nonzero(looks, axis=1) == 1) & (looks[:, 0] == TEXT)
    return [row + shape.first for row in np.flatnonzero(alone).tolist()]
