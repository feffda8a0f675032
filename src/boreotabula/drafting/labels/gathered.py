"""The stamps of a kind while they are collected, and the type of their values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from boreotabula.drafting.labels.pairs import inside
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of
from boreotabula.look.texts.types import type_of
from boreotabula.sheets.sheet import Cell

FEW = 2
FEWEST_TABS = 2


@dataclass
class Stamps:
    """The stamps of a layout found so far, and their values on each tab."""

    told: list[set[str]]
    """The values of the stamps of each tab, as `plain` texts."""
    sources: dict[str, Any] = field(default_factory=dict)
    fields: dict[str, str] = field(default_factory=dict)
    boilerplate: list[str] = field(default_factory=list)
    moments: list[str] = field(default_factory=list)
    """Texts of months and dates, as written."""
    endings: list[str] = field(default_factory=list)
    """Labels below the last of several tables: they do not belong to a table that stands above
    another."""

    def add(self, name: str, source: Any, kind: str) -> None:
        """Add a stamp."""
        self.sources[name] = source
        self.fields[name] = kind


def outside(example: Example) -> list[tuple[int, int, str]]:
    shapes = (*example.shapes, *example.further)
    return [text for text in example.sheet.texts() if not inside(shapes, text[0], text[1])]


def stamp_type(values: Sequence[Cell]) -> str:
    """The type of a stamp: months and dates in words are read by the languages of the layout."""
    text = type_of_values(values)
    return text if text in ("month", "date") else type_of(values)


def type_of_values(values: Sequence[Cell]) -> str:
    """The type of some values; a period in words is a period, whatever its language."""
    texts = [value for value in values if isinstance(value, str)]
    kinds = {period.kind if (period := period_of(text)) else "" for text in texts}
    return (
        kinds.pop()
        if len(kinds) == 1 and len(texts) == len(values) and "" not in kinds
        else (type_of(values))
    )
