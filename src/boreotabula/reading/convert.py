"""Cells become typed values; what does not convert is told with its reason, never guessed."""

from __future__ import annotations

import re
import struct
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import cache, lru_cache

import pyarrow as pa

from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.workbooks.sheet import Cell, Flaw

TEXT = pa.dictionary(pa.int32(), pa.string())
"""Text columns repeat few values many times: each is kept once."""

ARROW_TYPES: dict[str, pa.DataType] = {
    "text": TEXT,
    "integer": pa.int64(),
    "number": pa.float64(),
    "month": pa.date32(),
    "date": pa.date32(),
    "datetime": pa.timestamp("s"),
    "time": pa.time32("s"),
}

_INT64 = 2**63
# From here on a float no longer holds every whole number, so its digits are not certain.
_EXACT = 2**53


class NotConvertedError(ValueError):
    """A cell does not hold a value of the wanted type; the text is the reason."""


@dataclass(frozen=True)
class Converted:
    """Values in the order of the cells, empty where `failures` (place, reason) says so."""

    values: pa.Array
    failures: tuple[tuple[int, str], ...] = ()


def _to_text(cell: Cell) -> str:
    if isinstance(cell, Flaw):
        raise NotConvertedError(f"{cell.text} where text belongs")
    return cell_text(cell)


_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")


def _to_number(cell: Cell) -> float:
    if isinstance(cell, float | int) and not isinstance(cell, bool):
        return float(cell)
    if isinstance(cell, str) and _NUMBER.fullmatch(cell.strip()):
        return float(cell)
    raise NotConvertedError(f"{kind_of(cell)} where a number belongs")


_WHOLE = re.compile(r"[+-]?\d+")


def _to_integer(cell: Cell) -> int:
    if isinstance(cell, str) and _WHOLE.fullmatch(cell.strip()):
        whole = int(cell)
    else:
        try:
            number = _to_number(cell)
        except NotConvertedError:
            raise NotConvertedError(f"{kind_of(cell)} where a whole number belongs") from None
        if not number.is_integer():
            raise NotConvertedError("a fraction where a whole number belongs")
        if abs(number) > _EXACT:
            raise NotConvertedError("a number with more digits than the file keeps")
        whole = int(number)
    if not -_INT64 <= whole < _INT64:
        raise NotConvertedError("a number too large for an integer")
    return whole


_MONTHS = (
    re.compile(r"(?P<year>\d{4})[-/.](?P<month>\d{1,2})(?:-\d{2})?"),
    re.compile(r"(?P<month>\d{1,2})[-/.](?P<year>\d{4})"),
)


def _to_month(cell: Cell) -> date:
    if isinstance(cell, date):
        return date(cell.year, cell.month, 1)
    if isinstance(cell, str):
        for form in _MONTHS:
            found = form.fullmatch(cell.strip())
            if found and 1 <= int(found["month"]) <= 12 and int(found["year"]):
                return date(int(found["year"]), int(found["month"]), 1)
        named = _named_month(cell)
        if named is not None:
            return named
    raise NotConvertedError(f"{kind_of(cell)} where a month such as 2026-04 belongs")


_WITH_NAME = re.compile(r"(?P<name>[^\W\d_]+)\.?[ \-/,]*(?P<year>\d{4})")


def _named_month(text: str) -> date | None:
    """A month written as its name and the year: 'April 2026', 'apr. 2026'."""
    found = _WITH_NAME.fullmatch(text.strip())
    month = _month_names().get(found["name"].casefold()) if found else None
    return date(int(found["year"]), month, 1) if found and month and int(found["year"]) else None


@cache
def _month_names() -> dict[str, int]:
    from babel.dates import get_month_names  # only needed for months written as words

    return {
        name.strip(".").casefold(): month
        for width in ("wide", "abbreviated")
        for month, name in get_month_names(width, locale="en").items()
    }


def _to_date(cell: Cell) -> date:
    if isinstance(cell, datetime):
        if cell.time() != time():
            raise NotConvertedError("a date with a time of day where a date belongs")
        return cell.date()
    if isinstance(cell, date):
        return cell
    if isinstance(cell, str):
        with suppress(ValueError):
            return date.fromisoformat(cell.strip())
    raise NotConvertedError(f"{kind_of(cell)} where a date such as 2026-04-17 belongs")


