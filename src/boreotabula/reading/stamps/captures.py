"""What the patterns of a layout keep of the names of files and tabs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from boreotabula.layout.patterns import Pattern, matching
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.convert import convert_kept


@dataclass(frozen=True)
class Capture:
    """The texts that a pattern keeps of a name, by field."""

    pattern: Pattern
    texts: dict[str, str]
    other: dict[str, str] | None = None
    """What it could keep as well, if nothing shows which of the two is meant."""


def capture(patterns: tuple[Pattern, ...], name: str, plan: Plan) -> Capture | None:
    """What the first pattern that fits a name keeps of it; None if none fits.

    A name may fit in two ways: of “Hill Road 2026-03”, `{site} {month}` could keep “Hill” or “Hill
    Road”. If all fields can be read in only one of them, that one is meant; else the first one is
    taken, where each part but the last is as short as it can be.
    """
    pattern = matching(patterns, name)
    texts = pattern.match(name) if pattern else None
    if pattern is None or texts is None:
        return None
    other = pattern.other_match(name)
    if other is None or _are_readable(texts, plan) == _are_readable(other, plan):
        return Capture(pattern, texts, other)
    return Capture(pattern, texts if _are_readable(texts, plan) else other)


def _are_readable(texts: Mapping[str, str], plan: Plan) -> bool:
    """Whether each text can be read as its field says."""
    return not any(convert_kept((text,), plan.form(name)).failures for name, text in texts.items())
