"""An .xlsx file with marks added: notes and borders at cells, a list in front; everything else
unchanged.

Parts by ECMA-376 part 1: borders 18.8.4, comments 18.7, their shapes part 4, 19.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from lxml import etree

from boreotabula.errors import CallError
from boreotabula.findings.kind import Severity
from boreotabula.layout.addresses import Address, column_letters
from boreotabula.review.mark.faults import COLOURS
from boreotabula.review.mark.front import WIDTHS, Front, FrontLook
from boreotabula.sheets.marked import MARKED_NAME
from boreotabula.sheets.parts.editing import (
    Package,
    add,
    open_package,
    relation_of,
    usual_parts,
)
from boreotabula.sheets.parts.tab_names import free_name
from boreotabula.sheets.parts.worksheet import (
    Worksheet,
    cells_by_column,
    parsed,
    put_cells,
    set_style,
    style_of,
    unselect,
)
from boreotabula.stores.xlsx_rows import without_forbidden, xml_text

_BOOK = "xl/workbook.xml"
_STYLES = "xl/styles.xml"
_TYPES = "[Content_Types].xml"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_RELATED = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_MACROS = "application/vnd.ms-excel.sheet.macroEnabled.main+xml"
_PLAIN = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"
_AFTER_NOTES = (
    "legacyDrawingHF", "picture", "oleObjects", "controls", "webPublishItems", "tableParts",
    "extLst",
)  # fmt: skip
"""The elements that follow the reference to the shapes of notes in a worksheet (18.3.1.99)."""


@dataclass(frozen=True)
class Mark:
    """The text at a cell."""

    at: Address
    severity: Severity
    text: str


class NotSafeError(Exception):
    """A file cannot be marked without changing more than its marks."""


def write_marked(
    path: Path,
    marks: Mapping[str, Sequence[Mark]],
    front: Front,
    stream: BinaryIO,
) -> None:
    """Write a copy of a workbook with marks on its tabs and a list in front of them.

    Raises NotSafeError if that cannot be done without changing more.
    """
    try:
        package = open_package(path)
    except CallError as error:
        raise NotSafeError(str(error)) from None
    try:
        with usual_parts():
            if why := package.why_fixed():
                raise NotSafeError(why)
            _without_macros(package)
            borders = _Borders(package)
            parts = package.tabs()
            for tab, mark in marks.items():
                if tab in parts:
                    _mark_cells(package.worksheet(parts[tab]), mark, borders)
                    _add_notes(package, parts[tab], mark)
            _add_front(package, front, borders)
            borders.put()
            package.write(stream)
    except CallError as error:
        raise NotSafeError(str(error)) from None
    finally:
        package.close()


def _without_macros(package: Package) -> None:
    """Turn a workbook with macros into one without."""
    root = package.tree(_TYPES)
    for value in root.iter("{*}Override"):
        if value.get("ContentType") == _MACROS:
            value.set("ContentType", _PLAIN)
            package.put_tree(_TYPES, root)
            for name in package.related(_BOOK, "/vbaProject").values():
                package.drop(name, of=_BOOK)
            return


# --- borders -------------------------------------------------------------------------------------


class _Borders:
    """Cell styles with an added border: each is made once."""

    def __init__(self, package: Package) -> None:
        self._package = package
        self._root = package.tree(_STYLES)
        self._cells = self._root.find("{*}cellXfs")
        self._borders = self._root.find("{*}borders")
        if self._cells is None or self._borders is None:
            raise NotSafeError("it has no cell styles")
        self._made: dict[tuple[int, Severity], int] = {}
        self._border: dict[Severity, int] = {}

    def style(self, number: int, severity: Severity) -> int:
        """The index of a style like another, with a border."""
        key = number, severity
        if key not in self._made:
            # Some programs write numbers of styles that do not exist.
            own = copy.deepcopy(self._cells[min(number, len(self._cells) - 1)])
            own.set("borderId", str(self._border_of(severity)))
            own.set("applyBorder", "1")
            self._cells.append(own)
            self._made[key] = len(self._cells) - 1
            self._cells.set("count", str(len(self._cells)))
        return self._made[key]

    def _border_of(self, severity: Severity) -> int:
        if severity not in self._border:
            border = add(self._borders, "border", {})
            for side in ("left", "right", "top", "bottom"):
                line = add(border, side, {"style": "thick"})
                add(line, "color", {"rgb": f"FF{COLOURS[severity]}"})
            add(border, "diagonal", {})
            self._border[severity] = len(self._borders) - 1
            self._borders.set("count", str(len(self._borders)))
        return self._border[severity]

    def font(self, **parts: Mapping[str, str]) -> int:
        """The index of a new style that has only a font, of parts such as b, sz, u and color."""
        fonts = self._root.find("{*}fonts")
        if fonts is None:
            return 0
        font = add(fonts, "font", {})
        for name, attributes in parts.items():
            add(font, name, attributes)
        fonts.set("count", str(len(fonts)))
        own = {"numFmtId": "0", "fontId": str(len(fonts) - 1), "fillId": "0", "borderId": "0"}
        add(self._cells, "xf", {**own, "xfId": "0", "applyFont": "1"})
        self._cells.set("count", str(len(self._cells)))
        return len(self._cells) - 1

    def put(self) -> None:
        """Write the styles."""
        self._package.put_tree(_STYLES, self._root)


def _mark_cells(sheet: Worksheet, marks: Sequence[Mark], borders: _Borders) -> None:
    if not sheet.is_addressed:
        raise NotSafeError("it has cells without an address")
    for mark in reversed(marks):  # of several at a cell the first one wins
        row = sheet.row(mark.at.row)
        cell = cells_by_column(row).get(mark.at.column)
        if cell is None:
            (cell,) = sheet.made(f'<c r="{mark.at}"/>')
            put_cells(row, {mark.at.column: cell})
        set_style(cell, borders.style(style_of(cell) or 0, mark.severity))
        sheet.put(mark.at.row, row)


# --- notes ---------------------------------------------------------------------------------------


def _add_notes(package: Package, part: str, marks: Sequence[Mark]) -> None:
    texts: dict[Address, list[str]] = {}
    for mark in marks:
        texts.setdefault(mark.at, []).append(mark.text)
    notes = next(iter(package.related(part, "/comments").values()), None)
    value = package.tree(notes) if notes else None
    root = value if value is not None else etree.fromstring(
        f'<comments xmlns="{_MAIN}"><authors/><commentList/></comments>'.encode()
    )  # fmt: skip
    authors, listed = root.find("{*}authors"), root.find("{*}commentList")
    author = str(len(authors))
    add(authors, "author", {}).text = "Boreotabula"
    values = {one.get("ref"): one for one in listed}
    new: list[Address] = []
    for address, said in sorted(texts.items()):
        note = values.get(str(address))
        if note is None:
            note = add(listed, "comment", {"ref": str(address), "authorId": author})
            add(note, "text", {})
            new.append(address)
        text = note.find("{*}text")
        run = add(text, "r", {})
        lead = "\n\n" if len(text) > 1 else ""
        written = add(run, "t", {})
        written.set("{http://www.w3.org/XML/1998/namespace}space", "preserve")
        written.text = lead + without_forbidden("\n\n".join(dict.fromkeys(said)))
    if notes is None:
        notes = package.new_name("xl/comments{}.xml")
        package.put_tree(notes, root)
        package.relate(part, "/comments", notes)
        package.declare(notes, "comments")
    else:
        package.put_tree(notes, root)
    _add_shapes(package, part, new)


_SHAPES_HEAD = (
    '<xml xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office"'
    ' xmlns:x="urn:schemas-microsoft-com:office:excel">'
)
_SHAPES = (
    f'{_SHAPES_HEAD}<o:shapelayout v:ext="edit">'
    '<o:idmap v:ext="edit" data="{number}"/></o:shapelayout><v:shapetype id="_x0000_t202"'
    ' coordsize="21600,21600" o:spt="202" path="m,l,21600r21600,l21600,xe"><v:stroke'
    ' joinstyle="miter"/><v:path gradientshapeok="t" o:connecttype="rect"/></v:shapetype></xml>'
)
_SHAPE = (
    '<v:shape id="_x0000_s{id}" type="#_x0000_t202" style="position:absolute;margin-left:80pt;'
    'margin-top:5pt;width:220pt;height:90pt;z-index:1;visibility:hidden" fillcolor="#ffffe1"'
    ' o:insetmode="auto"><v:fill color2="#ffffe1"/><v:path o:connecttype="none"/><v:textbox'
    ' style="mso-direction-alt:auto"><div style="text-align:left"></div></v:textbox>'
    '<x:ClientData ObjectType="Note"><x:MoveWithCells/><x:SizeWithCells/><x:Anchor>{left}, 12,'
    " {row}, 2, {right}, 12, {bottom}, 4</x:Anchor><x:AutoFill>False</x:AutoFill>"
    "<x:Row>{row}</x:Row><x:Column>{column}</x:Column></x:ClientData></v:shape>"
)
_FIRST_MAP = 60
"""Files count the ids of their shapes from 1; these stay clear of them."""


def _add_shapes(package: Package, part: str, spots: Sequence[Address]) -> None:
    """The boxes of notes, which programs need to show them."""
    if not spots:
        return
    name = next(iter(package.related(part, "/vmlDrawing").values()), None)
    if name is None:
        name = package.new_name("xl/drawings/vmlDrawing{}.vml")
        number = _FIRST_MAP + int(re.sub(r"\D", "", name.rpartition("/")[2]) or 1)
        root = etree.fromstring(_SHAPES.format(number=number).encode())
        first = number * 1024 + 1
        _declare_shapes(package)
        _refer(package.worksheet(part), package.relate(part, "/vmlDrawing", name))
    else:
        root = _shapes_there(package, name)
        # The number of a shape stands in its own id, or in that of the office (o:spid).
        values = (value for shape in root.iter("{*}shape") for value in shape.attrib.values())
        ids = (re.fullmatch(r"_x0000_s(\d+)", value) for value in values)
        first = max([1024, *(int(match[1]) for match in ids if match is not None)]) + 1
    for index, spot in enumerate(spots):
        root.append(_shape(first + index, spot))
    package.put(name, etree.tostring(root))


def _shapes_there(package: Package, name: str) -> Any:
    """The boxes that a tab has; some programs leave their line breaks unclosed, as in web pages."""
    content = package.content(name)
    for text in (content, content.replace(b"<br>", b"<br/>")):
        try:
            root = parsed(text, name)
        except CallError:
            continue
        if etree.QName(root).localname == "xml":
            return root
    raise NotSafeError("the boxes of its notes cannot be read")


def _shape(number: int, address: Address) -> Any:
    row, column = address.row, address.column
    shape = _SHAPE.format(
        id=number, row=row, column=column, left=column + 1, right=column + 4, bottom=row + 6
    )
    return etree.fromstring(_SHAPES_HEAD + shape + "</xml>")[0]


def _declare_shapes(package: Package) -> None:
    root = package.tree(_TYPES)
    if not any(value.get("Extension") == "vml" for value in root.iter("{*}Default")):
        kind = "application/vnd.openxmlformats-officedocument.vmlDrawing"
        add(root, "Default", {"Extension": "vml", "ContentType": kind}, at=0)
        package.put_tree(_TYPES, root)


def _refer(sheet: Worksheet, key: str) -> None:
    """Refer to the boxes of notes in a worksheet, at the place required for that element."""
    behind = [value for value in sheet.root if etree.QName(value).localname in _AFTER_NOTES]
    value = sheet.root.index(behind[0]) if behind else None
    add(sheet.root, "legacyDrawing", {f"{{{_RELATED}}}id": key}, at=value)
    sheet.is_changed = True


# --- the list in front ---------------------------------------------------------------------------


def _add_front(package: Package, front: Front, looks: _Borders) -> None:
    """Put the tab in front before all others, with links to the faults."""
    names = package.tabs()
    name = free_name(front.name, names)
    face, size = {"val": "Calibri"}, {"val": "11"}
    plain = looks.font(sz=size, name=face)
    look_of = {
        FrontLook.TITLE: looks.font(b={}, sz={"val": "14"}, name=face),
        FrontLook.TEXT: plain,
        FrontLook.HEAD: looks.font(b={}, sz=size, name=face),
        FrontLook.FAULT: plain,
    }
    linked_look = looks.font(u={}, sz=size, color={"rgb": "FF0563C1"}, name=face)
    rows, links = [], []
    for number, row in enumerate(front.rows, 1):
        if row is None:
            continue
        styles = [look_of[row.look]] * len(row.texts)
        if row.look is FrontLook.FAULT and row.tab in names:
            column = 1 if row.cell else 0
            styles[column] = linked_look
            quoted = row.tab.replace("'", "''")
            place = xml_text(f"'{quoted}'!{row.cell or 'A1'}").replace('"', "&quot;")
            links.append(f'<hyperlink ref="{"AB"[column]}{number}" location="{place}"/>')
        rows.append(_row(number, row.texts, styles))
    widths = "".join(
        f'<col min="{number}" max="{number}" width="{width}" customWidth="1"/>'
        for number, width in enumerate(WIDTHS, 1)
    )
    linked = f"<hyperlinks>{''.join(links)}</hyperlinks>" if links else ""
    text = (
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
        f'<worksheet xmlns="{_MAIN}"><sheetPr><pageSetUpPr fitToPage="1"/></sheetPr>'
        '<sheetViews><sheetView tabSelected="1" workbookViewId="0"/>'
        f"</sheetViews><cols>{widths}</cols>"
        f"<sheetData>{''.join(rows)}</sheetData>{linked}"
        '<pageSetup orientation="landscape" fitToHeight="0"/></worksheet>'
    )
    # Two selected tabs would be edited together.
    for part in names.values():
        unselect(package.worksheet(part))
    part = package.new_name("xl/worksheets/sheet{}.xml")
    package.put(part, text.encode())
    package.declare(part, "worksheet")
    key = package.relate(_BOOK, "/worksheet", part)
    _put_first(package, name, key)


def _row(number: int, texts: Sequence[str], styles: Sequence[int]) -> str:
    cells = "".join(
        f'<c r="{column_letters(index)}{number}" s="{style}" t="inlineStr"><is>'
        f'<t xml:space="preserve">{xml_text(text)}</t></is></c>'
        for index, (text, style) in enumerate(zip(texts, styles, strict=True))
        if text
    )
    return f'<row r="{number}">{cells}</row>'


def _put_first(package: Package, name: str, key: str) -> None:
    """Make a worksheet the first one: references to worksheets by index move by one."""
    book = package.tree(_BOOK)
    sheets = book.find("{*}sheets")
    number = max((int(sheet.get("sheetId") or 0) for sheet in sheets), default=0) + 1
    relation = next((text for sheet in sheets if (text := relation_of(sheet))), f"{{{_RELATED}}}id")
    add(sheets, "sheet", {"name": name, "sheetId": str(number), relation: key}, at=0)
    for value in book.iter("{*}definedName"):
        if value.get("localSheetId") is not None:
            # It counts tabs by their place, which has moved by one.
            value.set("localSheetId", str(int(value.get("localSheetId")) + 1))
    for value in book.iter("{*}workbookView"):
        # The sender is to see the list first.
        value.set("activeTab", "0")
        value.set("firstSheet", "0")
    names = book.find("{*}definedNames")
    if names is None:
        before = [one for part in ("sheets", "functionGroups", "externalReferences")
                  for one in book.findall(f"{{*}}{part}")]  # fmt: skip
        names = add(book, "definedNames", {}, at=book.index(before[-1]) + 1)
    quoted = name.replace("'", "''")
    add(names, "definedName", {"name": MARKED_NAME, "hidden": "1"}).text = f"'{quoted}'!$A$1"
    package.put_tree(_BOOK, book)
