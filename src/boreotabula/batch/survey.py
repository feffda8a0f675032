"""Looking into files without extracting: what came in, what looks alike, how one tab is read."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from boreotabula.batch.inputs import (
    SourceFile,
    look,
    natural_key,
    sorted_files,
)
from boreotabula.batch.processes.pool import Ended, spread
from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address
from boreotabula.limits import Limits
from boreotabula.look.frame import Frame, frame_of
from boreotabula.reading.cells import one_line
from boreotabula.sheets.opening import Opening, Workbook
from boreotabula.sheets.sheet import Visibility
from boreotabula.unreadable import UnreadableError

if TYPE_CHECKING:
    from boreotabula.batch.file.open_file import Job
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.reading.plan import Plan


@dataclass(frozen=True)
class TabSurvey:
    """The facts about one tab."""

    name: str
    visibility: Visibility
    rows: int = 0
    """Filled rows; `columns` alike."""
    columns: int = 0
    start: str = ""
    """The first cell of the data, as an address: the headings of its table, or the first filled
    cell."""
    tables: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    """Defined names that refer to a cell of it."""
    hidden: tuple[int, int] = (0, 0)
    """Hidden rows and columns."""
    merged: int = 0
    """Merged ranges."""
    texts: tuple[str, ...] = ()
    """The first texts on it."""
    frame: Frame | None = None
    chosen: bool | None = None
    """Whether the layout reads it; None without a layout."""
    captured: Mapping[str, str] = field(default_factory=dict)
    unreadable: str = ""

    @property
    def blank(self) -> bool:
        """Whether it is empty."""
        return not self.rows and not self.unreadable


@dataclass(frozen=True)
class FileSurvey:
    """The facts about one file."""

    name: str
    size: int
    why_left_out: str = ""
    unreadable: str = ""
    kind: str = ""
    remarks: tuple[str, ...] = ()
    tabs: tuple[TabSurvey, ...] = ()
    said: tuple[str, ...] = ()
    """Findings of the layout's choice of tabs."""


@dataclass(frozen=True)
class Difference:
    """How a frame differs from the usual one, in words."""

    said: str
    another_form: bool = False
    """Whether the two have hardly anything in common."""


@dataclass(frozen=True)
class Alike:
    """Tabs that look alike, as pairs of file and tab, and their frame, which holds the headings."""

    frame: Frame
    tabs: tuple[tuple[str, str], ...]
    like: int | None = None
    """The index of the larger group that they are most similar to; None for the largest."""
    differs: Difference | None = None
    """How they differ from that group."""

    @property
    def files(self) -> list[str]:
        """The files that hold them."""
        return list(dict.fromkeys(file for file, _ in self.tabs))


@dataclass(frozen=True)
class Survey:
    """All files of a folder, and which of their tabs look alike, the largest group first."""

    files: tuple[FileSurvey, ...]
    groups: tuple[Alike, ...]


def _files(folder: Path, layout: Layout | None) -> tuple[list[SourceFile], list[FileSurvey]]:
    """The files to look into, and those that are left out already."""
    if layout is None:
        if not folder.is_dir():
            raise CallError(f"there is no folder “{folder}”")
        files = list(sorted_files(folder))
        left = [FileSurvey(file.below, _size(file.path), file.why) for file in files if file.why]
        return [SourceFile(file.path, file.below) for file in files if not file.why], left
    inbox = look(layout)
    return list(inbox.taken), [
        FileSurvey(omission.name, 0, omission.why) for omission in inbox.left_out
    ]


def survey(
    target: Path,
    layout: Layout | None = None,
    limits: Limits | None = None,
    on_file: Callable[[FileSurvey], None] | None = None,
    on_start: Callable[[int], None] | None = None,
) -> Survey:
    """Look into every file below a folder, or below the source folders of a layout.

    `on_start` is called with the number of files. Raises CallError if a folder is missing.
    """
    sources, file_surveys = _files(target, layout)
    if on_start is not None:
        on_start(len(sources))
    job = job_of(layout, limits)
    look_into = partial(_survey_file, job=job, limits=limits)
    for file_survey in spread(look_into, sources, _ended, limits):
        file_surveys.append(file_survey)
        if on_file is not None:
            on_file(file_survey)
    files = tuple(sorted(file_surveys, key=lambda one: natural_key(Path(one.name))))
    return Survey(files, tuple(_groups(files)))


def job_of(layout: Layout | None, limits: Limits | None) -> Job | None:
    if layout is None:
        return None
    from boreotabula.batch.file.open_file import (
        make_job,  # a survey without a layout starts without it
    )

    return make_job(layout.spec, layout.plan, limits)


