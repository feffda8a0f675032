"""The parts of an .xlsx package (ECMA-376 part 2): read, changed one by one, written as they were.

Parts are changed as text, not parsed and written anew: what a part holds besides the place that
changes stays byte for byte as it was, whatever program wrote it.
"""

from __future__ import annotations

import posixpath
import re
import shutil
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, BinaryIO
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr, unescape

from boreotabula.errors import CallError

_TABLE = "/table"
_SHEET = "/worksheet"
_BOOK = "xl/workbook.xml"


@dataclass
class Replaced:
    """A worksheet part with other rows: what stands before them, they, and what stands after."""

    before: bytes
    rows: BinaryIO
    heading: bytes
    after: bytes


@dataclass
class Package:
    """The parts of a workbook by name, those that were changed apart."""

    source: zipfile.ZipFile
    changed: dict[str, bytes] = field(default_factory=dict)
    sheets: dict[str, Replaced] = field(default_factory=dict)

    def names(self) -> list[str]:
        """All parts."""
        there = [one.filename for one in self.source.infolist() if not one.is_dir()]
        return list(dict.fromkeys([*there, *self.changed, *self.sheets]))

    def text(self, name: str) -> str:
        """A part as text; empty if there is none."""
        if name in self.changed:
            return self.changed[name].decode()
        try:
            return self.source.read(name).decode()
        except KeyError:
            return ""

    def put(self, name: str, text: str) -> None:
        """Change a part, or add one."""
        self.changed[name] = text.encode()

    def related(self, name: str, ending: str) -> dict[str, str]:
        """The parts that a part refers to by relations of a type: their names by relation id."""
        found: dict[str, str] = {}
        text = self.text(relations_of(name))
        for tag in re.findall(r"<(?:\w+:)?Relationship\b[^>]*>", text):
            kind, target, key = (attribute(tag, one) for one in ("Type", "Target", "Id"))
            if kind.endswith(ending):
                whole = posixpath.join(posixpath.dirname(name), target)
                found[key] = posixpath.normpath(
                    target.lstrip("/") if target.startswith("/") else whole
                )
        return found

    def relate(self, name: str, kind: str, target: str) -> str:
        """Add a relation from a part to another; returns its id."""
        where = relations_of(name)
        text = self.text(where) or (
            '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<Relationships xmlns='
            '"http://schemas.openxmlformats.org/package/2006/relationships"></Relationships>'
        )
        taken = set(re.findall(r'\bId="([^"]*)"', text))
        key = next(f"rId{n}" for n in range(1, len(taken) + 2) if f"rId{n}" not in taken)
        kind = f"http://schemas.openxmlformats.org/officeDocument/2006/relationships{kind}"
        path = posixpath.relpath(target, posixpath.dirname(name))
        tag = f'<Relationship Id="{key}" Type="{kind}" Target="{path}"/>'
        self.put(where, re.sub(r"</(\w+:)?Relationships>", lambda end: tag + end[0], text))
        return key

    def declare(self, name: str, kind: str) -> None:
        """Say of what content type a new part is."""
        tag = (
            f'<Override PartName="/{name}" ContentType="application/vnd.openxmlformats-'
            f'officedocument.spreadsheetml.{kind}+xml"/>'
        )
        text = self.text("[Content_Types].xml")
        self.put("[Content_Types].xml", re.sub(r"</(\w+:)?Types>", lambda end: tag + end[0], text))

    def tabs(self) -> dict[str, str]:
        """The worksheet part of each tab, by its name, in order."""
        parts = self.related(_BOOK, _SHEET)
        found: dict[str, str] = {}
        for tag in re.findall(r"<(?:\w+:)?sheet\b[^>]*>", self.text(_BOOK)):
            key = re.search(r'\b\w+:id="([^"]*)"', tag)
            if key and key[1] in parts:
                found[unescape(attribute(tag, "name"), {"&quot;": '"', "&apos;": "'"})] = parts[
                    key[1]
                ]
        return found

    def tables(self, sheet: str) -> list[str]:
        """The parts of the table objects of a worksheet."""
        return list(self.related(sheet, _TABLE).values())

    def new_name(self, form: str) -> str:
        """The first part name of a form such as 'xl/tables/table{}.xml' that is not taken."""
        taken = set(self.names())
        return next(name for n in range(1, len(taken) + 2) if (name := form.format(n)) not in taken)

    def style(self, number_format: str) -> int:
        """The cell style that has only a number format; it is added to the styles."""
        text = self.text("xl/styles.xml")
        count = re.search(r"<(\w+:)?cellXfs\b[^>]*>(.*?)</(\w+:)?cellXfs>", text, re.DOTALL)
        if count is None:
            raise CallError("the workbook has no cell styles; save it anew and try again")
        prefix = count[1] or ""
        formats = [
            (int(attribute(tag, "numFmtId")), attribute(tag, "formatCode"))
            for tag in re.findall(r"<(?:\w+:)?numFmt\b[^>]*>", text)
        ]
        code = quoteattr(number_format)
        known = next((key for key, one in formats if one == code.strip("\"'")), None)
        if known is None:
            known = max([163, *(key for key, _ in formats)]) + 1
            tag = f'<{prefix}numFmt numFmtId="{known}" formatCode={code}/>'
            text = _with_format(text, prefix, tag, len(formats) + 1)
        xf = (
            f'<{prefix}xf numFmtId="{known}" fontId="0" fillId="0" borderId="0" xfId="0"'
            ' applyNumberFormat="1"/>'
        )
        inner = count[2]
        number = len(re.findall(r"<(?:\w+:)?xf\b", inner))
        whole = f'<{prefix}cellXfs count="{number + 1}">{inner}{xf}</{prefix}cellXfs>'
        self.put("xl/styles.xml", text.replace(count[0], whole))
        return number

    def recalculate(self) -> None:
        """Have all formulas worked out when the workbook is opened.

        Their stored results are of the old records: a program that does not work them out would
        show them as if they were true, so they go.
        """
        for part in self.tabs().values():
            if part not in self.sheets:
                text = self.text(part)
                without = _RESULT.sub(_without_result, text)
                if without != text:
                    self.put(part, without)
        text = self.text(_BOOK)
        found = re.search(r"<(?:\w+:)?calcPr\b[^>]*?(/?)>", text)
        if found:
            tag = re.sub(r'\s+fullCalcOnLoad="[^"]*"', "", found[0])
            end = "/>" if tag.endswith("/>") else ">"
            tag = f'{tag.removesuffix(end)} fullCalcOnLoad="1"{end}'
            text = text.replace(found[0], tag)
        else:
            places = list(re.finditer(r"</(\w+:)?(sheets|externalReferences|definedNames)>", text))
            last = places[-1]
            prefix = last[1] or ""
            tag = f'<{prefix}calcPr fullCalcOnLoad="1"/>'
            text = text[: last.end()] + tag + text[last.end() :]
        self.put(_BOOK, text)

    def write(self, stream: BinaryIO) -> None:
        """Write all parts as a package."""
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target:
            for name in self.names():
                if name in self.sheets:
                    with target.open(name, "w", force_zip64=True) as part:
                        _write_sheet(self.sheets[name], part)
                elif name in self.changed:
                    target.writestr(name, self.changed[name])
                else:
                    info = self.source.getinfo(name)
                    with self.source.open(info) as old, target.open(name, "w") as part:
                        shutil.copyfileobj(old, part)


