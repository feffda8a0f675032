"""Records into what people already have: a tab of their workbook, a table of their database.

Of a workbook only the rows of one tab (and the extent of its table object) change; whatever cannot
be kept as it is makes the whole refused. Of a database only the records of the files that were read
are replaced, in one transaction.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address, parse_address
from boreotabula.layout.headings import normal_form
from boreotabula.ooxml.editing import (
    RELATED,
    Package,
    add,
    attribute,
    open_package,
    parsed,
    relation_of,
)
from boreotabula.outputs.csv import field_type
from boreotabula.outputs.kinds import Writer
from boreotabula.outputs.xlsx import empty_workbook, fill, tab_name, table_name
from boreotabula.outputs.xlsx_rows import SheetRows
from boreotabula.reading.cells import cell_text
from boreotabula.runs.processes.one_sheet import read_sheet
from boreotabula.unreadable import UnreadableError
from boreotabula.workbooks.sheet import Sheet

BOOKS = (".xlsx", ".xlsm")
_BOOK = "xl/workbook.xml"
BASES = (".sqlite", ".sqlite3", ".db")


def check_target(target: Path, tab: str | None, tables: Collection[str]) -> None:
    """Raises CallError if records cannot go into a file."""
    ending = target.suffix.lower()
    if ending not in (*BOOKS, *BASES):
        raise CallError(
            f"“{target}”: --into takes a workbook ({', '.join(BOOKS)}) or a database"
            f" ({', '.join(BASES)})"
        )
    if not target.is_file():
        raise CallError(f"there is no file “{target}”; write a new one with -o")
    if tab is not None and (ending in BASES or len(tables) > 1):
        raise CallError("--tab names the tab of a workbook that takes the only table of a layout")
    lock = target.with_name(f"~${target.name}")
    other = target.with_name(f".~lock.{target.name}#")
    if ending in BOOKS and (lock.exists() or other.exists()):
        raise CallError(f"“{target.name}” is open in a spreadsheet program; close it first")


# --- a workbook ----------------------------------------------------------------------------------


@dataclass
class BookTable:
    """A table on a tab of a workbook that takes other rows."""

    tab: str
    rows: SheetRows
    part: str
    above: str
    """The markup of the rows above its heading."""
    heading_styles: Sequence[int | None]
    names: Sequence[str]
    old: Sequence[tuple[str, str]] = ()
    """The source file and the markup of each row that is there."""

    def keep(self, replaced: Collection[str], ours: Collection[str]) -> int:
        """Take over the rows that are there, but for those of some source files. Returns how many
        of them are of no file that a run has read."""
        kept = [(file, raw) for file, raw in self.old if file not in replaced]
        for _, raw in kept:
            self.rows.take(raw)
        return sum(file not in ours for file, _ in kept)

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch, the columns in the order of the tab."""
        self.rows.write(batch.select(list(self.names)))


@dataclass
class Book:
    """A workbook that takes the records of a run."""

    path: Path
    package: Package
    writers: Mapping[str, Writer] = field(default_factory=dict)
    tables: Sequence[BookTable] = ()

    @property
    def tabs(self) -> list[str]:
        """The tab of each table."""
        return [one.tab for one in self.tables]

    def close(self) -> None:
        """Let go of the workbook and the rows."""
        self.package.source.close()
        for one in self.tables:
            one.rows.close()

    def fill(self) -> None:
        """Put the rows into their tabs; formulas are worked out when the workbook is opened."""
        for one in self.tables:
            fill(self.package, one.part, one.rows, one.above, one.heading_styles)
            _fit_filter(self.package, one)
        self.package.recalculate()


def into_workbook(
    target: Path,
    schemas: Mapping[str, pa.Schema],
    tab: str | None,
) -> Book:
    """A workbook whose tabs are ready to take the records of each table.

    Raises CallError, which says what could not be kept as it is.
    """
    package = open_package(target)
    _refuse(target, package)
    tables: dict[str, BookTable] = {}
    for table, schema in schemas.items():
        name = tab if tab is not None else tab_name(table)
        found = next((one for one in package.tabs() if one.casefold() == name.casefold()), None)
        if found is None:
            tables[table] = _new_tab(package, name, table, schema)
        else:
            tables[table] = _old_tab(target, package, found, table, schema)
    return Book(target, package, dict(tables), list(tables.values()))


def _refuse(target: Path, package: Package) -> None:
    names = package.names()
    if any(name.startswith("_xmlsignatures/") for name in names):
        raise CallError(f"“{target}” is signed, and a change would break the signature")
    if not package.text("xl/styles.xml"):
        raise CallError(f"“{target}” has no cell styles; save it in a spreadsheet program first")


