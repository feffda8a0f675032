"""The tabs of many files in one workbook, in the given order."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from boreotabula.batch.claims import claimed
from boreotabula.batch.file.read import file_digest
from boreotabula.batch.inputs import SkippedFile, SourceFile
from boreotabula.batch.processes.pool import Ended, PoolOptions, spread
from boreotabula.binding.bound import Bound
from boreotabula.binding.looks import TabStyle, TabStyles
from boreotabula.binding.names import CONTENTS, TabNames, named
from boreotabula.binding.types import Typing, plainly
from boreotabula.binding.write import Formats, let_go, write_contents, write_tab
from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_COLUMNS, MAX_ROWS
from boreotabula.layout.tabs import TabName, Tabs
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.parts.writing import finish, new_workbook
from boreotabula.sheets.sheet import Flaw, Sheet, Visibility
from boreotabula.texts import counted
from boreotabula.unreadable import UnreadableError

_AHEAD = 1
"""The number of files that each process may have read and not yet written."""
_LONGEST_TEXT = 32_767
"""The most characters that a cell holds."""


@dataclass(frozen=True)
class Binding:
    """How tabs are bound."""

    choice: Tabs
    opening: Opening
    form: str = "{file} {tab}"
    """Name tabs by {file}, {folder}, {tab} and {n}."""
    contents: bool = True
    """Whether a tab in front lists all others."""
    typing: Typing = plainly
    """How the cells of text files become values."""


def bind(
    files: Sequence[SourceFile],
    unseen: Sequence[SkippedFile],
    binding: Binding,
    out: Path,
    on_file: Callable[[str], None],
) -> list[Bound]:
    """Write the chosen tabs of files into one workbook, in order, with a list of them in front.

    What cannot be read, does not fit into a workbook, or is `unseen`, is in the list with its
    reason. Raises CallError if nothing could be bound, or the file not be written.
    """
    bound: list[Bound] = []
    with claimed(out) as stream, TemporaryDirectory(prefix="boreotabula-") as rows:
        # Rows are put on disk as they are written: one file is in memory at a time.
        book = new_workbook(stream, constant_memory=True, tmpdir=rows)
        contents = book.add_worksheet(CONTENTS) if binding.contents else None
        try:
            written = _Written(book, binding, bound)
            read = partial(_tabs_of, binding=binding)
            each = spread(read, files, _ended, binding.opening.limits, PoolOptions(ahead=_AHEAD))
            first = _first_of_content(files)
            for source, tabs in zip(files, each, strict=True):
                for one, *_ in tabs if source.name in first else ():
                    one.doubt(f"the same file as “{first[source.name]}”")
                written.add(source, tabs)
                on_file(source.name)
            bound += [Bound.not_read(omission.name, omission.why) for omission in unseen]
            _check_some(bound)
            if contents is not None:
                write_contents(contents, bound, written.formats)
            written.show_first()
        except BaseException:
            let_go(book)
            raise
        finish(book)
    return bound


def _first_of_content(files: Sequence[SourceFile]) -> dict[str, str]:
    """The name of the first file with the same content as each later one."""
    texts: dict[str, str] = {}
    first = {}
    for file in files:
        try:
            digest = file_digest(file.path)
        except OSError:  # told as what cannot be read
            continue
        if texts.setdefault(digest, file.name) != file.name:
            first[file.name] = texts[digest]
    return first


def _check_some(tabs: Sequence[Bound]) -> None:
    """Raises CallError if no tab was bound."""
    if not any(tab.name for tab in tabs):
        raise CallError("no tab matches; nothing was written")


class _Written:
    """The tabs that are in the new workbook so far."""

    def __init__(self, book: Any, binding: Binding, bound: list[Bound]) -> None:
        self._book, self._binding, self._bound = book, binding, bound
        self._names = TabNames()
        self._hidden: list[Any] = []
        self.formats = Formats(book)

    def add(self, source: SourceFile, tabs: Sequence[_Tab]) -> None:
        """Write the tabs of a file; all are named first, so that links between them resolve."""
        for bound, sheet, _ in tabs:
            too_large = "" if sheet is None else _too_large(sheet)
            if too_large:
                bound.note, bound.lacking = f"not bound: {too_large}", True
            elif sheet is not None:
                number = sum(bool(other_bound.name) for other_bound in self._bound) + 1
                bound.name = self._names.new(named(self._binding.form, source, bound.tab, number))
            self._bound.append(bound)
        names = {one.tab: one.name for one, _, _ in tabs if one.name}
        for bound, sheet, look in tabs:
            if sheet is None or not bound.name:
                continue
            tab = self._book.add_worksheet(bound.name)
            lost = write_tab(tab, sheet, look, self.formats, names)
            if lost:
                bound.add(f"not kept: {', '.join(lost)}")
            if sheet.visibility is not Visibility.VISIBLE:
                tab.hide()
                self._hidden.append(tab)

    def show_first(self) -> None:
        """Make the first visible tab the active one; there must be one."""
        tabs = self._book.worksheets()
        values = [tab for tab in tabs if tab not in self._hidden]
        if not values:
            tabs[0].hidden = 0
            values = tabs[:1]
        values[0].activate()
        values[0].set_first_sheet()


def _too_large(sheet: Sheet) -> str:
    """Why a tab does not fit into a workbook whole (ECMA-376 part 1, 18.18.7, and the usual limit
    of a cell); empty if it does."""
    if sheet.height > MAX_ROWS:
        return f"it has {sheet.height:,} rows, and a tab of a workbook at most {MAX_ROWS:,}"
    if sheet.width > MAX_COLUMNS:
        return f"it has {sheet.width:,} columns, and a tab of a workbook at most {MAX_COLUMNS:,}"
    for row, column, text in sheet.texts():
        if _length(text) > _LONGEST_TEXT:
            where = sheet.address(row, column)
            long = f"{_length(text):,} characters"
            return f"{where} holds {long}, and a cell of a workbook at most {_LONGEST_TEXT:,}"
    return ""


def _length(text: str) -> int:
    """The characters of a text as workbooks count them: those beyond the first plane twice."""
    return len(text) if len(text) * 2 <= _LONGEST_TEXT else len(text.encode("utf-16-le")) // 2


_Tab = tuple[Bound, Sheet | None, TabStyle | None]


def _tabs_of(source: SourceFile, binding: Binding) -> list[_Tab]:
    return list(_tabs(source, binding))


def _ended(source: SourceFile, ended: Ended) -> list[_Tab]:
    return [(Bound.not_read(source.name, ended.said), None, None)]


def _tabs(source: SourceFile, binding: Binding) -> Iterator[_Tab]:
    """The chosen tabs of a file, each with its look; what cannot be read with the reason."""
    try:
        with Workbook(source.path, binding.opening) as book, TabStyles(source.path) as looks:
            tabs = [
                TabName(
                    tab.name,
                    tab.visibility is Visibility.VISIBLE,
                    binding.choice.needs_blanks and book.sheet(tab.name).blank,
                )
                for tab in book.tabs
            ]
            for name in binding.choice.choose(tabs):
                try:
                    sheet = book.sheet(name)
                except UnreadableError as error:
                    yield Bound.not_read(source.name, error, name), None, None
                    continue
                if sheet.blank:
                    yield Bound(source.name, name, note="blank, left out"), None, None
                    continue
                bound = Bound(source.name, name, "", sheet.height, sheet.width)
                bound.doubt(_flaws(sheet))
                look = looks.of(name)
                if not looks.there:
                    sheet, doubts = binding.typing(sheet)
                    bound.add(doubts)
                elif look is None:
                    bound.add(_UNKNOWN.format(source.path.suffix.lower()))
                yield bound, sheet, look
            for name in _chosen_charts(looks, binding.choice):
                note = "not bound: a sheet that is all chart"
                yield Bound(source.name, name, note=note, doubtful=True), None, None
    except UnreadableError as error:
        yield Bound.not_read(source.name, error), None, None


def _chosen_charts(looks: TabStyles, choice: Tabs) -> list[str]:
    """The chart sheets that would be bound if they held cells."""
    if choice.position is not None:
        return []
    return list(
        choice.choose([TabName(chart_sheet, True, False) for chart_sheet in looks.chart_sheets])
    )


_UNKNOWN = "not kept of {} files: looks, frozen panes, filters, links and cell notes"


def _flaws(sheet: Sheet) -> str:
    flaws = [cell for row in sheet.rows for cell in row if isinstance(cell, Flaw)]
    if not flaws:
        return ""
    cells = counted(len(flaws), "cell holds", "cells hold")
    return f"{cells} an error or a formula without result, the first {flaws[0].text}"
