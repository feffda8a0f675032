"""A run: every file of the source folder is read, in order, and the results are gathered."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import PurePosixPath

import pyarrow as pa

from boreotabula.batch.compare.texts import TOLD_FOR_THE_RUN
from boreotabula.batch.compare.watching import watches
from boreotabula.batch.evidence import Evidence
from boreotabula.batch.file.facts import Met
from boreotabula.batch.file.findings import name_ambiguous
from boreotabula.batch.file.open_file import make_job
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import NO_PATTERN, Inbox, LeftOut, SourceFile
from boreotabula.batch.layouts.accepted import about_acceptances, with_accepted
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.read_all import ReadOptions, digests, read_all
from boreotabula.batch.run.earlier import Since
from boreotabula.findings.finding import Finding, Unplaced
from boreotabula.findings.kind import Severity
from boreotabula.findings.places import Rule
from boreotabula.findings.subjects.files import FILE_NOT_CHOSEN, NO_FILE_MATCHES, TAB_PATTERN_UNUSED
from boreotabula.findings.subjects.tables import COLUMN_LACKING, FIELD_MISSING
from boreotabula.findings.subjects.totals import RULE_UNUSED
from boreotabula.limits import Limits
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.schema import as_one
from boreotabula.reading.totals.compare import TotalsCount

_PARTS = 50
FIRST = 8
"""So many records of each table are shown."""


@dataclass(frozen=True)
class TabSummary:
    """What is kept of a tab: the number of its records, and the edition by which it was read."""

    name: str
    records: int
    form: str
    totals: TotalsCount
    stamps: Mapping[str, object] = field(default_factory=dict)
    from_tab: frozenset[str] = frozenset()
    """The stamps that the name of the tab gave."""


@dataclass(frozen=True)
class FileSummary:
    """What is kept of a file once its records are handed on."""

    name: str
    size: int
    digest: str
    read: bool
    tabs: tuple[TabSummary, ...]
    other_tabs: Mapping[str, str]
    account: Account
    why_not_read: str = ""
    read_as: str = ""
    """How a text was read: encoding, delimiter, lines."""

    @property
    def totals(self) -> TotalsCount:
        """How many of its printed totals were compared, and agree."""
        return add_totals(tab.totals for tab in self.tabs)

    @property
    def records(self) -> int:
        """Number of its records."""
        return sum(tab.records for tab in self.tabs)


@dataclass(frozen=True)
class RowCounts:
    """What became of the rows of tables that were there."""

    added: int = 0
    kept: int = 0
    replaced: int = 0
    gone: int = 0

    def __add__(self, other_row_counts: RowCounts) -> RowCounts:
        """The sums of both."""
        return RowCounts(
            self.added + other_row_counts.added,
            self.kept + other_row_counts.kept,
            self.replaced + other_row_counts.replaced,
            self.gone + other_row_counts.gone,
        )


@dataclass(frozen=True)
class Restated:
    """Values that files reported before, and that are others now."""

    lines: pa.Table
    """A line for each: file, tab, cell, the fields that tell records apart, field, before, now."""
    values: int = 0
    records: int = 0
    """Records that files which have changed hold no more."""
    sums: tuple[str, ...] = ()
    """What that makes of sums, in words, the most concerned first."""
    by_file: Mapping[str, int] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.values or self.records)


@dataclass(frozen=True)
class Run:
    """The outcome of a run.

    `tables` holds the output tables by name, most layouts have one: the fields in their order, then
    where each record is from. They are empty of rows if the records went to a writer instead.
    """

    layout: Layout
    tables: Mapping[str, pa.Table] = field(repr=False)
    findings: tuple[Finding, ...] = field(repr=False)
    unplaced: Sequence[Unplaced] = field(repr=False)
    files: tuple[FileSummary, ...] = field(repr=False)
    left_out: tuple[LeftOut, ...] = field(repr=False)
    account: Account
    started: datetime
    ended: datetime
    since: Since | None = None
    """What has changed since the run before, if there was one."""
    files_kept: Mapping[str, str] = field(default_factory=dict)
    """Files read before whose records stay in the output, with their digests."""
    first: Mapping[str, pa.Table] = field(default_factory=dict, repr=False)
    """The first few records of each table."""
    restated: Restated | None = None
    """What has been restated since the run before, if there was one whose records are there."""
    rows: RowCounts | None = None
    """What became of the rows of a workbook that was there."""
    evidence: Sequence[Met] = ()
    """Texts that show whether the day or the month comes first."""
    fetched: str = ""
    """How many files were fetched from servers, in words."""

    @property
    def records(self) -> pa.Table:
        """The records of the only output table, or of the first one."""
        return next(iter(self.tables.values()))

    @property
    def record_count(self) -> int:
        """Number of records of all files."""
        return sum(file.records for file in self.files)

    @property
    def tab_count(self) -> int:
        """Number of tabs that were read."""
        return sum(len(file.tabs) for file in self.files)

    @property
    def totals(self) -> TotalsCount:
        """How many printed totals were compared, and how many agree."""
        return add_totals(file.totals for file in self.files)

    @property
    def editions(self) -> Counter[str]:
        """How many tabs were read by each edition of the layout, if it has any."""
        return Counter(tab.form for file in self.files for tab in file.tabs if tab.form)

    @property
    def severities(self) -> Counter[Severity]:
        """How many findings there are of each severity, those left aside that are accepted."""
        return Counter(finding.severity for finding in self.findings if not finding.accepted)

    @property
    def accepted(self) -> int:
        """How many findings somebody has accepted."""
        return sum(bool(finding.accepted) for finding in self.findings)

    @property
    def exit_status(self) -> int:
        """0 clean, 1 at least one error that nobody has accepted, 3 nothing was read."""
        if not self.tab_count:
            return 3
        return 1 if self.severities[Severity.ERROR] else 0


def read_figures(
    layout: Layout, inbox: Inbox, limits: Limits, on_file: Callable[[FileReading], None] | None
) -> Run:
    """Read files for the figures and findings of a run alone, on all cores; nothing is kept."""
    means = ReadOptions(workers=None, limits=limits)
    return gather(layout, inbox, read_each(layout, inbox, on_file, means), keep_records=False)


def read_each(
    layout: Layout,
    inbox: Inbox,
    on_file: Callable[[FileReading], None] | None,
    means: ReadOptions,
) -> Iterator[FileReading]:
    """Read the taken files in order; `on_file` is called after each."""
    for reading in read_all(layout, inbox, means, digests(inbox, means.limits)):
        if on_file is not None:
            on_file(reading)
        yield reading


def gather(
    layout: Layout, inbox: Inbox, readings: Iterable[FileReading], *, keep_records: bool
) -> Run:
    """Take in the readings as they come. Without `keep_records` only figures stay in memory."""
    started = datetime.now(UTC)
    batches: dict[str, list[pa.RecordBatch]] = {table: [] for table in layout.plan.tables}
    findings: list[Finding] = [
        *layout.findings, *_empty_inbox(inbox, layout), *_passed_over(inbox), *_not_seen(inbox),
        *_ambiguous(inbox),
    ]  # fmt: skip
    unplaced: list[UnplacedCells] = []
    recent: list[UnplacedCells] = []
    files: list[FileSummary] = []
    first: dict[str, list[pa.RecordBatch]] = {table: [] for table in layout.plan.tables}
    idle = dict.fromkeys(make_job(layout.spec, layout.plan).patterns)
    watching = watches(layout.spec, layout.plan)
    evidence = Evidence()
    for reading in readings:
        evidence.take(reading)
        for watch in watching:
            watch.take(reading)
        for used in reading.patterns:
            idle.pop(used, None)
        _note_first(first, reading)
        if keep_records:
            for tab in reading.tabs:
                for table, batch in tab.tables.items():
                    batches[table].append(batch)
        findings += [
            finding for finding in reading.findings if finding.kind not in TOLD_FOR_THE_RUN
        ]
        recent.append(reading.unplaced)
        if len(recent) >= _PARTS:  # each part takes far more memory than its few cells
            unplaced.append(UnplacedCells.joined(recent))
            recent.clear()
        files.append(_summary(reading))
    findings += [finding for one in watching for finding in one.findings()]
    # Some of the files say nothing of what all of them have.
    if not inbox.partial:
        findings += [_idle_pattern(text) for text in idle if any(file.tabs for file in files)]
        findings += _idle_rules(layout, files)
    findings = with_accepted(_each_told_once(findings), layout.accepted, started.date())
    read = {file.name for file in files}
    findings += about_acceptances(findings, layout.accepted, started.date(), read)
    return Run(
        layout,
        _tables(layout.plan, batches),
        tuple(findings),
        UnplacedCells.joined([*unplaced, *recent]),
        tuple(files),
        inbox.left_out,
        add_up(file.account for file in files),
        started,
        datetime.now(UTC),
        first=_tables(layout.plan, first),
        evidence=evidence.every,
        fetched=inbox.fetched,
    )


def _each_told_once(findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings without the notes on a missing column that comparing tabs has made an error."""
    findings = list(findings)
    louder = {(f.file, f.tab, f.field) for f in findings if f.kind == COLUMN_LACKING and f.field}
    for finding in findings:
        texts = (finding.file, finding.tab, finding.field)
        if finding.kind != FIELD_MISSING or texts not in louder:
            yield finding


