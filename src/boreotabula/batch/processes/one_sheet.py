"""One tab of a workbook, for callers that need no more of it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from boreotabula.batch.processes.pool import Ended, alone
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.sheet import Sheet
from boreotabula.unreadable import UnreadableError


def read_sheet(path: Path, tab: str) -> Sheet:
    """A tab of a workbook, read in a separate process. Raises UnreadableError."""
    return alone(partial(_sheet_of, tab=tab), path, _unread)


def first_sheet(path: Path) -> Sheet:
    """The first filled tab of a workbook, or a text file, read in a separate process.

    Raises UnreadableError.
    """
    return alone(_first_of, path, _unread)


def _first_of(path: Path) -> Sheet:
    with Workbook(path) as book:
        # The tabs are read one by one, up to the first that is filled.
        sheets = (book.sheet(tab.name) for tab in book.tabs)
        sheet = next((one for one in sheets if not one.blank), None)
        if sheet is None:
            raise UnreadableError("nothing stands in it", "Name the file that holds the records.")
        return sheet


def _sheet_of(path: Path, tab: str) -> Sheet:
    with Workbook(path) as book:
        return book.sheet(tab)


def _unread(_: Path, ended: Ended) -> Sheet:
    raise UnreadableError(ended.why, ended.advice)
