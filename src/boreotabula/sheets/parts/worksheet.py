"""A worksheet part as trees: everything but its rows as one, each row as its own when it is needed
(ECMA-376 part 1, 18.3.1).

A sheet has far more rows than anything else, and few of them are edited at a time. A tree takes
some twenty times the memory of its markup, so rows are kept as markup, as the parser has seen them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

from lxml import etree

from boreotabula.errors import CallError
from boreotabula.layout.addresses import column_letters, parse_address
from boreotabula.limits import TREE, Budget, Limits

_PIECE = 1 << 18
_PLACE_OF_ROWS = "rows"
"""The processing instruction that stands for the rows while everything else is written. The parser
omits those of the file, so it is unique."""


@dataclass
class Worksheet:
    """A worksheet part that can be changed; rows count from 0."""

    name: str
    """The part."""
    root: Any
    """The tree without the rows."""
    rows: dict[int, bytes]
    """The markup of each row by its number, in order, without the namespaces that are declared
    around it."""
    with_formulas: set[int]
    """The rows in which a cell has a formula."""
    is_addressed: bool
    """Whether every row has its number, and every cell its address."""
    frame: tuple[bytes, bytes]
    """The start and end tag of an element that declares all namespaces which hold for rows."""
    is_changed: bool = False
    _parser: Any = field(default_factory=lambda: _parser())

    def row(self, number: int) -> Any:
        """A row as a tree of its own; one without cells if there is none."""
        markup = self.rows.get(number)
        if markup is None:
            row = self._framed(b"")
            return etree.SubElement(row, self._named("row"), r=str(number + 1))
        return self._framed(markup)[0]

    def put(self, number: int, row: Any) -> None:
        """Let a row be as a tree says, which `row` or `made` has given."""
        self.rows[number] = _markup(row, self.frame[0])
        has_formula = next(row.iter("{*}f"), None) is not None
        (self.with_formulas.add if has_formula else self.with_formulas.discard)(number)
        self.is_changed = True

    def replace(self, rows: Iterable[tuple[int, bytes]], with_formulas: set[int]) -> None:
        """Replace the rows of the sheet, given as markup."""
        self.rows, self.with_formulas = dict(rows), with_formulas
        self.is_changed = True

    def edit(self, numbers: Iterable[int], change: Callable[[Any], bool]) -> None:
        """Change rows by a function that returns whether it has changed the row."""
        for number in sorted(numbers):
            row = self.row(number)
            if change(row):
                self.put(number, row)

    def made(self, markup: str) -> list[Any]:
        """Elements of the sheet's own namespace, given markup without prefixes."""
        space = etree.QName(self.root).namespace
        content = f'<made xmlns="{space}">{markup}</made>' if space else f"<made>{markup}</made>"
        return list(etree.fromstring(content.encode(), self._parser))

    def before_and_after(self) -> tuple[bytes, bytes]:
        """The markup around the rows."""
        data = self.root.find("{*}sheetData")
        data.text = None
        mark = etree.PI(_PLACE_OF_ROWS)
        data.append(mark)
        content = etree.tostring(self.root, xml_declaration=True, encoding="UTF-8", standalone=True)
        data.remove(mark)
        before, _, after = content.partition(f"<?{_PLACE_OF_ROWS} ?>".encode())
        return before, after

    def pieces(self) -> Iterator[bytes]:
        """The whole part as it will be written, piece by piece."""
        before, after = self.before_and_after()
        yield before
        for number in sorted(self.rows):
            yield self.rows[number]
        yield after

    def _framed(self, markup: bytes) -> Any:
        return etree.fromstring(self.frame[0] + markup + self.frame[1], self._parser)

    def _named(self, name: str) -> Any:
        return etree.QName(etree.QName(self.root).namespace, name)


def read_worksheet(content: bytes, name: str, budget: Budget | None = None) -> Worksheet:
    """A worksheet part; what stands around its rows counts against a budget.

    Raises CallError if it is none, or is damaged, and OverBudgetError.
    """
    budget = budget or Budget(Limits())
    # Only these are reported, and removed as they come, so that a sheet of a million rows does
    # not become a tree.
    parser = etree.XMLPullParser(("start", "end"), tag=("{*}sheetData", "{*}row"), **_OPTIONS)
    sheet = Worksheet(name, None, {}, set(), True, (b"", b""))
    taken = 0
    try:
        for start in range(0, len(content), _PIECE):
            parser.feed(content[start : start + _PIECE])
            taken += _take_rows(parser, sheet)
            budget.need((start + _PIECE - taken) * TREE, f"its part “{name}”")
        sheet.root = parser.close()
        _take_rows(parser, sheet)
    except (etree.XMLSyntaxError, ValueError):
        raise damaged(name) from None
    data = sheet.root.find("{*}sheetData")
    if data is None or data.attrib or _declares_entities(sheet.root):
        raise damaged(name)
    try:
        _drop(list(data))
    except ValueError:
        raise damaged(name) from None
    return sheet