def _tables(plan: Plan, batches: Mapping[str, Sequence[pa.RecordBatch]]) -> dict[str, pa.Table]:
    """The output tables. A field that none of several tables got has a column in each that could
    have had it, so that it is not missing altogether."""
    values = {name for batch in batches.values() for value in batch for name in value.schema.names}
    lost = plan.unclaimed - values
    return {
        table: as_one(batch, plan, table, lost & frozenset(plan.open_fields[table]))
        for table, batch in batches.items()
    }


def _note_first(first: Mapping[str, list[pa.RecordBatch]], reading: FileReading) -> None:
    """Take the first records of each table, as long as they are few."""
    lacking = [t for t, group in first.items() if sum(value.num_rows for value in group) < FIRST]
    for tab in reading.tabs if lacking else ():
        for table in lacking if tab.record_count else ():
            if table in tab.tables:
                room = FIRST - sum(value.num_rows for value in first[table])
                first[table].append(tab.tables[table].slice(0, room))


def _empty_inbox(inbox: Inbox, layout: Layout) -> Iterator[Finding]:
    if not inbox.taken:
        yield NO_FILE_MATCHES(
            folders=list(layout.folders),
            left_out=len(inbox.left_out),
            patterns=", ".join(layout.spec.source.include) or "*",
            names=[omission.name for omission in inbox.left_out],
        )


