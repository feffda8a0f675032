"""Cells in words: their text, and what they hold."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date, datetime, time, timedelta

from boreotabula.findings.reasons import Held
from boreotabula.sheets.sheet import Cell, Code, Flaw, Sheet


def cell_text(cell: Cell) -> str:
    """The text of any cell: whole numbers without a decimal point, codes as displayed, dates in ISO
    form."""
    if isinstance(cell, str):
        return cell.strip()
    if isinstance(cell, bool):
        return "TRUE" if cell else "FALSE"
    if isinstance(cell, Code):
        return cell.text
    if isinstance(cell, float):
        # A year is “2017” to a person, though the file holds 2017.0.
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime | date | time):
        # A form that needs no language.
        return cell.isoformat()
    if isinstance(cell, timedelta):
        seconds = cell.total_seconds()
        hours, rest = divmod(int(seconds), 3600)
        return f"{hours}:{rest // 60:02}:{rest % 60:02}"
    return str(cell)


def one_line(text: str) -> str:
    """Text with each run of white space as one space, as headings and stub cells are kept."""
    line = " ".join(text.split())
    return text if line == text else line  # a text that is kept is kept once


def kind_of(cell: Cell) -> Held:
    """What a cell holds, in an analyst's words."""
    if isinstance(cell, Flaw):
        return Held.FORMULA if cell.text[:1] == "=" else Held.ERROR_VALUE
    if isinstance(cell, bool):
        return Held.TRUTH
    if isinstance(cell, float | int):
        return Held.NUMBER
    if isinstance(cell, str):
        return Held.TEXT
    return Held.MOMENT


_FIGURE = re.compile(
    r"""
    [-+−(]?[$€£¥]?\s?\d[\d\s.,'’]*[%$€£¥]?\)?-?   # 1 200,50 · (12) · 15 % · 12,50 €
    | \d{1,4}[-./]\d{1,2}[-./]\d{1,4}              # 2026-04-17 · 17.4.2026 · 04/17/26
      (?:[ T]\d{1,2}[:.]\d{2}(?:[:.]\d{2})?(?:\.\d+)?Z?)?
    | \d{4}-\d{2}                                  # 2026-04
    | \d{1,2}:\d{2}(?::\d{2})?                     # 06:00
    """,
    re.VERBOSE,
)


def reads_as_figure(text: str) -> bool:
    """Whether a text looks like a number, a date or a time, whatever its language."""
    return _FIGURE.fullmatch(text.strip()) is not None


def is_figure(sheet: Sheet, cell: Cell) -> bool:
    """Whether a filled cell holds a number or date; in a text file, a text that reads as one."""
    # Dates and flaws are figures, too: they stand where numbers belong.
    if not isinstance(cell, str):
        return True
    # In a workbook a text that looks like a number was typed as a text on purpose, or is told.
    return not sheet.typed and reads_as_figure(cell)


def count_on(cells: Sequence[Cell]) -> bool:
    """Whether filled cells count 1, 2, 3 and so on, as forms number their columns, often in
    brackets."""
    if not cells or cell_text(cells[0]).strip("().") != "1":
        return False
    texts = [cell_text(cell).strip("().") for cell in cells]
    return len(texts) > 2 and texts == [str(number + 1) for number in range(len(texts))]
