"""Findings: what a person should look at, with its address; and the cells nobody spoke for."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Severity(StrEnum):
    """How much a finding matters: see `CODES` for which code has which."""

    ERROR = "error"
    """Records are wrong, missing or doubtful."""
    WARNING = "warning"
    """Something a person should glance at."""
    NOTE = "note"
    """All else."""


CODES: dict[str, Severity] = {
    "file-unreadable": Severity.ERROR,
    "file-over-budget": Severity.ERROR,
    "file-fault": Severity.ERROR,
    "folder-unreadable": Severity.ERROR,
    "folder-linked": Severity.WARNING,
    "file-not-regular": Severity.WARNING,
    "output-doubtful": Severity.ERROR,
    "file-not-chosen": Severity.NOTE,
    "file-twice": Severity.ERROR,
    "tab-twice": Severity.ERROR,
    "key-twice": Severity.ERROR,
    "sent-twice": Severity.WARNING,
    "values-repeated": Severity.WARNING,
    "tab-missing": Severity.NOTE,
    "stamp-moved": Severity.WARNING,
    "stamp-label-unusual": Severity.WARNING,
    "records-few": Severity.NOTE,
    "field-empty-here": Severity.NOTE,
    "value-far": Severity.NOTE,
    "name-unmatched": Severity.ERROR,
    "tabs-alike": Severity.WARNING,
    "no-file-matches": Severity.ERROR,
    "no-tab-matches": Severity.ERROR,
    "tab-pattern-unused": Severity.WARNING,
    "several-tabs": Severity.ERROR,
    "workbook-blank": Severity.ERROR,
    "tab-unreadable": Severity.ERROR,
    "tab-blank": Severity.NOTE,
    "read-as": Severity.NOTE,
    "tab-hidden": Severity.NOTE,
    "rows-hidden": Severity.NOTE,
    "columns-hidden": Severity.NOTE,
    "tab-not-chosen": Severity.WARNING,
    "name-ambiguous": Severity.WARNING,
    "quote-open": Severity.ERROR,
    "edition-unknown": Severity.ERROR,
    "stamp-blank": Severity.ERROR,
    "stamp-not-found": Severity.ERROR,
    "stamp-found-twice": Severity.ERROR,
    "stamp-label-differs": Severity.ERROR,
    "stamp-pattern-differs": Severity.ERROR,
    "stamp-default": Severity.NOTE,
    "stamp-not-converted": Severity.ERROR,
    "block-not-found": Severity.ERROR,
    "block-found-twice": Severity.ERROR,
    "blocks-overlap": Severity.ERROR,
    "stub-heading-missing": Severity.ERROR,
    "heading-rows-doubtful": Severity.ERROR,
    "heading-unknown": Severity.ERROR,
    "heading-contradicts": Severity.ERROR,
    "column-lacking": Severity.ERROR,
    "columns-differ": Severity.WARNING,
    "heading-twice": Severity.ERROR,
    "heading-taken": Severity.ERROR,
    "heading-not-converted": Severity.ERROR,
    "heading-level-blank": Severity.ERROR,
    "headings-repeated": Severity.ERROR,
    "heading-rare": Severity.NOTE,
    "field-missing": Severity.NOTE,
    "required-field-missing": Severity.ERROR,
    "columns-numbered": Severity.ERROR,
    "group-missing": Severity.ERROR,
    "group-doubtful": Severity.ERROR,
    "values-without-heading": Severity.ERROR,
    "heading-beyond-gap": Severity.ERROR,
    "cells-unplaced": Severity.ERROR,
    "rule-takes-all": Severity.ERROR,
    "row-without-value": Severity.NOTE,
    "row-unclear": Severity.WARNING,
    "row-without-stub": Severity.ERROR,
    "row-below-table": Severity.ERROR,
    "row-nearly-blank": Severity.WARNING,
    "records-below-end": Severity.ERROR,
    "table-without-records": Severity.WARNING,
    "required-value-blank": Severity.ERROR,
    "stub-cell-blank": Severity.NOTE,
    "value-not-converted": Severity.ERROR,
    "column-not-converted": Severity.ERROR,
    "looks-like-total": Severity.ERROR,
    "total-likely": Severity.WARNING,
    "total-differs": Severity.ERROR,
    "total-without-number": Severity.NOTE,
    "value-outside": Severity.ERROR,
    "values-rounded": Severity.NOTE,
    "reading-doubtful": Severity.ERROR,
    "read-by-evidence": Severity.WARNING,
    "month-without-year": Severity.ERROR,
    "glossary-entry-twice": Severity.NOTE,
    "numbers-unplaced": Severity.WARNING,
    "texts-unplaced": Severity.NOTE,
    "texts-repeated": Severity.NOTE,
    "rows-kept": Severity.NOTE,
}
"""Every code a finding can have."""


_READABLE = 160
_LONGEST = 1200
_QUOTED = re.compile(f"“([^“”]{{{_READABLE},}})”")


def readable(text: str) -> str:
    """A text of a finding in which no quoted passage, and not the whole, is too long to be read."""
    text = _QUOTED.sub(lambda found: f"“{found[1][: _READABLE - 40]}…”", text)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


@dataclass(frozen=True)
class Finding:
    """One thing to look at. `cell` is an address such as 'C7' (of the first cell, if several)."""

    code: str
    message: str
    advice: str
    cell: str = ""
    looked_for: str = ""
    found: str = ""
    tab: str = ""
    file: str = ""
    cause: str = ""
    """What findings of several tabs have in common that are told once for a run."""

    def __post_init__(self) -> None:
        """Cut what is quoted of cells to a readable length; unplaced.csv has them whole."""
        for name in ("message", "advice", "looked_for", "found"):
            text = getattr(self, name)
            if len(text) > _READABLE:
                object.__setattr__(self, name, readable(text))

    @property
    def severity(self) -> Severity:
        """The severity of the finding's code."""
        return CODES[self.code]


Spot = tuple[int, int]
"""Row and column of a cell, counted from 0."""


@dataclass(frozen=True)
class Telling:
    """A finding with the cells that it speaks for, should they end up unplaced.

    The cells are those where `rows` and `columns` meet, and the single `spots`. A telling that
    `lapses` is dropped if none of its cells is unplaced in the end: another block read them.
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
    return sorted(findings, key=lambda one: list(Severity).index(one.severity))


class Unplaced(NamedTuple):
    """A filled cell that is in no record: its address, its text, and why."""

    cell: str
    text: str
    reason: str
    finding: str = ""
    """The code of the finding that speaks of it."""
    tab: str = ""
    file: str = ""
