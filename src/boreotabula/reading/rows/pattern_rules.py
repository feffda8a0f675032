"""Patterns of a layout, tried on the texts of rows."""

from __future__ import annotations

from collections.abc import Sequence

from boreotabula.layout.patterns import Pattern
from boreotabula.sheets.sheet import Cell


def matches_any(cell: Cell, patterns: Sequence[Pattern]) -> bool:
    """Whether a cell holds a text that matches one of these patterns."""
    return isinstance(cell, str) and any(pattern.match(cell) is not None for pattern in patterns)


class PatternRules:
    """Patterns of a layout that are tried on many texts, most of which repeat."""

    def __init__(self, patterns: Sequence[Pattern]) -> None:
        self._patterns = patterns
        self._known: dict[str, int] = {}
        """The index of the first pattern that a text matches; the number of patterns if none does.
        """

    def first_for(self, texts: Sequence[str]) -> Pattern | None:
        """The first pattern that any of these texts matches."""
        index = min(map(self._number, texts), default=len(self._patterns))
        return self._patterns[index] if index < len(self._patterns) else None

    def _number(self, text: str) -> int:
        count = self._known.get(text)
        if count is None:
            every = enumerate(self._patterns)
            fitting = (index for index, pattern in every if pattern.match(text) is not None)
            count = self._known[text] = next(fitting, len(self._patterns))
        return count
