"""The content of the source folders: which files are taken, which are left out, and why."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial, reduce
from operator import add
from pathlib import Path, PurePath, PurePosixPath
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from boreotabula.batch.remote.address import is_remote, mirror_of
from boreotabula.batch.run_folders import RunsBelow, as_it_was_written
from boreotabula.errors import CallError
from boreotabula.files import open_regular, written_name
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.files import (
    FILE_NOT_FETCHED,
    FILE_NOT_REGULAR,
    FOLDER_LINKED,
    FOLDER_UNREADABLE,
    OUTPUT_DOUBTFUL,
)
from boreotabula.layout.patterns import Pattern, matching
from boreotabula.reading.stamps.captures import capture
from boreotabula.texts import in_natural_order

if TYPE_CHECKING:
    from boreotabula.batch.layouts.load import Layout
    from boreotabula.batch.remote.fetch import Fetched, Mirrored, RemoteFile

NO_PATTERN = "matches no pattern of [source] include"


@dataclass(frozen=True)
class SourceFile:
    """A file that is read: `name` is its path below the source folder, with '/'."""

    path: Path
    name: str
    captured: Mapping[str, str] = field(default_factory=dict)
    folder: str = ""
    """The name of the folder that holds it."""
    unmatched: bool = False
    """Whether the user named it although it matches no pattern of the layout."""
    pattern: str = ""
    """The pattern that matched it."""
    other: Mapping[str, str] | None = None
    """What the pattern would capture with another way of matching the name."""
    remote: RemoteFile | None = None
    """Where it is to be fetched from, if its reader fetches it."""


@dataclass(frozen=True)
class SkippedFile:
    """A file or folder below the source folder that is not read, and why."""

    name: str
    why: str
    kind: FindingKind | None = None
    """The code of a finding, if a person must look at it."""


@dataclass(frozen=True)
class Inbox:
    """The content of the source folders, in natural order."""

    taken: tuple[SourceFile, ...]
    left_out: tuple[SkippedFile, ...]
    fetched: str = ""
    """The number of files fetched from servers, in words; empty if all are local."""
    partial: bool = False
    """Whether only some of the files are read, because the caller chose them."""


def look(
    layout: Layout,
    own: Collection[Path] = (),
    named: Sequence[Path] = (),
    *,
    fetching: bool = True,
    on_fetched: Callable[[SourceFile], None] | None = None,
) -> Inbox:
    """Sort the files below the layout's source folders. `own` are paths that this run writes.

    With `named`, only those files are taken. Files on servers are fetched, with `on_fetched` called
    for each; or, without `fetching`, left to their reader. Raises CallError if a folder or a named
    file is missing.
    """
    # Files that the user names are read even if no pattern takes them; the finding about that is
    # made where they are read.
    if named:
        return _named_files(layout, named)
    several = len(layout.folders) > 1
    include = layout.spec.source.include
    exclude = layout.spec.source.exclude
    taken: list[SourceFile] = []
    left_out: list[SkippedFile] = []
    paths: set[Path] = set()
    fetched: list[Fetched] = []
    for text in layout.folders:
        # With several folders the same name may stand in each, so the folder becomes part of the
        # name.
        lead = f"{text.strip('/')}/" if several else ""
        if is_remote(text):
            wanted = partial(_is_wanted, include=include, exclude=exclude)
            on_file = partial(_tell, on_fetched, lead, text, layout) if on_fetched else None
            server, existing_files = _on_server(text, own, wanted, on_file, fetching=fetching)
            fetched.append(server.fetched)
            left_out += _not_fetched(server, lead, exclude)
        else:
            existing_files = _local(layout, text, own)
        for file in existing_files:
            # A file on a server has no path yet, and no folder of two servers is the same.
            if several and not file.remote:
                resolved = file.path.resolve()
                if resolved in paths:
                    continue  # one source folder lies within another
                paths.add(resolved)
            omission = _omission(file, lead, include, exclude)
            if omission is not None:
                left_out.append(omission)
            else:
                taken.append(_taken(file, lead, text, layout))
    return Inbox(tuple(taken), tuple(left_out), reduce(add, fetched).said if fetched else "")


def _omission(
    file: Found, lead: str, include: tuple[Pattern, ...], exclude: tuple[Pattern, ...]
) -> SkippedFile | None:
    """The reason why a file is not read; None if it is read."""
    is_wanted = not include or bool(matching(include, file.below))
    excluded = _excluded(file.below, exclude)
    if is_wanted and not file.why and not excluded:
        return None
    # A file that cannot be read is only worth a finding if the layout would have taken it.
    loud = file.kind and not excluded and (is_wanted or file.folder)
    why = (not loud and excluded) or file.why or NO_PATTERN
    return SkippedFile(lead + file.below, why, file.kind if loud else None)


def _local(layout: Layout, text: str, own: Collection[Path]) -> Iterator[Found]:
    """The files of a local source folder. Raises CallError if it is missing."""
    folder = layout.folders[text]
    if not folder.is_dir():
        if any(not sign.isprintable() for sign in text):
            # The usual cause is C:\new in double quotes, which TOML reads as a line break.
            raise CallError(
                f"{layout.path.name}: the source folder “{folder}” holds a character that cannot be"
                " printed: TOML reads \\ in double quotes as the start of one; write the path with"
                " / or in single quotes"
            )
        raise CallError(
            f"{layout.path.name}: the source folder “{folder}” is not there; [source] folder"
            " is relative to the layout file"
        )
    return sorted_files(folder, own)


_LOST = "it was fetched, but is gone from the cache: run again"


def _on_server(
    text: str,
    own: Collection[Path],
    wanted: Callable[[str], bool],
    on_file: Callable[[str, Path], None] | None,
    *,
    fetching: bool,
) -> tuple[Mirrored, Iterator[Found]]:
    """The files of a source folder on a server, as fetched copies or as listed there.

    Raises CallError if it cannot be listed.
    """
    # Imported for a server alone: most folders are local, and each start would take longer.
    from boreotabula.batch.remote.fetch import fetch, list_files

    if fetching:
        mirrored = fetch(text, wanted, on_file)
        # The folder is listed again: what counts is what lies there now, not what the fetch
        # believes it wrote.
        files = [file for file in sorted_files(mirror_of(text), own) if file.below in mirrored.here]
        lost = mirrored.here - {file.below for file in files}
        failed = dict.fromkeys(sorted(lost), _LOST) | dict(mirrored.failed)
        return replace(mirrored, failed=failed), iter(files)
    listed, mirrored = list_files(text, wanted)
    names = sorted(listed, key=lambda text: natural_key(PurePosixPath(text)))
    existing_files = (
        Found(Path(name), name, _unwanted_name(name), remote=listed[name]) for name in names
    )
    return mirrored, existing_files


def _not_fetched(
    server: Mirrored, lead: str, exclude: tuple[Pattern, ...]
) -> Iterator[SkippedFile]:
    """The files of a server that are not read."""
    for name, why in server.failed.items():
        yield SkippedFile(lead + name, why, FILE_NOT_FETCHED)
    for name in server.passed:
        yield SkippedFile(lead + name, _excluded(name, exclude) or NO_PATTERN)


def _tell(
    on_fetched: Callable[[SourceFile], None],
    lead: str,
    text: str,
    layout: Layout,
    below: str,
    path: Path,
) -> None:
    """Report a file that was fetched and will be taken."""
    if not _unwanted_name(below):
        on_fetched(_taken(Found(path, below), lead, text, layout))


def _is_wanted(below: str, include: tuple[Pattern, ...], exclude: tuple[Pattern, ...]) -> bool:
    """Whether a file of a server is fetched."""
    wanted = not include or bool(matching(include, below))
    return wanted and _excluded(below, exclude) is None


def _taken(file: Found, lead: str, text: str, layout: Layout) -> SourceFile:
    """A file that is read, given its folder as the layout names it."""
    folder = written_name(file.path.absolute().parent.name)
    # The cache names its folders by digests; a capture of the folder's name must see the
    # server's.
    if is_remote(text):
        parts = urlsplit(text)  # the folder is one there, not that which it was fetched into
        folder = f"{parts.hostname}/{parts.path.strip('/')}/{file.below}".split("/")[-2]
        folder = folder or str(parts.hostname)
    source = SourceFile(file.path, lead + file.below, folder=folder, remote=file.remote)
    kept = capture(layout.spec.source.include, file.below, layout.plan)
    if kept is None:
        return source
    return replace(source, captured=kept.texts, pattern=kept.pattern.text, other=kept.other)


@dataclass(frozen=True)
class Found:
    """An entry below a folder; `below` is its path there, as written in texts."""

    path: Path
    below: str
    why: str = ""
    """Why it is never read; empty if it may be."""
    kind: FindingKind | None = None
    """The code of a finding, if it must be reported."""
    folder: bool = False
    """Whether it is a folder, whose content is then not known."""
    remote: RemoteFile | None = None
    """Where it is to be fetched from, if it is not local."""


def sorted_files(folder: Path, own: Collection[Path] = ()) -> Iterator[Found]:
    """Every file below a folder in natural order, and the folders that are not searched."""
    written = frozenset(path.resolve() for path in own)
    home = folder.resolve()
    runs = RunsBelow(home)
    # Sorted as a whole, not folder by folder, so that the order does not depend on the file
    # system.
    for file in sorted(_found(folder), key=lambda one: natural_key(PurePosixPath(one.below))):
        if file.why:
            hidden = any(step.startswith(".") for step in file.below.split("/"))
            yield replace(file, why="hidden folder", kind=None) if hidden else file
            continue
        why, code = _unwanted(file.path.relative_to(folder).as_posix(), home, written, runs)
        yield replace(file, why=why, kind=code)


def _named_files(layout: Layout, named: Sequence[Path]) -> Inbox:
    include = layout.spec.source.include
    taken = []
    for path in dict.fromkeys(named):
        check_is_file(path)
        below = below_folders(path, layout.folders.values())
        source = _taken(Found(path.resolve(), below), "", "", layout)
        taken.append(replace(source, path=path, unmatched=bool(include) and not source.pattern))
    return Inbox(tuple(taken), (), partial=True)


def check_is_file(path: Path) -> None:
    """Raises CallError if there is nothing at a path, or no regular file."""
    try:
        # Opened rather than asked: permission and kind of file are known for sure only then.
        open_regular(path).close()
    except FileNotFoundError:
        raise CallError(f"there is no file “{path}”") from None
    except OSError as error:
        raise CallError(f"“{path}” cannot be read: {error.strerror}") from None


def below_folders(path: Path, folders: Iterable[Path]) -> str:
    """A file as texts name it: by its path below the first folder that holds it, else by its
    name."""
    for folder in folders:
        # Resolved on both sides, as a temporary or home folder often is a link itself.
        if path.resolve().is_relative_to(folder.resolve()):
            return written_name(path.resolve().relative_to(folder.resolve()).as_posix())
    return written_name(path.name)


def natural_key(path: PurePath) -> tuple[object, ...]:
    """Sorts '2' before '10', folder by folder, in any letter case."""
    return tuple(map(in_natural_order, path.parts)), path.as_posix()


def _found(folder: Path) -> Iterator[Found]:
    """The files below a folder, and the folders that are not searched."""
    closed: list[OSError] = []
    # os.walk passes over folders that it cannot open unless it is given this; they must be told
    # of.
    for parent, folders, names in os.walk(folder, onerror=closed.append):
        for name in names:
            path = Path(parent, name)
            yield Found(path, _written_below(path, folder))
        for name in folders:
            path = Path(parent, name)
            # Not followed, since a link to a folder above would never end.
            if path.is_symlink():
                why = "a link to a folder, which is not followed"
                yield Found(path, _written_below(path, folder) + "/", why, FOLDER_LINKED, True)
    for error in closed:
        path = Path(error.filename)
        why = f"a folder that cannot be looked into ({error.strerror})"
        yield Found(path, _written_below(path, folder) + "/", why, FOLDER_UNREADABLE, True)


def _written_below(path: Path, folder: Path) -> str:
    return written_name(path.relative_to(folder).as_posix())


def _excluded(name: str, exclude: tuple[Pattern, ...]) -> str | None:
    for one in exclude:
        if one.match(name) is not None:
            return f"matches “{one.text}” of [source] exclude"
    return None


def _unwanted_name(below: str) -> str:
    """Why a file of this name is never read; empty if it may be."""
    steps = below.split("/")
    name = steps[-1]
    if name.startswith("~$") or (name.startswith(".~lock.") and name.endswith("#")):
        return "lock file of an open workbook"
    return "hidden file" if any(step.startswith(".") for step in steps) else ""


def _unwanted(
    below: str, home: Path, written: frozenset[Path], runs: RunsBelow
) -> tuple[str, FindingKind | None]:
    """Why a file is never read, whatever the patterns say, and the code of a finding about it."""
    if not (home / below).is_file():
        return "no regular file: a pipe, a device, or a link to nothing", FILE_NOT_REGULAR
    if why := _unwanted_name(below):
        return why, None
    # A source folder may hold the output's own folder, as with a dataset.
    if written and (written & {home / below, *runs.parents(below)}):
        return "output of this run", None
    record = runs.record_of(below)
    if record is None:
        return "", None
    if as_it_was_written(home / below, record):
        return "output of an earlier run", None
    return (
        f"“{record.parent.name}” says that a run wrote it, but it is not as that run left it",
        OUTPUT_DOUBTFUL,
    )
