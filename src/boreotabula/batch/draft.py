"""Drafting a layout from files; each file is opened in a separate process."""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from functools import partial
from itertools import islice
from pathlib import Path
from typing import NamedTuple

from boreotabula.batch.atomic import atomic_write, reporting_errors
from boreotabula.batch.inputs import (
    NO_PATTERN,
    Inbox,
    SourceFile,
    below_folders,
    check_is_file,
    look,
    sorted_files,
)
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.pool import Ended, spread
from boreotabula.batch.remote.address import as_named, is_remote
from boreotabula.batch.run.gather import read_figures
from boreotabula.batch.run.outcome import Run
from boreotabula.drafting.draft import Draft, draft
from boreotabula.drafting.halves import check_halves
from boreotabula.drafting.tabs.specimens import Example, LeftOut, Specimen
from boreotabula.errors import CallError
from boreotabula.limits import Limits
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Sheet, make_sheet
from boreotabula.unreadable import UnreadableError

_MOST_FILES = 120
"""More files of one form teach nothing. These are spread over the whole folder."""
_MOST_ROWS = 1500
"""At most this many rows of each tab are used: further rows show nothing new."""


@dataclass(frozen=True)
class FilledTabs:
    """The content of one file: its filled tabs, or why there are none."""

    file: str
    sheets: tuple[Sheet, ...] = ()
    unreadable: str = ""
    cut: bool = False
    """Whether a tab is longer than the part that was read."""


@dataclass(frozen=True)
class Drafting:
    """The result of drafting from a folder."""

    draft: Draft | None
    looked: tuple[FilledTabs, ...]
    more: int
    """How many files were not opened, because enough others were."""
    run: Run | None = None
    """The run of the layout over all files that it takes; None if there is none."""
    other_records: int = 0
    """The number of records of the runner-up, over all files that it takes."""
    left_out: tuple[LeftOut, ...] = ()
    """The files and tabs that hold something but are not read, and why."""

    @property
    def unreadable(self) -> list[FilledTabs]:
        """The files that could not be read."""
        return [file for file in self.looked if file.unreadable]


class Progress(NamedTuple):
    """Callbacks for the progress of the work."""

    start: Callable[[int | None, str], None] = lambda total, what: None
    """Called before each part of the work, with the number of its files (None if all are worked on
    at once) and what the part does."""
    on_file: Callable[[str], None] = lambda name: None
    """Called with the name of each file, in each part of the work."""


def draft_from(
    folder: Path,
    named: Sequence[Path] = (),
    like: str = "",
    limits: Limits | None = None,
    progress: Progress | None = None,
    *,
    halves: bool = False,
) -> Drafting:
    """Draft a layout from the files of a folder, or from named files.

    With `halves`, also ask where a draft of half of the tabs reads the other half differently.
    Raises CallError if the folder or a named file is missing, or if no tab or file has the name
    `like`.
    """
    progress = progress or Progress()
    sources = _sources(folder, named)
    group = _spread_over(sources, _MOST_FILES)
    progress.start(len(group), "looking into")
    ordered = look_into(group, limits, progress.on_file)
    specimens = specimens_of(ordered)
    tabs = {specimen.tab for specimen in specimens if specimen.tab} | {
        specimen.file for specimen in specimens
    }
    if like and like not in tabs:
        from boreotabula.layout.problems import did_you_mean

        raise CallError(f"no tab or file is called “{like}”{did_you_mean(like, sorted(tabs))}")
    progress.start(None, "drafting from")
    drafted = draft(specimens, like)
    drafting = Drafting(drafted, ordered, len(sources) - len(group))
    if drafted is None:
        return drafting
    if halves:
        progress.start(None, "drafting from each half of")
        drafted = check_halves(drafted)
    return tried_on_all(drafting, drafted, folder, limits, progress)


def specimens_of(looked: Iterable[FilledTabs]) -> list[Specimen]:
    """The tabs of some files, each with the others of its file."""
    return [
        Specimen(
            file.file,
            sheet,
            {
                other_sheet.name: other_sheet
                for other_sheet in file.sheets
                if other_sheet is not sheet
            },
        )
        for file in looked
        for sheet in file.sheets
    ]


def places_of(places: Sequence[Path]) -> tuple[Path, tuple[Path, ...]]:
    """The folder and files that some paths mean; for a single folder all of its files.

    Raises CallError if one of them is missing.
    """
    for place in places:
        if not place.exists():
            raise CallError(f"there is no folder or file “{place}”")
    first, *other_paths = places
    if first.is_dir() and not other_paths:
        return first, ()
    if first.is_dir() and all(path.is_file() for path in other_paths):
        return first, tuple(other_paths)
    files: list[Path] = []
    for place in places:
        if not place.is_dir():
            check_is_file(place)
        own = (
            [file.path for file in sorted_files(place) if not file.why]
            if place.is_dir()
            else [place]
        )
        files += own
    # The layout needs a folder: the nearest that holds all named files.
    folder = Path(os.path.commonpath([file.resolve().parent for file in files]))
    return Path(os.path.relpath(folder)), tuple(files)


