"""A run: every file of the source folder is read, in order, and the results are collected."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime

import pyarrow as pa

from boreotabula.batch.compare.texts import TOLD_FOR_THE_RUN
from boreotabula.batch.compare.watching import watches
from boreotabula.batch.evidence import Evidence
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import Inbox
from boreotabula.batch.layouts.accepted import about_acceptances, with_accepted
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions, digests, read_all
from boreotabula.batch.run.about_inbox import (
    ambiguous_names,
    empty_inbox,
    idle_pattern,
    idle_rules,
    not_seen,
    passed_over,
)
from boreotabula.batch.run.outcome import FileSummary, Run, TabSummary, add_up
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.tables import COLUMN_LACKING, FIELD_MISSING
from boreotabula.limits import Limits
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.schema import as_one

_PARTS = 50
"""This many parts are joined at a time: one part for each file would take far more memory."""
FIRST = 8
"""This many records of each table are shown."""


def read_figures(
    layout: Layout, inbox: Inbox, limits: Limits, on_file: Callable[[FileReading], None] | None
) -> Run:
    """Read files only for the figures and findings of a run, on all cores; nothing is kept."""
    # Nothing is kept: these readings are by a layout that may never be saved.
    means = ReadOptions(workers=None, limits=limits)
    return gather(layout, inbox, read_each(layout, inbox, on_file, means), keep_records=False)


def read_each(
    layout: Layout,
    inbox: Inbox,
    on_file: Callable[[FileReading], None] | None,
    means: ReadOptions,
) -> Iterator[FileReading]:
    """Read the taken files in order; `on_file` is called after each."""
    # The digests come first, since copies are known only once all files are.
    for reading in read_all(layout, inbox, means, digests(inbox, means.limits)):
        if on_file is not None:
            on_file(reading)
        yield reading


def gather(
    layout: Layout, inbox: Inbox, readings: Iterable[FileReading], *, keep_records: bool
) -> Run:
    """Collect the readings as they come. Without `keep_records` only figures stay in memory."""
    started = datetime.now(UTC)
    # One pass: with a million records nothing can be gone through twice.
    gathered = _Gathered(layout, keep_records=keep_records)
    for reading in readings:
        gathered.take(reading)
    findings = [
        *layout.findings, *empty_inbox(inbox, layout), *passed_over(inbox), *not_seen(inbox),
        # First what is wrong with the inbox, then the files in order, then what only all of them
        # show.
        *ambiguous_names(inbox), *gathered.findings,
        *(finding for watch in gathered.watching for finding in watch.findings()),
    ]  # fmt: skip
    files = gathered.files
    # Some of the files say nothing of what all of them have.
    if not inbox.partial:
        read_any = any(file.tabs for file in files)
        findings += [idle_pattern(text) for text in gathered.idle if read_any]
        findings += idle_rules(layout, files)
    # Accepted last, so that no acceptance keeps another finding from being made.
    findings = with_accepted(_each_told_once(findings), layout.accepted, started.date())
    names = {file.name for file in files}
    findings += about_acceptances(findings, layout.accepted, started.date(), names)
    return Run(
        layout=layout,
        tables=_tables(layout.plan, gathered.batches),
        findings=tuple(findings),
        unplaced=UnplacedCells.joined([*gathered.unplaced, *gathered.recent]),
        files=tuple(files),
        left_out=inbox.left_out,
        account=add_up(file.account for file in files),
        started=started,
        ended=datetime.now(UTC),
        first=_tables(layout.plan, gathered.first),
        evidence=gathered.evidence.every,
        fetched=inbox.fetched,
    )


class _Gathered:
    """The results of the readings that have come."""

    def __init__(self, layout: Layout, *, keep_records: bool) -> None:
        self.keep_records = keep_records
        self.batches: dict[str, list[pa.RecordBatch]] = {table: [] for table in layout.plan.tables}
        self.first: dict[str, list[pa.RecordBatch]] = {table: [] for table in layout.plan.tables}
        self.findings: list[Finding] = []
        self.unplaced: list[UnplacedCells] = []
        self.recent: list[UnplacedCells] = []
        self.files: list[FileSummary] = []
        self.idle = dict.fromkeys(make_job(layout.spec, layout.plan).patterns)
        """The patterns of tabs that have matched no tab so far."""
        self.watching = watches(layout.spec, layout.plan)
        self.evidence = Evidence()

    def take(self, reading: FileReading) -> None:
        """Take in the reading of one file."""
        self.evidence.take(reading)
        for watch in self.watching:
            watch.take(reading)
        for used in reading.patterns:
            # What is left of the patterns at the end has matched no tab.
            self.idle.pop(used, None)
        _note_first(self.first, reading)
        if self.keep_records:
            for tab in reading.tabs:
                for table, batch in tab.tables.items():
                    self.batches[table].append(batch)
        self.findings += [
            # Those are gathered by a watch, which tells them once for the whole run.
            finding
            for finding in reading.findings
            if finding.kind not in TOLD_FOR_THE_RUN
        ]
        self.recent.append(reading.unplaced)
        if len(self.recent) >= _PARTS:  # each part takes far more memory than its few cells
            self.unplaced.append(UnplacedCells.joined(self.recent))
            self.recent.clear()
        self.files.append(_summary(reading))


def _each_told_once(findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings without the notes on a missing column that comparing tabs has turned into an
    error."""
    findings = list(findings)
    louder = {(f.file, f.tab, f.field) for f in findings if f.kind == COLUMN_LACKING and f.field}
    for finding in findings:
        texts = (finding.file, finding.tab, finding.field)
        if finding.kind != FIELD_MISSING or texts not in louder:
            yield finding


def _tables(plan: Plan, batches: Mapping[str, Sequence[pa.RecordBatch]]) -> dict[str, pa.Table]:
    """The output tables.

    A field that none of several tables got has a column in each that could have had it, so that it
    is not missing altogether.
    """
    values = {name for batch in batches.values() for value in batch for name in value.schema.names}
    # With several tables it is not known which of them should have had the field.
    lost = plan.unclaimed - values
    return {
        table: as_one(batch, plan, table, lost & frozenset(plan.open_fields[table]))
        for table, batch in batches.items()
    }


def _note_first(first: Mapping[str, list[pa.RecordBatch]], reading: FileReading) -> None:
    """Keep the first records of each table, as long as they are few."""
    lacking = [t for t, group in first.items() if sum(value.num_rows for value in group) < FIRST]
    for tab in reading.tabs if lacking else ():
        for table in lacking if tab.record_count else ():
            if table in tab.tables:
                # A slice shares the memory of the batch, which is let go of with the next file.
                room = FIRST - sum(value.num_rows for value in first[table])
                first[table].append(tab.tables[table].slice(0, room))


def _summary(reading: FileReading) -> FileSummary:
    return FileSummary(
        name=reading.name,
        size=reading.size,
        digest=reading.digest,
        read=reading.read,
        tabs=tuple(
            TabSummary(
                tab.name,
                tab.record_count,
                tab.form,
                tab.totals,
                tab.facts.stamps,
                tab.facts.from_tab,
                tab.facts.sums,
            )
            for tab in reading.tabs
        ),
        other_tabs=reading.other_tabs,
        account=add_up(tab.account for tab in reading.tabs),
        why_not_read=reading.why_not_read,
        read_as=reading.read_as,
    )