def _ended(source: SourceFile, ended: Ended) -> FileSurvey:
    """The facts about a file that was not read to its end."""
    return FileSurvey(source.name, _size(source.path), unreadable=ended.said)


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _survey_file(source: SourceFile, job: Job | None, limits: Limits | None) -> FileSurvey:
    size = _size(source.path)
    if job is not None:
        # A survey without a layout starts without these modules.
        from boreotabula.batch.file.read import plan_tabs
    opening = job.opening if job else Opening(limits=limits or Limits())
    try:
        with Workbook(source.path, opening) as book:
            chosen, value = plan_tabs(book, source, job) if job else ({}, ())
            plan = job.plan if job else None
            names = book.names()
            tabs = [
                _survey_tab(
                    book,
                    index,
                    plan,
                    [text for text, cell in names.items() if cell.tab == tab.name],
                )
                for index, tab in enumerate(book.tabs)
            ]
            if job is not None:
                tabs = [_with_choice(tab, chosen) for tab in tabs]
            return FileSurvey(
                source.name, size, kind=book.kind.value, remarks=book.remarks, tabs=tuple(tabs),
                said=tuple(value),
            )  # fmt: skip
    except UnreadableError as error:
        return FileSurvey(source.name, size, unreadable=str(error))
    except OSError as error:
        return FileSurvey(source.name, size, unreadable=f"cannot be opened ({error.strerror})")


def _with_choice(tab: TabSurvey, chosen: Mapping[str, Mapping[str, str]]) -> TabSurvey:
    return replace(tab, chosen=tab.name in chosen, captured=chosen.get(tab.name, {}))


def _survey_tab(book: Workbook, index: int, plan: Plan | None, names: Sequence[str]) -> TabSurvey:
    tab = book.tabs[index]
    try:
        sheet = book.sheet(tab.name)
    except UnreadableError as error:
        return TabSurvey(tab.name, tab.visibility, unreadable=str(error))
    if sheet.blank:
        return TabSurvey(tab.name, tab.visibility)
    rows = np.flatnonzero(sheet.filled.any(axis=1)).tolist()
    columns = np.flatnonzero(sheet.filled.any(axis=0)).tolist()
    frame = frame_of(sheet, plan)
    return TabSurvey(
        name=tab.name,
        visibility=tab.visibility,
        rows=len(rows),
        columns=len(columns),
        start=str(Address(*(frame.start or (rows[0], columns[0])))),
        tables=tuple(table.name for table in sheet.tables),
        names=tuple(names),
        hidden=(len(sheet.hidden_rows), len(sheet.hidden_columns)),
        merged=len(sheet.merges),
        texts=tuple(one_line(text) for *_, text in islice(sheet.texts(), _FIRST_TEXTS)),
        frame=frame,
    )


_FIRST_TEXTS = 3


# --- what looks alike ---------------------------------------------------------------------------


def _groups(files: Sequence[FileSurvey]) -> Iterator[Alike]:
    members: dict[tuple[object, ...], list[tuple[str, TabSurvey]]] = {}
    for file in files:
        for tab in file.tabs:
            if tab.frame is not None:
                members.setdefault(tab.frame.key, []).append((file.name, tab))
    # The largest group first, so that rare forms are described by what they lack of the usual
    # one.
    ranked = sorted(members.values(), key=len, reverse=True)
    frames: list[Frame] = []
    for group in ranked:
        frame = group[0][1].frame
        assert frame is not None
        like = max(
            range(len(frames)), key=lambda index: _shared(frames[index], frame), default=None
        )
        differs = None if like is None else frame_difference(frames[like], frame)
        frames.append(frame)
        yield Alike(frame, tuple((file, tab.name) for file, tab in group), like, differs)


def _shared(frame: Frame, other_frame: Frame) -> float:
    """How much two frames have in common, from 0 to 1."""
    first, second = set(frame.words), set(other_frame.words)
    return len(first & second) / max(len(first | second), 1)


_MOST_WORDS = 6


def frame_difference(usual: Frame, other_frame: Frame) -> Difference:
    """How a frame differs from the usual one."""
    had, has = Counter(t for *_, t in usual.headings), Counter(t for *_, t in other_frame.headings)
    lacks = [usual.written(word) for word in had if not has[word]]
    more_texts = [other_frame.written(word) for word in has if not had[word]]
    lacks += [usual.written(word) for word in sorted(usual.labels - other_frame.labels)]
    more_texts += [other_frame.written(word) for word in sorted(other_frame.labels - usual.labels)]
    if not other_frame.words:
        return Difference("no table with headings, and no labels", another_form=True)
    alike = set(usual.words) & set(other_frame.words)
    # Told as another form once more differs than is common; a list of all its words would help
    # nobody.
    if not alike or (lacks and more_texts and len(lacks) + len(more_texts) > len(usual.words)):
        message = "another form: " if alike else "nothing in common with the others: "
        words = [other_frame.written(word) for word in other_frame.words]
        message += other_frame.shape or _some(words)
        return Difference(message, another_form=True)
    parts = [f"without {_some(lacks)}"] if lacks else []
    parts += [f"with {_some(more_texts)}"] if more_texts else []
    if not parts:
        counts = [other_frame.written(word) for word in has if had[word] != has[word]]
        parts = [f"with another number of {_some(counts)}" if counts else "in another order"]
    return Difference(" and ".join(parts))


def _some(words: Sequence[str]) -> str:
    listed = ", ".join(f"“{word}”" for word in words[:_MOST_WORDS])
    return listed + (f" and {len(words) - _MOST_WORDS} more" if len(words) > _MOST_WORDS else "")


# --- one tab, as it is read ---------------------------------------------------------------------
