"""Stamps that two files share, and stamps whose cell has another label than on similar tabs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field

from boreotabula.batch.file.read import FileReading, TabResult
from boreotabula.findings.finding import Finding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.comparing import SENT_TWICE
from boreotabula.findings.subjects.stamps import (
    STAMP_LABEL_UNUSUAL,
    STAMP_MOVED,
    STAMP_SOURCE_UNUSUAL,
)

_USUAL = 10
"""Where more than one tab in this many shares its stamps, stamps do not identify tabs."""


class SameStamps:
    """Looks for tabs of two files with the same stamps: something was sent twice."""

    def __init__(self, places: Collection[tuple[str, str]]) -> None:
        self._told = places
        """The pairs of files that are reported already."""
        self._first: dict[tuple[object, ...], tuple[str, str]] = {}
        self._twice: dict[tuple[str, str], list[tuple[str, str, str]]] = {}
        self._tabs = 0

    def take(self, reading: FileReading) -> None:
        """Compare the stamps of a file's tabs with those of the files before."""
        for tab in reading.tabs:
            stamps = tab.facts.stamps
            # A tab without records counts nothing twice, and a stamp that is missing tells
            # nothing.
            if not tab.record_count or not stamps or None in stamps.values():
                continue
            self._tabs += 1
            # With the edition, since two forms may well be sent by the same sender for the same
            # month.
            key = (tab.form, *sorted((name, str(value)) for name, value in stamps.items()))
            file, first = self._first.setdefault(key, (reading.name, tab.name))
            # Within one file equal stamps are what tabs of one report have.
            if file != reading.name:
                message = ", ".join(f"{name} = {_shown(value)}" for name, value in stamps.items())
                self._twice.setdefault((reading.name, file), []).append((tab.name, first, message))

    def findings(self) -> Iterator[Finding]:
        """One for each pair of files, unless many tabs share stamps."""
        count = sum(map(len, self._twice.values()))
        # Where many tabs share their stamps, the layout lacks a stamp; that is another finding.
        if count > max(self._tabs / _USUAL, 2):
            return
        for (file, other_text), groups in self._twice.items():
            # Told as a near copy already, which says more.
            if (file, other_text) in self._told:
                continue
            tab, first, message = groups[0]
            of = f"{other_text} › {first}" if first else other_text
            yield SENT_TWICE(
                file=file, tab=tab, tabs=len(groups), other=other_text, stamps=message, of=of
            )


def _shown(value: object) -> str:
    return str(value)


@dataclass
class _Beside:
    """The labels beside the fixed cell of a stamp, and the places of the rare ones."""

    counts: Counter[str] = field(default_factory=Counter)
    first: dict[str, tuple[str, TabResult]] = field(default_factory=dict)


_FEWEST = 4
"""A label counts as usual once it stands on this many tabs."""
_RARE = 5
"""A label is unusual if it stands on at most one in this many tabs, and another on at least four.
"""


class MovedStamps:
    """Looks for fixed cells with another label than on similar tabs: a row was inserted."""

    def __init__(self) -> None:
        self._beside: dict[tuple[str, str], _Beside] = {}

    def take(self, reading: FileReading) -> None:
        """Note the labels of a file's tabs."""
        for tab in reading.tabs:
            # A copy has been emptied, and would count its label a second time.
            for name, (label, _) in tab.facts.beside.items() if tab.account.filled else ():
                beside = self._beside.setdefault((tab.form, name), _Beside())
                beside.counts[label] += 1
                if label not in beside.first:
                    beside.first[label] = (reading.name, tab)

    def findings(self) -> Iterator[Finding]:
        """Tabs with a rare label: the form is shifted there, or the cell belongs to another stamp.

        A tab on which all labels are rare, at least two, and stand nowhere else, is a form in
        another language.
        """
        rare = {
            (form, name): set(self._rare(beside)) for (form, name), beside in self._beside.items()
        }
        for (form, name), met in self._beside.items():
            usual = self._usual(met)
            other_texts = self._labels_of_others(form, name)
            for label in met.counts:
                if label not in rare[form, name]:
                    continue
                _, tab = met.first[label]
                beside = tab.facts.beside
                # All labels are strange at once: a form in another language, whose cells are
                # where they were.
                foreign = len(beside) > 1 and all(
                    text in rare[form, other_text] for other_text, (text, _) in beside.items()
                )
                elsewhere = [text for text in usual if text in tab.facts.labels]
                # Moved for certain if the usual label stands elsewhere on the tab, or another
                # field's label here.
                moved = bool(elsewhere) or label in other_texts or not label
                if moved or not foreign:
                    kind = STAMP_MOVED if moved else STAMP_LABEL_UNUSUAL
                    yield _moved(kind, name, label, met, usual, elsewhere)

    def _usual(self, beside: _Beside) -> list[str]:
        return [text for text, count in beside.counts.items() if count >= _FEWEST and text]

    def _rare(self, beside: _Beside) -> Iterator[str]:
        usual, total = self._usual(beside), beside.counts.total()
        for label, count in beside.counts.items():
            # Without a usual label there is nothing to differ from.
            if usual and label not in usual and count * _RARE <= total:
                yield label

    def _labels_of_others(self, form: str, name: str) -> set[str]:
        return {
            label
            for (other_form, other_text), beside in self._beside.items()
            if other_form == form and other_text != name
            for label, count in beside.counts.items()
            if count >= _FEWEST and label
        }


def _moved(
    kind: FindingKind, name: str, label: str, met: _Beside, usual: list[str], elsewhere: list[str]
) -> Finding:
    file, tab = met.first[label]
    count, cell = met.counts[label], tab.facts.beside[name][1]
    return kind(
        cell,
        file=file,
        tab=tab.name,
        field=name,
        label=f"“{label}”" if label else "no label",
        usual=" or ".join(f"“{one}”" for one in usual[:3]),
        place=tab.facts.labels[elsewhere[0]] if elsewhere else "",
        more=count if count > 1 else 0,
        there=label or "blank",
    )


class LaterSources:
    """Looks for stamps with several sources that were taken from a later source than on most
    tabs."""

    def __init__(self) -> None:
        self._taken: dict[tuple[str, str], dict[int, list[tuple[str, str]]]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the sources of the stamps of a file's tabs."""
        for tab in reading.tabs:
            for name, index in tab.facts.taken.items() if tab.record_count else ():
                sources = self._taken.setdefault((tab.form, name), {})
                sources.setdefault(index, []).append((reading.name, tab.name))

    def findings(self) -> Iterator[Finding]:
        """One for each stamp and later source."""
        for (_, name), sources in self._taken.items():
            # With equal counts the earlier source wins, as the layout prefers it.
            usual = max(sources, key=lambda index: (len(sources[index]), -index))
            for position, tabs in sorted(sources.items()):
                # An earlier source than usual is what the layout asks for, so only later ones are
                # told.
                if position > usual and len(sources[usual]) > len(tabs):
                    yield _later(name, position, usual, tabs, len(sources[usual]))


def _later(name: str, index: int, usual: int, tabs: list[tuple[str, str]], most: int) -> Finding:
    file, tab = tabs[0]
    return STAMP_SOURCE_UNUSUAL(
        file=file,
        tab=tab,
        field=name,
        taken=index + 1,
        usual=usual + 1,
        tabs=most,
        more=len(tabs) - 1,
    )
