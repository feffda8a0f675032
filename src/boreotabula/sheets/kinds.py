"""The kind of a file, by its content: its ending is only a name."""

from __future__ import annotations

import zipfile
from enum import Enum
from pathlib import Path
from typing import BinaryIO

from boreotabula.files import open_regular
from boreotabula.unreadable import UnreadableError


class FileKind(Enum):
    """The kinds of files that are read; the value is the name in messages."""

    XLSX = "an .xlsx workbook"
    XLSB = "an .xlsb workbook"
    XLS = "an .xls workbook"
    ODS = "an .ods workbook"
    WEB_PAGE = "a web page"
    TEXT = "a text file"

    @property
    def endings(self) -> tuple[str, ...]:
        """Endings that agree with the content; any other is worth a note."""
        return _ENDINGS[self]


_ENDINGS = {
    FileKind.XLSX: (".xlsx", ".xlsm", ".xltx", ".xltm"),
    FileKind.XLSB: (".xlsb",),
    FileKind.XLS: (".xls", ".xlt"),
    FileKind.ODS: (".ods", ".ots"),
    FileKind.WEB_PAGE: (".html", ".htm"),
    FileKind.TEXT: (".csv", ".tsv", ".txt", ".dat", ".tab", ".asc", ".log", ".prn"),
}

_COMPOUND = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
"""The start of a compound file, [MS-CFB] 2.2: .xls, but also protected .xlsx and older documents.
"""
_BEFORE_1995 = (b"\x09\x00\x04\x00", b"\x09\x02\x06\x00", b"\x09\x04\x06\x00")
"""Starts of workbooks in versions 2, 3 and 4 of .xls: a record BOF and its size."""
_NO_TABLE = (
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"GIF8", "a picture"),
    (b"{\\rtf", "a text document"),
    (b"\x1f\x8b", "a compressed file"),
    (b"7z\xbc\xaf", "a compressed file"),
    (b"Rar!", "a compressed file"),
)
_HEAD, _TAIL = 4096, 65_536
NO_TABLE = "Leave it out with [source] exclude, or ask the sender for the table itself."


def file_kind(path: Path) -> FileKind:
    """The kind of a file.

    Raises UnreadableError if it is empty or of a kind that holds no table, OSError if it cannot be
    opened.
    """
    with open_regular(path) as stream:
        head = stream.read(_HEAD)
        if head.startswith(b"PK"):
            # A zip file lists its parts at its end; reading it takes less time than opening the
            # archive.
            stream.seek(max(path.stat().st_size - _TAIL, 0))
            return _listed(stream.read(_TAIL).lower()) or _zipped(stream)
    if not head:
        raise UnreadableError("the file is empty", "Ask the sender for the file again.")
    if head.startswith(_COMPOUND):
        return FileKind.XLS
    if head.startswith(_BEFORE_1995):
        raise UnreadableError(
            "it is a workbook in a form from before 1995, which is not read",
            "Open it in a spreadsheet program and save it as .xlsx.",
        )
    for start, what in _NO_TABLE:
        if head.startswith(start):
            raise UnreadableError(f"it is {what}, not a table", NO_TABLE)
    return _written(head)


def _written(head: bytes) -> FileKind:
    """The kind of a file that is neither zipped nor a compound file."""
    # Read as text, its markup would fill the cells.
    if b'progid="Excel.Sheet"' in head or b"urn:schemas-microsoft-com:office:spreadsheet" in head:
        raise UnreadableError(
            "it is a workbook in the XML form of 2003, which is not read",
            "Open it in a spreadsheet program and save it as .xlsx.",
        )
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if start.startswith((b"<!doctype html", b"<html", b"<table", b"<head", b"<meta")):
        return FileKind.WEB_PAGE
    if looks_like_text(head):
        return FileKind.TEXT
    raise no_text(head)


def no_text(head: bytes) -> UnreadableError:
    """The message for a file that is no text, by its first bytes."""
    before, _, rest = head.partition(b"\0")
    if before and rest and looks_like_text(head.replace(b"\0", b"")):
        line = before.count(b"\n") + 1
        return UnreadableError(
            f"it has a character of value 0 in line {line}, which no text has",
            "Remove all such characters, or ask the sender for the table itself.",
        )
    return UnreadableError("it is neither a workbook nor text", NO_TABLE)


def looks_like_text(head: bytes) -> bool:
    """Whether the start of a file may be text: almost no control characters, apart from UTF-16."""
    if head.startswith((b"\xff\xfe", b"\xfe\xff")) or _every_other_zero(head):
        return True
    # A few are let through, as old programs end a text or a page with one.
    control = sum(byte < 32 and byte not in b"\t\n\r\f\x1a\x1b" for byte in head)
    return b"\0" not in head and control * 50 <= len(head)


def _every_other_zero(head: bytes) -> bool:
    """Whether this looks like UTF-16 without a mark: most texts use the first 256 characters."""
    half = len(head) // 2
    even, odd = head[0::2].count(0), head[1::2].count(0)
    return half > 1 and max(even, odd) * 10 >= half * 8 and min(even, odd) * 20 <= half


def _listed(tail: bytes) -> FileKind | None:
    """The kind of a workbook by the names of its parts, which a zip file lists at its end."""
    if b"xl/workbook.bin" in tail:
        return FileKind.XLSB
    return FileKind.XLSX if b"xl/workbook.xml" in tail else None


def _zipped(stream: BinaryIO) -> FileKind:
    try:
        # Names in the list may be encrypted or written in another way, so the archive is asked.
        with zipfile.ZipFile(stream) as archive:
            names = set(archive.namelist())
            if "mimetype" in names:
                with archive.open("mimetype") as part:
                    if b"opendocument.spreadsheet" in part.read(99):
                        return FileKind.ODS
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, ValueError):
        raise UnreadableError("it is damaged, perhaps because it was cut off") from None
    # Some programs write the names with backslashes, or in capitals.
    lowered = {name.replace("\\", "/").lower() for name in names}
    if "xl/workbook.bin" in lowered:
        return FileKind.XLSB
    if "xl/workbook.xml" in lowered or ("_rels/.rels" in lowered and _has_sheets(lowered)):
        return FileKind.XLSX
    raise UnreadableError("it is a zipped file, but no workbook", NO_TABLE)


def _has_sheets(names: set[str]) -> bool:
    return any("worksheets/" in name for name in names)
