"""Lists of a kind: with headings, or by position without any."""

from __future__ import annotations

from typing import Any

import numpy as np

from boreotabula.drafting.looks import TEXT, looks_of
from boreotabula.drafting.over_columns import (
    Tables,
    heading_of,
    headings_at,
    list_heading,
    named_field,
)
from boreotabula.drafting.shapes import Shape
from boreotabula.drafting.sketch import Sketch
from boreotabula.drafting.specimens import Example, Kindred
from boreotabula.drafting.types import type_of
from boreotabula.drafting.words import field_name, is_total
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text


def list_sketch(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    shape = shapes[0][1]
    rows = shape.lowest - shape.highest + 1
    for at in range(shape.right - shape.left):
        heads = headings_at(shapes, at)
        if rows > 1:
            heads = [
                text for text in dict.fromkeys(list_heading(*one, at) for one in shapes) if text
            ]
        known = {normal_form(text) for text in headings} | set(map(heading_of, fields))
        # Of two columns with one heading only the first can be known by it; the other is told.
        if heads and normal_form(heads[0]) not in known:
            named_field(
                [text for text in heads if normal_form(text) not in known], fields, headings
            )
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
