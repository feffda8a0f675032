"""The headings over the columns of tables, and the fields that they name."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from boreotabula.drafting.tabs.specimens import Example
from boreotabula.layout.headings import normal_form
from boreotabula.look.shape import Shape
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.levels import joined_headings
from boreotabula.sheets.sheet import Sheet

Tables = Sequence[tuple[Example, Shape]]


def heading_at(example: Example, shape: Shape, index: int) -> str:
    """The lowest heading over a column of a table, counted from its first."""
    column = shape.left + index
    if column >= shape.right:
        return ""
    # From below: the lowest heading names the column, those above it its group.
    above = (example.sheet.rows[row][column] for row in range(shape.lowest, shape.top - 1, -1))
    return one_line(cell_text(next((cell for cell in above if cell != ""), "")).strip())


def heading_of(name: str) -> str:
    """The heading, in normal form, that a field's name alone recognises."""
    return normal_form(name.replace("_", " "))


def named_field(
    heads: Sequence[str],
    fields: dict[str, str],
    headings: dict[str, str],
    fallback: str = "field",
) -> str:
    """The name of a field for some headings, added to the fields that are there."""
    name = field_name(heads[0] if heads else fallback, fields, fallback)
    fields[name] = "text"
    # Its own name needs no entry in the glossary.
    for text in heads:
        if normal_form(text) != heading_of(name):
            headings.setdefault(text, name)
    return name


def list_heading(example: Example, shape: Shape, index: int) -> str:
    """The heading of a column of a list, counted from its first; several rows are joined."""
    if shape.lowest == shape.highest:
        return heading_at(example, shape, index)
    if shape.left + index >= shape.right:
        return ""
    rows = range(shape.highest, shape.lowest + 1)
    return _joined(example.sheet, rows, range(shape.left, shape.right))[index]


@lru_cache(maxsize=64)
def _joined(sheet: Sheet, rows: range, columns: range) -> Sequence[str]:
    """The headings of a list as it will be read."""
    return [text.rstrip(": *") for text in joined_headings(sheet, rows, columns)]
