"""A file that is written anew by each run, of the kind that its ending says; for a layout with
several output tables, a folder with a file for each."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from boreotabula.batch.atomic import DiscardOutput, atomic_write, placed_folder, reporting_errors
from boreotabula.batch.evidence import DECIDED, content_digest
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.output_checks import check_output, check_place
from boreotabula.batch.run.earlier import earlier_record, wrote
from boreotabula.batch.run.outcome import Run
from boreotabula.batch.run.record import OutputNotes, write_record
from boreotabula.batch.run.sources import Sources
from boreotabula.batch.run_folders import (
    RUN_RECORD,
    as_it_was_written,
    last_run_folder,
    run_folder,
)
from boreotabula.errors import CallError
from boreotabula.layout.model import PROVENANCE
from boreotabula.stores.csv import CsvWriter, guarded
from boreotabula.stores.kinds import KINDS, Writer, known_kind, open_output
from boreotabula.stores.reuse import (
    OldOutput,
    OutputEntry,
    Part,
    copy_part,
    is_reusable,
    old_output,
)
from boreotabula.stores.store import OnDisk, OnFetched, Task, WritingBase

_SEVERAL = tuple(ending for ending, kind in KINDS.items() if kind.several)


@dataclass(frozen=True)
class NewFile(OnDisk):
    """The file at a path, or the folder of that name.

    An output that would not change is left alone; otherwise its old content is kept in the run
    folder. With `safe_csv` texts are written so that no spreadsheet program takes one for a
    formula.
    """

    overwrite: bool = False
    safe_csv: bool = False
    takes_whole: bool = False
    adds: bool = False

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of the layout's source folders, after checking that the output can be written.

        Raises CallError for an unknown ending, a missing folder, an output that is an input, or a
        file that no run has written, unless it may be overwritten.
        """
        out, tables = self.path, list(layout.plan.tables)
        if self._in_folder(tables):
            # A name with an ending was meant as a file.
            if out.suffix:
                raise _no_folder(out, tables)
        else:
            known_kind(out)
            if out.is_dir():
                raise CallError(f"“{out}” is a folder; name a file")
        check_place(out)
        # Before any file is read, as reading may take an hour.
        check_output(layout, out, named)
        with self.locked(layout):  # a run that ends just now has put its record, not its output
            self._check_own(tables)
        return look(layout, own=(out, run_folder(out)), named=named, on_fetched=on_fetched)

    def _in_folder(self, tables: Collection[str]) -> bool:
        """Whether each table is a file in a folder."""
        return len(tables) > 1 and not self.path.name.lower().endswith(_SEVERAL)

    def _check_own(self, tables: Collection[str]) -> None:
        """Raises CallError if the existing output was not left so by a run, and may not be
        replaced."""
        if self._in_folder(tables):
            check_output_folder(self.path, overwrite=self.overwrite)
        elif self.path.is_file() and self.path.stat().st_size > 0 and not self.overwrite:
            _check_own(self.path, [self.path])

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[Output | _Same]:
        """A writer for each table; the output is put in place at the end, or not at all.

        Raises CallError if another run has changed the output so that it may not be replaced.
        """
        # Asked again, as another run may have ended since the look.
        self._check_own(tables)
        texts, kept = task.digests, task.means.kept
        old = old_output(self.path, self.remembers()) if kept and not task.means.fresh else None
        # Where columns follow from all files, lines cannot be told by the file that they are from.
        grows = task.layout.plan.grows
        lead = "safe " if self.safe_csv else ""
        keys = {
            source.name: lead + kept.key(source, texts[source.name])
            for source in task.inbox.taken
            if kept and not grows
        }
        # Nothing of it would differ, so the file keeps its time; programs that watch it have
        # nothing to do.
        if old and keys and old.is_same(keys):
            yield _Same(self, old)
            return
        schemas = {
            name: guarded(table) if self.safe_csv else table for name, table in tables.items()
        }
        with self._opened(schemas, task.layout.spec.key) as output, ExitStack() as stack:
            # An older output is read while the new one is written, so both are open.
            if old is not None and output.stream is not None:
                output.old, output.old_stream = old, stack.enter_context(old.path.open("rb"))
            output.keys = {name: key for name, key in keys.items() if texts[name]}
            output.sources = None if task.layout.spec.provenance else Sources()
            output.digests = texts
            yield output
            # Without a commit the target stays as it was.
            if not output.done:
                raise DiscardOutput

    @contextmanager
    def _opened(self, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Iterator[Output]:
        if not self._in_folder(schemas):
            kind = known_kind(self.path)
            now = time.time_ns()
            with (
                atomic_write(self.path, now) as stream,
                open_output(kind, stream, schemas, key) as one,
            ):
                by_line = stream if kind.by_line else None
                yield Output(self, one.writers, [one.close], by_line, modified_ns=now, file=stream)
            return
        with placed_folder(self.path) as folder, ExitStack() as stack:
            files = {
                # A file for each table, whatever their number, since CSV holds one.
                table: stack.enter_context((folder / f"{table}.csv").open("wb"))
                for table in schemas
            }
            yield Output(
                self,
                {table: CsvWriter(files[table], schema) for table, schema in schemas.items()},
                files={f"{table}.csv": file for table, file in files.items()},
            )


def _check_own(out: Path, files: Sequence[Path]) -> None:
    """Raises CallError if an output was not written by a run, or some of its files were changed
    since."""
    if not wrote(out):
        raise CallError(
            f"“{out}” was not written by extract, so it was not replaced; choose another name,"
            " or use --overwrite (--into puts records into a workbook that is there)"
        )
    record = earlier_record(out)
    if record is None:  # of an earlier version, which kept only that of the last output here
        return
    if record.get("rows") is not None:
        raise CallError(
            f"“{out}” has rows that were added with --into, so it was not replaced; choose another"
            " name, or use --overwrite"
        )
    changed = [
        file for file in files if not as_it_was_written(file, last_run_folder(out) / RUN_RECORD)
    ]
    if changed:
        raise CallError(
            f"“{changed[0]}” was changed or copied since extract wrote it, so it was not replaced;"
            " choose another name, or use --overwrite"
        )


def _no_folder(out: Path, tables: Sequence[str]) -> CallError:
    named = ", ".join(f"{table}.csv" for table in tables)
    return CallError(
        f"“{out}”: this layout has {len(tables)} output tables; name a folder, {named} will be"
        f" written into it, or a file that holds several tables ({', '.join(_SEVERAL)})"
    )


def check_output_folder(out: Path, *, overwrite: bool) -> None:
    """Raises CallError if an output cannot be a folder, or if an existing one was not written by a
    run, or was changed since."""
    if out.exists() and not out.is_dir():
        raise CallError(f"“{out}” is a file; name a folder")
    # The run folder alone says nothing: somebody else may have made a folder beside it.
    if out.is_dir() and any(out.iterdir()) and not wrote(out):
        raise CallError(
            f"the folder “{out}” was not written by extract, so it was not replaced; name a new one"
        )
    if out.is_dir() and not overwrite:
        _check_own(out, [path for path in out.rglob("*") if path.is_file()])


@dataclass
class _Same(WritingBase):
    """An output that would not change: only the record of the run is written."""

    store: NewFile
    old: OldOutput

    def commit(self, run: Run) -> None:
        """Keep the record of the run."""
        store = self.store
        notes = OutputNotes(self.old.written.described(), safe_csv=store.safe_csv)
        write_record(run, store.path, notes)


@dataclass
class Output(WritingBase):
    """An output that is being written, and which of its bytes are from which file."""

    store: NewFile
    writers: Mapping[str, Writer]
    ends: Sequence[Callable[[], None]] = ()
    """Writes the end of each file."""
    stream: BinaryIO | None = None
    """The stream, if its lines can be copied from an older output or by a later one."""
    old: OldOutput | None = None
    old_stream: BinaryIO | None = None
    modified_ns: int = 0
    file: BinaryIO | None = None
    """The stream of an output of one file, whatever its kind."""
    files: Mapping[str, BinaryIO] = field(default_factory=dict)
    """The stream of each file of an output that is a folder."""
    keys: Mapping[str, str] = field(default_factory=dict)
    """For each file that is read, in order, the key of its result."""
    sources: Sources | None = None
    """The sources of records, if the output has no columns for them."""
    digests: Mapping[str, str] = field(default_factory=dict)
    """The earlier content of each file, as digests."""
    used_keys: dict[str, str] = field(default_factory=dict)
    """The digests of files whose reading was also decided by others."""
    parts: dict[str, Part] = field(default_factory=dict)
    done: bool = False
    """Whether it replaces the older output."""

    def take(self, reading: FileReading) -> FileReading:
        """Write the records of a reading, or copy its lines."""
        start = self._place()
        key = self.keys.get(reading.name, "")
        if key and reading.digest != content_digest(reading.digest):
            # What else decided the reading tells its lines from others.
            key = self.used_keys[reading.name] = key + reading.digest.partition(DECIDED)[2]
        part = self.old.part(reading, key) if self.old and key else None
        # The bytes are copied within the file system, without being read.
        if part is not None and self.old_stream and self.stream:
            copy_part(self.old_stream, part, self.stream)
        else:
            for tab in reading.tabs:
                for table, batch in tab.tables.items():
                    self._write(table, batch)
        if self.sources is not None:
            for tab in reading.tabs:
                for table, batch in tab.tables.items():
                    self.sources.take(table, batch)
        # Lines that depend on other files must not be taken over by the next run.
        if self.stream is not None and is_reusable(reading):
            self.parts[reading.name] = (start, self._place())
        return reading

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """Write the records of all files."""
        for table, records in tables.items():
            for batch in records.to_batches():
                self._write(table, batch)
                if self.sources is not None:
                    self.sources.take(table, batch)

    def _write(self, table: str, batch: pa.RecordBatch) -> None:
        if self.sources is not None:
            # These columns are written beside the output, as the layout asks for.
            names = [name for name in batch.schema.names if name not in PROVENANCE]
            batch = batch.select(names)
        self.writers[table].write(batch)

    def commit(self, run: Run) -> None:
        """Write the end, and the record of the run; then replace the output."""
        store = self.store
        for end in self.ends:
            end()
        # What was there is kept before it is replaced; as a link, so it costs nothing.
        _keep_before(run, store.path)
        # A file that changed while it was read is not known by what it holds.
        same = all(self.digests[file.name] == content_digest(file.digest) for file in run.files)
        if not same:
            # Then the next run must read it anew.
            self.keys, self.used_keys, self.parts = {}, {}, {}
        notes = OutputNotes(self._described(), safe_csv=store.safe_csv)
        write_record(run, store.path, notes)
        if self.sources is not None:
            self.sources.keep(store.path)
        self.done = True

    def _place(self) -> int:
        if self.stream is None:
            return 0
        # The position of the file counts, not that of the buffer before it.
        self.stream.flush()
        return os.lseek(self.stream.fileno(), 0, os.SEEK_CUR)

    def _described(self) -> dict[str, object]:
        """The entries about the output in the record of the run, by which it is recognised."""
        if self.file is None:
            return {"files": {name: _looks(file) for name, file in self.files.items()}}
        self.file.flush()
        size = os.fstat(self.file.fileno()).st_size
        keys = {**self.keys, **self.used_keys}
        return OutputEntry(size, self.modified_ns, keys, self.parts).described()


def _looks(stream: BinaryIO) -> dict[str, int]:
    """The size of a file, and its last change."""
    stream.flush()
    looks = os.fstat(stream.fileno())
    return {"size": looks.st_size, "modified_ns": looks.st_mtime_ns}


def _keep_before(run: Run, out: Path) -> None:
    """Keep the old content of an output, if it changes."""
    record, since = earlier_record(out), run.since
    if record is None or since is None:
        return
    same = str(record.get("layout", {}).get("digest")) == run.layout.digest
    # The same files by the same layout give the same again: what was kept before stays.
    if not same or since.new or since.changed or since.gone or since.renamed:
        from boreotabula.stores.saved import keep_before  # for an output that is there alone

        with reporting_errors(out):
            keep_before(out)
