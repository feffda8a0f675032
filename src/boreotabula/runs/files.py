"""Reading one file: its tabs chosen, each read, everything that went wrong said."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import pyarrow as pa

from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.patterns import Kind, Pattern, first_match, pattern
from boreotabula.layout.problems import nearest
from boreotabula.reading.findings import Finding, Unplaced
from boreotabula.reading.plan import Plan
from boreotabula.reading.roles import Account
from boreotabula.reading.tab import TabReading, read_tab
from boreotabula.runs.inbox import SourceFile
from boreotabula.workbooks.opening import UnreadableError, Workbook
from boreotabula.workbooks.sheet import Sheet


@dataclass(frozen=True)
class Job:
    """What is done with every file. Can be sent to another process."""

    plan: Plan
    tabs: tuple[Pattern, ...]


def make_job(spec: LayoutSpec, plan: Plan) -> Job:
    """The job of a checked layout."""
    named = spec.tabs.named if spec.tabs else ()
    return Job(plan, tuple(pattern(text, Kind.TAB) for text in named))


@dataclass(frozen=True)
class TabResult:
    """A tab that was read: its records and the account of its cells."""

    name: str
    records: pa.RecordBatch
    account: Account


@dataclass(frozen=True)
class FileReading:
    """All that came of one file."""

    name: str
    size: int = 0
    digest: str = ""
    tabs: tuple[TabResult, ...] = ()
    other_tabs: tuple[str, ...] = ()
    patterns: tuple[str, ...] = ()
    """The tab patterns that matched a tab."""
    findings: tuple[Finding, ...] = ()
    unplaced: tuple[Unplaced, ...] = ()
    read: bool = field(default=False)
    """Whether the file could be opened."""


def file_digest(path: Path) -> str:
    """SHA-256 of a file's content. Raises OSError."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def read_file(source: SourceFile, job: Job) -> FileReading:
    """Read the chosen tabs of one file. Never raises for what is wrong with the file."""
    reading = FileReading(source.name)
    try:
        reading = replace(reading, size=source.path.stat().st_size, digest=file_digest(source.path))
        with Workbook(source.path) as book:
            return _read_tabs(book, source, job, reading)
    except UnreadableError as error:
        return replace(reading, findings=(_unreadable(source.name, str(error), error.advice),))
    except OSError as error:
        why = f"it cannot be opened ({error.strerror})"
        return replace(reading, findings=(_unreadable(source.name, why, "Look at the file."),))


def _unreadable(file: str, why: str, advice: str) -> Finding:
    return Finding(
        "file-unreadable",
        f"this file was not read: {why}",
        advice,
        looked_for="a workbook",
        found=why,
        file=file,
    )


def _read_tabs(book: Workbook, source: SourceFile, job: Job, reading: FileReading) -> FileReading:
    findings: list[Finding] = []
    chosen, sheets = _choose(book, job, findings)
    tabs: list[TabResult] = []
    unplaced: list[Unplaced] = []
    for name, captured in chosen.items():
        try:
            sheet = sheets.get(name) or book.sheet(name)
        except UnreadableError as error:
            findings.append(
                Finding("tab-unreadable", f"this tab was not read: {error}", error.advice, tab=name)
            )
            continue
        if sheet.blank:
            findings.append(
                Finding("tab-blank", "nothing stands on this tab", "Nothing to do.", tab=name)
            )
        done = _read_one(sheet, source, job, captured)
        tabs.append(TabResult(name, done.records, done.account))
        findings += done.findings if not sheet.blank else ()
        unplaced += done.unplaced
    return replace(
        reading,
        tabs=tuple(tabs),
        patterns=tuple(
            one.text for one in job.tabs if any(one.match(name) is not None for name in chosen)
        ),
        other_tabs=tuple(name for name in book.tabs if name not in chosen),
        findings=tuple(replace(one, file=source.name) for one in findings),
        unplaced=tuple(unplaced),
        read=True,
    )


def _read_one(
    sheet: Sheet, source: SourceFile, job: Job, captured: Mapping[str, str]
) -> TabReading:
    return read_tab(sheet, job.plan, {**source.captured, **captured}, source.name)


def _choose(
    book: Workbook, job: Job, findings: list[Finding]
) -> tuple[dict[str, dict[str, str]], dict[str, Sheet]]:
    """Chosen tabs with their captures, and the sheets that had to be read to choose."""
    if job.tabs:
        matched = {name: first_match(job.tabs, name) for name in book.tabs}
        chosen = {name: found for name, found in matched.items() if found is not None}
        if not chosen:
            findings.append(_no_tab(book, job))
        return chosen, {}
    sheets = dict(_filled_sheets(book))
    if len(sheets) == 1:
        return {name: {} for name in sheets}, sheets
    findings.append(_not_one_tab(list(sheets)))
    return {}, {}


def _filled_sheets(book: Workbook) -> Iterator[tuple[str, Sheet]]:
    for name in book.tabs:
        sheet = book.sheet(name)
        if not sheet.blank:
            yield name, sheet


def _no_tab(book: Workbook, job: Job) -> Finding:
    patterns = ", ".join(one.text for one in job.tabs)
    near = nearest(job.tabs[0].text, book.tabs)
    hint = f" The nearest is “{near}”." if near else ""
    return Finding(
        "no-tab-matches",
        f"no tab matches {patterns}, so nothing was read from this workbook; it has"
        f" {', '.join(book.tabs)}",
        f"Rename the tab, or add a pattern to [tabs] named.{hint}",
        looked_for=patterns,
        found=", ".join(book.tabs),
    )


def _not_one_tab(filled: list[str]) -> Finding:
    if not filled:
        return Finding(
            "workbook-blank",
            "nothing stands on any tab of this workbook",
            "Ask the sender for the file again.",
            looked_for="a filled tab",
            found="none",
        )
    return Finding(
        "several-tabs",
        f"{len(filled)} tabs are filled and the layout does not say which to read, so none was:"
        f" {', '.join(filled)}",
        "Choose with [tabs] named = [...] in the layout.",
        looked_for="one filled tab",
        found=", ".join(filled),
    )
