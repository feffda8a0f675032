"""A marked copy of a file that cannot be marked in place: its tabs written anew, by their
values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO

from boreotabula.binding.looks import CellNote, TabStyle, TabStyles
from boreotabula.binding.types import plainly
from boreotabula.binding.write import Formats, let_go, write_tab
from boreotabula.review.mark.faults import COLOURS
from boreotabula.review.mark.front import WIDTHS, Front, FrontLook
from boreotabula.review.mark.in_place import Mark
from boreotabula.sheets.marked import MARKED_NAME
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.parts.tab_names import free_name
from boreotabula.sheets.parts.writing import finish, new_workbook
from boreotabula.sheets.sheet import Visibility

_THICK = 5


def write_values(
    path: Path,
    opening: Opening,
    marks: Mapping[str, Sequence[Mark]],
    front: Front,
    stream: BinaryIO,
) -> list[str]:
    """Write the tabs of a file as a workbook, with marks and a list in front of them.

    Returns what could not be kept, in words. Raises UnreadableError if the file, or a tab of it,
    cannot be read.
    """
    with Workbook(path, opening) as book, TabStyles(path) as looks:
        tabs = [(tab, book.sheet(tab.name)) for tab in book.tabs]
        made = new_workbook(stream, constant_memory=True)
        lost: list[str] = []
        try:
            names = _names(path, [tab.name for tab, _ in tabs])
            list_tab = made.add_worksheet(free_name(front.name, names.values()))
            formats = Formats(made)
            _write_front(list_tab, formats, names, front)
            for tab, sheet in tabs:
                add_worksheet = made.add_worksheet(names[tab.name])
                typed = sheet if looks.there else plainly(sheet)[0]
                look = _marked(looks.of(tab.name) or TabStyle(), marks.get(tab.name, ()))
                lost += write_tab(add_worksheet, typed, look, formats, names)
                if tab.visibility is not Visibility.VISIBLE:
                    add_worksheet.hide()
            # By this name the program knows its own list when the copy comes back.
            quoted = list_tab.get_name().replace("'", "''")
            made.define_name(MARKED_NAME, f"='{quoted}'!$A$1")
        except BaseException:
            let_go(made)
            raise
        finish(made)
    return list(dict.fromkeys(lost))


def _names(path: Path, tabs: Sequence[str]) -> dict[str, str]:
    """The names of tabs in the copy: a text file has none, and takes its file's name."""
    names: dict[str, str] = {}
    for tab in tabs:
        names[tab] = free_name(tab or path.stem, names.values(), otherwise="table")
    return names


def _marked(look: TabStyle, marks: Sequence[Mark]) -> TabStyle:
    styled = {place: dict(properties) for place, properties in look.styled.items()}
    notes = dict(look.notes)
    # Backwards, so that of several at a cell the first decides the border.
    for mark in reversed(marks):
        place = (mark.at.row, mark.at.column)
        lines = {"border": _THICK, "border_color": f"#{COLOURS[mark.severity]}"}
        kept = {
            name: value
            for name, value in styled.get(place, {}).items()
            if name not in ("top", "bottom", "left", "right")
        }
        styled[place] = {**kept, **lines}
        before = notes.get(place)
        text = f"{mark.text}\n\n{before.text}" if before else mark.text
        notes[place] = CellNote(text, "Boreotabula")
    return replace(look, styled=styled, notes=notes)


def _write_front(tab: Any, formats: Formats, names: Mapping[str, str], front: Front) -> None:
    """The tab in front; `names` are those of the tabs in the copy."""
    looks = {
        FrontLook.TITLE: formats.of({"bold": True, "font_size": 14}),
        FrontLook.TEXT: None,
        FrontLook.HEAD: formats.of({"bold": True}),
        FrontLook.FAULT: None,
    }
    link = formats.of({"font_color": "#0563C1", "underline": 1})
    for column, width in enumerate(WIDTHS):
        tab.set_column(column, column, width)
    tab.set_landscape()
    tab.fit_to_pages(1, 0)
    for number, row in enumerate(front.rows):
        if row is None:
            continue
        # A text file has one tab, whose name is empty: it is a tab in the copy all the same.
        name = names.get(row.tab, "") if row.look is FrontLook.FAULT else ""
        quoted = name.replace("'", "''")
        for column, text in enumerate(row.texts):
            if column == 1 and name and text:
                tab.write_url(number, 1, f"internal:'{quoted}'!{text}", link, text)
            else:
                shown = name if column == 0 and name else text
                tab.write_string(number, column, shown, looks[row.look])
