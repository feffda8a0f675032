"""The pattern of the texts above the tables of a tab, which name them."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import replace
from itertools import takewhile

from boreotabula.drafting.texts.templates import (
    MARKS,
    Template,
    TemplateSlot,
    escaped,
    meaning_of,
    template_of,
)
from boreotabula.look.texts.words import field_name


def caption_of(
    texts: Sequence[str], taken: Collection[str] = ()
) -> tuple[str, dict[str, str]] | None:
    """A pattern that matches all of some varying texts, and the types of the fields that it fills:
    what varies, and all periods.

    None if the texts have no word in common. `taken` are names that other fields have.
    """
    if len(set(texts)) < 2:
        return None
    template = template_of(texts)
    assert template is not None
    whole = len(template.fits) == len(texts)
    if whole and not _is_worded(template) and all(map(_is_period, template.slots)):
        return None  # a pattern of nothing but periods would fit any text
    if not whole or not _is_worded(template):
        return _by_one_word(texts, taken)
    fields: dict[str, str] = {}

    def filled(slot: TemplateSlot) -> str:
        if not slot.varies and not _is_period(slot):
            return escaped(slot.values[0])
        meant, kind = meaning_of(slot, "title")
        name = field_name(meant, [*taken, *fields], "title")
        fields[name] = kind
        return f"{{{name}}}"

    return _with_whole_titles(template).pattern(filled), fields


def _is_worded(template: Template) -> bool:
    return any(map(str.isalpha, template.fixed))


def _is_period(slot: TemplateSlot) -> bool:
    return slot.is_period


def _with_whole_titles(template: Template) -> Template:
    """The pattern, where a title after a varying number is kept whole up to the next mark, whatever
    its last words have in common: “3.1 Seed of pine”, “3.2 Use of pine”."""
    for number, part in enumerate(template.parts):
        titled = isinstance(part, TemplateSlot) and part.kind == "text" and all(
            re.match(r"\d.*\s", value) for value in part.values
        )  # fmt: skip
        if titled and all(isinstance(part, str) for part in template.parts[number + 1 :]):
            assert isinstance(part, TemplateSlot)
            rest = "".join(part for part in template.parts[number + 1 :] if isinstance(part, str))
            mark = MARKS.search(rest)
            end = mark.start() if mark else len(rest)
            whole = replace(part, values=tuple(value + rest[:end] for value in part.values))
            return replace(template, parts=(*template.parts[:number], whole, rest[end:]))
    return template


def _by_one_word(texts: Sequence[str], taken: Collection[str]) -> tuple[str, dict[str, str]] | None:
    """A pattern of the first or last words that all texts have, if they share nothing else."""
    name = field_name("title", taken)
    words = [text.split() for text in texts]
    for way, form in ((1, "{lead} {{{name}}}"), (-1, "{{{name}}} {lead}")):
        columns = zip(*(word[::way] for word in words), strict=False)
        same = [column[0] for column in takewhile(lambda column: len(set(column)) == 1, columns)]
        if same and any(map(str.isalpha, "".join(same))) and len(same) < min(map(len, words)):
            return form.format(lead=escaped(" ".join(same[::way])), name=name), {name: "text"}
    return None
