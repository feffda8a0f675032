"""Tabs with the records of another one, except some values: most likely a corrected copy."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np

from boreotabula.batch.file.lines import LineDigests, read_lines
from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.comparing import COPY_KEPT_TOO, NEAR_COPY

_FEWEST = 3
"""Tabs with fewer records say too little to be recognised."""
_USUAL = 10
"""Where more than one tab in this many is similar to another, repeated lines are usual."""
_ASKED = 8
"""This many lines of a tab are looked up: of two tabs that share most lines at least one is among
them."""
_MOST_HERE = 4
"""This many tabs are remembered for each line: a line that more tabs share proves nothing."""

_Place = tuple[str, str]
"""A file and a tab."""


@dataclass
class _Met:
    """A tab, and the lines that identify it."""

    place: _Place
    form: str
    lines: LineDigests
    records: int


class NearCopies:
    """Looks for tabs with mostly the records of another tab, apart from numbers."""

    def __init__(self) -> None:
        self._tabs: list[_Met] = []
        self._having: dict[int, tuple[int, ...]] = {}
        self._found: list[tuple[_Met, _Met, int, int]] = []
        self.told: set[tuple[str, str]] = set()
        """The pairs of files in findings."""

    def take(self, reading: FileReading) -> None:
        """Compare the records of a file's tabs with those of all earlier tabs."""
        for tab in reading.tabs:
            # A copy is told already; a tab of one or two records is like many others.
            if tab.is_copy or tab.record_count < _FEWEST or not tab.facts.lines:
                continue
            lines = read_lines(tab.facts.lines)
            summary = _Met((reading.name, tab.name), tab.form, lines, tab.record_count)
            before = self._nearest(summary)
            if before is not None:
                self._found.append((summary, *before))
            # The lines are sorted by digest, so the first ones are the same for tabs that share
            # them.
            alone = (len(self._tabs),)  # most lines are on one tab only: they share this
            for line in lines.words[:_ASKED].tolist():
                having = self._having.setdefault(line, alone)
                # A line that many tabs have, such as a row of zeros, leads to nothing.
                if having is not alone and len(having) < _MOST_HERE:
                    self._having[line] = having + alone
            self._tabs.append(summary)

    def _nearest(self, summary: _Met) -> tuple[_Met, int, int] | None:
        """The earlier tab that shares most lines, if these are most of both; the number of shared
        lines, and of fully equal ones."""
        tolist = summary.lines.words[:_ASKED].tolist()
        counts = Counter(index for line in tolist for index in self._having.get(line, ()))
        # Only the tab with most hits is compared in full: the others would share fewer lines.
        for position, _ in counts.most_common(1):
            other_summary = self._tabs[position]
            # As arrays, since a tab may have a million lines.
            shared, values, array = np.intersect1d(
                summary.lines.words,
                other_summary.lines.words,
                assume_unique=True,
                return_indices=True,
            )
            most = max(len(summary.lines.words), len(other_summary.lines.words))
            similar = 3 * min(summary.records, other_summary.records) > 2 * max(
                summary.records, other_summary.records
            )
            # Two thirds of the larger: a small tab that is part of a large one is no copy of it.
            if 3 * len(shared) > 2 * most and similar and summary.form == other_summary.form:
                same = np.count_nonzero(
                    summary.lines.numbers[values] == other_summary.lines.numbers[array]
                )
                return other_summary, len(shared), int(same)
        return None

    def findings(self) -> Iterator[Finding]:
        """One for each tab that nearly repeats another; where the names do not say so, only if
        there are few."""
        few = len(self._found) <= max(len(self._tabs) / _USUAL, 1)
        for summary, other_summary, count, same in self._found:
            # A name that says “copy” needs no further evidence.
            copy = _says_copy(summary.place, other_summary.place)
            # A form that comes again with all of its numbers changed is next week's.
            if not copy and (not few or 2 * same < count):
                continue
            (file, tab), (other_file, other_tab) = summary.place, other_summary.place
            self.told.add((file, other_file))
            kind = COPY_KEPT_TOO if copy else NEAR_COPY
            # Within one file the tab alone says where.
            of = other_tab if file == other_file else " › ".join(filter(None, other_summary.place))
            yield kind(
                file=file, tab=tab, share=round(100 * count / len(summary.lines.words)), of=of,
                changed=count - same,
            )  # fmt: skip


_MARK = re.compile(
    r"[\s_\-–(]*(?:\(\d+\)|\d+\)|copy|kopie|kopi|kopia|kopio|copie|copia|corrected|correction|"
    r"corr|revised|updated|fixed|new|final|rettet|korrigert|rättad|korjattu|korrigiert|neu|"
    r"corrig[ée]e?|v\d+)[\s_\d().]*",
    re.IGNORECASE,
)
"""The marks that people and programs add to the name of a copy or a correction."""
_LEAD = re.compile(r"(copy of|kopie von|kopi av|kopia av|copie de|copia de)\s+", re.IGNORECASE)


def _says_copy(place: _Place, other: _Place) -> bool:
    """Whether the name of one tab or file is that of the other with the mark of a copy."""
    of_file = place[0] == other[0]
    # A copied file has the same tabs: then its own name tells.
    names = [tab if of_file else PurePosixPath(file).stem for file, tab in (place, other)]
    short, long = sorted((_LEAD.sub("", name).strip() for name in names), key=len)
    # “Copy of report” against “report”: the mark stands in front.
    led = any(map(_LEAD.match, names)) and short.casefold() == long.casefold()
    # “report (2)” or “report new” against “report”: the mark stands behind.
    marked = long.casefold().startswith(short.casefold()) and bool(
        _MARK.fullmatch(long[len(short) :])
    )
    return led or marked
