"""Files of every kind: what is read is what is there; what cannot be read is said."""

from __future__ import annotations

import pickle
import zipfile
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter

from boreotabula.limits import Limits
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.kinds import FileKind
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Flaw, Sheet, Span, Visibility
from boreotabula.sheets.text import TextForm
from boreotabula.unreadable import UnreadableError
from helpers import span, write_workbook
from raw_files import raw_ods, raw_xlsx, xlsb

FILES = Path(__file__).parents[1] / "files"


def only_sheet(path: Path, opening: Opening | None = None) -> Sheet:
    with Workbook(path, opening) as book:
        return book.sheet(book.tabs[0].name)


def trouble(path: Path, opening: Opening | None = None) -> str:
    """Why a file, or its first tab, cannot be read."""
    with pytest.raises(UnreadableError) as caught, Workbook(path, opening) as book:
        book.sheet(book.tabs[0].name)
    assert caught.value.advice
    return str(caught.value)


@pytest.mark.parametrize(
    ("name", "kind"), [("bench.xls", FileKind.XLS), ("bench.ods", FileKind.ODS)]
)
def test_what_other_programs_saved_reads_as_it_was_written(name: str, kind: FileKind) -> None:
    with Workbook(FILES / name) as book:
        assert book.kind is kind
        assert [tab.visibility for tab in book.tabs] == [Visibility.VISIBLE, Visibility.HIDDEN]
        sheet = book.sheet("Bench 1")
    assert sheet.rows[2] == ["Spruce", "007", Flaw("#DIV/0!"), Flaw("#N/A")]
    assert sheet.rows[3] == ["Pine", "a\nb", 123456789012345.0, 2.5]
    assert sheet.rows[5][:3] == [date(2026, 4, 1), time(6), timedelta(hours=30)]
    assert (sheet.rows[6][0], cell_text(sheet.rows[6][0])) == (7.0, "007")
    assert (sheet.hidden_rows, sheet.hidden_columns) == ((3,), (1,))
    assert sheet.merges == (span("C1:D1"),)


@pytest.mark.parametrize(
    ("form", "number", "text"),
    [
        ("000", 7, "007"), ("000", 1234, "1234"), ("00\\-000", 1234, "01-234"),
        ('"P"0000', 12, "P0012"), ("00 00 00;-0", 123456, "12 34 56"), ('"A"0', 7, "A7"),
        ("0", 7, "7"), ("0.00", 7, "7"), ("000", 7.5, "7.5"), ("000", -7, "-7"), ("#,##0", 7, "7"),
    ],
)  # fmt: skip
def test_a_number_shown_as_a_code_keeps_the_text_that_is_seen(
    tmp_path: Path, form: str, number: float, text: str
) -> None:
    with xlsxwriter.Workbook(tmp_path / "a.xlsx") as book:
        book.add_worksheet().write_number("B2", number, book.add_format({"num_format": form}))
    cell = only_sheet(tmp_path / "a.xlsx").rows[1][1]
    assert (cell, cell_text(cell)) == (number, text)
    again = pickle.loads(pickle.dumps(cell))
    assert (again, cell_text(again)) == (number, text)


def test_an_xlsb_workbook_reads_as_it_was_written(tmp_path: Path) -> None:
    cells: dict[tuple[int, int], float | str | int] = {
        (0, 0): "Species", (0, 1): "A", (2, 0): "Spruce", (2, 1): 7.0, (3, 1): 0x2A,
    }  # fmt: skip
    sheet = only_sheet(xlsb(tmp_path / "a.xlsb", cells, hidden=2))
    assert sheet.rows == [["Species", "A"], ["", ""], ["Spruce", 7.0], ["", Flaw("#N/A")]]
    assert sheet.hidden_rows == (2,)


