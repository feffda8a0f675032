"""Opening workbooks through the fast reader, with its errors turned into ours."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType
from typing import Self

import python_calamine as calamine

from boreotabula.workbooks.sheet import Sheet, Span, make_sheet


class UnreadableError(Exception):
    """A file or tab that cannot be read; the text says why, `advice` what a person can do."""

    def __init__(self, why: str, advice: str) -> None:
        super().__init__(why)
        self.advice = advice


class Workbook:
    """An open workbook. Use as a context manager; sheets are read one by one.

    Raises UnreadableError on opening and on reading a sheet.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        with _translated():
            if path.stat().st_size == 0:
                raise UnreadableError("the file is empty", "Ask the sender for the file again.")
            self._book = calamine.CalamineWorkbook.from_path(path)
            self.tabs = tuple(
                tab.name
                for tab in self._book.sheets_metadata
                if tab.typ == calamine.SheetTypeEnum.WorkSheet
            )

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._book.close()

    def sheet(self, name: str) -> Sheet:
        """The cells of one tab."""
        with _translated():
            source = self._book.get_sheet_by_name(name)
            rows = source.to_python(skip_empty_area=False)
            merges = [
                Span(top, left, bottom, right)
                for (top, left), (bottom, right) in source.merged_cell_ranges or ()
            ]
        return make_sheet(name, rows, merges)  # type: ignore[arg-type]  # lists are ours to change


_SEND_AGAIN = "Open it in a spreadsheet program and save it again, or ask the sender for it again."


@contextmanager
def _translated() -> Iterator[None]:
    """Turn whatever the reader raises into UnreadableError, its panics included."""
    try:
        yield
    except UnreadableError:
        raise
    except calamine.PasswordError:
        raise UnreadableError(
            "it is protected by a password", "Save a copy without a password."
        ) from None
    except (calamine.ZipError, calamine.XmlError):
        raise UnreadableError("it is damaged, or no workbook at all", _SEND_AGAIN) from None
    except calamine.CalamineError as error:
        raise UnreadableError(f"it cannot be read ({_plain(error)})", _SEND_AGAIN) from None
    except PermissionError:
        raise UnreadableError(
            "it may not be opened", "Close it in other programs, or ask for the right to read it."
        ) from None
    except OSError as error:
        raise UnreadableError(f"it cannot be opened ({error.strerror})", _SEND_AGAIN) from None
    except BaseException as error:
        # The reader's panics derive from BaseException; an interrupt must still pass.
        if type(error).__name__ != "PanicException":
            raise
        raise UnreadableError("it is damaged in a way that stops the reader", _SEND_AGAIN) from None


def _plain(error: Exception) -> str:
    return str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
