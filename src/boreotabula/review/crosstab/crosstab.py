"""Records as a cross-tab: aggregated by some fields down the side and one across."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import fsum
from statistics import fmean, median
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FIELD_TYPES, FieldType
from boreotabula.layout.problems import did_you_mean
from boreotabula.reading.records.schema import unit_of
from boreotabula.reading.values.arrays import decoded
from boreotabula.review.crosstab.cross import Cross, CrosstabSpec, Label
from boreotabula.review.crosstab.ordering import BLANK, is_in_time, order_of
from boreotabula.review.crosstab.shares import as_changes, as_shares, with_others
from boreotabula.stores.csv import column_text, field_type
from boreotabula.texts import brief

_MOST_ROW, _MOST_COLUMN = 80, 30


def with_brief_names(cross: Cross) -> Cross:
    """A cross-tab for display: each name on one line, and not too long."""
    where = tuple((name, brief(value, _MOST_COLUMN)) for name, value in cross.spec.where)
    return replace(
        cross,
        spec=replace(cross.spec, where=where),
        rows=tuple(tuple(brief(text, _MOST_ROW) for text in label) for label in cross.rows),
        columns=tuple(brief(column, _MOST_COLUMN) for column in cross.columns),
    )


def crosstab(table: pa.Table, spec: CrosstabSpec) -> Cross:
    """Make a cross-tab of records. Raises CallError for fields and values that they do not have."""
    value = _checked(table, spec)
    whole, table = table, chosen(table, spec.where)
    kind = field_type(table.schema.field(spec.value)) if spec.value else FIELD_TYPES["integer"]
    down = [_coded(table, name) for name in spec.rows]
    side = _coded(table, spec.across) if spec.across else None
    codes = _joint(down, table.num_rows)
    numbers = _numbers(table, value, spec.how)
    columns = _sorted_columns(table, spec.across, side)
    fold: Callable[[Sequence[float]], float | None]
    fold = _FOLDS["sum" if spec.how == "share" else spec.how]
    by_code = _grouped(codes, numbers)
    label_code = {_label(code, down): code for code in by_code}
    labels = by_name = _sorted_labels(table, spec.rows, label_code)
    sums = {label: fold(by_code[code]) for label, code in label_code.items()}
    if spec.by_value:
        labels = sorted(labels, key=lambda texts: -(sums[texts] or 0.0))
    others = len(labels) - spec.top if spec.top is not None and len(labels) > spec.top else 0
    if spec.top is not None and others:
        labels, kept = with_others(labels, sums, spec.top, by_value=spec.by_value)
        array = pa.array([label_code[texts] for texts in kept], pa.int64())
        codes = pc.if_else(pc.is_in(codes, array), codes, _OTHERS)
        by_code = _grouped(codes, numbers)
        label_code = {texts: label_code[texts] for texts in kept} | {labels[-1]: _OTHERS}
    place = {label: index for index, label in enumerate(side.labels)} if side else {"": 0}
    # Totals are folded from the records, since a mean of means is not their mean.
    by_column = _grouped(side.codes, numbers) if side else {0: _filled(numbers)}
    by_cell = _by_cell(codes, side, numbers)
    rows = [label_code[row] for row in labels]
    cross = Cross(
        spec=spec,
        rows=tuple(labels),
        columns=tuple(columns),
        cells=tuple(
            tuple(fold(by_cell.get((row, place[column]), [])) for column in columns) for row in rows
        ),
        row_totals=tuple(fold(by_code[row]) for row in rows) if spec.across else (),
        column_totals=tuple(fold(by_column.get(place[column], [])) for column in columns),
        total=fold(_filled(numbers)),
        value_kind=FIELD_TYPES["integer"] if spec.how == "count" else kind,
        in_time=spec.across is not None and is_in_time(table, spec.across),
        records=table.num_rows,
        unit=unit_of(table.schema.field(spec.value)) if spec.value and spec.how != "count" else "",
        others=others,
    )
    cross = _ranked(cross, whole) if spec.where else _placed(cross, by_name, columns)
    if spec.how == "share":
        return as_shares(cross)
    return as_changes(cross) if spec.change else cross


def _sorted_columns(table: pa.Table, name: str | None, side: _Coded | None) -> list[str]:
    """The sorted labels of the columns; a single empty one if nothing is across."""
    return sorted(side.labels, key=order_of(table, name or "")) if side else [""]


def _sorted_labels(table: pa.Table, names: Sequence[str], labels: Iterable[Label]) -> list[Label]:
    """The sorted labels of rows, field by field."""
    orders = [order_of(table, name) for name in names]
    # Of records that are taken together no field is left to sort by.
    return sorted(
        labels, key=lambda label: [place(text) for place, text in zip(orders, label, strict=False)]
    )


def _ranked(cross: Cross, whole: pa.Table) -> Cross:
    """A cross-tab of some records, with the ranks of its rows and columns in all of them."""
    names, across = cross.spec.rows, cross.spec.across
    fields = [_coded(whole, name) for name in names]
    codes = pc.unique(_joint(fields, whole.num_rows)).to_pylist()
    rows = _sorted_labels(whole, names, (_label(code, fields) for code in codes))
    side = _coded(whole, across) if across else None
    return _placed(cross, rows, _sorted_columns(whole, across, side))


def _placed(cross: Cross, rows: Sequence[Label], columns: Sequence[str]) -> Cross:
    """A cross-tab with the ranks of its rows and columns among those of all records."""
    return replace(
        cross, row_ranks=_ranks(cross.rows, rows), column_ranks=_ranks(cross.columns, columns)
    )


def _ranks(shown: Sequence[Any], every: Sequence[Any]) -> tuple[int, ...]:
    """The index of some labels among all; unknown labels come last."""
    place = {label: rank for rank, label in enumerate(every)}
    return tuple(place.get(label, len(every)) for label in shown)


def _checked(table: pa.Table, spec: CrosstabSpec) -> str | None:
    """The field to aggregate; all named fields must be in the records. Raises CallError."""
    for name in (*spec.rows, *([spec.across] if spec.across else []), *dict(spec.where)):
        _known(table, name)
    if spec.change and spec.across is None:
        raise CallError("--change compares each column with the one before: name a field --across")
    return _value(table, spec)


def _by_cell(
    rows: pa.Array, side: _Coded | None, numbers: pa.Array
) -> dict[tuple[int, int], list[float]]:
    """The numbers of each cell of a cross-tab, by the codes of its row and column."""
    width = len(side.labels) if side else 1
    wide = pc.add(pc.multiply(rows, width), side.codes) if side else rows
    return {divmod(code, width): group for code, group in _grouped(wide, numbers).items()}


def chosen(table: pa.Table, where: Iterable[tuple[str, str]]) -> pa.Table:
    """The records that have given values, in any letter case."""
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
    if name not in fields:
        raise CallError(f"the records have no field “{name}”{did_you_mean(name, fields)}")


def can_be_summed(table: pa.Table) -> list[str]:
    """The fields whose values are numbers."""
    return [value.name for value in table.schema if field_type(value).is_number]


def _value(table: pa.Table, spec: CrosstabSpec) -> str | None:
    if spec.value is None:
        if spec.how != "count":
            text = ", ".join(can_be_summed(table)) or "none"
            raise CallError(f"say what is summed up with --value ({text}), or --how count")
        return None
    _known(table, spec.value)
    kind = field_type(table.schema.field(spec.value))
    if kind.is_moment and spec.how in _OF_MOMENTS and not spec.change:
        return spec.value
    if spec.how != "count" and not kind.is_number:
        text = ", ".join(can_be_summed(table)) or "none"
        raise CallError(
            f"“{spec.value}” is of type {kind.called}, which has no {spec.how}; numbers are:"
            f" {text}. --how count works for any field, --how min and max for dates and times"
        )
    return spec.value


_OF_MOMENTS = ("min", "max")
"""The aggregates of dates and times: the first of them, and the last."""


@dataclass(frozen=True)
class _Coded:
    """The values of a field as indices into a list of texts."""

    codes: pa.Array
    labels: list[str]


def _coded(table: pa.Table, name: str) -> _Coded:
    field = table.schema.field(name)
    chunks = [
        column_text(chunk, field_type(field)) for chunk in table.column(name).chunks if len(chunk)
    ]
    plain = pa.chunked_array(list(map(decoded, chunks)), pa.string())
    texts = pc.fill_null(plain, BLANK).combine_chunks()
    once = pc.if_else(pc.equal(texts, ""), BLANK, texts).dictionary_encode()
    return _Coded(once.indices.cast(pa.int64()), once.dictionary.to_pylist())


_OTHERS = -1
"""The code of all rows that are not among the largest."""


def _joint(fields: Sequence[_Coded], records: int) -> pa.Array:
    """One code for each record, of several fields together."""
    codes = pa.array(bytes(records), pa.uint8()).cast(pa.int64())
    for field in fields:
        # As the digits of a number, each field with its own base.
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
    """The value of each record, moments as Arrow stores them; for a count, 1 where there is a
    value."""
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
    """The non-blank values of each group."""
    table = pa.table({"code": codes, "number": numbers})
    # Without threads the values of a group keep their order.
    aggregate = table.group_by("code", use_threads=False).aggregate([("number", "list")])
    groups = zip(aggregate.column("code").to_pylist(), aggregate.column("number_list"), strict=True)
    return {code: _filled(value.values) for code, value in groups}


def _filled(numbers: pa.Array) -> list[float]:
    result: list[float] = numbers.drop_null().to_pylist()
    return result


def _fold(how: Callable[[Sequence[float]], float]) -> Callable[[Sequence[float]], float | None]:
    return lambda numbers: how(numbers) if numbers else None


def _total(numbers: Sequence[float]) -> float:
    # fsum rounds only once, so the sum does not depend on the order of the records.
    return sum(numbers) if all(isinstance(number, int) for number in numbers) else fsum(numbers)


_FOLDS: Mapping[str, Callable[[Sequence[float]], float | None]] = {
    "sum": _fold(_total),
    "mean": _fold(fmean),
    "count": _fold(lambda numbers: float(len(numbers))),
    "min": _fold(min),
    "max": _fold(max),
    "median": _fold(median),
}


# --- numbers as texts ----------------------------------------------------------------------------


def decimals_needed(cross: Cross) -> int:
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
    """The text in outputs of a date or time that is given as Arrow stores it."""
    moment = pa.scalar(int(number), pa.int64())
    arrow = pa.type_for_alias(kind.arrow)
    wide = pa.int32() if arrow.bit_width == pa.int32().bit_width else pa.int64()
    return str(column_text(pa.array([moment.as_py()], wide).cast(arrow), kind)[0].as_py())


def readable_number(number: float | None, kind: FieldType, places: int) -> str:
    """A number for people: with separators of thousands, shares in percent; a dot where there is
    none."""
    if number is None:
        return "·"
    if kind.is_moment:
        return moment_text(number, kind)
    if kind.is_share:
        return f"{100 * number:,.{places}f} %"
    return f"{number:,}" if isinstance(number, int) and not places else f"{number:,.{places}f}"
