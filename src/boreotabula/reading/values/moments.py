"""Dates, months and times as people write them, in figures and in words."""

from __future__ import annotations

import re
from contextlib import suppress
from datetime import date, datetime, time, timedelta

from boreotabula.findings import reasons
from boreotabula.reading.values.form import DoubtError, NotConvertedError, ValueForm
from boreotabula.reading.values.names import day_names, month_names, word_form

NO_YEAR = 1
"""The year of a month that came without one, until another field supplies it."""

_FIGURES = re.compile(r"(\d{1,4})\s*([./-])\s*(\d{1,2})\s*\2\s*(\d{4}|\d{2})\.?")
_WEEK = re.compile(r"\d{4}-?W\d\d?$", re.IGNORECASE)
"""A week alone, which the reader of ISO dates would take for its Monday."""
_TOKENS = re.compile(r"[^\W\d_]+|\d+")
_SEPARATORS = re.compile(r"[\s.,/'\u2019\-]*")
_FILLERS = frozenset(("of", "the", "st", "nd", "rd", "th", "de", "del", "den", "der", "er"))


def read_date(text: str, form: ValueForm, day_first: bool | None = None) -> date:
    """The date that a text means.

    Raises NotConvertedError, and DoubtError where day and month could change places and neither
    the form nor `day_first` says which comes first.
    """
    text = text.strip()
    # ISO 8601 leaves no doubt, whatever the form says of day and month. A week is no day of it.
    if not _WEEK.match(text):
        with suppress(ValueError):
            return date.fromisoformat(text)
    figures = _FIGURES.fullmatch(text)
    if figures:
        return _of_figures(text, figures, form.day_first if day_first is None else day_first)
    of_words = _of_words(text, form)
    if of_words is None:
        raise NotConvertedError(reasons.NO_DATE)
    return of_words


def day_first_of(text: str, form: ValueForm) -> bool | None:
    """Whether a text can only have the day first, or only the month; None if it shows neither."""
    text = re.sub(r"[T\s,]+\d{1,2}[:.]\d{2}.*$", "", text.strip())
    figures = _FIGURES.fullmatch(text)
    # With points, or the year in front, there is one reading: it says nothing of slashes.
    if figures is None or figures[2] == "." or len(figures[1]) > 2 or len(figures[4]) == 2:
        return None
    first, second = int(figures[1]), int(figures[3])
    return None if (first > 12) == (second > 12) else first > 12


def _of_figures(text: str, figures: re.Match[str], day_first: bool | None) -> date:
    first, second, third = int(figures[1]), int(figures[3]), int(figures[4])
    # The year in front: then month and day follow, in every country.
    if len(figures[1]) > 2:
        return _date(first, second, third)
    year = full_year(figures[4])
    if figures[2] == ".":
        # Where dates are written with points the day comes first: so in every locale of CLDR.
        return _date(year, second, first)
    if day_first is None:
        if len(figures[4]) == 2 and figures[2] == "-":
            raise DoubtError(reasons.YEAR_DOUBTFUL, text=text)
        # Only if both could be months, and it would make a difference.
        if first <= 12 and second <= 12 and first != second:
            either = _date(year, second, first), _date(year, first, second)
            raise DoubtError(reasons.DATE_DOUBTFUL, first=either[0], second=either[1])
        day_first = first > 12
    return _date(year, second, first) if day_first else _date(year, first, second)


def _date(year: int, month: int, day: int) -> date:
    try:
        return date(year, month, day)
    except ValueError:
        raise NotConvertedError(reasons.NO_SUCH_DAY) from None


def full_year(figures: str) -> int:
    """A year of four digits, or of two: 69 to 99 are 1969 to 1999, else 2000 to 2068 (POSIX)."""
    year = int(figures)
    if len(figures) > 2:
        return year
    # A rule that readers can look up beats a guess by the date of today.
    return year + (1900 if year >= 69 else 2000)


class _Words:
    """What the words and numbers of a written date say."""

    def __init__(self, text: str, form: ValueForm) -> None:
        months, days = month_names(form.languages), day_names(form.languages)
        self.month: int | None = None
        self.weekday: int | None = None
        self.figures: list[str] = []
        self.fits = not _SEPARATORS.sub("", _TOKENS.sub("", text))
        for token in _TOKENS.findall(text):
            word = word_form(token)
            if token.isdigit():
                self.figures.append(token)
            elif self.month is None and months.get(word):
                self.month = months[word]
            # Behind the figures a short name is likelier a month, or no part of the date.
            elif self.weekday is None and days.get(word) is not None and not self.figures:
                self.weekday = days[word]
            # Such names differ by language: the layout must say which one is written.
            elif months.get(word, 0) is None:
                raise NotConvertedError(reasons.NAME_OF_TWO_MONTHS)
            elif word not in _FILLERS:
                self.fits = False


def _of_words(text: str, form: ValueForm) -> date | None:
    """A date with the name of its month: '17 April 2026', 'April 17, 2026', 'fre. 17. apr. 26'."""
    words = _Words(text, form)
    if not words.fits or words.month is None or len(words.figures) != 2:
        return None
    first, second = words.figures
    year, day = (first, second) if len(first) == 4 else (second, first)
    if len(day) > 2 or len(year) not in (2, 4):
        return None
    result = _date(full_year(year), words.month, int(day))
    # One of the two is wrong, and nobody here can tell which.
    if words.weekday is not None and words.weekday != result.weekday():
        raise NotConvertedError(reasons.WEEKDAY_DIFFERS)
    return result


