"""The frame of a tab without any layout: its headings and labels, ignoring values.

A guess, made to group what looks alike; nothing is ever read by it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import matching
from boreotabula.look.shape import Shape
from boreotabula.look.tables import tables_of
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet
from boreotabula.texts import counted

if TYPE_CHECKING:
    from boreotabula.reading.plan import Plan


@dataclass(frozen=True)
class Frame:
    """The headings of a tab's largest table with their places in it, and the labels above it."""

    headings: tuple[tuple[int, int, str], ...] = ()
    """Row and column from the first heading, and the heading's normal form (or its field)."""
    labels: frozenset[str] = frozenset()
    start: tuple[int, int] | None = None
    """Row and column of the first heading, counted from 0."""
    spelt: Mapping[str, str] | None = None
    """The spelling of each."""
    shape: str = ""
    """For a table without headings: its columns in words."""

    @property
    def key(self) -> tuple[object, ...]:
        """The key by which tabs look alike."""
        return self.headings, self.labels, self.shape

    @property
    def words(self) -> list[str]:
        """All headings and labels, each once, headings first."""
        shape = [self.shape] if self.shape else []
        heads = (text for *_, text in self.headings)
        return list(dict.fromkeys([*heads, *sorted(self.labels), *shape]))

    def written(self, word: str) -> str:
        """The spelling of a heading or label on the tab."""
        return (self.spelt or {}).get(word, word)


def word_in(plan: Plan, text: str) -> str | None:
    """The layout's word for a heading: its field, or the rule that covers it."""
    field = plan.names.field_of(text)
    if field:
        return field
    for form in plan.forms:
        for block in form.blocks:
            own = block.names.field_of(text) if block.also else None
            if own is not None:
                return own
            rules = (
                ("total", block.totals.patterns),
                ("ignored", block.ignore.patterns),
                ("caption", block.caption),
            )
            for rule, patterns in rules:
                if matching(patterns, text) is not None:
                    return f"({rule})"
    return None


def label_in(plan: Plan, text: str) -> str | None:
    """The field of the stamp that a layout finds by a label, or that has it beside its cell."""
    for form in plan.forms:
        for stamp in form.sources:
            if any(pattern.match(text) is not None for pattern in (*stamp.labels, *stamp.labelled)):
                return stamp.field
    return None


def frame_of(sheet: Sheet, plan: Plan | None = None) -> Frame:
    """The frame of a tab: the headings of its largest table, and the labels above it.

    With a plan, headings count as their field, in any language, and only labels that the plan knows
    count.
    """
    tables = tables_of(sheet)
    table = max(tables, key=_area, default=None)
    spelt: dict[str, str] = {}

    def known(text: str, word_of: Callable[[Plan, str], str | None] = word_in) -> str:
        word = (word_of(plan, text) if plan else None) or normal_form(text)
        spelt.setdefault(word, " ".join(text.split()))
        return word

    top = table.highest if table else sheet.height
    above = [text for text in _labels(sheet, top) if plan is None or label_in(plan, text)]
    labels = frozenset(known(text, label_in) for text in above)
    if table is None:
        return Frame(labels=labels, spelt=spelt, shape="" if labels else _shape(sheet))
    headings = tuple(
        (row - top, column - table.left, known(cell_text(sheet.rows[row][column])))
        for row in range(top, table.lowest + 1)
        for column in range(table.left, table.right)
        if sheet.rows[row][column] != ""
    )
    return Frame(headings, labels, (top, table.left), spelt)


def _area(table: Shape) -> int:
    return (table.end - table.first) * (table.right - table.left)


_LOOKED_AT = 50


def _shape(sheet: Sheet) -> str:
    """The columns of a table without headings, in words."""
    rows = np.flatnonzero(sheet.filled.any(axis=1))[:_LOOKED_AT].tolist()
    kinds = [
        kind
        for column in range(sheet.width)
        if (kind := _kind_of_column([sheet.rows[row][column] for row in rows]))
    ]
    if not kinds:
        return ""
    several = f"{counted(len(kinds), 'column')} without headings"
    return f"{several}: {', '.join(kinds[:_MOST_KINDS])}" + (" …" * (len(kinds) > _MOST_KINDS))


_MOST_KINDS = 12
_DAY = re.compile(r"(?:\d{1,4}[-./]\d{1,2}[-./]\d{1,4}|\d{4}-\d{2})(?:[ T].*)?")


def _kind_of_column(cells: Sequence[Cell]) -> str:
    """The content of most filled cells of a column; empty if none is filled."""
    kinds = Counter(_kind_of(cell) for cell in cells if cell != "")
    return max(kinds, key=lambda text: (kinds[text], text)) if kinds else ""


def _kind_of(cell: Cell) -> str:
    if isinstance(cell, str):
        text = cell.strip()
        if not reads_as_figure(text):
            return "text"
        if ":" in text or _DAY.fullmatch(text):
            return "time" if _DAY.fullmatch(text) is None else "date"
        return "number"
    return "number" if isinstance(cell, float | int) else "date"


def _labels(sheet: Sheet, top: int) -> Iterator[str]:
    """Texts above the table that name what stands beside them."""
    for row in range(top):
        filled = np.count_nonzero(sheet.filled[row])
        for place, (_, _, text) in enumerate(sheet.texts(range(row, row + 1))):
            beside = place == 0 and filled == 2 and not reads_as_figure(text)
            if text.rstrip().endswith(":") or beside:
                yield text
