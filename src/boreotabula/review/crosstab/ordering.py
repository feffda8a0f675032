"""The order of the values of a field: as the layout lists them, by day or month, or naturally."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from typing import Any

import pyarrow as pa

from boreotabula.reading.records.schema import CHOICES
from boreotabula.stores.csv import field_type
from boreotabula.texts import in_natural_order

BLANK = "(blank)"
"""The name of a missing value."""


def order_of(table: pa.Table, name: str) -> Callable[[str], Any]:
    """How the values of a field are sorted: in time, by number, as months, or naturally."""
    kind = field_type(table.schema.field(name))
    if kind.is_moment:
        return lambda text: (text == BLANK, text)
    if kind.is_number:
        return lambda text: (text == BLANK, 0.0 if text == BLANK else float(text))
    listed = _choices(table.schema.field(name))
    if listed:
        # As the layout lists them; what it does not list comes after.
        return lambda text: (text == BLANK, listed.get(text, len(listed)), natural(text))
    texts = _distinct(table, name)
    months = _months_of(texts)
    if months is not None:
        return lambda text: (text == BLANK, months.get(text, (0, 0)))
    days = _days_of(texts)
    if days is not None:
        return lambda text: (text == BLANK, days.get(text, 0))
    return natural


def _choices(field: pa.Field) -> Mapping[str, int]:
    """The index of each value among the choices of its field, if the layout lists them."""
    listed = (field.metadata or {}).get(CHOICES)
    return {text: index for index, text in enumerate(json.loads(listed))} if listed else {}


def _days_of(texts: set[str]) -> dict[str, int] | None:
    """The day of the week of each text, Monday is 0, if all are such names in some language."""
    # A single text such as “Mon” may be anything.
    if len(texts) < _TWO or len(texts) > _MOST_DAYS:
        return None
    from boreotabula.reading.values.names import day_names, word_form

    for languages in ((), *((language,) for language in _LANGUAGES)):
        names = day_names(languages)
        days = {text: names.get(word_form(text.strip())) for text in texts}
        if None not in days.values():
            return {text: day for text, day in days.items() if day is not None}
    return None


_TWO = 2

_MOST_DAYS = 30


def _distinct(table: pa.Table, name: str) -> set[str]:
    return {
        str(value) for value in table.column(name).unique().to_pylist() if value not in (None, "")
    }


def natural(text: str) -> tuple[Any, ...]:
    """Sorts '2' before '10', in any letter case; blank values come last."""
    return text == BLANK, in_natural_order(text)


_LANGUAGES = ("nb", "nn", "fi", "sv", "da", "is", "et", "lv", "lt", "de", "nl", "fr", "es", "it",
              "pt", "pl")  # fmt: skip


def _months_of(texts: set[str]) -> dict[str, tuple[int, int]] | None:
    """Year and month of each text, if all are months by their names in some language."""
    # A cheap test first: most fields hold no months, and each language costs time.
    if not texts or len(texts) > 400 or not all(re.match(r"\D{3}", text) for text in texts):
        return None
    from boreotabula.reading.values.names import month_names, word_form

    for languages in ((), *((language,) for language in _LANGUAGES)):
        names = month_names(languages)
        months: dict[str, tuple[int, int]] = {}
        for text in texts:
            word, _, year = text.strip().partition(" ")
            month = names.get(word_form(word))
            if month is None or (year and not year.isdecimal()):
                break
            months[text] = (int(year or 0), month)
        else:
            return months
    return None


def is_in_time(table: pa.Table, name: str) -> bool:
    kind = field_type(table.schema.field(name))
    return kind.is_moment or _months_of(_distinct(table, name)) is not None
