"""Tabs with none of the headings of a level that the other tabs share."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.headings import HEADINGS_FOREIGN, LEVEL_ROW_UNUSUAL
from boreotabula.layout.addresses import Address
from boreotabula.layout.field_types import Nature
from boreotabula.layout.headings import normal_form
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.names import month_names, word_form

_FEWEST = 3
"""At least this many other tabs must share a heading for a comparison."""
_MOST_WITHOUT = 4
"""At most one tab in this many may lack what the others share."""

_Level = tuple[str, str]
"""The edition of a form, and the field of a level."""


@dataclass
class _Headings:
    """The headings of a level on a tab, and the number of tabs with exactly these."""

    file: str
    tab: str
    cell: Address
    texts: Mapping[str, str]
    """As written, by their normal form."""
    tabs: int = 0


class LevelHeadings:
    """Looks for tabs that share no heading of a level with the others.

    Headings that differ only in figures and names of months are periods or numbers, which change
    from tab to tab.
    """

    def __init__(self, plan: Plan, choices: Mapping[str, Collection[str]]) -> None:
        self._plan, self._choices = plan, choices
        self._met: dict[_Level, dict[frozenset[str], _Headings]] = {}
        self.told: set[str] = set()
        """The headings that findings speak of, in normal form."""

    def take(self, reading: FileReading) -> None:
        """Note the headings of a file's tabs."""
        for tab in reading.tabs:
            by_field: dict[str, list[tuple[str, Address]]] = {}
            for heading in tab.headings if tab.record_count else ():
                # A blank heading belongs to the one before it.
                if heading.text:
                    by_field.setdefault(heading.field, []).append((heading.text, heading.cell))
            for field, headings in by_field.items():
                # Numbers and dates as headings differ from tab to tab by nature.
                if self._plan.form(field).type.nature is not Nature.TEXT:
                    continue
                texts = {normal_form(text): text for text, _ in headings}
                sets = self._met.setdefault((tab.form, field), {})
                first = _Headings(reading.name, tab.name, headings[0][1], texts)
                # Tabs with equal headings are counted, not kept one by one.
                sets.setdefault(frozenset(texts), first).tabs += 1

    def findings(self) -> Iterator[Finding]:
        """One for each set of headings that has none of the shared ones."""
        shared = {level: self._shared(sets.values()) for level, sets in self._met.items()}
        for level, sets in self._met.items():
            if not shared[level]:
                continue
            # If the headings are those of another level, the rows were mixed up.
            other_headings = {
                heading
                for (form, field), headings in shared.items()
                if form == level[0] and field != level[1]
                for heading in headings
            }
            yield from self._unlike(level[1], list(sets.values()), shared[level], other_headings)

    def _shared(self, sets: Collection[_Headings]) -> Mapping[str, str]:
        """The headings that nearly all tabs have, as written, by their normal form."""
        total = sum(headings.tabs for headings in sets)
        counts: Counter[str] = Counter()
        for one in sets:
            counts.update(dict.fromkeys(one.texts, one.tabs))
        least = max(total - total // _MOST_WITHOUT, _FEWEST)
        # The spelling is the one met last; they differ in nothing that counts.
        texts = {form: text for headings in sets for form, text in headings.texts.items()}
        return {form: texts[form] for form, count in counts.items() if count >= least}

    def _unlike(
        self,
        field: str,
        sets: Sequence[_Headings],
        shared: Mapping[str, str],
        of_others: Collection[str],
    ) -> Iterator[Finding]:
        languages = self._plan.form(field).languages
        usual = {_shape(form, languages) for form in shared}
        # All tabs, since “most” means most of all of them.
        total = sum(headings.tabs for headings in sets)
        for one in sets:
            alike = shared.keys() & one.texts.keys()
            meant = {normal_form(text) for text in self._choices.get(field, ())}
            periods = {_shape(form, languages) for form in one.texts} <= usual
            # Nothing in common, no periods, and not named by the layout.
            if alike or periods or one.texts.keys() <= meant:
                continue
            self.told |= one.texts.keys()
            slots = {
                "headings": list(one.texts.values()),
                "usual": list(shared.values()),
                "of": total - one.tabs,
            }
            place = {"file": one.file, "tab": one.tab, "field": field}
            # Another row was read as the level: as many headings as usual are other words for them.
            moved = len(one.texts) != len(shared) or not one.texts.keys().isdisjoint(of_others)
            if moved:
                yield LEVEL_ROW_UNUSUAL(one.cell, row=f"row {one.cell.row + 1}", **place, **slots)
            else:
                yield HEADINGS_FOREIGN(
                    one.cell,
                    first=next(iter(one.texts.values())),
                    first_usual=next(iter(shared.values())),
                    more=one.tabs - 1,
                    **place,
                    **slots,
                )


_WORDS = re.compile(r"\d+|[^\W\d_]+")


def _shape(text: str, languages: tuple[str, ...]) -> str:
    """A heading without figures and names of months."""
    months = month_names(languages)
    return _WORDS.sub(
        lambda word: "#" if word[0].isdigit() else "@" if word_form(word[0]) in months else word[0],
        text,
    )
