"""Apache Parquet and Arrow IPC files: typed columns for other programs."""

from __future__ import annotations

from contextlib import ExitStack
from typing import Any, BinaryIO

import pyarrow as pa
import pyarrow.ipc

from boreotabula.reading.values.arrays import decoded, plain_schema

_AT_ONCE = 128 * 1024
"""This many records make one row group: tabs are far smaller."""


class _GroupedWriter:
    """Collects small batches into groups; texts are written as plain texts.

    Each tab has its own dictionary of texts, and readers of both formats expect one for the whole
    file.
    """

    def __init__(self, schema: pa.Schema) -> None:
        self.schema = plain_schema(schema)
        self._waiting: list[pa.RecordBatch] = []
        self._count = 0

    def write(self, batch: pa.RecordBatch) -> None:
        """Take the records of a batch; they are written together with others."""
        # Decoded here, since each tab has its own list of texts and a file needs one.
        columns = list(map(decoded, batch.columns))
        self._waiting.append(pa.RecordBatch.from_arrays(columns, schema=self.schema))
        self._count += batch.num_rows
        if self._count >= _AT_ONCE:
            self._flush()

    def _flush(self) -> None:
        if self._count:
            # Copied into one piece, so that a row group has one chunk for each column.
            self._put(pa.Table.from_batches(self._waiting).combine_chunks())
        self._waiting, self._count = [], 0

    def _put(self, table: pa.Table) -> None:
        raise NotImplementedError


class ParquetWriter(_GroupedWriter):
    """Writes record batches of one schema to a stream as Parquet."""

    def __init__(self, stream: BinaryIO, schema: pa.Schema) -> None:
        from pyarrow import parquet  # only needed for this kind of output

        super().__init__(schema)
        self._writer: Any = parquet.ParquetWriter(stream, self.schema, compression="zstd")

    def _put(self, table: pa.Table) -> None:
        self._writer.write_table(table)

    def close(self) -> None:
        """Write the rest and the file's end."""
        self._flush()
        self._writer.close()


class ArrowWriter(_GroupedWriter):
    """Writes record batches of one schema to a stream as an Arrow IPC file."""

    def __init__(self, stream: BinaryIO, schema: pa.Schema) -> None:
        super().__init__(schema)
        self._open = ExitStack()
        self._writer: Any = self._open.enter_context(pa.ipc.new_file(stream, self.schema))

    def _put(self, table: pa.Table) -> None:
        self._writer.write_table(table)

    def close(self) -> None:
        """Write the rest and the file's end."""
        self._flush()
        self._open.close()
