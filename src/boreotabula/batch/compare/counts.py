"""Tabs with far fewer records than the others, and files in which only one field is empty."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator

import numpy as np

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import FIELD_EMPTY_HERE, RECORDS_FEW, TAB_MISSING
from boreotabula.findings.subjects.files import TAB_NOT_CHOSEN
from boreotabula.findings.subjects.headings import HEADING_UNKNOWN
from boreotabula.findings.subjects.tables import COLUMN_OF_OTHERS_LACKING
from boreotabula.layout.headings import normal_form

_MOST_TOLD = 5
_FEW = 4
"""A tab has few records if it has less than this fraction of the median of similar tabs."""
_ENOUGH = 12
"""Where the median is less than this, a small tab is normal."""


class FewRecords:
    """Compares the numbers of records of a form's tabs."""

    def __init__(self) -> None:
        self._counts: dict[str, list[int]] = {}
        self._least: dict[str, list[tuple[int, str, str]]] = {}

    def take(self, reading: FileReading) -> None:
        """Count the records of a file's tabs."""
        for tab in reading.tabs:
            # Blank tabs and copies would pull the median down.
            if tab.account.filled and not tab.is_copy:
                self._counts.setdefault(tab.form, []).append(tab.record_count)
                least = self._least.setdefault(tab.form, [])
                least.append((tab.record_count, reading.name, tab.name))
                # Only the smallest few are kept, so that memory does not grow with the folder.
                least.sort()
                del least[_MOST_TOLD:]

    def findings(self) -> Iterator[Finding]:
        """The tabs with the fewest records, if these are few."""
        for form, counts in self._counts.items():
            usual = float(np.median(counts))
            for count, file, tab in self._least[form]:
                # A small usual number of records varies too much for this to mean anything.
                if usual >= _ENOUGH and count * _FEW < usual:
                    slots = {"tabs": len(counts), "usual": f"{usual:g}"}
                    yield RECORDS_FEW(file=file, tab=tab, records=count, **slots)


_FEWEST_FILES = 5
"""With fewer files nothing counts as usual."""


class MissingTabs:
    """Looks for a tab that only one file lacks."""

    def __init__(self) -> None:
        self._files: list[str] = []
        self._having: dict[str, tuple[str, set[str]]] = {}
        self._told: set[tuple[str, str]] = set()

    def take(self, reading: FileReading) -> None:
        """Note the tabs of a file that were read, and those reported as not read."""
        # A file of which no tab was read has findings of its own.
        if reading.tabs:
            self._files.append(reading.name)
        self._told.update(
            (normal_form(finding.tab), reading.name)
            for finding in reading.findings
            if finding.kind == TAB_NOT_CHOSEN
        )
        for tab in reading.tabs:
            self._having.setdefault(normal_form(tab.name), (tab.name, set()))[1].add(reading.name)

    def findings(self) -> Iterator[Finding]:
        """Tabs that all files but one have."""
        for key, (name, having) in self._having.items():
            # Exactly one file: where two lack a tab, two kinds of files are more likely.
            if len(having) + 1 == len(self._files) >= _FEWEST_FILES:
                (file,) = set(self._files) - having
                # The tab is there and was told as not chosen: one cause, one finding.
                if (key, file) in self._told:
                    continue
                yield TAB_MISSING(file=file, name=name, files=len(having))


class FieldsEmpty:
    """Looks for a field that only one file leaves empty."""

    def __init__(self) -> None:
        self._files = 0
        self._empty: dict[str, list[str]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the fields that are empty in all records of a file."""
        tabs = [tab for tab in reading.tabs if tab.record_count]
        if tabs:
            self._files += 1
            # Empty in all tabs of the file; a field that one tab lacks is usual.
            for name in set.intersection(*(set(tab.facts.empty) for tab in tabs)):
                self._empty.setdefault(name, []).append(reading.name)

    def findings(self) -> Iterator[Finding]:
        """Fields that all files but one fill."""
        if self._files < _FEWEST_FILES:
            return
        for name, files in sorted(self._empty.items()):
            if len(files) == 1:
                yield FIELD_EMPTY_HERE(file=files[0], field=name, files=self._files - 1)


class LackingColumns:
    """Looks for a tab that lacks a column of all other tabs of its kind."""

    def __init__(self, optional: Collection[str]) -> None:
        self._optional = optional
        self._having: dict[tuple[str, str], Counter[str]] = {}
        self._unsure: set[tuple[str, str]] = set()
        self._tabs: dict[tuple[str, str], list[tuple[str, str, frozenset[str]]]] = {}
        self._names: dict[frozenset[str], frozenset[str]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the columns of a file's tables."""
        # A heading that nobody knows is an error of its own, and may be that column.
        unknown = {finding.tab for finding in reading.findings if finding.kind == HEADING_UNKNOWN}
        for tab in reading.tabs:
            for block, fields in tab.facts.columns.items() if tab.record_count else ():
                key = (tab.form, block)
                self._having.setdefault(key, Counter()).update(fields)
                # Most tabs have all columns: of those the names are shared.
                names = frozenset(fields)
                names = self._names.setdefault(names, names)
                self._tabs.setdefault(key, []).append((reading.name, tab.name, names))
                if tab.name in unknown:
                    self._unsure.add((reading.name, tab.name))

    def findings(self) -> Iterator[Finding]:
        """One for each tab and column that only it lacks."""
        for key, tabs in self._tabs.items():
            number = len(tabs) - 1
            if number < _FEWEST_LIKE:
                continue
            # Lacking on exactly one tab: only then is it certain that the others are the rule.
            nearly_all = {name for name, count in self._having[key].items() if count == number}
            for file, tab, fields in tabs if nearly_all else ():
                # The layout says itself that these may be lacking.
                lacking = nearly_all - fields - set(self._optional)
                for name in sorted(lacking) if (file, tab) not in self._unsure else ():
                    yield COLUMN_OF_OTHERS_LACKING(file=file, tab=tab, field=name, tabs=number)


_FEWEST_LIKE = 3
"""A tab is compared with others only if this many are similar."""
