"""Opening files of every kind: tabs and their cells, with errors in an analyst's words."""

from __future__ import annotations

import os
import struct
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

from boreotabula.files import open_regular
from boreotabula.layout.addresses import MAX_COLUMNS
from boreotabula.limits import MEBI, Budget, Limits
from boreotabula.sheets.codes import codes_of
from boreotabula.sheets.kinds import FileKind, file_kind
from boreotabula.sheets.look import Inside, NamedCell, Renaming, within
from boreotabula.sheets.marked import own_tab
from boreotabula.sheets.sheet import Cell, Sheet, Span, Visibility, make_sheet
from boreotabula.sheets.text import OpenQuote, TextForm, read_text
from boreotabula.unreadable import (
    PROTECTED,
    SEND_AGAIN,
    WITHOUT_PASSWORD,
    OverBudgetError,
    UnreadableError,
)


@dataclass(frozen=True)
class Tab:
    """A tab of a workbook: its name, and whether it is visible there."""

    name: str
    visibility: Visibility = Visibility.VISIBLE


@dataclass(frozen=True)
class Opening:
    """How files are opened: the form of texts, and the limits of reading."""

    text: TextForm = field(default_factory=TextForm)
    limits: Limits = field(default_factory=Limits)


class _Source(Protocol):
    """A file of some kind that is open."""

    tabs: tuple[Tab, ...]
    remarks: tuple[str, ...]
    doubts: tuple[str, ...]
    guessed: str
    quotes: tuple[OpenQuote, ...]

    def sheet(self, name: str) -> Sheet: ...
    def names(self) -> Mapping[str, NamedCell]: ...
    def close(self) -> None: ...


class Workbook:
    """An open file of any kind. Use as a context manager; sheets are read one by one.

    A text file or web page has one tab, named "". `remarks` say how the file was read; `doubts` are
    those that a person should know. `guessed` is the encoding of a text if several were possible;
    `quotes` are quotes that may have swallowed lines of it. Raises UnreadableError on opening and
    on reading a sheet.
    """

    def __init__(self, path: Path, opening: Opening | None = None) -> None:
        opening = opening or Opening()
        self.path = path
        with _translated():
            checked_size(path, opening.limits)
            self.kind = file_kind(path)
            self._source = _SOURCES[self.kind](path, self.kind, opening)
        # The list of marks that `mark` put in front is no tab of the sender's.
        # Only .xlsx can hold it, and names cost time.
        ours = own_tab(self.names()) if self.kind is FileKind.XLSX else None
        self.tabs = tuple(tab for tab in self._source.tabs if tab.name != ours)
        misnamed = tuple(_misnamed(path, self.kind))
        marked = (f"its tab “{ours}” is a list of marks, and is left out",) if ours else ()
        self.remarks = (*misnamed, *self._source.remarks, *marked)
        self.doubts = (*misnamed, *self._source.doubts)
        self.guessed, self.quotes = self._source.guessed, self._source.quotes

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._source.close()

    def sheet(self, name: str) -> Sheet:
        """The cells of one tab."""
        with _translated():
            return self._source.sheet(name)

    def names(self) -> Mapping[str, NamedCell]:
        """The defined names of the workbook that stand for one cell."""
        with _translated():
            return self._source.names()


def checked_size(path: Path, limits: Limits) -> int:
    """The bytes of a file that may be read.

    Raises OSError if it is no regular file, OverBudgetError if it is too large to be searched.
    """
    with open_regular(path) as stream:
        size = os.fstat(stream.fileno()).st_size
    if size > limits.mebibytes * MEBI:
        raise OverBudgetError.of("the file itself", limits.mebibytes, limits.mebibytes_for(size))
    return size


def _misnamed(path: Path, kind: FileKind) -> Iterator[str]:
    ending = path.suffix.lower()
    other_texts = (ending for one in FileKind for ending in one.endings if one is not kind)
    if ending in other_texts:
        yield f"this is {kind.value}, whatever its ending {ending} says; it was read as that"