_RESULT = re.compile(
    r"(<(?:\w+:)?c\b[^>]*>)(\s*<(\w+:)?f\b(?:[^>]*/>|[^>]*>[^<]*</(?:\w+:)?f>)\s*)"
    r"<(?:\w+:)?v\b[^>]*>[^<]*</(?:\w+:)?v>"
)
"""A cell with a formula, up to its stored result."""


def _without_result(cell: re.Match[str]) -> str:
    return re.sub(r'\s+t="[^"]*"', "", cell[1]) + cell[2]


def _write_sheet(sheet: Replaced, part: IO[bytes]) -> None:
    part.write(sheet.before)
    part.write(sheet.heading)
    sheet.rows.seek(0)
    shutil.copyfileobj(sheet.rows, part)
    part.write(sheet.after)


def _with_format(text: str, prefix: str, tag: str, count: int) -> str:
    found = re.search(r"<(?:\w+:)?numFmts\b[^>]*>(.*?)</(?:\w+:)?numFmts>", text, re.DOTALL)
    if found:
        whole = f'<{prefix}numFmts count="{count}">{found[1]}{tag}</{prefix}numFmts>'
        return text.replace(found[0], whole)
    start = re.search(r"<(?:\w+:)?styleSheet\b[^>]*>", text)
    assert start is not None
    whole = f'<{prefix}numFmts count="1">{tag}</{prefix}numFmts>'
    return text[: start.end()] + whole + text[start.end() :]


def relations_of(name: str) -> str:
    """The part that holds the relations of a part."""
    folder, _, own = name.rpartition("/")
    return f"{folder}/_rels/{own}.rels" if folder else f"_rels/{own}.rels"


def attribute(tag: str, name: str) -> str:
    """An attribute of a start tag as it is written; empty if it has none."""
    found = re.search(rf'(?<![\w:]){name}\s*=\s*(?:"([^"]*)"|\'([^\']*)\')', tag)
    return (found[1] or found[2] or "") if found else ""


def parsed(text: str) -> ElementTree.Element:
    """A part as a tree, for looking at it."""
    return ElementTree.fromstring(text)


def open_package(path: Path | BinaryIO) -> Package:
    """The package of a workbook. Raises CallError if it is none."""
    try:
        package = Package(zipfile.ZipFile(path))
        if not package.text(_BOOK):
            raise CallError(
                f"“{path}” is no .xlsx or .xlsm workbook as spreadsheet programs write it"
            )
    except (OSError, zipfile.BadZipFile, UnicodeDecodeError, NotImplementedError) as error:
        raise CallError(f"“{path}” cannot be read as an .xlsx workbook: {error}") from None
    return package


def with_attributes(tag: str, changes: Mapping[str, str]) -> str:
    """A start tag with some attributes changed."""
    for name, value in changes.items():
        tag = re.sub(rf'(?<![\w:]){name}\s*=\s*("[^"]*"|\'[^\']*\')', f'{name}="{value}"', tag)
    return tag
