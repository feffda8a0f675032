"""Records in a DuckDB database, from Arrow, in one transaction."""

from __future__ import annotations

import errno
import shutil
from collections.abc import Collection, Mapping
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any, BinaryIO

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.bases.columns import preparing, quoted

if TYPE_CHECKING:
    import duckdb


def opened(path: Path, *, read_only: bool = False) -> duckdb.DuckDBPyConnection:
    """A connection to a file. Raises CallError if it is no such database, or in use."""
    try:
        import duckdb
    except ImportError:
        raise CallError('records in DuckDB need more: pip install "boreotabula[duckdb]"') from None
    try:
        return duckdb.connect(str(path), read_only=read_only)
    except duckdb.Error as error:
        raise CallError(f"“{path}” cannot be opened: {' '.join(str(error).split())}") from None


class DuckBase:
    """A database that takes the records of a run; nothing is in it before `commit`."""

    def __init__(
        self,
        path: Path,
        schemas: Mapping[str, pa.Schema],
        headings: Mapping[str, str],
        tab: str | None = None,
        *,
        add_columns: bool = False,
    ) -> None:
        """Raises CallError if there is such a table with other columns."""
        self._path = path
        self._base = opened(path)
        self._names = {name: tab or name for name in schemas}
        try:
            self.run("BEGIN TRANSACTION")
            for name, schema in schemas.items():
                self._prepare(self._names[name], schema, headings, add_columns=add_columns)
            self.writers = {
                name: _TableWriter(self, self._names[name], schema)
                for name, schema in schemas.items()
            }
        except BaseException:
            self._base.close()
            raise

    def run(self, statement: str, values: object = None) -> Any:
        """Run a statement. Raises OSError if that fails."""
        import duckdb

        try:
            return self._base.execute(statement, values)
        except duckdb.Error as error:
            raise OSError(errno.EIO, " ".join(str(error).split())) from None

    def _prepare(
        self, table: str, schema: pa.Schema, headings: Mapping[str, str], *, add_columns: bool
    ) -> None:
        there = {
            str(name): str(kind)
            for name, kind in self.run(
                "SELECT column_name, data_type FROM duckdb_columns() WHERE table_name = ?", [table]
            ).fetchall()
        }
        where = f"“{self._path}” › {table}"
        for one in preparing(
            quoted(table), where, there, schema, headings, add_columns=add_columns
        ):
            self.run(one)

    def forget(self, table: str, files: Collection[str]) -> None:
        """Delete the records of some source files. Raises OSError if that cannot be."""
        if files:
            statement = (
                f"DELETE FROM {quoted(self._names[table])} WHERE list_contains(?, source_file)"
            )
            self.run(statement, [list(files)])

    def insert(self, table: str, batch: pa.RecordBatch) -> None:
        """Add the records of a batch. Raises OSError if that fails."""
        names = ", ".join(map(quoted, batch.schema.names))
        records = pa.Table.from_batches([batch])
        self._base.register("boreotabula_records", records)
        try:
            self.run(
                f"INSERT INTO {quoted(table)} ({names}) SELECT {names} FROM boreotabula_records"
            )
        finally:
            self._base.unregister("boreotabula_records")

    def commit(self) -> None:
        """Make the records part of the database. Raises OSError if that cannot be."""
        self.run("COMMIT")

    def close(self) -> None:
        """Let go of the database; without `commit` it is as it was."""
        self._base.close()


class _TableWriter:
    """Writes record batches of one schema into a table."""

    def __init__(self, base: DuckBase, table: str, schema: pa.Schema) -> None:
        self._base, self._table = base, table
        self._schema = pa.schema(
            one.with_type(one.type.value_type) if pa.types.is_dictionary(one.type) else one
            for one in schema
        )

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch. Raises OSError if that fails."""
        if batch.num_rows:
            columns = [
                column.cast(one.type)
                for column, one in zip(batch.columns, self._schema, strict=True)
            ]
            self._base.insert(self._table, pa.RecordBatch.from_arrays(columns, schema=self._schema))


class NewDuckBase:
    """A new database that is written to a stream at its end; until then it lies elsewhere."""

    def __init__(self, stream: BinaryIO, schemas: Mapping[str, pa.Schema]) -> None:
        self._stream = stream
        self._folder = TemporaryDirectory(prefix="boreotabula-")
        self._path = Path(self._folder.name, "new.duckdb")
        self._base = DuckBase(self._path, schemas, {})
        self.writers = self._base.writers

    def close(self) -> None:
        """Write the database."""
        self._base.commit()
        self._base.close()
        with self._path.open("rb") as content:
            shutil.copyfileobj(content, self._stream)
        self._folder.cleanup()

    def abandon(self) -> None:
        """Let go of it."""
        self._base.close()
        self._folder.cleanup()
