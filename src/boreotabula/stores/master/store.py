"""Records into an existing workbook: whose rows are removed, and whose stay."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import pyarrow as pa

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.inputs import Inbox, look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.output_checks import check_output
from boreotabula.batch.run.earlier import Before
from boreotabula.batch.run.outcome import RowCounts, Run
from boreotabula.batch.run.record import OutputNotes, write_record
from boreotabula.batch.run_folders import run_folder
from boreotabula.errors import CallError
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.files import FILE_TWICE
from boreotabula.findings.subjects.masters import (
    CHANGED_BY_HAND,
    REMARK_GONE,
    ROWS_KEPT,
    ROWS_WRITTEN_AGAIN,
)
from boreotabula.stores.master.book import Book, Taking, into_workbook
from boreotabula.stores.master.table import Merged
from boreotabula.stores.store import OnDisk, OnFetched, Task, WritingBase

BOOKS = (".xlsx", ".xlsm")


@dataclass(frozen=True)
class BookStore(OnDisk):
    """The workbook at a path. Rows that no run has written stay, with a finding."""

    tab: str | None = None
    """The tab that takes the records of the only table of the layout."""
    replace_all: bool = False
    """Whether rows of files that are not read now are removed."""
    no_source: bool = False
    """Whether a table gets no columns for the source of its rows."""
    takes_whole: bool = True
    adds: bool = True

    def look(
        self, layout: Layout, named: Sequence[Path] = (), on_fetched: OnFetched | None = None
    ) -> Inbox:
        """The files of the layout's source folders, after checking that records may go into the
        workbook.

        Raises CallError if they may not.
        """
        path = self.path
        if layout.plan.keeps_unknown:
            raise CallError(
                '`unknown_headings = "keep"` makes columns come and go; write a file of its own'
                " with -o"
            )
        if not path.is_file():
            raise CallError(f"there is no file “{path}”; write a new one with -o")
        if self.tab is not None and len(layout.plan.tables) > 1:
            raise CallError(
                "--into-tab names the tab of a workbook that takes the only table of a layout"
            )
        # Both spreadsheet programs put such a file beside a workbook that is open.
        lock = path.with_name(f"~${path.name}")
        other_path = path.with_name(f".~lock.{path.name}#")
        if lock.exists() or other_path.exists():
            raise CallError(f"“{path.name}” is open in a spreadsheet program; close it first")
        check_output(layout, path, named, own=(path,), beside_glossary=True)
        # Without a name for it any tab may be the glossary, also the one that would be filled.
        if "" in self._glossaries(layout):
            raise CallError(
                f"“{path}” holds a glossary of the layout; say in the layout which tab that is,"
                f" such as “{path.name}#Headings”, so that no record is written there"
            )
        return look(layout, own=(path, run_folder(path)), named=named, on_fetched=on_fetched)

    def _glossaries(self, layout: Layout) -> frozenset[str]:
        """The tabs or tables of this workbook that the layout reads as glossaries."""
        home = self.path.resolve()
        named = zip(layout.glossaries, layout.parts, strict=True)
        return frozenset(part for path, part in named if path.resolve() == home)

    @contextmanager
    def open(self, task: Task, tables: Mapping[str, pa.Schema]) -> Iterator[_Writing]:
        """The workbook, its tabs ready to take the records of each table."""
        layout = task.layout
        no_source = self.no_source or not layout.spec.provenance
        glossaries = self._glossaries(layout)
        taking = Taking(layout.plan.names, layout.spec.key, self.tab, no_source, glossaries)
        with closing(into_workbook(self.path, tables, taking)) as book:
            yield _Writing(self, task, book, Before.of(self.remembers(), task.digests))


@dataclass
class _Writing(WritingBase):
    """A run into a workbook."""

    store: BookStore
    task: Task
    book: Book
    before: Before
    tables: Mapping[str, pa.Table] | None = None

    def take_tables(self, tables: Mapping[str, pa.Table]) -> None:
        """The records of all files."""
        self.tables = tables

    def settle(self, run: Run) -> Run:
        """Pair the rows with the records. Raises CallError, which says what cannot be preserved."""
        before, book = self.before, self.book
        ours = {*before.files, *(source.name for source in self.task.inbox.taken)}
        again = ours if self.store.replace_all else _replaced(run, before)
        # By the digest with what decided its reading.
        unchanged = {file.name for file in run.files if before.files.get(file.name) == file.digest}
        names = {old: new for new, old in before.renamed.items()}
        tables = self.tables or {}
        merged = [
            master_table.merge(tables[table], again, ours, unchanged, names)
            for table, master_table in book.tables.items()
        ]
        return replace(
            run,
            rows=sum((merge.counts for merge in merged), RowCounts()),
            findings=(*run.findings, *_told(book, merged)),
            files_kept={} if self.store.replace_all else before.without(again),
        )

    def commit(self, run: Run) -> None:
        """Write the workbook, if anything changes, and the record of the run."""
        book, path = self.book, self.store.path
        columns = {table: master_table.headings for table, master_table in book.tables.items()}
        # Nothing differs, so the file keeps its time and its bytes.
        if not book.fill():
            result = path.stat()
            looks = {"size": result.st_size, "modified_ns": result.st_mtime_ns}
            write_record(run, path, OutputNotes(looks, book.tabs, columns))
            return
        # The time is set, so that it can be known again by it.
        with atomic_write(path, now := time.time_ns()) as stream:
            book.write(stream)
            written = {"size": os.fstat(stream.fileno()).st_size, "modified_ns": now}
            write_record(run, path, OutputNotes(written, book.tabs, columns))


def _replaced(run: Run, before: Before) -> set[str]:
    """The files whose records a run replaces: those that it read, copies of them, and their earlier
    names."""
    read = {file.name for file in run.files if file.read}
    twice = {finding.file for finding in run.findings if finding.kind == FILE_TWICE}
    return read | twice | {before.renamed[name] for name in read if name in before.renamed}


def _told(book: Book, merged: Sequence[Merged]) -> Iterator[Finding]:
    """Findings about the rows of a workbook."""
    foreign = sum(merge.foreign for merge in merged)
    if foreign:
        yield ROWS_KEPT(rows=foreign, book=book.path.name)
    for tab, one in zip(book.tabs.values(), merged, strict=True):
        for row in one.remarks:
            file, source_tab, cell = row.source
            yield REMARK_GONE(
                file=file,
                tab=source_tab,
                row=row.cell.row + 1,
                book=book.path.name,
                master_tab=tab,
                texts=list(row.texts),
                cell=cell,
            )
        if one.again:
            yield ROWS_WRITTEN_AGAIN(rows=one.again, book=book.path.name, master_tab=tab)
        if one.by_hand:
            numbers = [row.cell.row + 1 for row in one.by_hand]
            yield CHANGED_BY_HAND(
                rows=len(numbers), book=book.path.name, master_tab=tab, numbers=numbers
            )
