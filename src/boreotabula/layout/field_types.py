"""The table of field types: the name of each type, what it holds, and how each kind of output
writes it.

A new type needs an entry here, a converter in `reading/values/convert.py`, and a word in the docs.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import Enum, auto
from functools import cache


class Nature(Enum):
    """What values of a type are, whatever their form."""

    TEXT = auto()
    NUMBER = auto()
    MOMENT = auto()
    """A point or stretch of time: it has an order, and cannot be summed."""
    YES_NO = auto()


class TextStyle(Enum):
    """How values are written as texts, in CSV and wherever texts are wanted."""

    PLAINLY = auto()
    """As Arrow writes them: numbers by their digits, dates in ISO 8601."""
    AS_TEXT = auto()
    AS_MONTH = auto()
    """A date as year and month."""
    AS_MOMENT = auto()
    """A date and a time with a T between them, ISO 8601."""


@dataclass(frozen=True)
class FieldType:
    """One type of fields."""

    name: str
    """As a layout writes it, without digits in brackets."""
    wanted: str
    """What a cell should hold, in messages."""
    in_layout: str
    """How a layout writes a value of it, in messages."""
    arrow: str
    """The alias of its Arrow type; for decimals without their digits."""
    nature: Nature
    written: TextStyle = TextStyle.PLAINLY
    bare: bool = False
    """Whether JSON writes it without quotes."""
    as_stored: bool = False
    """Whether the number that a cell stores is the value itself: then whole columns are read at
    once."""
    totals: bool = False
    """Whether printed totals are compared with its sums: shares are not summed up."""
    sheet_format: str | None = None
    """The number format of its cells in a sheet."""
    column: str = "TEXT"
    """The type of its column in SQLite; types that SQLite lacks are texts that can be read back."""
    digits: int | None = None
    """Decimal places, for decimals only."""

    @property
    def called(self) -> str:
        """The type as a layout writes it."""
        return self.name if self.digits is None else f"{self.name}({self.digits})"

    @property
    def noun(self) -> str:
        """What to call a value in messages: 'a whole number'."""
        return self.wanted.partition(" such as")[0]

    @property
    def is_number(self) -> bool:
        """Whether its values are numbers."""
        return self.nature is Nature.NUMBER

    @property
    def is_share(self) -> bool:
        """Whether its values are parts of a whole, which people see as percent."""
        return self.is_number and not self.totals

    @property
    def is_moment(self) -> bool:
        """Whether its values are dates or times."""
        return self.nature is Nature.MOMENT


_TABLE = (
    FieldType("text", "text", "a text in quotes", "string", Nature.TEXT, TextStyle.AS_TEXT),
    FieldType(
        "integer", "a whole number", "a whole number", "int64", Nature.NUMBER,
        bare=True, as_stored=True, totals=True, column="INTEGER",
    ),
    FieldType(
        "number", "a number", "a number", "float64", Nature.NUMBER,
        bare=True, as_stored=True, totals=True, column="REAL",
    ),
    FieldType(
        "decimal", "a number", "a number", "decimal128", Nature.NUMBER, bare=True, totals=True
    ),
    FieldType(
        "percent", "a share such as 15 %", "a share such as 0.15", "float64", Nature.NUMBER,
        bare=True, as_stored=True, sheet_format="0.0##%", column="REAL",
    ),
    FieldType(
        "date", "a date such as 2026-04-17", "a date such as 2026-04-17", "date32", Nature.MOMENT,
        sheet_format="yyyy-mm-dd",
    ),
    FieldType(
        "datetime", "a time such as 2026-04-17 06:00", "a time such as 2026-04-17T06:00:00",
        "timestamp[s]", Nature.MOMENT, TextStyle.AS_MOMENT, sheet_format="yyyy-mm-dd hh:mm",
    ),
    FieldType(
        "time", "a time of day such as 06:00", "a time of day such as 06:00:00", "time32[s]",
        Nature.MOMENT, sheet_format="hh:mm:ss",
    ),
    FieldType(
        "month", "a month such as 2026-04", "a month such as “2026-04”", "date32", Nature.MOMENT,
        TextStyle.AS_MONTH, sheet_format="yyyy-mm",
    ),
    FieldType(
        "yesno", "yes or no", "true or false, and those need no list", "bool", Nature.YES_NO,
        bare=True, column="INTEGER",
    ),
)  # fmt: skip

FIELD_TYPES: Mapping[str, FieldType] = {kind.name: kind for kind in _TABLE}
"""All types by their names."""

DECIMAL = r"decimal\((?:\d|1\d)\)"
"""How a layout writes a decimal: with its places, at most 19 of them."""


@cache
def type_called(kind: str) -> FieldType:
    """The type that a layout writes so, such as 'month' or 'decimal(2)'. Raises KeyError."""
    name, _, places = kind.partition("(")
    result = FIELD_TYPES[name]
    if not places:
        return result
    digits = int(places.rstrip(")"))
    form = "0." + "0" * digits if digits else "0"
    return replace(result, digits=digits, sheet_format=form)


def is_type(kind: str) -> bool:
    """Whether this is a type in a layout."""
    return bool(re.fullmatch(DECIMAL, kind)) or (kind in FIELD_TYPES and kind != "decimal")
