"""A hidden tab with the sources of a workbook's rows, if its table has no columns for them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from boreotabula.layout.addresses import column_letters
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.parts.editing import Package, add, relation_of
from boreotabula.sheets.parts.tab_names import valid_name
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.pairing import RowSource, Values
from boreotabula.stores.xlsx_rows import heading_cell

_BOOK = "xl/workbook.xml"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"


def sources_tab(tab: str) -> str:
    """The name of the hidden tab beside a tab."""
    return valid_name(f"sources of {tab}")


def is_sources_tab(name: str, tabs: Iterable[str]) -> bool:
    """Whether a tab is the hidden one beside another."""
    return name in {sources_tab(tab) for tab in tabs}


def kept_sources(sheet: Sheet, key: Sequence[str]) -> Mapping[Values, RowSource]:
    """The sources of rows, by the values of their key; empty if the tab has another key."""
    texts = [[cell_text(cell) for cell in row] for row in sheet.rows]
    # Written for another key, its lines mean other rows.
    if not texts or texts[0][: len(key) + 3] != [*key, *PROVENANCE]:
        return {}
    width = len(key)
    return {tuple(row[:width]): (row[width], row[width + 1], row[width + 2]) for row in texts[1:]}


def put_sources(
    package: Package, tab: str, key: Sequence[str], rows: Iterable[tuple[Values, RowSource]]
) -> None:
    """Write or replace the hidden tab of a tab."""
    lines = [
        _line(number, texts)
        for number, texts in enumerate(
            ((*key, *PROVENANCE), *((*known_texts, *source) for known_texts, source in rows)), 1
        )
    ]
    content = (
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
        f'<worksheet xmlns="{_MAIN}"><sheetData>{"".join(lines)}</sheetData></worksheet>'
    ).encode()
    name = sources_tab(tab)
    part = package.tabs().get(name)
    if part is None:
        part = add_tab(package, name, content, hidden=True)
    # Left alone if it is the same, so that an unchanged workbook keeps its bytes.
    elif package.content(part) != content:
        package.put(part, content)


def _line(number: int, texts: Sequence[str]) -> str:
    cells = "".join(
        heading_cell(f"{column_letters(index)}{number}", text)
        for index, text in enumerate(texts)
        if text
    )
    return f'<row r="{number}">{cells}</row>'


def add_tab(package: Package, name: str, content: bytes, *, hidden: bool = False) -> str:
    """Add a worksheet after all others; returns the name of its part."""
    part = package.new_name("xl/worksheets/sheet{}.xml")
    package.put(part, content)
    package.declare(part, "worksheet")
    key = package.relate(_BOOK, "/worksheet", part)
    book = package.tree(_BOOK)
    sheets = book.find("{*}sheets")
    number = max((int(sheet.get("sheetId") or 0) for sheet in sheets), default=0) + 1
    # The prefix of this attribute is the workbook's own choice.
    relation = next(text for sheet in sheets if (text := relation_of(sheet)))
    state = {"state": "hidden"} if hidden else {}
    add(sheets, "sheet", {"name": name, "sheetId": str(number), **state, relation: key})
    package.put_tree(_BOOK, book)
    return part
