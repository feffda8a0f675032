"""The parts of an .xlsx package (ECMA-376 part 2): read, changed one by one, written unchanged
otherwise.

A changed part is changed as a tree: what a parser sees in it is what is written, however a program
has written it. Unchanged parts are copied in compressed form.
"""

from __future__ import annotations

import posixpath
import shutil
import zipfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO, Any, BinaryIO

from lxml import etree

from boreotabula.errors import CallError
from boreotabula.limits import TREE, Budget, Limits
from boreotabula.sheets.parts.archive import Archive
from boreotabula.sheets.parts.worksheet import Worksheet, formula_of, parsed, read_worksheet
from boreotabula.unreadable import UnreadableError

_TABLE = "/table"
_SHEET = "/worksheet"
_BOOK = "xl/workbook.xml"
_STYLES = "xl/styles.xml"
_TYPES = "[Content_Types].xml"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
RELATED = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_LAST_BUILT_IN = 163
"""Number formats up to this one are built in (ECMA-376 part 1, 18.8.30)."""
_BEFORE_CALCULATION = ("sheets", "externalReferences", "definedNames")
"""The elements before the settings of calculation, in order (18.2.27)."""


@dataclass
class Replaced:
    """A worksheet part with replaced rows: the markup before them, the rows, and the markup
    after."""

    before: bytes
    rows: BinaryIO
    after: bytes


