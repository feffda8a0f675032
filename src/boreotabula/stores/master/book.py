"""An existing workbook whose tables take the records of a run.

Rows are recognised by their key or source, and keep their place, their looks and what people wrote
beside them. If anything cannot be preserved, the whole is refused.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, BinaryIO

import pyarrow as pa

from boreotabula.batch.processes.one_sheet import read_sheet
from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address, parse_address
from boreotabula.layout.headings import HeadingNames
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.parts.editing import Package, open_package, usual_parts
from boreotabula.sheets.parts.worksheet import unselect
from boreotabula.sheets.sheet import Sheet, make_sheet
from boreotabula.stores.master.place import Area, TablePlace, field_finder, find_place
from boreotabula.stores.master.sources import (
    add_tab,
    is_sources_tab,
    kept_sources,
    sources_tab,
)
from boreotabula.stores.master.table import MasterTable
from boreotabula.stores.xlsx import empty_workbook, tab_name, table_name
from boreotabula.stores.xlsx_rows import heading_cell
from boreotabula.unreadable import UnreadableError

_BOOK = "xl/workbook.xml"


@dataclass(frozen=True)
class Taking:
    """How a workbook takes records."""

    names: HeadingNames
    """The names by which the layout and its glossaries know the fields."""
    key: Sequence[str] = ()
    tab: str | None = None
    """The requested tab."""
    no_source: bool = False
    """Whether the table gets no columns for the source of its rows."""
    glossaries: frozenset[str] = frozenset()
    """Tabs, or table objects, that the layout reads as glossaries."""


@dataclass
class Book:
    """A workbook that takes the records of a run."""

    path: Path
    package: Package
    tables: Mapping[str, MasterTable]

    @property
    def tabs(self) -> dict[str, str]:
        """The tab of each table."""
        return {name: table.tab for name, table in self.tables.items()}

    def close(self) -> None:
        """Close the workbook."""
        self.package.close()

    def fill(self) -> bool:
        """Put the rows into their tabs; returns whether anything changes.

        Formulas are calculated when the workbook is opened. Raises CallError, which says what could
        not be preserved.
        """
        with usual_parts(f"“{self.path}”: "):
            for table in self.tables.values():
                # Formulas must follow before it is known whether anything changes.
                table.put()
            if not self.package.is_changed:
                return False
            # The order in which formulas were worked out is rebuilt by the program that opens it.
            self.package.drop("xl/calcChain.xml", of=_BOOK)
            self.package.recalculate()
        return True

    def write(self, stream: BinaryIO) -> None:
        """Write the workbook. Raises CallError if it could not be read again."""
        self.package.write(stream)
        stream.flush()
        for table in self.tables.values():
            try:
                # Read back from what was written, before it takes the place of the old one.
                sheet = read_sheet(Path(stream.name), table.tab)
            except UnreadableError:
                heads = []
            else:
                heads = [
                    cell_text(sheet.cell(table.place.top, heading))
                    for heading in table.place.headings
                ]
            if heads != list(table.place.headings.values()):
                raise CallError(
                    f"{table.where}: the table would not be found again, so the workbook was left"
                    " as it was; save it again in a spreadsheet program and try again"
                )


def into_workbook(target: Path, schemas: Mapping[str, pa.Schema], taking: Taking) -> Book:
    """A workbook whose tabs are ready to take the records of each table.

    Raises CallError, which says what could not be preserved.
    """
    # Rows without source and key could never be found again.
    if taking.no_source and not taking.key:
        raise CallError(
            "--no-source: without the columns source_file, source_tab and source_cell rows are"
            ' known by the key alone; name it in the layout, such as key = ["nursery", "month"]'
        )
    package = open_package(target)
    try:
        with usual_parts(f"“{target}”: "):
            tables = _tables(target, package, schemas, taking)
        return Book(target, package, tables)
    except BaseException:
        package.close()
        raise


def _tables(
    target: Path, package: Package, schemas: Mapping[str, pa.Schema], taking: Taking
) -> dict[str, MasterTable]:
    """The table of each tab. Raises CallError."""
    tabs = _Tabs(target, package, _readable(target, package))
    # A signed workbook would lose its signature by any change.
    if why := package.why_fixed():
        raise CallError(f"“{target}”: {why}")
    return {table: _table(tabs, table, schema, taking) for table, schema in schemas.items()}


@dataclass
class _Tabs:
    """The tabs of a workbook, each read once for all tables that may stand on it."""

    target: Path
    package: Package
    readable: Path
    """The workbook in a form that the fast reader understands."""
    _sheets: dict[str, Sheet] = field(default_factory=dict)

    def sheet(self, tab: str) -> Sheet:
        """The cells of a tab. Raises CallError if it cannot be read."""
        if tab not in self._sheets:
            try:
                self._sheets[tab] = read_sheet(self.readable, tab)
            except UnreadableError as error:
                where = f"“{self.target}” › {tab}"
                raise CallError(f"{where} cannot be read: {error}. {error.advice}") from None
        return self._sheets[tab]


def _readable(target: Path, package: Package) -> Path:
    """A workbook in a form that the fast reader understands: itself, or a copy whose parts are in
    UTF-8.

    The copy is deleted together with the package.
    """
    # Only parts in UTF-16 need it, which are rare.
    if not package.in_utf_16():
        return target
    folder = TemporaryDirectory(prefix="boreotabula-")
    package.folders.append(folder)
    copy = Path(folder.name, target.name)
    with copy.open("wb") as stream:
        package.write_plain(stream)
    return copy


def _table(tabs: _Tabs, table: str, schema: pa.Schema, taking: Taking) -> MasterTable:
    field_of = field_finder(taking.names, schema.names)
    target, package = tabs.target, tabs.package

    def place_on(tab: str) -> TablePlace | None:
        where = f"“{target}” › {tab}"
        sheet = tabs.sheet(tab)
        area = _object_area(package, package.tabs()[tab], sheet, field_of, where)
        return find_place(sheet, area, field_of, len(schema.names), where)

    text = _tab_of(target, package, table, taking, place_on, len(schema.names))
    if text is None:
        return _new_tab(target, package, taking.tab or tab_name(table), table, schema, taking)
    where = f"“{target}” › {text}"
    place = place_on(text)
    sheet = tabs.sheet(text)
    # A blank tab of the right name is where the table is meant to be.
    if place is None:
        if sheet.filled.any():
            raise CallError(
                f"{where}: no row holds the headings of the table; looked for"
                f" {', '.join(schema.names[:6])} and what the layout knows them by. Name another"
                " tab with --into-tab"
            )
        place = TablePlace(0, 0, -1, 0, (1,), {}, {})
    master_table = MasterTable(
        package=package,
        tab=text,
        where=where,
        part=package.tabs()[text],
        place=place,
        sheet=sheet,
        schema=schema,
        key=_key_of(taking, schema),
        sources=_sources(tabs, text, taking, place),
    )
    _refuse(package, master_table)
    master_table.take()
    return master_table


def _key_of(taking: Taking, schema: pa.Schema) -> Sequence[str]:
    """The key, if the table holds all of its fields."""
    # Half a key tells no rows apart.
    return taking.key if set(taking.key) <= set(schema.names) else ()


def _tab_of(
    target: Path,
    package: Package,
    table: str,
    taking: Taking,
    place_on: Any,
    fields: int,
) -> str | None:
    """The tab that holds a table: the requested one, the one with its name, else the only one with
    its headings."""
    name = taking.tab if taking.tab is not None else tab_name(table)
    read = _read_tabs(package, taking.glossaries)
    every = [tab for tab in package.tabs() if not is_sources_tab(tab, package.tabs())]
    tabs = [text for text in every if text not in read]
    named = next((text for text in every if text.casefold() == name.casefold()), None)
    if named in read:
        raise CallError(
            f"“{target}” › {named} is a glossary of the layout; name another tab with --into-tab"
        )
    if named is not None or taking.tab is not None:
        # A tab that was named is taken even if it is new.
        return named
    places = {tab: place for tab in tabs if (place := place_on(tab)) is not None}
    # Half of the fields without those of the source: enough that a person would call it the
    # table.
    like = [text for text, place in places.items() if len(place.fields) * 2 >= fields - 3]
    if len(like) > 1:
        raise CallError(
            f"“{target}”: the tabs {', '.join(like)} hold headings of the layout; say with"
            " --into-tab which one takes the records"
        )
    return like[0] if like else None


def _read_tabs(package: Package, glossaries: frozenset[str]) -> set[str]:
    """The tabs that hold glossaries, or tables that are glossaries."""
    wanted = {glossary.casefold() for glossary in glossaries}
    read = set()
    for tab, part in package.tabs().items():
        tables = (package.tree(name) for name in package.tables(part))
        names = {str(table.get("displayName", "")).casefold() for table in tables}
        if tab.casefold() in wanted or names & wanted:
            read.add(tab)
    return read


def _object_area(
    package: Package, part: str, sheet: Sheet, field_of: Any, where: str
) -> Area | None:
    """The area of the table object that has most of the layout's headings."""
    best, most = None, 0
    for name in package.tables(part):
        root = package.tree(name)
        first, _, last = root.get("ref", "").partition(":")
        area = (*parse_address(first), *parse_address(last or first))
        top, left, _, right = area
        values = {field_of(str(sheet.cell(top, index))) for index in range(left, right + 1)} - {
            None
        }
        if len(values) > most:
            best, most = area, len(values)
            if root.get("totalsRowCount", "0") != "0":
                raise CallError(
                    f"the table on {where} has a row of totals, which could not be kept; switch it"
                    " off, or name another tab"
                )
    return best


