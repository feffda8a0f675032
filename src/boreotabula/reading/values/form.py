"""How the values of a field are written: its type, and what the layout says about reading it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from functools import cached_property, lru_cache

import pyarrow as pa

from boreotabula.findings.reasons import Cause
from boreotabula.layout.field_types import FieldType, Nature, type_called
from boreotabula.layout.patterns import Pattern

TEXT = pa.dictionary(pa.int32(), pa.string())
"""Text columns repeat few values many times: each is stored once."""

MOST_DIGITS = 38
"""The most digits that Arrow's decimals hold."""


@dataclass(frozen=True)
class Way:
    """How ambiguous texts are meant, as other tabs show."""

    day_first: bool
    shown: str
    """The text that shows it, and where it is."""


Writing = str | bool | None
"""How a text with two readings is written: its decimal mark, or whether the day comes first; None
if that is unknown."""


@dataclass(frozen=True, eq=False)
class ValueForm:
    """A field's type and its ways of writing. Equal only to itself, so that results can be cached
    by it."""

    kind: str
    """The type as the layout names it, such as 'integer' or 'decimal(2)'."""
    languages: tuple[str, ...] = ()
    decimal_mark: str | None = None
    thousands_mark: str | None = None
    day_first: bool | None = None
    way: Way | None = None
    """What other tabs show about day and month, for a tab that does not settle it."""
    empty: frozenset[str] = frozenset()
    """Texts that count as blank, as `plain_form` writes them."""
    units: tuple[str, ...] = ()
    """Units that may stand before or after a number."""
    unit: str = ""
    """The unit of its numbers: the first of the units that the layout names."""
    factors: Mapping[str, Decimal] = field(default_factory=dict)
    """The factor of each unit to the first one, in small letters, if they differ."""
    heading_unit: str = ""
    """The unit of numbers without a unit of their own, as the heading of their column gives it."""
    parts: tuple[Pattern, ...] = ()
    """Patterns of which the first that matches a text captures the part that is kept."""
    spellings: Mapping[str, str] = field(default_factory=dict)
    """Other spellings, as `plain_form` writes them, and the text for which each stands."""
    without_year: bool = False
    """Whether a month may come without its year, because another field gives it."""
    least: object = None
    most: object = None
    choices: tuple[object, ...] = ()

    @cached_property
    def type(self) -> FieldType:
        """The type."""
        return type_called(self.kind)

    @property
    def base(self) -> str:
        """The name of the type without its digits."""
        return self.type.name

    @property
    def noun(self) -> str:
        """What to call a value in messages: 'a whole number'."""
        return self.type.noun

    @property
    def digits(self) -> int:
        """Decimal places of a decimal."""
        return self.type.digits or 0

    @cached_property
    def arrow_type(self) -> pa.DataType:
        """The type of its arrays."""
        if self.type.nature is Nature.TEXT:
            return TEXT
        # Decimals have one Arrow type for each number of places.
        if self.type.digits is not None:
            return pa.decimal128(MOST_DIGITS, self.type.digits)
        return pa.type_for_alias(self.type.arrow)

    @property
    def asks_for_days(self) -> bool:
        """Whether texts of its dates can show if the day or the month comes first."""
        return self.day_first is None and self.type.nature is Nature.MOMENT

    @property
    def as_it_stands(self) -> bool:
        """Whether texts are taken literally, and any value is allowed."""
        return not (self.empty or self.spellings or self.bounded or self.parts)

    @property
    def bounded(self) -> bool:
        """Whether the layout limits the values."""
        return self.least is not None or self.most is not None or bool(self.choices)

    def factor(self, unit: str) -> Decimal:
        """The factor of a unit to the first one; of a number without a unit, that of the
        heading."""
        return self.factors.get((unit or self.heading_unit).casefold(), _ONE)


_ONE = Decimal(1)
_IN_BRACKETS = re.compile(r"[(\[]([^()\[\]]*)[)\]]\s*$")


def form_under(form: ValueForm, heading: str) -> ValueForm:
    """How values are written under a heading, which may name their unit in brackets."""
    return _in_unit(form, heading) if form.factors else form


@lru_cache(maxsize=256)
def _in_unit(form: ValueForm, heading: str) -> ValueForm:
    match = _IN_BRACKETS.search(heading)
    unit = match[1].strip() if match else ""
    return replace(form, heading_unit=unit) if unit.casefold() in form.factors else form


PLAIN_TEXT = ValueForm("text")


def plain_form(text: str) -> str:
    """The form in which spellings and blank marks are compared, without letter case and white
    space."""
    return " ".join(text.split()).casefold()


class NotConvertedError(ValueError):
    """A cell does not hold a value of the required type; `reason` says why."""

    def __init__(self, cause: Cause, **slots: object) -> None:
        self.reason = cause(**slots)
        super().__init__(str(self.reason))


class DoubtError(NotConvertedError):
    """A text can be read in two ways; the reason names both."""
