"""Records in a PostgreSQL database, by COPY, in one transaction: readers see the old or the new."""

from __future__ import annotations

import errno
import io
from collections.abc import Collection, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.bases.address import DatabaseAddress
from boreotabula.outputs.bases.columns import preparing, quoted
from boreotabula.outputs.csv import CsvWriter, field_type

if TYPE_CHECKING:
    import psycopg


def connected(address: DatabaseAddress) -> psycopg.Connection[Any]:
    """A connection to a server. Raises CallError if there is none."""
    try:
        import psycopg
    except ImportError:
        raise CallError(
            'records in PostgreSQL need more: pip install "boreotabula[postgres]"'
        ) from None
    try:
        return psycopg.connect(address.url, connect_timeout=15, application_name="boreotabula")
    except psycopg.Error as error:
        raise CallError(
            f"“{address}” cannot be opened: {address.hidden(str(error))}. A password is taken from"
            " PGPASSWORD or from the password file (~/.pgpass)"
        ) from None


class Postgres:
    """A database that takes the records of a run; nothing is in it before `commit`."""

    def __init__(
        self,
        address: DatabaseAddress,
        schemas: Mapping[str, pa.Schema],
        key: Sequence[str],
        headings: Mapping[str, str],
        tab: str | None = None,
        *,
        add_columns: bool = False,
    ) -> None:
        """Raises CallError if there is such a table with other columns, OSError if the server
        fails."""
        self._address = address
        self._base = connected(address)
        self._tables = {name: table_name(tab or name) for name in schemas}
        try:
            for name, schema in schemas.items():
                self._prepare(name, schema, key, headings, add_columns=add_columns)
            self.writers = {
                name: _TableWriter(self, self._tables[name], schema)
                for name, schema in schemas.items()
            }
        except BaseException:
            self._base.close()
            raise

    def run(self, statement: str, values: Sequence[object] = ()) -> list[tuple[Any, ...]]:
        """Run a statement; its rows, if it gives some. Raises OSError if the server fails."""
        import psycopg

        try:
            with self._base.cursor() as cursor:
                cursor.execute(statement.encode(), values or None)
                return cursor.fetchall() if cursor.description else []
        except psycopg.Error as error:
            raise self.failed(error) from None

    def failed(self, error: Exception) -> OSError:
        """An error of the server as one of the system, without the password."""
        return OSError(errno.EIO, self._address.hidden(str(error)))

    def copy(self, statement: str, content: bytes) -> None:
        """Send records as CSV. Raises OSError if the server fails."""
        import psycopg

        try:
            with self._base.cursor() as cursor, cursor.copy(statement.encode()) as copy:
                copy.write(content)
        except psycopg.Error as error:
            raise self.failed(error) from None

    def _prepare(
        self,
        name: str,
        schema: pa.Schema,
        key: Sequence[str],
        headings: Mapping[str, str],
        *,
        add_columns: bool,
    ) -> None:
        """Make the table, or see that it will do, and keep others from writing into it."""
        table = self._tables[name]
        there = {
            str(column): str(kind)
            for column, kind in self.run(
                "SELECT attname, format_type(atttypid, atttypmod) FROM pg_attribute"
                " WHERE attrelid = to_regclass(%s) AND attnum > 0 AND NOT attisdropped",
                [table],
            )
        }
        if there:
            self.run(f"LOCK TABLE {table} IN SHARE ROW EXCLUSIVE MODE")
        where = f"“{self._address}” › {table}"
        for one in preparing(table, where, there, schema, headings, add_columns=add_columns):
            self.run(one)
        for over in (list(key), ["source_file"]) if not there else ():
            if over and set(over) <= set(schema.names):
                self.run(f"CREATE INDEX ON {table} ({', '.join(map(quoted, over))})")

    def forget(self, table: str, files: Collection[str]) -> None:
        """Delete the records of some source files. Raises OSError if that cannot be."""
        if files:
            statement = f"DELETE FROM {self._tables[table]} WHERE source_file = ANY(%s)"
            self.run(statement, [list(files)])

    def commit(self) -> None:
        """Make the records part of the database. Raises OSError if that cannot be."""
        import psycopg

        try:
            self._base.commit()
        except psycopg.Error as error:
            raise self.failed(error) from None

    def close(self) -> None:
        """Let go of the database; without `commit` it is as it was."""
        self._base.close()


def table_name(name: str) -> str:
    """A table as SQL names it; a dot stands between schema and table."""
    return ".".join(quoted(part) for part in name.split("."))


class _TableWriter:
    """Writes record batches of one schema into a table."""

    def __init__(self, base: Postgres, table: str, schema: pa.Schema) -> None:
        self._base, self._schema = base, _with_days(schema)
        names = ", ".join(map(quoted, schema.names))
        self._statement = f"COPY {table} ({names}) FROM STDIN (FORMAT csv, HEADER true)"

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch. Raises OSError if the server fails."""
        if batch.num_rows:
            content = io.BytesIO()
            plain = pa.RecordBatch.from_arrays(batch.columns, schema=self._schema)
            CsvWriter(content, self._schema).write(plain)
            self._base.copy(self._statement, content.getvalue())


def _with_days(schema: pa.Schema) -> pa.Schema:
    """A schema whose months are written as days: databases have no months."""
    return pa.schema(
        one.with_metadata({**(one.metadata or {}), b"field_type": b"date"})
        if field_type(one).name == "month"
        else one
        for one in schema
    )
