"""A search of .xlsx and .xlsm: error values, formulas without result, what is hidden, tables.

Markup of sheets as in ECMA-376 part 1: 18.3.1.4 (c, cell), 18.3.1.40 (f), 18.3.1.73 (row),
18.3.1.13 (col), 18.5.1.2 (table), 18.2.5 (definedName).
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from html import escape, unescape
from io import BytesIO
from pathlib import Path
from typing import TypeVar

from boreotabula.layout.addresses import MAX_COLUMNS, column_number, parse_address
from boreotabula.limits import PLACE, Budget
from boreotabula.sheets.codes import is_code_format
from boreotabula.sheets.look import (
    NO_RESULT,
    NamedCell,
    Reach,
    SheetFacts,
    check_extent,
    joined_reaches,
)
from boreotabula.sheets.parts.archive import open_archive, relations
from boreotabula.sheets.sheet import Flaw, TableObject
from boreotabula.sheets.sheet_markup import SheetMarkup
from boreotabula.unreadable import UnreadableError

# A cell that is not empty: its letters, row, other attributes and content. Nothing in these
# patterns goes back further than to the last '<', so that a search never takes quadratic time.
_CELL = re.compile(rb'<c r="([A-Z]+)([0-9]+)"(|[^<>]*[^<>/])>([^<]*+(?:<(?!/?c[ >])[^<]*+)*+)</c>')
_ROW = re.compile(rb'<row r="([0-9]+)"([^<>]*)>')
_COL = re.compile(rb"<col ([^<>]*)>")
_TYPE = re.compile(rb"\bt=[\"'](\w+)[\"']")
_HIDDEN = re.compile(rb"\bhidden=[\"'](?:1|true)[\"']")
_FORMULA = re.compile(rb"<f\b([^<>]*)>(?:([^<]*)</)?")
_RESULT = re.compile(rb"<v\b[^<>]*?(?:/>|>([^<]*)<)")
_USUAL = "xl/workbook.xml"
_SHEET_NAME = re.compile(rb"(<(?:\w+:)?sheet\s(?:[^<>]*\s)?name\s*=\s*)(?:\"[^\"<]*\"|'[^'<]*')")
_FORMATS, _INDENTS = _STYLE_WORDS = b"formatCode", b"indent="
"""Words in styles that make them worth reading: most files have neither."""
_SHARED_PARTS = ("xl/sharedStrings.xml", "xl/styles.xml")
"""Where the fast reader looks for them, whatever the relations say."""
_TWO_LETTERS = 702
"""The columns from A to ZZ."""
_SPANNED = re.compile(rb"\b(min|max)=[\"']([0-9]{1,7})[\"']")
_LETTERS = re.compile(rb'<c r="([A-Z]+)')
_WIDE = re.compile(rb'<c r="[A-Z]{3}')


class XlsxInside:
    """The inside of an .xlsx file."""

    def __init__(self, path: Path, budget: Budget) -> None:
        self._budget = budget
        with open_archive(path, budget) as self._package:
            self._book = self._main_part()
            self._package.hold_shared((self._book, *_SHARED_PARTS))
            markups = self._package.elements(self._book, ("sheet", "definedName"))
            self._related = relations(self._package, self._book)
            kept = (part for kind, part in self._related.values() if not kind.endswith("sheet"))
            self._package.hold_shared({*kept} - {*_SHARED_PARTS})
        self._names = [markup for markup in markups if markup.name == "definedName"]
        self._parts = [
            self._related.get(markup.attributes.get("id", ""), ("", ""))
            for markup in markups
            if markup.around == "sheets" and markup.name == "sheet"
        ]

    def close(self) -> None:
        """Close the file."""
        self._package.close()

    def look(self, number: int, name: str) -> SheetFacts:
        """Search a sheet."""
        _, part = self._parts[number]
        markup = SheetMarkup(self._package.read(part), part, self._budget)
        content = markup.content
        bottom, right = self._extent(markup)
        check_extent(bottom, right, markup.cells, self._budget)
        # Searched for once, since most sheets hide nothing.
        hidden = _occurs(content, b"hidden=")
        end = max(content.rfind(b"</"), 0)
        # Tables are named behind the rows, so only the end is searched.
        tail = content[max(content.rfind(b"sheetData>", 0, end), 0) :]
        return SheetFacts(
            dict(_flaws(content)),
            joined_reaches(_hidden_rows(content)) if hidden else (),
            joined_reaches(_hidden_columns(content)) if hidden else (),
            tables=tuple(self._tables(part)) if b"tablePart" in tail else (),
            formats=dict(_styled(content, self._codes)) if self._codes else {},
            indents=dict(_styled(content, self._indents)) if self._indents else {},
        )

    @cached_property
    def _codes(self) -> Mapping[bytes, str]:
        """The number formats that display codes, by the index of the cell style that has them."""
        part = self._styles(_FORMATS)
        if part is None:
            return {}
        styles = self._package.elements(part, ("numFmt", "xf"))
        formats = {
            style.attributes.get("numFmtId"): style.attributes.get("formatCode", "")
            for style in styles
            if style.name == "numFmt" and is_code_format(style.attributes.get("formatCode", ""))
        }
        # The place among these is what cells name as their style.
        cells = [style.attributes.get("numFmtId") for style in styles if style.around == "cellXfs"]
        return {
            str(number).encode(): formats[cell]
            for number, cell in enumerate(cells)
            if cell in formats
        }

    @cached_property
    def _indents(self) -> Mapping[bytes, int]:
        """The indentation of cells, by the index of the cell style (18.8.1)."""
        part = self._styles(_INDENTS)
        if part is None:
            return {}
        indents: dict[bytes, int] = {}
        number, in_cells = -1, False
        for element in self._package.elements(part, ("xf", "alignment")):
            if element.name == "xf":
                in_cells = element.around == "cellXfs"
                number += in_cells
            elif in_cells and element.attributes.get("indent", "0").isdecimal():
                indents[str(number).encode()] = int(element.attributes.get("indent", "0")[:4])
        return {style: indent for style, indent in indents.items() if indent}

    def _styles(self, word: bytes) -> str | None:
        """The part with the styles, if it holds one of `_STYLE_WORDS`."""
        part, words = self._style_words
        return part if word in words else None

    @cached_property
    def _style_words(self) -> tuple[str, Collection[bytes]]:
        """The part with the styles, and which of `_STYLE_WORDS` it holds."""
        part = next((part for kind, part in self._related.values() if kind == "styles"), "")
        # Looked for as bytes: most files have neither, and their styles need not be parsed.
        content = self._package.read(part) if part in self._package else b""
        return part, [word for word in _STYLE_WORDS if word in content]

    def names(self) -> Mapping[str, NamedCell]:
        """Defined names of single cells."""
        return {
            name.attributes.get("name", ""): cell
            for name in self._names
            if (cell := named_cell(name.text)) is not None
        }

    def renamed(self, names: Sequence[str]) -> BytesIO:
        """The file in memory, its sheets called by these names in order: the fast reader finds them
        by name, and would read the first of two that are called the same twice."""
        new = iter(names)
        content = _SHEET_NAME.sub(
            lambda match: match[1] + f'"{escape(next(new))}"'.encode(),
            self._package.read(self._book),
        )
        return self._package.copy_with(self._book, content)

    def _main_part(self) -> str:
        if _USUAL in self._package:
            return _USUAL
        for kind, part in relations(self._package, "").values():
            if kind == "officeDocument":
                return part
        return _USUAL

    def _extent(self, markup: SheetMarkup) -> tuple[int, int]:
        """The last row and column that the reader would lay out, or an upper bound if that is small
        anyway.

        The last row and the widest letters give an upper bound quickly; only if that is too much
        are the filled cells checked one by one.
        """
        usual = self._budget.room // (2 * PLACE)
        # With room for all columns nothing needs to be looked at.
        if markup.rows * MAX_COLUMNS <= usual:
            return markup.rows, MAX_COLUMNS - 1
        if markup.rows * _TWO_LETTERS <= usual and _WIDE.search(markup.content) is None:
            return markup.rows, _TWO_LETTERS - 1
        right = _last_column(_LETTERS.findall(markup.content))
        if markup.rows * (right + 1) <= usual:
            return markup.rows, right
        row = 0
        letters: set[bytes] = set()
        for cell in _CELL.finditer(markup.content):
            row = max(row, int(cell[2]) - 1)
            letters.add(cell[1])
        return row, _last_column(letters)

    def _tables(self, part: str) -> Iterator[TableObject]:
        for kind, name in relations(self._package, part).values():
            if kind == "table" and name in self._package:
                markups = self._package.elements(name, ("table",))
                table = markups[0].attributes if markups else {}
                first, _, last = table.get("ref", "").partition(":")
                try:
                    top, left = parse_address(first)
                    bottom, right = parse_address(last or first)
                    heads, totals = (
                        _few(table.get(key, usual), bottom - top + 1)
                        for key, usual in (("headerRowCount", "1"), ("totalsRowCount", "0"))
                    )
                except ValueError:
                    raise UnreadableError(f"its table part “{name}” is damaged") from None
                title = table.get("displayName", table.get("name", ""))
                yield TableObject(title, top, left, bottom, right, heads, totals)


def _last_column(letters: Iterable[bytes]) -> int:
    return max((column_number(content.decode()) for content in {*letters}), default=0)


def _few(text: str, rows: int) -> int:
    """How many rows of a table have a property. Raises ValueError for more than it has."""
    if not (text.isascii() and text.isdigit() and len(text) < 8 and int(text) <= rows):
        raise ValueError(text)
    return int(text)


_REFERENCE = re.compile(r"(?:'((?:[^']|'')+)'|([^'!:]+))!(\$?[A-Z]{1,3}\$?[0-9]+)(?::.*)?")


def named_cell(reference: str) -> NamedCell | None:
    """The first cell of a reference such as 'Cover sheet'!$B$3, or None if it is no such
    reference."""
    match = _REFERENCE.fullmatch(reference.strip().lstrip("="))
    if match is None:
        return None
    try:
        row, column = parse_address(match[3])
    except ValueError:
        return None
    return NamedCell((match[1] or match[2] or "").replace("''", "'"), row, column)


def _occurs(content: bytes, word: bytes) -> bool:
    """Whether a word occurs whose first letter is rare in the markup of sheets.

    Looking for that letter alone is many times faster than looking for the word.
    """
    first = word[:1]
    index = content.find(first)
    while index >= 0:
        if content.startswith(word, index):
            return True
        index = content.find(first, index + 1)
    return False


def _flaws(content: bytes) -> Iterator[tuple[tuple[int, int], Flaw]]:
    """Cells with an error value, or with a formula and no result.

    An error value begins with '#', a formula ends with its own tag: most sheets have neither, and
    are not searched any further.
    """
    if not (_occurs(content, b"#") or _occurs(content, b"f>")):
        return
    for cell in _CELL.finditer(content):
        letters, row, attributes, inner = cell.groups()
        text = _flaw(attributes, inner)
        if text is not None:
            yield (int(row) - 1, column_number(letters.decode())), Flaw(text)


_STYLED = rb'<c r="([A-Z]+)([0-9]+)"(?>[^<>]*?\bs=["\'](%b)["\'])[^<>]*+(?<!/)>'
"""An opened cell and its style; once that is found nothing before it is tried again, as a tag may
have very many."""
_FEW_STYLES = 32
"""Up to this many, cells of other styles are passed over by the search itself, which is faster."""


_Said = TypeVar("_Said")


def _styled(
    content: bytes, styles: Mapping[bytes, _Said]
) -> Iterator[tuple[tuple[int, int], _Said]]:
    """The property of each filled cell's style, for styles that have it."""
    wanted = b"|".join(styles) if len(styles) <= _FEW_STYLES else b"[0-9]+"
    for cell in re.finditer(_STYLED % wanted, content):
        if cell[3] in styles:
            yield (int(cell[2]) - 1, column_number(cell[1].decode())), styles[cell[3]]


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


def _hidden_rows(content: bytes) -> Iterator[Reach]:
    for number, attributes in _ROW.findall(content):
        if _HIDDEN.search(attributes):
            yield int(number) - 1, int(number) - 1


def _hidden_columns(content: bytes) -> Iterator[Reach]:
    # Columns are declared before the rows.
    for attributes in _COL.findall(content[: content.find(b"sheetData")]):
        if _HIDDEN.search(attributes):
            ends = {name: int(number) for name, number in _SPANNED.findall(attributes)}
            yield ends.get(b"min", 1) - 1, ends.get(b"max", 0) - 1
