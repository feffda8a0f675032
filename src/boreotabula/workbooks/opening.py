"""Opening files of every kind: tabs and their cells, with what goes wrong in an analyst's words."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

from boreotabula.workbooks.codes import codes_of
from boreotabula.workbooks.errors import SEND_AGAIN, UnreadableError
from boreotabula.workbooks.kinds import FileKind, file_kind
from boreotabula.workbooks.limits import Limits
from boreotabula.workbooks.look import Inside, NamedCell
from boreotabula.workbooks.sheet import Cell, Sheet, Span, Visibility, make_sheet
from boreotabula.workbooks.text import OpenQuote, TextForm, read_text


@dataclass(frozen=True)
class Tab:
    """A tab of a workbook: its name, and whether it is seen there."""

    name: str
    visibility: Visibility = Visibility.VISIBLE


@dataclass(frozen=True)
class Opening:
    """How files are opened: the form of texts, and how much a file may ask for."""

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
    """An open file of any kind that is read. Use as a context manager; sheets are read one by one.

    A text file or web page has one tab, named "". `remarks` say how the file was read, `doubts` are
    those of them that a person should know of; `guessed` is the encoding of a text if it was one of
    several that are possible, `quotes` are those that may have swallowed lines of it.
    Raises UnreadableError on opening and on reading a sheet.
    """

    def __init__(self, path: Path, opening: Opening | None = None) -> None:
        opening = opening or Opening()
        self.path = path
        with _translated():
            self.kind = file_kind(path)
            self._source = _SOURCES[self.kind](path, self.kind, opening)
        self.tabs = self._source.tabs
        misnamed = tuple(_misnamed(path, self.kind))
        self.remarks = (*misnamed, *self._source.remarks)
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


def _misnamed(path: Path, kind: FileKind) -> Iterator[str]:
    ending = path.suffix.lower()
    others = (known for one in FileKind for known in one.endings if one is not kind)
    if ending in others:
        yield f"this is {kind.value}, whatever its ending {ending} says; it was read as that"


_VISIBILITIES = {
    "Visible": Visibility.VISIBLE,
    "Hidden": Visibility.HIDDEN,
    "VeryHidden": Visibility.VERY_HIDDEN,
}
"""By the reader's names for them, whose own values can be no keys."""


class _Workbook:
    """A workbook through the fast reader, completed by a look into the file."""

    def __init__(self, path: Path, kind: FileKind, opening: Opening) -> None:
        import python_calamine as calamine

        self.remarks: tuple[str, ...] = ()
        self.doubts: tuple[str, ...] = ()
        self.guessed = ""
        self.quotes: tuple[OpenQuote, ...] = ()
        # First the look: it refuses what would take the reader, and the machine, too far.
        self._inside = _inside(path, kind, opening.limits)
        self._book = calamine.CalamineWorkbook.from_path(path)
        self._numbers: dict[str, int] = {}
        tabs: list[Tab] = []
        for number, one in enumerate(self._book.sheets_metadata):
            if one.typ == calamine.SheetTypeEnum.WorkSheet and _has_cells(self._inside, number):
                self._numbers[one.name] = number
                tabs.append(Tab(one.name, _VISIBILITIES[str(one.visible).rpartition(".")[2]]))
        self.tabs = tuple(tabs)

    def close(self) -> None:
        self._book.close()
        self._inside.close()

    def names(self) -> Mapping[str, NamedCell]:
        return self._inside.names()

    def sheet(self, name: str) -> Sheet:
        look = self._inside.look(self._numbers[name], name)
        source = self._book.get_sheet_by_name(name)
        rows: Sequence[list[Cell]] = source.to_python(skip_empty_area=False)  # type: ignore[assignment]
        merges = look.merges
        if merges is None:
            merges = tuple(
                Span(top, left, bottom, right)
                for (top, left), (bottom, right) in source.merged_cell_ranges or ()
            )
        visibility = next(tab.visibility for tab in self.tabs if tab.name == name)
        return make_sheet(
            name,
            rows,
            merges,
            corrected={**dict(codes_of(rows, look.formats)), **look.cells}
            if look.formats
            else look.cells,
            visibility=visibility,
            hidden_rows=look.hidden_rows,
            hidden_columns=look.hidden_columns,
            tables=look.tables,
        )


def _inside(path: Path, kind: FileKind, limits: Limits) -> Inside:
    """The look into a workbook of a kind; imported as needed, most folders hold one kind."""
    if kind is FileKind.XLSX:
        from boreotabula.workbooks.sheet_xml import XlsxInside

        return XlsxInside(path, limits)
    if kind is FileKind.XLSB:
        from boreotabula.workbooks.records_xlsb import XlsbInside

        return XlsbInside(path, limits)
    if kind is FileKind.ODS:
        from boreotabula.workbooks.opendocument import OdsInside

        return OdsInside(path, limits)
    from boreotabula.workbooks.records_xls import XlsInside

    return XlsInside(path, limits)


def _has_cells(inside: Inside, number: int) -> bool:
    """Whether a sheet is none of the charts that the reader lists as tabs of an .xls file."""
    sheets = getattr(inside, "sheets", None)
    return sheets is None or number >= len(sheets) or sheets[number].has_cells


class _Plain:
    """A text file or web page: one tab without a name."""

    def __init__(self, path: Path, kind: FileKind, opening: Opening) -> None:
        self.doubts: tuple[str, ...] = ()
        self.guessed = ""
        self.quotes: tuple[OpenQuote, ...] = ()
        if kind is FileKind.WEB_PAGE:
            from boreotabula.workbooks.webpage import read_web_page

            self._rows, self._merges, said, several = read_web_page(path, opening.limits)
            self.doubts = (said,) if several else ()
        else:
            text = read_text(path, opening.text, opening.limits)
            self._rows, self._merges, said = text.rows, [], text.said
            self.guessed, self.quotes = text.guessed, text.quotes
        self.tabs: tuple[Tab, ...] = (Tab(""),)
        self.remarks: tuple[str, ...] = (said,)

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
    """Turn whatever the reader raises into UnreadableError, its panics included."""
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
    except (struct.error, LookupError, ValueError, OverflowError):
        # Records that are cut short, numbers out of range, encodings that do not exist.
        raise UnreadableError("it is damaged: its parts do not fit together") from None
    except MemoryError:
        raise UnreadableError("it asks for more memory than there is") from None
    except BaseException as error:
        why = _reader_trouble(error)
        if why is None:
            raise
        raise UnreadableError(*why) from None


def _reader_trouble(error: BaseException) -> tuple[str, str] | None:
    """What an error of the fast reader means; None if it is no error of its own."""
    # The reader's panics derive from BaseException; an interrupt must still pass.
    if type(error).__name__ == "PanicException":
        return "it is damaged in a way that stops the reader", SEND_AGAIN
    import python_calamine as calamine

    if isinstance(error, calamine.PasswordError):
        return "it is protected by a password", "Save a copy without a password."
    if isinstance(error, calamine.ZipError | calamine.XmlError):
        return "it is damaged, or no workbook at all", SEND_AGAIN
    if isinstance(error, calamine.CalamineError):
        said = str(error).strip().splitlines()
        return f"it cannot be read ({said[0] if said else type(error).__name__})", SEND_AGAIN
    return None
