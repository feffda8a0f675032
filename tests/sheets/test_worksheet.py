"""A worksheet part is taken apart and put together as a parser sees it, however it is written."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from boreotabula.errors import CallError
from boreotabula.limits import Budget, Limits
from boreotabula.sheets.parts.worksheet import (
    cells_by_column,
    move_row,
    put_cells,
    read_worksheet,
    style_of,
)
from boreotabula.sheets.sheet_xml import _styled
from boreotabula.unreadable import OverBudgetError

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
STRICT = "http://purl.oclc.org/ooxml/spreadsheetml/main"
TEXTS = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=6)


def seen(content: bytes) -> bytes:
    """What a parser sees: the canonical form (W3C, Canonical XML 1.0), without comments, and
    without what is between rows."""
    root = etree.fromstring(content, etree.XMLParser(remove_comments=True))
    for data in root.iter("{*}sheetData"):
        data.text = None
        for row in data:
            row.tail = None
    return etree.tostring(root, method="c14n")


@st.composite
def worksheets(draw: st.DrawFn) -> bytes:
    """Worksheets as programs write them: prefixes, CDATA, comments, single quotes, encodings."""
    prefix, space = draw(st.sampled_from(["", "x:"])), draw(st.sampled_from([MAIN, STRICT]))
    quote, end = draw(st.sampled_from("\"'")), draw(st.sampled_from(["", "\n  "]))

    def element(name: str, inner: str, **attributes: str) -> str:
        given = "".join(f" {key}={quote}{value}{quote}" for key, value in attributes.items())
        return f"<{prefix}{name}{given}>{inner}</{prefix}{name}>{end}"

    def text() -> str:
        drawn = draw(TEXTS)
        if draw(st.booleans()) and "]]>" not in drawn:
            return f"<![CDATA[{drawn}]]>"
        comment = draw(st.sampled_from(["", "<!-- </row> -->"]))
        return drawn.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;") + comment

    rows = ""
    for number in sorted(draw(st.sets(st.integers(1, 40), max_size=5))):
        cells = ""
        for letter in sorted(draw(st.sets(st.sampled_from("ABCDE")))):
            formula = element("f", text()) if draw(st.booleans()) else ""
            value = formula + element("v", text())
            cells += element(
                "c", value, r=f"{letter}{number}", t="str", s=str(draw(st.integers(0, 9)))
            )
        rows += element("row", cells, r=str(number), spans="1:5")
    declared = f"xmlns{':x' if prefix else ''}={quote}{space}{quote} xmlns:r={quote}urn:r{quote}"
    inside = (
        element("dimension", "", ref="A1:E9") + element("sheetData", rows)
        + element("hyperlinks", element("row", text()))
    )  # fmt: skip
    encoding = draw(st.sampled_from(["UTF-8", "UTF-16"]))
    whole = (
        f'<?xml version="1.0" encoding="{encoding}"?>'
        f"<{prefix}worksheet {declared}>{inside}</{prefix}worksheet>"
    )
    return whole.encode(encoding)


@given(worksheets())
def test_what_is_not_changed_is_written_as_a_parser_sees_it(content: bytes) -> None:
    sheet = read_worksheet(content, "sheet1.xml")
    assert seen(b"".join(sheet.pieces())) == seen(content)
    for number in list(sheet.rows):
        sheet.put(number, sheet.row(number))
    assert seen(b"".join(sheet.pieces())) == seen(content)


@given(worksheets(), st.integers(50, 60), st.integers(0, 6))
def test_rows_move_and_cells_are_put_among_others(content: bytes, down: int, column: int) -> None:
    sheet = read_worksheet(content, "sheet1.xml")
    before = {number: cells_by_column(sheet.row(number)) for number in sheet.rows}
    letter = "ABCDEFG"[column]
    for number in before:
        row = sheet.row(number)
        move_row(row, number + down)
        (cell,) = sheet.made(f'<c r="{letter}{number + down + 1}" s="77"><v>5</v></c>')
        put_cells(row, {column: cell})
        sheet.put(number + down, row)
    sheet.replace(((n, m) for n, m in sheet.rows.items() if n >= down), sheet.with_formulas)
    again = read_worksheet(b"".join(sheet.pieces()), "sheet1.xml")
    assert sorted(again.rows) == [number + down for number in before]
    for number, cells in before.items():
        now = cells_by_column(again.row(number + down))
        assert list(now) == sorted({*cells, column})
        assert style_of(now[column]) == 77 and now[column].findtext("{*}v") == "5"
        for at in cells.keys() - {column}:
            assert now[at].get("r") == f"{'ABCDEFG'[at]}{number + down + 1}"
            assert now[at].findtext("{*}v") == cells[at].findtext("{*}v")


SHEET = f'<worksheet xmlns="{MAIN}"><sheetData>%s</sheetData></worksheet>'


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"<worksheet>",
        f'<worksheet xmlns="{MAIN}"/>'.encode(),
        (SHEET % '<row r="2"/><row r="2"/>').encode(),
        (SHEET % '<row r="two"/>').encode(),
        (SHEET % '<row r="1"/><other><row r="2"/></other><row r="3"/>').encode(),
        (SHEET % '<row r="1"/><other/>').encode(),
        ('<!DOCTYPE w [<!ENTITY a "b">]>' + SHEET % '<row r="1"><c r="A1"/></row>').encode(),
    ],
    ids=["empty", "cut off", "no rows", "twice", "no number", "among", "behind", "entities"],
)
def test_a_damaged_part_is_said_to_be_damaged(content: bytes) -> None:
    with pytest.raises(CallError, match=r"damaged in “sheet1\.xml”"):
        read_worksheet(content, "sheet1.xml")


@pytest.mark.parametrize(
    ("rows", "is_addressed"),
    [('<row r="3"><c r="A3"/></row>', True), ("<row><c/></row>", False),
     ('<row r="1"><c><v>1</v></c></row>', False)],
)  # fmt: skip
def test_rows_and_cells_without_an_address_are_noticed(rows: str, is_addressed: bool) -> None:
    sheet = read_worksheet((SHEET % rows).encode(), "sheet1.xml")
    assert sheet.is_addressed is is_addressed
    assert seen(b"".join(sheet.pieces())) == seen((SHEET % rows).encode())


def test_a_tree_is_held_against_the_budget_and_rows_are_not() -> None:
    many = 40_000
    rows = "".join(f'<row r="{number}"/>' for number in range(1, many))
    links = f"<hyperlinks>{'<hyperlink/>' * many}</hyperlinks>"
    small = Limits(16)
    assert len(read_worksheet((SHEET % rows).encode(), "s.xml", Budget(small)).rows) == many - 1
    content = (SHEET % "").replace("</worksheet>", f"{links}</worksheet>").encode()
    with pytest.raises(OverBudgetError, match=r"its part “s\.xml”"):
        read_worksheet(content, "s.xml", Budget(small))


@pytest.mark.parametrize("more", [0, 40])
def test_cells_are_found_by_their_styles_however_many_there_are(more: int) -> None:
    markup = b"""<sheetData><row r="1" s="5" customFormat="1">
        <c r="A1" s="5"><v>1</v></c><c r="B1" t="s" s='6'><v>0</v></c><c r="C1" s="5"/>
        <c r="D1"><v>2</v></c><c r="E1" s="55"><v>3</v></c></row>
        <row r="2"><c r="AB2" s="5" t="n"><f>A1</f><v>3</v></c></row></sheetData>"""
    styles = {b"5": "five", b"6": "six"} | {str(200 + at).encode(): "" for at in range(more)}
    assert dict(_styled(markup, styles)) == {(0, 0): "five", (0, 1): "six", (1, 27): "five"}


def test_a_tag_of_many_styles_is_gone_through_once() -> None:
    many = b' s="5"' * 200_000
    markup = (
        b'<row r="1"><c r="A1"' + many + b'/><c r="B1"' + many + b'<c r="C1" s="5"><v>1</v></c>'
    )
    assert dict(_styled(markup, {b"5": "five"})) == {(0, 2): "five"}
