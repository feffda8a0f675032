"""Patterns for texts that name tables or tabs, and vary from one to the next."""

from __future__ import annotations

import re
from collections.abc import Sequence

from boreotabula.drafting.texts.periods import period_of
from boreotabula.drafting.texts.types import languages_of, type_of
from boreotabula.drafting.texts.words import field_name


def caption_of(texts: Sequence[str]) -> tuple[str, dict[str, str]] | None:
    """A pattern that fits all of some texts, which vary, and keeps what varies; None if they have
    nothing in common."""
    if len(set(texts)) < 2:
        return None
    pieces = [_MARKS.split(text) for text in texts]
    word = re.split(r"\W", texts[0])[0]
    last = re.split(r"\W", texts[0])[-1]
    first_alike = word and all(re.split(r"\W", text)[0] == word for text in texts)
    last_alike = last and all(re.split(r"\W", text)[-1] == last for text in texts)
    if not (first_alike or last_alike):
        return None
    fields: dict[str, str] = {}
    if len({len(one) for one in pieces}) != 1:
        return (f"{word} {{title}}" if first_alike else f"{{title}} {last}"), {"title": "text"}
    return "".join(_piece(some, fields) for some in zip(*pieces, strict=True)).strip(), fields


_MARKS = re.compile(r"(:|,|\(|\)|–|—)")


def _piece(texts: Sequence[str], fields: dict[str, str]) -> str:
    """The pattern of a part of captions, without marks in it: words that stay, then what varies."""
    if len(set(texts)) == 1:
        # A period says when, even if it is the same everywhere.
        period = period_of(texts[0].strip())
        if period is None:
            return texts[0]
        name = field_name(period.kind, fields)
        fields[name] = type_of([texts[0].strip()], languages_of([texts[0].strip()]))
        return texts[0].replace(texts[0].strip(), f"{{{name}}}")
    words = [re.split(r"(\s+)", one) for one in texts]
    lead = ""
    while all(words) and len({one[0] for one in words}) == 1:
        lead += words[0][0]
        words = [one[1:] for one in words]
    trail = ""
    while all(words) and len({one[-1] for one in words}) == 1:
        trail = words[0][-1] + trail
        words = [one[:-1] for one in words]
    # “April” and a year that stays are a month together.
    whole = ["".join(one) + trail for one in words]
    if trail and (kind := type_of(whole, languages_of(whole))) in ("month", "date"):
        name = field_name(kind, fields)
        fields[name] = kind
        return f"{lead}{{{name}}}"
    # After a number that varies the title is kept whole, whatever its last words have in common.
    if all(len(one) > 2 and one[0][:1].isdigit() for one in words):
        return lead + _captured(whole, fields)
    return lead + _captured(["".join(one) for one in words], fields) + trail


def _captured(texts: Sequence[str], fields: dict[str, str]) -> str:
    """The part of a pattern that keeps what varies, and its field."""
    kind = type_of([one.strip() for one in texts])
    years = all(re.fullmatch(r"(?:19|20)\d\d", one) for one in texts)
    known = {"integer": "year" if years else "number", "month": "month", "date": "date"}
    name = field_name(known.get(kind, "title"), fields)
    fields[name] = kind
    return f"{{{name}}}"
