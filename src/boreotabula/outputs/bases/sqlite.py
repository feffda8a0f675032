"""Records in an SQLite database: a table for each output table, its columns typed, in one
transaction."""

from __future__ import annotations

import errno
import sqlite3
from collections.abc import Collection, Iterable, Mapping, Sequence
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FieldType
from boreotabula.outputs.csv import column_text, field_type

_AS_TEXT = "TEXT"


class Database:
    """A database that takes the records of a run; nothing is in it before `commit`."""

    def __init__(self, path: Path, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> None:
        """Raises CallError if there is such a table with other columns, OSError if the file is no
        database or cannot be written."""
        self._path = path
        self.writers: Mapping[str, TableWriter] = {}
        self._base = sqlite3.connect(path, isolation_level=None, timeout=10)
        try:
            self._base.execute("BEGIN IMMEDIATE")
            for table, schema in schemas.items():
                self._prepare(table, schema, key)
            self.writers = {name: self._writer(name, schema) for name, schema in schemas.items()}
        except sqlite3.Error as error:
            self._base.close()
            raise _failed(error) from None
        except BaseException:
            self._base.close()
            raise

    def _prepare(self, table: str, schema: pa.Schema, key: Sequence[str]) -> None:
        wanted = {field.name: field_type(field).column for field in schema}
        found = {
            str(name): str(kind)
            for _, name, kind, *_ in self._base.execute(f"PRAGMA table_info({_quoted(table)})")
        }
        folded = {name.casefold(): kind.upper() for name, kind in found.items()}
        if not found:
            columns = ", ".join(f"{_quoted(name)} {kind}" for name, kind in wanted.items())
            self._base.execute(f"CREATE TABLE {_quoted(table)} ({columns})")
        for name, kind in wanted.items() if found else ():
            known = folded.get(name.casefold())
            if known is None:
                self._base.execute(
                    f"ALTER TABLE {_quoted(table)} ADD COLUMN {_quoted(name)} {kind}"
                )
            elif known != kind:
                raise CallError(
                    f"“{self._path}”: the column “{name}” of the table “{table}” is {known}, and"
                    f" the layout's field is {kind}; rename the field, or write into another table"
                )
        indexed = [name for name in key if name in wanted]
        for name, over in (("key", indexed), ("source", ["source_file"])):
            if over and set(over) <= set(wanted):
                index = _quoted(f"{table}_{name}")
                self._base.execute(
                    f"CREATE INDEX IF NOT EXISTS {index} ON {_quoted(table)}"
                    f" ({', '.join(map(_quoted, over))})"
                )

    def forget(self, table: str, files: Collection[str]) -> None:
        """Delete the records of some source files. Raises OSError if that cannot be."""
        delete = f"DELETE FROM {_quoted(table)} WHERE source_file = ?"
        try:
            self._base.executemany(delete, [(one,) for one in files])
        except sqlite3.Error as error:
            raise _failed(error) from None

    def _writer(self, table: str, schema: pa.Schema) -> TableWriter:
        names = ", ".join(map(_quoted, schema.names))
        places = ", ".join("?" * len(schema.names))
        insert = f"INSERT INTO {_quoted(table)} ({names}) VALUES ({places})"
        return TableWriter(self._base, insert, [field_type(field) for field in schema])

    def commit(self) -> None:
        """Make the records part of the database. Raises OSError if that cannot be."""
        try:
            self._base.execute("COMMIT")
        except sqlite3.Error as error:
            raise _failed(error) from None

    def close(self) -> None:
        """Let go of the database; without `commit` it is as it was."""
        self._base.close()


class TableWriter:
    """Writes record batches of one schema into a table."""

    def __init__(self, base: sqlite3.Connection, insert: str, kinds: Sequence[FieldType]) -> None:
        self._base, self._insert, self._kinds = base, insert, kinds

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch. Raises OSError if the disk is full."""
        columns = [_values(one, kind) for one, kind in zip(batch.columns, self._kinds, strict=True)]
        try:
            self._base.executemany(self._insert, zip(*columns, strict=True))
        except sqlite3.Error as error:
            raise _failed(error) from None


def _failed(error: sqlite3.Error) -> OSError:
    return OSError(errno.EIO, str(error))


def _values(column: pa.Array, kind: FieldType) -> Iterable[object]:
    found: list[object] = (
        column if kind.column != _AS_TEXT else column_text(column, kind)
    ).to_pylist()
    return found


def _quoted(name: str) -> str:
    """A name as SQL writes it, whatever signs it holds."""
    return '"' + name.replace('"', '""') + '"'
