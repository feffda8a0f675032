"""What points at the table of a master follows its rows: formulas, names, formats, charts, pivots.

Parts are changed as text, so that all else in them stays as it was (ECMA-376 part 1: formulas
18.3.1.40, conditional formats 18.3.1.18, validations 18.3.1.33, defined names 18.2.5, charts
21.2.2.57, pivot caches 18.10.1.95).
"""

from __future__ import annotations

import re
from collections.abc import Callable
from xml.sax.saxutils import escape, unescape

from boreotabula.errors import CallError
from boreotabula.sheets.parts.editing import Package, attribute
from boreotabula.stores.master.references import (
    LostReferenceError,
    RowChange,
    area_text,
    changed_areas,
    changed_formula,
)

_BOOK = "xl/workbook.xml"
_TEXTS = re.compile(
    r"(?P<head><(?:\w+:)?(?:f|formula|formula1|formula2)\b[^>]*(?<!/)>)(?P<text>[^<]+)(?=</)"
)
_AREAS = re.compile(r'(?P<head>\s(?:sqref|ref)=")(?P<text>[^"]+)(?=")')
_MORE_AREAS = re.compile(r"(?P<head><(?:\w+:)?sqref>)(?P<text>[^<]+)(?=</)")
_LISTED = re.compile(
    r"<(?:\w+:)?(?:conditionalFormatting|dataValidation|ignoredError|hyperlink)\b[^>]*>"
)
_WITHOUT_AREA = re.compile(
    r"<(?P<p>\w+:)?(?P<tag>conditionalFormatting|dataValidation|ignoredError|hyperlink)\b[^>]*\s"
    r'(?:sqref|ref)=""[^>]*?(?:/>|>.*?</(?P=p)?(?P=tag)>)',
    re.DOTALL,
)
_CELL = re.compile(r'<(?:\w+:)?c\b[^>]*?\br="([A-Z]+[0-9]+)"')
_NEAR = 200
"""A formula begins at most so many signs behind its cell."""
_FILTER = re.compile(r'(<(?:\w+:)?autoFilter\b[^>]*?\bref=")[^"]*(")')
_ORDER = re.compile(r"<(?:\w+:)?sortState\b(?:[^>]*/>|.*?</(?:\w+:)?sortState>)", re.DOTALL)
_CHART = re.compile(r"(?P<head><(?:\w+:)?f>)(?P<text>[^<]+)(?P<end></(?:\w+:)?f>)")
_CACHE = re.compile(
    r"\s*<(\w+:)?(?P<tag>numCache|strCache|multiLvlStrCache)>.*?</(\w+:)?(?P=tag)>", re.DOTALL
)


def changed_sheet(text: str, change: RowChange, where: str, *, on_tab: bool) -> str:
    """A worksheet, or a piece of one, with formulas and areas that follow the table.

    `where` names it in messages. Raises CallError if a formula points at a row that goes.
    """
    text = _formulas(text, change, where, on_tab=on_tab)
    if not on_tab:
        return text

    def areas(found: re.Match[str]) -> str:
        return found["head"] + changed_areas(found["text"], change)

    text = _LISTED.sub(lambda tag: _AREAS.sub(areas, tag[0]), text)
    text = _MORE_AREAS.sub(areas, text)
    return _WITHOUT_AREA.sub("", text)


def _formulas(text: str, change: RowChange, where: str, *, on_tab: bool) -> str:
    def one(found: re.Match[str]) -> str:
        formula = unescape(found["text"], {"&quot;": '"', "&apos;": "'"})
        cell = _CELL.findall(text, max(0, found.start() - _NEAR), found.start())
        here = f"{where} {cell[-1]}" if cell else where
        now = _followed(formula, change, here, on_tab=on_tab)
        if now != formula and attribute(found["head"], "t") in ("shared", "array"):
            raise CallError(
                f"{here}: the formula “={formula[:60]}” is shared by several cells and refers to"
                " the table, which cannot be kept; enter it again in each cell"
            )
        return found[0] if now == formula else found["head"] + escape(now)

    return _TEXTS.sub(one, text)


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


def fit_filter(after: str, change: RowChange) -> str:
    """What stands after the rows of a tab, a filter on the tab itself reaching over all rows."""
    area = area_text(change.top, change.left, change.bottom, change.right)
    return _ORDER.sub("", _FILTER.sub(rf"\g<1>{area}\g<2>", after, count=1))


def follow(package: Package, part: str, change: RowChange) -> None:
    """Let all other parts of a workbook follow the table on the tab with a part of that name.

    Raises CallError, which names what cannot be kept.
    """
    file = package.archive.title or "the workbook"
    for tab, other in package.tabs().items():
        if other != part and other not in package.sheets:
            text = package.text(other)
            _put(
                package, other, text, changed_sheet(text, change, f"“{file}” › {tab}", on_tab=False)
            )
    _follow_names(package, part, change)
    for name in package.names():
        if name.startswith("xl/charts/chart"):
            text = package.text(name)
            _put(package, name, text, _changed_chart(text, change, f"a chart of “{file}”"))
        elif name.startswith("xl/pivotCache/pivotCacheDefinition"):
            _follow_pivot(package, name, change)


def _put(package: Package, name: str, before: str, after: str) -> None:
    if before != after:
        package.put(name, after)


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
            name.text = f"{tab}!{area}"
    package.put_tree(_BOOK, book)


def _changed_chart(text: str, change: RowChange, where: str) -> str:
    """A chart whose series follow; their stored values, which are of the old rows, go."""

    def one(found: re.Match[str]) -> str:
        formula = unescape(found["text"])
        now = _followed(formula, change, where, on_tab=False, whole=True)
        return found["head"] + escape(now) + found["end"]

    changed = _CHART.sub(one, text)
    named = re.compile(rf"(?:'{re.escape(change.tab)}'|{re.escape(change.tab)})!", re.IGNORECASE)
    return _CACHE.sub("", changed) if named.search(unescape(changed)) else changed


def _follow_pivot(package: Package, name: str, change: RowChange) -> None:
    root = package.tree(name)
    changed: Callable[[str], str] = lambda area: changed_areas(area, change)  # noqa: E731
    for source in root.iter("{*}worksheetSource"):
        sheet, area = source.get("sheet", ""), source.get("ref", "")
        if sheet.casefold() == change.tab.casefold() and area:
            source.set("ref", changed(area))
        elif source.get("name") is None:
            continue
        root.set("refreshOnLoad", "1")
    package.put_tree(name, root)
