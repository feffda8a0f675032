"""The sources of a stamp, and the result of the search."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from boreotabula.findings.finding import Finding, Spot
from boreotabula.layout.addresses import Address
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True)
class NamedValue:
    """What a defined name of the workbook refers to; `tab` is where its cell is."""

    tab: str
    row: int
    column: int
    cell: Cell


@dataclass(frozen=True)
class Surroundings:
    """What is known of a tab besides its cells."""

    captured: Mapping[str, str] = field(default_factory=dict)
    """Stamps from the names of file and tab, by field."""
    texts: Mapping[str, str] = field(default_factory=dict)
    """'file name', 'folder name' and 'tab name'."""
    names: Mapping[str, NamedValue] = field(default_factory=dict)
    """The defined names that stamps use, in small letters."""
    tabs: Mapping[str, Sheet] = field(default_factory=dict)
    """The other tabs of the file that stamps are looked for on."""
    from_tab: Collection[str] = ()
    """The captured stamps that are from the name of the tab."""


@dataclass(frozen=True)
class StampSource:
    """Where a stamp's text was found: its cell, if it has one, its label, and the text itself."""

    cell: Cell
    spot: Spot | None = None
    label: Spot | None = None
    where: str = ""
    """Its address, or its source in words, for messages."""

    @property
    def at(self) -> Address | None:
        """Its cell; None if it is from no cell of this tab."""
        return Address(*self.spot) if self.spot else None


class SearchResult(NamedTuple):
    """The result of looking for a stamp."""

    source: StampSource | None
    told: Sequence[Finding] = ()
    """Why it has no value."""
    spots: Sequence[Spot] = ()
    """Cells that could be its value, none of which was taken."""
