"""Texts from files and names, made safe for display."""

from __future__ import annotations

import os
import re
import shlex
import unicodedata
from decimal import Decimal

CONTROLS = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069"
    "\ud800-\udfff]"
)
"""Control characters, marks that turn the direction of writing, and code points that are no
characters."""
_PICTURES = 0x2400
"""Where the pictures of the first control characters begin, by their codes."""


def clean(text: str) -> str:
    """A text with each control character replaced by a visible sign.

    They could change the title of a terminal, clear it, or hide what was printed; marks that turn
    the direction of writing could make a name look like another.
    """
    return CONTROLS.sub(_shown, text)


def _shown(match: re.Match[str]) -> str:
    code = ord(match[0])
    if code < 0x20:
        return chr(_PICTURES + code)
    return "\u2421" if code == 0x7F else "\ufffd"


def brief(text: str, most: int) -> str:
    """A clean text on one line, of limited length."""
    text = " ".join(clean(text[: 4 * most]).split())
    return text if len(text) <= most else f"{text[: most - 1]}…"


def folded(text: str, width: int) -> str:
    """A text folded at blanks to lines of at most a number of terminal columns.

    Continuation lines are indented by two columns more than the first. A word that is wider than a
    line stays whole: names of files, cells and numbers are never cut.
    """
    return "\n".join(part for line in text.split("\n") for part in _fold(line, width))


def _fold(line: str, width: int) -> list[str]:
    if display_width(line) <= width:
        return [line]
    inset = " " * (len(line) - len(line.lstrip(" ")) + 2)
    lines = [""]
    for word in re.findall(" *[^ ]+", line):  # a blank that does not break is none of these
        if lines[-1].strip() and display_width(lines[-1] + word) > width:
            lines.append(inset + word.lstrip(" "))
        else:
            lines[-1] += word
    return lines


def display_width(text: str) -> int:
    """The terminal columns of a text: wide characters take two, accents none."""
    if text.isascii():
        return len(text)
    return sum(
        0 if unicodedata.combining(sign) else 1 + (unicodedata.east_asian_width(sign) in "WF")
        for sign in text
    )


def shell_word(text: str) -> str:
    """A text as one word of a command, quoted if a shell would split or change it."""
    if _PLAIN_WORD.fullmatch(text):
        return text
    return shlex.quote(text) if set(text) & set('"$`!') else f'"{text}"'


_PLAIN_WORD = re.compile(r"[\w@%+=:,./~\\-]+" if os.name == "nt" else r"[\w@%+=:,./~-]+")


def command_line(*words: object) -> str:
    """A call of this program as typed in a shell."""
    return " ".join(["boreotabula", *(shell_word(str(word)) for word in words)])


def plain_number(number: Decimal, *, signed: bool = False) -> str:
    """A number for people: with thousands separators, without trailing zeros, with a sign if
    wanted."""
    short = number.normalize()
    whole = short.quantize(Decimal(1)) if short == short.to_integral_value() else short
    return f"{whole:+,f}" if signed and whole else f"{whole:,f}"


def agreeing(agree: int, printed: int) -> str:
    """The number of agreeing totals in words: '1 of 1 printed totals agrees'."""
    return f"{agree:,} of {printed:,} printed totals agree{'s' if agree == 1 else ''}"


def counted(number: int, text: str, several: str | None = None) -> str:
    """A number of things in words: '1 cell', '1,200 cells'; `several` is the plural if adding an s
    is wrong."""
    return f"1 {text}" if number == 1 else f"{number:,} {several or text + 's'}"


def in_natural_order(text: str) -> tuple[tuple[int, int, str], ...]:
    """Sorts '2' before '10', in any letter case.

    Numbers are compared by their digits, however many there are; a library for it would add a tenth
    to the start of the program, and fails on numbers of some thousand digits.
    """
    return tuple(
        (0, len(digits := part.lstrip("0")), digits) if part.isdecimal() else (1, 0, part)
        for part in re.split(r"(\d+)", text.casefold())
    )


FORMULA = "^[=+\\-@\t\r]"
"""The beginnings of texts that spreadsheet programs take for formulas when they open CSV."""
GUARD = "'"


def guarded_text(text: str) -> str:
    """A text, with an apostrophe in front if it could be taken for a formula."""
    return GUARD + text if re.match(FORMULA, text) else text


def unguarded_text(text: str) -> str:
    """The text before it was guarded."""
    return text[1:] if text.startswith(GUARD) and re.match(FORMULA, text[1:]) else text
