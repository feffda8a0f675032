"""Tabs that hold the same records as another: the first is kept, so that nothing counts twice."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

from boreotabula.batch.file.read import FileReading, TabResult
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import VALUES_REPEATED
from boreotabula.findings.subjects.files import TAB_TWICE
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.totals.checks import TotalsCount


def without_copies(readings: Iterable[FileReading]) -> Iterator[FileReading]:
    """The readings, in which a tab whose records equal those of an earlier one has none."""
    first: dict[str, tuple[str, str]] = {}
    for reading in readings:
        copies: dict[str, tuple[str, str]] = {}
        for tab in reading.tabs:
            place = (reading.name, tab.name)
            # The digest is empty where a tab has no records; two empty tabs are not copies.
            before = first.setdefault(tab.facts.digest, place) if tab.facts.digest else place
            if before != place:
                copies[tab.name] = before
        yield _without(reading, copies) if copies else reading


def _without(reading: FileReading, copies: dict[str, tuple[str, str]]) -> FileReading:
    tabs = tuple(
        _left_out(tab, _called(reading, *copies[tab.name])) if tab.name in copies else tab
        for tab in reading.tabs
    )
    findings = tuple(
        _copied(reading, tab, _called(reading, *copies[tab.name]))
        for tab in reading.tabs
        if tab.name in copies
    )
    return replace(
        reading,
        tabs=tabs,
        # What was said of the copy was said of the first already.
        findings=tuple(finding for finding in reading.findings if finding.tab not in copies)
        + findings,
        unplaced=reading.unplaced.without_tabs(copies),
    )


_USUAL = 10
"""Where more than one tab in this many repeats another, repetition is usual."""


class SameValues:
    """Looks for tabs with the values of another one under other stamps."""

    def __init__(self) -> None:
        self._first: dict[str, tuple[str, str, Mapping[str, object]]] = {}
        self._again: list[Finding] = []
        self._tabs = 0

    def take(self, reading: FileReading) -> None:
        """Compare the values of a file's tabs with those of all earlier tabs."""
        for tab in reading.tabs:
            self._tabs += bool(tab.record_count)
            if not tab.facts.body or tab.is_copy:
                continue
            here = (reading.name, tab.name, tab.facts.stamps)
            # The first tab with these values is what later ones are held against, so that three
            # equal tabs give two findings and not three.
            file, name, stamps = self._first.setdefault(tab.facts.body, here)
            if (file, name) != here[:2]:
                of = _called(reading, file, name)
                self._again.append(_repeated(reading.name, tab, of, stamps))

    def findings(self) -> Iterator[Finding]:
        """One for each tab, unless many tabs repeat another."""
        # Zeros in every form, or an unused template, repeat by nature.
        if len(self._again) <= max(self._tabs / _USUAL, 2):
            yield from self._again


def _repeated(file: str, tab: TabResult, of: str, stamps: Mapping[str, object]) -> Finding:
    values = tab.facts.stamps
    # The stamps that differ are why this is not a copy, and what a person must look at.
    differ = [name for name in values if values[name] != stamps.get(name)]
    changed = [f"{name} = {values[name]} instead of {stamps.get(name)}" for name in differ]
    numbers = sum(tab.facts.numbers.values())
    return VALUES_REPEATED(file=file, tab=tab.name, numbers=numbers, of=of, stamps=changed)


def _called(reading: FileReading, file: str, tab: str) -> str:
    # Within one file its name would say nothing.
    return tab if file == reading.name and tab else " › ".join(part for part in (file, tab) if part)


def _left_out(tab: TabResult, of: str) -> TabResult:
    filled = tab.account.filled
    # All its cells are accounted for by one role, so that the account of the run stays complete.
    roles = {role: filled if role is Role.LEFT_OUT else 0 for role in Role}
    return replace(
        tab,
        tables={},
        record_count=0,
        account=Account(filled, roles, {f"copy: of {of}": filled}),
        copy_of=of,
        headings=(),
        totals=TotalsCount(),
        # Whatever compares tabs must not count the copy a second time.
        facts=replace(tab.facts, digest="", body="", numbers={}, largest={}, empty=(), beside={}),
    )


def _copied(reading: FileReading, tab: TabResult, of: str) -> Finding:
    return TAB_TWICE(file=reading.name, tab=tab.name, records=tab.record_count, of=of)
