"""Words of forms: names for fields, totals, and headings that are data themselves."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from datetime import date
from functools import lru_cache

from boreotabula.reading.cells import cell_text
from boreotabula.reading.rows.total_words import TOTAL_WORDS
from boreotabula.sheets.sheet import Cell

_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "ß": "ss", "đ": "d", "ð": "d", "þ": "th", "ł": "l"})
_UNIT = re.compile(r"\s*[(\[][^)\]]*[)\]]\s*$")


def field_name(heading: str, taken: Iterable[str] = (), fallback: str = "field") -> str:
    """A name for the field of a heading: lower case with `_`, without its unit in brackets, and
    with a number at its end if it is taken."""
    text = unicodedata.normalize("NFKD", _UNIT.sub("", heading).casefold().translate(_LETTERS))
    plain = "".join(sign for sign in text if not unicodedata.combining(sign))
    name = re.sub(r"[^a-z0-9]+", "_", plain).strip("_")[:40].strip("_") or fallback
    if name[0].isdigit():
        name = f"{fallback}_{name}"
    known_texts = set(taken) | _RESERVED
    number = 2
    base = name
    while name in known_texts:
        name, number = f"{base}_{number}", number + 1
    return name


_RESERVED = {"source_file", "source_tab", "source_cell"}

_OF_YEAR = r"(?:1[89]|20|21)\d\d"
_QUARTER = re.compile(
    rf"(?:{_OF_YEAR}[ ./-]*)?(?:(?:q|kv|kvartal|quarter|[iv]+\.?\s*(?:q|kv))\.?\s*[1-4]"
    rf"|[1-4]\.?\s*(?:q|kv)\w*)(?:[ ./-]*{_OF_YEAR}|[ ./'-]+\d\d)?"
)
_WEEK = re.compile(
    rf"(?:{_OF_YEAR}[ ./-]*)?(?:week|uke|vecka|viikko|vko|kw|w|wk)\.?\s*\d{{1,2}}"
    rf"(?:[ ./-]+{_OF_YEAR})?"
)
_YEAR = re.compile(r"(?:1[89]|20|21)\d\d(?:[*]|\s?p)?")
_MONTHS = re.compile(
    r"(?:jan(?:uary?|uari)?|feb(?:ruary?|ruari)?|mar(?:s|ch|ts|z)?|märz|apr(?:il)?|ma[yij]"
    r"|jun[ei]?|jul[yi]?|aug(?:ust|usti)?|sept?(?:ember)?|o[ck]t(?:ober)?|nov(?:ember)?"
    r"|de[csz](?:ember)?|(?:tammi|helmi|maalis|huhti|touko|kesä|heinä|elo|syys|loka|marras|joulu)"
    r"(?:kuu(?:n|ta)?)?)\.?(?:\s*'?\d{2,4})?"
    r"|\d{4}(?:-|m)\d{2}|\d{1,2}/\d{4}"
)


def level_name(heads: Sequence[Cell]) -> str:
    """A name for the headings of a level, by their kind: 'year', 'month', 'quarter', 'week',
    'weekday', 'day' or 'time'; empty if they are words of the form's own."""
    filled = [head for head in heads if head != ""]
    if not filled:
        return ""
    dates = [head for head in filled if isinstance(head, date)]
    if len(dates) == len(filled):
        return "month" if all(head.day == 1 for head in dates) else "day"
    texts = frozenset(cell_text(head).strip().casefold() for head in filled)
    return next((name for name in _LEVELS if all(_is_of(name, text) for text in texts)), "")


@lru_cache(maxsize=20_000)  # forms have the same headings on every tab
def _is_of(level: str, text: str) -> bool:
    return bool(_LEVELS[level].fullmatch(text))


_WEEKDAYS = re.compile(
    r"(?:mon|tues?|wed|thu(?:rs)?|fri|sat(?:ur)?|sun|wednes)(?:day)?\.?|mo|tu|we|th|fr|sa|su"
    r"|(?:man|mån|tirs?|tis|ons|tors?|fre|lør|lör|søn|sön)(?:dag)?\.?"
    r"|ma(?:anantai)?|ti(?:istai)?|ke(?:skiviikko)?|to(?:rstai)?|pe(?:rjantai)?|la(?:uantai)?"
    r"|sunnuntai|mi|di|do|so|(?:mon|diens|donners|frei|sams|sonn)tag|mittwoch"
    # Classes of days stand among them.
    r"|(?:week|work|working |holi)days?|weekends?|(?:hver|hellig|var|hel)dag(?:er|ar)?|helg"
    r"|arki(?:päivä)?|viikonloppu|pyhä|(?:werk|feier)tage?|wochenende"
)
_DAY = re.compile(r"\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{4}-\d{2}-\d{2}")
_CLOCK = r"(?:[01]?\d|2[0-4]):[0-5]\d(?::[0-5]\d)?"
_TIME = re.compile(rf"{_CLOCK}(?:\s*[-–]\s*{_CLOCK})?")
_LEVELS = {
    "year": _YEAR, "quarter": _QUARTER, "week": _WEEK, "month": _MONTHS, "weekday": _WEEKDAYS,
    "day": _DAY, "time": _TIME,
}  # fmt: skip


_UNIT_WORD = re.compile(
    r"[(\[]?(?:1,?000 )?(?:[cdkμµ]?m[23²³]?|[kmμµ]?g|t|tonn(?:e|es)?|[mcdh]?l|ha|[kmgt]?wh|[km]w"
    r"|[km]j|%|‰|°[cfk]?|h|hrs?|min|s|ms|days?|pcs|pc|stk|kpl|no|nr|nos|€|\$|£|eur|nok|sek|dkk"
    r"|usd|gbp|kr|chf|pln|¥|isk|ppm|hz|bar|k?pa|db)"
    r"(?:/(?:[mcdk]?m[23²³]?|k?g|t|l|h|min|s|ha|pcs|day|year|a))?[)\]]?"
)


def is_unit(text: str) -> bool:
    """Whether a text is a unit of numbers."""
    text = text.strip()
    # A capital alone is a grade or a class.
    return _UNIT_WORD.fullmatch(text.casefold() if len(text) > 1 else text) is not None


_CARRIED = (
    "carried over", "carried forward", "brought forward", "overført", "overføring", "siirto",
    "transporterat", "transport", "übertrag", "report",
)  # fmt: skip
"""Words for sums that are carried from page to page."""


def is_total(text: str) -> bool:
    """Whether a text begins or ends with a word for total, sum or average in one of the usual
    languages."""
    return total_pattern(text) != ""


@lru_cache(maxsize=4096)
def total_pattern(text: str) -> str:
    """The pattern of a text that begins or ends with a word for a total; empty if it does not."""
    folded = text.strip().casefold()
    match = _TOTAL.match(folded)
    if match:
        written = text.strip()[: match.end()]
        return written if match.end() == len(folded) else f"{written}*"
    # “North total”: the group is named first.
    last = folded.rpartition(" ")[2]
    if last != folded and last in _LAST_WORDS:
        return f"* {text.strip().rpartition(' ')[2]}"
    return ""


_TOTAL = re.compile(
    "(?:"
    + "|".join(map(re.escape, sorted((*TOTAL_WORDS, *_CARRIED), key=len, reverse=True)))
    + r")(?![^\W_])"
)
_LAST_WORDS = frozenset(word for word in TOTAL_WORDS if " " not in word and len(word) > 2)
