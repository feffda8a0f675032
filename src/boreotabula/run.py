"""A run: inbox → read → watch → store → record; the same for every target."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox
from boreotabula.batch.layouts.accepted import with_accepted
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions, digests, read_all
from boreotabula.batch.run.earlier import files_of, since
from boreotabula.batch.run.gather import gather
from boreotabula.batch.run.outcome import Run
from boreotabula.review.restated import PreviousRecords, restated_findings, with_restated_culprits
from boreotabula.stores.store import Store, Task, Writing, schemas_of, written_schema

OnFile = Callable[[FileReading], None]


@dataclass(frozen=True)
class Conditions:
    """When a run is not written."""

    strict: bool = False
    """Whether an error prevents it."""
    strict_past: bool = False
    """Whether a value that was reported differently before prevents it."""

    def allow(self, run: Run) -> bool:
        """Whether a run may be written."""
        if self.strict_past and run.restated:
            return False
        return run.exit_status == 0 or (run.exit_status == 1 and not self.strict)


def run_into(
    store: Store,
    layout: Layout,
    inbox: Inbox,
    on_file: OnFile,
    means: ReadOptions,
    conditions: Conditions | None = None,
) -> Run:
    """Read the files of an inbox into a store, and keep the record of the run.

    If nothing could be read, or the conditions are not met, everything stays as it was. Raises
    CallError if something cannot be written.
    """
    conditions = conditions or Conditions()
    with store.locked(layout):
        task = Task(layout, inbox, means, digests(inbox, means.limits))
        record = store.remembers()
        past = PreviousRecords(store.saved, files_of(record))
        whole = store.takes_whole or layout.plan.grows
        run: Run | None = None
        schemas = schemas_of(layout)
        if whole:
            readings = past.watched(_told_of(_read(task), on_file))
            run = gather(layout, inbox, readings, keep_records=True)
            schemas = {
                name: table.schema if store.adds else written_schema(layout, table.schema)
                for name, table in run.tables.items()
            }
        with store.open(task, schemas) as writing:
            if run is not None:
                writing.take_tables(run.tables)
            else:
                readings = writing.readings() or _read(task)
                taken = _taken(readings, writing)
                run = gather(
                    layout, inbox, past.watched(_told_of(taken, on_file)), keep_records=False
                )
            run = _with_past(run, record, past)
            run = writing.settle(run)
            if conditions.allow(run):
                writing.commit(run)
    return run


def _read(task: Task) -> Iterator[FileReading]:
    return read_all(task.layout, task.inbox, task.means, task.digests)


def _taken(readings: Iterable[FileReading], writing: Writing) -> Iterator[FileReading]:
    """The readings, with their records in the store."""
    for reading in readings:
        yield writing.take(reading)


def _told_of(readings: Iterable[FileReading], on_file: OnFile) -> Iterator[FileReading]:
    """The readings, with `on_file` called after each."""
    for reading in readings:
        on_file(reading)
        yield reading


def _with_past(run: Run, record: Any, past: PreviousRecords) -> Run:
    """A run with its changes and restatements since the last one into the same store."""
    if record is None:
        return run
    changes = since(record, ((file.name, file.digest) for file in run.files))
    run = replace(run, since=changes)
    # What could not be read is told as that, and restates nothing.
    read = {file.name for file in run.files if file.read}
    changed = replace(changes, changed=tuple(text for text in changes.changed if text in read))
    restated = past.restated(changed, run.layout.spec.key, run.tables)
    if not restated:
        return replace(run, restated=restated)
    more = with_accepted(restated_findings(restated), run.layout.accepted, run.started.date())
    findings = (*with_restated_culprits(run.findings, restated), *more)
    return replace(run, restated=restated, findings=findings)
