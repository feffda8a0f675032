"""Why a cell does not convert, and why a cell is in no record: the parts of findings that give
reasons.

Each is declared once, as the findings are; the reader uses them by name, and fills their slots.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from boreotabula.findings.wording import filled


@dataclass(frozen=True)
class Cause:
    """A cause for which a cell does not hold what its field requires; `text` may have slots."""

    text: str
    remedy: str = ""
    """What the layout could add, so that the cell converts; may have the same slots."""
    plain: bool = False
    """Whether the message already says as much: then only unplaced.csv shows it."""

    def __call__(self, **slots: object) -> Reason:
        """The reason with its slots filled."""
        # What a text should be is what the message asks for: it says no more.
        plain = self.plain or slots.get("held") == Held.TEXT
        return Reason(filled(self.text, slots), filled(self.remedy, slots), plain)


@dataclass(frozen=True)
class Reason:
    """Why a cell does not convert; as a text, in an analyst's words."""

    text: str
    remedy: str = ""
    plain: bool = False

    def __str__(self) -> str:
        return self.text

    @property
    def shown(self) -> str:
        """The part of it that a message shows."""
        return "" if self.plain else self.text


# --- values ---------------------------------------------------------------------------------------

_DAY_FIRST = "Write `day_first = true` or `day_first = false` into the field or into [reading]."
_DECIMAL_MARK = "Write `decimal_mark` into the field or into [reading]."

NO_NUMBER = Cause("text where a number belongs", plain=True)
BESIDE_NUMBER = Cause(
    "“{sign}” beside the number",
    'To accept it: `unit = "{sign}"` in the field.',
    plain=True,
)
NUMBER_DOUBTFUL = Cause("it could be {first} or {second}", _DECIMAL_MARK)
NUMBER_TOO_LARGE = Cause("a number too large to keep")
INTEGER_TOO_LARGE = Cause("a number too large for an integer")
FRACTION = Cause(
    "a fraction where a whole number belongs",
    "If fractions are meant, make the field a `number`.",
    plain=True,
)
DIGITS_LOST = Cause("a number with more digits than the file keeps")
SHARE_DOUBTFUL = Cause(
    "without a percent sign it could be {number} % or {number} times the whole; a `max` of the"
    " field would allow for the latter"
)
NO_FIT = Cause(
    "it does not fit the pattern {patterns}",
    "If it is meant, add a pattern for it to `pattern` of the field.",
)
WITH_TIME = Cause(
    "a date with a time of day where a date belongs",
    "If the time matters, make the field a `datetime`.",
)
NO_DATE = Cause("text where a date such as 2026-04-17 belongs", plain=True)
NO_MONTH = Cause("text where a month such as 2026-04 belongs", plain=True)
NO_MOMENT = Cause("text where a time such as 2026-04-17 06:00 belongs", plain=True)
NO_TIME = Cause("text where a time of day such as 06:00 belongs", plain=True)
NO_SUCH_DAY = Cause("no such day in the calendar")
YEAR_DOUBTFUL = Cause("the year of “{text}” could be its first or its last two figures", _DAY_FIRST)
DATE_DOUBTFUL = Cause("it could be {first} or {second}", _DAY_FIRST)
NAME_OF_TWO_MONTHS = Cause(
    "a name that means two months in the layout's languages",
    "Name only the languages that are written in `languages`.",
)
WEEKDAY_DIFFERS = Cause("the day of the week is not that of the date")
SHORT_FIGURES = Cause("two short figures: a month and a year, or a day and a month")
MONTH_ALONE = Cause(
    "a month without its year", "Name the field that tells the year with `year_from`."
)
TIME_ZONE = Cause("a time with a time zone where a time without one belongs")
KIND_DIFFERS = Cause("{held} where {wanted} belongs")
TOO_SMALL = Cause("less than the least allowed, {limit}")
TOO_LARGE = Cause("more than the most allowed, {limit}")
NO_CHOICE = Cause("none of the choices {choices}{nearest:?; the nearest is “#”}")


class Held(StrEnum):
    """What a cell holds, in an analyst's words."""

    ERROR_VALUE = "an error value"
    FORMULA = "a formula without a stored result"
    TRUTH = "TRUE or FALSE"
    NUMBER = "a number"
    TEXT = "text"
    MOMENT = "a date or time"


class Doubtful(StrEnum):
    """What texts leave ambiguous."""

    DECIMAL_MARK = "the decimal mark"
    DAY_AND_MONTH = "day and month"
