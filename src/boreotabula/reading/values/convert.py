"""Cells become typed values; what does not convert is told with its reason, never guessed."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal
from functools import cached_property, lru_cache

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.findings import reasons
from boreotabula.findings.reasons import Doubtful, Reason
from boreotabula.layout.field_types import Nature
from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.reading.values import moments
from boreotabula.reading.values.bounds import outside_of
from boreotabula.reading.values.form import DoubtError, NotConvertedError, ValueForm, plain_form
from boreotabula.reading.values.names import word_form, yes_no_words
from boreotabula.reading.values.numbers import decimal_mark_of, read_number
from boreotabula.reading.values.picked import Picked
from boreotabula.sheets.sheet import Cell, Flaw

_INT64 = 2**63
# From here on a float no longer holds every whole number, so its digits are not certain.
_EXACT = 2**53


@dataclass(frozen=True)
class Doubt:
    """Texts of a field that could be read in two ways; places counted among its cells."""

    places: tuple[int, ...]
    reason: Reason
    settled: bool
    """Whether other cells settle it, so that the texts were read like those."""
    evidence: tuple[int, ...]
    """Cells that can be read in one way only: one of each way that was met."""
    about: Doubtful
    elsewhere: str = ""
    """The text of another tab that settles it, and where it is."""


@dataclass(frozen=True)
class Converted:
    """Values in the order of the cells, empty where `failures` (place, reason) says so."""

    values: pa.Array
    failures: tuple[tuple[int, Reason], ...] = ()
    outside: tuple[tuple[int, Reason], ...] = ()
    """Values that the layout does not allow, but that stay: place, and what is wrong."""
    blanked: tuple[int, ...] = ()
    """Filled cells that stand for nothing, as the layout says."""
    rounded: tuple[int, ...] = ()
    """Numbers with more decimals than the field keeps."""
    doubt: Doubt | None = None
    ways: tuple[tuple[bool, int], ...] = ()
    """Cells that show whether the day or the month comes first: one of each way that was met."""

    def at(self, places: Sequence[int]) -> Converted:
        """The same of cells that stand at some places among others; its values stay as they are."""
        doubt = self.doubt
        if doubt is not None:
            doubt = replace(
                doubt,
                places=tuple(places[place] for place in doubt.places),
                evidence=tuple(places[index] for index in doubt.evidence),
            )
        return Converted(
            self.values,
            tuple((places[index], why) for index, why in self.failures),
            tuple((places[index], why) for index, why in self.outside),
            tuple(places[index] for index in self.blanked),
            tuple(places[index] for index in self.rounded),
            doubt,
            tuple((day_first, places[index]) for day_first, index in self.ways),
        )

    @cached_property
    def first(self) -> object:
        """The first of the values: stamps have but one."""
        return self.values[0].as_py()

    @property
    def unremarkable(self) -> bool:
        """Whether there is nothing to say of any cell."""
        return not (
            self.failures
            or self.outside
            or self.blanked
            or self.rounded
            or self.doubt is not None
            or self.ways
        )


def convert(cells: Sequence[Cell], form: ValueForm) -> Converted:
    """Convert cells to an Arrow array of a field's type.

    Blank cells, those that stand for nothing and those that do not convert give an empty value;
    only the last are failures.
    """
    if isinstance(cells, Picked):
        # Most cells of a table are numbers, which need no look at each of them.
        numbers = _plain_numbers(cells, form)
        if numbers is not None:
            return _with_closer_look(cells, form, *numbers)
        # Only now are the cells themselves needed.
        cells = list(cells)
    as_it_stands = form.type.nature is Nature.TEXT and form.as_it_stands
    if as_it_stands and set(map(type, cells)) == {str} and "" not in cells:
        return Converted(as_array([str(cell).strip() for cell in cells], form))
    return _Conversion(cells, form).done()


def convert_kept(cells: tuple[Cell, ...], form: ValueForm) -> Converted:
    """`convert` for stamps and headings, which are the same on many tabs."""
    return _convert_kept(cells, tuple(map(type, cells)), form)


@lru_cache(maxsize=4096)
def _convert_kept(cells: tuple[Cell, ...], _types: tuple[type, ...], form: ValueForm) -> Converted:
    # The types belong to the key: to Python 1.0 and True are equal.
    return convert(cells, form)


def as_array(values: Sequence[object], form: ValueForm) -> pa.Array:
    """Python values of a field type as an Arrow array of that type."""
    if form.type.nature is Nature.TEXT:
        return pa.array(values, pa.string()).dictionary_encode()
    return pa.array(values, form.arrow_type)


def stands_for_nothing(cell: Cell, form: ValueForm) -> bool:
    """Whether a filled cell is blank by the layout's `empty`."""
    if not form.empty or isinstance(cell, Flaw) or cell == "":
        return False
    return plain_form(cell_text(cell)) in form.empty


