"""Records in an SQLite database: a table for each output table, its columns typed."""

from __future__ import annotations

import errno
import json
import sqlite3
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.batch.private_files import OnWait
from boreotabula.errors import CallError
from boreotabula.layout.field_types import FieldType
from boreotabula.stores.bases.base import Base, quoted
from boreotabula.stores.csv import column_text, field_type

_AS_TEXT = "TEXT"
_SOON, _LATE = 2, 600
"""Seconds that another session is waited for without a message, and at most."""
_AT_ONCE = 10_000


class Sqlite(Base):
    """A session with a file."""

    def __init__(self, path: Path, *, read_only: bool = False) -> None:
        super().__init__(str(path))
        try:
            if read_only:
                where = f"{path.absolute().as_uri()}?mode=ro"
                self._base = sqlite3.connect(where, uri=True, isolation_level=None)
            else:
                self._base = sqlite3.connect(path, isolation_level=None)
        except sqlite3.Error as error:
            raise CallError(f"“{path}” cannot be opened: {error}") from None
        try:
            self._base.execute("SELECT name FROM sqlite_master LIMIT 1").fetchall()
        except sqlite3.Error as error:
            self._base.close()
            raise CallError(f"“{path}” cannot be opened: {error}") from None

    def run(self, statement: str, values: Sequence[object] = ()) -> None:
        """Run a statement."""
        try:
            self._base.execute(statement, list(values))
        except sqlite3.Error as error:
            raise _failed(error) from None

    def rows(self, statement: str, values: Sequence[object] = ()) -> Iterator[tuple[Any, ...]]:
        """The rows that it gives."""
        try:
            cursor = self._base.execute(statement, list(values))
            while group := cursor.fetchmany(_AT_ONCE):
                yield from group
        except sqlite3.Error as error:
            raise _failed(error) from None

    def columns(self, table: str) -> Mapping[str, str]:
        """The columns of a table."""
        columns = self.rows(f"PRAGMA table_info({quoted(table)})")
        return {str(name): str(kind).upper() for _, name, kind, *_ in columns}

    def among(self, files: Collection[str]) -> tuple[str, object]:
        """A list of any length is a single value, as JSON."""
        return "source_file IN (SELECT value FROM json_each(?))", json.dumps(list(files))

    def lock(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """A writer keeps others away; readers see the old state meanwhile."""
        for seconds in (_SOON, _LATE):
            self.run(f"PRAGMA busy_timeout = {seconds * 1000}")
            try:
                self._base.execute("BEGIN IMMEDIATE")
            except sqlite3.Error as error:
                if "locked" not in str(error) or seconds == _LATE:
                    raise _failed(error) from None
                on_wait(f"“{self.shown}” is in use: waiting until the other program has written")
            else:
                return

    def begin(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """The lock is a transaction."""
        if not self._base.in_transaction:
            self.lock(tables, on_wait)

    def insert(self, table: str, batch: pa.RecordBatch) -> None:
        """Add records."""
        names = ", ".join(map(quoted, batch.schema.names))
        places = ", ".join("?" * batch.num_columns)
        self._each(f"INSERT INTO {quoted(table)} ({names}) VALUES ({places})", _values(batch))

    def update(self, table: str, rows: Sequence[object], batch: pa.RecordBatch) -> None:
        """Update rows."""
        sets = ", ".join(f"{quoted(name)} = ?" for name in batch.schema.names)
        # The row is named last, as in the statement.
        lines = ((*value, row) for value, row in zip(_values(batch), rows, strict=True))
        self._each(f"UPDATE {quoted(table)} SET {sets} WHERE rowid = ?", lines)

    def delete(self, table: str, rows: Sequence[object]) -> None:
        """Delete rows."""
        self._each(f"DELETE FROM {quoted(table)} WHERE rowid = ?", ((row,) for row in rows))

    def _each(self, statement: str, lines: Iterable[Sequence[object]]) -> None:
        try:
            self._base.executemany(statement, lines)
        except sqlite3.Error as error:
            raise _failed(error) from None

    def creating(
        self, table: str, fields: Sequence[pa.Field], headings: Mapping[str, str], *, new: bool
    ) -> Iterator[str]:
        """SQLite has no remarks on columns."""
        described = [f"{quoted(field.name)} {self.type_of(field)}" for field in fields]
        if new:
            yield f"CREATE TABLE {quoted(table)} ({', '.join(described)})"
        else:
            yield from (f"ALTER TABLE {quoted(table)} ADD COLUMN {text}" for text in described)

    def type_of(self, field: pa.Field) -> str:
        """SQLite has numbers and texts."""
        return field_type(field).column

    def close(self) -> None:
        """Close it."""
        self._base.close()


def _failed(error: sqlite3.Error) -> OSError:
    return OSError(errno.EIO, str(error))


def _values(batch: pa.RecordBatch) -> Iterable[tuple[object, ...]]:
    kinds = [field_type(value) for value in batch.schema]
    columns = [_column(column, kind) for column, kind in zip(batch.columns, kinds, strict=True)]
    return zip(*columns, strict=True)


def _column(column: pa.Array, kind: FieldType) -> list[object]:
    # A text column takes months as CSV has them, anything else its own type.
    plain = column if kind.column != _AS_TEXT else column_text(column, kind)
    values: list[object] = plain.to_pylist()
    return values
