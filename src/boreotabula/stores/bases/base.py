"""What all databases that take records have in common: a session, whose statements depend on its
kind."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.batch.private_files import OnWait
from boreotabula.stores.bases.address import DatabaseAddress

BasePlace = Path | DatabaseAddress
"""Where a database is: its file, or its address on a server."""
ENDINGS = (".sqlite", ".sqlite3", ".db", ".duckdb")
"""The endings of files that are databases."""
RECORDS = "boreotabula_runs"
"""The table in which a database keeps the records of its runs: a row for each table."""


def is_base(place: BasePlace) -> bool:
    """Whether a place is a database."""
    return isinstance(place, DatabaseAddress) or place.suffix.lower() in ENDINGS


def quoted(name: str) -> str:
    """A name as SQL writes it, with any characters."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text as SQL writes it."""
    return "'" + text.replace("'", "''") + "'"


class Base(ABC):
    """A session with a database. Outside of `begin` and `commit` it holds no transaction."""

    mark = "?"
    """The placeholder for a value in a statement."""
    row = "rowid"
    """The column that identifies rows of a table, as long as a transaction lasts."""
    holds_nul = True
    """Whether its texts may hold the character U+0000."""
    folds_case = True
    """Whether names that differ only in letter case are the same."""
    names_indexes = False
    """Whether indexes get names automatically."""
    longest_name = 0
    """This many bytes of a name are significant; 0 if all are."""

    def __init__(self, shown: str) -> None:
        self.shown = shown
        """The database, as messages name it."""

    # --- by the kind of database ------------------------------------------------------------------

    @abstractmethod
    def run(self, statement: str, values: Sequence[object] = ()) -> None:
        """Run a statement. Raises OSError if the database fails."""

    @abstractmethod
    def rows(self, statement: str, values: Sequence[object] = ()) -> Iterator[tuple[Any, ...]]:
        """The rows of a query, some thousands at a time. Raises OSError."""

    @abstractmethod
    def columns(self, table: str) -> Mapping[str, str]:
        """The columns of a table with their types in SQL; none if the table does not exist."""

    @abstractmethod
    def among(self, files: Collection[str]) -> tuple[str, object]:
        """A condition that `source_file` is one of some files, and its value."""

    @abstractmethod
    def lock(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """Keep other runs from writing into some tables until the session is closed."""

    @abstractmethod
    def insert(self, table: str, batch: pa.RecordBatch) -> None:
        """Add the records of a batch. Raises OSError."""

    @abstractmethod
    def update(self, table: str, rows: Sequence[object], batch: pa.RecordBatch) -> None:
        """Update some rows with the values of a batch, row by row. Raises OSError."""

    @abstractmethod
    def delete(self, table: str, rows: Sequence[object]) -> None:
        """Delete some rows. Raises OSError."""

    @abstractmethod
    def creating(
        self, table: str, fields: Sequence[pa.Field], headings: Mapping[str, str], *, new: bool
    ) -> Iterator[str]:
        """The statements that make a table with some columns, or add them to it.

        `headings` are the names of fields in the forms.
        """

    @abstractmethod
    def type_of(self, field: pa.Field) -> str:
        """The type of a column for a field."""

    @abstractmethod
    def close(self) -> None:
        """Close the session; without `commit` the database is unchanged."""

    # --- the same for all -------------------------------------------------------------------------

    def begin(self, tables: Sequence[str], on_wait: OnWait) -> None:
        """Begin a transaction in which only this session writes into some tables."""
        self.run("BEGIN")

    def commit(self) -> None:
        """Make what was written part of the database. Raises OSError."""
        self.run("COMMIT")

    def rollback(self) -> None:
        """Leave the database as it was. Raises OSError."""
        self.run("ROLLBACK")

    def name(self, table: str) -> str:
        """The name of a table in SQL."""
        return quoted(table)

    def select(
        self, table: str, names: Sequence[str], where: str = "", values: Sequence[object] = ()
    ) -> Iterator[tuple[Any, ...]]:
        """Some columns of the rows of a table, as SQL writes them. Raises OSError."""
        condition = f" WHERE {where}" if where else ""
        return self.rows(f"SELECT {', '.join(names)} FROM {self.name(table)}{condition}", values)

    # Asked in one statement, so that a table of millions of rows sends only a line for each file.
    def counts(self, table: str) -> dict[str, int]:
        """The number of rows of a table from each file; rows without a file are counted under an
        empty name.

        Rows of a table without columns for their source belong to no run.
        """
        if "source_file" not in {name.casefold() for name in self.columns(table)}:
            return {}
        statement = f"SELECT source_file, count(*) FROM {self.name(table)} GROUP BY source_file"
        return {str(file or ""): int(count) for file, count in self.rows(statement)}

    # --- the records of runs ----------------------------------------------------------------------

    def recorded(self) -> dict[str, str]:
        """The record of the last run into each table, as JSON."""
        if not self.columns(RECORDS):
            return {}
        return {str(table): str(text) for table, text in self.select(RECORDS, ["target", "record"])}

    def record(self, tables: Sequence[str], text: str) -> None:
        """Keep the record of a run into some tables. Raises OSError."""
        if not self.columns(RECORDS):
            self.run(f"CREATE TABLE {self.name(RECORDS)} (target text, record text)")
        # Deleted and written, since not every database has a statement for both.
        for table in tables:
            condition = f"WHERE target = {self.mark}"
            self.run(f"DELETE FROM {self.name(RECORDS)} {condition}", [table])
            values = f"VALUES ({self.mark}, {self.mark})"
            self.run(f"INSERT INTO {self.name(RECORDS)} {values}", [table, text])
