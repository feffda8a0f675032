"""New databases that are files: written anew by each run."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import BinaryIO

import pyarrow as pa

from boreotabula.stores.bases.base import Base
from boreotabula.stores.bases.columns import prepare
from boreotabula.stores.bases.duck import Duck
from boreotabula.stores.bases.sqlite import Sqlite


class BaseWriter:
    """Writes record batches into one table of a new database."""

    def __init__(self, base: Base, table: str) -> None:
        self._base, self._table = base, table

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch. Raises OSError if the disk is full."""
        if batch.num_rows:
            self._base.insert(self._table, batch)


def _begun(
    base: Base, schemas: Mapping[str, pa.Schema], key: Sequence[str]
) -> dict[str, BaseWriter]:
    """The writer of each table, in a transaction that has begun."""
    # One transaction for all tables, so that a reader never sees half of a run.
    base.begin(list(schemas), lambda _: None)
    for table, schema in schemas.items():
        prepare(base, table, schema, key, {})
    return {table: BaseWriter(base, table) for table in schemas}


def new_sqlite(
    path: Path, schemas: Mapping[str, pa.Schema], key: Sequence[str]
) -> tuple[Base, dict[str, BaseWriter]]:
    """A new database in an empty file, and the writer of each table. Raises OSError."""
    base = Sqlite(path)
    try:
        return base, _begun(base, schemas, key)
    except BaseException:
        base.close()
        raise


class NewDuck:
    """A new database that is written to a stream at its end; until then it is a temporary file."""

    def __init__(
        self, stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]
    ) -> None:
        self._stream = stream
        self._folder = TemporaryDirectory(prefix="boreotabula-")
        self._path = Path(self._folder.name, "new.duckdb")
        self._base = Duck(self._path)
        self.writers = _begun(self._base, schemas, key)

    def close(self) -> None:
        """Write the database."""
        self._base.commit()
        self._base.close()
        # Written elsewhere because this library opens paths only, and then copied to where the
        # output is being made.
        with self._path.open("rb") as content:
            shutil.copyfileobj(content, self._stream)
        self._folder.cleanup()

    def abandon(self) -> None:
        """Discard it."""
        self._base.close()
        self._folder.cleanup()
