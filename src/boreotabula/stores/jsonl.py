"""JSON Lines: one object for each record, in UTF-8 (RFC 8259); whole columns are turned into
text."""

from __future__ import annotations

import json
from typing import BinaryIO

import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.layout.field_types import FieldType
from boreotabula.stores.csv import column_text, field_type


class JsonLinesWriter:
    """Writes record batches of one schema to a stream. An empty value is null."""

    def __init__(self, stream: BinaryIO, schema: pa.Schema) -> None:
        self._stream = stream
        self._kinds = [field_type(field) for field in schema]
        keys = [json.dumps(name, ensure_ascii=False) for name in schema.names]
        self._leads = [("{" if index == 0 else ", ") + f"{key}: " for index, key in enumerate(keys)]

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""
        if not batch.num_rows:
            return
        parts: list[pa.Array | str] = []
        for lead, column, kind in zip(self._leads, batch.columns, self._kinds, strict=True):
            parts += [lead, _json(column, kind)]
        lines = pc.binary_join_element_wise(*parts, "}", "")
        self._stream.write(("\n".join(lines.to_pylist()) + "\n").encode())


def _json(column: pa.Array, kind: FieldType) -> pa.Array:
    """The JSON text of each value of a column."""
    texts = column_text(column, kind)
    if kind.bare:
        # A number is written as it is; anything else as a JSON text.
        plain = texts
    else:
        once = texts if pa.types.is_dictionary(texts.type) else texts.dictionary_encode()
        quoted = [
            None if text is None else json.dumps(text, ensure_ascii=False)
            for text in once.dictionary.to_pylist()
        ]
        plain = pc.take(pa.array(quoted, pa.string()), once.indices)
    return pc.fill_null(plain, "null")
