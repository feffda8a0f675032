"""The cells of a text file as typed values: plainly, as a layout reads them, or by columns."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date

from boreotabula.layout.addresses import Address, column_letters
from boreotabula.layout.model import Reading
from boreotabula.look.texts.types import languages_of
from boreotabula.reading.cells import reads_as_figure
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet, make_sheet

Typing = Callable[[Sheet], tuple[Sheet, str]]
"""Turns the cells of a text file into values; also returns notes about doubtful cells left as text.
"""

_NUMBER = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?")
_DAY = re.compile(r"\d{4}-\d{2}-\d{2}")
_CODE = re.compile(r"\s*0\d+\s*")
"""A number with leading zeros keeps them only as a text."""
_EXACT = 15
"""Workbooks keep this many digits."""
_MOMENTS = ("date", "datetime", "time")
_KINDS = ("number", "percent", *_MOMENTS)
_MOST_HEADINGS = 10
"""Types are looked for below at most this many rows."""
_MOST = 0.8
"""Where this share of the cells of a column are of a type, the others make the column doubtful."""
_TOLD = 5


def plainly(sheet: Sheet) -> tuple[Sheet, str]:
    """Plain numbers and ISO dates become values; codes such as 007 stay texts."""
    rows = [list(map(_plain_value, row)) for row in sheet.rows]
    return make_sheet(sheet.name, rows, sheet.merges), ""


def _plain_value(cell: Cell) -> Cell:
    if isinstance(cell, str) and _NUMBER.fullmatch(cell) and _fits(cell):
        return float(cell)
    if isinstance(cell, str) and _DAY.fullmatch(cell):
        try:
            return date.fromisoformat(cell)
        except ValueError:
            return cell
    return cell


def _fits(text: str) -> bool:
    return sum(map(str.isdigit, text)) <= _EXACT


@dataclass(frozen=True)
class AsRead:
    """Numbers, dates and times as [reading] of a layout writes them."""

    reading: Reading

    def __call__(self, sheet: Sheet) -> tuple[Sheet, str]:
        """The sheet with its columns converted; what does not convert stays a text."""
        columns = [self._column(list(column)) for column in zip(*sheet.rows, strict=True)]
        rows = [list(row) for row in zip(*columns, strict=True)]
        return make_sheet(sheet.name, rows, sheet.merges), ""

    def _column(self, cells: list[Cell]) -> list[Cell]:
        for kind in _KINDS:
            places = [index for index, cell in enumerate(cells) if _may_be(cell, kind)]
            form = ValueForm(
                kind,
                languages=self.reading.languages,
                decimal_mark=self.reading.decimal_mark,
                thousands_mark=self.reading.thousands_mark,
                day_first=self.reading.day_first,
            )
            _take(cells, places, form)
        return cells


def _may_be(cell: Cell, kind: str) -> bool:
    """Whether a text may mean a number or a moment: words alone never do."""
    if not isinstance(cell, str) or not cell or _CODE.fullmatch(cell) or not _fits(cell):
        return False
    if kind == "percent":
        return cell.rstrip().endswith("%")
    return (kind in _MOMENTS and any(map(str.isdigit, cell))) or reads_as_figure(cell.strip())


def _take(cells: list[Cell], places: Sequence[int], form: ValueForm) -> list[int]:
    """Replace cells by their values; returns the places that stay as they are, because the cell
    does not convert or is ambiguous."""
    done = convert([cells[column] for column in places], form)
    unsure = done.doubt.places if done.doubt is not None and not done.doubt.settled else ()
    left = {index for index, _ in done.failures} | set(unsure)
    for position, value in enumerate(done.values.to_pylist()):
        if position not in left and value is not None:
            cells[places[position]] = float(value) if isinstance(value, int | float) else value
    return [places[index] for index in sorted(left)]


def by_columns(sheet: Sheet) -> tuple[Sheet, str]:
    """Types found column by column, below the headings: a column is of a type if all of its cells
    are.

    Where most are and some are not, or all could be read in two ways, it stays text, with a note.
    """
    columns = [list(column) for column in zip(*sheet.rows, strict=True)]
    starts = (
        index for index, row in enumerate(sheet.rows[:_MOST_HEADINGS]) if any(map(_figure, row))
    )
    start = next(starts, None)
    doubts: list[str] = []
    for position, cells in enumerate(columns if start is not None else ()):
        message = _typed_column(cells, start or 0, position)
        if message:
            doubts.append(message)
    rows = [list(row) for row in zip(*columns, strict=True)]
    extra = f"; and {len(doubts) - _TOLD} more" if len(doubts) > _TOLD else ""
    note = f"left as text: {'; '.join(doubts[:_TOLD])}{extra}" if doubts else ""
    return make_sheet(sheet.name, rows, sheet.merges), note


def _figure(cell: Cell) -> bool:
    return isinstance(cell, str) and reads_as_figure(cell.strip())


def _typed_column(cells: list[Cell], start: int, column: int) -> str:
    """Convert the cells of a column, from a row on, if all are of one type; returns in words what
    makes it doubtful, if most are."""
    places = [column for column in range(start, len(cells)) if cells[column]]
    texts = [str(cells[column]) for column in places]
    if not texts or any(_CODE.fullmatch(text) or not _fits(text) for text in texts):
        return ""  # codes are no numbers, whatever else stands among them
    languages = tuple(languages_of(texts))
    doubts = []
    for kind in _KINDS:
        form = ValueForm(kind, languages=languages)
        done = convert(texts, form)
        wrong = [index for index, _ in done.failures]
        if not wrong:
            _take(cells, places, form)
            return ""
        unsure = done.doubt.places if done.doubt is not None and not done.doubt.settled else ()
        first = min(unsure) if unsure and set(wrong) <= set(unsure) else wrong[0]
        where = f"column {column_letters(column)}, as “{texts[first]}” in"
        address = Address(places[first], column)
        if first in unsure:
            doubts.append(f"{where} {address} can be read in two ways")
        elif len(wrong) <= (1 - _MOST) * len(texts):
            what = "date or time" if kind in _MOMENTS else "number"
            doubts.append(f"{where} {address} is no {what}")
    return doubts[0] if doubts else ""