def test_an_xlsx_workbook_reads_as_it_was_written(tmp_path: Path) -> None:
    path = tmp_path / "a.xlsx"
    with xlsxwriter.Workbook(path, {"date_1904": True}) as book:
        tab = book.add_worksheet("Bench 1")
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        tab.write_datetime("A1", datetime(2026, 4, 1), day)
        tab.write_number("B1", 0.25, book.add_format({"num_format": "hh:mm"}))
        tab.write_number("C1", 1.25, book.add_format({"num_format": "[h]:mm"}))
        tab.write_number("D1", 123456789012345)
        tab.write_string("E1", "0123")
        tab.write_rich_string("F1", book.add_format({"bold": True}), "bold", " plain")
        tab.write_string("G1", "two\nlines")
        tab.write_formula("A2", "=1/0", None, "#DIV/0!")
        tab.write_formula("B2", "=SUM(C2:D2)", None, "")
        tab.write_formula("C2", "=2*3", None, 6)
        tab.set_row(1, None, None, {"hidden": True})
        tab.set_column("E:E", None, None, {"hidden": True})
        tab.add_table("A4:B6", {"name": "tblStock", "total_row": True})
        book.define_name("keeper", "='Bench 1'!$E$1")
        book.add_chartsheet("Chart")
        book.add_worksheet("Away").very_hidden()
    with Workbook(path) as book:
        assert [(tab.name, tab.visibility.value) for tab in book.tabs] == [
            ("Bench 1", "visible"), ("Away", "very hidden"),
        ]  # fmt: skip
        sheet, names = book.sheet("Bench 1"), book.names()
    assert sheet.rows[0] == [
        date(2026, 4, 1), time(6), timedelta(hours=30), 123456789012345.0, "0123", "bold plain",
        "two\nlines",
    ]  # fmt: skip
    missing = Flaw("=SUM(C2:D2) (a formula without a stored result)")
    assert sheet.rows[1][:3] == [Flaw("#DIV/0!"), missing, 6.0]
    assert (sheet.hidden_rows, sheet.hidden_columns) == ((1,), (4,))
    (table,) = sheet.tables
    assert (table.name, table.top, table.right, table.totals_rows) == ("tblStock", 3, 1, 1)
    assert (names["keeper"].tab, names["keeper"].row, names["keeper"].column) == ("Bench 1", 0, 4)


def test_flaws_are_seen_however_the_markup_is_written(tmp_path: Path) -> None:
    rows = (
        "<row><c t='e'><f>A2</f><v>#REF!</v></c><c><f>B2</f></c></row>"
        '<row r="3"><c r="B3" s="1"/><c r="C3"><f t="shared" si="0"/><v></v></c>'
        '<c r="D3" t="str"><f>X</f><v></v></c><c r="E3"><v>5</v></c></row>'
    )
    sheet = only_sheet(raw_xlsx(tmp_path / "a.xlsx", rows))
    assert sheet.rows[0][:2] == [Flaw("#REF!"), Flaw("=B2 (a formula without a stored result)")]
    assert sheet.rows[2] == ["", "", Flaw("=… (a formula without a stored result)"), "", 5.0]


def test_a_sheet_that_declares_a_million_empty_rows_is_small(tmp_path: Path) -> None:
    rows = '<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576" s="1"/></row>'
    before = '<dimension ref="A1:XFD1048576"/>'
    sheet = only_sheet(raw_xlsx(tmp_path / "a.xlsx", rows, before))
    assert (sheet.height, sheet.width) == (1, 1)


FAR = '<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row>'
FAR_ODS = (
    '<table:table-row table:number-rows-repeated="1048575"><table:table-cell/></table:table-row>'
    '<table:table-row><table:table-cell table:number-columns-repeated="16383"/>'
    '<table:table-cell office:value-type="float" office:value="1"><text:p>1</text:p>'
    "</table:table-cell></table:table-row>"
)
ENTITIES = '<!DOCTYPE w [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>'


