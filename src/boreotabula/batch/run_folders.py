"""The folders that runs write beside their outputs, and what they say about files nearby."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

from boreotabula.files import open_regular, real_name, text_of

RUN_FOLDER = ".run"
"""Ending of the folder that a run writes beside its output."""

RUN_RECORD = "run.json"
RUN_FILES = ("findings.csv", "unplaced.csv", "restated.csv", RUN_RECORD)
"""The files of that folder."""
BEFORE = "before"
"""The name there, without its ending, of the output of the run before."""
# The output's name is at the start of the record, which may have many megabytes.
_START = 8192
"""The first bytes of a record name its output."""


class RunsBelow:
    """The runs that wrote something below a folder, searched once for each folder of files."""

    def __init__(self, home: Path) -> None:
        self._home = home
        self._of: dict[str, dict[str, Path]] = {}

    def parents(self, below: str) -> tuple[Path, ...]:
        """The folders that hold a file."""
        folder = self._home / below.rpartition("/")[0]
        return (folder, *folder.parents)

    def record_of(self, below: str) -> Path | None:
        """The record of the run that claims to have written a file, or the folder that holds it."""
        folder, _, name = below.rpartition("/")
        paths = self._of_folder(folder)
        return paths.get(name) or paths.get(_ALL)

    def _of_folder(self, folder: str) -> dict[str, Path]:
        if folder not in self._of:
            self._of[folder] = dict(self._look(self._home / folder))
        return self._of[folder]

    def _look(self, folder: Path) -> Iterator[tuple[str, Path]]:
        """The files of a folder that runs claim to have written, each with the record of its
        run."""
        if _is_run_folder(folder):
            kept = (path.name for path in folder.glob(f"{BEFORE}.*"))
            yield from ((name, folder / RUN_RECORD) for name in (*RUN_FILES, *kept))
        beside = last_run_folder(folder)
        if folder.name in outputs_of(beside):
            yield _ALL, beside / RUN_RECORD
        elif folder != self._home and folder.is_relative_to(self._home):
            # A folder of a dataset lies some levels below the output.
            above = self._of_folder(folder.parent.relative_to(self._home).as_posix())
            yield from ((_ALL, record) for name, record in above.items() if name == _ALL)
        for one in folder.glob(f"*{RUN_FOLDER}"):
            if _is_run_folder(one):
                yield from ((name, one / RUN_RECORD) for name in outputs_of(one))


def run_folder(out: Path) -> Path:
    """The folder beside an output that holds the findings and the record of its run: each output
    has its own."""
    # Each output has a folder of its own: two outputs in one folder must not replace each other's
    # record.
    return out.with_name(out.name + RUN_FOLDER)


def last_run_folder(out: Path) -> Path:
    """The folder of the last run into an output.

    That is the folder of an earlier version, which outputs with the same name but another ending
    shared, if there is no other and it names the output.
    """
    folder = run_folder(out)
    if not (folder / RUN_RECORD).is_file() and out.name in outputs_of(_shared_folder(out)):
        return _shared_folder(out)
    return folder


def _shared_folder(out: Path) -> Path:
    stem = out.name.removesuffix(".gz") if out.name.endswith(".csv.gz") else out.name
    return out.with_name(Path(stem).stem + RUN_FOLDER)


def _is_run_folder(folder: Path) -> bool:
    return folder.suffix == RUN_FOLDER and (folder / RUN_RECORD).is_file()


_ALL = ""
"""Stands for all files of a folder."""


def as_it_was_written(path: Path, record: Path) -> bool:
    """Whether a file is exactly as the run with this record left it."""
    if path.parent == record.parent:  # the files of the run folder itself
        return True
    try:
        # The time of the record is part of the key, so that a record written anew is read anew.
        output, written = _written_by(record, record.stat().st_mtime_ns)
        if "files" in written:
            home = record.parent.with_name(output)
            written = written["files"][path.relative_to(home).as_posix()]
        # Size and time instead of a digest: this is asked for each file of a folder, outputs of
        # gigabytes among them.
        now = path.stat()
        return (now.st_size, now.st_mtime_ns) == (written["size"], written["modified_ns"])
    except (OSError, ValueError, LookupError, TypeError, RecursionError):
        return False


@lru_cache(maxsize=8)
def _written_by(record: Path, _modified: int) -> tuple[str, Any]:
    """The output of a record, and its entries about files.

    Raises OSError, ValueError or the error of an invalid record.
    """
    loads = json.loads(text_of(record))
    return real_name(loads["output"]), loads["written"]


_TEXT = r'"(?:[^"\\]|\\.)*"'
_OUTPUTS = (
    re.compile(rf'"output": ({_TEXT})'),
    re.compile(rf'"also_written": (\[\s*(?:{_TEXT}(?:,\s*)?)*\s*\])'),
)
"""The beginning of a record: its output; and, written by earlier versions, other outputs that share
its folder."""


def outputs_of(folder: Path) -> frozenset[str]:
    """The names of the outputs that a run folder belongs to; none if it is no run folder."""
    try:
        with open_regular(folder / RUN_RECORD) as stream:
            start = stream.read(_START).decode("utf-8", "ignore")
        # Searched as text, since the beginning alone is no valid JSON.
        outputs = [json.loads(match[1]) for form in _OUTPUTS if (match := form.search(start))]
    except (OSError, ValueError):
        return frozenset()
    names = [name for value in outputs for name in (value if isinstance(value, list) else [value])]
    return frozenset(
        real
        for name in names
        if isinstance(name, str)
        and "/" not in (real := real_name(name))
        # A name with folders, or of another record's folder, would let a planted record hide
        # files.
        and folder.name in (run_folder(Path(real)).name, _shared_folder(Path(real)).name)
    )