_VISIBILITIES = {
    "Visible": Visibility.VISIBLE,
    "Hidden": Visibility.HIDDEN,
    "VeryHidden": Visibility.VERY_HIDDEN,
}
"""By the reader's names for them, whose own values cannot be keys."""


class _Workbook:
    """A workbook through the fast reader, completed by a search of the file."""

    def __init__(self, path: Path, kind: FileKind, opening: Opening) -> None:
        # Imported here, since a folder of texts needs no such reader.
        import python_calamine as calamine

        self.remarks: tuple[str, ...] = ()
        self.doubts: tuple[str, ...] = ()
        self.guessed = ""
        self.quotes: tuple[OpenQuote, ...] = ()
        # First the look: it refuses what would take the reader, and the machine, too far.
        self._inside = _inside(path, kind, Budget(opening.limits))
        try:
            self._book = calamine.CalamineWorkbook.from_path(path)
            self._list_tabs()
        except BaseException:
            self._inside.close()
            raise

    def _list_tabs(self) -> None:
        """Note the tabs that hold cells, each under a unique name."""
        import python_calamine as calamine

        written = [sheet_metadata.name for sheet_metadata in self._book.sheets_metadata]
        names = _of_their_own(written)
        self._numbers: dict[str, tuple[int, str]] = {}
        tabs: list[Tab] = []
        for number, one in enumerate(self._book.sheets_metadata):
            if one.typ == calamine.SheetTypeEnum.WorkSheet and _has_cells(self._inside, number):
                name = names[number]
                if name != one.name:
                    message = f"two of its tabs are called “{one.name}”; here the other is “{name}”"
                    self.remarks, self.doubts = (*self.remarks, message), (*self.doubts, message)
                self._numbers[name] = number, one.name
                tabs.append(Tab(name, _VISIBILITIES[str(one.visible).rpartition(".")[2]]))
        self.tabs = tuple(tabs)
        self._same_names = names != written
        if self._same_names and isinstance(self._inside, Renaming):
            self._book.close()
            self._book = calamine.CalamineWorkbook.from_filelike(self._inside.renamed(names))
            self._same_names = False

    def close(self) -> None:
        self._book.close()
        self._inside.close()

    def names(self) -> Mapping[str, NamedCell]:
        return self._inside.names()

    def sheet(self, name: str) -> Sheet:
        number, written = self._numbers[name]
        if self._same_names and name != written:
            raise UnreadableError(
                f"it is called “{written}” as another tab is, and only one of them can be read",
                "Give the two tabs different names, and save the file again.",
            )
        look = self._inside.look(number, written)
        source = self._book.get_sheet_by_index(number)
        rows: Sequence[list[Cell]] = source.to_python(skip_empty_area=False)  # type: ignore[assignment]
        merges = look.merges
        if merges is None:
            merges = tuple(
                Span(top, left, bottom, right)
                for (top, left), (bottom, right) in source.merged_cell_ranges or ()
            )
        del source  # it holds all cells once more
        visibility = next(tab.visibility for tab in self.tabs if tab.name == name)
        return make_sheet(
            name,
            rows,
            merges,
            corrected={**dict(codes_of(rows, look.formats)), **look.cells}
            if look.formats
            else look.cells,
            visibility=visibility,
            hidden_rows=within(look.hidden_rows, len(rows)),
            hidden_columns=within(look.hidden_columns, MAX_COLUMNS),
            tables=look.tables,
            indents=look.indents,
        )


def _of_their_own(names: Sequence[str]) -> list[str]:
    """Unique names: the second “Bench” is “Bench (2)”."""
    texts: list[str] = []
    taken = set(names)
    for index, name in enumerate(names):
        made, number = name, 2
        while name in names[:index] and made in taken:
            made, number = f"{name} ({number})", number + 1
        taken.add(made)
        texts.append(made)
    return texts


