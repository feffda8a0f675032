"""Findings: what a person should look at, with its address; and the cells nobody spoke for."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.kind import FindingKind, Severity
from boreotabula.layout.addresses import Address

_READABLE = 160
_LONGEST = 1200
_QUOTED = re.compile(f"“([^“”]{{{_READABLE},}})”")


def readable(text: str) -> str:
    """A text of a finding in which no quoted passage, and not the whole, is too long to be read."""
    text = _QUOTED.sub(lambda match: f"“{match[1][: _READABLE - 40]}…”", text)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


@dataclass(frozen=True)
class Finding:
    """One thing to look at, with the place `at` which it is: of several cells the first."""

    kind: FindingKind
    message: str
    advice: str
    at: Address | None = None
    looked_for: str = ""
    found: str = ""
    tab: str = ""
    file: str = ""
    field: str = ""
    """The field whose value or source it is about, if that is what matters."""
    cause: str = ""
    """What findings of several tabs have in common that are told once for a run."""
    accepted: str = ""
    """Who has accepted it, and why; nothing if nobody has."""

    def __post_init__(self) -> None:
        """Cut what is quoted of cells to a readable length; unplaced.csv has them whole."""
        for name in ("message", "advice", "looked_for", "found"):
            text = getattr(self, name)
            if len(text) > _READABLE:
                object.__setattr__(self, name, readable(text))

    @property
    def code(self) -> str:
        """The code by which people and machines know its kind."""
        return self.kind.code

    @property
    def severity(self) -> Severity:
        """The severity of its kind."""
        return self.kind.severity

    @property
    def cell(self) -> str:
        """The place as a person calls it, such as 'C7'; nothing if it is no cell."""
        return "" if self.at is None else str(self.at)


def on_other_tab(finding: Finding, tab: str) -> Finding:
    """A finding about another tab than the one that is read: it has no cell here."""
    return replace(finding, message=f"on the tab “{tab}” {finding.message}", at=None)


def met_again(finding: Finding, tabs: int) -> Finding:
    """A finding that stands for the same on so many more tabs."""
    extra = f" (the same on {tabs:,} more tab{'s' if tabs > 1 else ''})" if tabs else ""
    return replace(finding, message=finding.message + extra)


Spot = tuple[int, int]
"""Row and column of a cell, counted from 0."""


@dataclass(frozen=True)
class ScopedFinding:
    """A finding with the cells that it speaks for, should they end up unplaced.

    The cells are those where `rows` and `columns` meet, and the single `spots`. A scoped finding
    that `lapses` is dropped if none of its cells is unplaced in the end: another block read them.
    """

    finding: Finding
    rows: Sequence[int] | slice = ()
    columns: Sequence[int] | slice = ()
    spots: Sequence[Spot] = ()
    lapses: bool = False
    cells: tuple[NDArray[np.intp], NDArray[np.intp]] | None = None
    """Or many of them at once: their rows and their columns."""


WHOLE = slice(None)
"""All rows or all columns of a sheet."""


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Worst first, else in the order in which the files were read."""
    ranks = {severity: rank for rank, severity in enumerate(Severity)}
    return sorted(findings, key=lambda finding: ranks[finding.severity])


class Unplaced(NamedTuple):
    """A filled cell that is in no record: its address, its text, and why."""

    cell: str
    text: str
    reason: str
    finding: str = ""
    """The code of the finding that speaks of it."""
    tab: str = ""
    file: str = ""
