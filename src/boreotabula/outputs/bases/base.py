"""What all databases that take records can do."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Protocol

import pyarrow as pa

from boreotabula.outputs.bases.address import address_of, is_server
from boreotabula.outputs.kinds import Writer


class Base(Protocol):
    """A database that takes the records of a run; nothing is in it before `commit`."""

    @property
    def writers(self) -> Mapping[str, Writer]:
        """The writer of each table."""

    def forget(self, table: str, files: Collection[str]) -> None:
        """Delete the records of some source files. Raises OSError if that cannot be."""

    def commit(self) -> None:
        """Make the records part of the database. Raises OSError if that cannot be."""

    def close(self) -> None:
        """Let go of the database; without `commit` it is as it was."""


def open_base(
    target: Path,
    schemas: Mapping[str, pa.Schema],
    key: Sequence[str],
    headings: Mapping[str, str],
    *,
    tab: str | None = None,
    add_columns: bool = False,
) -> Base:
    """A database that is ready to take the records of each table.

    `headings` are what fields are called in the forms, `tab` the table that takes those of the only
    one. Raises CallError if its columns are others, OSError if it cannot be opened.
    """
    if is_server(target):
        from boreotabula.outputs.bases.postgres import Postgres

        address = address_of(target)
        return Postgres(address, schemas, key, headings, tab, add_columns=add_columns)
    if target.suffix.lower() == ".duckdb":
        from boreotabula.outputs.bases.duck import DuckBase

        return DuckBase(target, schemas, headings, tab, add_columns=add_columns)
    from boreotabula.outputs.bases.sqlite import Database

    return Database(target, schemas, key)
