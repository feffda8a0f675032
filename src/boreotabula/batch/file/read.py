"""Reading one file: its tabs chosen, each read, every error reported."""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import pyarrow as pa

from boreotabula.batch.file.facts import Met, TabFacts, facts_of
from boreotabula.batch.file.open_file import Chosen, Job, OpenFile
from boreotabula.batch.inputs import SourceFile
from boreotabula.batch.processes.pool import Ended
from boreotabula.batch.processes.worker import End
from boreotabula.files import open_regular
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.files import (
    FILE_FAULT,
    FILE_OVER_BUDGET,
    FILE_UNREADABLE,
    READ_AS,
    TAB_BLANK,
)
from boreotabula.findings.subjects.totals import TAB_LIKELY_TOTAL
from boreotabula.reading.account.roles import Account, Role, RoleMap
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.records.levels import LevelHeading
from boreotabula.reading.tab import TabReading
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.reading.totals.tabs import FEWEST_TABS, Numbers, sums_of_others
from boreotabula.sheets.opening import Workbook, checked_size
from boreotabula.sheets.sheet import Sheet
from boreotabula.unreadable import OverBudgetError, UnreadableError


@dataclass(frozen=True)
class TabResult:
    """A tab that was read: its records by output table, and the account of its cells."""

    name: str
    tables: Mapping[str, pa.RecordBatch]
    account: Account
    form: str = ""
    headings: tuple[LevelHeading, ...] = ()
    """The headings of its cross-tabs."""
    totals: TotalsCount = field(default_factory=TotalsCount)
    facts: TabFacts = field(default_factory=TabFacts)
    record_count: int = 0
    """Number of its records in all tables."""
    copy_of: str = ""
    """The tab that it was left out as a copy of."""

    @property
    def is_copy(self) -> bool:
        """Whether it was left out as a copy of another tab."""
        return bool(self.copy_of)


@dataclass(frozen=True)
class FileReading:
    """The result of one file."""

    name: str
    size: int = 0
    digest: str = ""
    tabs: tuple[TabResult, ...] = ()
    other_tabs: Mapping[str, str] = field(default_factory=dict)
    """The tabs that were not read, and why."""
    patterns: tuple[str, ...] = ()
    """The tab patterns that matched a tab."""
    findings: tuple[Finding, ...] = ()
    unplaced: UnplacedCells = field(default_factory=UnplacedCells)
    read: bool = field(default=False)
    """Whether the file could be opened."""
    read_as: str = ""
    """How a text was read: encoding, delimiter, lines."""
    guessed: str = ""
    """Its encoding, if it was guessed among several possible ones."""
    decided_by: tuple[Met, ...] = ()
    """The evidence of other files that decided how ambiguous texts were read."""

    @property
    def why_not_read(self) -> str:
        """Why the file has no result, if it could not be read or is a copy."""
        return "" if self.read else next((finding.message for finding in self.findings), "")


def file_digest(path: Path) -> str:
    """SHA-256 of a file's content. Raises OSError.

    A file that is unchanged since it was last hashed is not hashed again; the reading processes
    know what was known when they started.
    """
    with open_regular(path) as stream:
        # Asked of the open file, so that state and content are of the same file.
        now = os.fstat(stream.fileno())
        state = (path, now.st_dev, now.st_ino, now.st_size, now.st_mtime_ns, now.st_ctime_ns)
        known_text = _DIGESTS.get(state)
        # The digest of gigabytes takes seconds; size and times take none.
        if known_text is None:
            known_text = hashlib.file_digest(stream, "sha256").hexdigest()
            # File systems keep times coarsely: right after a change another one may not show.
            if time.time_ns() - max(now.st_mtime_ns, now.st_ctime_ns) > _SETTLED:
                _DIGESTS[state] = known_text
    return known_text


_DIGESTS: dict[tuple[object, ...], str] = {}
_SETTLED = 2 * 10**9
"""This many nanoseconds after its last change a file is taken to stay as it is."""


def read_file(source: SourceFile, job: Job) -> FileReading:
    """Read the chosen tabs of one file. Never raises for a fault of the file."""
    reading = FileReading(source.name)
    try:
        # The size is checked before the digest is made, as a file beyond the limit is not read at
        # all.
        reading = replace(reading, size=checked_size(source.path, job.opening.limits))
        reading = replace(reading, digest=file_digest(source.path))
        with Workbook(source.path, job.opening) as book:
            message = "; ".join(book.remarks)
            reading = replace(reading, read_as=message, guessed=book.guessed)
            return _read_tabs(OpenFile(book, source, job), reading)
    except UnreadableError as error:
        kind = FILE_OVER_BUDGET if isinstance(error, OverBudgetError) else FILE_UNREADABLE
        finding = not_read(source.name, str(error), error.advice, kind)
        return replace(reading, findings=(finding,))
    except OSError as error:
        why = f"it cannot be opened ({error.strerror})"
        return replace(reading, findings=(not_read(source.name, why, "Check the file."),))


