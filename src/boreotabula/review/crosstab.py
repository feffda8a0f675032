"""Records as a cross-tab: summed up by some fields down the side and one across."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from math import fsum
from statistics import fmean, median
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FIELD_TYPES, FieldType
from boreotabula.layout.problems import did_you_mean
from boreotabula.reading.records.schema import CHOICES, unit_of
from boreotabula.stores.csv import column_text, field_type
from boreotabula.texts import brief, in_natural_order

AGGREGATES = ("sum", "mean", "count", "min", "max", "median", "share")
"""How the values of a cell become one number; a share is the part of its column's sum, or of the
whole if nothing is across."""

BLANK = "(blank)"
"""What a field without a value is called."""

Label = tuple[str, ...]
"""What names a row or column: a text for each of its fields."""
Cells = tuple[tuple[float | None, ...], ...]


@dataclass(frozen=True)
class CrosstabSpec:
    """What is asked for."""

    rows: tuple[str, ...] = ()
    across: str | None = None
    value: str | None = None
    how: str = "sum"
    where: tuple[tuple[str, str], ...] = ()
    by_value: bool = False
    """Whether rows are sorted by their totals, the largest first, instead of by their names."""
    top: int | None = None
    """How many rows are kept; the others are taken together."""
    change: bool = False
    """Whether each column holds the change against the one before."""
    totals: bool = True
    """Whether sums over rows and columns are shown."""


@dataclass(frozen=True)
class Cross:
    """A cross-tab. A cell is None where there is no record, or no value in any."""

    wish: CrosstabSpec
    rows: tuple[Label, ...]
    columns: tuple[str, ...]
    """One label for each column; a single empty one if nothing is across."""
    cells: Cells
    row_totals: tuple[float | None, ...]
    """Over all columns; empty if nothing is across, or for changes."""
    column_totals: tuple[float | None, ...]
    total: float | None
    """Over all records."""
    value_kind: FieldType
    """The type of the field that was summed up; 'integer' for counts, 'percent' for shares."""
    in_time: bool
    """Whether the columns are moments in time."""
    records: int
    """How many records it is made of."""
    unit: str = ""
    """What the numbers are counted in, if the layout says."""

    @property
    def measure(self) -> str:
        """What the numbers are, in words."""
        how, value = self.wish.how, self.wish.value
        message = f"{how} of {value}" if value else "number of records"
        return f"change of the {message}" if self.wish.change else message


_MOST_ROW, _MOST_COLUMN = 80, 30


def with_brief_names(cross: Cross) -> Cross:
    """A cross-tab to be looked at: its names on one line each, and not endlessly long."""
    where = tuple((name, brief(value, _MOST_COLUMN)) for name, value in cross.wish.where)
    return replace(
        cross,
        wish=replace(cross.wish, where=where),
        rows=tuple(tuple(brief(text, _MOST_ROW) for text in label) for label in cross.rows),
        columns=tuple(brief(column, _MOST_COLUMN) for column in cross.columns),
    )


def crosstab(table: pa.Table, wish: CrosstabSpec) -> Cross:
    """Make a cross-tab of records. Raises CallError for what the records do not have."""
    for name in (*wish.rows, *([wish.across] if wish.across else []), *dict(wish.where)):
        _known(table, name)
    value = _value(table, wish)
    if wish.change and wish.across is None:
        raise CallError("--change compares each column with the one before: name a field --across")
    table = chosen(table, wish.where)
    kind = field_type(table.schema.field(wish.value)) if wish.value else FIELD_TYPES["integer"]
    down = [_coded(table, name) for name in wish.rows]
    side = _coded(table, wish.across) if wish.across else None
    codes = _joint(down, table.num_rows)
    numbers = _numbers(table, value, wish.how)
    order_down = [_order(table, name) for name in wish.rows]
    columns = sorted(side.labels, key=_order(table, wish.across)) if side and wish.across else [""]
    fold: Callable[[Sequence[float]], float | None]
    fold = _FOLDS["sum" if wish.how == "share" else wish.how]
    by_code = _grouped(codes, numbers)
    named = {code: _label(code, down) for code in by_code}
    label_code = {label: code for code, label in named.items()}
    labels = sorted(
        label_code, key=lambda texts: [f(x) for f, x in zip(order_down, texts, strict=False)]
    )
    sums = {label: fold(by_code[code]) for label, code in label_code.items()}
    if wish.by_value:
        labels.sort(key=lambda texts: -(sums[texts] or 0.0))
    if wish.top is not None and len(labels) > wish.top:
        labels, kept = _with_others(labels, sums, wish.top, by_value=wish.by_value)
        array = pa.array([label_code[texts] for texts in kept], pa.int64())
        codes = pc.if_else(pc.is_in(codes, array), codes, _OTHERS)
        by_code = _grouped(codes, numbers)
        label_code = {texts: label_code[texts] for texts in kept} | {labels[-1]: _OTHERS}
    width = len(side.labels) if side else 1
    wide = pc.add(pc.multiply(codes, width), side.codes) if side else codes
    place = {label: index for index, label in enumerate(side.labels)} if side else {"": 0}
    cells = _grouped(wide, numbers)
    by_column = _grouped(side.codes, numbers) if side else {0: _filled(numbers)}
    cross = Cross(
        wish,
        tuple(labels),
        tuple(columns),
        tuple(
            tuple(
                fold(cells.get(label_code[row] * width + place[column], [])) for column in columns
            )
            for row in labels
        ),
        tuple(fold(by_code[label_code[row]]) for row in labels) if wish.across else (),
        tuple(fold(by_column.get(place[column], [])) for column in columns),
        fold(_filled(numbers)),
        FIELD_TYPES["integer"] if wish.how == "count" else kind,
        wish.across is not None and _is_in_time(table, wish.across),
        table.num_rows,
        unit_of(table.schema.field(wish.value)) if wish.value and wish.how != "count" else "",
    )
    if wish.how == "share":
        return replace(_as_shares(cross), unit="")
    return _as_changes(cross) if wish.change else cross


def chosen(table: pa.Table, where: Iterable[tuple[str, str]]) -> pa.Table:
    """The records that have some values, whatever the letter case."""
    for name, text in where:
        _known(table, name)
        wanted = text.casefold() or BLANK
        coded = _coded(table, name)
        fits = [index for index, label in enumerate(coded.labels) if label.casefold() == wanted]
        if not fits:
            texts = sorted(coded.labels)[:8]
            raise CallError(f"no record has {name} = “{text}”; there is {', '.join(texts)} …")
        table = table.filter(pc.is_in(coded.codes, pa.array(fits, pa.int64())))
    return table


def _known(table: pa.Table, name: str) -> None:
    fields = table.schema.names
    parts = [part.strip() for part in name.split(",")]
    if name not in fields and len(parts) > 1 and set(parts) <= set(fields):
        raise CallError(f"“{name}” names several fields: give the option once for each of them")
    if name not in fields:
        raise CallError(f"the records have no field “{name}”{did_you_mean(name, fields)}")


def can_be_summed(table: pa.Table) -> list[str]:
    """The fields whose values are numbers."""
    return [value.name for value in table.schema if field_type(value).is_number]


def _value(table: pa.Table, wish: CrosstabSpec) -> str | None:
    if wish.value is None:
        if wish.how != "count":
            text = ", ".join(can_be_summed(table)) or "none"
            raise CallError(f"say what is summed up with --value ({text}), or --how count")
        return None
    _known(table, wish.value)
    kind = field_type(table.schema.field(wish.value))
    if kind.is_moment and wish.how in _OF_MOMENTS and not wish.change:
        return wish.value
    if wish.how != "count" and not kind.is_number:
        text = ", ".join(can_be_summed(table)) or "none"
        raise CallError(
            f"“{wish.value}” is of type {kind.called}, which has no {wish.how}; numbers are:"
            f" {text}. --how count works for any field, --how min and max for dates and times"
        )
    return wish.value


_OF_MOMENTS = ("min", "max")
"""What can be said of dates and times: the first of them, and the last."""


@dataclass(frozen=True)
class _Coded:
    """The values of a field as numbers: where each one's text stands in a list."""

    codes: pa.Array
    labels: list[str]