@dataclass
class Package:
    """The parts of a workbook by name, with changed parts kept apart."""

    archive: Archive
    changed: dict[str, bytes] = field(default_factory=dict)
    sheets: dict[str, Replaced] = field(default_factory=dict)
    dropped: set[str] = field(default_factory=set)
    folders: list[TemporaryDirectory[str]] = field(default_factory=list)
    """Temporary folders that are needed as long as it is open."""
    _worksheets: dict[str, Worksheet] = field(default_factory=dict)

    def close(self) -> None:
        """Close it."""
        self.archive.close()
        for folder in self.folders:
            folder.cleanup()

    def in_utf_16(self) -> bool:
        """Whether a part is in UTF-16, which some readers ignore."""
        return any(map(self._is_in_utf_16, self.names()))

    def _is_in_utf_16(self, name: str) -> bool:
        if not name.endswith((".xml", ".rels")):
            return False
        return name in self.archive and next(self.archive.chunks(name), b"")[:2] in _UTF_16

    def write_plain(self, stream: BinaryIO) -> None:
        """Write a copy with all parts in UTF-8."""
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target:
            for name in self.names():
                content = self.archive.read(name)
                plain = self._is_in_utf_16(name)
                target.writestr(name, _in_utf_8(content, name) if plain else content)

    def names(self) -> list[str]:
        """All parts."""
        names = dict.fromkeys([*self.archive.names, *self.changed, *self.sheets])
        return [name for name in names if name not in self.dropped]

    def content(self, name: str) -> bytes:
        """The content of a part; empty if there is none. Raises CallError if it is damaged."""
        if (sheet := self._worksheets.get(name)) is not None and sheet.is_changed:
            return b"".join(sheet.pieces())
        if name in self.changed:
            return self.changed[name]
        if name not in self.archive:
            return b""
        try:
            return self.archive.read(name)
        except UnreadableError as error:
            raise CallError(f"the workbook cannot be read: {error}") from None

    def put(self, name: str, content: bytes) -> None:
        """Change or add a part."""
        self.changed[name] = content
        self._worksheets.pop(name, None)

    def tree(self, name: str) -> Any:
        """A part as a tree; None if there is none. Raises CallError if it is damaged."""
        content = self.content(name)
        # A tree takes many times the room of its text.
        self._need(len(content) * TREE, name)
        return parsed(content, name) if content else None

    def worksheet(self, name: str) -> Worksheet:
        """A worksheet part, which can be changed. Raises CallError if it is damaged."""
        if name not in self._worksheets:
            content = self.content(name)
            self._need(len(content), name)
            try:
                sheet = read_worksheet(content, name, self.archive.budget)
            except UnreadableError as error:
                raise CallError(f"the workbook cannot be read: {error}") from None
            self._worksheets[name] = sheet
        return self._worksheets[name]

    def _need(self, size: int, name: str) -> None:
        """Raises CallError if a part takes more memory than allowed."""
        try:
            self.archive.budget.need(size, f"its part “{name}”")
        except UnreadableError as error:
            raise CallError(f"the workbook cannot be read: {error}") from None

    @property
    def is_changed(self) -> bool:
        """Whether anything has changed."""
        return bool(self.changed) or any(
            worksheet.is_changed for worksheet in self._worksheets.values()
        )

    def put_tree(self, name: str, root: Any) -> None:
        """Change or add a part, given as a tree."""
        self.changed[name] = etree.tostring(
            root, xml_declaration=True, encoding="UTF-8", standalone=True
        )

    def related(self, name: str, ending: str) -> dict[str, str]:
        """The parts that a part refers to by relations of a type: their names by relation id."""
        root = self.tree(relations_of(name))
        texts: dict[str, str] = {}
        for value in root.iter("{*}Relationship") if root is not None else ():
            target = value.get("Target", "")
            if value.get("Type", "").endswith(ending):
                whole = posixpath.join(posixpath.dirname(name), target)
                texts[value.get("Id", "")] = posixpath.normpath(
                    target.lstrip("/") if target.startswith("/") else whole
                )
        return texts

    def relate(self, name: str, kind: str, target: str) -> str:
        """Add a relation from a part to another; returns its id."""
        where = relations_of(name)
        root = self.tree(where)
        if root is None:
            root = etree.Element(f"{{{_RELATIONS}}}Relationships", nsmap={None: _RELATIONS})
        taken = {value.get("Id") for value in root.iter("{*}Relationship")}
        key = next(f"rId{n}" for n in range(1, len(taken) + 2) if f"rId{n}" not in taken)
        path = posixpath.relpath(target, posixpath.dirname(name))
        add(root, "Relationship", {"Id": key, "Type": f"{RELATED}{kind}", "Target": path})
        self.put_tree(where, root)
        return key

    def drop(self, name: str, of: str) -> None:
        """Remove a part, and the relation of another to it; does nothing if there is none."""
        if name not in self.names():
            return
        self.dropped.add(name)
        for where, key, wanted in (
            # Both as a path from the part and from the root of the package.
            (relations_of(of), "Target", posixpath.relpath(name, posixpath.dirname(of))),
            (_TYPES, "PartName", f"/{name}"),
        ):
            root = self.tree(where)
            for value in list(root):
                if value.get(key) in (wanted, f"/{name}"):
                    root.remove(value)
            self.put_tree(where, root)

    def declare(self, name: str, kind: str) -> None:
        """Declare the content type of a new part."""
        root = self.tree(_TYPES)
        content = f"application/vnd.openxmlformats-officedocument.spreadsheetml.{kind}+xml"
        add(root, "Override", {"PartName": f"/{name}", "ContentType": content})
        self.put_tree(_TYPES, root)

    def tabs(self) -> dict[str, str]:
        """The worksheet part of each tab, by its name, in order."""
        parts = self.related(_BOOK, _SHEET)
        return {
            value.get("name", ""): parts[value.get(key)]
            for value in self.tree(_BOOK).iter("{*}sheet")
            if (key := relation_of(value)) and value.get(key) in parts
        }

    def why_fixed(self) -> str:
        """Why every change would change something else as well; empty if it would not."""
        # Found by the folder, as signatures may be named in many ways.
        if any(name.startswith("_xmlsignatures/") for name in self.names()):
            return "it is signed, and a change would break the signature"
        if not self.content(_STYLES):
            return "it has no cell styles; save it in a spreadsheet program first"
        by_part: dict[str, str] = {}
        # Two tabs of one part: a change of one would change the other.
        for tab, part in self.tabs().items():
            other_text = by_part.setdefault(part, tab)
            if other_text != tab:
                return f"its tabs “{other_text}” and “{tab}” are one and the same sheet"
        return ""

    def tables(self, sheet: str) -> list[str]:
        """The parts of a worksheet's table objects; a relation to nothing counts as none."""
        return [name for name in self.related(sheet, _TABLE).values() if self.content(name)]

    def new_name(self, form: str) -> str:
        """The first unused part name of a form such as 'xl/tables/table{}.xml'."""
        taken = set(self.names())
        return next(name for n in range(1, len(taken) + 2) if (name := form.format(n)) not in taken)

    def style(self, number_format: str) -> int:
        """The cell style that has only a number format, added to the styles if it is missing."""
        root = self.tree(_STYLES)
        cells = None if root is None else root.find("{*}cellXfs")
        if cells is None:
            raise CallError("the workbook has no cell styles; save it again and try again")
        formats = {
            value.get("formatCode", ""): int(value.get("numFmtId", "0"))
            for value in root.iter("{*}numFmt")
        }
        count = formats.get(number_format)
        if count is None:
            # Numbers up to that one belong to the program itself.
            count = max([_LAST_BUILT_IN, *formats.values()]) + 1
            holder = root.find("{*}numFmts")
            if holder is None:
                holder = add(root, "numFmts", {}, at=0)
            add(holder, "numFmt", {"numFmtId": str(count), "formatCode": number_format})
            holder.set("count", str(len(holder)))
        number = len(cells)
        own = {"numFmtId": str(count), "fontId": "0", "fillId": "0", "borderId": "0", "xfId": "0"}
        add(cells, "xf", own | {"applyNumberFormat": "1"})
        cells.set("count", str(number + 1))
        self.put_tree(_STYLES, root)
        return number

    def recalculate(self) -> None:
        """Make programs calculate all formulas when the workbook is opened.

        Their stored results belong to the old records: a program that does not calculate would show
        them as if they were true, so they are removed.
        """
        # In every tab, as any may refer to the table.
        for part in self.tabs().values():
            if part not in self.sheets:
                sheet = self.worksheet(part)
                sheet.edit(sheet.with_formulas, _drop_results)
        root = self.tree(_BOOK)
        calculation = root.find("{*}calcPr")
        if calculation is None:
            before = [
                value for name in _BEFORE_CALCULATION for value in root.findall(f"{{*}}{name}")
            ]
            # The order of these elements is fixed by the standard.
            calculation = add(root, "calcPr", {}, at=root.index(before[-1]) + 1)
        calculation.set("fullCalcOnLoad", "1")
        self.put_tree(_BOOK, root)

    def write(self, stream: BinaryIO) -> None:
        """Write all parts as a package. Raises CallError if one of them is damaged."""
        try:
            self._write(stream)
        except UnreadableError as error:
            raise CallError(f"the workbook cannot be copied: {error}") from None

    def _write(self, stream: BinaryIO) -> None:
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target:
            for name in self.names():
                info = zipfile.ZipInfo(name)  # no time of day: the same parts give the same bytes
                info.compress_type = zipfile.ZIP_DEFLATED
                if name in self.sheets:
                    with target.open(info, "w", force_zip64=True) as part:
                        _write_sheet(self.sheets[name], part)
                elif (sheet := self._worksheets.get(name)) is not None and sheet.is_changed:
                    with target.open(info, "w", force_zip64=True) as part:
                        for piece in sheet.pieces():
                            part.write(piece)
                elif name in self.changed:
                    target.writestr(info, self.changed[name])
                else:
                    # Copied as it is packed: what nobody changed keeps its bytes.
                    self.archive.copy_packed(name, target)


