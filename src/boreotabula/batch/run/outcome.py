"""The results of a run: its files and tabs, its records and findings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import pyarrow as pa

from boreotabula.batch.file.facts import Met
from boreotabula.batch.inputs import SkippedFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.earlier import Since
from boreotabula.findings.finding import Finding, Unplaced
from boreotabula.findings.kind import Severity
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.totals.checks import TotalsCount


@dataclass(frozen=True)
class TabSummary:
    """What is kept of a tab: the number of its records, and the edition by which it was read."""

    name: str
    records: int
    form: str
    totals: TotalsCount
    stamps: Mapping[str, object] = field(default_factory=dict)
    from_tab: frozenset[str] = frozenset()
    """Its stamps that come from the name of the tab."""
    sums: Mapping[str, int | float] = field(default_factory=dict)
    """For each number field the sum."""


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
        """The number of its printed totals that were compared, and that agree."""
        return add_totals(tab.totals for tab in self.tabs)

    @property
    def records(self) -> int:
        """Number of its records."""
        return sum(tab.records for tab in self.tabs)


@dataclass(frozen=True)
class RowCounts:
    """What became of the rows of existing tables."""

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
    """Values that files reported before, and that differ now."""

    lines: pa.Table
    """One line each: file, tab, cell, the key fields, field, before, now."""
    values: int = 0
    records: int = 0
    """Records that changed files no longer hold."""
    sums: tuple[str, ...] = ()
    """The effect on sums, in words, the most affected first."""
    by_file: Mapping[str, int] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.values or self.records)


@dataclass(frozen=True)
class Run:
    """The outcome of a run.

    `tables` holds the output tables by name; most layouts have one. Their columns are the fields in
    order, then the source of each record. They have no rows if the records went to a writer
    instead.
    """

    layout: Layout
    tables: Mapping[str, pa.Table] = field(repr=False)
    findings: tuple[Finding, ...] = field(repr=False)
    unplaced: Sequence[Unplaced] = field(repr=False)
    files: tuple[FileSummary, ...] = field(repr=False)
    left_out: tuple[SkippedFile, ...] = field(repr=False)
    account: Account
    started: datetime
    ended: datetime
    since: Since | None = None
    """The changes since the run before, if there was one."""
    files_kept: Mapping[str, str] = field(default_factory=dict)
    """Files read before whose records stay in the output, with their digests."""
    first: Mapping[str, pa.Table] = field(default_factory=dict, repr=False)
    """The first few records of each table."""
    restated: Restated | None = None
    """What was restated since the run before, if its records are available."""
    rows: RowCounts | None = None
    """What became of the rows of an existing workbook."""
    evidence: Sequence[Met] = ()
    """Texts that show whether the day or the month comes first."""
    fetched: str = ""
    """The number of files fetched from servers, in words."""

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
        """The number of findings of each severity, without accepted ones."""
        return Counter(finding.severity for finding in self.findings if not finding.accepted)

    @property
    def accepted(self) -> int:
        """How many findings somebody has accepted."""
        return sum(bool(finding.accepted) for finding in self.findings)

    @property
    def exit_status(self) -> int:
        """0 clean, 1 at least one error that nobody has accepted, 3 nothing was read."""
        # Another status than for errors: a script must know that nothing came.
        if not self.tab_count:
            return 3
        return 1 if self.severities[Severity.ERROR] else 0


def add_totals(counts: Iterable[TotalsCount]) -> TotalsCount:
    """One count from several."""
    totals_counts = list(counts)
    return TotalsCount(
        sum(totals_count.printed for totals_count in totals_counts),
        sum(totals_count.agree for totals_count in totals_counts),
    )


def add_up(accounts: Iterable[Account]) -> Account:
    """One account from several."""
    filled = 0
    # With all roles from the start, so that each account lists the same ones.
    roles: Counter[Role] = Counter(dict.fromkeys(Role, 0))
    left_out: Counter[str] = Counter()
    for account in accounts:
        filled += account.filled
        roles.update(account.roles)
        left_out.update(account.left_out)
    return Account(filled, dict(roles), dict(left_out))
