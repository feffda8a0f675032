"""Texts and rows of stores as typed columns."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import time
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.layout.field_types import FieldType, Nature, TextStyle
from boreotabula.reading.values.arrays import plain_schema, plain_type
from boreotabula.reading.values.form import ValueForm
from boreotabula.stores.csv import field_type, type_name


def in_seconds(records: Any) -> Any:
    """Records whose times are in seconds, as layouts define them: Parquet has no such times.

    Takes and returns a table or a batch.
    """
    fields = [
        value.with_type(plain_type(ValueForm(type_name(value)).arrow_type))
        # The type of the layout, as a Parquet file knows only finer times.
        if is_finer(value.type)
        else value
        for value in records.schema
    ]
    return records.cast(pa.schema(fields)) if fields != [*records.schema] else records


def is_finer(kind: pa.DataType) -> bool:
    moment = pa.types.is_time(kind) or pa.types.is_timestamp(kind)
    return bool(moment and kind.unit != "s")


def typed_rows(rows: Sequence[Sequence[object]], schema: pa.Schema) -> pa.Table:
    """Rows of a database as records with the columns of a schema. Raises ValueError."""
    columns = list(zip(*rows, strict=True)) or [()] * len(schema)
    fields = list(plain_schema(schema))
    arrays = [
        typed_values(_row_texts(column), field.type, field_type(field))
        for column, field in zip(columns, fields, strict=True)
    ]
    return pa.Table.from_arrays(arrays, schema=pa.schema(fields))


def _row_texts(column: Sequence[object]) -> pa.Array:
    return pa.array([None if value is None else str(value) for value in column], pa.string())


def field_of(name: str, kind: str, unit: str = "") -> pa.Field:
    result = ValueForm(kind).arrow_type
    texts = {"unit": unit} if unit else {}
    return pa.field(name, plain_type(result), metadata={"field_type": kind, **texts})


def typed_values(texts: Any, kind: pa.DataType, field_kind: FieldType) -> Any:
    """The typed values of an output's texts."""
    if field_kind.written is TextStyle.AS_MONTH:
        # Some stores have months as “2026-03”, others as a day.
        whole = pc.if_else(pc.equal(pc.utf8_length(texts), 7), _with_day(texts), texts)
        return pc.utf8_slice_codeunits(whole, 0, 10).cast(kind)
    if pa.types.is_date(kind):
        return pc.utf8_slice_codeunits(texts, 0, 10).cast(kind)
    if field_kind.nature is Nature.YES_NO:
        yes = pc.is_in(pc.utf8_lower(texts), pa.array(["true", "1", "yes"]))
        return pc.if_else(texts.is_valid(), yes, None)
    if pa.types.is_time(kind):
        # Once for each different text: Python reads them one by one.
        once = texts.dictionary_encode()
        chunks = once.chunks if isinstance(once, pa.ChunkedArray) else [once]
        return pa.chunked_array([_times(chunk, kind) for chunk in chunks], kind)
    if field_kind.is_moment:
        return pc.replace_substring(texts, "T", " ").cast(kind)
    if pa.types.is_integer(kind):
        # Spreadsheets and JSON may write whole numbers with a decimal.
        return pc.replace_substring_regex(texts, r"\.0$", "").cast(kind)
    return texts.cast(kind)


def _times(once: pa.DictionaryArray, kind: pa.DataType) -> pa.Array:
    """Times of day, which Arrow does not read from texts."""
    known_times = [time.fromisoformat(text) for text in once.dictionary.to_pylist()]
    return pa.array(known_times, kind).take(once.indices)


def _with_day(texts: Any) -> Any:
    return pc.binary_join_element_wise(texts, "-01", "")
