"""A look into .xlsx and .xlsm: error values, formulas without result, what is hidden, tables.

Markup of sheets as in ECMA-376 part 1: 18.3.1.4 (c, cell), 18.3.1.40 (f), 18.3.1.73 (row),
18.3.1.13 (col), 18.5.1.2 (table), 18.2.5 (definedName).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from functools import cached_property
from html import unescape
from pathlib import Path
from xml.etree.ElementTree import Element

from boreotabula.layout.addresses import MAX_COLUMNS, column_number, parse_address
from boreotabula.workbooks.codes import is_code_format
from boreotabula.workbooks.errors import UnreadableError
from boreotabula.workbooks.limits import Limits
from boreotabula.workbooks.look import NO_RESULT, Look, NamedCell, check_extent
from boreotabula.workbooks.package import Package, refuse_entities, relations
from boreotabula.workbooks.sheet import Flaw, TableObject

# A cell that is not empty: its attributes and its content. Names may carry a prefix.
_CELL = re.compile(rb"<(?:\w+:)?c(|\s[^>]*[^>/])>(.*?)</(?:\w+:)?c>", re.DOTALL)
_ANY = re.compile(rb"<(?:\w+:)?(row|c)\b([^>]*)>")
_ROW = re.compile(rb"<(?:\w+:)?row\b([^>]*)>")
_COL = re.compile(rb"<(?:\w+:)?col\b([^>]*)>")
_PLACE = re.compile(rb"\br=[\"']([A-Z]{1,3})([0-9]+)[\"']")
_NUMBER = re.compile(rb"\br=[\"']([0-9]+)[\"']")
_TYPE = re.compile(rb"\bt=[\"'](\w+)[\"']")
_HIDDEN = re.compile(rb"\bhidden=[\"'](?:1|true)[\"']")
_FORMULA = re.compile(rb"<(?:\w+:)?f\b([^>]*)>(?:([^<]*)</)?")
_RESULT = re.compile(rb"<(?:\w+:)?v\b[^>]*?(?:/>|>([^<]*)<)")
_USUAL = "xl/workbook.xml"
_TWO_LETTERS = 702
"""The columns from A to ZZ."""
_SPANNED = re.compile(rb"\b(min|max)=[\"']([0-9]+)[\"']")
_ROW_NUMBER = re.compile(rb'<row [^>]*?\br="([0-9]+)"')
_WIDE = re.compile(rb' r="[A-Z]{3}[0-9]')


class XlsxInside:
    """The inside of an .xlsx file."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self._limits = limits
        self._package = Package(path, limits)
        self._package.check()
        self._book = self._main_part()
        self._root = self._package.markup(self._book)
        related = relations(self._package, self._book)
        self._parts = [
            related.get(next((v for k, v in one.attrib.items() if k.endswith("}id")), ""), ("", ""))
            for one in _children(self._root, "sheets")
        ]
        self._sheet_names = [one.get("name", "") for one in _children(self._root, "sheets")]

    def close(self) -> None:
        """Let go of the file."""
        self._package.close()

    def look(self, number: int, name: str) -> Look:
        """Look into a sheet."""
        _, part = self._parts[number]
        content = self._package.read(part)
        refuse_entities(content)
        self._check_extent(content)
        hidden = _occurs(content, b"hidden=")
        end = max(content.rfind(b"</"), 0)
        tail = content[max(content.rfind(b"sheetData>", 0, end), 0) :]
        return Look(
            dict(_flaws(content)),
            tuple(_hidden_rows(content)) if hidden else (),
            tuple(_hidden_columns(content)) if hidden else (),
            tables=tuple(self._tables(part)) if b"tablePart" in tail else (),
            formats=dict(_formats(content, self._codes)) if self._codes else {},
        )

    @cached_property
    def _codes(self) -> Mapping[bytes, str]:
        """The number formats that show codes, by the number of the cell style that has them."""
        part = next(
            (part for kind, part in relations(self._package, self._book).values()
             if kind == "styles"), "",
        )  # fmt: skip
        if part not in self._package or b"formatCode" not in self._package.read(part):
            return {}
        styles = self._package.markup(part)
        formats = {
            one.get("numFmtId"): one.get("formatCode", "")
            for one in _children(styles, "numFmts")
            if is_code_format(one.get("formatCode", ""))
        }
        return {
            str(number).encode(): formats[one.get("numFmtId")]
            for number, one in enumerate(_children(styles, "cellXfs"))
            if one.get("numFmtId") in formats
        }

    def names(self) -> Mapping[str, NamedCell]:
        """Defined names of single cells."""
        return {
            one.get("name", ""): cell
            for one in _children(self._root, "definedNames")
            if (cell := named_cell(one.text or "")) is not None
        }

    def _main_part(self) -> str:
        if _USUAL in self._package:
            return _USUAL
        for kind, part in relations(self._package, "").values():
            if kind == "officeDocument":
                return part
        return _USUAL

    def _check_extent(self, content: bytes) -> None:
        """Refuse what the reader would lay out as a rectangle of too many cells.

        The highest row and the widest letters give an upper bound at once; only if that is too
        much, or the markup is written unusually, are the filled cells looked at one by one.
        """
        usual = b"<sheetData" in content and b" r='" not in content
        rows = max(map(int, _ROW_NUMBER.findall(content)), default=0)
        if usual and rows * MAX_COLUMNS <= self._limits.cells:
            return
        if usual and rows * _TWO_LETTERS <= self._limits.cells and _WIDE.search(content) is None:
            return
        row = column = 0
        for attributes, _ in _CELL.findall(content):
            place = _PLACE.search(attributes)
            if place:
                row = max(row, int(place[2]) - 1)
                column = max(column, column_number(place[1].decode()))
        check_extent(row, column, self._limits)

    def _tables(self, part: str) -> Iterator[TableObject]:
        for kind, name in relations(self._package, part).values():
            if kind == "table" and name in self._package:
                table = self._package.markup(name)
                first, _, last = table.get("ref", "").partition(":")
                try:
                    top, left = parse_address(first)
                    bottom, right = parse_address(last or first)
                except ValueError:
                    raise UnreadableError(f"its table part “{name}” is damaged") from None
                yield TableObject(
                    table.get("displayName", table.get("name", "")),
                    top,
                    left,
                    bottom,
                    right,
                    int(table.get("headerRowCount", "1")),
                    int(table.get("totalsRowCount", "0")),
                )


