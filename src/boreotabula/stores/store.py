"""The interface of every kind of target to a run.

A target says what it cannot hold, remembers the run before, returns its content, and takes records,
whole or not at all. A new kind of target is a module with a `Store`; `run.py` knows nothing else
about it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import pyarrow as pa

from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox, SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.private_files import OnWait, turn_of
from boreotabula.batch.read_all import ReadOptions
from boreotabula.batch.run.earlier import earlier_record
from boreotabula.batch.run.outcome import Run
from boreotabula.batch.run_folders import run_folder
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.records.schema import record_schema

if TYPE_CHECKING:
    from boreotabula.stores.saved import SavedOutput

OnFetched = Callable[[SourceFile], None]


@dataclass(frozen=True)
class Task:
    """What a run hands to its store: the layout, the files, and how they are read."""

    layout: Layout
    inbox: Inbox
    means: ReadOptions
    digests: Mapping[str, str]
    """For each file, by its name; empty for unreadable files."""


class Writing(Protocol):
    """A store while it takes the records of a run. Nothing is in the target before `commit`."""

    def readings(self) -> Iterator[FileReading] | None:
        """The readings of the files, if the store reads them itself; else None."""

    def take(self, reading: FileReading) -> FileReading:
        """Take the records of a file, as they come.

        Returns the reading, with the store's findings about it. Raises CallError if they cannot be
        written.
        """

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Take the records of all files, where columns or rows follow from all of them."""

    def settle(self, run: Run) -> Run:
        """The run, with the changes to existing rows. Raises CallError."""

    def commit(self, run: Run) -> None:
        """Make the records part of the target, and keep the record of the run. Raises CallError."""


class Store(Protocol):
    """A kind of target."""

    @property
    def shown(self) -> str:
        """The target, as messages name it."""

    @property
    def file(self) -> Path | None:
        """The file or folder that it is; None if it is neither."""

    def record_folder(self, tables: Sequence[str]) -> Path | None:
        """Where the findings and the record of a run are put; None if nowhere."""

    @property
    def takes_whole(self) -> bool:
        """Whether it needs all records before it can take any."""

    @property
    def adds(self) -> bool:
        """Whether its records of removed files stay."""

    def look(
        self, layout: Layout, named: Sequence[Path], on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of a run, after checking that the target can hold its records.

        Raises CallError for any error of the call, before a file is read.
        """

    def locked(self, layout: Layout) -> AbstractContextManager[None]:
        """Keeps other runs from writing into the same target; waits until they have ended."""

    def remembers(self) -> Mapping[str, Any] | None:
        """The record of the last run into the target; None if there is none."""

    def saved(self, table: str) -> SavedOutput | None:
        """The target's content of a table; None if unknown."""

    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> AbstractContextManager[Writing]:
        """Begin to write tables with these columns. Without `commit` nothing changes."""


@dataclass(frozen=True)
class OnDisk:
    """What stores have in common that are a local file or folder."""

    path: Path
    on_wait: OnWait = field(default=lambda _: None, kw_only=True)
    """Called with a sentence before a run waits for another one."""

    @property
    def shown(self) -> str:
        """The path."""
        return str(self.path)

    @property
    def file(self) -> Path:
        """The path."""
        return self.path

    def record_folder(self, tables: Sequence[str]) -> Path:
        """Beside it."""
        return run_folder(self.path)

    def locked(self, layout: Layout) -> AbstractContextManager[None]:
        """By the path."""
        return turn_of(self.path, self.on_wait)

    def remembers(self) -> Mapping[str, Any] | None:
        """The record beside it."""
        return earlier_record(self.path)

    def saved(self, table: str) -> SavedOutput | None:
        """What the last run wrote."""
        # Imported for an output that is there alone.
        from boreotabula.stores.saved import known_output

        return known_output(self.path, table)


class WritingBase:
    """A base for stores that take records and have no findings about them."""

    def readings(self) -> Iterator[FileReading] | None:
        """They are read by the run."""
        return None

    def take(self, reading: FileReading) -> FileReading:
        """Its records are taken in another way."""
        return reading

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Their records are taken in another way."""

    def settle(self, run: Run) -> Run:
        """No row that is there matters."""
        return run

    def commit(self, run: Run) -> None:
        """Nothing is kept."""


def schemas_of(layout: Layout) -> dict[str, pa.Schema]:
    """The columns of each output table that are written."""
    return {
        table: written_schema(layout, record_schema(layout.plan, table))
        for table in layout.plan.tables
    }


def written_schema(layout: Layout, schema: pa.Schema) -> pa.Schema:
    """The columns of a table that are written: without the source of records, if the layout wants
    none."""
    kept = [value for value in schema if layout.spec.provenance or value.name not in PROVENANCE]
    return pa.schema(kept)
