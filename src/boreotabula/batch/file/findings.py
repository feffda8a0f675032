"""Findings about a file and the choice of its tabs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.files import (
    BESIDE_POSITION,
    NAME_AMBIGUOUS,
    NO_TAB_MATCHES,
    QUOTE_OPEN,
    QUOTE_OVER_LINES,
    SEVERAL_TABS,
    TABS_ALIKE,
    WORKBOOK_BLANK,
)
from boreotabula.findings.subjects.tables import TABS_ALL_LEFT_OUT
from boreotabula.findings.wording import captures
from boreotabula.layout.problems import nearest
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.text import OpenQuote


def captured_twice(first: str, second: str, captured: Mapping[str, str]) -> Finding:
    return TABS_ALIKE(first=first, second=second, captured=captures(captured))


def name_ambiguous(
    pattern: str, name: str, captured: Mapping[str, str], texts: Mapping[str, str], number: int
) -> Finding:
    """A finding: a name of a file or tab matches a pattern in two ways; and the number of further
    such names."""
    used, instead = captures(captured), captures(texts)
    return NAME_AMBIGUOUS(name=name, pattern=pattern, used=used, other=instead, more=number - 1)


def open_quote(quote: OpenQuote) -> Finding:
    if quote.closed:
        return QUOTE_OVER_LINES(line=quote.line, text=quote.text, last=quote.last)
    return QUOTE_OPEN(line=quote.line, text=quote.text)


def beside_position(choice: str, alike: Sequence[str]) -> Finding:
    """A finding: tabs that look like the form in a file of which one is read by position."""
    return BESIDE_POSITION(choice=choice, tabs=list(alike))


def all_left_out(book: Workbook) -> Finding:
    return TABS_ALL_LEFT_OUT(tabs=[tab.name for tab in book.tabs])


def no_tab(wanted: Sequence[str], book: Workbook) -> Finding:
    names = [tab.name for tab in book.tabs]
    return NO_TAB_MATCHES(
        patterns=list(wanted),
        tabs=", ".join(names) or "no tab at all",
        nearest=nearest(wanted[0], names),
    )


def not_one_tab(filled: list[str]) -> Finding:
    if not filled:
        return WORKBOOK_BLANK()
    return SEVERAL_TABS(number=len(filled), tabs=filled)
