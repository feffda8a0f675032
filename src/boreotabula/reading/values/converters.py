"""A cell as a value of each type of field."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal

from boreotabula.findings import reasons
from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.reading.values import moments
from boreotabula.reading.values.form import NotConvertedError, ValueForm, Writing
from boreotabula.reading.values.names import word_form, yes_no_words
from boreotabula.reading.values.numbers import read_number
from boreotabula.sheets.sheet import Cell

INT64 = 2**63

# From here on a float no longer holds every whole number, so its digits are not certain.
EXACT = 2**53


def other_kind(cell: Cell, form: ValueForm) -> NotConvertedError:
    """The error of a cell that holds another kind of value than its field requires."""
    return NotConvertedError(reasons.KIND_DIFFERS, held=kind_of(cell), wanted=form.type.wanted)


def _to_text(cell: Cell, _form: ValueForm, _way: Writing) -> str:
    return cell_text(cell)


def _number(cell: Cell, form: ValueForm, way: Writing) -> float | Decimal:
    if isinstance(cell, float | int) and not isinstance(cell, bool):
        return float(cell) if not form.heading_unit else float(cell) * float(form.factor(""))
    if isinstance(cell, str):
        return read_number(cell, form, way if isinstance(way, str) else None)
    raise other_kind(cell, form)


def _to_number(cell: Cell, form: ValueForm, way: Writing) -> float:
    number = float(_number(cell, form, way))
    if not math.isfinite(number):
        raise NotConvertedError(reasons.NUMBER_TOO_LARGE)
    return number


def _to_percent(cell: Cell, form: ValueForm, way: Writing) -> float:
    number = _to_number(cell, form, way)
    signed = isinstance(cell, str) and "%" in cell
    if abs(number) > most_of_whole(form) and not signed:
        shown = cell_text(cell)
        raise NotConvertedError(reasons.SHARE_DOUBTFUL, number=shown)
    return number


def most_of_whole(form: ValueForm) -> float:
    """The largest share that a number without a percent sign can be."""
    return max(form.most if isinstance(form.most, float | int) else 1.0, 1.0)


def _to_integer(cell: Cell, form: ValueForm, way: Writing) -> int:
    number = _number(cell, form, way)
    # A float may have lost digits that a written number still has.
    if isinstance(number, float):
        if not number.is_integer():
            raise NotConvertedError(reasons.FRACTION)
        if abs(number) > EXACT:
            raise NotConvertedError(reasons.DIGITS_LOST)
    elif number != number.to_integral_value():
        raise NotConvertedError(reasons.FRACTION)
    if not -INT64 <= number < INT64:
        raise NotConvertedError(reasons.INTEGER_TOO_LARGE)
    return int(number)


def _to_decimal(cell: Cell, form: ValueForm, way: Writing) -> Decimal:
    number = _number(cell, form, way)
    if isinstance(number, float):
        # Spreadsheet programs show, and mean, no more than 15 significant digits of a number.
        # Before that, binary fractions would show as digits that nobody wrote.
        number = Decimal(format(number, ".15g"))
    return number


def kept_digits(number: Decimal, digits: int) -> tuple[Decimal, bool]:
    """A decimal with the field's places, and whether rounding changed it.

    Halves are rounded away from zero, as spreadsheet programs show them: 1.005 is 1.01.
    """
    if not number.is_finite() or abs(number) >= Decimal(10) ** (28 - digits):
        raise NotConvertedError(reasons.NUMBER_TOO_LARGE)
    kept = number.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP)
    return kept, kept != number


def _to_month(cell: Cell, form: ValueForm, way: Writing) -> date:
    if isinstance(cell, date):
        return date(cell.year, cell.month, 1)
    if isinstance(cell, str):
        return moments.read_month(cell, form, _day_first(way))
    if isinstance(cell, float | int) and not isinstance(cell, bool):
        text = cell_text(float(cell))
        if form.without_year or moments.is_year_month(text):
            return moments.read_month(text, form)
    raise other_kind(cell, form)


def _day_first(way: Writing) -> bool | None:
    return way if isinstance(way, bool) else None


def _to_date(cell: Cell, form: ValueForm, way: Writing) -> date:
    # A datetime is a date as well, so it is asked for first.
    if isinstance(cell, datetime):
        if cell.time() != time():
            raise NotConvertedError(reasons.WITH_TIME)
        return cell.date()
    if isinstance(cell, date):
        return cell
    if isinstance(cell, str):
        return moments.read_date(cell, form, _day_first(way))
    raise other_kind(cell, form)


def _to_datetime(cell: Cell, form: ValueForm, way: Writing) -> datetime:
    if isinstance(cell, datetime):
        return moments.whole_second(cell)
    if isinstance(cell, date):
        return datetime(cell.year, cell.month, cell.day)
    if isinstance(cell, str):
        return moments.read_moment(cell, form, _day_first(way))
    raise other_kind(cell, form)


def _to_time(cell: Cell, form: ValueForm, _way: Writing) -> time:
    if isinstance(cell, time):
        return moments.second_of_day(cell)
    if isinstance(cell, timedelta) and timedelta() <= cell < timedelta(days=1):
        # A duration of less than a day is how some programs store a time of day.
        return moments.second_of_day((datetime(2000, 1, 1) + cell).time())
    if isinstance(cell, str):
        return moments.read_time(cell)
    raise other_kind(cell, form)


def _to_yesno(cell: Cell, form: ValueForm, _way: Writing) -> bool:
    if isinstance(cell, bool):
        return cell
    if isinstance(cell, str | float | int):
        matches = yes_no_words(form.languages).get(word_form(cell_text(cell)))
        if matches is not None:
            return matches
    raise other_kind(cell, form)


CONVERTERS: dict[str, Callable[[Cell, ValueForm, Writing], object]] = {
    "text": _to_text,
    "integer": _to_integer,
    "number": _to_number,
    "decimal": _to_decimal,
    "percent": _to_percent,
    "month": _to_month,
    "date": _to_date,
    "datetime": _to_datetime,
    "time": _to_time,
    "yesno": _to_yesno,
}
