"""New workbooks for people: what all of them have in common.

A text stays a text, whatever it begins with; and no time is written, so that the same content
gives the same file.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, BinaryIO

MARK = "Made by Boreotabula"
"""What files carry that can, so that this program knows its own."""
_PROPERTIES = {"created": datetime(2000, 1, 1), "comments": MARK}


def new_workbook(stream: BinaryIO, **options: object) -> Any:
    """A workbook that is written to a stream once it is closed; `options` are xlsxwriter's own."""
    import xlsxwriter  # only needed where a workbook is written

    plain = {"strings_to_formulas": False, "strings_to_urls": False, **options}
    book = xlsxwriter.Workbook(stream, plain)
    book.set_properties(_PROPERTIES)
    return book


def put(tab: Any, row: int, column: int, value: str | float | None, form: Any = None) -> None:
    """Write a text, a number, or a blank in some looks; rows and columns counted from 0."""
    if value is None:
        tab.write_blank(row, column, None, form)
    elif isinstance(value, str):
        tab.write_string(row, column, value, form)
    else:
        tab.write_number(row, column, value, form)
