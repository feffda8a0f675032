"""The records of a tab: one batch for each output table, its columns in the order of the layout."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import pyarrow as pa

from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.lengthen import Lengthened, blank, constant
from boreotabula.reading.plan import Plan
from boreotabula.reading.stamps import Stamped
from boreotabula.reading.values.convert import as_array
from boreotabula.reading.values.form import PLAIN_TEXT, TEXT


@lru_cache(maxsize=64)
def record_schema(plan: Plan, table: str) -> pa.Schema:
    """The columns of an output table: fields in the layout's order, then where a record is from.

    Each field carries its type in the layout as metadata `field_type`, since Arrow has no months.
    """
    fields = [
        pa.field(name, form.arrow_type, metadata={"field_type": form.kind})
        for name in plan.tables[table]
        for form in (plan.form(name),)
    ]
    fields += [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in PROVENANCE]
    return pa.schema(fields)


def one_batch(batches: Sequence[pa.RecordBatch], schema: pa.Schema) -> pa.RecordBatch:
    if len(batches) == 1:
        return batches[0]
    if not batches:
        return pa.RecordBatch.from_arrays([blank(one.type, 0) for one in schema], schema=schema)
    table = as_one(batches, schema).unify_dictionaries().combine_chunks()
    return table.to_batches()[0] if table.num_rows else batches[0]


def as_one(batches: Sequence[pa.RecordBatch], schema: pa.Schema) -> pa.Table:
    """Batches as one table. Those that have columns besides the schema's lend them to all.

    Headings that differ only in their spelling make one column, named as it was met first.
    """
    spelt: dict[str, str] = {}
    for batch in batches:
        for name in batch.schema.names:
            if name not in schema.names:
                spelt.setdefault(normal_form(name), name)
    if not spelt:
        return pa.Table.from_batches(batches, schema)
    return pa.Table.from_batches([_with_all(batch, schema, spelt) for batch in batches])


def _with_all(batch: pa.RecordBatch, schema: pa.Schema, spelt: Mapping[str, str]) -> pa.RecordBatch:
    own = {normal_form(name): name for name in batch.schema.names if name not in schema.names}
    more = {
        name: batch.column(own[form]) if form in own else blank(TEXT, batch.num_rows)
        for form, name in spelt.items()
    }
    return with_columns(batch.select(schema.names), more)


def records_of(
    plan: Plan,
    table: str,
    long: Lengthened,
    stamps: Mapping[str, object],
    file: str,
    tab: str,
) -> pa.RecordBatch:
    arrays = {**long.arrays, "source_cell": long.cells}
    stamped = {**stamps, "source_file": file, "source_tab": tab}
    length = len(long.cells)
    schema = record_schema(plan, table)
    columns = []
    for column in schema:
        if column.name in arrays:
            columns.append(arrays[column.name])
        elif column.name in stamped:
            form = plan.form(column.name)
            columns.append(constant(stamped[column.name], form, length))
        else:
            columns.append(blank(column.type, length))
    known = pa.RecordBatch.from_arrays(columns, schema=schema)
    more = [name for name in arrays if name not in plan.fields and name not in PROVENANCE]
    return with_columns(known, {name: arrays[name] for name in more}) if more else known


def with_columns(batch: pa.RecordBatch, more: Mapping[str, pa.Array]) -> pa.RecordBatch:
    """A batch with further text columns, before those that say where a record is from."""
    at = batch.num_columns - len(PROVENANCE)
    fields = [pa.field(name, TEXT, metadata={"field_type": "text"}) for name in more]
    schema = [*batch.schema][:at] + fields + [*batch.schema][at:]
    columns = [*batch.columns[:at], *more.values(), *batch.columns[at:]]
    return pa.RecordBatch.from_arrays(columns, schema=pa.schema(schema))


def plain_record(plan: Plan, stamped: Stamped, file: str, tab: str) -> pa.RecordBatch | None:
    """The one record of a form without a block, if any of its stamps has a value."""
    if not stamped.first and all(value is None for value in stamped.values.values()):
        return None
    long = Lengthened({}, as_array([stamped.first or None], PLAIN_TEXT))
    return records_of(plan, next(iter(plan.tables)), long, stamped.values, file, tab)