def _inside(path: Path, kind: FileKind, budget: Budget) -> Inside:
    """The search for a kind of workbook; imported when needed, because most folders hold one
    kind."""
    if kind is FileKind.XLSX:
        from boreotabula.sheets.sheet_xml import XlsxInside

        return XlsxInside(path, budget)
    if kind is FileKind.XLSB:
        # Only what is used is imported: each of these takes time at the start.
        from boreotabula.sheets.records_xlsb import XlsbInside

        return XlsbInside(path, budget)
    if kind is FileKind.ODS:
        from boreotabula.sheets.opendocument import OdsInside

        return OdsInside(path, budget)
    from boreotabula.sheets.records_xls import XlsInside

    return XlsInside(path, budget)


def _has_cells(inside: Inside, number: int) -> bool:
    """Whether a sheet is not one of the charts that the reader lists as tabs of an .xls file."""
    sheets = getattr(inside, "sheets", None)
    return sheets is None or number >= len(sheets) or sheets[number].has_cells


class _Plain:
    """A text file or web page: one tab without a name."""

    def __init__(self, path: Path, kind: FileKind, opening: Opening) -> None:
        self.doubts: tuple[str, ...] = ()
        self.guessed = ""
        self.quotes: tuple[OpenQuote, ...] = ()
        budget = Budget(opening.limits)
        if kind is FileKind.WEB_PAGE:
            from boreotabula.sheets.webpage import read_web_page

            self._rows, self._merges, message, several = read_web_page(path, budget)
            self.doubts = (message,) if several else ()
        else:
            text = read_text(path, opening.text, budget)
            self._rows, self._merges, message = text.rows, [], text.said
            self.guessed, self.quotes = text.guessed, text.quotes
        self.tabs: tuple[Tab, ...] = (Tab(""),)
        self.remarks: tuple[str, ...] = (message,)

    def close(self) -> None:
        self._rows = []

    def names(self) -> Mapping[str, NamedCell]:
        return {}

    def sheet(self, name: str) -> Sheet:
        rows: list[list[Cell]] = [list(row) for row in self._rows]
        return make_sheet(name, rows, self._merges, typed=False)


_Opener = Callable[[Path, FileKind, Opening], _Source]
_SOURCES: Mapping[FileKind, _Opener] = {
    FileKind.XLSX: _Workbook,
    FileKind.XLSB: _Workbook,
    FileKind.XLS: _Workbook,
    FileKind.ODS: _Workbook,
    FileKind.TEXT: _Plain,
    FileKind.WEB_PAGE: _Plain,
}


@contextmanager
def _translated() -> Iterator[None]:
    """Turn all errors of the reader into UnreadableError, including its panics."""
    try:
        yield
    except UnreadableError:
        raise
    except PermissionError:
        raise UnreadableError(
            "it may not be opened", "Close it in other programs, or ask for the right to read it."
        ) from None
    except OSError as error:
        raise UnreadableError(f"it cannot be opened ({error.strerror or error})") from None
    # Whatever these say, the parts of the file contradict one another.
    except (struct.error, LookupError, ValueError, OverflowError):
        # Records that are cut short, numbers out of range, encodings that do not exist.
        raise UnreadableError("it is damaged: its parts do not fit together") from None
    except BaseException as error:
        why = _reader_trouble(error)
        if why is None:
            raise
        raise UnreadableError(*why) from None


_MISSING_PART = ("Relationship not found", "File not found", "Zip file")


def _reader_trouble(error: BaseException) -> tuple[str, str] | None:
    """The meaning of an error of the fast reader; None if it is not its own."""
    # The reader's panics derive from BaseException; an interrupt must still pass.
    if type(error).__name__ == "PanicException":
        return "it is damaged in a way that stops the reader", SEND_AGAIN
    import python_calamine as calamine

    if isinstance(error, calamine.PasswordError):
        return PROTECTED, WITHOUT_PASSWORD
    if isinstance(error, calamine.ZipError | calamine.XmlError):
        return "it is damaged, or no workbook at all", SEND_AGAIN
    if isinstance(error, calamine.CalamineError):
        texts = str(error).strip().splitlines() or [type(error).__name__]
        if texts[0].startswith(_MISSING_PART):
            return "it is damaged: one of its parts, or what points to it, is missing", SEND_AGAIN
        return f"it cannot be read (the reader says: {texts[0]:.200})", SEND_AGAIN
    return None
