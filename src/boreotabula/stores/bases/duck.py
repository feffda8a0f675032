"""Records in a DuckDB database, from Arrow."""

from __future__ import annotations

import errno
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from time import monotonic, sleep
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from boreotabula.batch.private_files import OnWait
from boreotabula.errors import CallError
from boreotabula.reading.values.arrays import decoded, plain_schema
from boreotabula.stores.bases.base import quoted
from boreotabula.stores.bases.columns import TypedBase

if TYPE_CHECKING:
    import duckdb

_ROW, _RECORDS = "boreotabula_row", "boreotabula_records"
_AT_ONCE = 50_000


_LATE, _PAUSE = 600.0, 0.2
"""Seconds: the longest wait for another session to end, and the pause between two attempts."""


def _opened(path: Path, *, read_only: bool, on_wait: OnWait | None) -> duckdb.DuckDBPyConnection:
    """A connection to a file; waits for another session if `on_wait` is given.

    Raises CallError if it is no such database, or stays in use.
    """
    try:
        import duckdb
    except ImportError:
        raise CallError('records in DuckDB need more: pip install "boreotabula[duckdb]"') from None
    until, is_told = monotonic() + _LATE, False
    while True:
        try:
            return duckdb.connect(str(path), read_only=read_only)
        except duckdb.Error as error:
            message = " ".join(str(error).split())
        if "lock" not in message.lower():
            raise CallError(f"“{path}” cannot be opened: {message}")
        if on_wait is None or monotonic() > until:
            raise CallError(
                f"“{path}” is in use by another program or run; close it, or run again when it has"
                " ended"
            )
        # Told once: the user sees it wait.
        if not is_told:
            on_wait(f"“{path}” is in use: waiting until the other program has ended")
            is_told = True
        sleep(_PAUSE)


class Duck(TypedBase):
    """A session with a file: while it lasts, no other program can write into the file."""

    def __init__(
        self, path: Path, *, read_only: bool = False, on_wait: OnWait | None = None
    ) -> None:
        super().__init__(str(path))
        self._base = _opened(path, read_only=read_only, on_wait=on_wait)

    def run(self, statement: str, values: Sequence[object] = ()) -> None:
        """Run a statement."""
        self._ask(statement, values)

    def _ask(self, statement: str, values: Sequence[object] = ()) -> Any:
        import duckdb

        try:
            return self._base.execute(statement, list(values))
        except duckdb.Error as error:
            raise OSError(errno.EIO, " ".join(str(error).split())) from None

    def rows(self, statement: str, values: Sequence[object] = ()) -> Iterator[tuple[Any, ...]]:
        """The rows that it gives."""
        import duckdb

        try:
            ask = self._ask(statement, values)
            while fetchmany := ask.fetchmany(_AT_ONCE):
                yield from fetchmany
        except duckdb.Error as error:
            raise OSError(errno.EIO, " ".join(str(error).split())) from None

    def columns(self, table: str) -> Mapping[str, str]:
        """The columns of a table."""
        ask = self._ask(
            "SELECT column_name, data_type FROM duckdb_columns() WHERE lower(table_name) = lower(?)"
            " AND NOT internal",
            [table],
        )
        return {str(name): str(kind) for name, kind in ask.fetchall()}

    def among(self, files: Collection[str]) -> tuple[str, object]:
        """A list is a single value."""
        # As one value, since statements are bounded in how many they take.
        return "list_contains(?, source_file)", list(files)

    def lock(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """The session is the lock."""

    def insert(self, table: str, batch: pa.RecordBatch) -> None:
        """Add records."""
        names = ", ".join(map(quoted, batch.schema.names))
        self._with(batch, f"INSERT INTO {quoted(table)} ({names}) SELECT {names} FROM {_RECORDS}")

    def update(self, table: str, rows: Sequence[object], batch: pa.RecordBatch) -> None:
        """Update rows."""
        sets = ", ".join(f"{quoted(name)} = new.{quoted(name)}" for name in batch.schema.names)
        numbered = batch.append_column(_ROW, pa.array(rows, pa.int64()))
        self._with(
            numbered,
            f"UPDATE {quoted(table)} SET {sets} FROM {_RECORDS} AS new"
            f" WHERE {quoted(table)}.rowid = new.{_ROW}",
        )

    def delete(self, table: str, rows: Sequence[object]) -> None:
        """Delete rows."""
        chosen = pa.RecordBatch.from_arrays([pa.array(rows, pa.int64())], names=[_ROW])
        self._with(
            chosen, f"DELETE FROM {quoted(table)} WHERE rowid IN (SELECT {_ROW} FROM {_RECORDS})"
        )

    def _with(self, batch: pa.RecordBatch, statement: str) -> None:
        """Run a statement that reads a batch."""
        # Dictionaries of several tabs differ; the database takes plain columns.
        columns = list(map(decoded, batch.columns))
        plain = plain_schema(batch.schema)
        self._base.register(_RECORDS, pa.Table.from_arrays(columns, schema=plain))
        try:
            self.run(statement)
        finally:
            self._base.unregister(_RECORDS)

    def close(self) -> None:
        """Close it."""
        self._base.close()
