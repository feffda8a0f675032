"""Running a layout straight into an output file; the ending says which kind it is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import BinaryIO, Protocol

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.outputs.csv import CsvWriter
from boreotabula.reading.tab import record_schema
from boreotabula.runs.extraction import Run, gather, read_all
from boreotabula.runs.files import FileReading
from boreotabula.runs.inbox import Inbox, check_output, look, run_folder
from boreotabula.runs.layouts import Layout
from boreotabula.runs.placing import KeepOld, placed
from boreotabula.runs.record import write_record

OnFile = Callable[[FileReading], None]


class Writer(Protocol):
    """Takes record batches of one schema, in order."""

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""


WRITERS: dict[str, Callable[[BinaryIO, pa.Schema], Writer]] = {".csv": CsvWriter}
"""How each kind of output is written, by its ending."""


def look_for(layout: Layout, out: Path) -> Inbox:
    """The files of the layout's source folder, once it is sure that `out` can be written.

    Raises CallError for an unknown ending, a missing folder, or an output that is an input.
    """
    if out.suffix.lower() not in WRITERS:
        known = ", ".join(WRITERS)
        raise CallError(f"“{out}”: the ending says what to write; known: {known}")
    if not out.parent.is_dir():
        raise CallError(f"there is no folder “{out.parent}” to write “{out.name}” into")
    if out.is_dir():
        raise CallError(f"“{out}” is a folder; name a file")
    check_output(layout, out)
    return look(layout, own=(out, run_folder(out)))


def extract_into(layout: Layout, inbox: Inbox, out: Path, on_file: OnFile) -> Run:
    """Read the files of an inbox and write their records to `out` as they come.

    The run's record is written beside it. If nothing could be read, both stay as they were.
    Raises CallError if something cannot be written.
    """
    with placed(out) as stream:
        writer = WRITERS[out.suffix.lower()](stream, record_schema(layout.plan))
        readings = _written(read_all(layout, inbox), writer, on_file)
        run = gather(layout, inbox, readings, keep_records=False)
        if run.exit_status == 3:
            raise KeepOld
        write_record(run, out)
    return run


def _written(
    readings: Iterable[FileReading], writer: Writer, on_file: OnFile
) -> Iterator[FileReading]:
    for reading in readings:
        for tab in reading.tabs:
            writer.write(tab.records)
        on_file(reading)
        yield reading
