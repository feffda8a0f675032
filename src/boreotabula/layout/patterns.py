"""Patterns: one small language wherever a name is matched.

`*` is any text, `{field}` is any text that also becomes a stamp. Letter case is ignored. Each
takes as little as it can, from left to right. In file patterns both stop at '/', `**` does not.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache

from boreotabula.layout.headings import fold, normal_form

_TOKEN = re.compile(r"(\*\*|\*|\{[^{}]*\})")


class Kind(Enum):
    """What a pattern is held against."""

    FILE = "file"
    """The path of a file below the source folder, with '/'; its name alone if no '/' is in it."""
    TAB = "tab"
    """The name of a tab as it is, trimmed."""
    CELL = "cell"
    """The normal form of a heading or label."""
    STAMP = "stamp"
    """The text of a stamp as it is, gaps as one space; `{}` is the part that is kept."""


class PatternError(ValueError):
    """The text of a pattern cannot be understood."""


@dataclass(frozen=True)
class Pattern:
    """A compiled pattern; `captures` are the fields it fills, in their order."""

    text: str
    kind: Kind
    captures: tuple[str, ...]
    regex: re.Pattern[str]

    def match(self, name: str) -> dict[str, str] | None:
        """The captured texts by field if the whole name matches, else None."""
        found = self.regex.fullmatch(self._subject(name))
        if found is None:
            return None
        return {
            field: text.strip() for field, text in zip(self.captures, found.groups(), strict=True)
        }

    def _subject(self, name: str) -> str:
        if self.kind is Kind.CELL:
            return normal_form(name)
        if self.kind is Kind.STAMP:
            return " ".join(unicodedata.normalize("NFKC", name).split())
        name = unicodedata.normalize("NFC", name).strip()
        if self.kind is Kind.FILE and "/" not in self.text:
            return name.rpartition("/")[2]
        return name


@lru_cache(maxsize=4096)
def pattern(text: str, kind: Kind) -> Pattern:
    """Compile a pattern.

    Raises PatternError for a lone brace, a capture without or with twice the same field name,
    two captures side by side (nothing would tell where one ends), or a capture on a cell.
    """
    if not text.strip():
        raise PatternError("a pattern cannot be empty")
    parts = _TOKEN.split(unicodedata.normalize("NFC", text).strip())
    captures: list[str] = []
    regex: list[str] = []
    for place, part in enumerate(parts):
        if place % 2 == 0:
            regex.append(_literal(text, part, kind, last=place + 1 == len(parts)))
        elif part.startswith("{"):
            captures.append(_capture(text, part, kind, captures))
            regex.append("([^/]+?)" if kind is Kind.FILE else "(.+?)")
            if place + 2 < len(parts) and not parts[place + 1] and parts[place + 2][0] == "{":
                raise PatternError(f"“{text}”: put some text between {part} and {parts[place + 2]}")
        else:
            regex.append("[^/]*?" if kind is Kind.FILE and part == "*" else ".*?")
    compiled = re.compile("".join(regex), re.IGNORECASE | re.DOTALL)
    return Pattern(text, kind, tuple(captures), compiled)


def _literal(text: str, part: str, kind: Kind, *, last: bool) -> str:
    if "{" in part or "}" in part:
        raise PatternError(f"“{text}” has a brace without its partner")
    if kind is Kind.CELL:
        part = fold(part).rstrip(": ") if last else fold(part)
    if kind is Kind.STAMP:
        part = " ".join(unicodedata.normalize("NFKC", f".{part}.").split())[1:-1]
    return re.escape(part)


def _capture(text: str, part: str, kind: Kind, before: list[str]) -> str:
    field = part[1:-1].strip()
    if kind is Kind.CELL:
        raise PatternError(f"“{text}”: {part} cannot be kept here; write * instead")
    if kind is Kind.STAMP:
        if field or before:
            raise PatternError(f"“{text}”: {{}}, once, is the part to keep; write * for others")
        return ""
    if not field:
        raise PatternError(f"“{text}”: name the field inside the braces, as in {{month}}")
    if field in before:
        raise PatternError(f"“{text}” names {part} twice")
    return field


def first_match(patterns: tuple[Pattern, ...], name: str) -> dict[str, str] | None:
    """Captures of the first pattern that matches the name, or None if none does."""
    for one in patterns:
        captured = one.match(name)
        if captured is not None:
            return captured
    return None
