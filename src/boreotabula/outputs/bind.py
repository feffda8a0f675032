"""The tabs of many files in one workbook, with number formats, widths, merges, bold and fills."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from boreotabula.errors import CallError
from boreotabula.layout.addresses import MAX_COLUMNS, MAX_ROWS
from boreotabula.layout.tabs import TabChoice, TabName
from boreotabula.outputs.cell_looks import Look, Looks
from boreotabula.reading.cells import cell_text
from boreotabula.runs.atomic import placed
from boreotabula.runs.inputs import LeftOut, SourceFile
from boreotabula.runs.processes.pool import Ended, spread
from boreotabula.texts import counted
from boreotabula.unreadable import UnreadableError
from boreotabula.workbooks.opening import Opening, Workbook
from boreotabula.workbooks.sheet import Cell, Flaw, Sheet, Visibility, make_sheet

CONTENTS = "Contents"
_NO_NAME = re.compile(r"[\[\]:*?/\\]")
_MOST_NAME = 31
_FEWEST_SIGNS = 6
"""So much of a part is left at least when names are shortened."""
_WIDEST = 60
_AHEAD = 1
"""So many files each process may have read that are not written yet."""
_PADDING = 5 / 7
"""What the writing library adds to a width, in signs."""


@dataclass
class Bound:
    """A tab as it was bound, or why it was not."""

    file: str
    tab: str
    name: str = ""
    """Its name in the new workbook; empty if it is not there."""
    rows: int = 0
    columns: int = 0
    note: str = ""
    lacking: bool = False
    """Whether it is not there though it should be; the note says why."""

    @classmethod
    def not_read(cls, file: str, why: object, tab: str = "") -> Bound:
        """What could not be read."""
        return cls(file, tab, note=f"not read: {why}", lacking=True)


@dataclass
class _Names:
    """Tab names that were given so far."""

    taken: set[str] = field(default_factory=lambda: {CONTENTS.casefold(), "history"})

    def new(self, wanted: str) -> str:
        """A name that is valid (31 signs, not any), and no other's in whatever letter case."""
        clean = " ".join(_NO_NAME.sub(" ", wanted).split()).strip("'")[:_MOST_NAME].strip() or "tab"
        name, number = clean, 1
        while name.casefold() in self.taken:
            number += 1
            end = f" ({number})"
            name = clean[: _MOST_NAME - len(end)].strip() + end
        self.taken.add(name.casefold())
        return name


def bind(
    files: Sequence[SourceFile],
    unseen: Sequence[LeftOut],
    choice: TabChoice,
    out: Path,
    form: str,
    opening: Opening,
    on_file: Callable[[str], None],
) -> list[Bound]:
    """Write the chosen tabs of files into one workbook, in order, with a list of them in front.

    `form` makes their names of {file}, {folder}, {tab} and {n}. What cannot be read, does not fit
    into a workbook, or is `unseen`, is in the list with its reason. Raises CallError if nothing
    could be bound, or the file not be written.
    """
    import xlsxwriter  # only needed for this kind of output

    bound: list[Bound] = []
    names = _Names()
    with placed(out) as stream, TemporaryDirectory(prefix="boreotabula-") as rows:
        # Rows are put on disk as they are written: one file is in memory at a time.
        options = {
            "constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False,
            "tmpdir": rows,
        }  # fmt: skip
        book = xlsxwriter.Workbook(stream, options)
        contents = book.add_worksheet(CONTENTS)
        try:
            formats = _Formats(book)
            read = partial(_tabs_of, choice=choice, opening=opening)
            each = spread(read, files, _ended, opening.limits, ahead=_AHEAD)
            for source, tabs in zip(files, each, strict=True):
                for one, sheet, look in tabs:
                    too_large = "" if sheet is None else _too_large(sheet)
                    if too_large:
                        one.note, one.lacking = f"not bound: {too_large}", True
                    elif sheet is not None:
                        number = sum(bool(other.name) for other in bound) + 1
                        one.name = names.new(_named(form, source, one.tab, number))
                        _write(book.add_worksheet(one.name), sheet, look, formats)
                    bound.append(one)
                on_file(source.name)
            bound += [Bound.not_read(one.name, one.why) for one in unseen]
            _list(contents, _some(bound), formats)
        except BaseException:
            book.fileclosed = True
            for one in book.worksheets():
                one.row_data_fh.close()
            raise
        book.close()
    return bound


