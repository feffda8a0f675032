"""What the patterns of a layout capture from the names of files and tabs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from boreotabula.layout.patterns import Pattern, matching
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.convert import convert_kept


@dataclass(frozen=True)
class Capture:
    """The texts that a pattern captures from a name, by field."""

    pattern: Pattern
    texts: dict[str, str]
    other: dict[str, str] | None = None
    """What it could capture as well, if nothing shows which of the two is meant."""


def capture(patterns: tuple[Pattern, ...], name: str, plan: Plan) -> Capture | None:
    """What the first matching pattern captures from a name; None if none matches.

    A name may match in several ways: of “Hill Road 2026-03”, `{site} {month}` could capture “Hill”
    or “Hill Road”. The first match in which all fields can be read is taken, each part but the last
    as short as possible. It is certain if there is no other such match.
    """
    pattern = matching(patterns, name)
    texts = pattern.match(name) if pattern else None
    if pattern is None or texts is None:
        return None
    other = pattern.other_match(name)
    if other is None:
        return Capture(pattern, texts)
    readable = (way for way in pattern.ways(name) if _are_readable(way, plan))
    first = next(readable, None)
    if first is None:
        return Capture(pattern, texts, other)
    return Capture(pattern, first, next((way for way in readable if way != first), None))


def _are_readable(texts: Mapping[str, str], plan: Plan) -> bool:
    """Whether each text can be read as its field requires."""
    return not any(convert_kept((text,), plan.form(name)).failures for name, text in texts.items())
