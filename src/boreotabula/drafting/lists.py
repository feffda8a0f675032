"""Lists of a kind: with headings, or by position without any."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from boreotabula.drafting.alignment import columns_of
from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.looks import TEXT, looks_of
from boreotabula.drafting.over_columns import (
    Tables,
    heading_of,
    list_heading,
    named_field,
)
from boreotabula.drafting.shapes import Shape
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.specimens import Example, Kindred, is_headless
from boreotabula.drafting.types import Typed, typed
from boreotabula.drafting.values import with_type
from boreotabula.drafting.words import field_name, is_total
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet


def list_sketch(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    doubts: list[Doubt] = []
    rows = max(shape.lowest - shape.highest + 1 for _, shape in shapes)
    for column in columns_of(shapes, list_heading, lambda shape: range(shape.right - shape.left)):
        known = {normal_form(text) for text in headings} | set(map(heading_of, fields))
        heads = [text for text in column.headings if normal_form(text) not in known]
        # Of two columns with one heading only the first can be known by it; the other is told.
        if column.headings and len(heads) == len(column.headings):
            named_field(heads, fields, headings)
            doubts += column.doubts
    block: dict[str, Any] = {"heading_rows": rows} if rows > 1 else {}
    if fields and _is_filled_once(shapes):
        first = next(iter(fields))
        block |= {"stub": list(fields)[:2], "carry_down": first}
    return Sketch(block=block, listed=True, fields=fields, headings=headings, doubts=tuple(doubts))


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


def position_sketch(kind: Kindred) -> Sketch:
    """A list without headings: rows that are filled alike. Nothing if the tabs hold none. A tab
    that has headings all the same names the columns."""
    sheets = [one.sheet for one in kind.examples]
    if not all(map(is_headless, sheets)) or len({sheet.width for sheet in sheets}) != 1:
        return Sketch()
    heads = next((one.further[0].heads for one in kind.examples if one.further), ())
    fields: dict[str, str] = {}
    columns: list[str] = []
    types: dict[str, Typed] = {}
    for at in range(sheets[0].width):
        cells = [row[at] for sheet in sheets for row in _body(sheet) if row[at] != ""]
        if not cells and not heads:
            columns.append("-")
            continue
        found = typed(cells)
        named = {"datetime": "time", "date": "date", "month": "month", "time": "time"}
        head = cell_text(heads[at]) if heads else ""
        name = field_name(head or named.get(found.kind, "column"), fields)
        fields[name] = found.kind
        types[name] = found
        columns.append(name)
    sketch = Sketch(block={"headings": 0, "columns": columns}, fields=fields)
    for name, found in types.items():
        sketch = with_type(sketch, name, found)
    return sketch


def _body(sheet: Sheet) -> Sequence[Sequence[Cell]]:
    """The rows of a list without headings; a first row of nothing but texts names its columns."""
    looks = looks_of(sheet)
    headed = len(looks) > 1 and (looks[0] == TEXT).all() and (looks[1] != TEXT).any()
    return sheet.rows[1:] if headed else sheet.rows


def lone_rows(one: Example, shape: Shape) -> list[int]:
    """The rows of a table that hold nothing but a text in its first column."""
    looks = looks_of(one.sheet)[shape.first : shape.end, shape.left : shape.right]
    alone = (np.count_nonzero(looks, axis=1) == 1) & (looks[:, 0] == TEXT)
    return [row + shape.first for row in np.flatnonzero(alone).tolist()]
