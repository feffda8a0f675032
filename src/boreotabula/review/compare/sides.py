"""The records of an output, or of a table made by hand, batch by batch as texts."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.one_sheet import first_sheet
from boreotabula.batch.run.earlier import earlier_record
from boreotabula.batch.run_folders import run_folder
from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_COLUMNS
from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.look.texts.types import type_of
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import BasePlace
from boreotabula.stores.csv import column_text, field_type, mark_of, type_name
from boreotabula.stores.records import base_rows, dataset_batches, saved_records
from boreotabula.stores.saved import SavedOutput, saved_output
from boreotabula.stores.typed import field_of, in_seconds, typed_values
from boreotabula.unreadable import UnreadableError

_BY_HAND = (".csv", ".tsv", ".psv", ".txt", ".xlsx", ".xlsm", ".xls", ".ods")
"""Endings of tables that people make."""
AT_ONCE = 100_000
"""The number of records read at a time."""


@dataclass(frozen=True)
class Side:
    """One of two sets of records.

    `batches` gives their texts, blanks as null, all columns of `kinds` in that order.
    """

    name: str
    kinds: Mapping[str, str]
    """The type of each column; empty for a column that was made by hand."""
    batches: Callable[[], Iterator[pa.RecordBatch]]
    key: tuple[str, ...] = ()
    """The key of its layout, if it is known."""
    units: Mapping[str, str] = field(default_factory=dict)

    @property
    def traced(self) -> bool:
        """Whether its records have their source."""
        return set(PROVENANCE) <= set(self.kinds)


def side_of(place: BasePlace, table: str | None, like: Side | None = None) -> Side:
    """The records of an output of extract; of any other .csv or .xlsx those of its first table.

    `like` gives the columns and types by which a table made by hand is read. Raises CallError.
    """
    if isinstance(place, DatabaseAddress):
        return saved_side(saved_output(place, table))
    path = place
    if not path.exists():
        raise CallError(f"there is no file “{path}”")
    try:
        saved = saved_output(path, table)
    except CallError:
        if path.suffix.lower() not in _BY_HAND:
            raise
        return _by_hand(path, like)
    return saved_side(saved)


def is_by_hand(place: BasePlace) -> bool:
    """Whether a file may be a table made by hand: no run of extract has left a record of it, beside
    it or beside its folder."""
    return (
        isinstance(place, Path)
        and place.is_file()
        and place.suffix.lower() in _BY_HAND
        and not run_folder(place).exists()
        and earlier_record(place.resolve().parent) is None
    )


def records_by_hand(path: Path) -> pa.Table:
    """The records of the first table of a file made by hand, each column of the narrowest type that
    fits all its cells.

    Raises CallError if there is no table.
    """
    side = _by_hand(path, None)
    fields = [field_of(name, kind) for name, kind in side.kinds.items()]
    (batch,) = side.batches()
    columns = [
        typed_values(batch.column(field.name), field.type, field_type(field)) for field in fields
    ]
    return pa.Table.from_arrays(columns, schema=pa.schema(fields))


def saved_side(saved: SavedOutput) -> Side:
    """The records of an output of extract."""
    return Side(
        str(saved.place), saved.field_types, lambda: _batches(saved), _key_of(saved), saved.units
    )


def table_side(name: str, table: pa.Table, key: Sequence[str] = ()) -> Side:
    """Records that exist as a typed table."""
    kinds = {value.name: type_name(value) for value in table.schema}
    return Side(name, kinds, lambda: _as_texts(table.to_batches(AT_ONCE), list(kinds)), tuple(key))


def _key_of(saved: SavedOutput) -> tuple[str, ...]:
    """The key of the layout of an output: as the run noted it, else as the layout has it now."""
    noted = saved.record["layout"].get("key")
    if noted is not None:
        return tuple(str(value) for value in noted)
    try:
        return Layout.load(saved.layout_path).spec.key
    except (CallError, OSError):
        return ()


def _batches(saved: SavedOutput) -> Iterator[pa.RecordBatch]:
    kinds = list(saved.field_types)
    name = "" if saved.in_base else saved.path.name.lower()
    try:
        if saved.in_base:
            rows = base_rows(saved, kinds)
            while groups := list(islice(rows, AT_ONCE)):
                texts = ([_value_text(value, saved.field_types[name]) for value, name
                          in zip(row, kinds, strict=True)] for row in groups)  # fmt: skip
                yield _batch(kinds, texts)
        elif saved.bare:
            yield from _as_texts(saved_records(saved).to_batches(AT_ONCE), kinds)
        elif saved.partition is not None:
            yield from _as_texts(dataset_batches(saved), kinds)
        elif mark_of(name) is not None and not saved.guarded:
            yield from _csv_batches(saved.path, kinds)
        elif name.endswith(".parquet"):
            from pyarrow import parquet

            with parquet.ParquetFile(saved.path) as file:
                yield from _as_texts(map(in_seconds, file.iter_batches(AT_ONCE)), kinds)
        elif name.endswith(".arrow"):
            with pa.memory_map(str(saved.path)) as source:
                yield from _as_texts(pa.ipc.open_file(source).read_all().to_batches(), kinds)
        elif name.endswith(".jsonl"):
            yield from _json_batches(saved.path, kinds)
        else:
            yield from _as_texts(saved_records(saved).to_batches(AT_ONCE), kinds)
    except (OSError, ValueError, KeyError, pa.ArrowInvalid) as error:
        raise CallError(f"“{saved.place}” cannot be read: {error}") from None


def _csv_batches(path: Path, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
    from pyarrow import csv as pa_csv

    mark = mark_of(path.name) or ","
    stream = pa.input_stream(str(path))  # knows .gz by its ending
    reader = pa_csv.open_csv(
        stream,
        parse_options=pa_csv.ParseOptions(delimiter=mark, newlines_in_values=True),
        read_options=pa_csv.ReadOptions(block_size=8 << 20),
        convert_options=pa_csv.ConvertOptions(
            column_types=dict.fromkeys(names, pa.string()),
            include_columns=list(names),
            null_values=[""],
            strings_can_be_null=True,
        ),
    )
    with stream, reader:
        yield from reader


def _as_texts(batches: Iterator[pa.RecordBatch], names: Sequence[str]) -> Iterator[pa.RecordBatch]:
    """Typed records as texts, as CSV writes them."""
    for batch in batches:
        columns = [
            _blank_as_null(column_text(batch.column(name), field_type(batch.schema.field(name))))
            for name in names
        ]
        yield pa.RecordBatch.from_arrays(columns, names=list(names))


def _blank_as_null(texts: pa.Array) -> pa.Array:
    plain = texts.cast(pa.string())
    return pc.if_else(pc.equal(plain, ""), None, plain)


def _json_batches(path: Path, names: Sequence[str]) -> Iterator[pa.RecordBatch]:
    with path.open(encoding="utf-8") as stream:
        while lines := list(islice(stream, AT_ONCE)):
            records = [json.loads(line, parse_float=str, parse_int=str) for line in lines]
            yield _batch(
                names, ([_json_text(record[name]) for name in names] for record in records)
            )


def _json_text(value: object) -> str | None:
    if value is None or isinstance(value, str):
        return value or None
    return str(value).lower() if isinstance(value, bool) else str(value)


def _value_text(value: object, kind: str) -> str | None:
    """A value of a database with types, as CSV writes it."""
    if value is None or value == "":
        return None
    if isinstance(value, bool) or kind == "yesno":
        return "true" if value else "false"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < _EXACT else repr(value)
    text = str(value)
    if kind == "month":
        return text[:7]
    return text.replace(" ", "T") if kind == "datetime" else text


_EXACT = 1e15


def _batch(names: Sequence[str], rows: Iterator[list[str | None]]) -> pa.RecordBatch:
    columns = zip(*rows, strict=True)
    arrays = [pa.array(column, pa.string()) for column in columns]
    return pa.RecordBatch.from_arrays(arrays, names=list(names))


# --- tables made by hand -------------------------------------------------------------------------


def _by_hand(path: Path, like: Side | None) -> Side:
    """A table whose headings are in the row that has most of the other side's headings, or in the
    first filled row."""
    try:
        sheet = first_sheet(path)
    except UnreadableError as error:
        raise CallError(f"“{path}” cannot be read: {error}. {error.advice}") from None
    # Nobody makes such a table by hand, and comparing it would take very long.
    if sheet.width > MAX_COLUMNS:
        raise CallError(
            f"“{path}” has {sheet.width:,} columns; tables of up to {MAX_COLUMNS:,} are compared,"
            " as many as a sheet can have"
        )
    top, columns = _headings(sheet, like)
    if not columns:
        raise CallError(f"“{path}” has no row of headings")
    rows = [row for row in range(top + 1, sheet.height) if sheet.filled[row].any()]
    kinds, texts = {}, []
    for name, column in columns.items():
        cells = [sheet.cell(row, column) for row in rows]
        known_text = like.kinds.get(name, "") if like else ""
        kinds[name] = known_text or type_of(cells)
        texts.append(pa.array(_hand_texts(cells, kinds[name]), pa.string()))
    batch = pa.RecordBatch.from_arrays(texts, names=list(columns))
    return Side(str(path), kinds, lambda: iter([batch]))


def _headings(sheet: Sheet, like: Side | None) -> tuple[int, dict[str, int]]:
    wanted = {normal_form(name): name for name in like.kinds} if like else {}
    best, most = 0, -1
    for row in range(sheet.height):
        texts = {normal_form(cell_text(sheet.cell(row, index))) for index in range(sheet.width)}
        count = len(texts & set(wanted)) if like else int(sheet.filled[row].any())
        if count > most:
            best, most = row, count
    headings: dict[str, int] = {}
    for column in range(sheet.width):
        text = " ".join(cell_text(sheet.cell(best, column)).split()) if sheet.height else ""
        if text:
            # Of two columns with the same heading the left one counts.
            headings.setdefault(wanted.get(normal_form(text), text), column)
    return best, headings


def _hand_texts(cells: Sequence[Cell], kind: str) -> list[str | None]:
    """Cells as the texts with which values of a type are written; others unchanged."""
    form = ValueForm(kind)
    done = convert(list(cells), form)
    typed = pa.field("", form.arrow_type, metadata={"field_type": kind})
    texts = column_text(done.values, field_type(typed)).cast(pa.string()).to_pylist()
    # What does not convert is compared as it stands, so that it shows up as a difference.
    failed = {index for index, _ in done.failures} | set(done.rounded)
    return [
        cell_text(cell) or None if index in failed or text is None else text or None
        for index, (cell, text) in enumerate(zip(cells, texts, strict=True))
    ]