def _new_tab(package: Package, name: str, table: str, schema: pa.Schema) -> BookTable:
    """A tab with a table object, behind all others."""
    if name != tab_name(name):
        raise CallError(f"--tab: “{name}” cannot be the name of a tab")
    template = open_package(empty_workbook({table: schema}))
    part = package.new_name("xl/worksheets/sheet{}.xml")
    text_of_sheet = template.text("xl/worksheets/sheet1.xml").replace(' tabSelected="1"', "")
    package.put(part, text_of_sheet)
    package.declare(part, "worksheet")
    object_part = package.new_name("xl/tables/table{}.xml")
    package.relate(part, "/table", object_part)
    root = template.tree("xl/tables/table1.xml")
    _rename(package, root, table)
    package.put_tree(object_part, root)
    package.declare(object_part, "table")
    key = package.relate(_BOOK, "/worksheet", part)
    book = package.tree(_BOOK)
    sheets = book.find("{*}sheets")
    number = max((int(one.get("sheetId") or 0) for one in sheets), default=0) + 1
    relation = next((found for one in sheets if (found := relation_of(one))), f"{{{RELATED}}}id")
    add(sheets, "sheet", {"name": name, "sheetId": str(number), relation: key})
    package.put_tree(_BOOK, book)
    styles = [_style_for(package, one) for one in schema]
    return BookTable(name, SheetRows(table, schema, styles=styles), part, "", [], schema.names)


def _rename(package: Package, root: Any, table: str) -> None:
    """Give a table object a name and number that are free in a workbook."""
    others = [package.tree(name) for name in package.names() if name.startswith("xl/tables/")]
    ids = [int(one.get("id") or 0) for one in others]
    names = {one.get("displayName", "").casefold() for one in others}
    number = next(
        n for n in range(1, len(names) + 2) if table_name(table, n).casefold() not in names
    )
    root.set("id", str(max(ids, default=0) + 1))
    for key in ("name", "displayName"):
        root.set(key, table_name(table, number))


def _style_for(package: Package, one: pa.Field) -> int | None:
    form = field_type(one).sheet_format
    return package.style(form) if form is not None else None


@dataclass(frozen=True)
class _There:
    """A cell of a tab as its markup has it."""

    row: int
    column: int
    style: int | None
    formula: bool
    filled: bool

    @property
    def address(self) -> str:
        return str(Address(self.row, self.column))


def _old_tab(
    target: Path,
    package: Package,
    tab: str,
    table: str,
    schema: pa.Schema,
) -> BookTable:
    """A tab that holds the table already, or nothing at all."""
    part = package.tabs()[tab]
    text = package.text(part)
    cells = _cells_of(target, tab, text)
    sheet = _values(target, tab)
    place = _place_of(target, package, tab, part, cells)
    top, left, bottom, right = place or (0, 0, 0, -1)
    there = [cell_text(sheet.cell(top, column)) for column in range(left, right + 1)]
    known = {normal_form(name): name for name in schema.names}
    lost = [name for name in there if normal_form(name) not in known]
    if lost:
        raise CallError(
            f"“{target}” › {tab}: row {top + 1} has headings that are no fields of the layout:"
            f" {', '.join(lost[:5])}; they would be lost. Name another tab with --tab"
        )
    names = [known[normal_form(name)] for name in there]
    names += [name for name in schema.names if name not in names]
    _free(target, tab, text, cells, (top, left, bottom, left + len(names) - 1), right)
    heads = {cell.column: cell.style for cell in cells if cell.row == top}
    firsts = {cell.column: cell.style for cell in cells if cell.row == top + 1}
    ordered = pa.schema([schema.field(name) for name in names])
    styles = [
        firsts[left + at]
        if firsts.get(left + at) is not None and left + at <= right
        else _style_for(package, one)
        for at, one in enumerate(ordered)
    ]
    heading_styles = [heads.get(left + min(at, max(right - left, 0))) for at in range(len(names))]
    settings = package.tree(_BOOK).find("{*}workbookPr")
    since_1904 = settings is not None and settings.get("date1904") in ("1", "true")
    rows = SheetRows(table, ordered, top + 1, left, styles, since_1904)
    above, below = _raw_rows(text, top)
    column = left + names.index("source_file")
    old = [(cell_text(sheet.cell(at, column)), raw) for at, raw in below if at > top]
    return BookTable(tab, rows, part, above, heading_styles, names, old)


def _values(target: Path, tab: str) -> Sheet:
    try:
        return read_sheet(target, tab)
    except UnreadableError as error:
        raise CallError(f"“{target}” › {tab} cannot be read: {error}. {error.advice}") from None