def _children(root: Element, name: str) -> Iterator[Element]:
    for group in root:
        if group.tag.rpartition("}")[2] == name:
            yield from group


_REFERENCE = re.compile(r"(?:'((?:[^']|'')+)'|([^'!:]+))!(\$?[A-Z]{1,3}\$?[0-9]+)(?::.*)?")


def named_cell(reference: str) -> NamedCell | None:
    """The first cell of a reference such as 'Cover sheet'!$B$3, or None if it is no such thing."""
    found = _REFERENCE.fullmatch(reference.strip().lstrip("="))
    if found is None:
        return None
    try:
        row, column = parse_address(found[3])
    except ValueError:
        return None
    return NamedCell((found[1] or found[2] or "").replace("''", "'"), row, column)


def _occurs(content: bytes, word: bytes) -> bool:
    """Whether a word occurs whose first letter is rare in the markup of sheets.

    Looking for that letter alone is many times faster than looking for the word.
    """
    first = word[:1]
    at = content.find(first)
    while at >= 0:
        if content.startswith(word, at):
            return True
        at = content.find(first, at + 1)
    return False


def _flaws(content: bytes) -> Iterator[tuple[tuple[int, int], Flaw]]:
    """Cells with an error value, or with a formula and no result.

    An error value begins with '#', a formula ends with a tag of its own: most sheets have
    neither, and are not looked at any further.
    """
    if not (_occurs(content, b"#") or _occurs(content, b"f>")):
        return
    places: dict[int, tuple[int, int]] | None = None
    for cell in _CELL.finditer(content):
        attributes, inner = cell.groups()
        text = _flaw(attributes, inner)
        if text is None:
            continue
        place = _PLACE.search(attributes)
        if place:
            yield (int(place[2]) - 1, column_number(place[1].decode())), Flaw(text)
        else:
            places = places if places is not None else dict(_counted(content))
            yield places[cell.start()], Flaw(text)


_STYLE = re.compile(rb"\bs=[\"']([0-9]+)[\"']")


def _formats(content: bytes, codes: Mapping[bytes, str]) -> Iterator[tuple[tuple[int, int], str]]:
    """The format of each filled cell whose style shows codes."""
    places: dict[int, tuple[int, int]] | None = None
    for cell in _CELL.finditer(content):
        style = _STYLE.search(cell[1])
        if style is None or style[1] not in codes:
            continue
        place = _PLACE.search(cell[1])
        if place:
            yield (int(place[2]) - 1, column_number(place[1].decode())), codes[style[1]]
        else:
            places = places if places is not None else dict(_counted(content))
            yield places[cell.start()], codes[style[1]]


def _flaw(attributes: bytes, inner: bytes) -> str | None:
    kind = _TYPE.search(attributes)
    result = _RESULT.search(inner)
    if kind and kind[1] == b"e":
        return _text(result[1]) if result and result[1] else "#ERROR"
    formula = _FORMULA.search(inner)
    if formula is None or (result and result[1]):
        return None
    if kind and kind[1] in (b"str", b"s") and result:
        return None  # a formula that rightly gives an empty text
    return f"={_text(formula[2]) if formula[2] else '…'} {NO_RESULT}"


def _text(markup: bytes) -> str:
    return unescape(markup.decode("utf-8", "replace"))


def _counted(content: bytes) -> Iterator[tuple[int, tuple[int, int]]]:
    """The place of each cell by where its tag begins, for sheets that leave out the addresses."""
    row = column = -1
    for tag in _ANY.finditer(content):
        kind, attributes = tag.groups()
        if kind == b"row":
            number = _NUMBER.search(attributes)
            row, column = int(number[1]) - 1 if number else row + 1, -1
        else:
            place = _PLACE.search(attributes)
            column = column_number(place[1].decode()) if place else column + 1
            yield tag.start(), (row, column)


def _hidden_rows(content: bytes) -> Iterator[int]:
    row = -1
    for attributes in _ROW.findall(content):
        number = _NUMBER.search(attributes)
        row = int(number[1]) - 1 if number else row + 1
        if _HIDDEN.search(attributes):
            yield row


def _hidden_columns(content: bytes) -> Iterator[int]:
    for attributes in _COL.findall(content[: content.find(b"sheetData")]):
        if _HIDDEN.search(attributes):
            ends = {name: int(number) for name, number in _SPANNED.findall(attributes)}
            yield from range(ends.get(b"min", 1) - 1, min(ends.get(b"max", 0), 16_384))
