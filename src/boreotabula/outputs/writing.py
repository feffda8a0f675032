"""Running a layout straight into an output; its ending says which kind it is.

A layout with several output tables writes a folder, with a file for each table.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, closing, contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.csv import CsvWriter
from boreotabula.outputs.into import BASES, check_target, into_workbook
from boreotabula.outputs.kinds import KINDS, Writer, known_kind, opened
from boreotabula.outputs.reuse import OldOutput, Part, Written, copy_part, may_be_taken, old_output
from boreotabula.outputs.sqlite import Database
from boreotabula.reading.findings import Finding
from boreotabula.reading.records import record_schema
from boreotabula.runs.earlier import Before, earlier_record, since, wrote
from boreotabula.runs.every_file import FILE_TWICE, Means, digests, read_all
from boreotabula.runs.extraction import Run, gather, read_each
from boreotabula.runs.files import FileReading
from boreotabula.runs.inbox import RUN_RECORD, Inbox, check_output, look, run_folder
from boreotabula.runs.layouts import Layout
from boreotabula.runs.placing import KeepOld, placed, placed_folder, told
from boreotabula.runs.record import write_record

OnFile = Callable[[FileReading], None]


def look_for(
    layout: Layout, out: Path, named: Sequence[Path] = (), *, overwrite: bool = False
) -> Inbox:
    """The files of the layout's source folders, once it is sure that `out` can be written.

    Raises CallError for an unknown ending, a missing folder, an output that is an input, or a file
    that no run has written, unless that may be overwritten.
    """
    tables = list(layout.plan.tables)
    if len(tables) > 1 and not out.name.lower().endswith(_SEVERAL):
        _check_folder(out, tables)
    else:
        known_kind(out)
        if out.is_dir():
            raise CallError(f"“{out}” is a folder; name a file")
    if not out.parent.is_dir():
        raise CallError(f"there is no folder “{out.parent}” to write “{out.name}” into")
    check_output(layout, out, named)
    if not overwrite and _is_foreign(out):
        raise CallError(
            f"“{out}” was not written by an extract, so it is left alone; choose another name, or"
            " replace it with --overwrite (--into puts records into a workbook that is there)"
        )
    return look(layout, own=(out, run_folder(out)), named=named)


def _is_foreign(out: Path) -> bool:
    """Whether a file holds something that no run has written."""
    return out.is_file() and out.stat().st_size > 0 and not wrote(out)


_SEVERAL = tuple(ending for ending, kind in KINDS.items() if kind.several)


def _check_folder(out: Path, tables: Sequence[str]) -> None:
    if out.suffix:
        named = ", ".join(f"{table}.csv" for table in tables)
        raise CallError(
            f"“{out}”: this layout has {len(tables)} output tables; name a folder, {named} will be"
            f" written into it, or a file that holds several tables ({', '.join(_SEVERAL)})"
        )
    if out.is_file():
        raise CallError(f"“{out}” is a file; name a folder")
    ours = (run_folder(out) / RUN_RECORD).is_file()
    if out.is_dir() and any(out.iterdir()) and not ours:
        raise CallError(
            f"the folder “{out}” was not written by a run, so it is left alone; name a new one"
        )


def extract_into(
    layout: Layout, inbox: Inbox, out: Path, on_file: OnFile, means: Means, *, strict: bool = False
) -> Run:
    """Read the files of an inbox and write their records to `out` as they come.

    The run's record is written beside it. If nothing could be read, both stay as they were; if
    `strict`, so they do while a finding is an error. An output that would be the same again is left
    as it is. Raises CallError if something cannot be written.
    """
    if layout.plan.grows:
        return _write_whole(layout, inbox, out, on_file, means, strict=strict)
    old = old_output(out, earlier_record(out)) if means.kept and not means.fresh else None
    known = digests(inbox)
    keys = {one.name: means.kept.key(one, known[one.name]) for one in inbox.taken if means.kept}
    readings = read_all(layout, inbox, means, known)
    if old and keys and old.is_same(keys):
        run = _compared(gather(layout, inbox, _told(readings, on_file), keep_records=False), out)
        if may_write(run, strict=strict):
            write_record(run, out, old.written.described())
        return run
    with _outputs(layout, out, old) as output:
        output.keys = {name: key for name, key in keys.items() if known[name]}
        run = gather(layout, inbox, output.written(readings, on_file), keep_records=False)
        run = _compared(run, out)
        if not may_write(run, strict=strict):
            raise KeepOld
        output.close()
        same = all(known[one.name] == one.digest for one in run.files)
        write_record(run, out, output.described() if same else None)
    return run


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
    known = digests(inbox)
    readings = read_all(layout, inbox, means, known)
    before = Before.of(earlier_record(target), known)
    whole: Run | None = None
    schemas = _schemas(layout)
    if append or layout.plan.grows:  # rows or columns are known only once all files are read
        whole = gather(layout, inbox, _told(readings, on_file), keep_records=True)
        schemas = {table: records.schema for table, records in whole.tables.items()}
    if target.suffix.lower() in BASES:
        return _into_base(
            layout, inbox, target, schemas, whole or readings, on_file, before, strict
        )
    return _into_book(
        layout, inbox, target, schemas, whole or readings, on_file, before, tab, append, strict
    )


def _into_base(
    layout: Layout,
    inbox: Inbox,
    target: Path,
    schemas: Mapping[str, pa.Schema],
    source: Run | Iterable[FileReading],
    on_file: OnFile,
    before: Before,
    strict: bool,
) -> Run:
    """Put records into a database: those of the files that are read take the place of what it held
    of them, under whatever name."""
    with told(target), closing(Database(target, schemas, layout.spec.key)) as base:
        if isinstance(source, Run):
            run = _compared(source, target)
            for file in _replaced(run, before):
                for table in schemas:
                    base.forget(table, [file])
            _write_tables(run, base.writers)
        else:
            fresh = _forgotten(source, base, list(schemas), before)
            run = _gathered(layout, inbox, _Output(base.writers).written(fresh, on_file), target)
        run = replace(run, files_kept=before.without(_replaced(run, before)))
        if may_write(run, strict=strict):
            base.commit()
            write_record(run, target)
    return run


def _into_book(
    layout: Layout,
    inbox: Inbox,
    target: Path,
    schemas: Mapping[str, pa.Schema],
    source: Run | Iterable[FileReading],
    on_file: OnFile,
    before: Before,
    tab: str | None,
    append: bool,
    strict: bool,
) -> Run:
    """Put records into a workbook. Rows that no run has written stay."""
    with closing(into_workbook(target, schemas, tab)) as book:
        ours = {*before.files, *(one.name for one in inbox.taken)}
        run = _compared(source, target) if isinstance(source, Run) else None
        replaced = _replaced(run, before) if append and run else ours
        foreign = sum(one.keep(replaced, ours) for one in book.tables)
        if run is None:
            assert not isinstance(source, Run)
            output = _Output(book.writers)
            run = _gathered(layout, inbox, output.written(source, on_file), target)
        else:
            _write_tables(run, book.writers)
        if foreign:
            run = replace(run, findings=(*run.findings, _rows_kept(target, foreign)))
        if append:
            run = replace(run, files_kept=before.without(replaced))
        with placed(target) as stream:
            if not may_write(run, strict=strict):
                raise KeepOld
            book.fill()
            book.package.write(stream)
            write_record(run, target, tabs=dict(zip(schemas, book.tabs, strict=True)))
    return run


def _write_tables(run: Run, writers: Mapping[str, Writer]) -> None:
    for table, records in run.tables.items():
        for batch in records.to_batches():
            writers[table].write(batch)


def _replaced(run: Run, before: Before) -> set[str]:
    """The files whose records a run replaces: those that it read, copies of them, and what they
    were called before."""
    read = {one.name for one in run.files if one.read}
    twice = {one.file for one in run.findings if one.code == FILE_TWICE}
    return read | twice | {before.renamed[name] for name in read if name in before.renamed}


def _rows_kept(target: Path, number: int) -> Finding:
    rows = "1 row" if number == 1 else f"{number:,} rows"
    return Finding(
        "rows-kept",
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


def _gathered(layout: Layout, inbox: Inbox, readings: Iterable[FileReading], out: Path) -> Run:
    return _compared(gather(layout, inbox, readings, keep_records=False), out)


def look_into(
    layout: Layout, target: Path, tab: str | None = None, named: Sequence[Path] = ()
) -> Inbox:
    """The files of the layout's source folders, once records may go into a file that is there.

    Raises CallError if they may not.
    """
    check_target(target, tab, layout.plan.tables)
    check_output(layout, target, named)
    return look(layout, own=(target, run_folder(target)), named=named)


def stream_csv(
    layout: Layout, inbox: Inbox, stream: BinaryIO, on_file: OnFile, means: Means
) -> Run:
    """Write the records of the only table as CSV to a stream while files are read."""
    if layout.plan.grows or len(layout.plan.tables) > 1:
        raise CallError(
            "only one table of known columns can be written to stdout; write into a file or folder"
        )
    ((table, schema),) = _schemas(layout).items()
    output = _Output({table: CsvWriter(stream, schema)})
    readings = read_all(layout, inbox, means, digests(inbox))
    run = gather(layout, inbox, output.written(readings, on_file), keep_records=False)
    stream.flush()
    return run


def _told(readings: Iterable[FileReading], on_file: OnFile) -> Iterator[FileReading]:
    for reading in readings:
        on_file(reading)
        yield reading


def _compared(run: Run, out: Path) -> Run:
    """A run with what has changed since the one that wrote the output before."""
    record = earlier_record(out)
    if record is None:
        return run
    return replace(run, since=since(record, ((one.name, one.digest) for one in run.files)))


def may_write(run: Run, *, strict: bool) -> bool:
    """Whether the output of a run is put in place."""
    return run.exit_status == 0 or (run.exit_status == 1 and not strict)


def _write_whole(
    layout: Layout, inbox: Inbox, out: Path, on_file: OnFile, means: Means, *, strict: bool
) -> Run:
    """The same for output tables whose columns are known only once all files are read."""
    readings = read_each(layout, inbox, on_file, means)
    run = _compared(gather(layout, inbox, readings, keep_records=True), out)
    schemas = {table: records.schema for table, records in run.tables.items()}
    with _opened(schemas, out, layout.spec.key) as output:
        if not may_write(run, strict=strict):
            raise KeepOld
        for table, records in run.tables.items():
            for batch in records.to_batches():
                output.writers[table].write(batch)
        output.close()
        write_record(run, out)
    return run


def _schemas(layout: Layout) -> dict[str, pa.Schema]:
    return {table: record_schema(layout.plan, table) for table in layout.plan.tables}


@dataclass
class _Output:
    """An output that is being written, and which of its bytes are from which file."""

    writers: Mapping[str, Writer]
    ends: Sequence[Callable[[], None]] = ()
    """What writes the end of each file."""
    stream: BinaryIO | None = None
    """The stream, if its lines can be taken over from an older output or by a later one."""
    old: OldOutput | None = None
    old_stream: BinaryIO | None = None
    modified_ns: int = 0
    file: BinaryIO | None = None
    """The stream of an output of one file, whatever its kind."""
    keys: Mapping[str, str] = field(default_factory=dict)
    """By each file that is read, in order, the key of its result."""
    parts: dict[str, Part] = field(default_factory=dict)

    def written(self, readings: Iterable[FileReading], on_file: OnFile) -> Iterator[FileReading]:
        """Write the records of each reading, or take them over."""
        for reading in readings:
            start = self._place()
            key = self.keys.get(reading.name, "")
            part = self.old.part(reading, key) if self.old and key else None
            if part is not None and self.old_stream and self.stream:
                copy_part(self.old_stream, part, self.stream)
            else:
                for tab in reading.tabs:
                    for table, batch in tab.tables.items():
                        self.writers[table].write(batch)
            if self.stream is not None and may_be_taken(reading):
                self.parts[reading.name] = (start, self._place())
            on_file(reading)
            yield reading

    def close(self) -> None:
        """Write the end of the output."""
        for end in self.ends:
            end()

    def _place(self) -> int:
        if self.stream is None:
            return 0
        self.stream.flush()
        return os.lseek(self.stream.fileno(), 0, os.SEEK_CUR)

    def described(self) -> dict[str, object] | None:
        """What the record of the run says of the output; nothing if it cannot be known again."""
        if self.file is None or not self.keys:
            return None
        self.file.flush()
        size = os.fstat(self.file.fileno()).st_size
        return Written(size, self.modified_ns, self.keys, self.parts).described()


@contextmanager
def _outputs(layout: Layout, out: Path, old: OldOutput | None) -> Iterator[_Output]:
    """The output of a run, that can take over lines of an older one."""
    with _opened(_schemas(layout), out, layout.spec.key) as output:
        if old is None or output.stream is None:
            yield output
        else:
            with old.path.open("rb") as before:
                output.old, output.old_stream = old, before
                yield output


@contextmanager
def _opened(schemas: Mapping[str, pa.Schema], out: Path, key: Sequence[str]) -> Iterator[_Output]:
    """A writer for each output table; what they write is put in place at the end, or not at all."""
    if len(schemas) == 1 or out.name.lower().endswith(_SEVERAL):
        kind = known_kind(out)
        now = time.time_ns()
        with placed(out, now) as stream, opened(kind, stream, schemas, key) as one:
            by_line = stream if kind.by_line else None
            yield _Output(one.writers, [one.close], by_line, modified_ns=now, file=stream)
        return
    with placed_folder(out) as folder, ExitStack() as stack:
        files = {
            table: stack.enter_context((folder / f"{table}.csv").open("wb")) for table in schemas
        }
        yield _Output({table: CsvWriter(files[table], one) for table, one in schemas.items()})
