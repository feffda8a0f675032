"""The type of a field, by all values that were met."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell

LANGUAGES = ("nb", "sv", "da", "fi", "de", "fr", "es", "it", "nl", "pl", "pt", "et")
"""The languages whose names of months and days are looked for, beside English."""
_KINDS = ("integer", "number", "percent", "date", "month", "datetime", "time", "yesno")
_MOST = 500


def type_of(
    cells: Sequence[Cell], languages: Sequence[str] = (), decimal_mark: str | None = None
) -> str:
    """The narrowest type that all filled cells are of; 'text' if there is none but that."""
    filled = [cell for cell in cells if cell != ""][:_MOST]
    if not filled:
        return "text"
    # Codes keep their zeros only as texts.
    if any(
        isinstance(one, str) and one.strip()[:1] == "0" and one.strip()[1:].isdigit()
        for one in filled
    ):
        return "text"
    for kind in _KINDS:
        # 1 and 0 are numbers first, and only words are yes and no.
        form = ValueForm(kind, languages=tuple(languages), decimal_mark=decimal_mark)
        done = convert(filled, form)
        if not done.failures and not done.outside and done.doubt is None:
            # Days that are all the first of a month mean the month.
            firsts = kind == "date" and all(one.day == 1 for one in done.values.to_pylist())
            return "month" if firsts else kind
    return "text"


def languages_of(cells: Sequence[Cell]) -> list[str]:
    """The languages that some texts need to be read as months or dates; none if English does."""
    texts = [
        cell for cell in dict.fromkeys(cells)
        if isinstance(cell, str) and any(sign.isalpha() for sign in cell)
        and any(sign.isdigit() for sign in cell) and len(cell) < _LONGEST
    ][:_MOST]  # fmt: skip
    found: list[str] = []
    english = _read(texts, ())
    left = [one for one in texts if one not in english]
    reads = {language: _read(left, (language,)) for language in LANGUAGES} if left else {}
    # The language that reads most of them first: neighbours share the names of some months.
    while left:
        language = max(LANGUAGES, key=lambda one: len(reads[one] & set(left)))
        if not reads[language] & set(left):
            break
        found.append(language)
        left = [one for one in left if one not in reads[language]]
    return sorted(found, key=LANGUAGES.index)


def month_languages(texts: Sequence[str], known: Sequence[str]) -> list[str] | None:
    """The languages that some names of months without a year need, besides those that are `known`;
    None if the texts are no such names."""
    found = list(known)
    for text in texts:
        if text.isdigit():
            return None
        for language in ("", *found, *LANGUAGES):
            tried = tuple(dict.fromkeys([*found, *([language] if language else [])]))
            form = ValueForm("month", languages=tried, without_year=True)
            if not convert([text], form).failures:
                found = list(tried)
                break
        else:
            return None
    return found


_LONGEST = 30


def _read(texts: Sequence[str], languages: tuple[str, ...]) -> set[str]:
    """Those of some texts that are dates or months in a language."""
    found: set[str] = set()
    for kind in ("date", "month"):
        wrong = {at for at, _ in convert(texts, ValueForm(kind, languages=languages)).failures}
        found |= {text for at, text in enumerate(texts) if at not in wrong}
    return found