def test_hostile_workbooks_are_refused_within_bounds(tmp_path: Path) -> None:
    assert "XFD1048576" in trouble(raw_xlsx(tmp_path / "far.xlsx", FAR))
    backward = "".join(f"{row}</row>" for row in reversed(FAR.split("</row>")[:2]))
    assert "XFD1048576" in trouble(raw_xlsx(tmp_path / "back.xlsx", backward))
    assert "XFD1048576" in trouble(raw_xlsx(tmp_path / "quoted.xlsx", FAR.replace('"', "'")))
    prefixed = FAR.replace("</", "</x:").replace("<r", "<x:r").replace("<c", "<x:c")
    assert "XFD1048576" in trouble(
        raw_xlsx(tmp_path / "prefix.xlsx", prefixed.replace("<v", "<x:v"), prefix="x:")
    )
    assert "entities" in trouble(raw_xlsx(tmp_path / "bomb.xlsx", FAR, head=ENTITIES))
    cells = {(1_048_575, 16_383): 1.0, (0, 0): 1.0}
    assert "XFD1048576" in trouble(xlsb(tmp_path / "far.xlsb", cells))
    assert "XFD1048576" in trouble(raw_ods(tmp_path / "far.ods", FAR_ODS))
    near = FAR_ODS.replace("1048575", "2").replace("16383", "1")
    assert only_sheet(raw_ods(tmp_path / "near.ods", near)).rows[2] == ["", 1.0]
    zipped = raw_xlsx(tmp_path / "zip.xlsx", "<row/>" * 2_000_000)
    small = Opening(limits=Limits(1))
    assert "more than the 1 MiB" in trouble(zipped, small)
    lying = bytearray(zipped.read_bytes())
    size = len("<row/>") * 2_000_000
    with zipfile.ZipFile(zipped) as archive:
        size = archive.getinfo("xl/worksheets/sheet1.xml").file_size
    false = bytes(lying).replace(size.to_bytes(4, "little"), (99).to_bytes(4, "little"))
    (tmp_path / "lying.xlsx").write_bytes(false)
    assert trouble(tmp_path / "lying.xlsx", small)


@pytest.mark.parametrize(
    ("place", "bytes_", "why"),
    [
        (44, b"\xff\xff\xff\x0f", "counts more sectors than it has"),
        ("size", b"\0\0\0\0\xff\xff\xff\x0f\0\0\xff\0", "declares 268,435,455 rows × 255 columns"),
        ("size", b"\xff\0\0\0\6\0\0\0\0\0\4\0", "declares to end before it begins"),
    ],
)
def test_an_xls_that_would_take_the_process_down_is_refused(
    tmp_path: Path, place: int | str, bytes_: bytes, why: str
) -> None:
    data = bytearray((FILES / "bench.xls").read_bytes())
    declared = b"\0\2\x0e\0"  # the record that declares the size of the first tab
    at = place if isinstance(place, int) else data.index(declared) + len(declared)
    data[at : at + len(bytes_)] = bytes_
    (tmp_path / "a.xls").write_bytes(data)
    assert why in trouble(tmp_path / "a.xls")


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "the file is empty"),
        (b"%PDF-1.7 ...", "it is a PDF document, not a table"),
        (b"\x89PNG\r\n\x1a\n", "it is a picture, not a table"),
        (b"\0\1\2\3" * 20, "it is neither a workbook nor text"),
        (b"lot,count\nA,1\nB\0,2\n", "it has a character of value 0 in line 3"),
        (b"PK\x03\x04 cut off", "it is damaged, perhaps because it was cut off"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 cut off", "it is damaged, or was cut off"),
        (b"<html><body>hello</body></html>", "it is a web page without a table"),
        (b'<?xml version="1.0"?><?mso-application progid="Excel.Sheet"?>', "the XML form of 2003"),
    ],
)
def test_what_is_no_table_is_told_by_what_it_is(tmp_path: Path, content: bytes, why: str) -> None:
    (tmp_path / "a.xlsx").write_bytes(content)
    assert why in trouble(tmp_path / "a.xlsx")


