"""Headings of cross-tabs that few of the tabs have."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from boreotabula.reading.findings import Code, Finding
from boreotabula.runs.file.read import FileReading

_FEW = 20
"""A heading is rare if it stands on at most one in so many tabs, or on one tab alone."""
_FEWEST_TABS = 6
_MOST_TOLD = 5


@dataclass
class _Met:
    """Where a heading was met first, and on how many tabs."""

    file: str
    tab: str
    cell: str
    tabs: int = 0


@dataclass
class HeadingCount:
    """On how many tabs each heading of a cross-tab stands."""

    tabs: int = 0
    met: dict[str, _Met] = field(default_factory=dict)

    def take(self, reading: FileReading) -> None:
        """Count the headings of a file."""
        for tab in reading.tabs:
            self.tabs += bool(tab.heads)
            for head, cell in tab.heads.items():
                known = self.met.get(head)
                if known is None:
                    known = self.met[head] = _Met(reading.name, tab.name, cell)
                known.tabs += 1

    def findings(self) -> Iterator[Finding]:
        """Headings that few tabs have: a stray numeric column would be read as one.

        Where many headings are rare, as months are that come and go, none stands out.
        """
        most = max(self.tabs // _FEW, 1)
        few = [(head, met) for head, met in self.met.items() if met.tabs <= most]
        if self.tabs < _FEWEST_TABS or len(few) > max(len(self.met) // 4, 1):
            return
        for head, met in few[:_MOST_TOLD]:
            yield Finding(
                Code.HEADING_RARE,
                f"the heading “{head}” stands on {met.tabs} of {self.tabs} tabs; its column was"
                " read as values like the others",
                "Look whether it is a column of the table; if not, list it in `ignore`.",
                cell=met.cell,
                looked_for="headings that other tabs have too",
                found=head,
                tab=met.tab,
                file=met.file,
            )
