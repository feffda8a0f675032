"""A workbook as output: a tab with a table object for each output table, its first row frozen."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping, Sequence
from typing import BinaryIO

import pyarrow as pa
from lxml import etree

from boreotabula.layout.addresses import Address
from boreotabula.sheets.parts.editing import Package, Replaced, add, open_package
from boreotabula.sheets.parts.tab_names import valid_name
from boreotabula.sheets.parts.writing import new_workbook
from boreotabula.stores.csv import field_type
from boreotabula.stores.xlsx_rows import SheetRows


class NewWorkbook:
    """A workbook that is written to a stream; rows wait in temporary files until its end."""

    def __init__(self, stream: BinaryIO, schemas: Mapping[str, pa.Schema]) -> None:
        self._stream = stream
        self._package = open_package(empty_workbook(schemas))
        self.writers: Mapping[str, SheetRows] = {
            table: SheetRows(table, schema, styles=_styles(self._package, schema))
            for table, schema in schemas.items()
        }

    def close(self) -> None:
        """Write the workbook."""
        parts = list(self._package.tabs().values())
        for part, rows in zip(parts, self.writers.values(), strict=True):
            fill(self._package, part, rows)
        self._package.write(self._stream)
        self.abandon()

    def abandon(self) -> None:
        """Discard it."""
        self._package.close()
        for rows in self.writers.values():
            rows.close()


def empty_workbook(schemas: Mapping[str, pa.Schema]) -> BinaryIO:
    """A workbook with a table without records for each schema."""
    content = io.BytesIO()
    with new_workbook(content, in_memory=True) as book:
        for number, (table, schema) in enumerate(schemas.items(), 1):
            sheet = book.add_worksheet(tab_name(table))
            sheet.freeze_panes(1, 0)
            sheet.set_column(0, len(schema) - 1, 12)
            # Headings are given to the table object, as a heading that differs makes programs
            # repair the file.
            columns = [{"header": name} for name in schema.names]
            shape = {"name": table_name(table, number), "columns": columns}
            sheet.add_table(0, 0, 1, len(schema) - 1, shape)
    return content


def tab_name(table: str) -> str:
    """A table's name in the form that tabs allow."""
    return valid_name(table, otherwise="records")


def table_name(table: str, number: int) -> str:
    """The name of a table object: letters, digits and underscores, and no address."""
    # It begins with a letter, so it can be no address such as AB12.
    return f"T{number}_" + re.sub(r"\W", "_", table)


def _styles(package: Package, schema: pa.Schema) -> list[int | None]:
    """The cell style of each column, made for its number format."""
    made: dict[str, int] = {}
    styles: list[int | None] = []
    for value in schema:
        form = field_type(value).sheet_format
        if form is not None and form not in made:
            made[form] = package.style(form)
        styles.append(made[form] if form is not None else None)
    return styles


def fill(package: Package, part: str, rows: SheetRows) -> None:
    """Put rows into a worksheet in place of its own, and fit its table object and widths to
    them."""
    # Rows were written to a temporary file; they are put between the two halves of the sheet.
    sheet = package.worksheet(part)
    last = Address(rows.last - 1, len(rows.schema) - 1)
    sheet.replace((), set())
    if (extent := sheet.root.find("{*}dimension")) is not None:
        sheet.root.remove(extent)
    for columns in sheet.root.iter("{*}cols"):
        columns[:] = [
            etree.Element(
                etree.QName(etree.QName(columns).namespace, "col"),
                min=str(index), max=str(index), width=str(width), customWidth="1",
            )
            for index, width in enumerate(rows.widths, 1)
        ]  # fmt: skip
    before, after = sheet.before_and_after()
    package.sheets[part] = Replaced(before + rows.heading_row(), rows.content, after)
    for table in package.tables(part):
        fit_table(package, table, f"A1:{last}", rows.schema.names)


def fit_table(package: Package, table: str, whole: str, names: Sequence[str]) -> None:
    """Give a table object its new extent and columns; its sorting is removed, its filter stays."""
    root = package.tree(table)
    root.set("ref", whole)
    for column in root.findall("{*}autoFilter"):
        # The filter stays, since somebody has set it.
        column.set("ref", whole)
        for order in column.findall("{*}sortState"):
            column.remove(order)
    for column in root.findall("{*}sortState"):
        root.remove(column)
    columns = root.find("{*}tableColumns")
    kept = {one.get("name", ""): one for one in columns}
    if list(kept) != list(names):
        # New columns get numbers that no formula of the workbook uses yet.
        free = max((int(one.get("id", "0")) for one in columns), default=0)
        for column in list(columns):
            columns.remove(column)
        for name in names:
            if name in kept:
                columns.append(kept[name])
            else:
                free += 1
                add(columns, "tableColumn", {"id": str(free), "name": name})
        columns.set("count", str(len(names)))
    package.put_tree(table, root)