def _some(bound: list[Bound]) -> list[Bound]:
    """The tabs as they are. Raises CallError if none was bound."""
    if not any(one.name for one in bound):
        raise CallError("no tab was chosen, so nothing was written")
    return bound


_LONGEST_TEXT = 32_767


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


def check_form(form: str) -> None:
    """Raises CallError if tab names cannot be made by a form."""
    for name in re.findall(r"\{(\w*)\}", form):
        if name not in ("file", "folder", "tab", "n"):
            raise CallError(
                f"--tab-name: there is no {{{name}}}; known: {{file}} {{folder}} {{tab}} {{n}}"
            )


def _named(form: str, source: SourceFile, tab: str, number: int) -> str:
    """The name of a tab; of one that is too long the longest part loses its middle."""
    parts = {"file": Path(source.name).stem, "folder": source.folder, "tab": tab, "n": str(number)}
    made = _filled(form, parts)
    over = len(made) - _MOST_NAME
    longest = max(re.findall(r"\{(\w+)\}", form), key=lambda one: len(parts[one]), default="")
    if over > 0 and len(parts.get(longest, "")) > over + _FEWEST_SIGNS:
        kept = len(parts[longest]) - over - 1
        end = kept // 2
        parts[longest] = f"{parts[longest][: kept - end]}…{parts[longest][-end:]}"
        made = _filled(form, parts)
    return made


def _filled(form: str, parts: Mapping[str, str]) -> str:
    return re.sub(r"\{(\w+)\}", lambda found: parts[found[1]], form).strip()


_Tab = tuple[Bound, Sheet | None, Look | None]


def _tabs_of(source: SourceFile, choice: TabChoice, opening: Opening) -> list[_Tab]:
    return list(_tabs(source, choice, opening))


def _ended(source: SourceFile, ended: Ended) -> list[_Tab]:
    return [(Bound.not_read(source.name, ended.said), None, None)]


def _tabs(source: SourceFile, choice: TabChoice, opening: Opening) -> Iterator[_Tab]:
    """The chosen tabs of a file, each with how it looks; what cannot be read with the reason."""
    try:
        with Workbook(source.path, opening) as book, Looks(source.path) as looks:
            tabs = [
                TabName(
                    tab.name,
                    tab.visibility is Visibility.VISIBLE,
                    choice.needs_blanks and book.sheet(tab.name).blank,
                )
                for tab in book.tabs
            ]
            for name in choice.choose(tabs):
                try:
                    sheet = book.sheet(name)
                except UnreadableError as error:
                    yield Bound.not_read(source.name, error, name), None, None
                    continue
                if sheet.blank:
                    yield Bound(source.name, name, note="blank, left out"), None, None
                    continue
                typed = sheet if looks.there else _typed(sheet)
                yield (
                    Bound(source.name, name, "", sheet.height, sheet.width, _flaws(sheet)),
                    typed,
                    looks.of(name),
                )
    except UnreadableError as error:
        yield Bound.not_read(source.name, error), None, None


def _flaws(sheet: Sheet) -> str:
    some = [cell for row in sheet.rows for cell in row if isinstance(cell, Flaw)]
    if not some:
        return ""
    cells = counted(len(some), "cell holds", "cells hold")
    return f"{cells} an error or a formula without result, the first {some[0].text}"


_NUMBER = re.compile(r"-?(?:0|[1-9]\d{0,14})(?:\.\d+)?")
_DAY = re.compile(r"\d{4}-\d{2}-\d{2}")


def _typed(sheet: Sheet) -> Sheet:
    """The tab of a text file, its plain numbers and ISO dates as such; codes such as 007 stay."""
    return make_sheet(sheet.name, [list(map(_value, row)) for row in sheet.rows], sheet.merges)


def _value(cell: Cell) -> Cell:
    if isinstance(cell, str) and _NUMBER.fullmatch(cell):
        return float(cell)
    if isinstance(cell, str) and _DAY.fullmatch(cell):
        try:
            return date.fromisoformat(cell)
        except ValueError:
            return cell
    return cell


