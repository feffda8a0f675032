"""Numbers as people write them: marks, signs, brackets, units."""

from __future__ import annotations

import re
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from boreotabula.findings import reasons
from boreotabula.reading.values.form import DoubtError, NotConvertedError, ValueForm

# Groups of digits are set apart by a space (ISO 80000-1, 7.3.1), in some countries an apostrophe.
_SPACES = " \u00a0\u2007\u2009\u202f"
_APOSTROPHES = "'\u2019"
_MINUS = "-\u2212\u2013"
_PARTS = re.compile(rf"(?P<body>[\d.,{_SPACES}{_APOSTROPHES}]*\d[\d.,]*)(?P<power>[eE][+-]?\d+)?")
_PLAIN = re.compile(r"\d+([.,]\d*)?|[.,]\d+")


class _Bare(NamedTuple):
    """A written number without its sign, unit and percent sign."""

    body: str
    power: str
    negative: bool
    percent: bool
    unit: str = ""


@lru_cache(maxsize=16_384)
def read_number(text: str, form: ValueForm, mark: str | None = None) -> Decimal:
    """The number that a text means; a percent sign divides it by 100.

    `mark` is the decimal mark, if it is known from elsewhere than the form. Raises
    NotConvertedError, and DoubtError where a mark could separate decimals or thousands. Results are
    cached, as sums are looked for among the same texts before they are converted.
    """
    bare = _bare(text, form)
    if bare is None:
        raise _not_converted(text)
    decimal = form.decimal_mark or _other(form.thousands_mark) or mark
    # Only now from the number itself: what the layout says always wins.
    if decimal is None:
        decimal = _decimal_mark(bare.body)
    if decimal is None:
        first, _, last = re.split("([.,])", bare.body)
        # 1.250 is a thousand in one country and one in the next: never guessed.
        raise DoubtError(reasons.NUMBER_DOUBTFUL, first=f"{first}{last}", second=f"{first}.{last}")
    whole, _, part = bare.body.partition(decimal)
    digits = _joined(whole, decimal, form)
    if digits is None or not (part.isdigit() or not part) or not (digits or part):
        raise _not_converted(text)
    number = Decimal(f"{digits or '0'}.{part or '0'}{bare.power}")
    number = -number if bare.negative else number
    # A share of 15 % is kept as 0.15, as spreadsheets keep it.
    number = number / 100 if bare.percent else number
    return number * form.factor(bare.unit) if form.factors else number


def unit_of_text(text: str, form: ValueForm) -> str:
    """The unit that stands beside a written number; empty if there is none."""
    bare = _bare(text, form)
    return bare.unit if bare else ""


def decimal_mark_of(text: str, form: ValueForm) -> str | None:
    """The only possible decimal mark of a written number, if it shows one."""
    bare = _bare(text, form)
    return _decimal_mark(bare.body) if bare and re.search("[.,]", bare.body) else None


def _decimal_mark(body: str) -> str | None:
    """The decimal mark of a number; None if its only mark could be either.

    With both marks, the last is the decimal one. A mark that occurs several times separates
    thousands. A mark that occurs once separates thousands only before three digits and after one to
    three, the first of them not zero.
    """
    marks = [sign for sign in body if sign in ".,"]
    if not marks:
        return "."
    # Nobody writes thousands behind the decimals.
    if len(set(marks)) == 2:
        return marks[-1]
    if len(marks) > 1:
        return _other(marks[0])
    whole, _, part = body.partition(marks[0])
    doubtful = len(part) == 3 and 1 <= len(whole) <= 3 and whole[0] != "0" and whole.isdigit()
    return None if doubtful else marks[0]


def _other(mark: str | None) -> str | None:
    return {".": ",", ",": "."}.get(mark or "")


def _joined(whole: str, decimal: str, form: ValueForm) -> str | None:
    """The digits before the decimal mark, with their groups joined; None if the groups are
    wrong."""
    if whole.isdigit() or not whole:
        return whole
    # Two different marks between digits fit no way of writing.
    signs = {sign for sign in whole if not sign.isdigit()}
    if len(signs) != 1 or not _allowed(next(iter(signs)), decimal, form):
        return None
    first, *other_texts = whole.split(next(iter(signs)))
    # 12,34,567 is a number in India; here it would rather be a slip.
    if not 1 <= len(first) <= 3 or any(len(text) != 3 for text in other_texts):
        return None
    return first + "".join(other_texts)


def _allowed(sign: str, decimal: str, form: ValueForm) -> bool:
    wanted = form.thousands_mark
    if wanted is None:
        return sign != decimal
    if wanted in _SPACES:
        return sign in _SPACES
    return sign in _APOSTROPHES if wanted in _APOSTROPHES else sign == wanted


def _bare(text: str, form: ValueForm) -> _Bare | None:
    """A text without sign, unit and percent sign; None if what remains is no number."""
    text = text.strip()
    if _PLAIN.fullmatch(text):
        return _Bare(text, "", negative=False, percent=False)
    # As accountants write it.
    negative = len(text) > 2 and text[0] == "(" and text[-1] == ")"
    if negative:
        text = text[1:-1].strip()
    percent = False
    unit = ""
    signs = int(negative)
    while True:
        rest, beside = _without_unit(text, form.units)
        unit = beside or unit
        if rest is None and form.type.is_share and not percent and text.endswith("%"):
            percent, rest = True, text[:-1].rstrip()
        if rest is None and text and text[0] in _MINUS + "+":
            signs += 1
            negative = negative or text[0] != "+"
            rest = text[1:].lstrip()
        elif rest is None and text and text[-1] in _MINUS:
            signs += 1
            negative, rest = True, text[:-1].rstrip()
        if rest is None:
            break
        text = rest
    match = _PARTS.fullmatch(text)
    # Two signs contradict or repeat each other: no number that anybody meant.
    if match is None or signs > 1:
        return None
    return _Bare(match["body"], match["power"] or "", negative, percent, unit)


def _without_unit(text: str, units: tuple[str, ...]) -> tuple[str | None, str]:
    """A text without a unit beside it, and the unit; None if there is none."""
    folded = text.casefold()
    for unit in units:
        if folded.endswith(unit.casefold()):
            return text[: len(text) - len(unit)].rstrip(), unit
        if folded.startswith(unit.casefold()):
            return text[len(unit) :].lstrip(), unit
    return None, ""


_WITH_SIGN = re.compile(r"[^\d\s]{1,12}\s*[\d.,]*\d|\d[\d.,\s]*[^\d\s.,]{1,12}")


def _not_converted(text: str) -> NotConvertedError:
    """Why a text is no number: the same words for the same kind of error."""
    sign = re.sub(r"[\d,\s()]+|(?<![^\W\d])\.", "", text)
    if sign.strip(_MINUS + "+") and _WITH_SIGN.fullmatch(text.strip()):
        return NotConvertedError(reasons.BESIDE_NUMBER, sign=sign)
    return NotConvertedError(reasons.NO_NUMBER)
