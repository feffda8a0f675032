"""Cards: the same labels with their values repeated on a tab, a record each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.headings import normal_form
from boreotabula.look.looks import runs_of
from boreotabula.look.shape import Shape, table_at
from boreotabula.look.texts.types import type_of
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.sheets.sheet import Sheet

_FEWEST_LABELS, _FEWEST_CARDS, _MOST_CARDS = 3, 2, 200
"""Two alternating labels may be anything; hundreds of cards are a list in one column."""

Labels = tuple[str, ...]
"""The labels of a card in normal form, top to bottom."""


@dataclass(frozen=True)
class _Column:
    """A column of labels with their values; rows and columns count from 0."""

    labels: Labels
    cards: tuple[tuple[int, ...], ...]
    """The rows of each card."""
    column: int
    value: int
    """The column of the values."""


def cards_of(sheets: Sequence[Sheet]) -> list[tuple[Shape, ...]]:
    """The cards of each tab, as tables of one record on the turned tab; empty where no column of
    labels starts again.

    A tab with a single card counts if another tab has several with its labels. The values of one
    label are of one type, and those of different labels of several: rows with values of one measure
    are a table, whose headings repeat.
    """
    there = [_columns_of_cards(sheet, ()) for sheet in sheets]
    known_groups = {columns[0].labels for columns in there if columns}
    if not known_groups:
        return [()] * len(sheets)
    return [
        _as_tables(sheet, columns or _columns_of_cards(sheet, known_groups))
        for sheet, columns in zip(sheets, there, strict=True)
    ]


def _as_tables(sheet: Sheet, columns: Sequence[_Column]) -> tuple[Shape, ...]:
    turned = sheet.turn() if columns else sheet
    return tuple(
        table_at(turned, place.column, _alone(place.value), range(card[0], card[-1] + 1))
        for place in columns
        for card in place.cards
    )


def _alone(column: int) -> range:
    return range(column, column + 1)


def _columns_of_cards(sheet: Sheet, known_groups: Collection[Labels]) -> list[_Column]:
    """The columns of a tab with cards of the same labels: a single one, or several beyond blank
    columns.

    They hold several cards, or one with labels that are `known_groups`.
    """
    if sheet.blank:
        return []
    whole = _card_column(sheet, range(sheet.width), known_groups)
    if whole and (whole.labels in known_groups or _are_records(sheet, [whole])):
        return [whole]
    strips = _strips(sheet)
    texts = [_texts_of(sheet, strip) for strip in strips] if len(strips) > 1 else []
    alike = {labels for labels in texts if len(set(labels)) == len(labels) >= _FEWEST_LABELS
             and texts.count(labels) > 1 and not any(map(reads_as_figure, labels))}  # fmt: skip
    every = [_card_column(sheet, strip, {*known_groups, *alike}) for strip in strips]
    columns = [column for column in every if column]
    same = [column for column in columns if column.labels == columns[0].labels]
    return same if len(same) > 1 and _are_records(sheet, same) else []


def _strips(sheet: Sheet) -> list[range]:
    """The columns of a sheet, separated by blank ones."""
    used: NDArray[np.bool_] = np.logical_or.reduce(sheet.filled)
    return [range(left, right) for left, right in runs_of(used)]


def _texts_of(sheet: Sheet, strip: range) -> Labels:
    """The first texts of the rows of a strip that hold a label and its value."""
    rows = _labelled_rows(sheet, strip).get(strip.start, [])
    return tuple(normal_form(cell_text(sheet.rows[row][strip.start])) for row in rows)


def _card_column(sheet: Sheet, strip: range, known_groups: Collection[Labels]) -> _Column | None:
    """The first column with cards: several, or one with labels that are `known_groups`."""
    for column, rows in _labelled_rows(sheet, strip).items():
        texts = [normal_form(cell_text(sheet.rows[row][column])) for row in rows]
        start, length = _run_of_cards(texts, known_groups)
        if not length:
            continue
        cards = tuple(
            tuple(rows[index : index + length]) for index in range(start, len(rows), length)
        )
        labels = tuple(texts[start : start + length])
        value = _value_column(sheet, cards, column, strip)
        if value is not None:
            return _Column(labels, cards, column, value)
    return None


def _labelled_rows(sheet: Sheet, strip: range) -> dict[int, list[int]]:
    """The rows of a strip that begin with a text and hold one cell right of it, by the column of
    that text, from the left.

    The value of a label may be blank, if it has one elsewhere.
    """
    filled = sheet.filled[:, strip]
    counts = np.count_nonzero(filled, axis=1)
    short = np.flatnonzero((counts > 0) & (counts <= 2))
    firsts = filled[short].argmax(axis=1) + strip.start
    is_text = sheet.is_text[short, firsts]
    rows_of: dict[int, list[int]] = {}
    for column in np.unique(firsts[is_text]).tolist():
        rows = short[is_text & (firsts == column)].tolist()
        labels = {sheet.rows[row][column] for row in rows if counts[row] == 2}
        labelled = [row for row in rows if sheet.rows[row][column] in labels]
        if labelled:
            rows_of[column] = labelled
    return rows_of


def _run_of_cards(texts: Sequence[str], known_groups: Collection[Labels]) -> tuple[int, int]:
    """Where the first of the cards begins that continue to the end of the texts, and how many
    labels each has.

    Both 0 if they are not repeated in the same order.
    """
    times = Counter(texts)
    first = next((index for index, text in enumerate(texts) if times[text] > 1), None)
    if first is None:
        for labels in known_groups:
            start = len(texts) - len(labels)
            if start >= 0 and tuple(texts[start:]) == labels:
                return start, len(labels)
        return 0, 0
    length = texts.index(texts[first], first + 1) - first
    own = list(texts[first : first + length])
    cards, rest = divmod(len(texts) - first, length)
    whole = not rest and _FEWEST_CARDS <= cards <= _MOST_CARDS and length >= _FEWEST_LABELS
    named = not any(map(reads_as_figure, own))
    if whole and named and len(set(own)) == length and list(texts[first:]) == own * cards:
        return first, length
    return 0, 0


def _value_column(
    sheet: Sheet, cards: Sequence[Sequence[int]], column: int, strip: range
) -> int | None:
    """The column that holds all values of some cards, with nothing else of the strip between
    them."""
    rows = {row for card in cards for row in card}
    filled = sheet.filled[:, strip]
    beside = {int(index) + strip.start for row in rows for index in np.flatnonzero(filled[row])}
    beside -= {column}
    among = range(cards[0][0], cards[-1][-1] + 1)
    if len(beside) != 1 or any(filled[row].any() for row in among if row not in rows):
        return None
    return beside.pop()


def _are_records(sheet: Sheet, places: Sequence[_Column]) -> bool:
    """Whether the values of cards are of several types, each label with its own, and the first
    differs from card to card.

    Below a text that all cards have, such as a heading, not all values are of one type.
    """
    cards = [
        [sheet.rows[row][place.value] for row in card] for place in places for card in place.cards
    ]
    columns = [list(cells) for cells in zip(*cards, strict=True)]
    types = [type_of([cell for cell in cells if cell != ""]) for cells in columns]
    headed = any(
        isinstance(cells[0], str) and len(set(cells)) == 1 and len(set(types[index + 1 :])) == 1
        for index, cells in enumerate(columns)
    )
    return len(set(types)) > 1 and len(set(columns[0])) > 1 and not headed
