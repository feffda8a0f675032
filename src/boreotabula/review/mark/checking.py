"""Whether a marked copy still holds what its file holds, before it takes its place."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from itertools import zip_longest
from pathlib import Path

from boreotabula.review.mark.in_place import NotSafeError
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Cell
from boreotabula.unreadable import UnreadableError


def check_same(path: Path, copy: Path, tabs: Collection[str], opening: Opening) -> None:
    """Read the marked tabs of a file and of its copy. Raises NotSafeError if they differ, or if the
    copy cannot be read."""
    try:
        with Workbook(path, opening) as book, Workbook(copy, opening) as marked:
            texts = {tab.name for tab in book.tabs}
            for name in tabs:
                if name in texts and not _same(book, marked, name):
                    raise NotSafeError(f"its tab “{name}” would not be the same afterwards")
    except (UnreadableError, OSError) as error:
        raise NotSafeError(f"its copy cannot be read again: {error}") from None


def _same(book: Workbook, marked: Workbook, name: str) -> bool:
    # Marks may add blank cells at the end of a row or of the sheet.
    rows = zip_longest(book.sheet(name).rows, marked.sheet(name).rows, fillvalue=())
    return all(_filled(value) == _filled(other) for value, other in rows)


def _filled(cells: Sequence[Cell]) -> list[Cell]:
    """The cells of a row without those that are blank at its end."""
    result = list(cells)
    while result and result[-1] == "":
        result.pop()
    return result