_KINDS = {
    End.TOO_LONG: FILE_OVER_BUDGET,
    End.TOO_MUCH: FILE_OVER_BUDGET,
    End.FAULT: FILE_FAULT,
}


def ended_reading(file: str, digest: str, ended: Ended) -> FileReading:
    """The reading of a file that was not read to its end."""
    kind = _KINDS.get(ended.end, FILE_UNREADABLE)
    finding = not_read(file, ended.why, ended.advice, kind)
    return FileReading(file, digest=digest, findings=(finding,))


def _read_tabs(file: OpenFile, reading: FileReading) -> FileReading:
    """The chosen tabs, and why the others were not read."""
    chosen = file.choose()
    around = file.surroundings()
    tabs: list[TabResult] = []
    unplaced: list[UnplacedCells] = []
    numbers: dict[str, Numbers] = {}
    # One tab at a time, so that memory holds one sheet, not the whole file.
    for name, how in chosen.items():
        sheet = file.sheet(name)
        if sheet is None:
            continue
        done = file.read_tab(sheet, how, around)
        facts = facts_of(sheet, done, how.captured)
        tabs.append(_result_of(name, done, facts))
        # A blank tab has no headings either; that is told once, as the blank tab.
        if sheet.blank:
            file.say(TAB_BLANK(), name)
        else:
            file.findings += done.findings
        unplaced.append(done.unplaced)
        # Sums over tabs are looked for only where several can be summed.
        if len(chosen) >= FEWEST_TABS:
            numbers[name] = _values_of(done.roles)
        file.sheets.pop(name, None)
    # After all tabs are read: a sheet of totals may stand first.
    for name, parts in sums_of_others(numbers):
        file.say(TAB_LIKELY_TOTAL(tabs=list(parts)), name)
    # All chosen tabs are blank: told once, and with the tabs that hold something.
    if tabs and not any(tab.account.filled for tab in tabs):
        file.say(file.nothing_on(chosen))
    # Last, since it opens the tabs that were not chosen.
    texts = dict(file.others(chosen))
    return replace(
        reading,
        tabs=tuple(tabs),
        patterns=tuple(file.used_patterns(chosen)),
        other_tabs=texts,
        # Tabs do not know their file; it is added here for all findings.
        findings=tuple(replace(finding, file=file.source.name) for finding in file.findings),
        unplaced=UnplacedCells.joined(unplaced),
        read=True,
    )


def _result_of(name: str, done: TabReading, facts: TabFacts) -> TabResult:
    """What is kept of a tab that was read."""
    return TabResult(
        name=name,
        tables=done.tables,
        account=done.account,
        form=done.form,
        headings=done.headings,
        totals=done.totals,
        facts=facts,
        record_count=sum(batch.num_rows for batch in done.tables.values()),
    )


def not_read(file: str, why: str, way_out: str, kind: FindingKind = FILE_UNREADABLE) -> Finding:
    """A finding: a file was not read, why, and what to do."""
    return kind(file=file, why=why, way_out=way_out)


def plan_tabs(
    book: Workbook, source: SourceFile, job: Job
) -> tuple[dict[str, dict[str, str]], list[str]]:
    """The tabs of an open file that a job reads, with all captures; and the findings about the
    choice."""
    reader = OpenFile(book, source, job)
    chosen = {
        name: {**source.captured, **how.captured, **how.block_captures}
        for name, how in reader.choose().items()
    }
    return chosen, [finding.message for finding in reader.findings if finding.kind != READ_AS]


def read_chosen(
    book: Workbook, source: SourceFile, job: Job, names: Sequence[str] | None
) -> Iterator[tuple[Sheet, TabReading]]:
    """Read the tabs of an open file that a job chooses, or the named ones, whatever it chooses."""
    reader = OpenFile(book, source, job)
    chosen = reader.choose()
    for name in chosen if names is None else names:
        sheet, findings = reader.corrected(book.sheet(name))
        # A tab that is asked for by name is read as if [tabs] had chosen it.
        how = chosen.get(name) or Chosen(shared=True)
        reading = reader.read_tab(sheet, how, reader.surroundings())
        yield sheet, replace(reading, findings=(*reading.findings, *findings))


def _values_of(roles: RoleMap) -> Numbers:
    """The numbers of a tab that are values of records."""
    sheet = roles.sheet
    # Laid out in one row, since numpy looks through that in half the time.
    positions = np.flatnonzero(roles.mask_of(Role.VALUE) & np.isfinite(sheet.numbers))
    # A number for row and column, as sheets have at most 16,384 columns.
    rows, columns = np.divmod(positions, sheet.width)
    return rows * 65_536 + columns, sheet.numbers.ravel()[positions]
