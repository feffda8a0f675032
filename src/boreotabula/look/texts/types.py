"""The type of a field, by all its values."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from boreotabula.layout.headings import normal_form
from boreotabula.look.texts.words import is_unit
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.convert import Converted, convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.reading.values.names import month_names, word_form
from boreotabula.sheets.sheet import Cell

LANGUAGES = ("nb", "sv", "da", "fi", "de", "fr", "es", "it", "nl", "pl", "pt", "et")
"""The languages whose names of months and days are looked for, beside English."""
FOOTNOTE_SIGNS = "*†‡§¹²³⁴⁵⁶⁷⁸⁹"
MOST_LANGUAGES = 6
"""One form comes in at most this many languages."""
_KINDS = ("integer", "number", "percent", "date", "month", "datetime", "time", "yesno")
_MOST = 500
"""This many cells show the type of a column."""
_FEWEST, _ODD = 10, 0.1
"""Among this many values, this part may be odd ones that do not make the field a text."""

DASHES = ("-", "–", "—", "..", "...", ".")
"""Signs in place of a missing figure."""
NOTHING = (*DASHES, "n/a", "N/A", "na", "NA", "n.a.", "N.A.")
"""Signs that everyone reads as no value; a cross or an asterisk may well have a meaning."""


@dataclass(frozen=True)
class Typed:
    """The type of a field, and what else the layout says about it."""

    kind: str
    options: Mapping[str, Any] = field(default_factory=dict)
    nothing: tuple[str, ...] = ()
    """Signs among its values that count as blank."""
    odd: tuple[str, ...] = ()
    """The values of another type."""
    guessed: str = ""
    """The first value for which no other one shows how to read it: a day and month, or a decimal
    mark."""


def type_of(cells: Sequence[Cell], languages: Sequence[str] = ()) -> str:
    """The narrowest type of all filled cells; 'text' if there is no other."""
    type_ = typed(cells, languages, tolerant=False)
    plain = not type_.options and not type_.nothing and not type_.guessed
    return type_.kind if plain else "text"


def typed(
    cells: Sequence[Cell],
    languages: Sequence[str] = (),
    decimal_mark: str | None = None,
    heading: str = "",
    *,
    tolerant: bool = True,
) -> Typed:
    """The narrowest type of some cells, with signs for blank values, units and decimal marks among
    them.

    If `tolerant`, a few odd ones may be of another type. `heading` may name their unit.
    """
    filled = [cell for cell in cells if cell != ""][:_MOST]
    nothing = tuple(dict.fromkeys(_sign(cell) for cell in filled if _sign(cell)))
    sentinel = _sentinel(filled)
    nothing += (sentinel,) if sentinel else ()
    filled = [cell for cell in filled if not _sign(cell) and cell_text(cell).strip() != sentinel]
    # Codes keep their zeros only as texts.
    if not filled or any(map(_is_code, filled)):
        return Typed("text")
    if all(isinstance(cell, str) and not _DIGIT.search(cell) for cell in filled):
        words = convert(filled, ValueForm("yesno", languages=tuple(languages)))
        return Typed("yesno" if not words.failures and words.doubt is None else "text", {}, nothing)
    return _narrowest(filled, nothing, languages, decimal_mark, heading, tolerant=tolerant)


def _narrowest(
    filled: Sequence[Cell],
    nothing: tuple[str, ...],
    languages: Sequence[str],
    decimal_mark: str | None,
    heading: str,
    *,
    tolerant: bool,
) -> Typed:
    """The narrowest type of cells that all have a meaning; `nothing` are the signs for blank values
    among them."""
    signs, plain = _without_signs(filled)
    unit, figures = _without_unit(plain, heading)
    beside = [*([unit] if unit else []), *signs]
    most_odd = int(_ODD * len(filled)) if tolerant and len(filled) >= _FEWEST else 0
    either = _either(figures, decimal_mark)
    done: dict[int, Converted | None] = {}
    forms = [
        (kind, mark, ValueForm(kind, languages=tuple(languages), decimal_mark=mark))
        for kind in _KINDS for mark in _marks(decimal_mark, figures)
    ]  # fmt: skip
    # 1 and 0 are numbers first, and only words are yes and no. Where tabs differ in their decimal
    # mark, each settles it for itself.
    ways = [(odd, settled) for odd in dict.fromkeys((0, most_odd)) for settled in (False, True)]
    for odd, settled in ways:
        for number, (kind, mark, form) in enumerate(forms):
            # Most values are of the first type that is tried, so others are not looked at.
            if number not in done:
                done[number] = _converted(figures if kind in _WITH_UNITS else filled, form)
            values = done[number]
            if values is None or (either and kind == "integer" and not _any_whole(figures)):
                continue
            type_ = _read(kind, values, filled, odd, form.languages, settled=settled)
            if type_ is None:
                continue
            options = dict(type_.options)
            if kind in _WITH_UNITS:
                if beside:
                    options |= {"unit": beside[0] if len(beside) == 1 else beside}
                options |= {"decimal_mark": mark} if mark and mark != decimal_mark else {}
            guessed = type_.guessed or (either if kind in _WITH_UNITS and mark else "")
            return Typed(type_.kind, options, nothing, type_.odd, guessed)
    return Typed("text")


_FIRST = 5
"""If this many first cells all fail, the others need not be tried."""


def _converted(cells: Sequence[Cell], form: ValueForm) -> Converted | None:
    """Cells as values of a type; None if the first few all fail."""
    first = convert(cells[:_FIRST], form)
    if len(first.failures) == len(cells[:_FIRST]) and first.doubt is None:
        return None
    return convert(cells, form) if len(cells) > _FIRST else first


def _any_whole(figures: Sequence[Cell]) -> bool:
    """Whether any of the numbers is written as a plain whole one."""
    return any(
        cell.is_integer() if isinstance(cell, float) else isinstance(cell, str) and cell.isdigit()
        for cell in figures
    )


def _either(figures: Sequence[Cell], decimal_mark: str | None) -> str:
    """The first number that could be read with either decimal mark, if no other one shows which."""
    doubt = convert(figures, ValueForm("number", decimal_mark=decimal_mark)).doubt
    return "" if doubt is None or doubt.settled else cell_text(figures[doubt.places[0]])


_WITH_UNITS = ("integer", "number")
_DIGIT = re.compile(r"\d")


def _read(
    kind: str, done: Converted, cells: Sequence[Cell], most_odd: int, languages: tuple[str, ...],
    *, settled: bool,
) -> Typed | None:  # fmt: skip
    """The values of some cells in a type; None if too many cells fail."""
    guessed = ""
    options: dict[str, Any] = {}
    if done.doubt is not None and kind in ("date", "datetime"):
        if not done.doubt.settled:
            guessed = cell_text(cells[done.doubt.places[0]])
        # Other tabs may show nothing of it, so it is said for all of them.
        options["day_first"] = _day_first(cells)
        done = convert(cells, ValueForm(kind, languages, day_first=options["day_first"]))
    elif done.doubt is not None and not (settled and done.doubt.settled):
        return None
    if len(done.failures) + len(done.outside) > most_odd:
        return None
    # Days that are all the first of a month mean the month.
    days = done.values.drop_null().to_pylist() if kind == "date" else []
    if days and not options and all(day.day == 1 for day in days):
        kind = "month"
    odd = tuple(cell_text(cells[column]) for column, _ in (*done.failures, *done.outside))
    return Typed(kind, options, (), odd, guessed)


def _day_first(cells: Sequence[Cell]) -> bool:
    """Whether the day comes first in dates that do not show it: the way in which they are
    consecutive days; else true."""
    steps = {}
    for day_first in (True, False):
        days = convert(cells, ValueForm("date", day_first=day_first)).values.drop_null().to_pylist()
        near = [abs((after - value).days) for value, after in pairwise(days)]
        steps[day_first] = (len(days), sum(step <= _NEAR for step in near))
    return steps[True] >= steps[False]


_NEAR = 7
"""Days that follow each other within a week are in order."""


def _sign(cell: Cell) -> str:
    text = cell.strip() if isinstance(cell, str) else ""
    return text if text in NOTHING else ""


_SENTINELS = ("-9999", "-999", "-99999", "-999.9", "-9999.0", "9999", "99999")
_FAR = 4
"""A number this much larger than all others has a meaning, such as no value."""


def _sentinel(cells: Sequence[Cell]) -> str:
    """The number that means no value among others; empty if there is none.

    It is one that measuring programs use, is repeated, and is far from all others.
    """
    counts = Counter(cell_text(cell).strip() for cell in cells)
    again = [text for text in _SENTINELS if counts[text] > 1]
    if len(again) != 1:
        return ""
    other_cells = [cell for cell in cells if cell_text(cell).strip() != again[0]]
    done = convert(other_cells, ValueForm("number"))
    numbers = [abs(number) for number in done.values.drop_null().to_pylist()]
    far = bool(numbers) and max(numbers) * _FAR < abs(float(again[0]))
    return again[0] if far and not done.failures else ""


def _is_code(cell: Cell) -> bool:
    return isinstance(cell, str) and bool(re.fullmatch(r"0\d+", cell.strip()))


_WITH_UNIT = re.compile(
    r"(?P<before>[^\W\d_]{1,4}|[€$£¥])?\s*(?P<number>[-+−]?\d[\d.,'\s\u00a0\u202f]*?)"
    r"\s*(?P<after>[^\W\d_][^\d,;]{0,12}|[€$£¥])?"
)


_WITH_SIGN = re.compile(rf"(?P<number>.*\d)\s*(?P<sign>[{FOOTNOTE_SIGNS}]{{1,3}})")


def _without_signs(cells: Sequence[Cell]) -> tuple[list[str], list[Cell]]:
    """The signs that refer to footnotes after a few numbers, and the cells without them."""
    hits = {
        index: hit
        for index, cell in enumerate(cells)
        if isinstance(cell, str) and (hit := _WITH_SIGN.fullmatch(cell.strip()))
    }
    # Where most have one, it is part of what is written.
    if not hits or 2 * len(hits) > len(cells):
        return [], list(cells)
    signs = sorted({hit["sign"] for hit in hits.values()})
    return signs, [
        hits[index]["number"].strip() if index in hits else cell for index, cell in enumerate(cells)
    ]


def _without_unit(cells: Sequence[Cell], heading: str) -> tuple[str, list[Cell]]:
    """The unit beside the numbers of some cells, and the cells without it.

    Empty, and the unchanged cells, if it is no unit. Two units are two scales.
    """
    hits = {
        index: hit
        for index, cell in enumerate(cells)
        if isinstance(cell, str)
        and (hit := _WITH_UNIT.fullmatch(cell.strip()))
        and (hit["before"] or hit["after"])
    }  # fmt: skip
    units = Counter((hit["before"] or hit["after"] or "").strip() for hit in hits.values())
    words = set(normal_form(heading).split())
    behind = {(hit["after"] or "").strip() for hit in hits.values()}
    values = [
        unit for unit in units if is_unit(unit) or (unit in behind and normal_form(unit) in words)
    ]
    if (
        len(units) != 1
        or len(values) != 1
        or any(hit["before"] and hit["after"] for hit in hits.values())
    ):
        return "", list(cells)
    return values[0], [
        hits[index]["number"].strip() if index in hits else cell for index, cell in enumerate(cells)
    ]


def _marks(known_text: str | None, figures: Sequence[Cell]) -> Iterator[str | None]:
    """The possible decimal marks of figures: the settled one, none, or one that they show."""
    yield known_text
    if not known_text and any(isinstance(cell, str) and set(cell) & set(".,") for cell in figures):
        yield from ".,"


def languages_of(cells: Sequence[Cell]) -> list[str]:
    """The languages needed to read some texts as months or dates; none if English is enough."""
    texts = [
        cell for cell in dict.fromkeys(cells)
        if isinstance(cell, str) and any(sign.isalpha() for sign in cell)
        and any(sign.isdigit() for sign in cell) and len(cell) < _LONGEST
    ][:_MOST]  # fmt: skip
    languages: list[str] = []
    english = _dates_among(texts, ())
    left = [text for text in texts if text not in english and _names_month(text)]
    reads = {language: _dates_among(left, (language,)) for language in LANGUAGES} if left else {}
    # The language that reads most of them first: neighbours share the names of some months.
    while left:
        language = max(LANGUAGES, key=lambda text: len(reads[text] & set(left)))
        if not reads[language] & set(left):
            break
        languages.append(language)
        left = [text for text in left if text not in reads[language]]
    return sorted(languages, key=LANGUAGES.index)


def month_languages(texts: Sequence[str], languages: Sequence[str]) -> list[str] | None:
    """The languages needed for some names of months without a year, besides the known `languages`;
    None if the texts are no such names."""
    result = list(languages)
    for text in texts:
        if text.isdigit():
            return None
        for language in ("", *result, *LANGUAGES):
            tried = tuple(dict.fromkeys([*result, *([language] if language else [])]))
            form = ValueForm("month", languages=tried, without_year=True)
            if not convert([text], form).failures:
                result = list(tried)
                break
        else:
            return None
    return result


_LONGEST = 30
"""A longer text is no number with something beside it."""
_WORD = re.compile(r"[^\W\d_]+")


def _names_month(text: str) -> bool:
    """Whether a word of a text is the name of a month in one of the languages."""
    names = month_names(tuple(LANGUAGES))
    return any(word_form(word) in names for word in _WORD.findall(text))


def _dates_among(texts: Sequence[str], languages: tuple[str, ...]) -> set[str]:
    """The texts that are dates or months in a language."""
    dates: set[str] = set()
    for kind in ("date", "month"):
        wrong = {
            index for index, _ in convert(texts, ValueForm(kind, languages=languages)).failures
        }
        dates |= {text for index, text in enumerate(texts) if index not in wrong}
    return dates