def tried_on_all(
    drafting: Drafting,
    drafted: Draft,
    folder: Path,
    limits: Limits | None = None,
    progress: Progress | None = None,
) -> Drafting:
    """The draft, with its results over all files that it takes."""
    progress = progress or Progress()
    # The draft is tried as the text that will be written, not as the objects it was made from, so
    # that what is said of it is true of the file.
    layout, inbox = _layout_of(drafted, folder)
    progress.start(len(inbox.taken), "trying on")
    limits = limits or Limits()
    run = read_figures(layout, inbox, limits, lambda file: progress.on_file(file.name))
    other_run = None
    if drafted.runner_up:
        other_run = read_figures(*_layout_of(drafted.otherwise(), folder), limits, None)
    read = {source.name for source in inbox.taken}
    left_out = [
        omission for omission in drafted.left_out if omission.file in read or not omission.tab
    ]
    left_out += [
        LeftOut(example.specimen.file, example.specimen.tab, _why_other(example))
        for kind in drafted.others
        for example in kind.examples
        if (example.specimen.file, example.specimen.tab)
        not in {(omission.file, omission.tab) for omission in left_out}
    ]
    named = {omission.file for omission in left_out} | {file.file for file in drafting.looked}
    left_out += [
        LeftOut(omission.name, "", "its name fits no pattern of the layout")
        for omission in inbox.left_out
        if omission.why == NO_PATTERN and omission.name not in named
    ]
    return replace(
        drafting,
        draft=drafted,
        run=run,
        other_records=other_run.record_count if other_run is not None else 0,
        left_out=tuple(left_out),
    )


def _layout_of(drafted: Draft, folder: Path) -> tuple[Layout, Inbox]:
    """A draft as a layout of a folder, and the files that it takes there."""
    text = drafted.sketch.text(folder.resolve().as_posix(), whole=True)
    layout = Layout.load(folder / "the draft", text)
    return layout, look(layout)


def _why_other(example: Example) -> str:
    return "its table is of another kind" if example.shapes else "it holds no table"


def look_into(
    sources: Sequence[SourceFile],
    limits: Limits | None = None,
    on_file: Callable[[str], None] | None = None,
) -> tuple[FilledTabs, ...]:
    """The filled tabs of some files, in the order of the files."""
    looked: list[FilledTabs] = []
    # A damaged or hostile file must not end the draft; so even reading a few goes to other
    # processes.
    for file in spread(partial(_look, limits=limits), sources, _ended, limits):
        looked.append(file)
        if on_file is not None:
            on_file(file.file)
    return tuple(looked)


def _sources(folder: Path, named: Sequence[Path]) -> list[SourceFile]:
    if not folder.is_dir():
        raise CallError(f"there is no folder “{folder}”")
    if not named:
        return [SourceFile(file.path, file.below) for file in sorted_files(folder) if not file.why]
    sources = []
    for path in named:
        check_is_file(path)
        sources.append(SourceFile(path, below_folders(path, [folder])))
    return sources


def _spread_over(sources: Sequence[SourceFile], most: int) -> list[SourceFile]:
    """Some of many files, from the first to the last."""
    # Spread rather than the first ones: forms change with time, and names sort by time.
    step = max(len(sources) / most, 1)
    return [sources[int(index * step)] for index in range(min(len(sources), most))]


def _look(source: SourceFile, limits: Limits | None) -> FilledTabs:
    try:
        with Workbook(source.path, Opening(limits=limits or Limits())) as book:
            sheets = [sheet for tab in book.tabs if not (sheet := book.sheet(tab.name)).blank]
    except UnreadableError as error:
        return FilledTabs(source.name, unreadable=str(error))
    except OSError as error:
        return FilledTabs(source.name, unreadable=f"it cannot be opened ({error.strerror})")
    cut = any(sheet.height > _MOST_ROWS for sheet in sheets)
    return FilledTabs(source.name, tuple(map(_first_rows, sheets)), cut=cut)


def _first_rows(sheet: Sheet) -> Sheet:
    # Cut after reading, since a tab must be parsed as a whole in any case; what is saved is the
    # time of drafting.
    if sheet.height <= _MOST_ROWS:
        return sheet
    return make_sheet(
        sheet.name,
        [list(cells) for cells in islice(sheet.rows, _MOST_ROWS)],
        [merge for merge in sheet.merges if merge.bottom < _MOST_ROWS],
        visibility=sheet.visibility,
        hidden_columns=sheet.hidden_columns,
        typed=sheet.typed,
    )


def _ended(source: SourceFile, ended: Ended) -> FilledTabs:
    return FilledTabs(source.name, unreadable=ended.said)


def write_draft(drafted: Draft, output: Path, folder: Path) -> list[Path]:
    """Write a layout, and its glossary if it needs one; returns the files written.

    Raises CallError if a file of that name exists: a person may have edited it.
    """
    glossary = output.with_name(f"{output.stem}-headings.csv")
    texts = {output: drafted.sketch.text(_relative(folder, output.parent), glossary.name)}
    if drafted.sketch.glossary:
        lines = io.StringIO()
        writer = csv.writer(lines, lineterminator="\n")
        writer.writerow(("heading", "field", "tabs"))
        for heading, name in drafted.sketch.glossary.items():
            writer.writerow((heading, name, drafted.sketch.seen.get(heading, "")))
        texts[glossary] = lines.getvalue()
    # Both files are checked before either is written: a glossary without its layout helps nobody.
    write_new(texts)
    return list(texts)


def check_new(paths: Iterable[Path]) -> None:
    """Raises CallError if one of the files exists."""
    existing_paths = [path for path in paths if path.exists()]
    if existing_paths:
        raise CallError(
            f"“{existing_paths[0]}” is there already, and a draft never replaces a layout; name"
            " another file"
        )


def write_new(texts: Mapping[Path, str]) -> None:
    """Write new files, all of them or none. Raises CallError if one exists: a person may have
    edited it."""
    check_new(texts)
    with ExitStack() as written:
        for path, text in texts.items():
            stream = written.enter_context(atomic_write(path))
            with reporting_errors(path):  # a full disk is met before any of them is in place
                stream.write(text.encode())
                stream.flush()


def _relative(folder: Path, home: Path) -> str:
    """The folder as the layout names it: relative to the layout file, with '/'."""
    named = as_named(folder)
    if is_remote(named):
        return named
    return Path(os.path.relpath(folder.resolve(), home.resolve())).as_posix()
