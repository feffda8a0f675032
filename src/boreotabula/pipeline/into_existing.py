"""Running a layout into a workbook or database that is there: whose rows go, and whose stay."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.findings.files import FILE_TWICE
from boreotabula.findings.finding import Finding
from boreotabula.findings.masters import CHANGED_BY_HAND, REMARK_GONE, ROWS_KEPT
from boreotabula.layout.headings import normal_form
from boreotabula.outputs.bases.address import address_of, is_server
from boreotabula.outputs.bases.base import Base, open_base
from boreotabula.outputs.into import BASES, check_target
from boreotabula.outputs.kinds import Writer
from boreotabula.outputs.master.book import Book, Taking, into_workbook
from boreotabula.outputs.master.table import Merged
from boreotabula.pipeline.new_output import (
    OnFetched,
    OnFile,
    Output,
    compared,
    gathered,
    may_write,
    schemas_of,
    with_news,
)
from boreotabula.runs.atomic import KeepOld, placed, told
from boreotabula.runs.file.read import FileReading
from boreotabula.runs.inputs import Inbox, check_output, look
from boreotabula.runs.layouts.load import Layout
from boreotabula.runs.read_all import Means, digests, read_all
from boreotabula.runs.run.earlier import Before, earlier_record
from boreotabula.runs.run.gather import RowCounts, Run, gather
from boreotabula.runs.run.record import write_record
from boreotabula.runs.run_folders import run_folder


def look_into(
    layout: Layout,
    target: Path,
    tab: str | None = None,
    named: Sequence[Path] = (),
    on_fetched: OnFetched | None = None,
) -> Inbox:
    """The files of the layout's source folders, once records may go into a file that is there.

    Raises CallError if they may not.
    """
    check_target(target, tab, layout.plan.tables)
    check_output(layout, target, named, own=(target,))
    own = (target, run_folder(target))
    return look(layout, own=own, named=named, on_fetched=on_fetched)


def extract_into_file(
    layout: Layout,
    inbox: Inbox,
    target: Path,
    on_file: OnFile,
    means: Means,
    *,
    tab: str | None = None,
    replace_all: bool = False,
    no_source: bool = False,
    add_columns: bool = False,
    strict: bool = False,
) -> Run:
    """Read the files of an inbox and put their records into a workbook or database that is there.

    The records of files that are read take the place of what there is of them; with `replace_all`
    those of files that a run has read before go too. `no_source` leaves a table of a workbook
    without columns that tell where its rows are from, `add_columns` adds to the table of a database
    those that it lacks. Raises CallError, which says what could not be kept.
    """
    if layout.plan.keeps_unknown:
        raise CallError(
            '`unknown_headings = "keep"` makes columns come and go; write a file of its own with -o'
        )
    if not layout.spec.provenance and target.suffix.lower() in BASES:
        raise CallError(
            "`provenance = false`: a database needs the columns source_file, source_tab and"
            " source_cell to know its rows again; write a file with -o"
        )
    no_source = no_source or not layout.spec.provenance
    known = digests(inbox, means.limits)
    readings = read_all(layout, inbox, means, known)
    before = Before.of(earlier_record(target), known)
    into = _IntoFile(layout, inbox, target, before, on_file, strict)
    book = target.suffix.lower() not in BASES
    whole: Run | None = None
    schemas = schemas_of(layout)
    if book or layout.plan.grows:  # rows or columns are known only once all files are read
        whole = gather(layout, inbox, with_news(readings, on_file), keep_records=True)
        schemas = {table: records.schema for table, records in whole.tables.items()}
    if whole is None or not book:
        return into.base(schemas, whole or readings, tab, add_columns=add_columns)
    taking = Taking(layout.plan.names, layout.spec.key, tab, no_source)
    with closing(into_workbook(target, schemas, taking)) as opened:
        return into.book(opened, whole, replace_all=replace_all)


_Source = Run | Iterable[FileReading]
"""A run whose records are all there, or readings that are taken in as they come."""


@dataclass(frozen=True)
class _IntoFile:
    """What is needed to put the records of a run into a file that is there."""

    layout: Layout
    inbox: Inbox
    target: Path
    before: Before
    on_file: OnFile
    strict: bool

    @property
    def _shown(self) -> object:
        """What stands for the target in messages."""
        return address_of(self.target) if is_server(self.target) else self.target

    def base(
        self,
        schemas: Mapping[str, pa.Schema],
        source: _Source,
        tab: str | None,
        *,
        add_columns: bool,
    ) -> Run:
        """Put records into a database: those of the files that are read take the place of what it
        held of them, under whatever name."""
        with (
            told(self._shown),
            closing(
                open_base(
                    self.target,
                    schemas,
                    self.layout.spec.key,
                    _headings(self.layout),
                    tab=tab,
                    add_columns=add_columns,
                )
            ) as base,
        ):
            if isinstance(source, Run):
                for table in schemas:
                    base.forget(table, _replaced(source, self.before))
            else:
                source = _forgotten(source, base, list(schemas), self.before)
            run = self._written(source, base.writers)
            run = replace(run, files_kept=self.before.without(_replaced(run, self.before)))
            if may_write(run, strict=self.strict):
                base.commit()
                address = str(address_of(self.target)) if is_server(self.target) else ""
                tabs = {one: tab or one for one in schemas}
                write_record(run, self.target, tabs=tabs, address=address)
        return run

    def book(self, book: Book, run: Run, *, replace_all: bool) -> Run:
        """Put records into a workbook. Rows that no run has written stay, and are told."""
        ours = {*self.before.files, *(one.name for one in self.inbox.taken)}
        again = ours if replace_all else _replaced(run, self.before)
        unchanged = {one.name for one in run.files if self.before.files.get(one.name) == one.digest}
        names = {old: new for new, old in self.before.renamed.items()}
        merged = [
            one.merge(run.tables[table], again, ours, unchanged, names)
            for table, one in book.tables.items()
        ]
        run = compared(run, self.target)
        run = replace(
            run,
            rows=sum((one.counts for one in merged), RowCounts()),
            findings=(*run.findings, *_told(book, merged)),
            files_kept={} if replace_all else self.before.without(again),
        )
        with placed(self.target, now := time.time_ns()) as stream:
            if not may_write(run, strict=self.strict):
                raise KeepOld
            columns = {table: one.headings for table, one in book.tables.items()}
            if not book.fill():
                old = self.target.stat()
                write_record(run, self.target, _looks(old), book.tabs, columns)
                raise KeepOld
            book.write(stream)
            stream.flush()
            size = os.fstat(stream.fileno()).st_size
            written = {"size": size, "modified_ns": now}
            write_record(run, self.target, written, book.tabs, columns)
        return run

    def _written(self, source: _Source, writers: Mapping[str, Writer]) -> Run:
        """The run, once its records are with the writers."""
        if not isinstance(source, Run):
            fresh = Output(writers).written(source, self.on_file)
            return gathered(self.layout, self.inbox, fresh, self.target)
        for table, records in source.tables.items():
            for batch in records.to_batches():
                writers[table].write(batch)
        return compared(source, self.target)


def _replaced(run: Run, before: Before) -> set[str]:
    """The files whose records a run replaces: those that it read, copies of them, and what they
    were called before."""
    read = {one.name for one in run.files if one.read}
    twice = {one.file for one in run.findings if one.kind == FILE_TWICE}
    return read | twice | {before.renamed[name] for name in read if name in before.renamed}


def _headings(layout: Layout) -> dict[str, str]:
    """What the fields are called in the forms, by the layout and its glossaries."""
    found = {}
    for name, one in layout.spec.fields.items():
        known = one.also or layout.plan.names.headings_of(name)
        # With a unit in brackets behind it a heading is no other one.
        plain = [text for text in known if not text.endswith((")", "]"))]
        others = [text for text in plain if normal_form(text) != normal_form(name)]
        found[name] = ", ".join(others[:_MOST_HEADINGS]) or name
    return found


_MOST_HEADINGS = 3


def _looks(found: os.stat_result) -> dict[str, int]:
    return {"size": found.st_size, "modified_ns": found.st_mtime_ns}


def _told(book: Book, merged: Sequence[Merged]) -> Iterator[Finding]:
    """What a person should know of the rows of a workbook."""
    foreign = sum(one.foreign for one in merged)
    if foreign:
        yield _rows_kept(book.path, foreign)
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
        if one.by_hand:
            numbers = [row.cell.row + 1 for row in one.by_hand]
            yield CHANGED_BY_HAND(
                rows=len(numbers), book=book.path.name, master_tab=tab, numbers=numbers
            )


def _rows_kept(target: Path, number: int) -> Finding:
    return ROWS_KEPT(rows=number, book=target.name)


def _forgotten(
    readings: Iterable[FileReading], base: Base, tables: Sequence[str], before: Before
) -> Iterator[FileReading]:
    """The readings; what a database holds of a file goes once it is read anew, or is a copy."""
    for reading in readings:
        if reading.read or any(one.kind == FILE_TWICE for one in reading.findings):
            names = [reading.name, before.renamed.get(reading.name, reading.name)]
            for table in tables:
                base.forget(table, names)
        yield reading
