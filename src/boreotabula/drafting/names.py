"""What the names of files and tabs tell: the parts that stay, and those that vary."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from boreotabula.drafting.sketch import few
from boreotabula.drafting.specimens import Example
from boreotabula.drafting.types import type_of
from boreotabula.drafting.words import field_name, level_name


@dataclass(frozen=True)
class Named:
    """Patterns for names, and the types of the fields that they fill."""

    patterns: tuple[str, ...]
    fields: Mapping[str, str]


NOTHING = Named((), {})


def of_files(files: Sequence[str], known: Collection[str], taken: Collection[str] = ()) -> Named:
    """A pattern for the names of files. Parts that vary are captured, unless they are among the
    `known` texts, which stamps tell already."""
    names = [one.rpartition("/")[2] for one in files]
    endings = {name.rpartition(".")[2].casefold() for name in names}
    ending = f".{endings.pop()}" if len(endings) == 1 else ".*"
    stems = [name.rpartition(".")[0] or name for name in names]
    if len(names) < _FEW:
        return Named((names[0],), {}) if names else NOTHING
    parts = [re.split(r"(_| )", stem) for stem in stems]
    if len({len(one) for one in parts}) != 1:
        common = _common_start(stems)
        return Named((f"{common}*{ending}",), {}) if common else NOTHING
    fields: dict[str, str] = {}
    plain = {_plain(one) for one in known}
    pattern = ""
    for some in zip(*parts, strict=True):
        if len(set(some)) > 1 and all(_plain(one) in plain for one in some):
            pattern += "*"
            continue
        lead, varying, trail = _varying(some)
        pattern += lead.replace("*", "[*]")
        if any(varying):
            if all(_plain(one) in plain for one in varying):
                pattern += "*"
            else:
                named, kind = _meaning(lead, varying)
                name = field_name(named, [*taken, *fields])
                fields[name] = kind
                pattern += f"{{{name}}}"
        pattern += trail.replace("*", "[*]")
    return Named((pattern + ending,), fields)


def _plain(text: str) -> str:
    """A text as it may be written in the name of a file: without spaces, numbers without zeros."""
    letters = re.sub(r"[^\w]|_", "", text.casefold())
    return letters.lstrip("0") or letters


def _varying(texts: Sequence[str]) -> tuple[str, list[str], str]:
    """What some texts begin and end with, and what is between; a number or word is never cut."""
    start = len(_common_start(texts))
    if len(set(texts)) == 1:
        return texts[0], [], ""
    if all(map(_ISO_WEEK.fullmatch, texts)):
        return "", list(texts), ""
    while start and any(_within_word(one, start) for one in texts):
        start -= 1
    rest = [one[start:] for one in texts]
    end = len(_common_start([one[::-1] for one in rest]))
    while end and any(_within_word(one, len(one) - end) for one in rest):
        end -= 1
    return texts[0][:start], [one[: len(one) - end] for one in rest], rest[0][len(rest[0]) - end :]


def _within_word(text: str, at: int) -> bool:
    """Whether a place is within a number, a word, or a moment written in figures."""
    before, after = text[at - 1 : at], text[at : at + 1]
    if not before or not after:
        return False
    return before.isalpha() == after.isalpha() and (before.isalnum() or before in ".-")


_ISO_WEEK = re.compile(r"(?:\d{4}-)?W\d{2}")
_WEEK_BEFORE = re.compile(
    r".*(?:^|[^\w]|_)(?:w|wk|week|uke|vko|viikko|vecka|v|kw)[ _-]?$", re.IGNORECASE
)
_YEAR_MONTH = re.compile(r"(?:19|20)\d\d(?:0[1-9]|1[0-2])")


def _meaning(lead: str, texts: Sequence[str]) -> tuple[str, str]:
    """What the varying part of names is called, and its type."""
    if all(map(_ISO_WEEK.fullmatch, texts)):
        return "week", "text"
    if all(re.fullmatch(r"(?:19|20)\d\d", one) for one in texts):
        return "year", "integer"
    if all(map(_YEAR_MONTH.fullmatch, texts)):
        return "month", "month"
    if _WEEK_BEFORE.match(lead) and all(re.fullmatch(r"\d{2}", one) for one in texts):
        return "week", "integer"
    kind = type_of(texts)
    return (kind if kind in ("month", "date") else "part"), kind


_FEW = 2


def _common_start(texts: Sequence[str]) -> str:
    first, last = min(texts), max(texts)
    same = next((at for at, sign in enumerate(first) if last[at : at + 1] != sign), len(first))
    return first[:same]


_NUMBERED = re.compile(r"(?P<word>.*?[^\W\d])(?P<gap>[ _-]*)(?P<number>\d{1,4})")


def of_tabs(examples: Sequence[Example], taken: Collection[str]) -> tuple[dict[str, Any], Named]:
    """How the tabs of a kind are chosen, and the field that their names fill, if they vary."""
    tabs = [one.specimen.tab for one in examples]
    alone = all(not one.specimen.others for one in examples)
    if alone or not all(tabs):
        return {}, NOTHING
    moments = type_of(tabs) in ("month", "date") or bool(level_name(sorted(set(tabs))))
    numbered = [] if moments else [_NUMBERED.fullmatch(tab.strip()) for tab in tabs]
    if numbered and all(numbered):
        words = dict.fromkeys(f"{one['word']}{one['gap']}" for one in numbered if one)
        name = field_name(next(iter(words)), taken, "tab")
        patterns = tuple(f"{word}{{{name}}}" for word in words)
        return {"named": few(patterns)}, Named(patterns, {name: "text"})
    different = list(dict.fromkeys(tabs))
    if len(different) == 1:
        return {"named": different[0]}, NOTHING
    # Every filled tab of each file is of the kind.
    chosen = {(one.specimen.file, one.specimen.tab) for one in examples}
    every = all(
        (one.specimen.file, tab) in chosen for one in examples for tab in one.specimen.others
    )
    if every:
        return {"every": True}, NOTHING
    if len(different) <= _MOST_NAMED:
        return {"named": few(tuple(different))}, NOTHING
    return {"where_found": True}, NOTHING


_MOST_NAMED = 4
