"""The names of months and days, and of yes and no, in the languages that a layout names.

Names of months and days are those of the Unicode CLDR, from Babel.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from functools import lru_cache
from typing import Literal

_ALWAYS = ("en", "en_GB")  # the latter abbreviates September with four letters
_WIDTHS: tuple[Literal["wide", "abbreviated"], ...] = ("wide", "abbreviated")
_CONTEXTS: tuple[Literal["format", "stand-alone"], ...] = ("format", "stand-alone")

_YES_NO = {
    "en": ("yes", "no"), "nb": ("ja", "nei"), "nn": ("ja", "nei"), "no": ("ja", "nei"),
    "da": ("ja", "nej"), "sv": ("ja", "nej"), "fi": ("kyllä", "ei"), "de": ("ja", "nein"),
    "nl": ("ja", "nee"), "fr": ("oui", "non"), "es": ("sí", "no"), "it": ("sì", "no"),
    "pt": ("sim", "não"), "pl": ("tak", "nie"), "et": ("jah", "ei"), "is": ("já", "nei"),
    "lt": ("taip", "ne"), "lv": ("jā", "nē"), "cs": ("ano", "ne"), "sk": ("áno", "nie"),
    "hu": ("igen", "nem"), "ru": ("да", "нет"), "uk": ("так", "ні"), "se": ("juo", "ii"),
}  # fmt: skip
"""The words of CLDR's `posix/messages`, which Babel does not include."""


def word_form(word: str) -> str:
    """The form in which names are compared."""
    return unicodedata.normalize("NFKC", word).casefold().strip(". ")


@lru_cache(maxsize=64)
def month_names(languages: tuple[str, ...]) -> Mapping[str, int | None]:
    """The number of the month that each name means; None for a name with two meanings.

    Long and short names, alone and within a date. English ones are also known, unless they mean
    another month in a language of the layout.
    """
    from babel.dates import get_month_names

    return _meanings(languages, get_month_names)


@lru_cache(maxsize=64)
def day_names(languages: tuple[str, ...]) -> Mapping[str, int | None]:
    """The day of the week that each name means, Monday is 0; None for a name with two meanings."""
    from babel.dates import get_day_names

    return _meanings(languages, get_day_names)


def _meanings(languages: tuple[str, ...], names: object) -> dict[str, int | None]:
    numbers = _collected(languages, names)
    # The layout's languages win where a short name means another month in them.
    return {**_collected(_ALWAYS, names), **numbers}


def _collected(languages: Iterable[str], names: object) -> dict[str, int | None]:
    numbers: dict[str, int | None] = {}
    for word, number in _all_names(languages, names):
        # None stands for a name with two meanings: it is never read as one of them.
        numbers[word] = number if numbers.get(word, number) == number else None
    return numbers


def _all_names(languages: Iterable[str], names: object) -> Iterator[tuple[str, int]]:
    assert callable(names)
    for language in languages:
        for width in _WIDTHS:
            for context in _CONTEXTS:
                for number, name in names(width, context, language).items():
                    yield word_form(name), number


@lru_cache(maxsize=64)
def yes_no_words(languages: tuple[str, ...]) -> Mapping[str, bool]:
    """The meanings of the words for yes and no, in the languages and English."""
    words: dict[str, bool] = {"true": True, "false": False, "1": True, "0": False}
    for language in (*languages, "en"):
        yes, no = _YES_NO.get(language.replace("-", "_").partition("_")[0], ("yes", "no"))
        words.setdefault(word_form(yes), True)
        words.setdefault(word_form(no), False)
    return words