_UTF_16 = (b"\xff\xfe", b"\xfe\xff")
"""The start of such a text."""


def _in_utf_8(content: bytes, name: str) -> bytes:
    root = parsed(content, name)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", standalone=True))


def _drop_results(row: Any) -> bool:
    """Remove the stored results of formulas from a row; returns whether it had any."""
    changed = False
    for cell in row.iterchildren("{*}c"):
        result = cell.find("{*}v")
        if result is not None and formula_of(cell) is not None:
            cell.remove(result)
            cell.attrib.pop("t", None)
            changed = True
    return changed


def _write_sheet(sheet: Replaced, part: IO[bytes]) -> None:
    part.write(sheet.before)
    sheet.rows.seek(0)
    shutil.copyfileobj(sheet.rows, part)
    part.write(sheet.after)


def add(parent: Any, name: str, attributes: Mapping[str, str], at: int | None = None) -> Any:
    """Add an element to another of the same namespace: as the last one, or at an index."""
    made = etree.SubElement(parent, etree.QName(etree.QName(parent).namespace, name))
    for key, value in attributes.items():
        made.set(key, value)
    if at is not None:
        parent.insert(at, made)
    return made


def relation_of(element: Any) -> str | None:
    """The name of the attribute that holds the id of an element's relation, if it has one."""
    return next((key for key in element.attrib if "}" in key and key.endswith("}id")), None)


def relations_of(name: str) -> str:
    """The part that holds the relations of a part."""
    folder, _, own = name.rpartition("/")
    return f"{folder}/_rels/{own}.rels" if folder else f"_rels/{own}.rels"


@contextmanager
def usual_parts(of: str = "") -> Iterator[None]:
    """Raises CallError where parts turn out not to conform to ECMA-376.

    None of the many ways to be odd is worth a rule of its own. `of` is the workbook, as the message
    names it.
    """
    try:
        yield
    except (LookupError, AttributeError, TypeError, ValueError) as error:
        raise CallError(
            f"{of}its parts are not as spreadsheet programs write them; save it in one first"
        ) from error


def open_package(path: Path | BinaryIO, limits: Limits | None = None) -> Package:
    """The package of a workbook. Raises CallError if it is none, or takes too much memory."""
    try:
        package = Package(Archive(path, Budget(limits or Limits())))
    except (OSError, UnreadableError) as error:
        raise CallError(f"“{path}” cannot be read as an .xlsx workbook: {error}") from None
    # A zip file without this part is another kind of document.
    try:
        is_book = bool(package.content(_BOOK))
    except BaseException:
        package.close()
        raise
    if not is_book:
        package.close()
        raise CallError(f"“{path}” is not an .xlsx or .xlsm workbook")
    return package
