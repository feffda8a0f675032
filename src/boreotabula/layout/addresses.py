"""Cell addresses: 'C2' on a sheet is row 1, column 2 inside (both counted from 0).

Letters and limits follow the spreadsheet convention of ECMA-376 part 1, 18.18.7 (ST_CellRef):
columns A to XFD, rows 1 to 1048576.
"""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

MAX_ROWS = 1_048_576
MAX_COLUMNS = 16_384

_ADDRESS = re.compile(r"\$?([A-Za-z]{1,3})\$?([1-9][0-9]{0,6})")


@cache
def column_letters(column: int) -> str:
    """Letters of a column counted from 0: 0 is 'A', 26 is 'AA'."""
    letters = ""
    number = column + 1
    # The digits of a column go from 1 to 26, without a zero.
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def column_number(letters: str) -> int:
    """Column counted from 0 of its letters, whatever their case."""
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number - 1


class Address(NamedTuple):
    """A cell of an unturned tab: row and column, counted from 0.

    Its text is its address for people: 'C2' for row 1, column 2.
    """

    row: int
    column: int

    def __str__(self) -> str:
        """'C2' for row 1, column 2."""
        return f"{column_letters(self.column)}{self.row + 1}"


def written_address(text: str | None) -> Address | None:
    """The cell of an address as records and files write it; None if there is none."""
    return Address(*parse_address(text)) if text else None


def parse_address(text: str) -> tuple[int, int]:
    """Row and column, counted from 0, of an address such as 'C2' or '$C$2'.

    Raises ValueError if the text is no address or lies outside a sheet.
    """
    match = _ADDRESS.fullmatch(text.strip())
    if match:
        row, column = int(match[2]) - 1, column_number(match[1])
        if row < MAX_ROWS and column < MAX_COLUMNS:
            return row, column
    raise ValueError(f"“{text}” is not a cell address such as C2")
