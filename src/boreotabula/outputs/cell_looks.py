"""How the cells of a workbook look: number formats, bold, colours, fills, widths of columns."""

from __future__ import annotations

import colorsys
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any, Self

_THEME_ORDER = (
    "lt1",
    "dk1",
    "lt2",
    "dk2",
    *(f"accent{n}" for n in range(1, 7)),
    "hlink",
    "folHlink",
)
"""The order in which cells count the colours of a theme (ECMA-376 part 1, 18.8.3)."""


@dataclass(frozen=True)
class Look:
    """How a tab looks: the properties of each styled cell by its place, and widths by column."""

    styled: Mapping[tuple[int, int], Mapping[str, object]]
    widths: Mapping[int, float]


class Looks:
    """The looks of the tabs of a workbook; of other kinds of files there are none."""

    def __init__(self, path: Path) -> None:
        self.there = path.suffix.lower() in (".xlsx", ".xlsm", ".xlsb", ".xls", ".ods")
        self._book: Any = None
        if path.suffix.lower() in (".xlsx", ".xlsm"):
            self._book = _opened(path)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self._book is not None:
            self._book.close()

    def of(self, tab: str) -> Look | None:
        """The look of a tab; None if it is not known."""
        if self._book is None or tab not in self._book.sheetnames:
            return None
        sheet = self._book[tab]
        if not hasattr(sheet, "_cells"):  # a sheet that is all chart
            return None
        styled = {
            (row - 1, column - 1): found
            for (row, column), cell in sheet._cells.items()
            if cell.has_style and (found := self._properties(cell))
        }
        return Look(styled, _widths(sheet))

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
        text = (self._book.loaded_theme or b"").decode("utf-8", "replace")
        found = []
        for name in _THEME_ORDER:
            part = re.search(
                rf"<a:{name}>.*?(?:lastClr|srgbClr val)=\"(\w{{6}})\"", text, re.DOTALL
            )
            found.append(part[1] if part else "000000")
        return found


def _opened(path: Path) -> Any:
    """The workbook; None if this library cannot read it: its cells are still read by the other."""
    import warnings

    import openpyxl  # heavy, and only needed for looks

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return openpyxl.load_workbook(path, data_only=True)
    except Exception:  # noqa: BLE001  # whatever goes wrong there, only looks are lost
        return None


def _widths(sheet: Any) -> dict[int, float]:
    """The width of each column that has one of its own; neighbours share an entry."""
    widths: dict[int, float] = {}
    for one in sheet.column_dimensions.values():
        if one.customWidth or one.width != 13:
            for column in range(one.min or 1, min(one.max or 1, (one.min or 1) + 255) + 1):
                widths[column - 1] = float(one.width)
    return widths


def _properties(cell: Any, theme: list[str]) -> list[tuple[str, object]]:
    """What is kept of a cell's style, as the writing library calls it."""
    found: list[tuple[str, object]] = []
    if cell.number_format != "General":
        found.append(("num_format", cell.number_format))
    found += [(name, True) for name in ("bold", "italic") if getattr(cell.font, name[0])]
    colour = _colour(cell.font.color, theme)
    if colour not in (None, "000000"):
        found.append(("font_color", f"#{colour}"))
    fill = cell.fill
    if fill is not None and fill.fill_type == "solid":
        ground = _colour(fill.fgColor, theme)
        if ground is not None:
            found.append(("bg_color", f"#{ground}"))
    if cell.alignment.horizontal in ("left", "center", "right"):
        found.append(("align", cell.alignment.horizontal))
    if cell.alignment.wrap_text:
        found.append(("text_wrap", True))
    for side in ("top", "bottom", "left", "right"):
        line = getattr(cell.border, side, None)
        if line is not None and line.style:
            found.append((side, 2 if line.style in ("medium", "thick", "double") else 1))
    return found


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
    """A colour made lighter or darker, as ECMA-376 part 1, 18.8.19 says."""
    red, green, blue = (int(colour[at : at + 2], 16) / 255 for at in (0, 2, 4))
    hue, light, full = colorsys.rgb_to_hls(red, green, blue)
    light = light * (1 + tint) if tint < 0 else light * (1 - tint) + tint
    parts = colorsys.hls_to_rgb(hue, min(max(light, 0.0), 1.0), full)
    return "".join(f"{round(part * 255):02X}" for part in parts)
