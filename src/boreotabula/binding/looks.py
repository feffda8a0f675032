"""How the tabs of a workbook look: formats of cells, widths, panes, filters, links, notes."""

from __future__ import annotations

import colorsys
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, Self

from boreotabula.errors import CallError
from boreotabula.layout.addresses import parse_address
from boreotabula.sheets.parts.editing import Package, open_package
from boreotabula.sheets.parts.worksheet import parsed
from boreotabula.texts import counted

_THEME_ORDER = (
    "lt1",
    "dk1",
    "lt2",
    "dk2",
    *(f"accent{n}" for n in range(1, 7)),
    "hlink",
    "folHlink",
)
"""The order in which cells number the colours of a theme (ECMA-376 part 1, 18.8.3)."""


CellPlace = tuple[int, int]
"""Row and column, counted from 0."""


@dataclass(frozen=True)
class Link:
    """The target of a link: an address, or a place in the same workbook."""

    address: str = ""
    place: str = ""
    tip: str = ""


@dataclass(frozen=True)
class CellNote:
    """A note at a cell."""

    text: str
    author: str


@dataclass(frozen=True)
class TabStyle:
    """The look of a tab: the properties of each styled cell by its place, and everything outside of
    cells."""

    styled: Mapping[CellPlace, Mapping[str, object]] = field(default_factory=dict)
    widths: Mapping[int, float] = field(default_factory=dict)
    freeze: CellPlace | None = None
    """The first cell that scrolls; the cells before it are frozen."""
    filter: tuple[int, int, int, int] | None = None
    """Top, left, bottom and right of a filter."""
    links: Mapping[CellPlace, Link] = field(default_factory=dict)
    notes: Mapping[CellPlace, CellNote] = field(default_factory=dict)
    lost: tuple[str, ...] = ()
    """What else the tab has, in words."""
    known: bool = False
    """Whether the file says what its tabs look like."""


