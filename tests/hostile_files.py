"""Small files that ask for much: each by the name of what it does, written into a folder."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path

from raw_files import raw_ods, raw_xlsx, xlsb, zipped

_CELL = "<c><v>1</v></c>"
_A1 = '<row r="1"><c r="A1"><v>1</v></c></row>'
_ODS = '<table:table-cell{} xmlns:calcext="urn:c" {}><text:p>{}</text:p></table:table-cell>'
_ODS_CELL = _ODS.format("{}", 'office:value-type="float" office:value="1"', "1")
_ODS_ERROR = _ODS.format("{}", 'calcext:value-type="error"', "#N/A")
_COLLAPSED = '<table:table-{} table:visibility="collapse" table:number-{}-repeated="{}"/>'


def _rows(cell: str, repeat: int, columns: int = 1) -> str:
    many = cell.format(f' table:number-columns-repeated="{columns}"')
    return f'<table:table-row table:number-rows-repeated="{repeat}">{many}</table:table-row>'


def _hidden(columns: int) -> str:
    return "<cols>" + '<col min="1" max="16384" hidden="1"/>' * columns + "</cols>"


def _overlapping(path: Path) -> Path:
    """A zip file of many parts that are all the same bytes."""
    raw_xlsx(path, _A1, more={"xl/a.xml": b" " * 2**24})
    content = bytearray(path.read_bytes())
    with zipfile.ZipFile(path) as archive:
        start, count = archive.start_dir, len(archive.infolist())
    end = content.rfind(b"PK\5\6")
    entries, at = content[start:end], 0
    for _ in range(count - 1):  # the last entry is that of the large part
        at += 46 + sum(struct.unpack_from("<HHH", entries, at + 28))
    more = entries[at:] * 300
    size, total = end - start + len(more), count + 300
    tail = struct.pack("<4sHHHHIIH", b"PK\5\6", 0, 0, total, total, size, start, 0)
    path.write_bytes(bytes(content[:end]) + bytes(more) + tail)
    return path


def _text(text: str) -> Callable[[Path], Path]:
    def write(path: Path) -> Path:
        path.write_text(text, encoding="utf-8")
        return path

    return write


def _many_hidden_xlsb(path: Path) -> Path:
    kind = bytes([60])
    column = kind + bytes([18]) + struct.pack("<IIIIBB", 0, 16_383, 0, 0, 1, 0)
    xlsb(path, {(0, 0): 1.0})
    with zipfile.ZipFile(path) as archive:
        parts: dict[str, str | bytes] = {one: archive.read(one) for one in archive.namelist()}
    name = "xl/worksheets/sheet1.bin"
    sheet = bytes(parts[name])  # type: ignore[arg-type]
    parts[name] = sheet[:3] + column * 60_000 + sheet[3:]
    return zipped(path, parts)


def _xlsx(rows: str, **more: str) -> Callable[[Path], Path]:
    return lambda path: raw_xlsx(path, rows, **more)  # type: ignore[arg-type]


def _with_part(name: str, content: str) -> Callable[[Path], Path]:
    return lambda path: raw_xlsx(path, _A1, more={name: content})


def _ods(rows: str, tabs: int = 1) -> Callable[[Path], Path]:
    return lambda path: raw_ods(path, rows, tabs)


HOSTILE: Mapping[str, Callable[[Path], Path]] = {
    "no_row_numbers.xlsx": _xlsx("<row/>" * 100_000 + '<row><c r="XFD1"><v>1</v></c></row>'),
    "row_break.xlsx": _xlsx(
        f'{_A1}<row\nr="1048576"><c r="XFD1048576"><v>1</v></c></row>'
    ),
    "no_addresses.xlsx": _xlsx(
        f"<row>{_CELL * 16_384}</row>" + "<row/>" * 99_999 + f"<row>{_CELL}</row>"
    ),
    "small_letters.xlsx": _xlsx('<row r="1048576"><c r="xfd1048576"><v>1</v></c></row>'),
    "far_letters.xlsx": _xlsx('<row r="1"><c r="AAAAAAA1"><v>1</v></c></row>'),
    "far_row.xlsx": _xlsx('<row r="1"><c r="A99999999"><v>1</v></c></row>'),
    "hidden_columns.xlsx": _xlsx(_A1, before=_hidden(60_000)),
    "open_cells.xlsx": _xlsx('<!-- ' + '<c r="A1">' * 200_000 + f'-->{_A1}'),
    "open_tags.xlsx": _xlsx('<row r="1"><c r="A1"><f' + "<f" * 200_000 + "</c></row>"),
    "same_cell.xlsx": _xlsx('<row r="1">' + '<c r="A1"><v>1</v></c>' * 8_000_000 + "</row>"),
    "shared_texts.xlsx": _with_part(
        "xl/sharedStrings.xml", "<sst>" + "<si><t/></si>" * 12_000_000 + "</sst>"
    ),
    "styles.xlsx": _with_part(
        "xl/styles.xml",
        '<styleSheet><numFmts><numFmt numFmtId="200" formatCode="000"/></numFmts><cellXfs>'
        + '<xf numFmtId="200"/>' * 8_000_000 + "</cellXfs></styleSheet>",
    ),
    "book.xlsx": _with_part(
        "xl/workbook.xml", "<workbook><sheets>" + '<sheet name="a"/>' * 8_000_000 + "</sheets>"
    ),
    "overlapping.xlsx": _overlapping,
    "hidden_columns.xlsb": _many_hidden_xlsb,
    "rows.ods": _ods(_rows(_ODS_CELL, 1_048_576, 16)),
    "errors.ods": _ods(_rows(_ODS_ERROR, 1_000_000, 16)),
    "columns.ods": _ods(_rows(_ODS_CELL, 1_000, 16_384)),
    "tabs.ods": _ods(_rows(_ODS_CELL, 65_536, 16), 400),
    "hidden.ods": _ods(
        _COLLAPSED.format("column", "columns", 16_383) * 60_000
        + _rows(_ODS_CELL, 1)
    ),
    "hidden_rows.ods": _ods(
        _COLLAPSED.format("row", "rows", 1_023) * 60_000
        + _rows(_ODS_CELL, 1)
    ),
    "spans.html": _text(
        "<table>" + "<tr>" + '<td rowspan="1000" colspan="1000">1</td>' * 100 + "</tr></table>"
    ),
    "grid.html": _text(
        "<table><tr>" + "<td colspan=1000>1" * 16 + "</tr>" + "<tr><td>1" * 60_000 + "</table>"
    ),
    "ragged.csv": _text(";".join("a" * 100_000) + "\n" + "1\n" * 100_000),
    "commas.csv": _text(("," * 99 + "\n") * 60_000),
    "long_cells.csv": _text("a,b\n" + "x" * 2_000_000 + ",1\n" + "2,3\n"),
}  # fmt: skip
"""What each file is called, and what writes it; all are below 5 MB."""
