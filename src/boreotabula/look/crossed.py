"""Whether a table is a cross-tab or a list, and where its values begin: by headings and columns."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

import numpy as np

from boreotabula.look.looks import FIGURE, TEXT, runs_of
from boreotabula.look.texts.types import type_of
from boreotabula.look.texts.words import is_total, is_unit, level_name
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Cell, Sheet

FEWEST = 2


def level_run(heads: Sequence[Cell]) -> tuple[int, int] | None:
    """The longest run of headings that are moments of one kind, right of others."""
    names = [level_name([head]) if head != "" else "" for head in heads]
    best: tuple[int, int] | None = None
    start = 1
    while start < len(names):
        stop = start + 1
        while stop < len(names) and names[stop] == names[start]:
            stop += 1
        if names[start] and stop - start >= max(FEWEST, best[1] - best[0] + 1 if best else 0):
            best = start, stop
        start = stop
    return best if best and not names[0] else None


def marks_run(
    heads: Sequence[Cell], sheet: Sheet, rows: range, left: int
) -> tuple[int, int] | None:
    """The run of consecutively numbered headings, right of others, if marks stand below them: texts
    of a letter or two."""
    numbers = [_number_of(head) for head in heads]
    for start in range(1, len(heads) - _FEWEST_MARKED + 1):
        stop = start + 1
        while stop < len(heads) and _follows(numbers[stop - 1], numbers[stop]):
            stop += 1
        if stop - start < _FEWEST_MARKED:
            continue
        cells = [
            cell for row in rows for cell in sheet.rows[row][left + start : left + stop]
            if cell != ""
        ]  # fmt: skip
        if cells and all(map(is_mark, cells)):
            return start, stop
    return None


_FEWEST_MARKED, _LONGEST_MARK = 4, 2
"""Three letters in a row may be a code; marks are shorter."""


def choice_run(sheet: Sheet, rows: range, columns: range) -> tuple[int, int] | None:
    """The last columns in which each row has the same mark in exactly one, counted from the first
    of them: the answer to a question, by the heading over it."""
    texts = sheet.is_text[rows.start : rows.stop, columns.start + 1 : columns.stop]
    if len(rows) < FEWEST or not texts.any():
        return None
    body = [sheet.rows[row][columns.start : columns.stop] for row in rows]
    marks = {cell for cells in body for cell in cells[1:] if is_mark(cell)}
    if len(marks) != 1:
        return None
    marked = [
        column for column in range(1, len(columns)) if any(cells[column] in marks for cells in body)
    ]
    if len(marked) < FEWEST:
        return None
    # An answer that nobody gave stands among the others, or behind them.
    start = marked[0]
    while start > 1 and not any(cells[start - 1] != "" for cells in body):
        start -= 1
    chosen = [[cell for cell in cells[start:] if cell != ""] for cells in body]
    alone = all(len(cells) == 1 and cells[0] in marks for cells in chosen)
    return (start, len(columns)) if alone else None


def is_mark(cell: Cell) -> bool:
    """Whether a cell is a cross, a tick or the like, or a letter or two."""
    return isinstance(cell, str) and 0 < len(cell.strip()) <= _LONGEST_MARK


def _number_of(head: Cell) -> tuple[str, int] | None:
    """The word and the number of a heading such as “S 12” or 12."""
    match = re.fullmatch(r"(\D*?)\s*(\d+)", cell_text(head))
    return (match[1].casefold(), int(match[2])) if match else None


def _follows(before: tuple[str, int] | None, after: tuple[str, int] | None) -> bool:
    return bool(before and after and before[0] == after[0] and after[1] == before[1] + 1)


def value_run(columns: Sequence[int], heads: Sequence[Cell]) -> tuple[int, int]:
    """The longest run of columns without texts, the last of equals."""
    # A column that is blank so far may get values yet.
    runs = list(runs_of(np.array([look != TEXT for look in columns], bool)))
    none = (len(columns), len(columns))
    return max(runs, key=lambda pair: (pair[1] - pair[0], pair[0]), default=none)


_KEYS = re.compile(
    r"(?:no|nr|nro|id|code|kode|koodi|kod|year|år|vuosi|jahr|month|måned|månad|kuukausi|monat|week"
    r"|uke|vecka|viikko|woche|day|dag|päivä|tag|postcode|postnummer)\b\.?"
)
"""Headings of columns of numbers that name rows."""


def is_key(head: Cell, sheet: Sheet, rows: range, column: int) -> bool:
    """Whether a column of figures names the rows, as line numbers, years and codes do."""
    if not isinstance(head, str) or reads_as_figure(head):
        return False
    cells = [sheet.rows[row][column] for row in rows if sheet.rows[row][column] != ""]
    numbers = [cell for cell in cells if isinstance(cell, float)]
    if not numbers or len(numbers) < len(cells):
        return False
    if _KEYS.fullmatch(head.strip().casefold()) and all(number.is_integer() for number in numbers):
        return True
    if len(numbers) < FEWEST + 1:
        return False
    lines = [float(index) for index in range(1, len(numbers) + 1)]
    years = all(number.is_integer() and 1900 <= number <= 2100 for number in numbers)
    steps = all(0 <= after - number <= 1 for number, after in pairwise(numbers))
    return numbers == lines or (years and steps)


def _has_dates(sheet: Sheet, rows: range, columns: range) -> bool:
    """Whether any of some columns holds dates."""
    for column in columns:
        cells = [sheet.rows[row][column] for row in rows[:_SAMPLE]]
        if type_of([cell for cell in cells if not is_total(cell_text(cell))]) == "date":
            return True
    return False


@dataclass(frozen=True)
class TableColumns:
    """The columns of a table: the look and heading of each, and which hold values."""

    looks: Sequence[int]
    heads: Sequence[Cell]
    left: int
    """The first of them, on the sheet."""
    start: int
    """The first column of values, counted from `left`; `stop` is the first one past them."""
    stop: int


def is_crossed(sheet: Sheet, columns: TableColumns, levels: int, rows: range) -> bool:
    """Whether a table is a cross-tab: its headings and columns give points for either.

    `levels` is the number of its heading rows; `rows` are those that are examined.
    """
    heads, start, stop, left = columns.heads, columns.start, columns.stop, columns.left
    values = [head for head in heads[start:stop] if head != "" and not is_total(cell_text(head))]
    if stop - start < 1 or start == 0:
        return False
    for_cross = 2 * (levels > 1) + 3 * bool(level_name(values) and len(values) > 1)
    for_cross += 2 * any(is_total(cell_text(head)) for head in heads[start:])
    for_cross += (
        2 * _alike(values)
        + (len(values) >= max(_SEVERAL, start + 1))
        + all(len(cell_text(value)) <= _SHORT for value in values)
        # A capital alone is a grade or a class.
        + 2 * all(len(text) == 1 and text.isupper() for text in map(cell_text, values))
    )
    texts_after = sum(look == TEXT for look in columns.looks[stop:])
    for_list = 2 * (len(values) < FEWEST) + 2 * (texts_after > 1) + (start > _SEVERAL)
    for_list += _differ(values)
    if levels == 1 and not any(is_total(cell_text(head)) for head in heads[start:]):
        for_list += 3 * balances(sheet, rows, range(left + start, left + stop))
    # What stands beside a date and a name is an entry of a journal.
    if start >= FEWEST and any(look == FIGURE for look in columns.looks[:start]):
        for_list += 4 * _has_dates(sheet, rows, range(left, left + start))
    return for_cross > for_list


def differ_in_kind(sheet: Sheet, rows: range, columns: range) -> bool:
    """Whether some columns hold dates and others numbers: a cross-tab has values of one kind."""
    kinds = set()
    for column in columns[:_MOST_SAMPLED]:
        cells = [sheet.rows[row][column] for row in rows[:_SAMPLE] if sheet.rows[row][column] != ""]
        if cells:
            plain = all(isinstance(cell, float) for cell in cells)
            kinds.add("number" if plain else type_of(cells))
    return bool(kinds & MOMENTS and kinds & {"integer", "number", "percent"})


_MOST_SAMPLED, _SAMPLE = 12, 12
"""This many columns and cells show the kind of the values."""
MOMENTS = {"date", "datetime", "time", "month"}
"""The types that say when."""
_SEVERAL, _SHORT = 3, 3


def columns_beside(sheet: Sheet, rows: range, columns: range, heads: Sequence[Cell]) -> int:
    """How many of the last columns of a cross-tab by moments are measures of their own.

    Their headings are no moments and no words for totals, and their numbers are of another kind, as
    a change in per cent beside values of years.
    """
    names = [level_name([head]) for head in heads]
    level = next((name for name in names if name), "")
    number = 0
    for head, name in zip(reversed(heads), reversed(names), strict=True):
        if name or head == "" or is_total(cell_text(head)):
            break
        number += 1
    own = columns[: len(columns) - number]
    if not level or not number or set(names[: len(own)]) - {level, ""} or len(own) < FEWEST:
        return 0
    usual = _look_of_numbers(sheet, rows, own)
    each = (columns[index : index + 1] for index in range(len(own), len(columns)))
    shares = ("%" in cell_text(head) for head in heads[len(own) :])
    differ = all(
        is_share or bool(_look_of_numbers(sheet, rows, column) - usual)
        for column, is_share in zip(each, shares, strict=True)
    )
    return number if differ else 0


def _look_of_numbers(sheet: Sheet, rows: range, columns: range) -> set[str]:
    """The properties of the numbers in columns: fractions among them, or negative ones."""
    numbers = sheet.numbers[rows.start : rows.stop, columns.start : columns.stop]
    numbers = numbers[~np.isnan(numbers)]
    looks = {"fraction": numbers % 1 != 0, "negative": numbers < 0}
    return {name for name, there in looks.items() if there.any()}


def balances(sheet: Sheet, rows: range, columns: range) -> bool:
    """Whether a column is the sum of two others in every row, which makes them separate measures.

    Examples are a reading before, the use and the reading now; or net, tax and gross. Sums of the
    values of a cross-tab say so in their heading, or include more of them.
    """
    if not _FEWEST_BALANCED <= len(columns) <= _MOST_BALANCED:
        return False
    numbers = sheet.numbers[rows.start : rows.stop, columns.start : columns.stop]
    numbers = numbers[(np.nan_to_num(numbers) != 0).all(axis=1)]
    if len(numbers) < _FEWEST_BALANCED:
        return False
    return any(
        np.allclose(numbers[:, first] + numbers[:, second], numbers[:, whole], rtol=0, atol=1e-6)
        for first, second in combinations(range(len(columns)), 2)
        for whole in range(len(columns))
        if whole not in (first, second)
    )


_FEWEST_BALANCED, _MOST_BALANCED = 3, 8
"""In two rows a sum may be a coincidence; wide tables have sums of many columns, and are no
balance."""


def _alike(heads: Sequence[Cell]) -> bool:
    """Whether headings are the same words with other figures: “Pot 95”, “Pot 60”."""
    texts = [cell_text(head) for head in heads]
    words = {re.sub(r"\d+", "#", text) for text in texts}
    return len(texts) > 1 and len(set(texts)) > 1 and len(words) == 1 and "#" in next(iter(words))


def _differ(heads: Sequence[Cell]) -> int:
    """How strongly headings suggest different measures: with units of their own, or as units."""
    texts = [cell_text(head) for head in heads]
    units = {text.rpartition("(")[2] for text in texts if "(" in text}
    # Units as headings name measures, unless they come again and again.
    named = len(set(texts)) == len(texts) > 1 and 2 * sum(map(is_unit, texts)) > len(texts)
    return 2 * (len(units) > 1) + 3 * named
