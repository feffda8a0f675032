"""What lies below the source folders: which files are taken, which are left out, and why."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePath, PurePosixPath
from typing import TYPE_CHECKING

from boreotabula.errors import CallError
from boreotabula.files import open_regular
from boreotabula.layout.patterns import Kind, Pattern, matching, pattern

if TYPE_CHECKING:
    from boreotabula.runs.layouts import Layout

RUN_FOLDER = ".run"
"""Ending of the folder that a run writes beside its output."""

RUN_RECORD = "run.json"

NO_PATTERN = "matches no pattern of [source] include"


@dataclass(frozen=True)
class SourceFile:
    """A file that is read: `name` is its path below the source folder, with '/'."""

    path: Path
    name: str
    captured: Mapping[str, str] = field(default_factory=dict)
    folder: str = ""
    """The name of the nearest folder that holds it."""
    unmatched: bool = False
    """Whether it was named by the user, but matches no pattern of the layout."""
    pattern: str = ""
    """The pattern that took it."""
    other: Mapping[str, str] | None = None
    """What the pattern would capture if it were held against the name in another way."""


@dataclass(frozen=True)
class LeftOut:
    """A file below the source folder that is not read, and why."""

    name: str
    why: str


@dataclass(frozen=True)
class Inbox:
    """Everything below the source folders, in natural order."""

    taken: tuple[SourceFile, ...]
    left_out: tuple[LeftOut, ...]


def look(layout: Layout, own: Collection[Path] = (), named: Sequence[Path] = ()) -> Inbox:
    """Sort the files below the layout's source folders. `own` are paths that this run writes.

    With `named` only those files are taken. Raises CallError if a folder or a named file is not
    there.
    """
    if named:
        return _named_files(layout, named)
    several = len(layout.folders) > 1
    include = _patterns(layout.spec.source.include)
    exclude = _patterns(layout.spec.source.exclude)
    taken: list[SourceFile] = []
    left_out: list[LeftOut] = []
    seen: set[Path] = set()
    for text, folder in layout.folders.items():
        if not folder.is_dir():
            raise CallError(
                f"{layout.path.name}: the source folder “{folder}” is not there; [source] folder"
                " is relative to the layout file"
            )
        for path, below, why in sorted_files(folder, own):
            if several:
                resolved = path.resolve()
                if resolved in seen:
                    continue  # one source folder lies within another
                seen.add(resolved)
            name = f"{text.strip('/')}/{below}" if several else below
            why = why or _excluded(below, exclude)
            chosen = matching(include, below)
            if why is None and (chosen or not include):
                taken.append(_taken(path, name, below, chosen))
            else:
                left_out.append(LeftOut(name, why or NO_PATTERN))
    return Inbox(tuple(taken), tuple(left_out))


def _taken(path: Path, name: str, below: str, chosen: Pattern | None) -> SourceFile:
    folder = path.absolute().parent.name
    if chosen is None:
        return SourceFile(path, name, {}, folder)
    captured = chosen.match(below) or {}
    return SourceFile(
        path, name, captured, folder, pattern=chosen.text, other=chosen.other_match(below)
    )


def sorted_files(
    folder: Path, own: Collection[Path] = ()
) -> Iterator[tuple[Path, str, str | None]]:
    """Every file below a folder in natural order: path, path below the folder, and why it is never
    read (None if it may be)."""
    written = frozenset(path.resolve() for path in own)
    home = folder.resolve()
    runs = _Runs(home)
    found = [(below, natural_key(PurePosixPath(below))) for below in _files(folder)]
    for below, _ in sorted(found, key=lambda one: one[1]):
        yield folder / below, below, _unwanted(below, home, written, runs)


def _named_files(layout: Layout, named: Sequence[Path]) -> Inbox:
    include = _patterns(layout.spec.source.include)
    taken = []
    for path in dict.fromkeys(named):
        check_is_file(path)
        below = _below(path, layout.folders.values())
        chosen = matching(include, below)
        taken.append(
            replace(
                _taken(path.resolve(), below, below, chosen),
                path=path,
                unmatched=bool(include) and chosen is None,
            )
        )
    return Inbox(tuple(taken), ())


def check_is_file(path: Path) -> None:
    """Raises CallError if there is nothing at a path, or no regular file."""
    try:
        open_regular(path).close()
    except FileNotFoundError:
        raise CallError(f"there is no file “{path}”") from None
    except OSError as error:
        raise CallError(f"“{path}” cannot be read: {error.strerror}") from None


def _below(path: Path, folders: Iterable[Path]) -> str:
    for folder in folders:
        if path.resolve().is_relative_to(folder.resolve()):
            return path.resolve().relative_to(folder.resolve()).as_posix()
    return path.name


def check_output(layout: Layout, out: Path, named: Sequence[Path] = ()) -> None:
    """Raises CallError if writing `out` would destroy something that is read."""
    inputs = [layout.path, *layout.glossaries, *layout.lists]
    if out.resolve() in {path.resolve() for path in inputs}:
        raise CallError(f"“{out}” is read by this run; choose another output")
    home = out.resolve()
    if out.exists() and (
        named or any(home.is_relative_to(one.resolve()) for one in layout.folders.values())
    ):
        taken = {one.path.resolve() for one in look(layout, named=named).taken}
        if out.resolve() in taken:
            raise CallError(f"“{out}” is one of the files that are read; choose another output")


def check_apart(out: Path, folders: Iterable[Path]) -> None:
    """Raises CallError if a file would lie among the files that are read: the next run would take
    it for one of them."""
    home = out.resolve()
    for folder in folders:
        if home.is_relative_to(folder.resolve()):
            raise CallError(
                f"“{out}” would lie in the source folder “{folder}”, and the next run would read"
                " it; write it elsewhere"
            )


def natural_key(path: PurePath) -> tuple[object, ...]:
    """Sorts '2' before '10', folder by folder, whatever the letter case."""
    return (
        tuple(
            tuple(
                (0, int(part), "") if part.isdecimal() else (1, 0, part)
                for part in re.split(r"(\d+)", step.casefold())
            )
            for step in path.parts
        ),
        path.as_posix(),
    )


def _files(folder: Path) -> Iterator[str]:
    """The files below a folder, by their paths there."""
    for parent, _, names in os.walk(folder):
        below = os.path.relpath(parent, folder).replace(os.sep, "/")
        lead = "" if below == "." else f"{below}/"
        yield from (lead + name for name in names)


def _patterns(texts: tuple[str, ...]) -> tuple[Pattern, ...]:
    return tuple(pattern(text, Kind.FILE) for text in texts)


def _excluded(name: str, exclude: tuple[Pattern, ...]) -> str | None:
    for one in exclude:
        if one.match(name) is not None:
            return f"matches “{one.text}” of [source] exclude"
    return None


def _unwanted(below: str, home: Path, written: frozenset[Path], runs: _Runs) -> str | None:
    """Why a file is never read, whatever the patterns say."""
    if not (home / below).is_file():
        return "no regular file: a pipe, a device, or a link to nothing"
    steps = below.split("/")
    name = steps[-1]
    if name.startswith("~$") or (name.startswith(".~lock.") and name.endswith("#")):
        return "lock file of an open workbook"
    if any(step.startswith(".") for step in steps):
        return "hidden file"
    if written and (written & {home / below, *runs.parents(below)}):
        return "output of this run"
    if runs.wrote(below):
        return "output of an earlier run"
    return None


class _Runs:
    """The runs that wrote something below a folder, looked at once for each folder of files."""

    def __init__(self, home: Path) -> None:
        self._home = home
        self._of: dict[str, tuple[bool, frozenset[str]]] = {}

    def parents(self, below: str) -> tuple[Path, ...]:
        """The folders that hold a file."""
        folder = self._home / below.rpartition("/")[0]
        return (folder, *folder.parents)

    def wrote(self, below: str) -> bool:
        """Whether a file, or the folder that holds it, was written by a run."""
        folder, _, name = below.rpartition("/")
        if folder not in self._of:
            self._of[folder] = self._look(self._home / folder)
        inside, outputs = self._of[folder]
        return inside or name in outputs

    def _look(self, folder: Path) -> tuple[bool, frozenset[str]]:
        """Whether a folder is one of a run, and which files beside run folders are outputs."""
        inside = any(_is_run_folder(one) for one in (folder, *folder.parents)) or _is_output(
            folder, run_folder(folder) / RUN_RECORD
        )
        beside = [one for one in folder.glob(f"*{RUN_FOLDER}") if _is_run_folder(one)]
        return inside, frozenset(name for one in beside for name in outputs_of(one))


def run_folder(out: Path) -> Path:
    """The folder beside an output that holds the findings and the record of its run."""
    stem = out.name.removesuffix(".gz") if out.name.endswith(".csv.gz") else out.name
    return out.with_name(Path(stem).stem + RUN_FOLDER)


def _is_run_folder(folder: Path) -> bool:
    return folder.suffix == RUN_FOLDER and (folder / RUN_RECORD).is_file()


def _is_output(path: Path, record: Path) -> bool:
    return bool(path.name) and path.name in outputs_of(record.parent)


_TEXT = r'"(?:[^"\\]|\\.)*"'
_OUTPUTS = (
    re.compile(rf'"output": ({_TEXT})'),
    re.compile(rf'"also_written": (\[\s*(?:{_TEXT}(?:,\s*)?)*\s*\])'),
)
"""What the record of a run begins with: its output, and earlier ones that share its folder."""


def outputs_of(folder: Path) -> frozenset[str]:
    """The names of the outputs that a run folder belongs to; none if it is no such folder."""
    try:
        with (folder / RUN_RECORD).open(encoding="utf-8") as stream:
            start = stream.read(4096)
        found = [json.loads(one[1]) for form in _OUTPUTS if (one := form.search(start))]
    except (OSError, ValueError):
        return frozenset()
    names = [name for one in found for name in (one if isinstance(one, list) else [one])]
    return frozenset(name for name in names if isinstance(name, str))