def _cells_of(target: Path, tab: str, text: str) -> list[_There]:
    root = parsed(text, tab)
    if root.find("{*}sheetProtection") is not None:
        raise CallError(
            f"“{target}” › {tab} is protected; lift the protection, or name another tab"
        )
    found = []
    for row in root.iterfind("{*}sheetData/{*}row"):
        for cell in row.iterfind("{*}c"):
            where = cell.get("r")
            if where is None or row.get("r") is None:
                raise CallError(
                    f"“{target}” › {tab} has cells without an address; save it anew in a"
                    " spreadsheet program"
                )
            at, column = parse_address(where)
            style = cell.get("s")
            formula = cell.find("{*}f") is not None
            filled = formula or any(cell.find(f"{{*}}{one}") is not None for one in ("v", "is"))
            found.append(_There(at, column, int(style) if style else None, formula, filled))
    return found


_Area = tuple[int, int, int, int]
"""Top, left, bottom and right, counted from 0, all within."""


def _place_of(
    target: Path, package: Package, tab: str, part: str, cells: Sequence[_There]
) -> _Area | None:
    """Where the table stands: its object says so, else what is filled. None on a blank tab."""
    objects = package.tables(part)
    if len(objects) > 1:
        raise CallError(
            f"“{target}” › {tab} has {len(objects)} table objects; it may have only one"
        )
    filled = [cell for cell in cells if cell.filled]
    if objects:
        table = package.tree(objects[0])
        if table.get("totalsRowCount", "0") != "0":
            raise CallError(
                f"the table on “{target}” › {tab} has a row of totals, which could not be kept;"
                " switch it off, or name another tab"
            )
        first, _, last = table.get("ref", "").partition(":")
        return (*parse_address(first), *parse_address(last or first))
    if not filled:
        return None
    top = min(cell.row for cell in filled)
    columns = [cell.column for cell in filled if cell.row == top]
    return top, min(columns), max(cell.row for cell in filled), max(columns)


def _free(
    target: Path, tab: str, text: str, cells: Sequence[_There], area: _Area, old_right: int
) -> None:
    """Raises CallError if rows of the table could not be written without losing something."""
    top, left, bottom, right = area
    for cell in cells:
        within = cell.row > top and left <= cell.column <= right
        if within and cell.formula:
            raise CallError(
                f"“{target}” › {tab}: {cell.address} holds a formula, which could not be kept; move"
                " it to another tab"
            )
        beside = cell.row >= top and not left <= cell.column <= old_right
        if cell.filled and (beside or cell.row > bottom):
            raise CallError(
                f"“{target}” › {tab}: {cell.address} is filled, but not part of the table, and"
                " could not be kept; move it to another tab"
            )
    for one in re.findall(r"<(?:\w+:)?mergeCell\b[^>]*>", text):
        if parse_address(attribute(one, "ref").partition(":")[2])[0] >= top:
            raise CallError(
                f"“{target}” › {tab}: the cells {attribute(one, 'ref')} are merged; part them, or"
                " name another tab"
            )


_ROW = re.compile(r"<(?:\w+:)?row\b(?:[^>]*/>|[^>]*>.*?</(?:\w+:)?row>)", re.DOTALL)


def _raw_rows(text: str, top: int) -> tuple[str, list[tuple[int, str]]]:
    """The markup of the rows above a row, and of each row from there on with its number from 0."""
    rows = [(int(attribute(raw.split(">", 1)[0], "r")) - 1, raw) for raw in _ROW.findall(text)]
    above = "".join(raw for number, raw in rows if number < top)
    return above, [(number, raw) for number, raw in rows if number >= top]


def _fit_filter(package: Package, table: BookTable) -> None:
    """Let a filter on the tab itself reach over all rows."""
    sheet = package.sheets[table.part]
    after = sheet.after.decode()
    found = re.search(
        r"<(\w+:)?autoFilter\b[^>]*?(?:/>|>.*?</(?:\w+:)?autoFilter>)", after, re.DOTALL
    )
    if found is None:
        return
    first = Address(table.rows.heading - 1, table.rows.left)
    last = Address(table.rows.last - 1, table.rows.left + len(table.names) - 1)
    tag = f'<{found[1] or ""}autoFilter ref="{first}:{last}"/>'
    sheet.after = after.replace(found[0], tag, 1).encode()
    number = str(list(package.tabs().values()).index(table.part))
    book = package.tree(_BOOK)
    for name in book.iter("{*}definedName"):
        if name.get("localSheetId") == number and name.get("name") == "_xlnm._FilterDatabase":
            tab, _, _ = (name.text or "").rpartition("!")
            area = ":".join(re.sub(r"([A-Z]+)(\d+)", r"$\1$\2", str(one)) for one in (first, last))
            name.text = f"{tab}!{area}"
    package.put_tree(_BOOK, book)
