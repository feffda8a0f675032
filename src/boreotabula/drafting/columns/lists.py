"""Lists of a kind: with headings, or by position without headings."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import count
from typing import Any

import numpy as np

from boreotabula.drafting.columns.alignment import columns_of
from boreotabula.drafting.columns.carried import find_carried_columns, numbers_lines
from boreotabula.drafting.columns.column import DraftColumn, sample_cells
from boreotabula.drafting.columns.over_columns import (
    Tables,
    heading_of,
    list_heading,
    named_field,
)
from boreotabula.drafting.columns.with_types import with_type
from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.sketch import Sketch, one_or_list
from boreotabula.drafting.tabs.headless import is_headless
from boreotabula.drafting.tabs.specimens import Example, TabFamily
from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import TEXT, looks_of
from boreotabula.look.shape import Shape
from boreotabula.look.texts.types import Typed, typed
from boreotabula.look.texts.words import field_name, is_total
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Cell, Sheet


def list_sketch(shapes: Tables) -> Sketch:
    fields: dict[str, str] = {}
    headings: dict[str, str] = {}
    doubts: list[Doubt] = []
    rows = max(shape.lowest - shape.highest + 1 for _, shape in shapes)
    # Turned into columns by their headings, wherever they stand on each tab.
    columns = columns_of(shapes, list_heading, lambda shape: range(shape.right - shape.left))
    by_place = _are_by_place(columns, shapes)
    for column in columns:
        if by_place and not column.headings:
            name = field_name("name", fields)
            fields[name] = "text"
            continue
        known_texts = {normal_form(text) for text in headings} | set(map(heading_of, fields))
        heads = [text for text in column.headings if normal_form(text) not in known_texts]
        # Of two columns with one heading only the first can be known by it; the other is told.
        if column.headings and len(heads) == len(column.headings):
            named_field(heads, fields, headings)
            doubts += column.doubts
    block: dict[str, Any] = {"heading_rows": rows} if rows > 1 else {}
    if by_place:
        # In order, since a list by position has nothing else to know its columns by.
        block |= {"columns": list(fields)}
    elif len(columns) > _FEWEST and (groups := _leading_groups(shapes, columns)):
        names = list(fields)
        block |= {
            "stub": names[: groups.stop + 1],
            "carry_down": one_or_list(names[groups.start : groups.stop]),
        }
    elif len(fields) == _FEWEST and _lead_groups(shapes):
        group = field_name("class", fields)
        block |= {"stub": next(iter(fields)), "group_row": group}
        fields = {group: "text", **fields}
    return Sketch(block=block, listed=True, fields=fields, headings=headings, doubts=tuple(doubts))


_FEWEST = 2


def _leading_groups(shapes: Tables, columns: Sequence[DraftColumn]) -> range:
    """Which of the first columns hold groups, after a column that numbers the rows, if there is
    one.

    Further right a blank cell is a missing value. Days may be groups although they are no names.
    """
    leading = min(shape.leading for _, shape in shapes)
    # Days may name groups although they are figures.
    if not leading and _are_days(shapes, columns[0]):
        leading = 1
        carried = set(find_carried_columns(shapes, columns, leading))
    else:
        carried = set(find_carried_columns(shapes, columns[:leading]))
    start = int(0 not in carried and numbers_lines(shapes, columns[0]))
    stop = next(index for index in count(start) if index not in carried)
    return range(start, stop)


def _are_days(shapes: Tables, column: DraftColumn) -> bool:
    """Whether a column holds only dates."""
    return typed(sample_cells(column, shapes), tolerant=False).kind == "date"


def _lead_groups(shapes: Tables) -> bool:
    """Whether rows that hold only a name divide all tables into groups.

    In a list of two columns such a row may also be a record whose value is missing. A name of a
    group stands before the first record, right above one, and never beside a value.
    """
    groups: list[str] = []
    others: set[str] = set()
    for example, shape in shapes:
        rows = range(shape.first, shape.end)
        names = {row: cell_text(example.sheet.rows[row][shape.left]) for row in rows}
        lone = lone_rows(example, shape)
        followed = all(
            row + 1 in names and row + 1 not in lone and not is_total(names[row + 1])
            for row in lone
        )
        if shape.first not in lone or not followed:
            return False
        groups += [names.pop(row) for row in lone]
        others.update(names.values())
    # Names of groups come again in other tables, names of records may too; one that is both is no
    # group.
    # One name above a table is its title rather.
    return len(groups) > len(shapes) and others.isdisjoint(groups)


def _are_by_place(columns: Sequence[DraftColumn], shapes: Tables) -> bool:
    """Whether columns are known only by their place.

    The first has no heading, and all tables have the same columns at the same places, each heading
    once.
    """
    if not columns or columns[0].headings:
        return False
    heads = [text for column in columns for text in column.headings]
    return len(set(map(normal_form, heads))) == len(heads) and all(
        len(column.places) == len(shapes) and set(column.places.values()) == {index}
        for index, column in enumerate(columns)
    )


def position_sketch(kind: TabFamily) -> Sketch:
    """A list without headings: rows that are filled alike, or lines with the mark of records.

    Empty if the tabs hold no such list. If a tab has headings after all, they name the columns.
    """
    if kind.has_lines:
        return _lines_sketch(kind)
    sheets = [example.sheet for example in kind.examples]
    # Lists without headings must have one width; otherwise their columns have moved.
    if not all(map(is_headless, sheets)) or len({sheet.width for sheet in sheets}) != 1:
        return Sketch()
    heads = next((example.further[0].heads for example in kind.examples if example.further), ())
    return _by_position([row for sheet in sheets for row in _body(sheet)], heads)


def _lines_sketch(kind: TabFamily) -> Sketch:
    """The records of lines with marks, compared with what the control lines say of them."""
    lines = [example.lines for example in kind.examples if example.lines]
    records = [record for tab in lines for record in tab.lines.records]
    width = max(map(len, records), default=0)
    # The mark says what a line is; it is no value.
    sketch = _by_position([["", *record[1:], *[""] * (width - len(record))] for record in records])
    columns: list[str] = sketch.block["columns"]
    (_, record, control), places = lines[0].lines.marks, lines[0].places
    sums = {columns[own]: place + 1 for own, place in places.sums.items()}
    checked = {"line": control, "count": places.count + 1, **({"sums": sums} if sums else {})}
    return sketch.having(only_rows=record, control=checked)


def _by_position(rows: Sequence[Sequence[Cell]], heads: Sequence[Cell] = ()) -> Sketch:
    """A list with rows of one length whose columns are known by their place."""
    fields: dict[str, str] = {}
    columns: list[str] = []
    types: dict[str, Typed] = {}
    for column, every in enumerate(zip(*rows, strict=True)):
        cells = [cell for cell in every if cell != ""]
        if not cells and not heads:
            # A dash keeps the place of a column that is always blank.
            columns.append("-")
            continue
        type_ = typed(cells)
        head = cell_text(heads[column]) if heads else ""
        name = field_name(head or NAMES_OF_MOMENTS.get(type_.kind, "column"), fields)
        fields[name] = type_.kind
        types[name] = type_
        columns.append(name)
    sketch = Sketch(block={"headings": 0, "columns": columns}, fields=fields)
    for name, type_ in types.items():
        sketch = with_type(sketch, name, type_)
    return sketch


NAMES_OF_MOMENTS = {"datetime": "time", "date": "date", "month": "month", "time": "time"}
"""The name of a field, by the type of its values, if the form has no word for it."""


def _body(sheet: Sheet) -> Sequence[Sequence[Cell]]:
    """The rows of a list without headings; a first row of only texts names its columns."""
    looks = looks_of(sheet)
    headed = len(looks) > 1 and (looks[0] == TEXT).all() and (looks[1] != TEXT).any()
    return sheet.rows[1:] if headed else sheet.rows


def lone_rows(example: Example, shape: Shape) -> list[int]:
    """The rows of a table that hold only a text in the first column."""
    looks = looks_of(example.sheet)[shape.first : shape.end, shape.left : shape.right]
    alone = (np.count_nonzero(looks, axis=1) == 1) & (looks[:, 0] == TEXT)
    return [row + shape.first for row in np.flatnonzero(alone).tolist()]