def _whole_second(moment: datetime) -> datetime:
    """A time to the nearest second: workbooks keep times as fractions of a day."""
    return (moment + timedelta(microseconds=500_000)).replace(microsecond=0)


def _second_of_day(moment: time) -> time:
    rounded = _whole_second(datetime.combine(date(2000, 1, 1), moment))
    return rounded.time() if rounded.day == 1 else time(23, 59, 59)


def _to_datetime(cell: Cell) -> datetime:
    if isinstance(cell, datetime):
        return _whole_second(cell)
    if isinstance(cell, date):
        return datetime(cell.year, cell.month, cell.day)
    if isinstance(cell, str):
        with suppress(ValueError):
            found = datetime.fromisoformat(cell.strip())
            if found.tzinfo is None:
                return _whole_second(found)
    raise NotConvertedError(f"{kind_of(cell)} where a time such as 2026-04-17 06:00 belongs")


def _to_time(cell: Cell) -> time:
    if isinstance(cell, time):
        return _second_of_day(cell)
    if isinstance(cell, str):
        with suppress(ValueError):
            found = time.fromisoformat(cell.strip().zfill(5))
            if found.tzinfo is None:
                return _second_of_day(found)
    raise NotConvertedError(f"{kind_of(cell)} where a time of day such as 06:00 belongs")


_CONVERTERS: dict[str, Callable[[Cell], object]] = {
    "text": _to_text,
    "integer": _to_integer,
    "number": _to_number,
    "month": _to_month,
    "date": _to_date,
    "datetime": _to_datetime,
    "time": _to_time,
}


def convert(cells: Sequence[Cell], kind: str, *, plain: bool = False) -> Converted:
    """Convert cells to an Arrow array of the field type `kind`.

    Blank cells and cells that do not convert give an empty value; only the latter are failures.
    `plain` says that all cells are known to be texts or floats.
    """
    if kind in ("integer", "number") and (plain or set(map(type, cells)) == {float}):
        whole = _plain_numbers(cells, kind)
        if whole is not None:
            return Converted(whole)
    if kind == "text" and set(map(type, cells)) == {str} and "" not in cells:
        return Converted(as_array([str(cell).strip() for cell in cells], kind))
    return _one_by_one(cells, kind)


def convert_kept(cells: tuple[Cell, ...], kind: str) -> Converted:
    """`convert` for stamps and headings, which are the same on many tabs."""
    return _convert_kept(cells, tuple(map(type, cells)), kind)


@lru_cache(maxsize=4096)
def _convert_kept(cells: tuple[Cell, ...], _types: tuple[type, ...], kind: str) -> Converted:
    # The types belong to the key: to Python 1.0 and True are equal.
    return convert(cells, kind)


def _plain_numbers(cells: Sequence[Cell], kind: str) -> pa.Array | None:
    """All cells at once, or None if one of them needs a closer look. None of them is a bool."""
    try:
        packed = struct.pack(f"={len(cells)}d", *cells)  # refuses texts
    except struct.error:
        return None
    numbers = pa.Array.from_buffers(pa.float64(), len(cells), [None, pa.py_buffer(packed)])
    if kind == "number":
        return numbers
    try:
        return numbers.cast(pa.int64())  # refuses fractions and what a float cannot hold
    except pa.ArrowInvalid:
        return None


def _one_by_one(cells: Sequence[Cell], kind: str) -> Converted:
    converter = _CONVERTERS[kind]
    values: list[object] = []
    failures: list[tuple[int, str]] = []
    for place, cell in enumerate(cells):
        value = None
        if cell != "":
            try:
                value = converter(cell)
            except NotConvertedError as reason:
                failures.append((place, str(reason)))
        values.append(value)
    return Converted(as_array(values, kind), tuple(failures))


def as_array(values: Sequence[object], kind: str) -> pa.Array:
    """Python values of a field type as an Arrow array of that type."""
    if kind == "text":
        return pa.array(values, pa.string()).dictionary_encode()
    return pa.array(values, ARROW_TYPES[kind])
