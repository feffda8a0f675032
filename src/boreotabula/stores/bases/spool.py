"""Records that wait until all files are read: in a temporary file, so that memory stays small and
no transaction of a database is open meanwhile."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from tempfile import TemporaryFile
from typing import IO

import pyarrow as pa

_AT_ONCE = 50_000


class Spool:
    """The records of one table, by the file that they are from."""

    def __init__(self) -> None:
        # Closed with the spool, as long as which it lives.
        self._stream: IO[bytes] = TemporaryFile(prefix="boreotabula-")  # noqa: SIM115
        self._writer: pa.RecordBatchStreamWriter | None = None
        self._files: list[tuple[str, int]] = []
        """The file and the number of records of each batch."""

    def write(self, file: str, batch: pa.RecordBatch) -> None:
        """Add records. Raises OSError if the disk is full."""
        if not batch.num_rows:
            return
        if self._writer is None:
            self._writer = pa.ipc.new_stream(self._stream, batch.schema)
        # The metadata of tabs may differ, and a stream has one schema.
        self._writer.write_batch(batch.replace_schema_metadata())
        self._files.append((file, batch.num_rows))

    def tables(self, files: Collection[str]) -> Iterator[pa.Table]:
        """The records of some files in order, some thousands at a time."""
        waiting: list[pa.RecordBatch] = []
        for file, batch in self._each():
            if file in files:
                waiting.append(batch)
            # By thousands, since a statement for each file would take longer than the records.
            if sum(value.num_rows for value in waiting) >= _AT_ONCE:
                yield _whole(waiting)
                waiting = []
        if waiting:
            yield _whole(waiting)

    def count(self, files: Collection[str]) -> int:
        """The number of records of some files."""
        return sum(size for file, size in self._files if file in files)

    def _each(self) -> Iterator[tuple[str, pa.RecordBatch]]:
        if self._writer is None:
            return
        self._writer.close()
        self._stream.seek(0)
        with pa.ipc.open_stream(self._stream) as reader:
            for (file, _), batch in zip(self._files, reader, strict=True):
                yield file, batch

    def close(self) -> None:
        """Discard them."""
        self._stream.close()


def _whole(batches: list[pa.RecordBatch]) -> pa.Table:
    return pa.Table.from_batches(batches).unify_dictionaries().combine_chunks()