def _coded(table: pa.Table, name: str) -> _Coded:
    field = table.schema.field(name)
    chunks = [
        column_text(chunk, field_type(field)) for chunk in table.column(name).chunks if len(chunk)
    ]
    plain = [
        pc.take(chunk.dictionary, chunk.indices) if pa.types.is_dictionary(chunk.type) else chunk
        for chunk in chunks
    ]
    texts = pc.fill_null(pa.chunked_array(plain, pa.string()), BLANK).combine_chunks()
    once = pc.if_else(pc.equal(texts, ""), BLANK, texts).dictionary_encode()
    return _Coded(once.indices.cast(pa.int64()), once.dictionary.to_pylist())


_OTHERS = -1
"""The code of all rows that are not among the largest."""


def _joint(fields: Sequence[_Coded], records: int) -> pa.Array:
    """One code for each record, of several fields together."""
    codes = pa.array(bytes(records), pa.uint8()).cast(pa.int64())
    for field in fields:
        codes = pc.add(pc.multiply(codes, max(len(field.labels), 1)), field.codes)
    return codes


def _label(code: int, fields: Sequence[_Coded]) -> Label:
    """The texts that a joint code stands for."""
    texts: list[str] = []
    for field in reversed(fields):
        code, index = divmod(code, max(len(field.labels), 1))
        texts.insert(0, field.labels[index])
    return tuple(texts) or ("all records",)


