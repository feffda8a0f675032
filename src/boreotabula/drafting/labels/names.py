"""The stamps in names of files, folders and tabs: the parts that stay, and those that vary."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from boreotabula.drafting.sketch import one_or_list
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of, periods_in
from boreotabula.drafting.texts.templates import (
    Template,
    TemplateSlot,
    escaped,
    meaning_of,
    template_of,
)
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.look.looks import FIGURE, looks_of
from boreotabula.look.texts.types import MOST_LANGUAGES, type_of
from boreotabula.look.texts.words import field_name, level_name
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet

Told = Sequence[set[str]]
"""For each name, what the stamps of its tab already say, see `plain`; names beyond these are of
tabs that were not read closely."""


@dataclass(frozen=True)
class Named:
    """Patterns for names, the types of the fields that they fill, and the names that match only by
    a pattern of their own."""

    patterns: tuple[str, ...] = ()
    fields: Mapping[str, str] = field(default_factory=dict)
    odd: tuple[str, ...] = ()
    again: Mapping[str, str] = field(default_factory=dict)
    """Patterns that capture the months and dates in names that the tabs also give, by type: the two
    can be compared."""


NOTHING = Named()


def plain(text: str) -> str:
    """A text as names may write it: a period in figures, else only letters and digits, numbers
    without leading zeros."""
    if period := period_of(text):
        return _MONTH.sub("", period.value)
    letters = re.sub(r"[^\w]|_", "", text.casefold())
    return letters.lstrip("0") or letters


_MONTH = re.compile(r"(?<=\d{4}-\d\d)-01$")
"""A cell may give a month as its first day."""


def of_files(files: Sequence[str], groups: Told, taken: Collection[str] = ()) -> Named:
    """A pattern for the paths of some files below their folder.

    Parts that vary, and all periods, become fields, unless the stamps of each file already say the
    same, or they equal its `groups`.
    """
    if not files:
        return NOTHING
    names = [file.rpartition("/")[2] for file in files]
    # One ending for all, or any: a folder of .xlsx and .xls files is one inbox.
    endings = {name.rpartition(".")[2].casefold() for name in names}
    ending = f".{endings.pop()}" if len(endings) == 1 else ".*"
    stems, marks = _without_marks([name.rpartition(".")[0] or name for name in names])
    template = template_of(stems, months=True)
    # Nothing in common: names that share no word are no pattern.
    if template is None:
        return NOTHING
    fields: dict[str, str] = {}
    folders = _of_folders(files, groups, taken, fields)
    own = folders + _pattern(template, groups, taken, fields)
    # The first pattern that fits counts: what a copy has behind its name is no part of a field.
    patterns = [f"{own}{mark}{ending}" for mark in (*marks, "")]
    odd = tuple(name for index, name in enumerate(names) if index not in template.fits)
    again = {} if odd or marks else dict(_told_again(template, patterns[-1]))
    return Named((*patterns, *map(escaped, dict.fromkeys(odd))), fields, odd, again)


_COPIED = re.compile(r"(\s*)\(\d{1,2}\)|\s*[-–]\s*(?:copy|kopi|kopio|kopia|kopie)", re.IGNORECASE)


def _without_marks(stems: Sequence[str]) -> tuple[list[str], list[str]]:
    """Names without the marks that programs add to copies, such as “ (1)”, and the patterns of such
    marks.

    If all names have the mark, it belongs to them.
    """
    hits = [
        hit if (hit := _COPIED.search(stem)) and hit.end() == len(stem) and hit.start() else None
        for stem in stems
    ]
    if all(hits):
        return list(stems), []
    marks = dict.fromkeys(
        f"{hit[1]}(*)" if hit[1] is not None else escaped(hit[0]) for hit in hits if hit
    )
    plain_stems = [
        stem[: hit.start()] if hit else stem for stem, hit in zip(stems, hits, strict=True)
    ]
    return plain_stems, list(marks)


def _told_again(template: Template, own: str) -> Iterator[tuple[str, str]]:
    """The months and dates that a pattern for names leaves to `*`, each type with the pattern that
    captures it.

    Empty if several are of one type, or if the pattern would capture something else.
    """
    for kind in ("month", "date"):
        slots = [slot for slot in template.slots if slot.kind == kind]
        if len(slots) != 1 or f"{{{kind}" in own:
            continue
        text = template.pattern(partial(_kept, slots[0]))
        names = template.pattern(lambda slot: "*")
        keeping = pattern(text, PatternKind.STAMP)
        kept = [keeping.match(_written(template, index)) for index in range(len(template.fits))]
        if names != "*" and all(
            texts is not None and texts[""] == value
            for texts, value in zip(kept, slots[0].values, strict=True)
        ):
            yield kind, text


def _kept(kept: TemplateSlot, slot: TemplateSlot) -> str:
    return "{}" if slot is kept else "*"


def _written(template: Template, index: int) -> str:
    """One of the texts that match a template."""
    return "".join(
        part.values[index] if isinstance(part, TemplateSlot) else part for part in template.parts
    )


def _of_folders(
    files: Sequence[str], groups: Told, taken: Collection[str], fields: dict[str, str]
) -> str:
    """The pattern of the folders that the files are in, ending in '/'.

    Empty if they say nothing, or lie at different depths.
    """
    above = [file.split("/")[:-1] for file in files]
    depths = {len(texts) for texts in above}
    # Files at unlike depths have no folder in common that could be a field.
    if len(depths) != 1 or not above[0]:
        return ""
    before = len(fields)
    written = ""
    for names in zip(*above, strict=True):
        template = template_of(names, months=True)
        if template is None or len(template.fits) < len(names):
            return ""
        written += _pattern(template, groups, taken, fields, "folder") + "/"
    return written if len(fields) > before else ""


def without_periods(text: str) -> str:
    """A pattern for names of files with `*` for the periods and numbers in it."""
    parts = re.split(r"(\{[^}]*\}|\[[^]]*\]|\.[^.]*$)", text)
    # What is captured, in brackets or the ending stays.
    return "".join(
        part if index % 2 else _without_periods(part) for index, part in enumerate(parts)
    )


def _without_periods(text: str) -> str:
    for period in reversed(periods_in(text)):
        text = f"{text[: period.start]}*{text[period.end :]}"
    return re.sub(r"\d+", "*", text)


def _is_told(value: str, texts: Collection[str]) -> bool:
    """Whether some texts say what a name says; the year and number of a month may be in two
    texts."""
    year, _, month = value.partition("-")
    return value in texts or (
        bool(_YEAR.fullmatch(year)) and year in texts and month.lstrip("0") in texts
    )


def _pattern(
    template: Template,
    groups: Told,
    taken: Collection[str],
    fields: dict[str, str],
    fallback: str = "part",
) -> str:
    """The pattern of a template; fields for what it captures are added to those that are there."""

    def filled(slot: TemplateSlot) -> str:
        # Tabs beyond these were not looked at, so nothing is known of what they tell.
        looked_at = [
            (groups[fit], plain(value))
            for fit, value in zip(template.fits, slot.values, strict=True) if fit < len(groups)
        ]  # fmt: skip
        is_known = all(_is_told(value, texts) for texts, value in looked_at)
        period = slot.is_period
        if is_known or not (slot.varies or period):
            return "*"
        named, kind = meaning_of(slot, fallback)
        name = field_name(named, [*taken, *fields], fallback)
        fields[name] = kind
        if period:
            # What a name tells once it need not tell again.
            for texts, value in looked_at:
                texts.add(value)
        return f"{{{name}}}"

    return template.pattern(filled)


_YEAR = re.compile(r"(?:19|20)\d\d")


def of_tabs(
    examples: Sequence[Example],
    taken: Collection[str],
    groups: Told,
    more_places: Sequence[tuple[str, str]] = (),
) -> tuple[dict[str, Any], Named, dict[str, Any]]:
    """How the tabs of a kind are chosen, the fields that patterns of their names fill, and those
    that are stamps, with their sources.

    `more_places` are the places of tabs that were not read closely.
    """
    places = [
        *((example.specimen.file, example.specimen.tab) for example in examples),
        *more_places,
    ]
    tabs = [tab for _, tab in places]
    # Text files have one tab without a name.
    if not all(tabs):
        return {}, NOTHING, {}
    chosen = set(places)
    sheets = {
        tab: sheet
        for example in examples
        for tab, sheet in example.specimen.others.items()
        if (example.specimen.file, tab) not in chosen
    }
    alone = not any(example.specimen.others for example in examples)
    template = template_of(tabs, months=True)
    assert template is not None
    fields: dict[str, str] = {}
    whole = len(template.fits) == len(tabs)
    worded = any(sign.isalpha() for sign in template.fixed)
    # A file of one tab needs no choice of tabs.
    if alone:
        return {}, NOTHING, _tab_stamp(tabs, groups, taken, template)
    if whole and worded:
        own = _pattern(template, groups, taken, fields, "tab")
        tried = pattern(own, PatternKind.TAB)
        # A pattern that takes another tab as well is not used.
        if not any(tried.match(other_text) is not None for other_text in sheets):
            return _named((own,), examples, sheets, tabs), Named((own,), fields), {}
    if not worded and (numbered := _numbered(tabs, sheets, taken)):
        return _named(numbered.patterns, examples, sheets, tabs), numbered, {}
    stamp = _tab_stamp(tabs, groups, taken, template, several=True)
    if not sheets:
        return {"every": True}, NOTHING, stamp
    excepted = list(dict.fromkeys(_exceptions(_without_forms(sheets, tabs), tabs)))
    if not excepted:
        return {"where_found": True}, NOTHING, stamp
    return {"where_found": True, "except": one_or_list(excepted)}, NOTHING, stamp


def _named(
    patterns: Sequence[str],
    examples: Sequence[Example],
    sheets: Mapping[str, Sheet],
    tabs: Sequence[str],
) -> dict[str, Any]:
    """The keys that choose tabs by patterns.

    Other tabs that look like the form, because they hold what names the rows of a table, are left
    out by name.
    """
    heads = {
        normal_form(cell_text(example.sheet.rows[row][shape.left]))
        for example in examples
        for shape in example.shapes
        for row in range(shape.top, shape.lowest + 1)
    } - {""}
    alike = [
        tab for tab, sheet in sheets.items()
        if any(normal_form(text) in heads for *_, text in sheet.texts())
    ]  # fmt: skip
    excepted = list(dict.fromkeys(_exceptions(alike, tabs)))
    chosen = {"named": one_or_list(patterns)}
    return {**chosen, "except": one_or_list(excepted)} if excepted else chosen


def _without_forms(sheets: Mapping[str, Sheet], tabs: Sequence[str]) -> list[str]:
    """The other tabs without those that are named like the tabs that are read and have no figures
    yet: these will be filled in."""
    level = level_name(sorted(set(tabs)))
    forms = {_NUMBER.sub("#", tab).casefold() for tab in tabs}

    def is_form(name: str, sheet: Sheet) -> bool:
        numbered = _NUMBER.sub("#", name).casefold()
        alike = numbered in forms or (level != "" and level_name([name]) == level)
        return alike and not (looks_of(sheet) == FIGURE).any()

    return [name for name, sheet in sheets.items() if not is_form(name, sheet)]


_NUMBER = re.compile(r"\d+")


_NUMBERED = re.compile(r"(?P<word>.*[^\W\d_]{3,})(?P<gap>[ _-]*)\d{1,4}")


def _numbered(
    tabs: Sequence[str], other_texts: Collection[str], taken: Collection[str]
) -> Named | None:
    """Patterns for tabs that are numbered after a word, which may differ between languages.

    None if some are not numbered, or if other tabs match.
    """
    hits = [_NUMBERED.fullmatch(tab.strip()) for tab in tabs]
    words = dict.fromkeys(hit["word"] + hit["gap"] for hit in hits if hit)
    if not all(hits) or len(words) > MOST_LANGUAGES or any(level_name([tab]) for tab in tabs):
        return None
    name = field_name(next(iter(words)), taken, "tab")
    patterns = tuple(f"{escaped(word)}{{{name}}}" for word in words)
    if any(
        pattern(text, PatternKind.TAB).match(tab) is not None
        for text in patterns
        for tab in other_texts
    ):
        return None
    return Named(patterns, {name: "text"})


def _exceptions(other_texts: Sequence[str], tabs: Sequence[str]) -> list[str]:
    """Patterns for tabs that are left out; of numbered ones for all numbers, unless these match a
    tab that is read."""
    exceptions = []
    for name in other_texts:
        # With any number, since another such tab comes next month.
        numbered = re.sub(r"\d+", "*", escaped(name))
        fits = pattern(numbered, PatternKind.TAB)
        wide = any(sign.isalpha() for sign in numbered)
        safe = wide and not any(fits.match(tab) is not None for tab in tabs)
        exceptions.append(numbered if safe else escaped(name))
    return exceptions


def _tab_stamp(
    tabs: Sequence[str],
    groups: Told,
    taken: Collection[str],
    template: Template,
    *,
    several: bool = False,
) -> dict[str, Any]:
    """The stamps that the names of tabs fill, each with its source and type: their periods, and
    what distinguishes several tabs of a file."""
    values: dict[str, Any] = {}
    for number, slot in enumerate(template.slots if len(template.fits) == len(tabs) else ()):
        if not slot.is_period:
            continue
        # Told already by a stamp: a second field would say the same.
        if all(plain(value) in texts for value, texts in zip(slot.values, groups, strict=False)):
            continue
        named, kind = meaning_of(slot, "tab")
        name = field_name(named, [*taken, *values])
        shape = "".join(
            escaped(part) if isinstance(part, str)
            else "{}" if part is slot or template.slots.index(part) == number else "*"
            for part in template.parts
        )  # fmt: skip
        source = {"from": "tab name"} if shape == "{}" else {"from": "tab name", "pattern": shape}
        values[name] = (source, kind)
    level = level_name(sorted(set(tabs)))
    is_known = all(plain(tab) in texts for tab, texts in zip(tabs, groups, strict=False))
    if not values and (several or level) and len(set(tabs)) > 1 and not is_known:
        kind = type_of(tabs)
        name = field_name(level or "tab", [*taken])
        values[name] = ({"from": "tab name"}, kind if kind in ("month", "date") else "text")
    return values
