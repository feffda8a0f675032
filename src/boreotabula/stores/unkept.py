"""Targets that remember nothing: standard output, and no target at all."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.errors import CallError
from boreotabula.stores.csv import CsvWriter, guarded
from boreotabula.stores.store import OnFetched, Task, WritingBase


@dataclass(frozen=True)
class Nowhere:
    """A trial: records are read, and stay in memory."""

    shown: str = ""
    file: Path | None = None
    takes_whole: bool = True
    adds: bool = False

    def record_folder(self, tables: Sequence[str]) -> None:
        """Nowhere."""

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of the layout's source folders."""
        return look(layout, named=named, on_fetched=on_fetched)

    def locked(self, layout: Layout) -> AbstractContextManager[None]:
        """Nobody else has it."""
        return nullcontext()

    def remembers(self) -> None:
        """Nothing."""

    def saved(self, table: str) -> None:
        """Nothing."""

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[WritingBase]:
        """Takes anything."""
        yield WritingBase()


@dataclass(frozen=True)
class Stdout(Nowhere):
    """The records of the only table as CSV on a stream, as they come."""

    stream: BinaryIO | None = None
    safe_csv: bool = False
    takes_whole: bool = False

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The same files. Raises CallError if there are several tables, or their columns grow."""
        # Records go out as they come, so all columns must be known before the first.
        if layout.plan.grows or len(layout.plan.tables) > 1:
            raise CallError(
                "only one table of known columns can be written to stdout; write into a file or"
                " folder"
            )
        return super().look(layout, named, on_fetched)

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[_Streamed]:
        """Start with the heading line."""
        assert self.stream is not None
        ((_, schema),) = tables.items()
        writer = CsvWriter(self.stream, guarded(schema) if self.safe_csv else schema)
        yield _Streamed(writer, schema.names)
        # The stream is the caller's, who closes it.
        self.stream.flush()


@dataclass
class _Streamed(WritingBase):
    """Records are out as soon as they are taken."""

    writer: CsvWriter
    names: Sequence[str]

    def take(self, reading: FileReading) -> FileReading:
        """Write the records of a reading."""
        for tab in reading.tabs:
            for batch in tab.tables.values():
                self.writer.write(batch.select(self.names))
        return reading