def _refuse(package: Package, table: MasterTable) -> None:
    """Raises CallError if writing to a tab would lose something."""
    # A tab is only changed if everything on it can be kept.
    root = package.worksheet(table.part).root
    if root.find("{*}sheetProtection") is not None:
        raise CallError(f"{table.where} is protected; lift the protection, or name another tab")
    place = table.place
    for value in root.iter("{*}mergeCell"):
        area = value.get("ref", "")
        first, _, last = area.partition(":")
        (top, left), (bottom, right) = parse_address(first), parse_address(last or first)
        # Merged cells that lie beside the table are not touched.
        within = bottom >= place.top and top <= max(place.ends)
        if within and left <= place.right and right >= place.left:
            raise CallError(
                f"{table.where}: the cells {area} are merged; part them, or name another tab"
            )


def _sources(tabs: _Tabs, tab: str, taking: Taking, place: TablePlace) -> Mapping[Any, Any] | None:
    """The sources of rows in the hidden tab; None if the table has columns for them."""
    hidden = sources_tab(tab)
    if hidden in tabs.package.tabs():
        return kept_sources(tabs.sheet(hidden), taking.key)
    if "source_file" in place.fields:
        return None
    return {} if taking.no_source else None


def _new_tab(
    target: Path, package: Package, name: str, table: str, schema: pa.Schema, taking: Taking
) -> MasterTable:
    """A tab with a table object, after all others."""
    # Programs change such a name by themselves, and then nobody finds the tab.
    if name != tab_name(name):
        raise CallError(f"--into-tab: “{name}” cannot be the name of a tab")
    hidden = taking.no_source
    names = [name for name in schema.names if not (hidden and name.startswith("source_"))]
    # Made by a library as a template, so that styles and relations are those of a real workbook.
    template = open_package(empty_workbook({table: pa.schema([schema.field(n) for n in names])}))
    sheet = template.worksheet("xl/worksheets/sheet1.xml")
    sheet.replace((), set())
    cells = "".join(heading_cell(str(Address(0, index)), name) for index, name in enumerate(names))
    sheet.put(0, sheet.made(f'<row r="1">{cells}</row>')[0])
    unselect(sheet)
    part = add_tab(package, name, b"".join(sheet.pieces()))
    object_part = package.new_name("xl/tables/table{}.xml")
    package.relate(part, "/table", object_part)
    root = template.tree("xl/tables/table1.xml")
    _rename(package, root, table)
    package.put_tree(object_part, root)
    package.declare(object_part, "table")
    fields = {name: index for index, name in enumerate(names)}
    place = TablePlace(0, 0, len(names) - 1, 0, (1,), dict(enumerate(names)), fields)
    master_table = MasterTable(
        package=package,
        tab=name,
        where=f"“{target}” › {name}",
        part=part,
        place=place,
        sheet=make_sheet(name, [names]),
        schema=schema,
        key=_key_of(taking, schema),
        sources={} if hidden else None,
    )
    master_table.take()
    return master_table


def _rename(package: Package, root: Any, table: str) -> None:
    """Give a table object an unused name and number."""
    values = [package.tree(name) for name in package.names() if name.startswith("xl/tables/")]
    ids = [int(value.get("id") or 0) for value in values]
    names = {value.get("displayName", "").casefold() for value in values}
    # Names are compared without case, as spreadsheet programs do.
    number = next(
        n for n in range(1, len(names) + 2) if table_name(table, n).casefold() not in names
    )
    root.set("id", str(max(ids, default=0) + 1))
    for key in ("name", "displayName"):
        root.set(key, table_name(table, number))
