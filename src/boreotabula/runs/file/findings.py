"""What is to be said of a file and of the choice of its tabs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from boreotabula.layout.problems import nearest
from boreotabula.reading.findings import Code, Finding
from boreotabula.runs.inputs import SourceFile
from boreotabula.texts import counted
from boreotabula.workbooks.opening import Workbook
from boreotabula.workbooks.text import OpenQuote


def captured_twice(first: str, second: str, captured: Mapping[str, str]) -> Finding:
    said = ", ".join(f"{field} = {text}" for field, text in captured.items())
    return Finding(
        Code.TABS_ALIKE,
        f"this tab and “{first}” both mean {said}; both were read",
        "Check whether one of them is a copy; if so, delete it or leave it out with [tabs] except.",
        looked_for=f"one tab for {said}",
        found=f"{first} and {second}",
    )


def name_ambiguous(
    pattern: str, name: str, captured: Mapping[str, str], other: Mapping[str, str], number: int
) -> Finding:
    """A name of a file or tab that fits a pattern in two ways, and how many more do."""
    said, instead = (
        ", ".join(f"{field} = “{text}”" for field, text in one.items()) for one in (captured, other)
    )
    more = f" (so do {number - 1} more names)" if number > 1 else ""
    return Finding(
        Code.NAME_AMBIGUOUS,
        f"“{name}” fits the pattern “{pattern}” in two ways: {said} was used, {instead} is"
        f" possible too{more}",
        "Make the pattern more exact, or rename the file or tab.",
        looked_for="one way to read the name",
        found=instead,
    )


def open_quote(quote: OpenQuote) -> Finding:
    return Finding(
        Code.QUOTE_OPEN,
        f"the quote that opens in line {quote.line} (“{quote.text}”) is never closed, so all lines"
        " below it became one cell"
        if not quote.closed
        else f"the quote that opens in line {quote.line} (“{quote.text}”) reaches to line"
        f" {quote.last}, with delimiters in between: these lines became one cell",
        "Close or delete the quote in the file; where quotes are ordinary characters, write `quote"
        ' = ""`'
        " into [text].",
        looked_for="a closing quote in the same line",
        found=f"line {quote.line}",
    )


def unmatched(source: SourceFile) -> Finding:
    return Finding(
        Code.NAME_UNMATCHED,
        "the name of this file matches no pattern of [source] include; it was read because you"
        " named it, but the fields that the pattern fills are empty",
        "Rename the file, or add a pattern to [source] include.",
        looked_for="a pattern that matches",
        found=source.name,
    )


def not_found_there() -> Finding:
    return Finding(
        Code.TAB_NOT_CHOSEN,
        "the table was not found on this tab, so it was not read, but half of its headings or more"
        " are those of a tab on which it was",
        "If the headings by which the table is found are worded differently here, add them to the"
        " glossary or to `also`; if it is another form, list the tab in [tabs] except.",
        looked_for="the texts by which the table is found",
        found="a tab that looks like the form",
    )


def not_chosen(said: str) -> Finding:
    return Finding(
        Code.TAB_NOT_CHOSEN,
        "this tab was not read, since [tabs] does not choose it, but it holds the headings of the"
        " table",
        "If it belongs to the form, rename the tab or add a pattern to [tabs] named; if not, list"
        " it in [tabs] except.",
        looked_for=said,
        found="a tab that looks like the form",
    )


def beside_position(said: str, alike: Sequence[str]) -> Finding:
    """Tabs that look like the form in a file of which one is read by its position."""
    tabs = ", ".join(f"“{name}”" for name in alike[:5]) + (" …" if len(alike) > 5 else "")
    one = len(alike) == 1
    return Finding(
        Code.TAB_NOT_CHOSEN,
        f"only {said} is read, but {counted(len(alike), 'more tab holds', 'more tabs hold')}"
        f" the headings of the table: {tabs}",
        f"If {'it belongs' if one else 'they belong'} to the form, choose by `named` or `every`"
        " instead of `position` in [tabs]; if not, list"
        f" {'it' if one else 'them'} in [tabs] except.",
        looked_for=said,
        found=tabs,
    )


def all_left_out(book: Workbook) -> Finding:
    names = ", ".join(tab.name for tab in book.tabs)
    return Finding(
        Code.RULE_TAKES_ALL,
        f"[tabs] leaves out every tab of this workbook ({names}), so nothing was read from it",
        "Make the patterns of `except` more exact, or take out `visible_only`.",
        looked_for="a tab that is not left out",
        found=names,
    )


def no_tab(wanted: Sequence[str], book: Workbook) -> Finding:
    patterns = ", ".join(wanted)
    names = [tab.name for tab in book.tabs]
    near = nearest(wanted[0], names)
    hint = f" The nearest is “{near}”." if near else ""
    return Finding(
        Code.NO_TAB_MATCHES,
        f"no tab matches {patterns}, so nothing was read from this workbook; it has"
        f" {', '.join(names) or 'no tab at all'}",
        f"Rename the tab, or add a pattern to [tabs] named.{hint}",
        looked_for=patterns,
        found=", ".join(names),
    )


def nothing_filled(tabs: str) -> Finding:
    """Nothing stands on the tabs, as they are called, of a workbook."""
    return Finding(
        Code.WORKBOOK_BLANK,
        f"no {tabs} of this workbook holds anything",
        "Ask the sender for the file again.",
        looked_for="a filled tab",
        found="none",
    )


def not_one_tab(filled: list[str]) -> Finding:
    if not filled:
        return nothing_filled("tab")
    return Finding(
        Code.SEVERAL_TABS,
        f"{len(filled)} tabs are filled and the layout does not say which to read, so none was:"
        f" {', '.join(filled)}",
        "Choose with [tabs] named, position or every in the layout.",
        looked_for="one filled tab",
        found=", ".join(filled),
    )
