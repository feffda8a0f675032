"""Findings: what a person should look at, with its address; and the cells nobody spoke for."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.addresses import Address


class Severity(StrEnum):
    """How much a finding matters: see `Code` for which code has which."""

    ERROR = "error"
    """Records are wrong, missing or doubtful."""
    WARNING = "warning"
    """Something a person should glance at."""
    NOTE = "note"
    """All else."""


class Code(StrEnum):
    """What a finding is about, with its severity: the code by which people and machines know it."""

    severity: Severity

    def __new__(cls, text: str, severity: Severity = Severity.NOTE) -> Code:
        one = str.__new__(cls, text)
        one._value_ = text
        one.severity = severity
        return one

    FILE_UNREADABLE = "file-unreadable", Severity.ERROR
    FILE_NOT_FETCHED = "file-not-fetched", Severity.ERROR
    FILE_OVER_BUDGET = "file-over-budget", Severity.ERROR
    FILE_FAULT = "file-fault", Severity.ERROR
    FOLDER_UNREADABLE = "folder-unreadable", Severity.ERROR
    FOLDER_LINKED = "folder-linked", Severity.WARNING
    FILE_NOT_REGULAR = "file-not-regular", Severity.WARNING
    OUTPUT_DOUBTFUL = "output-doubtful", Severity.ERROR
    FILE_NOT_CHOSEN = "file-not-chosen", Severity.NOTE
    FILE_TWICE = "file-twice", Severity.ERROR
    TAB_TWICE = "tab-twice", Severity.ERROR
    KEY_TWICE = "key-twice", Severity.ERROR
    SENT_TWICE = "sent-twice", Severity.WARNING
    VALUE_RESTATED = "value-restated", Severity.WARNING
    VALUES_REPEATED = "values-repeated", Severity.WARNING
    TAB_MISSING = "tab-missing", Severity.NOTE
    STAMP_MOVED = "stamp-moved", Severity.WARNING
    STAMP_SOURCE_UNUSUAL = "stamp-source-unusual", Severity.WARNING
    STAMP_LABEL_UNUSUAL = "stamp-label-unusual", Severity.WARNING
    RECORDS_FEW = "records-few", Severity.NOTE
    FIELD_EMPTY_HERE = "field-empty-here", Severity.NOTE
    VALUE_FAR = "value-far", Severity.NOTE
    NAME_UNMATCHED = "name-unmatched", Severity.ERROR
    TABS_ALIKE = "tabs-alike", Severity.WARNING
    NO_FILE_MATCHES = "no-file-matches", Severity.ERROR
    NO_TAB_MATCHES = "no-tab-matches", Severity.ERROR
    TAB_PATTERN_UNUSED = "tab-pattern-unused", Severity.WARNING
    SEVERAL_TABS = "several-tabs", Severity.ERROR
    WORKBOOK_BLANK = "workbook-blank", Severity.ERROR
    TAB_UNREADABLE = "tab-unreadable", Severity.ERROR
    TAB_BLANK = "tab-blank", Severity.NOTE
    READ_AS = "read-as", Severity.NOTE
    TAB_HIDDEN = "tab-hidden", Severity.NOTE
    ROWS_HIDDEN = "rows-hidden", Severity.NOTE
    COLUMNS_HIDDEN = "columns-hidden", Severity.NOTE
    TAB_NOT_CHOSEN = "tab-not-chosen", Severity.WARNING
    NAME_AMBIGUOUS = "name-ambiguous", Severity.WARNING
    QUOTE_OPEN = "quote-open", Severity.ERROR
    EDITION_UNKNOWN = "edition-unknown", Severity.ERROR
    STAMP_BLANK = "stamp-blank", Severity.ERROR
    STAMP_NOT_FOUND = "stamp-not-found", Severity.ERROR
    STAMP_FOUND_TWICE = "stamp-found-twice", Severity.ERROR
    STAMP_LABEL_DIFFERS = "stamp-label-differs", Severity.ERROR
    STAMP_PATTERN_DIFFERS = "stamp-pattern-differs", Severity.ERROR
    STAMP_DEFAULT = "stamp-default", Severity.NOTE
    STAMP_NOT_CONVERTED = "stamp-not-converted", Severity.ERROR
    BLOCK_NOT_FOUND = "block-not-found", Severity.ERROR
    BLOCK_FOUND_TWICE = "block-found-twice", Severity.ERROR
    BLOCKS_OVERLAP = "blocks-overlap", Severity.ERROR
    STUB_HEADING_MISSING = "stub-heading-missing", Severity.ERROR
    HEADING_ROWS_DOUBTFUL = "heading-rows-doubtful", Severity.ERROR
    HEADING_UNKNOWN = "heading-unknown", Severity.ERROR
    HEADING_CONTRADICTS = "heading-contradicts", Severity.ERROR
    COLUMN_LACKING = "column-lacking", Severity.ERROR
    COLUMNS_DIFFER = "columns-differ", Severity.WARNING
    HEADING_TWICE = "heading-twice", Severity.ERROR
    HEADING_TAKEN = "heading-taken", Severity.ERROR
    HEADING_NOT_CONVERTED = "heading-not-converted", Severity.ERROR
    HEADING_LEVEL_BLANK = "heading-level-blank", Severity.ERROR
    HEADINGS_REPEATED = "headings-repeated", Severity.ERROR
    HEADING_RARE = "heading-rare", Severity.NOTE
    HEADING_ROW_MET = "heading-row-met", Severity.WARNING
    HEADING_NEAR = "heading-near", Severity.WARNING
    FIELD_MISSING = "field-missing", Severity.NOTE
    REQUIRED_FIELD_MISSING = "required-field-missing", Severity.ERROR
    COLUMNS_NUMBERED = "columns-numbered", Severity.ERROR
    GROUP_MISSING = "group-missing", Severity.ERROR
    GROUP_DOUBTFUL = "group-doubtful", Severity.ERROR
    VALUES_WITHOUT_HEADING = "values-without-heading", Severity.ERROR
    HEADING_BEYOND_GAP = "heading-beyond-gap", Severity.ERROR
    CELLS_UNPLACED = "cells-unplaced", Severity.ERROR
    RULE_TAKES_ALL = "rule-takes-all", Severity.ERROR
    ROW_WITHOUT_VALUE = "row-without-value", Severity.NOTE
    ROW_UNCLEAR = "row-unclear", Severity.WARNING
    ROW_WITHOUT_STUB = "row-without-stub", Severity.ERROR
    ROW_BELOW_TABLE = "row-below-table", Severity.ERROR
    ROW_NEARLY_BLANK = "row-nearly-blank", Severity.WARNING
    RECORDS_BELOW_END = "records-below-end", Severity.ERROR
    TABLE_WITHOUT_RECORDS = "table-without-records", Severity.WARNING
    REQUIRED_VALUE_BLANK = "required-value-blank", Severity.ERROR
    STUB_CELL_BLANK = "stub-cell-blank", Severity.NOTE
    VALUE_NOT_CONVERTED = "value-not-converted", Severity.ERROR
    COLUMN_NOT_CONVERTED = "column-not-converted", Severity.ERROR
    LOOKS_LIKE_TOTAL = "looks-like-total", Severity.ERROR
    TOTAL_LIKELY = "total-likely", Severity.WARNING
    TOTAL_DIFFERS = "total-differs", Severity.ERROR
    TOTAL_WITHOUT_NUMBER = "total-without-number", Severity.NOTE
    VALUE_OUTSIDE = "value-outside", Severity.ERROR
    VALUES_ROUNDED = "values-rounded", Severity.NOTE
    READING_DOUBTFUL = "reading-doubtful", Severity.ERROR
    READ_BY_EVIDENCE = "read-by-evidence", Severity.WARNING
    MONTH_WITHOUT_YEAR = "month-without-year", Severity.ERROR
    GLOSSARY_ENTRY_TWICE = "glossary-entry-twice", Severity.NOTE
    NUMBERS_UNPLACED = "numbers-unplaced", Severity.WARNING
    TEXTS_UNPLACED = "texts-unplaced", Severity.NOTE
    TEXTS_REPEATED = "texts-repeated", Severity.NOTE
    ROWS_KEPT = "rows-kept", Severity.NOTE
    REMARK_GONE = "remark-gone", Severity.WARNING
    CHANGED_BY_HAND = "changed-by-hand", Severity.WARNING


_READABLE = 160
_LONGEST = 1200
_QUOTED = re.compile(f"“([^“”]{{{_READABLE},}})”")


def readable(text: str) -> str:
    """A text of a finding in which no quoted passage, and not the whole, is too long to be read."""
    text = _QUOTED.sub(lambda found: f"“{found[1][: _READABLE - 40]}…”", text)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


@dataclass(frozen=True)
class Finding:
    """One thing to look at, with the place `at` which it is: of several cells the first."""

    code: Code
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

    def __post_init__(self) -> None:
        """Cut what is quoted of cells to a readable length; unplaced.csv has them whole."""
        for name in ("message", "advice", "looked_for", "found"):
            text = getattr(self, name)
            if len(text) > _READABLE:
                object.__setattr__(self, name, readable(text))

    @property
    def severity(self) -> Severity:
        """The severity of the finding's code."""
        return self.code.severity

    @property
    def cell(self) -> str:
        """The place as a person calls it, such as 'C7'; nothing if it is no cell."""
        return "" if self.at is None else str(self.at)


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
