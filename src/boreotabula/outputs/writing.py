"""Running a layout straight into an output; its ending says which kind it is.

A layout with several output tables writes a folder, with a file for each table.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Protocol

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.csv import CsvWriter
from boreotabula.outputs.xlsx import XlsxBook
from boreotabula.reading.records import record_schema
from boreotabula.runs.extraction import Run, gather, read_all, read_each
from boreotabula.runs.files import FileReading
from boreotabula.runs.inbox import RUN_RECORD, Inbox, check_output, look, run_folder
from boreotabula.runs.layouts import Layout
from boreotabula.runs.placing import KeepOld, placed, placed_folder
from boreotabula.runs.record import write_record
from boreotabula.workbooks.limits import Limits

OnFile = Callable[[FileReading], None]


class Writer(Protocol):
    """Takes record batches of one schema, in order."""

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""


ENDINGS = (".csv", ".xlsx")
"""The kinds of output, by their ending. A workbook holds a tab for each output table."""


def look_for(layout: Layout, out: Path, named: Sequence[Path] = ()) -> Inbox:
    """The files of the layout's source folders, once it is sure that `out` can be written.

    Raises CallError for an unknown ending, a missing folder, or an output that is an input.
    """
    tables = list(layout.plan.tables)
    if len(tables) > 1 and out.suffix.lower() != ".xlsx":
        _check_folder(out, tables)
    else:
        _check_file(out)
    if not out.parent.is_dir():
        raise CallError(f"there is no folder “{out.parent}” to write “{out.name}” into")
    check_output(layout, out, named)
    return look(layout, own=(out, run_folder(out)), named=named)


def _check_file(out: Path) -> None:
    if out.suffix.lower() not in ENDINGS:
        known = ", ".join(ENDINGS)
        raise CallError(f"“{out}”: the ending says what to write; known: {known}")
    if out.is_dir():
        raise CallError(f"“{out}” is a folder; name a file")


def _check_folder(out: Path, tables: Sequence[str]) -> None:
    if out.suffix:
        named = ", ".join(f"{table}.csv" for table in tables)
        raise CallError(
            f"“{out}”: this layout has {len(tables)} output tables; name a folder, {named} will be"
            " written into it, or a workbook (.xlsx), with a tab for each"
        )
    if out.is_file():
        raise CallError(f"“{out}” is a file; name a folder")
    ours = (run_folder(out) / RUN_RECORD).is_file()
    if out.is_dir() and any(out.iterdir()) and not ours:
        raise CallError(
            f"the folder “{out}” was not written by a run, so it is left alone; name a new one"
        )


def extract_into(
    layout: Layout,
    inbox: Inbox,
    out: Path,
    on_file: OnFile,
    limits: Limits | None = None,
    *,
    strict: bool = False,
) -> Run:
    """Read the files of an inbox and write their records to `out` as they come.

    The run's record is written beside it. If nothing could be read, both stay as they were; if
    `strict`, so they do while a finding is an error. Raises CallError if something cannot be
    written.
    """
    if layout.plan.grows:
        return _write_whole(layout, inbox, out, on_file, limits, strict=strict)
    with _writers(_schemas(layout), out) as writers:
        readings = _written(read_all(layout, inbox, limits), writers, on_file)
        run = gather(layout, inbox, readings, keep_records=False)
        if not may_write(run, strict=strict):
            raise KeepOld
        write_record(run, out)
    return run


def may_write(run: Run, *, strict: bool) -> bool:
    """Whether the output of a run is put in place."""
    return run.exit_status == 0 or (run.exit_status == 1 and not strict)


def _write_whole(
    layout: Layout,
    inbox: Inbox,
    out: Path,
    on_file: OnFile,
    limits: Limits | None,
    *,
    strict: bool,
) -> Run:
    """The same for output tables whose columns are known only once all files are read."""
    run = gather(layout, inbox, read_each(layout, inbox, on_file, limits), keep_records=True)
    schemas = {table: records.schema for table, records in run.tables.items()}
    with _writers(schemas, out) as writers:
        if not may_write(run, strict=strict):
            raise KeepOld
        for table, records in run.tables.items():
            for batch in records.to_batches():
                writers[table].write(batch)
        write_record(run, out)
    return run


def _schemas(layout: Layout) -> dict[str, pa.Schema]:
    return {table: record_schema(layout.plan, table) for table in layout.plan.tables}


@contextmanager
def _writers(schemas: Mapping[str, pa.Schema], out: Path) -> Iterator[Mapping[str, Writer]]:
    """A writer for each output table; what they write is put in place at the end, or not at all."""
    if out.suffix.lower() == ".xlsx":
        with placed(out) as stream:
            book = XlsxBook(stream)
            try:
                yield {table: book.sheet(table, schema) for table, schema in schemas.items()}
            except BaseException:
                book.abandon()
                raise
            book.close()
        return
    if len(schemas) == 1:
        ((table, schema),) = schemas.items()
        with placed(out) as stream:
            yield {table: CsvWriter(stream, schema)}
        return
    with placed_folder(out) as folder, ExitStack() as streams:
        yield {
            table: CsvWriter(streams.enter_context((folder / f"{table}.csv").open("wb")), schema)
            for table, schema in schemas.items()
        }


def _written(
    readings: Iterable[FileReading], writers: Mapping[str, Writer], on_file: OnFile
) -> Iterator[FileReading]:
    for reading in readings:
        for tab in reading.tabs:
            for table, batch in tab.tables.items():
                writers[table].write(batch)
        on_file(reading)
        yield reading
