"""New workbooks for people: what all of them have in common.

A text stays a text, whatever it begins with; and no time is written, so that the same content gives
the same file.
"""

from __future__ import annotations

import io
from datetime import datetime
from typing import Any, BinaryIO

MARK = "Made by Boreotabula"
"""The mark in files that can carry it, by which the program recognises its own."""
_PROPERTIES = {"created": datetime(2000, 1, 1), "comments": MARK}


def new_workbook(stream: BinaryIO, **options: object) -> Any:
    """A workbook that is written to a stream once it is closed; `options` are xlsxwriter's own."""
    import xlsxwriter  # only needed where a workbook is written

    plain = {"strings_to_formulas": False, "strings_to_urls": False, **options}
    book = xlsxwriter.Workbook(_UntilClosed(stream), plain)
    book.set_properties(_PROPERTIES)
    return book


def finish(book: Any) -> None:
    """Write a workbook to its end. Raises OSError if it cannot be written."""
    from xlsxwriter.exceptions import FileCreateError

    try:
        book.close()
    except FileCreateError as error:
        cause = error.args[0] if error.args else None
        raise cause if isinstance(cause, OSError) else OSError(str(error)) from None


class _UntilClosed(io.RawIOBase):
    """A stream that ignores writes once it is closed.

    A zip file that could not be finished, because the disk is full, tries again when it is
    collected, and would print an error.
    """

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._after = io.BytesIO()

    @property
    def _open(self) -> BinaryIO:
        return self._after if self._stream.closed else self._stream

    def write(self, content: Any) -> int:
        return self._open.write(content)

    def seek(self, offset: int, whence: int = 0) -> int:
        return self._open.seek(offset, whence)

    def tell(self) -> int:
        return self._open.tell()

    def seekable(self) -> bool:
        return True


def put(tab: Any, row: int, column: int, value: str | float | None, form: Any = None) -> None:
    """Write a text, a number, or a blank in a format; rows and columns count from 0."""
    if value is None:
        tab.write_blank(row, column, None, form)
    elif isinstance(value, str):
        tab.write_string(row, column, value, form)
    else:
        tab.write_number(row, column, value, form)
