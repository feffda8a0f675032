"""Tabs with far fewer records than the others, and files in which one field alone is empty."""

from __future__ import annotations

from collections.abc import Iterator
from statistics import median

from boreotabula.layout.headings import normal_form
from boreotabula.reading.findings import Code, Finding
from boreotabula.runs.file.read import FileReading
from boreotabula.texts import counted

_MOST_TOLD = 5
_FEW = 4
"""A tab has few records if it has less than one in so many of the median of its like."""
_ENOUGH = 12
"""Where the median is less than this, a small tab is nothing odd."""


class FewRecords:
    """Compares how many records the tabs of a form have."""

    def __init__(self) -> None:
        self._counts: dict[str, list[int]] = {}
        self._least: dict[str, list[tuple[int, str, str]]] = {}

    def take(self, reading: FileReading) -> None:
        """Count the records of a file's tabs."""
        for tab in reading.tabs:
            if tab.account.filled and not tab.is_copy:
                self._counts.setdefault(tab.form, []).append(tab.record_count)
                least = self._least.setdefault(tab.form, [])
                least.append((tab.record_count, reading.name, tab.name))
                least.sort()
                del least[_MOST_TOLD:]

    def findings(self) -> Iterator[Finding]:
        """The tabs with the fewest records, if that is few."""
        for form, counts in self._counts.items():
            usual = median(counts)
            for count, file, tab in self._least[form]:
                if usual >= _ENOUGH and count * _FEW < usual:
                    records = counted(count, "record")
                    yield Finding(
                        Code.RECORDS_FEW,
                        f"this tab gave {records}; half of the {len(counts)} tabs like it gave"
                        f" {usual:g} or more",
                        "Check whether its table was cut off, or has a gap that ends it.",
                        looked_for=f"about {usual:g} records",
                        found=records,
                        tab=tab,
                        file=file,
                    )


_FEWEST_FILES = 5


class MissingTabs:
    """Looks for a tab that one file alone lacks."""

    def __init__(self) -> None:
        self._files: list[str] = []
        self._having: dict[str, tuple[str, set[str]]] = {}
        self._told: set[tuple[str, str]] = set()

    def take(self, reading: FileReading) -> None:
        """Note the tabs that were read of a file, and those of which it is told that they were
        not."""
        if reading.tabs:
            self._files.append(reading.name)
        self._told.update(
            (normal_form(one.tab), reading.name)
            for one in reading.findings
            if one.code == Code.TAB_NOT_CHOSEN
        )
        for tab in reading.tabs:
            self._having.setdefault(normal_form(tab.name), (tab.name, set()))[1].add(reading.name)

    def findings(self) -> Iterator[Finding]:
        """Tabs that all files have but one."""
        for key, (name, having) in self._having.items():
            if len(having) + 1 == len(self._files) >= _FEWEST_FILES:
                (file,) = set(self._files) - having
                if (key, file) in self._told:
                    continue
                yield Finding(
                    Code.TAB_MISSING,
                    f"no tab “{name}” of this file was read; the other {len(having)} files have"
                    " one",
                    "Check whether it was renamed, or ask the sender for it.",
                    looked_for=name,
                    found="no such tab",
                    file=file,
                )


class FieldsEmpty:
    """Looks for a field that one file alone leaves empty."""

    def __init__(self) -> None:
        self._files = 0
        self._empty: dict[str, list[str]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the fields that are empty in all records of a file."""
        tabs = [tab for tab in reading.tabs if tab.record_count]
        if tabs:
            self._files += 1
            for name in set.intersection(*(set(tab.facts.empty) for tab in tabs)):
                self._empty.setdefault(name, []).append(reading.name)

    def findings(self) -> Iterator[Finding]:
        """Fields that are filled in all files but one."""
        if self._files < _FEWEST_FILES:
            return
        for name, files in sorted(self._empty.items()):
            if len(files) == 1:
                yield Finding(
                    Code.FIELD_EMPTY_HERE,
                    f"“{name}” is empty in all records of this file, and filled in the other"
                    f" {self._files - 1}",
                    "Look for the column or cell that fills it in the other files.",
                    looked_for=name,
                    found="nothing",
                    file=files[0],
                )
