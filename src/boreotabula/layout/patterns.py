"""Patterns: one small language wherever a name is matched.

`*` is any text, `{field}` is any text that also becomes a stamp, `[*]` is the sign itself. Letter
case is ignored. Each wildcard matches as little as possible, from left to right. In file patterns
both stop at '/', `**` does not.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache
from itertools import pairwise

from boreotabula.layout.headings import fold, normal_form

_TOKEN = re.compile(r"(\[\*\]|\*\*|\*|\{[^{}]*\})")
_STAR = "[*]"


class PatternKind(Enum):
    """What a pattern is matched with."""

    FILE = "file"
    """The path of a file below the source folder, with '/'; only its name if the pattern has no
    '/'."""
    TAB = "tab"
    """The name of a tab, trimmed."""
    CELL = "cell"
    """A heading or label as displayed, or its normal form."""
    STAMP = "stamp"
    """The text of a stamp, gaps as one space; `{}` is the part that is kept."""
    CAPTION = "caption"
    """The text over a table, gaps as one space; `{field}` is kept for its records."""


class PatternError(ValueError):
    """The text of a pattern cannot be parsed."""


@dataclass(frozen=True)
class Pattern:
    """A compiled pattern; `captures` are the fields it fills, in order.

    Matching takes time linear in the name: because each part takes as little as it can, only the
    first place of the text after it has to be tried.
    """

    text: str
    kind: PatternKind
    captures: tuple[str, ...]
    regex: re.Pattern[str]
    backwards: re.Pattern[str]
    """The same from right to left, for names read from their end: each part takes as little as it
    can from that side, so that those on the left get as much as possible."""
    pieces: tuple[_Piece, ...] = ()
    """Its parts, from left to right."""

    def __str__(self) -> str:
        """The pattern as written."""
        return self.text

    def match(self, name: str) -> dict[str, str] | None:
        """The captured texts by field if the whole name matches, else None."""
        if self.kind is PatternKind.CELL:
            # The normal form first: it is what headings are compared by everywhere else.
            match = self.regex.fullmatch(normal_form(name))
            if match is None and (shown := name.strip()) and not shown[-1].isalnum():
                # Only then the text as it is shown may end otherwise than its normal form.
                match = self.regex.fullmatch(fold(shown))
        else:
            match = self.regex.fullmatch(self._subject(name))
        return None if match is None else self._captured(match)

    def other_match(self, name: str) -> dict[str, str] | None:
        """Other captured texts with which the whole name would match as well; None if there are
        none."""
        if not self.captures:
            return None
        # Read from both ends: a name that gives the same both ways can be read in one way only.
        match = self.backwards.fullmatch(self._subject(name)[::-1])
        if match is None:
            return None
        texts = [text[::-1] for text in reversed(match.groups())]
        other = self._named(texts)
        return None if other == self.match(name) else other

    def ways(self, name: str) -> Iterator[dict[str, str]]:
        """The texts by field of all ways in which the whole name matches, starting with that of
        `match`.

        For a name in which they are hard to find, some may be missing.
        """
        steps = iter(range(_MOST_STEPS))
        for texts in _ways(self.pieces, self._subject(name), 0, steps):
            yield self._named(texts)

    def _captured(self, match: re.Match[str]) -> dict[str, str]:
        return self._named(match.groups())

    def _named(self, texts: Sequence[str]) -> dict[str, str]:
        return {field: text.strip() for field, text in zip(self.captures, texts, strict=True)}

    def _subject(self, name: str) -> str:
        if self.kind in (PatternKind.STAMP, PatternKind.CAPTION):
            # Gaps count as one space, as people cannot see how many there are.
            return " ".join(unicodedata.normalize("NFKC", name).split())
        # Composed letters, as file systems store accents in two ways.
        name = unicodedata.normalize("NFC", name).strip()
        if self.kind is PatternKind.FILE and "/" not in self.text:
            return name.rpartition("/")[2]
        return name


@lru_cache(maxsize=4096)
def pattern(text: str, kind: PatternKind) -> Pattern:
    """Compile a pattern.

    Raises PatternError for a lone brace, a capture without or with twice the same field name, two
    captures side by side (their boundary would be undefined), or a capture on a cell.
    """
    if not text.strip():
        raise PatternError("a pattern cannot be empty")
    parts = _TOKEN.split(unicodedata.normalize("NFC", text).strip())
    captures: list[str] = []
    pieces: list[_Piece] = []
    for place, part in enumerate(parts):
        if place % 2 == 0:
            pieces.append(_Piece(_literal(text, part, kind)))
        elif part == _STAR:
            pieces.append(_Piece("*"))
        elif part.startswith("{"):
            captures.append(_capture(text, part, kind, captures))
            pieces.append(_Piece("", "([^/]+?)" if kind is PatternKind.FILE else "(.+?)"))
        else:
            narrow = kind is PatternKind.FILE and part == "*"
            pieces.append(_Piece("", "[^/]*?" if narrow else ".*?"))
    _check_neighbours(text, parts)
    # Where `**` may cross a slash, taking the first match could miss the only one that fits.
    at_once = kind is not PatternKind.FILE or "**" not in parts
    existing_pattern = _compiled(pieces, at_once=at_once)
    back = _compiled([piece.reversed() for piece in reversed(pieces)], at_once=at_once)
    return Pattern(text, kind, tuple(captures), existing_pattern, back, tuple(pieces))


_MOST_STEPS = 2_000
"""At most this many positions of a name are tried: the longest names have 255 characters."""


def _ways(
    pieces: Sequence[_Piece], name: str, start: int, steps: Iterator[int]
) -> Iterator[tuple[str, ...]]:
    """The texts that the captures among some pieces take from a name between `start` and its
    end."""
    if not pieces:
        if start == len(name):
            yield ()
        return
    piece, rest = pieces[0], pieces[1:]
    if not piece.wild:
        end = start + len(piece.literal)
        if name[start:end].casefold() == piece.literal.casefold():
            yield from _ways(rest, name, end, steps)
        return
    for end in range(start + piece.is_capture, len(name) + 1):
        text = name[start:end]
        if (piece.is_narrow and "/" in text) or next(steps, None) is None:
            return
        for texts in _ways(rest, name, end, steps):
            yield (text, *texts) if piece.is_capture else texts


@dataclass(frozen=True)
class _Piece:
    """A part of a pattern: literal text, or a wildcard."""

    literal: str
    wild: str = ""

    @property
    def is_capture(self) -> bool:
        """Whether its text is kept."""
        return self.wild.startswith("(")

    @property
    def is_narrow(self) -> bool:
        """Whether it ends at a '/'."""
        return "[^/]" in self.wild

    def reversed(self) -> _Piece:
        """The same, read from right to left."""
        return _Piece(self.literal[::-1], self.wild)


def _compiled(pieces: Sequence[_Piece], *, at_once: bool) -> re.Pattern[str]:
    """The regular expression of the pieces.

    A wildcard and the literal text after it are atomic: once they match, nothing else is tried for
    them. That could miss a match only where `**` may cross what others may not.
    """
    groups: list[list[str]] = [[]]
    for piece in pieces:
        if piece.wild:
            groups.append([piece.wild])
        elif piece.literal:
            groups[-1].append(re.escape(piece.literal))
    texts = ["".join(group) for group in groups]
    if at_once:
        texts[1:-1] = [f"(?>{text})" for text in texts[1:-1]]
    return re.compile("".join(texts), re.IGNORECASE | re.DOTALL)


def _check_neighbours(text: str, parts: list[str]) -> None:
    """Refuse neighbours without a defined boundary."""
    for one, other_text in pairwise(part for part in parts if part):
        if {one[0], other_text[0]} <= {"{", "*"} and "{" in (one[0], other_text[0]):
            raise PatternError(f"“{text}”: put some text between {one} and {other_text}")


def _literal(text: str, part: str, kind: PatternKind) -> str:
    if "{" in part or "}" in part:
        raise PatternError(f"“{text}” has a brace without its partner")
    if kind is PatternKind.CELL:
        part = fold(part)
    if kind in (PatternKind.STAMP, PatternKind.CAPTION):
        part = " ".join(unicodedata.normalize("NFKC", f".{part}.").split())[1:-1]
    return part


def _capture(text: str, part: str, kind: PatternKind, before: list[str]) -> str:
    field = part[1:-1].strip()
    if kind is PatternKind.CELL:
        raise PatternError(f"“{text}”: {part} cannot be kept here; write * instead")
    if kind is PatternKind.STAMP:
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
    result = matching(patterns, name)
    return None if result is None else result.match(name)


def matching(patterns: tuple[Pattern, ...], name: str) -> Pattern | None:
    """The first pattern that matches the name."""
    return next((one for one in patterns if one.match(name) is not None), None)