def _plain_numbers(
    cells: Picked, form: ValueForm
) -> tuple[NDArray[np.int64 | np.float64], NDArray[np.bool_]] | None:
    """The numbers of cells as the field has them, and which cells are that and nothing else: the
    others need a closer look, if they are filled. None for fields that have none."""
    # Spellings may name a number, and decimals count digits: both need the cell itself.
    if form.spellings or not form.type.is_number or form.type.digits is not None:
        return None
    # A heading that names another unit than the first asks for each number to be converted.
    if form.heading_unit and form.factor("") != 1:
        return None
    numbers = cells.numbers
    plain = np.isfinite(numbers)
    if form.empty:
        # `empty = "0"` speaks of numbers, too, as they are shown.
        plain &= ~np.isin(numbers, _numbers_among(form.empty))
    if pa.types.is_integer(form.arrow_type):
        # A number that lost digits in the file is no certain whole number.
        plain &= (numbers == np.floor(numbers)) & (np.abs(numbers) <= _EXACT)
        return np.where(plain, numbers, 0).astype(np.int64), plain
    # Without a sign, 15 could be 15 % or fifteen times the whole.
    if form.type.is_share:
        plain &= np.abs(numbers) <= _most_of_whole(form)
    return numbers, plain


def _numbers_among(texts: Iterable[str]) -> list[float]:
    numbers = []
    for text in texts:
        with suppress(ValueError):
            numbers.append(float(text))
    return numbers


def _with_closer_look(
    cells: Picked,
    form: ValueForm,
    numbers: NDArray[np.int64 | np.float64],
    plain: NDArray[np.bool_],
) -> Converted:
    """Numbers, once the filled cells that are none have been looked at one by one."""
    places = np.flatnonzero(cells.filled & ~plain)
    if not len(places):
        values = pa.array(numbers, form.arrow_type, mask=None if plain.all() else ~plain)
        return Converted(values, outside=outside_of(values, form))
    # Texts among numbers settle each other's doubts, so they are read together.
    conversion = _Conversion([cells[column] for column in places.tolist()], form).done()
    # The matrix is the sheet's: it must stay as it was read.
    numbers, mask = numbers.copy(), plain.copy()
    for place, value in zip(places.tolist(), conversion.values.to_pylist(), strict=True):
        if value is not None:
            numbers[place], mask[place] = value, True
    values = pa.array(numbers, form.arrow_type, mask=~mask)
    return replace(conversion.at(places.tolist()), values=values, outside=outside_of(values, form))