def _passed_over(inbox: Inbox) -> Iterator[Finding]:
    """Files that match no pattern, though they end as those that do: a misspelt name, perhaps."""
    endings = {source.path.suffix.casefold() for source in inbox.taken}
    for omission in inbox.left_out:
        if omission.why == NO_PATTERN and PurePosixPath(omission.name).suffix.casefold() in endings:
            yield FILE_NOT_CHOSEN(file=omission.name, why=NO_PATTERN)


def _not_seen(inbox: Inbox) -> Iterator[Finding]:
    """What was left out although it may hold reports."""
    for omission in inbox.left_out:
        if omission.kind:
            yield omission.kind(file=omission.name, why=omission.why)


def _ambiguous(inbox: Inbox) -> Iterator[Finding]:
    """Names that fit their pattern in two ways: told once for each pattern."""
    sources: dict[str, list[SourceFile]] = {}
    for source in inbox.taken:
        if source.other is not None:
            sources.setdefault(source.pattern, []).append(source)
    for text, group in sources.items():
        first = group[0]
        yield name_ambiguous(text, first.name, first.captured, first.other or {}, len(group))


def _idle_pattern(text: str) -> Finding:
    return TAB_PATTERN_UNUSED(pattern=text)


def _idle_rules(layout: Layout, files: Sequence[FileSummary]) -> Iterator[Finding]:
    """Rules about what is around the tables that cover nothing in the whole run."""
    blocks = [block for form in layout.plan.forms for block in form.blocks]
    rules = {rule for file in files for rule in file.account.left_out}
    for rule, flag in (
        (Rule.BELOW, any(block.leave_below for block in blocks)),
        (Rule.BESIDE, any(block.leave_beside for block in blocks)),
    ):
        if flag and rule not in rules and any(file.tabs for file in files):
            yield RULE_UNUSED(rule=f'{rule} = "leave out"')


def _summary(reading: FileReading) -> FileSummary:
    return FileSummary(
        reading.name,
        reading.size,
        reading.digest,
        reading.read,
        tuple(
            TabSummary(
                tab.name,
                tab.record_count,
                tab.form,
                tab.totals,
                tab.facts.stamps,
                tab.facts.from_tab,
            )
            for tab in reading.tabs
        ),
        reading.other_tabs,
        add_up(tab.account for tab in reading.tabs),
        reading.why_not_read,
        reading.read_as,
    )


def add_totals(counts: Iterable[TotalsCount]) -> TotalsCount:
    """One count of several."""
    totals_counts = list(counts)
    return TotalsCount(
        sum(totals_count.printed for totals_count in totals_counts),
        sum(totals_count.agree for totals_count in totals_counts),
    )


def add_up(accounts: Iterable[Account]) -> Account:
    """One account of several."""
    filled = 0
    roles: Counter[Role] = Counter(dict.fromkeys(Role, 0))
    left_out: Counter[str] = Counter()
    for account in accounts:
        filled += account.filled
        roles.update(account.roles)
        left_out.update(account.left_out)
    return Account(filled, dict(roles), dict(left_out))
