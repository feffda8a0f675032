"""The markup of a sheet in the usual form: as nearly all programs write it, and fast to search.

In it every row and every cell has its address as the first attribute, names carry no prefix, and
there are no comments. Markup in any other form is rewritten in this one, so that there is one way
to search it, in time linear in its size.
"""

from __future__ import annotations

import re
from html import escape

from boreotabula.layout.addresses import Address, parse_address
from boreotabula.limits import UNPACKED, Budget
from boreotabula.sheets.parts.archive import local_name, parse
from boreotabula.unreadable import UnreadableError

_ROW = re.compile(rb'<row r="([0-9]+)"')
_ANY_ROW = re.compile(rb'<row(?: r="([1-9][0-9]{0,6})"[ />])?')
"""Any row; without its number where it is not in the usual form."""
_OTHER_CELL = re.compile(rb'<c(?! r="[A-Z]{1,3}[1-9][0-9]{0,6}"[ />])')
_PREFIXED_ROOT = re.compile(rb"<(\w{1,20}:)worksheet[ >]")
_PREFIXED = tuple(
    f"{name}{end}".encode() for name in ("row", "c", "col", "sheetData") for end in " \t\r\n/>"
)
_ENCODING = re.compile(rb"""encoding=["']([\w-]+)["']""")
_PLAIN_ENCODINGS = (b"utf-8", b"us-ascii", b"ascii")
_KEPT = ("hidden",)
_KEPT_OF_CELLS = ("s", "t")
_KEPT_OF_COLUMNS = ("min", "max", "hidden")


class SheetMarkup:
    """The markup of a sheet in the usual form; `cells` counts its cells, including empty ones.

    Raises UnreadableError if it is no XML, or has an invalid address.
    """

    def __init__(self, content: bytes, part: str, budget: Budget) -> None:
        content = _without_prefix(content)
        # Only rare forms take the second way, which goes through all markup.
        rows = _usual_rows(content)
        if rows is None:
            # Both texts are in memory while one is written from the other.
            budget.need(2 * len(content) * UNPACKED, f"its part “{part}”, unpacked,")
            content = _Rewriter(part).rewritten(content)
            rows = list(map(int, _ROW.findall(content)))
        self.content = content
        self.rows = max(rows, default=0)
        """The number of the last row, counted from 1."""
        self.cells = content.count(b'<c r="')


def _without_prefix(content: bytes) -> bytes:
    """Markup whose names all carry the same prefix, as some programs write it, without the
    prefix."""
    prefix = _PREFIXED_ROOT.search(content, 0, 2000)
    if prefix is None:
        return content
    return content.replace(b"<" + prefix[1], b"<").replace(b"</" + prefix[1], b"</")


def _usual_rows(content: bytes) -> list[int] | None:
    """The numbers of all rows; None if the markup is not in the usual form."""
    start, end = content.find(b"<sheetData"), content.rfind(b"</sheetData>")
    encoding = _ENCODING.search(content, 0, 100)
    if encoding and encoding[1].lower() not in _PLAIN_ENCODINGS:
        return None
    if content[:5].strip(b"\xef\xbb\xbf")[:1] != b"<" or not 0 <= start < end:
        return None
    # A second element of that name, a comment, or a section of data that could hold markup.
    if content.find(b"sheetData", start + 10, end) >= 0 or _marked(content, b"!", b"<"):
        return None
    if _marked(content, b":", None, _PREFIXED):
        return None
    numbers = _ANY_ROW.findall(content, start + 10, end)
    if b"" in numbers or _OTHER_CELL.search(content, start + 10, end):
        return None
    return list(map(int, numbers))


def _marked(
    content: bytes, sign: bytes, before: bytes | None, after: tuple[bytes, ...] = ()
) -> bool:
    """Whether a rare character stands after a certain one, or before some words.

    Looking for the character alone is many times faster than looking for its surroundings.
    """
    index = content.find(sign)
    while index >= 0:
        if before is not None and content[index - 1 : index] == before:
            return True
        if after and content.startswith(after, index + 1):
            return True
        index = content.find(sign, index + 1)
    return False


class _Rewriter:
    """Goes through the markup of a sheet once, and rewrites the relevant parts in the usual form.

    Blank cells, and visible rows of only blank cells, are omitted.
    """

    def __init__(self, part: str) -> None:
        self._part = part
        self._out: list[str] = []
        self._path: list[str] = []
        self._row = self._column = -1
        self._head = ""
        """The tag of the row, until anything of the row is written."""
        self._cell: list[str] | None = None
        self._seen_data = False

    def rewritten(self, content: bytes) -> bytes:
        """The markup in the usual form: columns, rows and filled cells, and whether there are
        tables."""
        parse(content, self._part, self._start, self._end, self._data)
        head = "" if self._seen_data else "<sheetData>"
        # A lone surrogate cannot be written; it is replaced as a program would show it.
        return f"<worksheet>{head}{''.join(self._out)}</sheetData></worksheet>".encode(
            "utf-8", "replace"
        )

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        name = local_name(tag)
        self._path.append(name)
        inside = "sheetData" in self._path[:3]
        if name == "sheetData" and not self._seen_data:
            self._seen_data = True
            self._out.append("<sheetData>")
        elif name == "col" and not self._seen_data:
            # In the order of the file: columns stand before the rows.
            self._out.append(f"<col{_some(attributes, _KEPT_OF_COLUMNS)}/>")
        elif name == "tablePart":
            self._out.append("<tablePart/>")
        elif inside and name == "row":
            # A row without a number follows the one before.
            self._row = self._number(attributes["r"]) if "r" in attributes else self._row + 1
            self._column = -1
            self._head = f'<row r="{self._row + 1}"{_some(attributes, _KEPT)}/>'
            if "hidden" in attributes:
                self._out.append(self._head)
                self._head = ""
        elif inside and name == "c":
            self._place(attributes.get("r", ""))
            place = Address(self._row, self._column)
            self._cell = [f'<c r="{place}"{_some(attributes, _KEPT_OF_CELLS)}>']
        elif self._cell is not None and name in ("f", "v", "is"):
            self._cell.append(f"<{name}>")

    def _end(self, tag: str) -> None:
        name = self._path.pop()
        if self._cell is None:
            return
        if name in ("f", "v", "is"):
            self._cell.append(f"</{name}>")
        elif name == "c":
            if len(self._cell) > 1:  # else it is blank
                self._out += [self._head, *self._cell, "</c>"]
                self._head = ""
            self._cell = None

    def _data(self, text: str) -> None:
        if self._cell is not None and self._path[-1] in ("f", "v", "t"):
            self._cell.append(escape(text, quote=False))

    def _place(self, text: str) -> None:
        """The place of a cell; without an address it is right of the one before."""
        if not text:
            self._row, self._column = max(self._row, 0), self._column + 1
            return
        try:
            self._row, self._column = parse_address(text)
        except ValueError:
            raise self._damaged(text) from None

    def _number(self, text: str) -> int:
        if not (text.isascii() and text.isdigit() and 0 < len(text) < 8):
            raise self._damaged(text)
        return int(text) - 1

    def _damaged(self, text: str) -> UnreadableError:
        return UnreadableError(f"it is damaged: “{text[:20]}” is not the address of a cell")


def _some(attributes: dict[str, str], names: tuple[str, ...]) -> str:
    return "".join(f' {name}="{escape(attributes[name])}"' for name in names if name in attributes)