class TabStyles:
    """The looks of the tabs of a workbook; other kinds of files have none."""

    def __init__(self, path: Path) -> None:
        self.there = path.suffix.lower() in (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")
        self._book: Any = None
        self._path = path
        if path.suffix.lower() in (".xlsx", ".xlsm"):
            self._book = _opened(path)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self._book is not None:
            self._book.close()
        if "_package" in vars(self) and self._package is not None:
            self._package.close()

    @property
    def chart_sheets(self) -> list[str]:
        """The names of the chart sheets."""
        return (
            []
            if self._book is None
            else [chartsheet.title for chartsheet in self._book.chartsheets]
        )

    def of(self, tab: str) -> TabStyle | None:
        """The look of a tab; None if it is not known."""
        if self._book is None or tab not in self._book.sheetnames:
            return None
        sheet = self._book[tab]
        if not hasattr(sheet, "_cells"):  # a sheet that is all chart
            return None
        styled = {}
        links: dict[CellPlace, Link] = {}
        notes: dict[CellPlace, CellNote] = {}
        for (row, column), cell in sheet._cells.items():
            place = row - 1, column - 1
            if cell.has_style and (values := self._properties(cell)):
                styled[place] = values
            if cell.hyperlink is not None:
                links[place] = _link(cell.hyperlink)
            if cell.comment is not None:
                notes[place] = CellNote(cell.comment.text, cell.comment.author or "")
        area = sheet.auto_filter.ref
        return TabStyle(
            styled,
            _widths(sheet),
            _place(sheet.freeze_panes) if sheet.freeze_panes else None,
            _area(area) if area else None,
            links,
            notes,
            (*_lost(sheet), *self._shapes(tab)),
            known=True,
        )

    def _shapes(self, tab: str) -> Iterator[str]:
        """The text boxes and other shapes of a tab, which the library ignores (20.5.2.29)."""
        if self._package is None:
            return
        number = 0
        for part in self._package.related(self._package.tabs().get(tab, ""), "/drawing").values():
            root = self._package.tree(part)
            number += 0 if root is None else len(root.findall("{*}*/{*}sp"))
        if number:
            yield counted(number, "text box or shape", "text boxes or shapes")

    @cached_property
    def _package(self) -> Package | None:
        try:
            return open_package(self._path)
        except CallError:
            return None

    def _properties(self, cell: Any) -> dict[str, object]:
        key = cell._style
        known = self._known
        if key not in known:
            known[key] = dict(_properties(cell, self._theme))
        return known[key]

    @cached_property
    def _known(self) -> dict[Any, dict[str, object]]:
        return {}

    @cached_property
    def _theme(self) -> list[str]:
        try:
            root = parsed(self._book.loaded_theme or b"", "its theme")
        except CallError:
            return ["000000"] * len(_THEME_ORDER)
        colours = []
        for name in _THEME_ORDER:
            colour = root.find(f"{{*}}themeElements/{{*}}clrScheme/{{*}}{name}/{{*}}*")
            shown = None if colour is None else colour.get("lastClr") or colour.get("val")
            colours.append(shown or "000000")
        return colours


def _opened(path: Path) -> Any:
    """The workbook; None if this library cannot read it: its cells are still read by the other
    one."""
    import warnings

    import openpyxl  # heavy, and only needed for looks

    try:
        # If it fails it does not close what it has opened itself.
        with warnings.catch_warnings(), path.open("rb") as stream:
            warnings.simplefilter("ignore")
            return openpyxl.load_workbook(stream, data_only=True)
    except Exception:  # noqa: BLE001  # whatever goes wrong there, only looks are lost
        return None


def _place(address: str) -> CellPlace:
    row, column = parse_address(address)
    return row, column


def _area(area: str) -> tuple[int, int, int, int]:
    first, _, last = area.partition(":")
    return *parse_address(first), *parse_address(last or first)


def _link(link: Any) -> Link:
    """The link of a cell; an address may be followed by a place."""
    address, place = link.target or "", link.location or ""
    tip = link.tooltip or ""
    if address.startswith("#"):
        address, place = "", address[1:]
    return (
        Link(f"{address}#{place}" if place else address, "", tip)
        if address
        else Link("", place, tip)
    )


def _lost(sheet: Any) -> Iterator[str]:
    """What a tab has that is not kept, in words."""
    for parts, what in (
        (sheet._charts, "chart"),
        (sheet._images, "picture"),
        (sheet._pivots, "pivot table"),
        (sheet.tables, "table object"),
        (sheet.conditional_formatting, "conditional format"),
        (sheet.data_validations.dataValidation, "rule of data entry"),
    ):
        if number := len(list(parts)):
            yield counted(number, what, "rules of data entry" if "rule" in what else None)
    if sheet.auto_filter.filterColumn:
        yield "what the filter shows (hidden rows stay hidden)"


def _widths(sheet: Any) -> dict[int, float]:
    """The width of each column that has one of its own; neighbours share an entry."""
    widths: dict[int, float] = {}
    for column_dimension in sheet.column_dimensions.values():
        if column_dimension.customWidth or column_dimension.width != 13:
            for column in range(
                column_dimension.min or 1,
                min(column_dimension.max or 1, (column_dimension.min or 1) + 255) + 1,
            ):
                widths[column - 1] = float(column_dimension.width)
    return widths


def _properties(cell: Any, theme: list[str]) -> list[tuple[str, object]]:
    """The properties of a cell's style that are kept, as the writing library names them."""
    properties: list[tuple[str, object]] = []
    if cell.number_format != "General":
        properties.append(("num_format", cell.number_format))
    properties += [(name, True) for name in ("bold", "italic") if getattr(cell.font, name[0])]
    colour = _colour(cell.font.color, theme)
    if colour not in (None, "000000"):
        properties.append(("font_color", f"#{colour}"))
    fill = cell.fill
    if fill is not None and fill.fill_type == "solid":
        ground = _colour(fill.fgColor, theme)
        if ground is not None:
            properties.append(("bg_color", f"#{ground}"))
    if cell.alignment.horizontal in ("left", "center", "right"):
        properties.append(("align", cell.alignment.horizontal))
    if cell.alignment.wrap_text:
        properties.append(("text_wrap", True))
    for side in ("top", "bottom", "left", "right"):
        line = getattr(cell.border, side, None)
        if line is not None and line.style:
            properties.append((side, 2 if line.style in ("medium", "thick", "double") else 1))
    return properties


def _colour(colour: Any, theme: list[str]) -> str | None:
    """A colour as six hexadecimal digits; None for the automatic one."""
    if colour is None:
        return None
    if colour.type == "rgb" and isinstance(colour.rgb, str):
        return colour.rgb[-6:]
    if colour.type == "theme" and colour.theme < len(theme):
        return _tinted(theme[colour.theme], colour.tint or 0.0)
    if colour.type == "indexed" and colour.indexed < 64:
        from openpyxl.styles.colors import COLOR_INDEX

        return str(COLOR_INDEX[colour.indexed])[-6:]
    return None


def _tinted(colour: str, tint: float) -> str:
    """A colour made lighter or darker by ECMA-376 part 1, 18.8.19."""
    red, green, blue = (int(colour[literal : literal + 2], 16) / 255 for literal in (0, 2, 4))
    hue, light, full = colorsys.rgb_to_hls(red, green, blue)
    light = light * (1 + tint) if tint < 0 else light * (1 - tint) + tint
    parts = colorsys.hls_to_rgb(hue, min(max(light, 0.0), 1.0), full)
    return "".join(f"{round(part * 255):02X}" for part in parts)
