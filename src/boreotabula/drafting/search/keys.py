"""The fields that distinguish all records of a draft."""

from __future__ import annotations

from collections.abc import Sequence

import pyarrow as pa

from boreotabula.drafting.search.judging import Judgement, distinct_count
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.layout.field_types import type_called

_SURE_RECORDS, _SURE_FILES = 20, 2
"""With fewer records many sets of fields distinguish them by coincidence."""


def key_of(sketch: Sketch, judged: Judgement) -> tuple[str, ...]:
    """The fields whose values no two records share, if there are such fields.

    They are stamps, since next month's records differ by these, and as few of the table's own as
    possible. Empty if there are several output tables.
    """
    batches = [batch for reading in judged.readings for batch in reading.tables.values()]
    files = {specimen.file for specimen in judged.examples}
    if sketch.tables or judged.records < _SURE_RECORDS or len(files) < _SURE_FILES:
        return ()
    columns = {name: _column(batches, name) for name in sketch.fields if _may_tell(sketch, name)}
    whole = {name: column for name, column in columns.items() if not column.null_count}
    if not whole or distinct_count(list(whole.values())) < judged.records:
        return ()
    for name in reversed(list(whole)):
        rest = [column for other_name, column in whole.items() if other_name != name]
        of_tab = name in sketch.stamps or name in sketch.captured
        if not of_tab and rest and distinct_count(rest) == judged.records:
            del whole[name]
    return tuple(whole)


def _may_tell(sketch: Sketch, name: str) -> bool:
    """Whether a field can be part of a key: it is no measure."""
    levels = (*key_texts(sketch.block.get("across")), *key_texts(sketch.block.get("stub")))
    of_tab = name in sketch.stamps or name in sketch.captured
    return of_tab or name in levels or not type_called(sketch.fields[name]).is_number


def _column(batches: Sequence[pa.RecordBatch], name: str) -> pa.Array:
    """All values of a field as numbers, equal where the values are."""
    values = [
        batch.column(name).cast(pa.string()) if name in batch.schema.names
        else pa.nulls(batch.num_rows, pa.string())
        for batch in batches
    ]  # fmt: skip
    return pa.concat_arrays(values).dictionary_encode() if values else pa.nulls(0, pa.string())
