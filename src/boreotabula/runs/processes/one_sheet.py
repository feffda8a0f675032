"""One tab of a workbook, for those who need no more of it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from boreotabula.runs.processes.pool import Ended, alone
from boreotabula.unreadable import UnreadableError
from boreotabula.workbooks.opening import Workbook
from boreotabula.workbooks.sheet import Sheet


def read_sheet(path: Path, tab: str) -> Sheet:
    """A tab of a workbook, read in a process of its own. Raises UnreadableError."""
    return alone(partial(_sheet_of, tab=tab), path, _unread)


def _sheet_of(path: Path, tab: str) -> Sheet:
    with Workbook(path) as book:
        return book.sheet(tab)


def _unread(_: Path, ended: Ended) -> Sheet:
    raise UnreadableError(ended.why, ended.advice)
