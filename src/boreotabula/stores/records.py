"""The records of a run as a typed table: from any output of `extract`, or by a layout directly."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.batch.inputs import look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions
from boreotabula.batch.run.gather import gather, read_each
from boreotabula.batch.run.sources import sources_of_run
from boreotabula.errors import BoreotabulaError, CallError
from boreotabula.layout.field_types import type_called
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.problems import did_you_mean
from boreotabula.reading.cells import cell_text
from boreotabula.reading.records.schema import CHOICES
from boreotabula.reading.values.arrays import plain_schema
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import BasePlace, quoted
from boreotabula.stores.bases.opening import open_base
from boreotabula.stores.csv import column_texts, csv_texts, field_type, mark_of
from boreotabula.stores.dataset.parted import partition_values
from boreotabula.stores.master.sources import kept_sources, sources_tab
from boreotabula.stores.master.texts import one_gap
from boreotabula.stores.saved import SavedOutput, saved_output
from boreotabula.stores.typed import field_of, in_seconds, typed_rows, typed_values
from boreotabula.texts import unguarded_text


def load_records(place: BasePlace, table: str | None, means: ReadOptions) -> pa.Table:
    """The records of an output, or the present ones of a layout (.toml).

    The fields carry their layout type as metadata `field_type`. Raises CallError if there are none.
    """
    if isinstance(place, DatabaseAddress):
        return saved_records(saved_output(place, table))
    path = place
    if not path.exists():
        raise CallError(f"there is no file “{path}”")
    if path.suffix.lower() != ".toml":
        return saved_records(saved_output(path, table))
    layout = Layout.load(path)
    inbox = look(layout)
    # A layout instead of an output: its files are read now, and nothing is written.
    run = gather(layout, inbox, read_each(layout, inbox, None, means), keep_records=True)
    names = list(run.tables)
    if (table is not None and table not in names) or (table is None and len(names) > 1):
        raise CallError(f"“{path}” has the tables {', '.join(names)}; choose one with --table")
    result = run.tables[table or names[0]]
    # Each file has its own list of texts, which other commands need not know of.
    return result.cast(plain_schema(result.schema))


def source_folders(place: BasePlace) -> list[Path]:
    """The source folders of a layout, or of the layout that made an output, as far as known."""
    try:
        if isinstance(place, Path) and place.suffix.lower() == ".toml":
            return list(Layout.load(place).folders.values())
        layout = saved_output(place).layout_path
        return list(Layout.load(layout).folders.values())
    except BoreotabulaError:
        return []


def source_paths(place: BasePlace) -> dict[str, Path]:
    """The local files that records come from, by name."""
    try:
        if isinstance(place, Path) and place.suffix.lower() == ".toml":
            layout = Layout.load(place)
        else:
            layout = Layout.load(saved_output(place).layout_path)
        taken = look(layout, fetching=False).taken
    except BoreotabulaError:
        return {}
    return {source.name: source.path for source in taken if not source.remote}


def saved_records(saved: SavedOutput) -> pa.Table:
    """The records of an output of any kind. Raises CallError if they cannot be read."""
    try:
        records = _read(saved)
        # Where the output does not name its sources, the run folder does.
        records = _with_kept_sources(records, saved) if saved.bare else records
        return _with_choices(records, saved)
    # Whatever is wrong with a file, it is told by its name.
    except (OSError, ValueError, KeyError, pa.ArrowInvalid) as error:
        raise CallError(f"“{saved.place}” cannot be read: {error}") from None


def _with_choices(table: pa.Table, saved: SavedOutput) -> pa.Table:
    """Records whose columns carry the choices that the layout lists."""
    listed = saved.choices
    fields = [
        field.with_metadata({**(field.metadata or {}), CHOICES: json.dumps(listed[field.name])})
        if field.name in listed
        else field
        for field in table.schema
    ]
    return table.cast(pa.schema(fields)) if listed else table


def _with_kept_sources(records: pa.Table, saved: SavedOutput) -> pa.Table:
    """Records of an output without columns for their source, with those in the run folder."""
    # Of several tables each is a file in a folder: then that is the output.
    outs = (saved.path, saved.path.parent)
    every = (sources_of_run(out, saved.table, records.num_rows) for out in outs)
    value = next((one for one in every if one is not None), None)
    for name in PROVENANCE:
        texts = (
            value.column(name).cast(pa.string()) if value else pa.nulls(len(records), pa.string())
        )
        records = records.append_column(field_of(name, "text"), texts)
    return records


def _read(saved: SavedOutput) -> pa.Table:
    kinds = saved.written_types
    # By the types of the record, not by those of the database, which knows fewer.
    if saved.in_base:
        schema = pa.schema([field_of(name, kinds[name], saved.units[name]) for name in kinds])
        return typed_rows(list(base_rows(saved, list(kinds))), schema)
    path = saved.path
    name = path.name.lower()
    if saved.partition is not None:
        schema = pa.schema([field_of(kind, kinds[kind], saved.units[kind]) for kind in kinds])
        return pa.Table.from_batches([*dataset_batches(saved)], schema)
    if name.endswith((".parquet", ".arrow")):
        return _columnar(path)
    if mark_of(name) is not None:
        columns = _text_columns(path, kinds)
    elif name.endswith(".jsonl"):
        columns = _json_columns(path, list(kinds))
    else:
        columns = _sheet_columns(saved)
    units = saved.units
    fields = [field_of(name, kinds[name], units[name]) for name in kinds if name in columns]
    # The apostrophe belongs to the file, not to the value.
    if saved.guarded and mark_of(name) is not None:
        columns = {field: _unguarded(texts) for field, texts in columns.items()}
    arrays = [
        typed_values(columns[field.name], field.type, type_called(kinds[field.name]))
        for field in fields
    ]
    from_arrays = pa.Table.from_arrays(arrays, schema=pa.schema(fields))
    return from_arrays if len(fields) == len(kinds) else _with_sources(from_arrays, saved)


def _unguarded(texts: pa.ChunkedArray) -> pa.ChunkedArray:
    once = texts.dictionary_encode()
    chunks = []
    for chunk in once.chunks:
        # Once for each different text.
        values = [value and unguarded_text(value) for value in chunk.dictionary.to_pylist()]
        chunks.append(pa.array(values, pa.string()).take(chunk.indices))
    return pa.chunked_array(chunks, pa.string())


def dataset_batches(saved: SavedOutput) -> Iterator[pa.RecordBatch]:
    """The records of a dataset, file by file, with the partition values of the folders as columns.

    Raises OSError, ValueError or pyarrow's own errors if it cannot be read.
    """
    from pyarrow import parquet

    kinds, units = saved.field_types, saved.units
    schema = pa.schema([field_of(kind, kinds[kind], units[kind]) for kind in kinds])
    for path in saved.part_files():
        with parquet.ParquetFile(path) as file:
            batches = [in_seconds(iter_batch) for iter_batch in file.iter_batches(_AT_ONCE)]
        texts = partition_values(path, saved.path)
        for batch in batches:
            columns = [
                # The folder's name holds the value, so the file does not.
                _the_same(texts[value.name], value, batch.num_rows)
                if value.name in texts
                else batch.column(value.name)
                for value in schema
            ]
            yield pa.RecordBatch.from_arrays(columns, schema=schema)


_AT_ONCE = 100_000


def _the_same(text: str | None, field: pa.Field, times: int) -> pa.Array:
    """A column with a single value, given as text."""
    value = typed_values(pa.array([text], pa.string()), field.type, field_type(field))
    return value.take(pa.array([0] * times, pa.int32()))


def _columnar(path: Path) -> pa.Table:
    if path.suffix.lower() == ".parquet":
        from pyarrow import parquet

        return in_seconds(parquet.read_table(path))

    with pa.memory_map(str(path)) as source:
        return pa.ipc.open_file(source).read_all()


def _text_columns(path: Path, kinds: Mapping[str, str]) -> Mapping[str, pa.ChunkedArray]:

    from pyarrow import csv as pa_csv

    mark = mark_of(path.name) or ","
    texts = pa_csv.ConvertOptions(
        column_types=dict.fromkeys(kinds, pa.string()),
        null_values=[""],
        strings_can_be_null=True,
        quoted_strings_can_be_null=False,
    )
    parse = pa_csv.ParseOptions(delimiter=mark, newlines_in_values=True)
    table = pa_csv.read_csv(path, parse_options=parse, convert_options=texts)
    return {name: table.column(name) for name in kinds}


def _json_columns(path: Path, names: Sequence[str]) -> Mapping[str, pa.Array]:
    columns: dict[str, list[str | None]] = {name: [] for name in names}
    with path.open(encoding="utf-8") as stream:
        for line in stream:
            # As texts, so that a decimal keeps all of its digits.
            record = json.loads(line, parse_float=str, parse_int=str)
            for name, values in columns.items():
                values.append(_as_text(record[name]))
    return {name: pa.array(values, pa.string()) for name, values in columns.items()}


def _as_text(value: object) -> str | None:
    if value is None or isinstance(value, str):
        return value
    return str(value).lower() if isinstance(value, bool) else str(value)


def _sheet_columns(saved: SavedOutput) -> Mapping[str, pa.Array]:
    """The columns of a table in a workbook, which may have its own headings and other columns
    beside it."""
    sheet = _sheet_of(saved, saved.tab)
    # A table in a workbook may have been moved, or columns put beside it.
    rows = [[cell_text(cell) for cell in row] for row in sheet.rows]
    headings = saved.headings
    top = next(index for index, row in enumerate(rows) if set(headings.values()) <= set(row))
    places = {name: rows[top].index(heading) for name, heading in headings.items()}
    # Rows that hold nothing in any of these columns are not records.
    below = [row for row in rows[top + 1 :] if any(row[column] for column in places.values())]
    return {
        name: pa.array([row[column] or None for row in below], pa.string())
        for name, column in places.items()
    }


def _sheet_of(saved: SavedOutput, tab: str) -> Sheet:
    from boreotabula.batch.processes.one_sheet import read_sheet
    from boreotabula.unreadable import UnreadableError

    try:
        return read_sheet(saved.path, tab)
    except UnreadableError as error:
        raise ValueError(str(error)) from None


def _with_sources(records: pa.Table, saved: SavedOutput) -> pa.Table:
    """Records of a table without columns for their source: a hidden tab has it by key."""
    sheet = _sheet_of(saved, sources_tab(saved.tab))
    key = [name for cell in sheet.rows[0] if (name := cell_text(cell)) and name not in PROVENANCE]
    known = kept_sources(sheet, key)
    keys = zip(*([one_gap(text or "") for text in texts_of(records, name)] for name in key),
               strict=True)  # fmt: skip
    blank = ("", "", "")
    sources = [known.get(key, blank) for key in keys]
    for name, texts in zip(PROVENANCE, zip(*sources, strict=True), strict=True):
        column = pa.array(texts, pa.string())
        records = records.append_column(field_of(name, "text"), column)
    return records


def base_rows(saved: SavedOutput, names: Sequence[str]) -> Iterator[tuple[Any, ...]]:
    """The rows of a table of a database, with Python values.

    Raises OSError, ValueError or CallError if they cannot be read.
    """
    base = saved.base or open_base(saved.place, read_only=True)
    try:
        yield from base.select(saved.tab, list(map(quoted, names)))
    finally:
        if saved.base is None:
            base.close()


def texts_of(table: pa.Table, name: str) -> list[str | None]:
    """The values of a field as in CSV."""
    return column_texts(table.column(name), table.schema.field(name))


# --- records one by one --------------------------------------------------------------------------


def records_as_texts(saved: SavedOutput) -> Iterator[Mapping[str, str]]:
    """The records of an output as texts, in order. Raises CallError if they cannot be read."""
    # CSV is read line by line, so that the first record of a large file is there at once.
    if not saved.in_base and saved.path.suffix.lower() == ".csv" and not saved.bare:
        rows = _csv_rows(saved.path)
        if saved.guarded:
            rows = (list(map(unguarded_text, row)) for row in rows)
    else:
        rows = iter(csv_texts(saved_records(saved)))
    names = next(rows, [])
    for row in rows:
        yield dict(zip(names, row, strict=False))


def _csv_rows(path: Path) -> Iterator[Sequence[str]]:
    try:
        with path.open(encoding="utf-8", newline="") as stream:
            yield from csv.reader(stream)
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise CallError(f"“{path}” cannot be read as CSV: {error}") from None


def chosen_records(
    output: SavedOutput, number: int | None, where: Mapping[str, str]
) -> Iterator[tuple[int, Mapping[str, str]]]:
    """The selected records, each with its number counted from 1: one by number, or all with given
    values.

    Raises CallError for fields that the output does not have.
    """
    for index, record in enumerate(records_as_texts(output), 1):
        if index == 1:
            _check_fields(record, where)
        if number is not None:
            if index == number:
                yield index, record
                return
        elif all(record[name].casefold() == text.casefold() for name, text in where.items()):
            yield index, record


def _check_fields(record: Mapping[str, str], where: Mapping[str, str]) -> None:
    for name in where:
        if name not in record:
            raise CallError(f"there is no field “{name}”{did_you_mean(name, record)}")
