"""Running a layout straight into an output; its ending says which kind it is.

A layout with several output tables writes a folder, with a file for each table.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.model import PROVENANCE
from boreotabula.outputs.csv import CsvWriter, guarded
from boreotabula.outputs.kinds import KINDS, Writer, known_kind, opened
from boreotabula.pipeline.past import Past, restated_findings
from boreotabula.pipeline.reuse import OldOutput, Part, Written, copy_part, may_be_taken, old_output
from boreotabula.reading.records.schema import record_schema
from boreotabula.review.saved import keep_before
from boreotabula.runs.atomic import KeepOld, placed, placed_folder, told
from boreotabula.runs.evidence import DECIDED, content_digest
from boreotabula.runs.file.read import FileReading
from boreotabula.runs.inputs import Inbox, SourceFile, check_output, look
from boreotabula.runs.layouts.load import Layout
from boreotabula.runs.read_all import Means, digests, read_all
from boreotabula.runs.run.earlier import earlier_record, files_of, since, wrote
from boreotabula.runs.run.gather import Run, gather, read_each
from boreotabula.runs.run.record import write_record
from boreotabula.runs.run.sources import Sources
from boreotabula.runs.run_folders import run_folder

OnFile = Callable[[FileReading], None]
OnFetched = Callable[[SourceFile], None]


def look_for(
    layout: Layout,
    out: Path,
    named: Sequence[Path] = (),
    *,
    overwrite: bool = False,
    on_fetched: OnFetched | None = None,
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
            f"“{out}” was not written by extract, so it was not replaced; choose another name,"
            " or use --overwrite (--into puts records into a workbook that is there)"
        )
    return look(layout, own=(out, run_folder(out)), named=named, on_fetched=on_fetched)


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
    check_folder(out)


def check_folder(out: Path) -> None:
    """Raises CallError if an output cannot be a folder, or one that no run has written is there."""
    if out.exists() and not out.is_dir():
        raise CallError(f"“{out}” is a file; name a folder")
    # The run folder alone says nothing: that of “stock.csv” has the same name.
    if out.is_dir() and any(out.iterdir()) and not wrote(out):
        raise CallError(
            f"the folder “{out}” was not written by extract, so it was not replaced; name a new one"
        )


def extract_into(
    layout: Layout,
    inbox: Inbox,
    out: Path,
    on_file: OnFile,
    means: Means,
    *,
    strict: bool = False,
    strict_past: bool = False,
    safe_csv: bool = False,
) -> Run:
    """Read the files of an inbox and write their records to `out` as they come.

    The run's record is written beside it. If nothing could be read, both stay as they were; if
    `strict`, so they do while a finding is an error, and if `strict_past`, while anything that was
    reported before is restated. What `out` held is kept in the run folder. An output that would be
    the same again is left as it is. With `safe_csv` texts are written so that no spreadsheet
    program takes one for a formula. Raises CallError if something cannot be written.
    """
    past = Past(out, files_of(earlier_record(out)))
    if layout.plan.grows:
        return _write_whole(
            layout, inbox, out, on_file, means, past,
            strict=strict, strict_past=strict_past, safe_csv=safe_csv,
        )  # fmt: skip
    old = old_output(out, earlier_record(out)) if means.kept and not means.fresh else None
    known = digests(inbox, means.limits)
    lead = "safe " if safe_csv else ""
    keys = {
        one.name: lead + means.kept.key(one, known[one.name]) for one in inbox.taken if means.kept
    }
    readings = read_all(layout, inbox, means, known)
    if old and keys and old.is_same(keys):
        run = compared(gather(layout, inbox, with_news(readings, on_file), keep_records=False), out)
        run = with_past(run, past)
        if may_write(run, strict=strict):
            write_record(run, out, old.written.described(), safe_csv=safe_csv)
        return run
    with _outputs(layout, out, old, safe_csv=safe_csv) as output:
        output.keys = {name: key for name, key in keys.items() if known[name]}
        output.sources = None if layout.spec.provenance else Sources()
        watched = past.watched(output.written(readings, on_file))
        run = gather(layout, inbox, watched, keep_records=False)
        run = with_past(compared(run, out), past)
        if not may_write(run, strict=strict, strict_past=strict_past):
            raise KeepOld
        output.close()
        _keep_before(run, out)
        same = all(known[one.name] == content_digest(one.digest) for one in run.files)
        write_record(run, out, output.described() if same else None, safe_csv=safe_csv)
        if output.sources is not None:
            output.sources.keep(out)
    return run


def gathered(layout: Layout, inbox: Inbox, readings: Iterable[FileReading], out: Path) -> Run:
    """The figures of a run whose records go into an output as they come."""
    return compared(gather(layout, inbox, readings, keep_records=False), out)


def stream_csv(
    layout: Layout,
    inbox: Inbox,
    stream: BinaryIO,
    on_file: OnFile,
    means: Means,
    *,
    safe_csv: bool = False,
) -> Run:
    """Write the records of the only table as CSV to a stream while files are read."""
    if layout.plan.grows or len(layout.plan.tables) > 1:
        raise CallError(
            "only one table of known columns can be written to stdout; write into a file or folder"
        )
    ((table, schema),) = schemas_of(layout, safe_csv=safe_csv).items()
    output = Output({table: CsvWriter(stream, schema)})
    output.sources = None if layout.spec.provenance else Sources()
    readings = read_all(layout, inbox, means, digests(inbox, means.limits))
    run = gather(layout, inbox, output.written(readings, on_file), keep_records=False)
    stream.flush()
    return run


def with_news(readings: Iterable[FileReading], on_file: OnFile) -> Iterator[FileReading]:
    """The readings, `on_file` being called after each."""
    for reading in readings:
        on_file(reading)
        yield reading


def compared(run: Run, out: Path) -> Run:
    """A run with what has changed since the one that wrote the output before."""
    record = earlier_record(out)
    if record is None:
        return run
    return replace(run, since=since(record, ((one.name, one.digest) for one in run.files)))


def with_past(run: Run, past: Past) -> Run:
    """A run with what has been restated since the one that wrote the output before."""
    since = run.since
    if since is not None:  # what could not be read is told as that, and restates nothing
        read = {one.name for one in run.files if one.read}
        since = replace(since, changed=tuple(one for one in since.changed if one in read))
    found = past.restated(since, run.layout.spec.key, run.tables)
    if not found:
        return replace(run, restated=found)
    return replace(run, restated=found, findings=(*run.findings, *restated_findings(found)))


def _keep_before(run: Run, out: Path) -> None:
    """Keep what an output held, if it is to hold something else now."""
    record, since = earlier_record(out), run.since
    if record is None or since is None:
        return
    same = str(record.get("layout", {}).get("digest")) == run.layout.digest
    if not same or since.new or since.changed or since.gone or since.renamed:
        with told(out):
            keep_before(out)


def may_write(run: Run, *, strict: bool, strict_past: bool = False) -> bool:
    """Whether the output of a run is put in place."""
    if strict_past and run.restated:
        return False
    return run.exit_status == 0 or (run.exit_status == 1 and not strict)


def _write_whole(
    layout: Layout,
    inbox: Inbox,
    out: Path,
    on_file: OnFile,
    means: Means,
    past: Past,
    *,
    strict: bool,
    strict_past: bool,
    safe_csv: bool,
) -> Run:
    """The same for output tables whose columns are known only once all files are read."""
    readings = past.watched(read_each(layout, inbox, on_file, means))
    run = compared(gather(layout, inbox, readings, keep_records=True), out)
    run = with_past(run, past)
    schemas = {table: written_schema(layout, one.schema) for table, one in run.tables.items()}
    schemas = {table: guarded(one) if safe_csv else one for table, one in schemas.items()}
    with _opened(schemas, out, layout.spec.key) as output:
        if not may_write(run, strict=strict, strict_past=strict_past):
            raise KeepOld
        _keep_before(run, out)
        output.sources = None if layout.spec.provenance else Sources()
        for table, records in run.tables.items():
            for batch in records.to_batches():
                output.write(table, batch)
                if output.sources is not None:
                    output.sources.take(table, batch)
        output.close()
        write_record(run, out, output.described(), safe_csv=safe_csv)
        if output.sources is not None:
            output.sources.keep(out)
    return run


def schemas_of(layout: Layout, *, safe_csv: bool = False) -> dict[str, pa.Schema]:
    """The columns of each output table."""
    schemas = {table: record_schema(layout.plan, table) for table in layout.plan.tables}
    schemas = {table: written_schema(layout, one) for table, one in schemas.items()}
    return {table: guarded(one) if safe_csv else one for table, one in schemas.items()}


def written_schema(layout: Layout, schema: pa.Schema) -> pa.Schema:
    """The columns of a table that are written: without those that say where a record is from, if
    the layout wants none."""
    kept = [one for one in schema if layout.spec.provenance or one.name not in PROVENANCE]
    return pa.schema(kept)


@dataclass
class Output:
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
    files: Mapping[str, BinaryIO] = field(default_factory=dict)
    """The stream of each file of an output that is a folder."""
    keys: Mapping[str, str] = field(default_factory=dict)
    """By each file that is read, in order, the key of its result."""
    sources: Sources | None = None
    """Where the records are from, if the output does not say so itself."""
    used_keys: dict[str, str] = field(default_factory=dict)
    """Those of files whose reading was decided by others, too."""
    parts: dict[str, Part] = field(default_factory=dict)

    def written(self, readings: Iterable[FileReading], on_file: OnFile) -> Iterator[FileReading]:
        """Write the records of each reading, or take them over."""
        for reading in readings:
            start = self._place()
            key = self.keys.get(reading.name, "")
            if key and reading.digest != content_digest(reading.digest):
                # What else decided the reading tells its lines from others.
                key = self.used_keys[reading.name] = key + reading.digest.partition(DECIDED)[2]
            part = self.old.part(reading, key) if self.old and key else None
            if part is not None and self.old_stream and self.stream:
                copy_part(self.old_stream, part, self.stream)
            else:
                for tab in reading.tabs:
                    for table, batch in tab.tables.items():
                        self.write(table, batch)
            if self.sources is not None:
                for tab in reading.tabs:
                    for table, batch in tab.tables.items():
                        self.sources.take(table, batch)
            if self.stream is not None and may_be_taken(reading):
                self.parts[reading.name] = (start, self._place())
            on_file(reading)
            yield reading

    def write(self, table: str, batch: pa.RecordBatch) -> None:
        """Write some records of a table."""
        if self.sources is not None:
            names = [one for one in batch.schema.names if one not in PROVENANCE]
            batch = batch.select(names)
        self.writers[table].write(batch)

    def close(self) -> None:
        """Write the end of the output."""
        for end in self.ends:
            end()

    def _place(self) -> int:
        if self.stream is None:
            return 0
        self.stream.flush()
        return os.lseek(self.stream.fileno(), 0, os.SEEK_CUR)

    def described(self) -> dict[str, object]:
        """What the record of the run says of the output, so that it is known again."""
        if self.file is None:
            return {"files": {name: _looks(one) for name, one in self.files.items()}}
        self.file.flush()
        size = os.fstat(self.file.fileno()).st_size
        keys = {**self.keys, **self.used_keys}
        return Written(size, self.modified_ns, keys, self.parts).described()


def _looks(stream: BinaryIO) -> dict[str, int]:
    """The size of a file, and when it was written to last."""
    stream.flush()
    found = os.fstat(stream.fileno())
    return {"size": found.st_size, "modified_ns": found.st_mtime_ns}


@contextmanager
def _outputs(
    layout: Layout, out: Path, old: OldOutput | None, *, safe_csv: bool
) -> Iterator[Output]:
    """The output of a run, that can take over lines of an older one."""
    with _opened(schemas_of(layout, safe_csv=safe_csv), out, layout.spec.key) as output:
        if old is None or output.stream is None:
            yield output
        else:
            with old.path.open("rb") as before:
                output.old, output.old_stream = old, before
                yield output


@contextmanager
def _opened(schemas: Mapping[str, pa.Schema], out: Path, key: Sequence[str]) -> Iterator[Output]:
    """A writer for each output table; what they write is put in place at the end, or not at all."""
    if len(schemas) == 1 or out.name.lower().endswith(_SEVERAL):
        kind = known_kind(out)
        now = time.time_ns()
        with placed(out, now) as stream, opened(kind, stream, schemas, key) as one:
            by_line = stream if kind.by_line else None
            yield Output(one.writers, [one.close], by_line, modified_ns=now, file=stream)
        return
    with placed_folder(out) as folder, ExitStack() as stack:
        files = {
            table: stack.enter_context((folder / f"{table}.csv").open("wb")) for table in schemas
        }
        yield Output(
            {table: CsvWriter(files[table], one) for table, one in schemas.items()},
            files={f"{table}.csv": one for table, one in files.items()},
        )
