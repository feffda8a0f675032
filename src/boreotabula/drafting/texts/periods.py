"""Periods in texts: dates, weeks, months, quarters and years, wherever they are written."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from boreotabula.look.texts.types import LANGUAGES
from boreotabula.reading.values.names import month_names, word_form


@dataclass(frozen=True)
class Period:
    """A period in a text: where it begins and ends, its kind, and one text for the same period
    however it is written."""

    start: int
    end: int
    kind: str
    """'date', 'week', 'month', 'quarter' or 'year'; 'month name' where no year is beside it."""
    value: str


_YEAR = r"(?P<year>(?:19|20)\d\d)"
_APART = r"[\s._/-]?"
_START, _END = r"(?<![^\W_])", r"(?![^\W_])"


@lru_cache(maxsize=1)
def _month_word() -> str:
    names = [name for name in month_names(LANGUAGES) if len(name) > 2 and name.isalpha()]
    return "|".join(sorted(map(re.escape, names), key=len, reverse=True))


@lru_cache(maxsize=1)
def _forms() -> tuple[tuple[str, re.Pattern[str]], ...]:
    """The ways to write periods, the finer ones first."""
    word = rf"(?P<word>{_month_word()})\.?"
    forms = (
        ("date", rf"{_YEAR}([-._/]?)(?P<month>0[1-9]|1[0-2])\2(?P<day>0[1-9]|[12]\d|3[01])"),
        ("date", rf"(?P<day>[0-3]?\d)([-._/])(?P<month>[01]?\d)\2{_YEAR}"),
        ("date", rf"(?P<day>[0-3]?\d)\.? {word} {_YEAR}"),
        ("week", rf"{_YEAR}-?[wW](?P<week>[0-5]\d)"),
        ("month", rf"{_YEAR}[-._/]?(?P<month>0[1-9]|1[0-2])"),
        ("month", rf"(?P<month>0?[1-9]|1[0-2])[-._/]{_YEAR}"),
        ("month", rf"{word}{_APART}{_YEAR}"),
        ("month", rf"{_YEAR}{_APART}{word}"),
        ("quarter", rf"{_YEAR}{_APART}(?:q|kv|kvartal|quarter){_APART}(?P<quarter>[1-4])"),
        ("quarter", rf"(?:q|kv|kvartal|quarter){_APART}(?P<quarter>[1-4]){_APART}{_YEAR}"),
        ("quarter", r"(?:q|kv|kvartal|quarter)[\s._/-]?(?P<quarter>[1-4])(?: (?P<short>\d\d))?"),
        ("quarter", rf"(?P<quarter>[1-4])\.? (?:kvartal|quarter|quartal|neljännes) {_YEAR}"),
        ("year", _YEAR),
        ("month name", word),
    )
    return tuple((kind, re.compile(_START + form + _END, re.IGNORECASE)) for kind, form in forms)


def periods_in(text: str) -> list[Period]:
    """The periods in a text, from left to right; none of them within another."""
    if not any(sign.isalnum() for sign in text):
        return []
    periods: list[Period] = []
    for kind, form in _forms():
        for hit in form.finditer(text):
            value = _value(kind, hit)
            apart = all(
                hit.end() <= period.start or period.end <= hit.start() for period in periods
            )
            if value and apart:
                periods.append(Period(hit.start(), hit.end(), kind, value))
    return sorted(periods, key=lambda period: period.start)


def period_of(text: str) -> Period | None:
    """The period that a whole text is; None if it is none, or says more."""
    periods = periods_in(text.strip())
    whole = len(periods) == 1 and periods[0].start == 0 and periods[0].end >= len(text.strip()) - 1
    return periods[0] if whole else None


def _value(kind: str, hit: re.Match[str]) -> str:
    parts = hit.groupdict()
    month = parts.get("month") or _number_of(parts.get("word"))
    if kind == "date":
        return _day(parts["year"], month, parts["day"])
    if kind == "month":
        return f"{parts['year']}-{int(month):02}" if month else ""
    if kind == "month name":
        return f"{int(month):02}" if month else ""
    if kind == "week":
        return f"{parts['year']}-W{parts['week']}"
    if kind == "quarter":
        year = parts.get("year") or (f"20{parts['short']}" if parts.get("short") else "")
        return f"{year}-Q{parts['quarter']}".lstrip("-")
    return str(parts["year"])


def _number_of(word: str | None) -> str:
    number = month_names(LANGUAGES).get(word_form(word)) if word else None
    return str(number) if number else ""


def _day(year: str, month: str, day: str) -> str:
    try:
        return date(int(year), int(month), int(day)).isoformat() if month else ""
    except ValueError:
        return ""


def moments(texts: Iterator[str]) -> list[str]:
    """The kind of each text that is a period as a whole; empty for the others."""
    return [period.kind if (period := period_of(text)) else "" for text in texts]