def _numbers(table: pa.Table, value: str | None, how: str) -> pa.Array:
    """The value of each record, of moments as Arrow counts them; for a count of any field 1 where
    there is one."""
    if value is None:
        return pa.array(b"\x01" * table.num_rows, pa.uint8()).cast(pa.int64())
    column = table.column(value).combine_chunks()
    kind = field_type(table.schema.field(value))
    if kind.is_moment and how in _OF_MOMENTS:
        wide = pa.int32() if column.type.bit_width == pa.int32().bit_width else pa.int64()
        return column.cast(wide).cast(pa.int64())
    if not kind.is_number:
        return pc.if_else(column.is_valid(), 1, None).cast(pa.int64())
    whole = pa.types.is_integer(column.type)  # these are summed up exactly, however large
    return column if whole else column.cast(pa.float64())


def _grouped(codes: pa.Array, numbers: pa.Array) -> dict[int, list[float]]:
    """The values of each group, those aside that are blank."""
    table = pa.table({"code": codes, "number": numbers})
    aggregate = table.group_by("code", use_threads=False).aggregate([("number", "list")])
    groups = zip(aggregate.column("code").to_pylist(), aggregate.column("number_list"), strict=True)
    return {code: _filled(value.values) for code, value in groups}


def _filled(numbers: pa.Array) -> list[float]:
    result: list[float] = numbers.drop_null().to_pylist()
    return result


def _fold(how: Callable[[Sequence[float]], float]) -> Callable[[Sequence[float]], float | None]:
    return lambda numbers: how(numbers) if numbers else None


def _total(numbers: Sequence[float]) -> float:
    return sum(numbers) if all(isinstance(number, int) for number in numbers) else fsum(numbers)


_FOLDS: Mapping[str, Callable[[Sequence[float]], float | None]] = {
    "sum": _fold(_total),
    "mean": _fold(fmean),
    "count": _fold(lambda numbers: float(len(numbers))),
    "min": _fold(min),
    "max": _fold(max),
    "median": _fold(median),
}


# --- order ---------------------------------------------------------------------------------------


def _order(table: pa.Table, name: str) -> Callable[[str], Any]:
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
    """The place of each value among the choices of its field, if the layout lists them."""
    listed = (field.metadata or {}).get(CHOICES)
    return {text: index for index, text in enumerate(json.loads(listed))} if listed else {}


