"""Findings: what a person should look at, with its address; and the cells without a role."""

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
    """A text of a finding with each long quoted passage shortened, but never the text as a
    whole."""
    text = _QUOTED.sub(lambda match: f"“{match[1][: _READABLE - 40]}…”", text)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


@dataclass(frozen=True)
class Finding:
    """A thing to look at, with its place `at`: of several cells the first."""

    kind: FindingKind
    message: str
    advice: str
    at: Address | None = None
    looked_for: str = ""
    found: str = ""
    tab: str = ""
    file: str = ""
    field: str = ""
    """The field whose value or source it is about, if there is one."""
    cause: str = ""
    """The shared cause of findings of several tabs that are reported once for a run."""
    accepted: str = ""
    """Who has accepted it, and why; empty if nobody has."""

    def __post_init__(self) -> None:
        """Truncate quoted cell text to a readable length; unplaced.csv has it whole."""
        for name in ("message", "advice", "looked_for", "found"):
            text = getattr(self, name)
            if len(text) > _READABLE:
                object.__setattr__(self, name, readable(text))

    @property
    def code(self) -> str:
        """The code that names its kind to people and machines."""
        return self.kind.code

    @property
    def severity(self) -> Severity:
        """The severity of its kind."""
        return self.kind.severity

    @property
    def cell(self) -> str:
        """The place in words, such as 'C7'; empty if it is no cell."""
        return "" if self.at is None else str(self.at)


def on_other_tab(finding: Finding, tab: str) -> Finding:
    """The finding for another tab than the one that is read: it has no cell here."""
    return replace(finding, message=f"on the tab “{tab}” {finding.message}", at=None)


def met_again(finding: Finding, tabs: int) -> Finding:
    """The finding, standing for the same on this many further tabs."""
    extra = f" (the same on {tabs:,} more tab{'s' if tabs > 1 else ''})" if tabs else ""
    return replace(finding, message=finding.message + extra)


Spot = tuple[int, int]
"""Row and column of a cell, counted from 0."""


@dataclass(frozen=True)
class ScopedFinding:
    """A finding with the cells that it covers, should they end up unplaced.

    The cells are those where `rows` and `columns` meet, and the single `spots`. A scoped finding
    that `lapses` is dropped if none of its cells is unplaced in the end: another block read them.
    """

    finding: Finding
    rows: Sequence[int] | slice = ()
    columns: Sequence[int] | slice = ()
    spots: Sequence[Spot] = ()
    lapses: bool = False
    cells: tuple[NDArray[np.intp], NDArray[np.intp]] | None = None
    """Or many cells at once: their rows and their columns."""


WHOLE = slice(None)
"""All rows or all columns of a sheet."""


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Most severe first, otherwise in the order in which the files were read."""
    ranks = {severity: rank for rank, severity in enumerate(Severity)}
    return sorted(findings, key=lambda finding: ranks[finding.severity])


class Unplaced(NamedTuple):
    """A filled cell that is in no record: its address, its text, and why."""

    cell: str
    text: str
    reason: str
    finding: str = ""
    """The code of the finding that covers it."""
    tab: str = ""
    file: str = ""