_YEAR_MONTH = re.compile(r"(?P<year>\d{4})\s*[-/.M ]\s*(?P<month>\d{1,2})", re.IGNORECASE)
_MONTH_YEAR = re.compile(r"(?P<month>\d{1,2})\s*[-/. ]\s*(?P<year>\d{4})")
_SHORT = re.compile(r"(?P<month>\d{1,2})\s*([-/.])\s*(?P<year>\d{2})")


def read_month(text: str, form: ValueForm, day_first: bool | None = None) -> date:
    """The first day of the month that a text means; in the year NO_YEAR if the text has none and
    the form allows for that.

    Raises as `read_date` does.
    """
    text = text.strip()
    match = _YEAR_MONTH.fullmatch(text) or _MONTH_YEAR.fullmatch(text) or _TOGETHER.fullmatch(text)
    if match:
        return _month(int(match["year"]), int(match["month"]))
    short = _SHORT.fullmatch(text)
    if short:
        if int(short["year"]) <= 12:
            raise NotConvertedError(reasons.SHORT_FIGURES)
        return _month(full_year(short["year"]), int(short["month"]))
    if text.isdigit() and len(text) <= 2 and form.without_year:
        return _month(NO_YEAR, int(text))
    words = _Words(text, form)
    if words.fits and words.month is not None and len(words.figures) <= 1:
        year = words.figures[0] if words.figures else ""
        if not year and not form.without_year:
            raise NotConvertedError(reasons.MONTH_ALONE)
        if len(year) in (0, 2, 4):
            return _month(full_year(year) if year else NO_YEAR, words.month)
    try:
        return read_date(text, form, day_first).replace(day=1)
    except DoubtError:
        raise
    except NotConvertedError:
        raise NotConvertedError(reasons.NO_MONTH) from None


_TOGETHER = re.compile(r"(?P<year>1[89]\d\d|2[01]\d\d)(?P<month>0[1-9]|1[0-2])")
"""A year and a month without a separator, from 1800 to 2199: others are numbers."""


def is_year_month(text: str) -> bool:
    """Whether six digits are a year and a month, such as 202604."""
    return _TOGETHER.fullmatch(text) is not None


def _month(year: int, month: int) -> date:
    if not 1 <= month <= 12 or not year:
        raise NotConvertedError(reasons.NO_MONTH)
    return date(year, month, 1)


_TIME = re.compile(
    r"(?P<hour>\d{1,2})(?:[:.](?P<minute>\d{2})(?:[:.](?P<second>\d{2})(?:[.,](?P<part>\d+))?)?)?"
    r"(?:\s*(?P<half>[ap])\.?\s?m\.?)?",
    re.IGNORECASE,
)
_CLOCK = re.compile(r"^(?:kl|klo|at)\.?\s+", re.IGNORECASE)


def read_time(text: str) -> time:
    """The time of day that a text means, to the nearest second. Raises NotConvertedError."""
    match = _TIME.fullmatch(_CLOCK.sub("", text.strip()))
    if match is None or not (match["minute"] or match["half"]):
        raise NotConvertedError(reasons.NO_TIME)
    hour = int(match["hour"])
    if match["half"]:
        if not 1 <= hour <= 12:
            raise NotConvertedError(reasons.NO_TIME)
        hour = hour % 12 + (12 if match["half"] in "pP" else 0)
    part = int((match["part"] or "0")[:6].ljust(6, "0"))
    try:
        moment = time(hour, int(match["minute"] or 0), int(match["second"] or 0), part)
    except ValueError:
        raise NotConvertedError(reasons.NO_TIME) from None
    return second_of_day(moment)


_MOMENT = re.compile(
    r"(?P<date>.*?\S)(?:\s*T\s*|[\s,]+(?:klo?\.?\s+|at\s+)?)"
    r"(?P<time>\d{1,2}[:.]\d{2}\S*(?:\s*[ap]\.?m\.?)?|\d{1,2}\s?[ap]\.?m\.?)",
    re.IGNORECASE,
)


def read_moment(text: str, form: ValueForm, day_first: bool | None = None) -> datetime:
    """The date and time that a text means; midnight if it has no time. Raises as `read_date`."""
    text = text.strip()
    moment = None
    if not _WEEK.match(text):
        with suppress(ValueError):
            moment = datetime.fromisoformat(text)
    if moment is not None and moment.tzinfo is not None:
        raise NotConvertedError(reasons.TIME_ZONE)
    if moment is not None:
        return whole_second(moment)
    parts = _MOMENT.fullmatch(text)
    try:
        if parts is None:
            return datetime.combine(read_date(text, form, day_first), time())
        day = read_date(parts["date"], form, day_first)
        return datetime.combine(day, read_time(parts["time"]))
    except DoubtError:
        raise
    except NotConvertedError:
        raise NotConvertedError(reasons.NO_MOMENT) from None


def whole_second(moment: datetime) -> datetime:
    """A time to the nearest second: workbooks keep times as fractions of a day."""
    return (moment + timedelta(microseconds=500_000)).replace(microsecond=0)


def second_of_day(moment: time) -> time:
    """A time of day to the nearest second, never beyond midnight."""
    rounded = whole_second(datetime.combine(date(2000, 1, 1), moment))
    return rounded.time() if rounded.day == 1 else time(23, 59, 59)