class _Formats:
    """The cell formats of the new workbook, each made once."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self._made: dict[tuple[tuple[str, object], ...], Any] = {}

    def of(self, properties: Mapping[str, object]) -> Any:
        """The format of some properties; None for none."""
        if not properties:
            return None
        key = tuple(sorted(properties.items()))
        if key not in self._made:
            self._made[key] = self._book.add_format(dict(properties))
        return self._made[key]


_MOMENTS: Sequence[tuple[type, str]] = (
    (datetime, "yyyy-mm-dd hh:mm"), (date, "yyyy-mm-dd"), (time, "hh:mm:ss"),
    (timedelta, "[h]:mm:ss"),
)  # fmt: skip
"""How moments are shown where the file does not say; a datetime is a date, so it comes first."""


def _write(tab: Any, sheet: Sheet, look: Look | None, formats: _Formats) -> None:
    """One tab, row by row."""
    styled = look.styled if look else {}
    widths = look.widths if look else _fitting(sheet)
    for column, width in widths.items():
        tab.set_column(column, column, max(width - _PADDING, 0.0) if look else width)
    lowest = max([sheet.height - 1, *(row for row, _ in styled)], default=-1)
    by_row: dict[int, set[int]] = {}
    for row, column in styled:
        by_row.setdefault(row, set()).add(column)
    for row in range(min(lowest + 1, MAX_ROWS)):
        cells = sheet.rows[row] if row < sheet.height else ()
        filled = {column for column, cell in enumerate(cells) if cell != ""}
        for column in sorted(filled | by_row.get(row, set())):
            if column < MAX_COLUMNS:
                cell = cells[column] if column < len(cells) else ""
                _put(tab, row, column, cell, styled.get((row, column), {}), formats)
    # The library's own way to merge writes cells of later rows, which are not kept in memory.
    tab.merge += [list(span) for span in sheet.merges if span.top != span.bottom
                  or span.left != span.right]  # fmt: skip


def _put(
    tab: Any, row: int, column: int, cell: Cell, look: Mapping[str, object], formats: _Formats
) -> None:
    if cell == "":
        tab.write_blank(row, column, None, formats.of(look))
    elif isinstance(cell, bool):
        tab.write_boolean(row, column, cell, formats.of(look))
    elif isinstance(cell, float | int):
        tab.write_number(row, column, float(cell), formats.of(look))
    elif isinstance(cell, datetime | date | time | timedelta):
        usual = next(form for kind, form in _MOMENTS if isinstance(cell, kind))
        try:
            tab.write_datetime(row, column, cell, formats.of({"num_format": usual, **look}))
        except (ValueError, OverflowError):  # before the first day that a workbook knows
            tab.write_string(row, column, cell_text(cell), formats.of(look))
    else:
        tab.write_string(row, column, cell_text(cell), formats.of(look))


def _fitting(sheet: Sheet) -> dict[int, float]:
    """Widths that fit the first rows, for files that have none."""
    columns = zip(*sheet.rows[:200], strict=True)
    longest = [max((len(cell_text(cell)) for cell in column), default=0) for column in columns]
    return {at: float(min(max(one + 2, 8), _WIDEST)) for at, one in enumerate(longest)}


def _list(tab: Any, bound: Sequence[Bound], formats: _Formats) -> None:
    """The tab in front: what each tab is, and what is not there."""
    head = formats.of({"bold": True, "bottom": 1})
    link = formats.of({"font_color": "#0563C1", "underline": 1})
    names = ("tab", "file", "tab there", "rows", "columns", "note")
    tab.freeze_panes(1, 0)
    for column, (name, width) in enumerate(zip(names, (33, 48, 28, 8, 9, 60), strict=True)):
        tab.set_column(column, column, width)
        tab.write_string(0, column, name, head)
    for row, one in enumerate(bound, 1):
        if one.name:
            quoted = one.name.replace("'", "''")
            tab.write_url(row, 0, f"internal:'{quoted}'!A1", link, one.name)
        tab.write_string(row, 1, one.file)
        tab.write_string(row, 2, one.tab)
        if one.name:
            tab.write_number(row, 3, one.rows)
            tab.write_number(row, 4, one.columns)
        tab.write_string(row, 5, one.note)
