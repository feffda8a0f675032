"""Every heading of all files: how often it occurs, what it means, what it may mean."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial

from boreotabula.batch.file.open_file import Job, OpenFile, make_job
from boreotabula.batch.inputs import Inbox, SourceFile
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.processes.pool import Ended, spread
from boreotabula.limits import Limits
from boreotabula.look.headings import (
    MetHeading,
    Profile,
    TabHeadings,
    headings_met,
    merged,
    same_heading,
)
from boreotabula.reading.stamps.sources import Surroundings
from boreotabula.sheets.opening import Workbook
from boreotabula.unreadable import UnreadableError

TabPlace = tuple[str, str]
"""A file and a tab of it."""


@dataclass(frozen=True)
class FileHeadings:
    """The headings of one file's tabs that are read; or why there are none."""

    name: str
    tabs: tuple[tuple[str, TabHeadings], ...] = ()
    trouble: str = ""


@dataclass(frozen=True)
class HeadingUse:
    """A heading and its places; `first` is a file, a tab and a cell."""

    heading: str
    field: str
    role: str
    """As `MetHeading` has it."""
    spellings: tuple[str, ...]
    places: tuple[TabPlace, ...]
    first: tuple[str, str, str]
    profile: Profile
    lacking: Counter[str]
    """For each field, on how many of its tabs it is missing."""
    alone: bool
    """Whether it is the only unknown heading on each of its tabs."""

    @property
    def files(self) -> list[str]:
        """The files that it stands in."""
        return list(dict.fromkeys(file for file, _ in self.places))


@dataclass(frozen=True)
class HeadingList:
    """All headings of a folder."""

    files: int
    tabs: int
    uses: tuple[HeadingUse, ...]
    troubles: tuple[tuple[str, str], ...]
    """Files that could not be read, and why."""

    def of(self, *roles: str) -> list[HeadingUse]:
        """The headings of some roles."""
        return [use for use in self.uses if use.role in roles]


def list_headings(
    layout: Layout,
    inbox: Inbox,
    limits: Limits | None = None,
    on_file: Callable[[FileHeadings], None] = lambda _: None,
) -> HeadingList:
    """The headings of all tabs that a layout reads, in the order of their first occurrence."""
    job = make_job(layout.spec, layout.plan, limits)
    # In processes, as a damaged file must not end the list.
    headings: list[FileHeadings] = []
    work = partial(_headings_of, job=job)
    for file_headings in spread(work, inbox.taken, _ended, job.opening.limits):
        on_file(file_headings)
        headings.append(file_headings)
    return HeadingList(
        len(headings),
        sum(len(file.tabs) for file in headings),
        tuple(_uses(headings)),
        tuple((file.name, file.trouble) for file in headings if file.trouble),
    )


def _ended(source: SourceFile, ended: Ended) -> FileHeadings:
    return FileHeadings(source.name, trouble=ended.said)


def _headings_of(source: SourceFile, job: Job) -> FileHeadings:
    try:
        with Workbook(source.path, job.opening) as book:
            file = OpenFile(book, source, job)
            chosen = file.choose()
            tabs = [
                # Headings do not depend on stamps, so nothing else of the file is opened.
                (name, headings_met(sheet, job.plan, file.tab_source(sheet, how, Surroundings())))
                for name, how in chosen.items()
                if (sheet := file.sheet(name)) is not None
            ]
            return FileHeadings(source.name, tuple(tabs))
    except UnreadableError as error:
        return FileHeadings(source.name, trouble=str(error))
    except OSError as error:
        return FileHeadings(source.name, trouble=f"it cannot be opened ({error.strerror})")


def _uses(files: Iterable[FileHeadings]) -> list[HeadingUse]:
    met: dict[tuple[str, str, str], list[tuple[str, str, MetHeading, TabHeadings]]] = {}
    for file in files:
        for tab, headings in file.tabs:
            for heading in headings.met:
                met.setdefault(same_heading(heading), []).append(
                    (file.name, tab, heading, headings)
                )
    return [_use(every) for every in met.values()]


def _use(met: Sequence[tuple[str, str, MetHeading, TabHeadings]]) -> HeadingUse:
    spelt = Counter(heading.heading for _, _, heading, _ in met)
    file, tab, first, _ = met[0]
    lacking: Counter[str] = Counter()
    for _, _, _, headings in met:
        lacking.update(headings.lacking)
    return HeadingUse(
        # The spelling that is met most often stands for all.
        heading=spelt.most_common(1)[0][0],
        field=first.field,
        role=first.role,
        spellings=tuple(spelt),
        places=tuple(dict.fromkeys((file, tab) for file, tab, _, _ in met)),
        first=(file, tab, str(first.cell)),
        profile=merged([heading.profile for _, _, heading, _ in met]),
        lacking=lacking,
        alone=all(
            # If it is the only unknown one, and one field is missing, the two belong together by
            # elimination.
            sum(heading.role == "unknown" for heading in headings.met) == 1
            for *_, headings in met
        ),
    )
