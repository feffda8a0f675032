"""Tabs for display, for `show` and the page of roles."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from boreotabula.batch.inputs import (
    SourceFile,
    check_is_file,
    look,
    sorted_files,
)
from boreotabula.batch.processes.pool import Ended, spread
from boreotabula.batch.survey import job_of
from boreotabula.errors import CallError
from boreotabula.layout.patterns import PatternKind, pattern
from boreotabula.limits import Limits
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Sheet
from boreotabula.unreadable import UnreadableError

if TYPE_CHECKING:
    from boreotabula.batch.file.open_file import Job
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.reading.tab import TabReading


@dataclass(frozen=True)
class TabView:
    """A tab to be shown; with a layout, also how it was read."""

    sheet: Sheet
    reading: TabReading | None = None


@dataclass(frozen=True)
class FileView:
    """Some tabs of a file, and the names of its other tabs."""

    remarks: tuple[str, ...]
    tabs: tuple[TabView, ...]
    others: tuple[str, ...]
    unreadable: str = ""
    """Why there is nothing to show."""


def view_files(
    paths: Sequence[Path],
    wanted: Sequence[str],
    layout: Layout | None,
    limits: Limits | None = None,
) -> Iterator[FileView]:
    """The views of several files; one that cannot be shown says why.

    Raises CallError if a file does not exist.
    """
    for path in paths:
        check_is_file(path)
    job = job_of(layout, limits)
    sources = [
        _source_of(path, layout) if layout else SourceFile(path, path.name) for path in paths
    ]
    opening = job.opening if job else Opening(limits=limits or Limits())
    work = partial(_view_or_why, wanted=wanted, job=job, opening=opening)
    yield from spread(work, sources, _cannot_be_shown, opening.limits)


def files_below(paths: Sequence[Path]) -> list[Path]:
    """The files of a call, those of folders in natural order. Raises CallError if there is none."""
    files: list[Path] = []
    for path in paths:
        if path.is_dir():
            files += [file.path for file in sorted_files(path) if not file.why]
        else:
            files.append(path)
    if not files:
        raise CallError(f"there is no file to show in “{paths[0]}”")
    return list(dict.fromkeys(files))


def _cannot_be_shown(source: SourceFile, ended: Ended) -> FileView:
    return FileView((), (), (), f"“{source.path}” cannot be shown: {ended.said}")


def _view_or_why(
    source: SourceFile, wanted: Sequence[str], job: Job | None, opening: Opening
) -> FileView:
    try:
        return view_of(source, wanted, job, opening)
    except CallError as error:
        return FileView((), (), (), str(error))


def view_of(
    source: SourceFile, wanted: Sequence[str], job: Job | None, opening: Opening
) -> FileView:
    from boreotabula.batch.file.read import read_chosen

    path = source.path
    try:
        with Workbook(path, opening) as book:
            names = [tab.name for tab in book.tabs]
            chosen = _wanted_tabs(book, wanted) if wanted else None
            if job is not None:
                read = read_chosen(book, source, job, chosen)
                views = [TabView(sheet, reading) for sheet, reading in read]
                if not views and chosen is None:
                    raise CallError(
                        f"“{path}”: the layout reads no tab of this file; it has"
                        f" {', '.join(names)}; name one with --tab"
                    )
            else:
                views = [TabView(book.sheet(name)) for name in chosen or _first_filled(book)]
            shown = {view.sheet.name for view in views}
            return FileView(
                book.remarks, tuple(views), tuple(name for name in names if name not in shown)
            )
    except UnreadableError as error:
        raise CallError(f"“{path}” cannot be shown: {error}. {error.advice}") from None


def _source_of(path: Path, layout: Layout) -> SourceFile:
    return look(layout, named=[path]).taken[0]


def _wanted_tabs(book: Workbook, wanted: Sequence[str]) -> list[str]:
    names = [tab.name for tab in book.tabs]
    patterns = [pattern(text, PatternKind.TAB) for text in wanted]
    for text, one in zip(wanted, patterns, strict=True):
        if not any(one.match(name) is not None for name in names):
            from boreotabula.layout.problems import did_you_mean

            near = did_you_mean(text, names)
            raise CallError(f"“{book.path}” has no tab “{text}”{near}")
    return [name for name in names if any(one.match(name) is not None for one in patterns)]


def _first_filled(book: Workbook) -> list[str]:
    for tab in book.tabs:
        if not book.sheet(tab.name).blank:
            return [tab.name]
    return [book.tabs[0].name] if book.tabs else []
