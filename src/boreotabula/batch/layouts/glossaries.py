"""The files that a layout includes: glossaries as CSV or in a workbook, and lists of names."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path

from boreotabula.batch.processes.pool import Ended, alone
from boreotabula.files import content_of
from boreotabula.layout.glossary import NumberedRow
from boreotabula.layout.problems import LayoutError, did_you_mean, nearest
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.kinds import FileKind, file_kind
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.sheet import Sheet, TableObject
from boreotabula.unreadable import UnreadableError


def glossary_file(name: str, beside: Path) -> tuple[Path, str]:
    """The file of a glossary, and the tab or table in it that follows a “#” in its name.

    A file may have a “#” in its own name: then that comes first.
    """
    whole = beside / name
    if whole.is_file() or "#" not in name:
        return whole, ""
    file, _, part = name.rpartition("#")
    return beside / file, part


_TEXTS = (FileKind.TEXT, FileKind.WEB_PAGE)


def glossary_rows(path: Path, part: str, name: str, content: bytes) -> list[NumberedRow]:
    """The rows of a glossary with their numbers. Raises LayoutError if it cannot be read."""
    try:
        if file_kind(path) not in _TEXTS:
            # In another process, as for every workbook, whoever wrote it.
            return alone(partial(_sheet_rows, part=part, name=name), path, _cannot_be_read)
    except UnreadableError as error:
        # A blank file is a glossary without entries; what else cannot be told what it is is an
        # error.
        if content.strip():
            raise LayoutError([(name, f"it cannot be read: {error}. {error.advice}")]) from None
    if part:
        raise LayoutError([(name, "this is a text file; only a workbook has tabs and tables")])
    return list(enumerate(csv_rows(content, name), 1))


def is_text(path: Path) -> bool:
    """Whether a glossary is a text file, and not a workbook."""
    try:
        return file_kind(path) in _TEXTS
    except UnreadableError:
        return True


def _cannot_be_read(path: Path, ended: Ended) -> list[NumberedRow]:
    raise LayoutError([(path.name, f"it cannot be read: {ended.said}")])


def _sheet_rows(path: Path, part: str, name: str) -> list[NumberedRow]:
    return list(_rows_of(path, part, name))


def _rows_of(path: Path, part: str, name: str) -> Iterator[NumberedRow]:
    with Workbook(path) as book:
        sheet, table = _found(book, part, name)
        top, left = (table.top, table.left) if table else (0, 0)
        bottom, right = (table.bottom, table.right) if table else (sheet.height, sheet.width)
        for row in range(top, min(bottom + 1, sheet.height)):
            cells = sheet.rows[row][left : right + 1]
            yield row + 1, [cell_text(cell) for cell in cells]


def _found(book: Workbook, part: str, name: str) -> tuple[Sheet, TableObject | None]:
    """The named tab, or table of a tab; without a name the only filled tab."""
    # All tabs, as tables may stand on any.
    sheets = [book.sheet(tab.name) for tab in book.tabs]
    if not part:
        filled = [sheet for sheet in sheets if not sheet.blank]
        # Without a name only one filled tab leaves no doubt.
        if len(filled) == 1:
            return filled[0], None
        tabs = ", ".join(sheet.name for sheet in filled) or "none"
        raise LayoutError(
            [(name, f"{len(filled)} tabs are filled: {tabs}; write “{name}#TAB” to choose one")]
        )
    for sheet in sheets:
        if sheet.name.casefold() == part.casefold():
            return sheet, None
    tables = {table.name: (sheet, table) for sheet in sheets for table in sheet.tables}
    for called, result in tables.items():
        if called.casefold() == part.casefold():
            return result
    known_texts = [sheet.name for sheet in sheets] + list(tables)
    raise LayoutError([(name, f"no tab or table “{part}” in it{did_you_mean(part, known_texts)}")])


def csv_rows(content: bytes, name: str) -> Sequence[Sequence[str]]:
    """The rows of a CSV glossary. Raises LayoutError if it is not CSV in UTF-8."""
    text = decoded_text(content, name)
    try:
        return list(csv.reader(text.splitlines(keepends=True), delimiter_of(text), strict=True))
    except csv.Error as error:
        raise LayoutError([(name, f"this is not CSV: {error}")]) from None


def delimiter_of(text: str) -> type[csv.Dialect]:
    """Comma, or the delimiter that the heading line has instead."""
    # The first line that is no comment; a semicolon is what spreadsheet programs write in many
    # countries.
    header = next((line for line in text.splitlines() if line[:1] not in ("", "#")), "")

    class Dialect(csv.excel):
        """CSV as spreadsheet programs write it."""

        delimiter = next((literal for literal in (",", ";", "\t") if literal in header), ",")

    return Dialect


def read_layout_file(path: Path, what: str) -> bytes:
    """The content of a layout or of a file that it includes. Raises LayoutError."""
    try:
        return content_of(path)
    except FileNotFoundError:
        raise LayoutError([(str(path), f"there is no such {what}{_similar(path)}")]) from None
    except IsADirectoryError:
        raise LayoutError([(str(path), f"this is a folder, not a {what}")]) from None
    except OSError as error:
        raise LayoutError([(str(path), f"it cannot be read: {error.strerror}")]) from None


def _similar(path: Path) -> str:
    if not path.parent.is_dir():
        return f"; there is no folder “{path.parent}” either"
    near = nearest(path.name, [file.name for file in path.parent.glob(f"*{path.suffix}")])
    return f"; did you mean “{path.parent / near}”?" if near else ""


def decoded_text(data: bytes, name: str) -> str:
    """UTF-8 text. Raises LayoutError with the first invalid line."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise LayoutError([(f"{name}, line {line}", "save the file as UTF-8 text")]) from None


def list_entries(content: bytes, name: str) -> list[str]:
    """The entries of a list kept in a file: one on each line, without blank lines and comments.

    Raises LookupError with what is wrong with it.
    """
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        # LookupError, since who asks for a list knows the line of the layout that names it.
        raise LookupError(f"the list “{name}” is not UTF-8 text") from None
    lines = (line.strip() for line in text.splitlines())
    # “#1” may be an entry, such as a number of a house; “# ” begins a comment.
    return [line for line in lines if line and not line.startswith("# ")]
