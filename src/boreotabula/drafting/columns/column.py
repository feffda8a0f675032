"""A column of a kind, and how similar two of them are."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from boreotabula.drafting.columns.over_columns import Tables
from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.texts.periods import period_of
from boreotabula.layout.headings import normal_form
from boreotabula.look.texts.types import typed
from boreotabula.look.texts.words import level_name
from boreotabula.sheets.sheet import Cell


@dataclass
class DraftColumn:
    """A column of a kind: its place in each table that has it, by the index of the table, and the
    headings by which it is known, the most common first."""

    places: dict[int, int]
    headings: list[str]
    doubts: list[Doubt] = field(default_factory=list)
    kind: str | None = None
    """The type of its cells, once determined; empty if they are blank."""
    texts: set[str] | None = None
    """The texts of some of its cells, once read."""


def share_texts(first: DraftColumn, second: DraftColumn, tables: Tables) -> bool:
    """Whether two columns have texts in common."""
    return shared_texts(first, second, tables) > 0


def shared_texts(first: DraftColumn, second: DraftColumn, tables: Tables) -> float:
    """The share of texts that two columns have in common; 0 if it is only one text."""
    texts = []
    for column in (first, second):
        # Computed once for each column: pairs of columns are compared many times.
        if column.texts is None:
            column.texts = {cell for cell in sample_cells(column, tables) if isinstance(cell, str)}
        texts.append(column.texts)
    shared = len(texts[0] & texts[1])
    return shared / min(map(len, texts)) if shared > 1 else 0.0


def likeness_of(text: str, other_text: str) -> float:
    from rapidfuzz import fuzz  # only needed where headings differ

    first, second = normal_form(text), normal_form(other_text)
    # Other figures in the same words are another thing: “Pot 95”, “Pot 60”.
    if [sign for sign in first if sign.isdigit()] != [sign for sign in second if sign.isdigit()]:
        return 0.0
    return float(max(fuzz.ratio(first, second), fuzz.token_sort_ratio(first, second)))


def are_moments(first: DraftColumn, second: DraftColumn) -> bool:
    """Whether headings are moments or numbers, which are never spellings of one another."""
    return any(
        level_name([text]) or period_of(text) or text.strip().isdigit()
        for column in (first, second) for text in column.headings
    )  # fmt: skip


_SAMPLE, _TABLES = 40, 4
"""This many cells of this many tables show what a column holds."""
_NUMBERS = frozenset(("integer", "number"))


def sample_cells(column: DraftColumn, tables: Tables, most: int = _SAMPLE) -> list[Cell]:
    """Some filled cells of a column, from several tables."""
    cells: list[Cell] = []
    for number in list(column.places)[:_TABLES]:
        example, shape = tables[number]
        index = shape.left + column.places[number]
        rows = range(shape.first, min(shape.end, shape.first + most))
        cells += [cell for row in rows if (cell := example.sheet.cell(row, index)) != ""]
    return cells


def are_of_one_type(first: DraftColumn, second: DraftColumn, tables: Tables) -> bool:
    for column in (first, second):
        if column.kind is None:
            cells = sample_cells(column, tables)
            column.kind = _type_of(cells) if cells else ""
    types = {first.kind, second.kind} - {""}
    return len(types) < 2 or types <= _NUMBERS


def _type_of(cells: Sequence[Cell]) -> str:
    """The type of some cells. Dates in words are dates, whatever their language; codes of digits
    may be numbers on another tab."""
    texts = [cell for cell in cells if isinstance(cell, str)]
    # Codes of digits may be numbers in the workbook of another sender.
    if texts and all(text.strip().isdigit() for text in texts):
        return "integer"
    kinds = Counter(period.kind for text in texts if (period := period_of(text)))
    (kind, number), *_ = kinds.most_common(1) or [("", 0)]
    return kind if 2 * number > len(cells) else typed(cells).kind
