"""Running a layout into a workbook or database that is there: whose rows go, and whose stay."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.into import BASES, check_target, into_workbook
from boreotabula.outputs.kinds import Writer
from boreotabula.outputs.sqlite import Database
from boreotabula.pipeline.new_output import (
    OnFile,
    Output,
    compared,
    gathered,
    may_write,
    schemas_of,
    with_news,
)
from boreotabula.reading.findings import Code, Finding
from boreotabula.runs.atomic import KeepOld, placed, told
from boreotabula.runs.file.read import FileReading
from boreotabula.runs.inputs import Inbox, check_output, look, run_folder
from boreotabula.runs.layouts.load import Layout
from boreotabula.runs.read_all import FILE_TWICE, Means, digests, read_all
from boreotabula.runs.run.earlier import Before, earlier_record
from boreotabula.runs.run.gather import Run, gather
from boreotabula.runs.run.record import write_record
from boreotabula.texts import counted


def look_into(
    layout: Layout, target: Path, tab: str | None = None, named: Sequence[Path] = ()
) -> Inbox:
    """The files of the layout's source folders, once records may go into a file that is there.

    Raises CallError if they may not.
    """
    check_target(target, tab, layout.plan.tables)
    check_output(layout, target, named)
    return look(layout, own=(target, run_folder(target)), named=named)


def extract_into_file(
    layout: Layout,
    inbox: Inbox,
    target: Path,
    on_file: OnFile,
    means: Means,
    *,
    tab: str | None = None,
    append: bool = False,
    strict: bool = False,
) -> Run:
    """Read the files of an inbox and put their records into a workbook or database that is there.

    In a workbook they replace the table of a tab; with `append` only the records of the files that
    are read, as in a database. Raises CallError, which says what could not be kept.
    """
    if layout.plan.keeps_unknown:
        raise CallError(
            '`unknown_headings = "keep"` makes columns come and go; write a file of its own with -o'
        )
    known = digests(inbox, means.limits)
    readings = read_all(layout, inbox, means, known)
    before = Before.of(earlier_record(target), known)
    whole: Run | None = None
    schemas = schemas_of(layout)
    if append or layout.plan.grows:  # rows or columns are known only once all files are read
        whole = gather(layout, inbox, with_news(readings, on_file), keep_records=True)
        schemas = {table: records.schema for table, records in whole.tables.items()}
    into = _IntoFile(layout, inbox, target, before, on_file, strict)
    if target.suffix.lower() in BASES:
        return into.base(schemas, whole or readings)
    return into.book(schemas, whole or readings, tab, append=append)


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

    def base(self, schemas: Mapping[str, pa.Schema], source: _Source) -> Run:
        """Put records into a database: those of the files that are read take the place of what it
        held of them, under whatever name."""
        with (
            told(self.target),
            closing(Database(self.target, schemas, self.layout.spec.key)) as base,
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
                write_record(run, self.target)
        return run

    def book(
        self, schemas: Mapping[str, pa.Schema], source: _Source, tab: str | None, *, append: bool
    ) -> Run:
        """Put records into a workbook. Rows that no run has written stay."""
        with closing(into_workbook(self.target, schemas, tab)) as book:
            ours = {*self.before.files, *(one.name for one in self.inbox.taken)}
            replaced: Collection[str] = ours
            if append and isinstance(source, Run):
                replaced = _replaced(source, self.before)
            foreign = sum(one.keep(replaced, ours) for one in book.tables)
            run = self._written(source, book.writers)
            if foreign:
                told_rows = _rows_kept(self.target, foreign)
                run = replace(run, findings=(*run.findings, told_rows))
            if append:
                run = replace(run, files_kept=self.before.without(replaced))
            with placed(self.target) as stream:
                if not may_write(run, strict=self.strict):
                    raise KeepOld
                book.fill()
                book.package.write(stream)
                tabs = dict(zip(schemas, book.tabs, strict=True))
                write_record(run, self.target, tabs=tabs)
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
    twice = {one.file for one in run.findings if one.code == FILE_TWICE}
    return read | twice | {before.renamed[name] for name in read if name in before.renamed}


def _rows_kept(target: Path, number: int) -> Finding:
    rows = counted(number, "row")
    return Finding(
        Code.ROWS_KEPT,
        f"{rows} of “{target.name}” {'is' if number == 1 else 'are'} of no run, and stayed as"
        f" {'it is' if number == 1 else 'they are'}",
        "Nothing to do, if they were written by hand or by another layout; else delete them there.",
        looked_for="a source_file that a run has read",
        found=rows,
    )


def _forgotten(
    readings: Iterable[FileReading], base: Database, tables: Sequence[str], before: Before
) -> Iterator[FileReading]:
    """The readings; what a database holds of a file goes once it is read anew, or is a copy."""
    for reading in readings:
        if reading.read or any(one.code == FILE_TWICE for one in reading.findings):
            names = [reading.name, before.renamed.get(reading.name, reading.name)]
            for table in tables:
                base.forget(table, names)
        yield reading
