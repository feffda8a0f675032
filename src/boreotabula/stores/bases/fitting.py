"""Records in the form in which the tables of a database take them."""

from __future__ import annotations

import pyarrow as pa

from boreotabula.batch.layouts.load import Layout
from boreotabula.layout.headings import normal_form
from boreotabula.reading.values.arrays import plain_schema

_MOST_HEADINGS = 3


def with_all(records: pa.Table, schema: pa.Schema) -> pa.Table:
    """Records with all columns of a schema; missing ones are empty."""
    plain = plain_schema(schema)
    columns = [
        records.column(value.name)
        if value.name in records.schema.names
        else pa.chunked_array([pa.nulls(records.num_rows, value.type)])
        for value in plain
    ]
    return pa.Table.from_arrays(columns, schema=plain)


def as_batch(records: pa.Table) -> pa.RecordBatch:
    # Arrow can join dictionaries only once they are the same.
    whole = records.unify_dictionaries().combine_chunks()
    return pa.RecordBatch.from_arrays(
        [
            column.chunk(0) if column.num_chunks else pa.array([], column.type)
            for column in whole.columns
        ],
        schema=whole.schema,
    )


def field_headings(layout: Layout) -> dict[str, str]:
    """The names of fields in the forms, from the layout and its glossaries."""
    headings = {}
    for name, field_spec in layout.spec.fields.items():
        value = field_spec.also or layout.plan.names.headings_of(name)
        # With a unit in brackets behind it a heading is no other one.
        plain = [text for text in value if not text.endswith((")", "]"))]
        other_texts = [text for text in plain if normal_form(text) != normal_form(name)]
        headings[name] = ", ".join(other_texts[:_MOST_HEADINGS]) or name
    return headings
