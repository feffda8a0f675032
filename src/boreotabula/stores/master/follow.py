"""What refers to the table of a workbook follows its rows: formulas, names, formats, charts,
pivots.

ECMA-376 part 1: formulas 18.3.1.40, conditional formats 18.3.1.18, validations 18.3.1.33, defined
names 18.2.5, charts 21.2.2.57, pivot caches 18.10.1.95.
"""

from __future__ import annotations

import re
from typing import Any

from boreotabula.errors import CallError
from boreotabula.sheets.parts.editing import Package
from boreotabula.sheets.parts.worksheet import Worksheet
from boreotabula.stores.master.references import (
    LostReferenceError,
    RowChange,
    area_text,
    changed_areas,
    changed_formula,
)

_BOOK = "xl/workbook.xml"
_FORMULAS = ("{*}f", "{*}formula", "{*}formula1", "{*}formula2")
_WITH_AREAS = (
    "{*}conditionalFormatting", "{*}dataValidation", "{*}ignoredError", "{*}hyperlink"
)  # fmt: skip
_STORED_VALUES = ("{*}numCache", "{*}strCache", "{*}multiLvlStrCache")


def follow_on_tab(sheet: Worksheet, change: RowChange, where: str) -> None:
    """Adapt everything but the rows on the tab with the table; `where` names it in messages.

    Raises CallError if a formula refers to a removed row.
    """
    root = sheet.root
    follow_formulas(root, change, where, on_tab=True)
    for element in list(root.iter(*_WITH_AREAS)):
        _follow_areas(element, change)
    # A filter on the tab itself reaches over all rows; what was sorted is in another order now.
    if (filtered := root.find("{*}autoFilter")) is not None:
        filtered.set("ref", area_text(change.top, change.left, change.bottom, change.right))
    for order in list(root.iter("{*}sortState")):
        order.getparent().remove(order)
    if (extent := root.find("{*}dimension")) is not None:
        root.remove(extent)
    sheet.is_changed = True


def _follow_areas(element: Any, change: RowChange) -> None:
    """Adapt the areas of a format, a rule or a link; without an area it is removed."""
    listed = element.find("{*}sqref")  # extensions have an element where others have an attribute
    name = next((literal for literal in ("sqref", "ref") if element.get(literal)), None)
    if name is not None:
        areas = changed_areas(element.get(name), change)
        element.set(name, areas)
    elif listed is not None and listed.text:
        areas = listed.text = changed_areas(listed.text, change)
    else:
        return
    # A format without an area would be an error in the file.
    if not areas:
        _remove(element)


def _remove(element: Any) -> None:
    """Remove an element, and the list around it if it was the only one in it."""
    around = element.getparent()
    around.remove(element)
    if around.get("count") is not None:
        around.set("count", str(len(around)))
    if not len(around) and around.getparent() is not None:
        _remove(around)


def follow_formulas(element: Any, change: RowChange, where: str, *, on_tab: bool) -> bool:
    """Adapt the formulas in a row, or around the rows; returns whether any changed.

    Raises CallError if one refers to a removed row.
    """
    changed = False
    for formula in element.iter(*_FORMULAS):
        if not formula.text:
            continue
        address = formula.getparent().get("r")
        here = f"{where} {address}" if address else where
        now = _followed(formula.text, change, here, on_tab=on_tab)
        if now == formula.text:
            continue
        # Its text stands in one cell and applies to many, so a change would reach others.
        if formula.get("t") in ("shared", "array"):
            raise CallError(
                f"{here}: the formula “={formula.text[:60]}” is shared by several cells and refers"
                " to the table, which cannot be kept; enter it again in each cell"
            )
        formula.text = now
        changed = True
    return changed


def _followed(
    formula: str, change: RowChange, where: str, *, on_tab: bool, whole: bool = False
) -> str:
    try:
        return changed_formula(formula, change, on_tab=on_tab, whole=whole)
    except LostReferenceError as error:
        raise CallError(
            f"{where}: the formula “={formula[:60]}” refers to {error}, a row that will be removed"
            " because its file no longer contains that record; change or delete the formula"
        ) from None


def follow(package: Package, part: str, change: RowChange) -> None:
    """Adapt all other parts of a workbook to the table on the tab with a part of that name.

    Raises CallError, which names what cannot be preserved.
    """
    file = package.archive.title or "the workbook"
    for tab, other_text in package.tabs().items():
        if other_text != part and other_text not in package.sheets:
            # All other tabs may refer to the table.
            _follow_elsewhere(package.worksheet(other_text), change, f"“{file}” › {tab}")
    _follow_names(package, part, change)
    for name in package.names():
        if name.startswith("xl/charts/chart"):
            root = package.tree(name)
            if _follow_chart(root, change, f"a chart of “{file}”"):
                package.put_tree(name, root)
        elif name.startswith("xl/pivotCache/pivotCacheDefinition"):
            _follow_pivot(package, name, change)


def _follow_elsewhere(sheet: Worksheet, change: RowChange, where: str) -> None:
    def followed(element: Any) -> bool:
        return follow_formulas(element, change, where, on_tab=False)

    sheet.edit(sheet.with_formulas, followed)
    sheet.is_changed |= followed(sheet.root)


def _follow_names(package: Package, part: str, change: RowChange) -> None:
    book = package.tree(_BOOK)
    number = str(list(package.tabs().values()).index(part))
    for name in book.iter("{*}definedName"):
        if name.text:
            where = f"the name “{name.get('name')}”"
            name.text = _followed(name.text, change, where, on_tab=False)
        if name.get("localSheetId") == number and name.get("name") == "_xlnm._FilterDatabase":
            tab, _, _ = (name.text or "").rpartition("!")
            area = area_text(change.top, change.left, change.bottom, change.right, fixed=True)
            # Programs keep the range of a filter a second time, under a hidden name.
            name.text = f"{tab}!{area}"
    package.put_tree(_BOOK, book)


def _follow_chart(root: Any, change: RowChange, where: str) -> bool:
    """Adapt the series of a chart; their stored values, which are of the old rows, are removed.

    Returns whether anything has changed.
    """
    named = re.compile(rf"(?:'{re.escape(change.tab)}'|{re.escape(change.tab)})!", re.IGNORECASE)
    formulas = [value for value in root.iter("{*}f") if value.text]
    of_table = False
    for formula in formulas:
        formula.text = _followed(formula.text, change, where, on_tab=False, whole=True)
        of_table |= named.search(formula.text) is not None
    # Charts show stored values until they are opened; these are of the old rows.
    if of_table:
        for stored in list(root.iter(*_STORED_VALUES)):
            stored.getparent().remove(stored)
    return of_table


def _follow_pivot(package: Package, name: str, change: RowChange) -> None:
    root = package.tree(name)
    for source in root.iter("{*}worksheetSource"):
        sheet, area = source.get("sheet", ""), source.get("ref", "")
        if sheet.casefold() == change.tab.casefold() and area:
            source.set("ref", changed_areas(area, change))
        elif source.get("name") is None:
            continue
        # A pivot keeps a copy of the rows; the program makes it anew when the workbook is opened.
        root.set("refreshOnLoad", "1")
    package.put_tree(name, root)