class _Conversion:
    """Cells converted one by one; a text that was met before is not looked at again."""

    def __init__(self, cells: Sequence[Cell], form: ValueForm) -> None:
        self.cells, self.form = cells, form
        self.texts: dict[str, object] = {}
        self.doubtful: list[tuple[int, Reason]] = []
        self.rounded: list[int] = []
        self.failures: list[tuple[int, Reason]] = []
        self.blanked: list[int] = []

    def done(self) -> Converted:
        """The values, and all that is to be said of the cells."""
        values = [self._value(place, cell) for place, cell in enumerate(self.cells)]
        # After all cells were seen, as any of them may settle it.
        asks = self.doubtful or self.form.asks_for_days
        evidence = self._evidence() if asks else {}
        doubt = self._settle(values, evidence) if self.doubtful else None
        array = as_array(values, self.form)
        return Converted(
            array,
            tuple(sorted(self.failures, key=lambda one: one[0])),
            outside_of(array, self.form),
            tuple(self.blanked),
            tuple(self.rounded),
            doubt,
            tuple((way, index) for way, index in evidence.items() if isinstance(way, bool)),
        )

    def _value(self, place: int, cell: Cell) -> object:
        if cell == "":
            return None
        # Before converting: “n/a” would be a failure.
        if stands_for_nothing(cell, self.form):
            self.blanked.append(place)
            return None
        try:
            return self._converted(place, cell)
        except DoubtError as error:
            self.doubtful.append((place, error.reason))
        except NotConvertedError as error:
            self.failures.append((place, error.reason))
        return None

    def _converted(self, place: int, cell: Cell, way: object = None) -> object:
        if type(cell) is str:
            known = self.texts.get(cell, self)
            # None is a value as well: the object itself stands for a text that was not met.
            if known is not self:
                return known
        value = _one(respelt(cell, self.form), self.form, way)
        if isinstance(value, Decimal):
            value, rounded = _kept_digits(value, self.form.digits)
            if rounded:
                # Kept apart from the texts that are known: each place is told.
                self.rounded.append(place)
                return value
        if type(cell) is str:
            self.texts[cell] = value
        return value

    def _evidence(self) -> dict[object, int]:
        """The first cell of each way of writing that is met among those that leave no doubt."""
        evidence: dict[object, int] = {}
        doubtful = {place for place, _ in self.doubtful}
        for place, cell in enumerate(self.cells):
            # Only a text can show how it is written; a number has no decimal mark.
            if isinstance(cell, str) and cell != "" and place not in doubtful:
                with suppress(NotConvertedError):
                    way = _way_of(cell_text(respelt(cell, self.form)), self.form)
                    if way is not None:
                        evidence.setdefault(way, place)
                if len(evidence) > 1:  # then they settle nothing
                    break
        return evidence

    def _settle(self, values: list[object], evidence: Mapping[object, int]) -> Doubt:
        """Read the doubtful texts like those that leave no doubt, if all of these agree."""
        ways, elsewhere = list(evidence), ""
        if not ways and self.form.way is not None and not self.form.type.is_number:
            ways, elsewhere = [self.form.way.day_first], self.form.way.shown
        # Cells that speak for both ways settle nothing: then no text is guessed.
        settled = len(ways) == 1
        for place, reason in self.doubtful:
            if not settled:
                self.failures.append((place, reason))
                continue
            (way,) = ways
            try:
                values[place] = self._converted(place, self.cells[place], way)
            except NotConvertedError as why:
                self.failures.append((place, why.reason))
        return Doubt(
            tuple(place for place, _ in self.doubtful),
            self.doubtful[0][1],
            settled,
            tuple(evidence.values()),
            Doubtful.DECIMAL_MARK if self.form.type.is_number else Doubtful.DAY_AND_MONTH,
            elsewhere,
        )


def respelt(cell: Cell, form: ValueForm) -> Cell:
    """A cell as the layout's `pattern` and `same_as` read it: of a text the part that is kept, and
    what its spelling stands for. Raises NotConvertedError for a text that fits no pattern."""
    if isinstance(cell, Flaw) or not (form.spellings or form.parts):
        return cell
    # A spelling that is listed whole is meant as it stands.
    known_text = form.spellings.get(plain_form(cell_text(cell)))
    if known_text is not None:
        return known_text
    kept = _part(cell, form) if form.parts and isinstance(cell, str) else cell
    return form.spellings.get(plain_form(cell_text(kept)), kept)


def _part(text: str, form: ValueForm) -> str:
    """The part of a text that the first pattern keeps which it fits."""
    texts = next((fit for part in form.parts if (fit := part.match(text)) is not None), None)
    if texts is None:
        patterns = " or ".join(f"“{part.text}”" for part in form.parts)
        raise NotConvertedError(reasons.NO_FIT, patterns=patterns)
    return texts[""]


def _way_of(text: str, form: ValueForm) -> object:
    """The way of writing that a text can only have: its decimal mark, or whether the day is first.

    None if it tells neither.
    """
    if form.type.is_number:
        return decimal_mark_of(text, form)
    return moments.day_first_of(text, form)


def _one(cell: Cell, form: ValueForm, way: object) -> object:
    """The value of a cell, by the type of its field; `way` as `_way_of` tells it."""
    # An error value is no text, though it shows as one.
    if isinstance(cell, Flaw):
        raise _other_kind(cell, form)
    return _CONVERTERS[form.base](cell, form, way)


def _other_kind(cell: Cell, form: ValueForm) -> NotConvertedError:
    """That a cell holds something else than its field asks for."""
    return NotConvertedError(reasons.KIND_DIFFERS, held=kind_of(cell), wanted=form.type.wanted)


def _to_text(cell: Cell, _form: ValueForm, _way: object) -> str:
    return cell_text(cell)


def _number(cell: Cell, form: ValueForm, way: object) -> float | Decimal:
    if isinstance(cell, float | int) and not isinstance(cell, bool):
        return float(cell) if not form.heading_unit else float(cell) * float(form.factor(""))
    if isinstance(cell, str):
        return read_number(cell, form, way if isinstance(way, str) else None)
    raise _other_kind(cell, form)