def _days_of(texts: set[str]) -> dict[str, int] | None:
    """The day of the week of each text, Monday is 0, if all are such names in some language."""
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
    """Sorts '2' before '10', whatever the letter case; what is blank comes last."""
    return text == BLANK, in_natural_order(text)


_LANGUAGES = ("nb", "nn", "fi", "sv", "da", "is", "et", "lv", "lt", "de", "nl", "fr", "es", "it",
              "pt", "pl")  # fmt: skip


def _months_of(texts: set[str]) -> dict[str, tuple[int, int]] | None:
    """Year and month of each text, if all are months by their names in some language."""
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


def _is_in_time(table: pa.Table, name: str) -> bool:
    kind = field_type(table.schema.field(name))
    return kind.is_moment or _months_of(_distinct(table, name)) is not None


# --- what is made of the sums --------------------------------------------------------------------


def _with_others(
    labels: list[Label],
    sums: Mapping[Label, float | None],
    top: int,
    *,
    by_value: bool,
) -> tuple[list[Label], list[Label]]:
    """All rows that are shown, the last for all others so that the totals stay whole; and those
    that are shown by themselves."""
    largest = sorted(labels, key=lambda texts: -(sums[texts] or 0.0))[:top]
    kept = largest if by_value else [label for label in labels if label in set(largest)]
    depth = len(labels[0])
    other_texts = (f"{len(labels) - top:,} others", *[""] * (depth - 1))
    return [*kept, other_texts], kept


def _as_shares(cross: Cross) -> Cross:
    wholes = cross.column_totals

    def part(number: float | None, whole: float | None) -> float | None:
        return number / whole if number is not None and whole else None

    return Cross(
        cross.wish,
        cross.rows,
        cross.columns,
        tuple(
            tuple(part(number, whole) for number, whole in zip(row, wholes, strict=True))
            for row in cross.cells
        ),
        tuple(part(row_total, cross.total) for row_total in cross.row_totals),
        tuple(part(whole, whole) for whole in wholes),
        part(cross.total, cross.total),
        FIELD_TYPES["percent"],
        cross.in_time,
        cross.records,
    )


def _as_changes(cross: Cross) -> Cross:
    def changes(row: Sequence[float | None]) -> tuple[float | None, ...]:
        pairs = pairwise(row)
        return (
            None,
            *(None if a is None or b is None else b - a for a, b in pairs),
        )

    return Cross(
        cross.wish,
        cross.rows,
        cross.columns,
        tuple(changes(row) for row in cross.cells),
        (),
        changes(cross.column_totals),
        None,
        cross.value_kind,
        cross.in_time,
        cross.records,
    )


# --- numbers as texts ----------------------------------------------------------------------------


def places_of(cross: Cross) -> int:
    """How many decimals its numbers need: as the values have, two for means, one for shares."""
    if cross.value_kind.is_share:
        return 1
    if cross.value_kind.digits is not None:
        return cross.value_kind.digits
    if cross.value_kind.is_moment:
        return 0
    every = [number for row in cross.cells for number in row if number is not None]
    return 0 if all(number == int(number) for number in every) else 2


def moment_text(number: float, kind: FieldType) -> str:
    """A date or time that is given as Arrow counts it, as outputs have it."""
    moment = pa.scalar(int(number), pa.int64())
    arrow = pa.type_for_alias(kind.arrow)
    wide = pa.int32() if arrow.bit_width == pa.int32().bit_width else pa.int64()
    return str(column_text(pa.array([moment.as_py()], wide).cast(arrow), kind)[0].as_py())


def number_text(number: float | None, kind: FieldType, places: int) -> str:
    """A number for people: thousands apart, shares in percent; a dot where there is none."""
    if number is None:
        return "·"
    if kind.is_moment:
        return moment_text(number, kind)
    if kind.is_share:
        return f"{100 * number:,.{places}f} %"
    return f"{number:,}" if isinstance(number, int) and not places else f"{number:,.{places}f}"
