"""Cells become typed values; what does not convert is reported with its reason, never guessed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property, lru_cache

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.findings import reasons
from boreotabula.findings.reasons import Doubtful, Reason
from boreotabula.layout.field_types import Nature
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values import moments
from boreotabula.reading.values.bounds import outside_of
from boreotabula.reading.values.converters import (
    CONVERTERS,
    EXACT,
    kept_digits,
    most_of_whole,
    other_kind,
)
from boreotabula.reading.values.form import (
    DoubtError,
    NotConvertedError,
    ValueForm,
    Writing,
    plain_form,
)
from boreotabula.reading.values.numbers import decimal_mark_of
from boreotabula.reading.values.picked import Picked
from boreotabula.sheets.sheet import Cell, Flaw


@dataclass(frozen=True)
class Ambiguity:
    """Texts of a field that could be read in two ways; places are indices among its cells."""

    places: tuple[int, ...]
    reason: Reason
    settled: bool
    """Whether other cells settle it, so that the texts were read like those."""
    evidence: tuple[int, ...]
    """Cells with only one reading: one for each way that occurs."""
    about: Doubtful
    elsewhere: str = ""
    """The text of another tab that settles it, and where it is."""


@dataclass(frozen=True)
class Converted:
    """Values in the order of the cells, empty where `failures` (place, reason) says so."""

    values: pa.Array
    failures: tuple[tuple[int, Reason], ...] = ()
    outside: tuple[tuple[int, Reason], ...] = ()
    """Values that the layout does not allow, but that stay: index, and what is wrong."""
    blanked: tuple[int, ...] = ()
    """Filled cells that the layout counts as blank."""
    rounded: tuple[int, ...] = ()
    """Numbers with more decimals than the field keeps."""
    doubt: Ambiguity | None = None
    ways: tuple[tuple[bool, int], ...] = ()
    """Cells that show whether the day or the month comes first: one for each way that occurs."""

    def at(self, places: Sequence[int]) -> Converted:
        """The same values, for cells that stand at these places among others."""
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
        """The first of the values: stamps have only one."""
        return self.values[0].as_py()

    @property
    def unremarkable(self) -> bool:
        """Whether there is nothing to report about any cell."""
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

    Blank cells, cells that the layout counts as blank and cells that do not convert give an empty
    value; only the last are failures.
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
    """`convert` with a cache, for stamps and headings, which are the same on many tabs."""
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
    """Whether a filled cell counts as blank by the layout's `empty`."""
    if not form.empty or isinstance(cell, Flaw) or cell == "":
        return False
    return plain_form(cell_text(cell)) in form.empty


def _plain_numbers(
    cells: Picked, form: ValueForm
) -> tuple[NDArray[np.int64 | np.float64], NDArray[np.bool_]] | None:
    """The numbers of cells in the field's type, and a mask of the cells that are plain numbers.

    Other filled cells need a closer look. None for types without numbers.
    """
    # Spellings may name a number, and decimals count digits: both need the cell itself.
    if form.spellings or not form.type.as_stored:
        return None
    # A heading that names another unit than the first asks for each number to be converted.
    if form.heading_unit and form.factor("") != 1:
        return None
    numbers = cells.numbers
    plain = np.isfinite(numbers)
    if form.empty:
        # `empty = "0"` speaks of numbers, too, as they are shown.
        plain &= ~are_for_nothing(numbers, form)
    if pa.types.is_integer(form.arrow_type):
        # A number that lost digits in the file is no certain whole number.
        plain &= (numbers == np.floor(numbers)) & (np.abs(numbers) <= EXACT)
        return np.where(plain, numbers, 0).astype(np.int64), plain
    # Without a sign, 15 could be 15 % or fifteen times the whole.
    if form.type.is_share:
        plain &= np.abs(numbers) <= most_of_whole(form)
    return numbers, plain


def are_for_nothing(numbers: NDArray[np.float64], form: ValueForm) -> NDArray[np.bool_]:
    """A mask of the numbers that may count as blank by the layout's `empty`; the cells tell which
    do."""
    return np.isin(numbers, _numbers_among(form.empty))


@lru_cache(maxsize=256)
def _numbers_among(texts: frozenset[str]) -> list[float]:
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
    """Numbers, once the filled cells that are not plain numbers have been converted one by one."""
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
    """Cells converted one by one; a text that occurred before is not converted again."""

    def __init__(self, cells: Sequence[Cell], form: ValueForm) -> None:
        self.cells, self.form = cells, form
        self.texts: dict[str, object] = {}
        self.doubtful: list[tuple[int, Reason]] = []
        self.rounded: list[int] = []
        self.failures: list[tuple[int, Reason]] = []
        self.blanked: list[int] = []

    def done(self) -> Converted:
        """The values, and what is to be reported about the cells."""
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
        # None is a value as well, so the texts themselves are asked.
        if type(cell) is str and cell in self.texts:
            return self.texts[cell]
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

    def _converted(self, place: int, cell: Cell, way: Writing = None) -> object:
        value = _one(respelt(cell, self.form), self.form, way)
        if isinstance(value, Decimal):
            value, rounded = kept_digits(value, self.form.digits)
            if rounded:
                # Kept apart from the texts that are known: each place is told.
                self.rounded.append(place)
                return value
        if type(cell) is str:
            self.texts[cell] = value
        return value

    def _evidence(self) -> dict[Writing, int]:
        """The first unambiguous cell of each way of writing."""
        evidence: dict[Writing, int] = {}
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

    def _settle(self, values: list[object], evidence: Mapping[Writing, int]) -> Ambiguity:
        """Read the ambiguous texts like the unambiguous ones, if all of these agree."""
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
        return Ambiguity(
            tuple(place for place, _ in self.doubtful),
            self.doubtful[0][1],
            settled,
            tuple(evidence.values()),
            Doubtful.DECIMAL_MARK if self.form.type.is_number else Doubtful.DAY_AND_MONTH,
            elsewhere,
        )


def respelt(cell: Cell, form: ValueForm) -> Cell:
    """A cell as the layout's `pattern` and `same_as` read it: of a text the captured part, and the
    text for which its spelling stands.

    Raises NotConvertedError for a text that matches no pattern.
    """
    if isinstance(cell, Flaw) or not (form.spellings or form.parts):
        return cell
    # A spelling that is listed whole is meant as it stands.
    known_text = form.spellings.get(plain_form(cell_text(cell)))
    if known_text is not None:
        return known_text
    kept = _part(cell, form) if form.parts and isinstance(cell, str) else cell
    return form.spellings.get(plain_form(cell_text(kept)), kept)


def _part(text: str, form: ValueForm) -> str:
    """The part of a text that the first matching pattern captures."""
    texts = next((fit for part in form.parts if (fit := part.match(text)) is not None), None)
    if texts is None:
        patterns = " or ".join(f"“{part.text}”" for part in form.parts)
        raise NotConvertedError(reasons.NO_FIT, patterns=patterns)
    return texts[""]


def _way_of(text: str, form: ValueForm) -> Writing:
    """The only way in which a text can be written: its decimal mark, or whether the day is first.

    None if it shows neither.
    """
    if form.type.is_number:
        return decimal_mark_of(text, form)
    return moments.day_first_of(text, form)


def _one(cell: Cell, form: ValueForm, way: Writing) -> object:
    """The value of a cell, by the type of its field; `way` as `_way_of` tells it."""
    # An error value is no text, though it shows as one.
    if isinstance(cell, Flaw):
        raise other_kind(cell, form)
    return CONVERTERS[form.base](cell, form, way)
