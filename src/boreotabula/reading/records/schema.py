"""The records of a tab: one batch for each output table, its columns in the order of the layout."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import pyarrow as pa

from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.build import LongRecords, constant, stamps_alone
from boreotabula.reading.stamps.read import Stamped
from boreotabula.reading.values.arrays import blank
from boreotabula.reading.values.convert import as_array
from boreotabula.reading.values.form import PLAIN_TEXT, TEXT


@lru_cache(maxsize=64)
def record_schema(plan: Plan, table: str, more_texts: frozenset[str] = frozenset()) -> pa.Schema:
    """The columns of an output table: fields in the layout's order, then the source of each record.

    `more_texts` are open fields that the table also has. Each field carries its layout type as
    metadata `field_type`, because Arrow has no months, and its first `unit`.
    """
    names = [name for name in plan.fields if name in plan.tables[table] or name in more_texts]
    return pa.schema([_column(plan, name) for name in (*names, *PROVENANCE)])


def _column(plan: Plan, name: str) -> pa.Field:
    form = plan.form(name)
    kind = TEXT if name in PROVENANCE else form.arrow_type
    unit = {"unit": form.unit} if form.unit else {}
    return pa.field(name, kind, metadata={"field_type": form.kind, **unit})


CHOICES = b"choices"
"""The metadata key of a column that lists the choices of its field, as JSON."""


def unit_of(field: pa.Field) -> str:
    """The unit of a column's numbers, if the layout gives one; else an empty text."""
    return str((field.metadata or {}).get(b"unit", b"").decode())


def one_batch(batches: Sequence[pa.RecordBatch], plan: Plan, table: str) -> pa.RecordBatch:
    """The batches of a tab joined into one."""
    if len(batches) == 1:
        return batches[0]
    if not batches:
        schema = record_schema(plan, table)
        return pa.RecordBatch.from_arrays([blank(value.type, 0) for value in schema], schema=schema)
    whole = as_one(batches, plan, table).unify_dictionaries().combine_chunks()
    return whole.to_batches()[0] if whole.num_rows else batches[0]


def as_one(
    batches: Sequence[pa.RecordBatch],
    plan: Plan,
    table: str,
    more_texts: frozenset[str] = frozenset(),
) -> pa.Table:
    """Batches as one table. Columns beyond the schema, and the open fields `more_texts`, are added
    to all.

    Unknown headings that differ only in spelling share a column, named as first met.
    """
    fixed = record_schema(plan, table)
    added = dict.fromkeys(
        name for batch in batches for name in batch.schema.names if name not in fixed.names
    )
    spelt: dict[str, str] = {}
    for name in added:
        if name not in plan.fields:
            # Two spellings of one heading must not make two columns, each half filled.
            spelt.setdefault(normal_form(name), name)
    open_ = frozenset(name for name in added if name in plan.fields) | more_texts
    # The usual case, where nothing needs to be looked for batch by batch.
    if not added and not more_texts:
        return pa.Table.from_batches(batches, fixed)
    known = record_schema(plan, table, open_)
    index = len(known) - len(PROVENANCE)
    columns = [*known][:index] + [_column(plan, name) for name in spelt.values()] + [*known][index:]
    schema = pa.schema(columns)
    return pa.Table.from_batches([_with_all(batch, schema, spelt) for batch in batches], schema)


def _with_all(batch: pa.RecordBatch, schema: pa.Schema, spelt: Mapping[str, str]) -> pa.RecordBatch:
    own = {spelt.get(normal_form(name), name): name for name in batch.schema.names}
    own |= {name: name for name in batch.schema.names if name in schema.names}
    columns = [
        # A tab without the column has records all the same: empty there.
        batch.column(own[value.name]) if value.name in own else blank(value.type, batch.num_rows)
        for value in schema
    ]
    return pa.RecordBatch.from_arrays(columns, schema=schema)


def records_of(
    plan: Plan,
    table: str,
    long: LongRecords,
    stamps: Mapping[str, object],
    file: str,
    tab: str,
) -> pa.RecordBatch:
    """The records of a block, with the values they share and their source."""
    arrays = {**long.arrays, "source_cell": long.cells}
    stamped = {**stamps, "source_file": file, "source_tab": tab}
    length = len(long.cells)
    open_ = [
        name
        for name in plan.open_fields[table]
        if name in arrays or plan.parts.get(name, ("", ""))[1] in arrays
    ]
    schema = record_schema(plan, table, frozenset(open_))
    columns = []
    for column in schema:
        # What a block fills wins over a stamp of the same name.
        if column.name in arrays:
            columns.append(arrays[column.name])
        elif column.name in stamped:
            form = plan.form(column.name)
            columns.append(constant(stamped[column.name], form, length))
        else:
            columns.append(blank(column.type, length))
    from_arrays = pa.RecordBatch.from_arrays(columns, schema=schema)
    more_names = [name for name in arrays if name not in plan.fields and name not in PROVENANCE]
    return (
        with_columns(from_arrays, {name: arrays[name] for name in more_names})
        if more_names
        else from_arrays
    )


def with_columns(batch: pa.RecordBatch, values: Mapping[str, pa.Array]) -> pa.RecordBatch:
    """A batch with further text columns, before those that give the source of a record."""
    count = batch.num_columns - len(PROVENANCE)
    fields = [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in values]
    schema = [*batch.schema][:count] + fields + [*batch.schema][count:]
    columns = [*batch.columns[:count], *values.values(), *batch.columns[count:]]
    return pa.RecordBatch.from_arrays(columns, schema=pa.schema(schema))


def plain_record(plan: Plan, stamped: Stamped, file: str, tab: str) -> pa.RecordBatch | None:
    """The one record of a form without a block, if any of its stamps has a value."""
    # A record of nothing but blanks would be one that nobody wrote.
    if not stamped.first and all(value is None for value in stamped.values.values()):
        return None
    long = stamps_alone(as_array([stamped.first or None], PLAIN_TEXT))
    return records_of(plan, next(iter(plan.tables)), long, stamped.values, file, tab)
