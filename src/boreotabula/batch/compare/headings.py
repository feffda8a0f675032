"""Headings of cross-tabs that few tabs have, or that nearly equal another one."""

from __future__ import annotations

import re
from array import array
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.headings import HEADING_NEAR, HEADING_RARE
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form

_FEW = 20
"""A heading is rare if it stands on at most one in this many tabs, or on a single tab."""
_FEWEST_TABS = 6
"""With fewer tabs no heading counts as rare."""
_MOST_TOLD = 5


@dataclass
class _Met:
    """The first place of a heading, and the number of its tabs."""

    file: str
    tab: str
    cell: Address
    text: str
    """Its text as written there."""
    tabs: int = 0


@dataclass
class HeadingCount:
    """The number of tabs with each heading of a cross-tab, without headings that are reported
    already."""

    told: Collection[str]
    tabs: int = 0
    met: dict[str, _Met] = field(default_factory=dict)

    def take(self, reading: FileReading) -> None:
        """Count the headings of a file."""
        for tab in reading.tabs:
            self.tabs += bool(tab.headings)
            # In reverse, so that the first of equal headings gives the cell.
            level_headings = {
                normal_form(heading.text): heading for heading in reversed(tab.headings)
            }
            for head, level_heading in level_headings.items():
                known_summary = self.met.get(head)
                if known_summary is None:
                    known_summary = self.met[head] = _Met(
                        reading.name, tab.name, level_heading.cell, level_heading.text
                    )
                known_summary.tabs += 1

    def findings(self) -> Iterator[Finding]:
        """Headings that few tabs have: a stray numeric column would be read as one.

        Where many headings are rare, as months that come and go, none stands out.
        """
        most = max(self.tabs // _FEW, 1)
        # Headings on few tabs are what a stray column looks like.
        few = [summary for summary in self.met.values() if summary.tabs <= most]
        if self.tabs < _FEWEST_TABS or len(few) > max(len(self.met) // 4, 1):
            return
        # Told by `LevelHeadings` already: one cause, one finding.
        for met in [summary for summary in few if normal_form(summary.text) not in self.told][
            :_MOST_TOLD
        ]:
            yield HEADING_RARE(
                met.cell,
                file=met.file,
                tab=met.tab,
                heading=met.text,
                tabs=met.tabs,
                of=self.tabs,
            )


@dataclass
class _Spelling:
    """A spelling of a heading: the number of its records, and its first place."""

    file: str
    tab: str
    cell: Address
    records: int = 0
    tabs: array[int] = field(default_factory=lambda: array("L"))
    """The numbers of the tabs that have it, in order; a tab may be there several times."""


_MOST_ALIKE = 500
"""Where more headings have the same figures, none is compared: they are no categories."""


class NearHeadings:
    """Looks for headings of one level that are nearly equal: one of them is misspelt."""

    def __init__(self, choices: Mapping[str, Collection[str]]) -> None:
        self._choices = choices
        """The values that the layout lists for a field. They are never misspelt."""
        self._met: dict[str, dict[str, _Spelling]] = {}
        self._tabs = 0

    def take(self, reading: FileReading) -> None:
        """Note the headings of a file."""
        for tab in reading.tabs:
            self._tabs += 1
            for heading in tab.headings:
                spellings = self._met.setdefault(heading.field, {})
                known_spelling = spellings.get(heading.text)
                if known_spelling is None:
                    known_spelling = spellings[heading.text] = _Spelling(
                        reading.name, tab.name, heading.cell
                    )
                known_spelling.records += heading.records
                # Of very many tabs names would fill the memory, numbers do not.
                known_spelling.tabs.append(self._tabs)

    def findings(self) -> Iterator[Finding]:
        """One for each heading that nearly equals another one, and is rarer."""
        for name, spellings in self._met.items():
            alike: dict[tuple[str, ...], list[str]] = {}
            # Compared within a group only: all with all would take the square of their number.
            for text in spellings:
                # Other figures are another thing: “Pot 60” is no misspelt “Pot 95”.
                alike.setdefault(tuple(re.findall(r"\d+", text)), []).append(text)
            total = sum(spelling.records for spelling in spellings.values())
            for texts in alike.values():
                if 1 < len(texts) <= _MOST_ALIKE:
                    yield from self._among(name, texts, spellings, total)

    def _among(
        self, name: str, texts: Sequence[str], spellings: Mapping[str, _Spelling], total: int
    ) -> Iterator[Finding]:
        # The usual spelling first: the rarer ones are held against it.
        usual_first = sorted(texts, key=lambda text: -spellings[text].records)
        for index, rare in enumerate(usual_first):
            # The layout names it, so it is meant.
            if rare in self._choices.get(name, ()):
                continue
            usual = next((text for text in usual_first[:index] if _nearly_same(text, rare)), None)
            # The first that is nearly the same is the most frequent one.
            if usual is not None and not _both_meant(spellings[usual], spellings[rare]):
                yield _misspelt(name, usual, rare, spellings, total)


def _both_meant(usual: _Spelling, rare: _Spelling) -> bool:
    """Whether two headings stand side by side on many tabs: then both are meant."""
    tabs = set(rare.tabs)
    return len(tabs) > 1 and tabs <= set(usual.tabs)


_SHORTEST, _LONG = 4, 8
"""Shorter words are codes, in which each character counts; in long ones two characters may differ.
"""


def _nearly_same(text: str, other_text: str) -> bool:
    """Whether two texts differ in the spelling of one word, by one or two characters, or only in
    ways that headings ignore."""
    words, other_texts = normal_form(text).split(), normal_form(other_text).split()
    # Only spaces or hyphens differ.
    if "".join(words) == "".join(other_texts):
        return True
    differing = [pair for pair in zip(words, other_texts, strict=False) if pair[0] != pair[1]]
    if len(words) != len(other_texts) or len(differing) != 1:
        return False
    # Other words that are both correct, such as “in” and “on”, are short; those are not compared.
    short, long = sorted(differing[0], key=len)
    from rapidfuzz.distance import OSA  # only needed where two texts are close

    # Counts exchanged neighbours as a single mistake, as they are when one types.
    return len(short) >= _SHORTEST and OSA.distance(short, long) <= (
        2 if len(short) >= _LONG else 1
    )


def _misspelt(
    name: str, usual: str, rare: str, spellings: Mapping[str, _Spelling], total: int
) -> Finding:
    current_spelling, existing_spelling = spellings[rare], spellings[usual]
    return HEADING_NEAR(
        current_spelling.cell,
        file=current_spelling.file,
        tab=current_spelling.tab,
        field=name,
        heading=rare,
        records=current_spelling.records,
        of=total,
        usual=usual,
        usual_records=existing_spelling.records,
    )
