"""Files byte by byte: kinds that no library at hand writes, and such as nobody should write."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Mapping
from pathlib import Path

_TYPES = (
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="{0}" ContentType="application/xml"/></Types>'
)
_RELS = "http://schemas.openxmlformats.org/package/2006/relationships"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"


def _relations(*targets: tuple[str, str]) -> str:
    rows = "".join(
        f'<Relationship Id="rId{at}" Type="{_OFFICE}/{kind}" Target="{target}"/>'
        for at, (kind, target) in enumerate(targets, 1)
    )
    return f'<Relationships xmlns="{_RELS}">{rows}</Relationships>'


def zipped(path: Path, parts: Mapping[str, str | bytes]) -> Path:
    """A zip file of some parts."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return path


def raw_xlsx(
    path: Path,
    rows: str,
    before: str = "",
    after: str = "",
    head: str = "",
    prefix: str = "",
    more: Mapping[str, str | bytes] = {},
) -> Path:
    """An .xlsx file with one tab whose markup of rows is given; the rest is as small as may be.

    `prefix`, with its colon, stands before the names of tags; `more` are other parts, or others in
    the place of these.
    """
    space = f"xmlns:{prefix.rstrip(':')}" if prefix else "xmlns"
    return zipped(
        path,
        {
            "[Content_Types].xml": _TYPES.format("xml"),
            "_rels/.rels": _relations(("officeDocument", "xl/workbook.xml")),
            "xl/workbook.xml": f'<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}"><sheets>'
            '<sheet name="Bench 1" sheetId="1" r:id="rId1"/></sheets></workbook>',
            "xl/_rels/workbook.xml.rels": _relations(("worksheet", "worksheets/sheet1.xml")),
            "xl/worksheets/sheet1.xml": f'{head}<{prefix}worksheet {space}="{_MAIN}">{before}'
            f"<{prefix}sheetData>{rows}</{prefix}sheetData>{after}</{prefix}worksheet>",
            **more,
        },
    )


def raw_ods(path: Path, rows: str, tabs: int = 1) -> Path:
    """An .ods file whose tabs all have the markup of rows that is given."""
    names = "".join(
        f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for name in ("office", "table", "text")
    )
    content = (
        f"<office:document-content{names}><office:body><office:spreadsheet>"
        + "".join(
            f'<table:table table:name="Bench {at}">{rows}</table:table>'
            for at in range(1, tabs + 1)
        )
        + "</office:spreadsheet></office:body></office:document-content>"
    )
    manifest = '<manifest xmlns="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>'
    return zipped(
        path,
        {
            "mimetype": "application/vnd.oasis.opendocument.spreadsheet",
            "content.xml": content,
            "META-INF/manifest.xml": manifest,
        },
    )


def _record(kind: int, content: bytes = b"") -> bytes:
    """A record of [MS-XLSB] 2.1.4: number and size in 7 bits a byte, then the content."""
    head = bytes([kind & 0x7F | 0x80, kind >> 7]) if kind > 127 else bytes([kind])
    return head + bytes([len(content)]) + content


def _wide(text: str) -> bytes:
    return struct.pack("<I", len(text)) + text.encode("utf-16-le")


def xlsb(path: Path, cells: Mapping[tuple[int, int], float | str | int], hidden: int = -1) -> Path:
    """An .xlsb file with one tab; an int is the code of an error value. `hidden` is a row."""
    bottom, right = max(row for row, _ in cells), max(column for _, column in cells)
    sheet = _record(129) + _record(148, struct.pack("<IIII", 0, bottom, 0, right)) + _record(145)
    for row in sorted({row for row, _ in cells}):
        flags = 0x10 if row == hidden else 0
        sheet += _record(0, struct.pack("<IIHBBBI", row, 0, 300, 0, flags, 0, 0))
        for (at, column), value in sorted(cells.items()):
            if at != row:
                continue
            head = struct.pack("<II", column, 0)
            if isinstance(value, str):
                sheet += _record(6, head + _wide(value))
            elif isinstance(value, float):
                sheet += _record(5, head + struct.pack("<d", value))
            else:
                sheet += _record(3, head + bytes([value]))
    sheet += _record(146) + _record(130)
    tab = _record(156, struct.pack("<II", 0, 1) + _wide("rId1") + _wide("Bench 1"))
    return zipped(
        path,
        {
            "[Content_Types].xml": _TYPES.format("bin"),
            "_rels/.rels": _relations(("officeDocument", "xl/workbook.bin")),
            "xl/workbook.bin": _record(131) + _record(143) + tab + _record(144) + _record(132),
            "xl/_rels/workbook.bin.rels": _relations(("worksheet", "worksheets/sheet1.bin")),
            "xl/worksheets/sheet1.bin": sheet,
        },
    )
