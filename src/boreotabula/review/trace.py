"""Opening the file that a record is from, in its present state, and reading its tab again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from boreotabula.batch.evidence import decided_layout, from_plain
from boreotabula.batch.file.open_file import Job, make_job
from boreotabula.batch.file.read import file_digest, read_chosen
from boreotabula.batch.inputs import SourceFile, look
from boreotabula.batch.layouts.accepted import with_accepted
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.pool import Ended, alone
from boreotabula.errors import CallError
from boreotabula.layout.addresses import parse_address
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.limits import Limits
from boreotabula.reading.inspect.trace import CellFate, RecordTrace, fate_of, trace_record
from boreotabula.reading.tab import TabReading
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.saved import SavedOutput
from boreotabula.unreadable import UnreadableError


@dataclass(frozen=True)
class OpenedTab:
    """A tab read again."""

    file: str
    sheet: Sheet
    reading: TabReading
    tabs: tuple[str, ...]
    """The names of all tabs of its file."""


@dataclass(frozen=True)
class Traced:
    """A record of an output, and what its tab now says about it."""

    record: Mapping[str, str]
    tab: OpenedTab
    trace: RecordTrace | None
    changed: tuple[str, ...]
    """What has changed since the run, in words."""

    @property
    def differing(self) -> list[str]:
        """The fields to which the tab now gives other values."""
        if self.trace is None:
            return []
        values = self.trace.values
        return [
            name
            for name, text in self.record.items()
            if name in values and not _same(text, values[name])
        ]

    @property
    def holds(self) -> bool:
        """Whether the tab still gives this record."""
        return self.trace is not None and not self.differing


def _same(text: str, value: object) -> bool:
    """Whether a text of an output equals a value of a tab."""
    # A missing value is an empty text in CSV.
    if value is None:
        return text == ""
    if isinstance(value, bool):
        return text.casefold() == str(value).casefold()
    if isinstance(value, float | int):
        # As numbers, since CSV writes 12.50 where the tab has 12.5.
        try:
            return float(text) == float(value)
        except ValueError:
            return False
    return text == str(value) or str(value).startswith(text) or text.replace("T", " ") == str(value)


class Tracer:
    """Traces records of one output; each tab is read only once."""

    def __init__(self, output: SavedOutput, limits: Limits | None = None) -> None:
        self.output = output
        loaded = Layout.load(output.layout_path)
        # As the run read them: what other files decided is in its record.
        self.layout = decided_layout(loaded, from_plain(output.record.get("evidence")))
        self._limits = limits
        self._files = look(self.layout).taken
        self._tabs: dict[tuple[str, str], OpenedTab] = {}
        self._digests: dict[str, str] = {}

    def trace(self, record: Mapping[str, str]) -> Traced:
        """The origin of a record. Raises CallError if its file or tab is missing or unreadable."""
        file, tab, cell = (record[f"source_{name}"] for name in ("file", "tab", "cell"))
        source = self.source(file)
        # Several records of one tab are traced in one call.
        if (file, tab) not in self._tabs:
            self._tabs[file, tab] = open_tab(source, tab, self.layout, self._limits)
            # Taken when the tab is read, so that both speak of the same content.
            self._digests[file] = file_digest(source.path)
        current_tab = self._tabs[file, tab]
        trace = trace_record(
            current_tab.sheet, current_tab.reading, self.layout.plan, self.output.table, cell
        )
        return Traced(record, current_tab, trace, tuple(self._changes(file)))

    def source(self, file: str) -> SourceFile:
        """A file of the layout by its name. Raises CallError if it is missing."""
        return source_named(file, self.layout, self._files)

    def _changes(self, file: str) -> Sequence[str]:
        texts = []
        if self._digests[file] != self.output.digest_of(file):
            texts.append(f"“{file}” has changed since the run: what is shown is how it is now")
        if self.layout.digest != self.output.record["layout"]["digest"]:
            texts.append(f"“{self.layout.path}” or its glossaries have changed since the run")
        return texts


def open_tab(
    source: SourceFile, tab: str, layout: Layout, limits: Limits | None = None
) -> OpenedTab:
    """Read one tab of a file by a layout. Raises CallError if that cannot be done."""
    job = make_job(layout.spec, layout.plan, limits)
    # In a process of its own: the file comes from outside, and may break the reader.
    return alone(partial(_opened, tab=tab, job=job), source, _cannot_be_read, job.opening.limits)


def _cannot_be_read(source: SourceFile, ended: Ended) -> OpenedTab:
    raise CallError(f"“{source.name}” cannot be read: {ended.said}")


def _opened(source: SourceFile, tab: str, job: Job) -> OpenedTab:
    try:
        with Workbook(source.path, job.opening) as book:
            names = [tab.name for tab in book.tabs]
            # Of a file with a single tab none need be named.
            chosen = [name for name in names if name == tab or (not tab and len(names) == 1)]
            if not chosen and tab:
                wanted = pattern(tab, PatternKind.TAB)
                # The record names the tab as a text; only if it has been renamed is it taken for
                # a pattern.
                chosen = [name for name in names if wanted.match(name) is not None]
            if not chosen:
                listed = ", ".join(names) or "none"
                several = not tab and names
                lacks = (
                    "has several tabs; name one of" if several else f"has no tab “{tab}”; it has"
                )
                raise CallError(f"“{source.name}” {lacks} {listed}")
            sheet, reading = next(iter(read_chosen(book, source, job, chosen[:1])))
            return OpenedTab(source.name, sheet, reading, tuple(names))
    except UnreadableError as error:
        raise CallError(f"“{source.name}” cannot be read: {error}. {error.advice}") from None


def source_of(path: Path, layout: Layout) -> SourceFile:
    """A file as the layout takes it. Raises CallError if it is missing."""
    return look(layout, named=[path]).taken[0]


def source_named(
    name: str, layout: Layout, files: Sequence[SourceFile] | None = None
) -> SourceFile:
    """A file of a layout by its name; `files` are all of them, if they are known.

    Raises CallError if it is not among them.
    """
    for source in look(layout).taken if files is None else files:
        if source.name == name:
            return source
    folders = ", ".join(f"“{folder}”" for folder in layout.folders)
    raise CallError(f"“{name}” is no longer among the files of {folders}")


def fate(tab: OpenedTab, layout: Layout, cell: str) -> CellFate:
    """What became of a cell of a tab. Raises CallError for an invalid address."""
    try:
        row, column = parse_address(cell)
    except ValueError as error:
        raise CallError(str(error)) from None
    if row >= tab.sheet.height or column >= tab.sheet.width or tab.sheet.rows[row][column] == "":
        raise CallError(f"{cell.upper()} of this tab is blank")
    reading = tab.reading
    # As in a run, an accepted finding says who has accepted it.
    if layout.accepted:
        placed = [
            replace(finding, file=finding.file or tab.file, tab=finding.tab or tab.sheet.name)
            for finding in reading.findings
        ]
        today = datetime.now(UTC).date()
        reading = replace(reading, findings=tuple(with_accepted(placed, layout.accepted, today)))
    return fate_of(tab.sheet, reading, layout.plan, row, column)
