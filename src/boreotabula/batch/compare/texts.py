"""The texts that many files share: how they were read, and remarks on all tabs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import groupby, islice
from sys import intern

from boreotabula.batch.evidence import Evidence
from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding, Unplaced, met_again
from boreotabula.findings.reasons import Doubtful
from boreotabula.findings.subjects.files import ENCODING_GUESSED
from boreotabula.findings.subjects.totals import TEXTS_REPEATED, TEXTS_UNPLACED
from boreotabula.findings.subjects.values import FILES_DISAGREE, READ_BY_EVIDENCE, READING_DOUBTFUL
from boreotabula.layout.addresses import written_address
from boreotabula.layout.headings import normal_form


class GuessedEncodings:
    """Counts the texts whose encoding was guessed among several possible ones."""

    def __init__(self) -> None:
        self._files: dict[str, list[str]] = {}

    def take(self, reading: FileReading) -> None:
        """Note the encoding of a file."""
        if reading.guessed:
            self._files.setdefault(reading.guessed, []).append(reading.name)

    def findings(self) -> Iterator[Finding]:
        """One for each encoding."""
        for encoding, files in self._files.items():
            # One finding for each encoding: a folder of a thousand texts was written by one
            # program.
            yield ENCODING_GUESSED(file=files[0], encoding=encoding, more=len(files) - 1)


class UnplacedTexts:
    """Collects the texts outside the tables.

    Those that several similar tabs have in the same words, in whatever language, are reported once,
    the others tab by tab.
    """

    def __init__(self) -> None:
        self._form_of: dict[tuple[str, str], str] = {}
        self._texts: list[Unplaced] = []
        self._more: dict[tuple[str, str], tuple[Unplaced, int]] = {}
        """By file and tab, the first text beyond those that are compared, and the number of such
        texts."""

    def take(self, reading: FileReading) -> None:
        """Note the texts of a file's tabs, except of tabs with more texts than a form has."""
        for tab in reading.tabs:
            self._form_of[reading.name, tab.name] = tab.form
        for where, cells in groupby(reading.unplaced.told_by(TEXTS_UNPLACED.code), key=_tab_of):
            texts = iter(cells)
            # A tab of a million texts would fill the memory; what lies beyond is counted only.
            self._texts += map(_shared, islice(texts, _MOST_OF_A_TAB))
            first = next(texts, None)
            if first is not None:
                self._more[where] = first, 1 + sum(1 for _ in texts)

    def findings(self) -> Iterator[Finding]:
        """One for everything that is repeated, and one for each tab with a text of its own."""
        repeated = self._repeated()
        again = [text for text in self._texts if self._key(text) in repeated]
        if again:
            yield _repeated_texts(again, repeated)
        other_cells = (text for text in self._texts if self._key(text) not in repeated)
        own = {where: list(cells) for where, cells in groupby(other_cells, key=_tab_of)}
        # In the order in which tabs were met, whatever was kept of them.
        for where in dict.fromkeys([*own, *self._more]):
            first, number = self._more.get(where, (None, 0))
            some = own.get(where) or [one for one in (first,) if one is not None]
            yield _texts_of_tab(some[0], len(own.get(where, ())) + number)

    def _key(self, cell: Unplaced) -> tuple[str, str]:
        return self._form_of.get((cell.file, cell.tab), ""), normal_form(cell.text)

    def _repeated(self) -> Counter[tuple[str, str]]:
        """The texts that several similar tabs have, and the number of tabs."""
        # As a set first, so that a text that stands twice on one tab counts once.
        on_tabs = Counter(
            key for key, *_ in {(self._key(text), text.file, text.tab) for text in self._texts}
        )
        return Counter({key: count for key, count in on_tabs.items() if count >= _SEVERAL})


def _shared(cell: Unplaced) -> Unplaced:
    """The same cell with interned texts: like tabs have the same ones."""
    file, tab, text = map(intern, (cell.file, cell.tab, cell.text))
    return cell._replace(file=file, tab=tab, text=text)


_SEVERAL = 3
"""A text on fewer tabs says nothing about how files are written."""
_MOST_OF_A_TAB = 1000
"""At most this many texts of a tab are compared with those of others; no form has more of its own.
"""
_MOST_NAMED = 5


def _repeated_texts(again: Sequence[Unplaced], repeated: Counter[tuple[str, str]]) -> Finding:
    first = again[0]
    texts = list(dict.fromkeys(cell.text for cell in again))
    return TEXTS_REPEATED(
        written_address(first.cell),
        file=first.file,
        tab=first.tab,
        texts=len(repeated),
        tabs=max(repeated.values()),
        shown=texts,
        listed=", ".join(f'"{text}"' for text in texts[:_MOST_NAMED]),
        first=first.text,
    )


def _tab_of(cell: Unplaced) -> tuple[str, str]:
    return cell.file, cell.tab


def _texts_of_tab(first: Unplaced, number: int) -> Finding:
    return TEXTS_UNPLACED(
        written_address(first.cell),
        file=first.file,
        tab=first.tab,
        cells=number,
        text=first.text,
        reason=first.reason,
    )


class Doubts:
    """Findings about ambiguous texts: one cause on all tabs."""

    def __init__(self) -> None:
        self._met: dict[tuple[str, str], list[Finding]] = {}
        self._evidence = Evidence()

    def take(self, reading: FileReading) -> None:
        """Note the doubts about a file."""
        self._evidence.take(reading)
        for finding in reading.findings:
            if finding.kind in DOUBTS:
                self._met.setdefault((finding.code, finding.cause), []).append(finding)

    def findings(self) -> Iterator[Finding]:
        """One for each cause: the first, and the number of further tabs."""
        for findings in self._met.values():
            # What two files say against each other is told instead of the doubt: one cause, one
            # finding.
            yield self._contradiction(findings[0]) or met_again(findings[0], len(findings) - 1)

    def _contradiction(self, doubt: Finding) -> Finding | None:
        """Two files that write dates in opposite ways, if they are why a doubt is unsettled."""
        if doubt.kind != READING_DOUBTFUL or not doubt.cause.endswith(Doubtful.DAY_AND_MONTH):
            return None
        evidence = {one.day_first: one for one in self._evidence.every if one.field == doubt.field}
        # Both ways in the same file are told where that file is read.
        if len(evidence) < _BOTH or evidence[True].file == evidence[False].file:
            return None
        first, other_evidence = evidence[True], evidence[False]
        return FILES_DISAGREE(
            doubt.at,
            file=doubt.file,
            tab=doubt.tab,
            field=doubt.field,
            about=Doubtful.DAY_AND_MONTH,
            text=doubt.found,
            first=first.shown,
            other=other_evidence.shown,
            key="day_first",
        )


_BOTH = 2
DOUBTS = (READING_DOUBTFUL, READ_BY_EVIDENCE)
"""Findings about ambiguous texts."""

TOLD_FOR_THE_RUN = (TEXTS_UNPLACED, *DOUBTS)
"""Findings about tabs that are replaced by findings for the run."""
