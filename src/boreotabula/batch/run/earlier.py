"""The run before: its record, and the changes among the files since."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.batch.evidence import content_digest
from boreotabula.batch.run.shape import is_record
from boreotabula.batch.run_folders import RUN_RECORD, last_run_folder, outputs_of
from boreotabula.files import text_of, written_name


@dataclass(frozen=True)
class Since:
    """How the files of a run differ from those of the run before, by name and content."""

    new: tuple[str, ...]
    changed: tuple[str, ...]
    gone: tuple[str, ...]
    unchanged: int
    renamed: tuple[str, ...] = ()
    """Files with the content of one that is gone."""


def earlier_record(out: Path) -> Mapping[str, Any] | None:
    """The record of the run that wrote an output; None if there is no readable one."""
    try:
        loads = json.loads(text_of(last_run_folder(out) / RUN_RECORD))
    except (OSError, ValueError, RecursionError):
        return None
    # Folders are copied and renamed; a record that speaks of another output is not this one's.
    name = written_name(out.name)
    return loads if is_record(loads) and loads["output"] == name else None


def wrote(out: Path) -> bool:
    """Whether a run has written an output."""
    return out.name in outputs_of(last_run_folder(out))


def since(record: Mapping[str, Any], files: Iterable[tuple[str, str]]) -> Since:
    """The changes since a run, given the present files with their digests."""
    before = files_of(record)
    now = dict(files)
    renamed = _renamed(before, now)
    return Since(
        tuple(name for name in now if name not in before and name not in renamed),
        tuple(name for name, digest in now.items() if before.get(name, digest) != digest),
        tuple(name for name in before if name not in now and name not in renamed.values()),
        sum(before.get(name) == digest for name, digest in now.items()),
        tuple(renamed),
    )


def files_of(record: Mapping[str, Any] | None) -> dict[str, str]:
    """The files of a run with their digests; none without a record."""
    return {
        # What decided how a file was read is part of what makes it changed.
        str(value["file"]): f"{value['sha256']}{value.get('decided', '')}"
        for value in (record or {}).get("files", ())
    }


def _renamed(before: Mapping[str, str], now: Mapping[str, str]) -> dict[str, str]:
    """The earlier name of a file, by its present one, where a file that is gone has the same
    content."""
    # An empty digest is that of a file that could not be read; two of these have nothing in
    # common.
    gone = {digest: name for name, digest in before.items() if digest and name not in now}
    return {
        name: gone[digest] for name, digest in now.items() if name not in before and digest in gone
    }


@dataclass(frozen=True)
class Before:
    """The files whose records an output holds, and the earlier names of present ones."""

    files: Mapping[str, str]
    """Their digests by name."""
    renamed: Mapping[str, str]

    @classmethod
    def of(cls, record: Mapping[str, Any] | None, now: Mapping[str, str]) -> Before:
        """The state in the record of the run before, given the digests of the present files."""
        kept = (record or {}).get("files_kept", {})
        files = {**kept, **files_of(record)}
        # Without what decided: a renamed file is the same file, however its dates were read.
        contents = {name: content_digest(digest) for name, digest in files.items()}
        return cls(files, _renamed(contents, now))

    def without(self, replaced: Collection[str]) -> dict[str, str]:
        """The files whose records stay when those of some others are replaced."""
        return {name: digest for name, digest in self.files.items() if name not in replaced}