def test_protected_and_damaged_workbooks_are_told(tmp_path: Path) -> None:
    assert trouble(FILES / "protected.xlsx") == "it is protected by a password"
    whole = write_workbook(tmp_path / "a.xlsx", {"Bench 1": [["x", 1]]})
    with zipfile.ZipFile(tmp_path / "b.xlsx", "w") as archive:
        archive.writestr("readme.txt", "no workbook")
    assert trouble(tmp_path / "b.xlsx") == "it is a zipped file, but no workbook"
    for cut in range(50, len(whole.read_bytes()), 400):
        (tmp_path / "c.xlsx").write_bytes(whole.read_bytes()[:cut])
        assert trouble(tmp_path / "c.xlsx")


NORTH = "Art;Mengde\r\nGrønnfjær;1,5\r\n"


@pytest.mark.parametrize(
    ("data", "rows", "said"),
    [
        (NORTH.encode(), 2, "UTF-8 text, delimiter semicolon"),
        (NORTH.encode("utf-8-sig"), 2, "UTF-8 text, delimiter semicolon"),
        (NORTH.encode("utf-16"), 2, "UTF-16 text"),
        (NORTH.encode("utf-16-le"), 2, "UTF-16-LE text"),
        (NORTH.encode("cp1252"), 2, "CP1252 text"),
        (NORTH.replace(";", "|").encode("ascii", "replace"), 2, "ASCII text, delimiter pipe"),
        (NORTH.replace(";", "\t").encode(), 2, "delimiter tab"),
        (b'a,"x\ny"\nb,"1,2"\n', 2, "delimiter comma"),
        (b"2,5;1\n3,5;2\n", 2, "delimiter semicolon"),
    ],
)
def test_encoding_and_delimiter_of_a_text_are_found(
    tmp_path: Path, data: bytes, rows: int, said: str
) -> None:
    (tmp_path / "a.txt").write_bytes(data)
    with Workbook(tmp_path / "a.txt") as book:
        assert said in book.remarks[0]
        sheet = book.sheet("")
    assert (sheet.height, sheet.width) == (rows, 2)
    if b"Art" in data and b"?" not in data:
        assert sheet.rows[1] == ["Grønnfjær", "1,5"]


def test_the_layout_fixes_how_a_text_is_written(tmp_path: Path) -> None:
    (tmp_path / "a.dat").write_bytes("'a~b'~ø".encode("cp865"))
    form = TextForm(delimiter="~", encoding="cp865", quote="'")
    assert only_sheet(tmp_path / "a.dat", Opening(form)).rows == [["a~b", "ø"]]
    wrong = Opening(TextForm(encoding="ascii"))
    assert trouble(tmp_path / "a.dat", wrong) == "it is not written in ascii"


@pytest.mark.parametrize(
    ("name", "content", "remark"),
    [
        ("a.xls", b"a;b\n1;2\n", "this is a text file, whatever its ending .xls says"),
        ("a.csv", None, "this is an .xlsx workbook, whatever its ending .csv says"),
    ],
)
def test_a_file_is_what_its_content_says(
    tmp_path: Path, name: str, content: Any, remark: str
) -> None:
    path = write_workbook(tmp_path / "a.xlsx", {"Bench 1": [["a", "b"], [1, 2]]})
    (tmp_path / name).write_bytes(content or path.read_bytes())
    with Workbook(tmp_path / name) as book:
        assert remark in book.remarks[0]
        assert book.sheet(book.tabs[0].name).rows[0] == ["a", "b"]


def test_the_first_table_of_a_web_page_is_read(tmp_path: Path) -> None:
    page = (
        "<html><meta charset=utf-8><table><tr><th rowspan=2>Art<th colspan=2>Pot&nbsp;95</tr>"
        "<tr><td>A<td>B</tr><tr><td>Grønn<td>1<td>2</table><table><tr><td>x</table>"
    )
    (tmp_path / "a.xls").write_bytes(page.encode())
    with Workbook(tmp_path / "a.xls") as book:
        assert any("first of its 2 tables" in remark for remark in book.remarks)
        sheet = book.sheet("")
    assert sheet.rows == [["Art", "Pot 95", ""], ["", "A", "B"], ["Grønn", "1", "2"]]
    assert sheet.merges == (Span(0, 0, 1, 0), Span(0, 1, 0, 2))