def _take_rows(parser: Any, sheet: Worksheet) -> int:
    """Remove the rows that have been parsed completely from the tree; returns their bytes."""
    size = 0
    for event, element in parser.read_events():
        if etree.QName(element).localname == "sheetData":
            if event == "start":
                sheet.frame = _tags(element)
        elif event == "end" and _is_row_of_sheet(element):
            size += _take_row(element, sheet)
            # The row itself stays until the next: the parser may still have to put text behind it.
            _drop(list(element.itersiblings(preceding=True)))
    return size


def _drop(rows: list[Any]) -> None:
    """Drop rows that were removed from the tree; anything else among them would be lost."""
    for row in rows:
        if etree.QName(row).localname != "row":
            raise ValueError(row.tag)
        row.getparent().remove(row)


def _take_row(row: Any, sheet: Worksheet) -> int:
    # Addresses may be left out; then the order counts.
    number = row.get("r")
    addressed = number is not None and all(cell.get("r") for cell in row.iterchildren("{*}c"))
    sheet.is_addressed &= addressed
    index = int(number) - 1 if number is not None else max(sheet.rows, default=-1) + 1
    if index in sheet.rows:
        raise ValueError(index)
    sheet.rows[index] = _markup(row, sheet.frame[0])
    if next(row.iter("{*}f"), None) is not None:
        sheet.with_formulas.add(index)
    return len(sheet.rows[index])


def _is_row_of_sheet(row: Any) -> bool:
    """Whether an element is a row of the sheet: anchors of controls have elements of that name,
    too."""
    around: str = etree.QName(row.getparent()).localname
    return around == "sheetData"


def _tags(data: Any) -> tuple[bytes, bytes]:
    """The start and end tag of an element that holds rows."""
    content = etree.tostring(data, encoding="UTF-8", with_tail=False)
    # The writer has no such sign within a tag: in values of attributes it is an entity.
    start = content[: content.index(b">")].rstrip(b"/")
    return start + b">", b"</" + _written_name(data) + b">"


def _written_name(element: Any) -> bytes:
    name = etree.QName(element).localname
    return (f"{element.prefix}:{name}" if element.prefix else name).encode()


def _markup(row: Any, start: bytes) -> bytes:
    """The markup of a row, without the namespaces that its parent's start tag declares.

    The writer repeats them, after its name, in an element that is written alone.
    """
    markup = etree.tostring(row, encoding="UTF-8", with_tail=False)
    name = b"<" + _written_name(row)
    declared = start[start.index(b" ") : -1] if b" " in start else b""
    # Otherwise each row would repeat all namespaces of the sheet.
    if declared and markup.startswith(name + declared):
        return bytes(name + markup[len(name) + len(declared) :])
    return bytes(markup)


# --- rows and cells ------------------------------------------------------------------------------


def cells_by_column(row: Any) -> dict[int, Any]:
    """The cells of a row by their columns, counted from 0."""
    return {parse_address(cell.get("r"))[1]: cell for cell in row.iterchildren("{*}c")}


def move_row(row: Any, number: int) -> None:
    """Give a row another number, counted from 0."""
    row.set("r", str(number + 1))
    for column, cell in cells_by_column(row).items():
        cell.set("r", f"{column_letters(column)}{number + 1}")


def put_cells(row: Any, cells: dict[int, Any]) -> None:
    """Put cells into a row, by column, in place of existing ones."""
    values_by_number = cells_by_column(row)
    now = values_by_number | cells
    # Cells come first in a row; behind them extensions may stand (18.3.1.73).
    row[: len(values_by_number)] = [now[column] for column in sorted(now)]
    # These are a hint of the row's width, which is wrong now.
    row.attrib.pop("spans", None)


def style_of(cell: Any) -> int | None:
    """The index of a cell's style."""
    style = cell.get("s")
    return int(style) if style else None


def set_style(cell: Any, style: int | None) -> None:
    """Give a cell a style, or none."""
    if style is None:
        cell.attrib.pop("s", None)
    else:
        cell.set("s", str(style))


def unselect(sheet: Worksheet) -> None:
    """Deselect a tab: input goes into all selected ones."""
    for view in sheet.root.iter("{*}sheetView"):
        if view.attrib.pop("tabSelected", None) is not None:
            sheet.is_changed = True


def formula_of(cell: Any) -> Any:
    """The element of a cell's formula; None if it has none."""
    return cell.find("{*}f")


# --- parsing -------------------------------------------------------------------------------------

_OPTIONS = {"resolve_entities": False, "remove_comments": True, "remove_pis": True}


def _parser() -> Any:
    return etree.XMLParser(**_OPTIONS)


def parsed(content: bytes, name: str) -> Any:
    """A part as a tree, without comments.

    Raises CallError if it is no XML, or declares a document type, which such parts must not
    (ECMA-376 part 2, 8.3.3).
    """
    try:
        root = etree.fromstring(content, _parser())
    except (etree.XMLSyntaxError, ValueError):
        raise damaged(name) from None
    if _declares_entities(root):
        raise damaged(name)
    return root


def _declares_entities(root: Any) -> bool:
    return root.getroottree().docinfo.internalDTD is not None


def damaged(name: str) -> CallError:
    """The error for a part that is no XML, or not what it should be."""
    return CallError(
        f"the workbook is damaged in “{name}”; open it in a spreadsheet program and save it again"
    )
