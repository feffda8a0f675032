"""Titles and other texts outside the tables: the parts that become stamps, and the parts that
stay."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from boreotabula.drafting.labels.gathered import (
    FEW,
    Stamps,
    outside,
)
from boreotabula.drafting.labels.names import plain
from boreotabula.drafting.labels.pairs import Pair
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of
from boreotabula.drafting.texts.templates import Template, TemplateSlot, escaped, template_of
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form
from boreotabula.look.texts.types import MOST_LANGUAGES, type_of
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text, reads_as_figure


@dataclass(frozen=True)
class _Title:
    """A text outside of the tables on one tab."""

    row: int
    column: int
    text: str

    @property
    def words(self) -> frozenset[str]:
        """Its words, in folded case."""
        return frozenset(re.findall(r"[^\W\d_]{2,}", self.text.casefold()))


def add_titles(
    stamps: Stamps,
    examples: Sequence[Example],
    taken: Collection[str],
    every: Sequence[Sequence[Pair]],
    labelled: Collection[str],
) -> None:
    """Add the stamps of titles, and the boilerplate of the form, which is what stays.

    Periods always become stamps, other parts if they vary from tab to tab.
    """
    titles = [
        _titles_of(example, pairs, labelled) for example, pairs in zip(examples, every, strict=True)
    ]
    for row in _aligned(titles):
        texts = [title.text.strip() for title in row.values()]
        template = template_of(texts)
        if template is None or len(template.fits) < len(texts):
            continue
        places = {(title.row, title.column) for title in row.values()}
        everywhere = len(row) == len(examples)
        # At one place on all tabs it can be named by its cell; else only by its words.
        where = str(Address(*next(iter(places)))) if len(places) == 1 and everywhere else ""
        worded = any(sign.isalpha() for sign in template.fixed)
        if not worded and not (where and all(slot.kind != "number" for slot in template.slots)):
            continue
        if not worded and _by_language(
            {index: title.text for index, title in row.items()}, examples
        ):
            stamps.boilerplate += dict.fromkeys(texts)
            continue
        tabs = list(row)
        above = _above_tables(examples, row)
        # Beside and below tables stand remarks, in which a period alone tells of the records.
        aligned = _Aligned(template, tabs, where, periods_only=not above)
        added = everywhere and _add_slots(stamps, aligned, examples, taken)
        # What is no stamp but stays is boilerplate, so that runs do not call it unplaced.
        if not added and worded and len(tabs) >= _least(len(examples)):
            if not template.slots or len(set(texts)) == 1:
                stamps.boilerplate.append(texts[0])
            elif everywhere and above:
                stamps.boilerplate.append(template.pattern(lambda slot: "*"))


def _by_language(texts: Mapping[int, str], examples: Sequence[Example]) -> bool:
    """Whether the text of a title differs only where the headings differ, too: it is the form's
    text in each language."""
    by_heads: dict[object, set[str]] = {}
    for index, text in texts.items():
        heads = tuple(shape.heads[: shape.leading] for shape in examples[index].shapes)
        by_heads.setdefault(heads, set()).add(text)
    return 1 < len(by_heads) < len(texts) and all(len(texts) == 1 for texts in by_heads.values())


def _least(tabs: int) -> int:
    """The number of tabs on which a text of the form must stand."""
    return max(min(FEW + 1, tabs), FEW, tabs // MOST_LANGUAGES)


def _titles_of(example: Example, pairs: Sequence[Pair], labelled: Collection[str]) -> list[_Title]:
    """The texts outside of the tables of a tab that are neither labels nor their values."""
    taken = {(pair.row, pair.column) for pair in pairs if normal_form(pair.label) in labelled}
    values = {cell_text(pair.value).strip() for pair in pairs if pair.way != "inside"}
    return [
        _Title(row, column, text)
        for row, column, text in outside(example)
        if (row, column) not in taken and text.strip() not in values
        and (not reads_as_figure(text) or period_of(text)) and text.strip()
    ]  # fmt: skip


def _aligned(titles: Sequence[Sequence[_Title]]) -> list[dict[int, _Title]]:
    """The titles of all tabs that are the same, by the index of the tab: with most words in common,
    or at the same place."""
    result: list[dict[int, _Title]] = []
    for number, group in enumerate(titles):
        scores = sorted(
            (
                (score, -index, -place)
                for index, row in enumerate(result)
                for place, title in enumerate(group)
                if (score := _sameness(row, title)) >= _SAME
            ),
            reverse=True,
        )
        rows: set[int] = set()
        # In order of likeness, each title and row once: a greedy matching is enough for a few
        # titles.
        places: set[int] = set()
        # What is most alike is one: a remark above it may stand in the place of a title.
        for _, index, place in scores:
            if index not in rows and place not in places:
                result[-index][number] = group[-place]
                rows.add(index)
                places.add(place)
        result += [{number: title} for place, title in enumerate(group) if -place not in places]
    return result


_SAME = 0.3
"""This share of their words in common, or the same place, makes two titles the same."""


def _sameness(row: Mapping[int, _Title], title: _Title) -> float:
    first = next(iter(row.values()))
    shared = len(first.words & title.words) / max(len(first.words), len(title.words), 1)
    return shared + (_SAME if (first.row, first.column) == (title.row, title.column) else 0)


def _above_tables(examples: Sequence[Example], row: Mapping[int, _Title]) -> bool:
    """Whether titles stand above all tables of their tabs."""
    return all(
        title.row < min((shape.top for shape in examples[index].shapes), default=title.row + 1)
        for index, title in row.items()
    )


@dataclass(frozen=True)
class _Aligned:
    """A title that stands on several tabs."""

    template: Template
    tabs: Sequence[int]
    """The indices of the tabs."""
    where: str
    """Its cell, if it is the same on all of them; else an empty text."""
    periods_only: bool
    """Whether only its periods say something about the records."""


def _add_slots(
    stamps: Stamps, title: _Aligned, examples: Sequence[Example], taken: Collection[str]
) -> bool:
    """Add stamps for the slots of a title; returns whether there are any."""
    template, tabs = title.template, title.tabs
    before = len(stamps.fields)
    for number, slot in enumerate(template.slots):
        period = slot.is_period
        if title.periods_only and not period:
            continue
        # In the order of the tabs, which is not that of the template.
        values = [slot.values[template.fits.index(index)] for index in range(len(tabs))]
        if not period and _by_language(dict(zip(tabs, values, strict=True)), examples):
            continue
        if not period and (not slot.varies or len(tabs) < FEW):
            continue
        if all(
            plain(value) in stamps.told[tab] or _in_names(value, examples[tab], period=period)
            for value, tab in zip(values, tabs, strict=True)
        ):
            continue
        named = slot.kind if period else "title"
        kind = slot.kind if slot.kind in ("month", "date") else type_of(values)
        name = field_name(named, [*taken, *stamps.fields])
        source: dict[str, Any] = {"cell": title.where} if title.where else {}
        shape = _kept(template, number)
        if shape != "{}":
            source["pattern"] = shape
        stamps.add(name, source, kind if period or kind in ("month", "date") else "text")
        for value, tab in zip(values, tabs, strict=True):
            stamps.told[tab] |= {plain(value), *map(plain, value.split())}
            stamps.moments += [value] if period else []
    return len(stamps.fields) > before


def _in_names(value: str, example: Example, *, period: bool) -> bool:
    """Whether the name of the tab, or a word of the file's name, says the same."""
    if period:
        return False
    stem = example.specimen.file.rpartition(".")[0]
    return plain(value) in {plain(example.specimen.tab), *map(plain, re.split(r"[\s_/.]", stem))}


def _kept(template: Template, number: int) -> str:
    """The pattern that captures one slot of a template."""
    slots = iter(range(len(template.slots)))

    def written(part: str | TemplateSlot) -> str:
        if isinstance(part, str):
            return escaped(part)
        return "{}" if next(slots) == number else "*"

    return "".join(map(written, template.parts))
