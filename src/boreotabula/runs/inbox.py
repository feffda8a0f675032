"""What lies below the source folder: which files are taken, which are left out, and why."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from boreotabula.errors import CallError
from boreotabula.layout.patterns import Kind, Pattern, first_match, pattern
from boreotabula.runs.layouts import Layout

RUN_FOLDER = ".run"
"""Ending of the folder that a run writes beside its output."""

RUN_RECORD = "run.json"


@dataclass(frozen=True)
class SourceFile:
    """A file that is read: `name` is its path below the source folder, with '/'."""

    path: Path
    name: str
    captured: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class LeftOut:
    """A file below the source folder that is not read, and why."""

    name: str
    why: str


@dataclass(frozen=True)
class Inbox:
    """Everything below the source folder, in natural order."""

    taken: tuple[SourceFile, ...]
    left_out: tuple[LeftOut, ...]


def look(layout: Layout, own: Collection[Path] = ()) -> Inbox:
    """Sort the files below the layout's source folder. `own` are paths that this run writes.

    Raises CallError if the folder is not there.
    """
    folder = layout.folder
    if not folder.is_dir():
        raise CallError(
            f"{layout.path.name}: the source folder “{folder}” is not there; [source] folder is"
            " relative to the layout file"
        )
    include = _patterns(layout.spec.source.include)
    exclude = _patterns(layout.spec.source.exclude)
    written = frozenset(path.resolve() for path in own)
    taken: list[SourceFile] = []
    left_out: list[LeftOut] = []
    for path in sorted(_files(folder), key=lambda one: natural_key(one.relative_to(folder))):
        name = path.relative_to(folder).as_posix()
        why = _unwanted(path, name, written) or _excluded(name, exclude)
        captured = first_match(include, name) if include else {}
        if why is None and captured is not None:
            taken.append(SourceFile(path, name, captured))
        else:
            left_out.append(LeftOut(name, why or "matches no pattern of [source] include"))
    return Inbox(tuple(taken), tuple(left_out))


def check_output(layout: Layout, out: Path) -> None:
    """Raises CallError if writing `out` would destroy something that is read."""
    inputs = [layout.path, *(layout.path.parent / name for name in layout.spec.glossary)]
    if out.resolve() in {path.resolve() for path in inputs}:
        raise CallError(f"“{out}” is read by this run; choose another output")
    if out.exists() and any(one.path.resolve() == out.resolve() for one in look(layout).taken):
        raise CallError(f"“{out}” is one of the files that are read; choose another output")


def natural_key(path: Path) -> tuple[object, ...]:
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


def _files(folder: Path) -> Iterator[Path]:
    for parent, _, names in os.walk(folder):
        yield from (Path(parent, name) for name in names)


def _patterns(texts: tuple[str, ...]) -> tuple[Pattern, ...]:
    return tuple(pattern(text, Kind.FILE) for text in texts)


def _excluded(name: str, exclude: tuple[Pattern, ...]) -> str | None:
    for one in exclude:
        if one.match(name) is not None:
            return f"matches “{one.text}” of [source] exclude"
    return None


def _unwanted(path: Path, name: str, written: frozenset[Path]) -> str | None:
    """Why a file is never read, whatever the patterns say."""
    if path.name.startswith("~$") or (path.name.startswith(".~lock.") and name.endswith("#")):
        return "lock file of an open workbook"
    if any(step.startswith(".") for step in name.split("/")):
        return "hidden file"
    resolved = path.resolve()
    if resolved in written or written.intersection(resolved.parents):
        return "output of this run"
    if any(_is_run_folder(parent) for parent in path.parents) or _has_run_folder(path):
        return "output of an earlier run"
    return None


def run_folder(out: Path) -> Path:
    """The folder beside an output that holds the findings and the record of its run."""
    return out.with_name(out.stem + RUN_FOLDER)


def _is_run_folder(folder: Path) -> bool:
    return folder.suffix == RUN_FOLDER and (folder / RUN_RECORD).is_file()


def _has_run_folder(path: Path) -> bool:
    record = run_folder(path) / RUN_RECORD
    try:
        return f'"output": "{path.name}"' in record.read_text("utf-8")
    except (OSError, ValueError):
        return False
