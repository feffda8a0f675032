"""Records in a PostgreSQL database, by COPY, in one transaction: readers see the old or the new."""

from __future__ import annotations

import errno
import io
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from boreotabula.batch.private_files import OnWait
from boreotabula.errors import CallError
from boreotabula.stores.bases.address import DatabaseAddress
from boreotabula.stores.bases.base import RECORDS, quoted
from boreotabula.stores.bases.columns import TypedBase
from boreotabula.stores.csv import CsvWriter, field_type

if TYPE_CHECKING:
    import psycopg

_LOCK = 0x62_6F_72_65
"""The first number of the locks of runs: `bore`; the second identifies the table."""
_SOON = "2s"
"""Seconds that a lock is waited for without a message."""
_AT_ONCE = 50_000


def _connected(address: DatabaseAddress) -> psycopg.Connection[Any]:
    """A connection to a server. Raises CallError if it fails."""
    try:
        import psycopg
    except ImportError:
        raise CallError(
            'records in PostgreSQL need more: pip install "boreotabula[postgres]"'
        ) from None
    try:
        return psycopg.connect(
            # Transactions are begun and ended by hand, around all tables of a run.
            address.url,
            connect_timeout=15,
            application_name="boreotabula",
            autocommit=True,
        )
    except psycopg.Error as error:
        raise CallError(
            f"“{address}” cannot be opened: {address.hidden(str(error))}. A password is taken from"
            " PGPASSWORD or from the password file (~/.pgpass)"
        ) from None


class Postgres(TypedBase):
    """A session with a server."""

    mark = "%s"
    row = "ctid"
    holds_nul = False
    folds_case = False
    names_indexes = True
    longest_name = 63

    def __init__(self, address: DatabaseAddress) -> None:
        super().__init__(str(address))
        self._address = address
        self._base = _connected(address)

    def run(self, statement: str, values: Sequence[object] = ()) -> None:
        """Run a statement."""
        import psycopg

        try:
            self._base.execute(statement.encode(), list(values) or None)
        except psycopg.Error as error:
            raise self._failed(error) from None

    def rows(self, statement: str, values: Sequence[object] = ()) -> Iterator[tuple[Any, ...]]:
        """The rows of a query; the server sends some at a time."""
        import psycopg

        try:
            # A cursor of the server: a table of millions of rows does not come at once.
            with self._base.cursor("boreotabula_rows", withhold=True) as cursor:
                cursor.itersize = _AT_ONCE
                cursor.execute(statement.encode(), list(values) or None)
                yield from cursor
        except psycopg.Error as error:
            raise self._failed(error) from None

    def _failed(self, error: Exception) -> OSError:
        """An error of the server as a system error, without the password."""
        return OSError(errno.EIO, self._address.hidden(str(error)))

    def name(self, table: str) -> str:
        """A dot stands between schema and table."""
        return ".".join(quoted(part) for part in table.split("."))

    def columns(self, table: str) -> Mapping[str, str]:
        """The columns of a table."""
        import psycopg

        try:
            columns = self._base.execute(
                "SELECT attname, format_type(atttypid, atttypmod) FROM pg_attribute"
                " WHERE attrelid = to_regclass(%s) AND attnum > 0 AND NOT attisdropped"
                " ORDER BY attnum",
                [self.name(table)],
            ).fetchall()
        except psycopg.Error as error:
            raise self._failed(error) from None
        return {str(name): str(kind) for name, kind in columns}

    def among(self, files: Collection[str]) -> tuple[str, object]:
        """A list is a single value."""
        return "source_file = ANY(%s)", list(files)

    def lock(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """A lock of the session, not of a transaction: the server may end idle transactions."""
        import psycopg

        try:
            # In a fixed order, so that two runs never wait for each other; without regard to
            # case, as a name may be written in two ways.
            for table in sorted({table.casefold() for table in tables}):
                values = [_LOCK, table]
                # Tried first, so that a message can be given before it waits.
                cursor = self._base.execute("SELECT pg_try_advisory_lock(%s, hashtext(%s))", values)
                row = cursor.fetchone()
                if row is None or not row[0]:
                    on_wait(f"another run writes into {table}: waiting until it has ended")
                    self._base.execute("SELECT pg_advisory_lock(%s, hashtext(%s))", values)
        except psycopg.Error as error:
            raise self._failed(error) from None

    def begin(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """Begin, and keep all others from writing into the existing tables."""
        import psycopg

        existing_texts = [self.name(table) for table in tables if self.columns(table)]
        self.run("BEGIN")
        # Two first runs into two tables would both make the table of records.
        self.run("SELECT pg_advisory_xact_lock(%s, hashtext(%s))", [_LOCK, RECORDS])
        try:
            # Once for a short time and without a word, then for as long as it takes.
            for limit in (_SOON, "0"):
                self.run(f"SET LOCAL lock_timeout = '{limit}'")
                # A refused lock ends a transaction; the point before it is what remains.
                self.run("SAVEPOINT before_locks")
                try:
                    for table in existing_texts:
                        # Readers go on; who has rows locked to change them is waited for here.
                        statement = f"LOCK TABLE {table} IN EXCLUSIVE MODE"
                        self._base.execute(statement.encode())
                except psycopg.errors.LockNotAvailable:
                    self.run("ROLLBACK TO SAVEPOINT before_locks")
                    on_wait(f"“{self.shown}” is in use: waiting until others have written")
                else:
                    return
        except psycopg.Error as error:
            raise self._failed(error) from None

    def insert(self, table: str, batch: pa.RecordBatch) -> None:
        """Send records as CSV."""
        import psycopg

        schema = _with_days(batch.schema)
        names = ", ".join(map(quoted, schema.names))
        statement = f"COPY {self.name(table)} ({names}) FROM STDIN (FORMAT csv, HEADER true)"
        content = io.BytesIO()
        # COPY of CSV is the fastest way in, and CSV is what is written anyway.
        CsvWriter(content, schema).write(pa.RecordBatch.from_arrays(batch.columns, schema=schema))
        try:
            with self._base.cursor() as cursor, cursor.copy(statement.encode()) as copy:
                copy.write(content.getvalue())
        except psycopg.Error as error:
            raise self._failed(error) from None

    def update(self, table: str, rows: Sequence[object], batch: pa.RecordBatch) -> None:
        """Update rows."""
        sets = ", ".join(f"{quoted(name)} = %s" for name in batch.schema.names)
        columns = [column.to_pylist() for column in batch.columns]
        # The row is named last, as in the statement.
        lines = [(*column, row) for *column, row in zip(*columns, rows, strict=True)]
        self._each(f"UPDATE {self.name(table)} SET {sets} WHERE ctid = %s::tid", lines)

    def delete(self, table: str, rows: Sequence[object]) -> None:
        """Delete rows."""
        self.run(f"DELETE FROM {self.name(table)} WHERE ctid = ANY(%s::tid[])", [list(rows)])

    def _each(self, statement: str, lines: Sequence[Sequence[object]]) -> None:
        import psycopg

        try:
            with self._base.cursor() as cursor:
                cursor.executemany(statement.encode(), lines)
        except psycopg.Error as error:
            raise self._failed(error) from None

    def close(self) -> None:
        """Close it."""
        self._base.close()


def _with_days(schema: pa.Schema) -> pa.Schema:
    """A schema whose months are written as days: databases have no months."""
    return pa.schema(
        # Written as a day, the first of the month.
        value.with_metadata({**(value.metadata or {}), b"field_type": b"date"})
        if field_type(value).name == "month"
        else value
        for value in schema
    )