def _to_number(cell: Cell, form: ValueForm, way: object) -> float:
    number = float(_number(cell, form, way))
    if not math.isfinite(number):
        raise NotConvertedError(reasons.NUMBER_TOO_LARGE)
    return number


def _to_percent(cell: Cell, form: ValueForm, way: object) -> float:
    number = _to_number(cell, form, way)
    signed = isinstance(cell, str) and "%" in cell
    if abs(number) > _most_of_whole(form) and not signed:
        shown = cell_text(cell)
        raise NotConvertedError(reasons.SHARE_DOUBTFUL, number=shown)
    return number


def _most_of_whole(form: ValueForm) -> float:
    """The largest share that a number without a percent sign can be."""
    return max(form.most if isinstance(form.most, float | int) else 1.0, 1.0)


def _to_integer(cell: Cell, form: ValueForm, way: object) -> int:
    number = _number(cell, form, way)
    # A float may have lost digits that a written number still has.
    if isinstance(number, float):
        if not number.is_integer():
            raise NotConvertedError(reasons.FRACTION)
        if abs(number) > _EXACT:
            raise NotConvertedError(reasons.DIGITS_LOST)
    elif number != number.to_integral_value():
        raise NotConvertedError(reasons.FRACTION)
    if not -_INT64 <= number < _INT64:
        raise NotConvertedError(reasons.INTEGER_TOO_LARGE)
    return int(number)


def _to_decimal(cell: Cell, form: ValueForm, way: object) -> Decimal:
    number = _number(cell, form, way)
    if isinstance(number, float):
        # Spreadsheet programs show, and mean, no more than 15 significant digits of a number.
        # Before that, binary fractions would show as digits that nobody wrote.
        number = Decimal(format(number, ".15g"))
    return number


def _kept_digits(number: Decimal, digits: int) -> tuple[Decimal, bool]:
    """A decimal with the field's places, and whether that took something away.

    Halves are rounded away from zero, as spreadsheet programs show them: 1.005 is 1.01.
    """
    if not number.is_finite() or abs(number) >= Decimal(10) ** (28 - digits):
        raise NotConvertedError(reasons.NUMBER_TOO_LARGE)
    kept = number.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP)
    return kept, kept != number


def _to_month(cell: Cell, form: ValueForm, way: object) -> date:
    if isinstance(cell, date):
        return date(cell.year, cell.month, 1)
    if isinstance(cell, str):
        return moments.read_month(cell, form, _day_first(way))
    if isinstance(cell, float | int) and not isinstance(cell, bool):
        text = cell_text(float(cell))
        if form.without_year or moments.is_year_month(text):
            return moments.read_month(text, form)
    raise _other_kind(cell, form)


def _day_first(way: object) -> bool | None:
    return way if isinstance(way, bool) else None


def _to_date(cell: Cell, form: ValueForm, way: object) -> date:
    # A datetime is a date as well, so it is asked for first.
    if isinstance(cell, datetime):
        if cell.time() != time():
            raise NotConvertedError(reasons.WITH_TIME)
        return cell.date()
    if isinstance(cell, date):
        return cell
    if isinstance(cell, str):
        return moments.read_date(cell, form, _day_first(way))
    raise _other_kind(cell, form)


def _to_datetime(cell: Cell, form: ValueForm, way: object) -> datetime:
    if isinstance(cell, datetime):
        return moments.whole_second(cell)
    if isinstance(cell, date):
        return datetime(cell.year, cell.month, cell.day)
    if isinstance(cell, str):
        return moments.read_moment(cell, form, _day_first(way))
    raise _other_kind(cell, form)


def _to_time(cell: Cell, form: ValueForm, _way: object) -> time:
    if isinstance(cell, time):
        return moments.second_of_day(cell)
    if isinstance(cell, timedelta) and timedelta() <= cell < timedelta(days=1):
        # A duration of less than a day is how some programs store a time of day.
        return moments.second_of_day((datetime(2000, 1, 1) + cell).time())
    if isinstance(cell, str):
        return moments.read_time(cell)
    raise _other_kind(cell, form)


def _to_yesno(cell: Cell, form: ValueForm, _way: object) -> bool:
    if isinstance(cell, bool):
        return cell
    if isinstance(cell, str | float | int):
        matches = yes_no_words(form.languages).get(word_form(cell_text(cell)))
        if matches is not None:
            return matches
    raise _other_kind(cell, form)


_CONVERTERS: dict[str, Callable[[Cell, ValueForm, object], object]] = {
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
