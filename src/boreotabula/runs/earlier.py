"""The run before: what its record says, and what has changed among the files since."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.runs.inbox import RUN_RECORD, run_folder


@dataclass(frozen=True)
class Since:
    """How the files of a run differ from those of the run before, by name and content."""

    new: tuple[str, ...]
    changed: tuple[str, ...]
    gone: tuple[str, ...]
    unchanged: int


def earlier_record(out: Path) -> Mapping[str, Any] | None:
    """The record of the run that wrote an output; None if there is none that can be read."""
    try:
        found = json.loads((run_folder(out) / RUN_RECORD).read_text("utf-8"))
    except (OSError, ValueError):
        return None
    return found if isinstance(found, dict) and found.get("output") == out.name else None


def since(record: Mapping[str, Any], files: Iterable[tuple[str, str]]) -> Since:
    """What has changed since a run, given the files now with their digests."""
    before = {str(one["file"]): str(one["sha256"]) for one in record.get("files", ())}
    now = dict(files)
    return Since(
        tuple(name for name in now if name not in before),
        tuple(name for name, digest in now.items() if before.get(name, digest) != digest),
        tuple(name for name in before if name not in now),
        sum(before.get(name) == digest for name, digest in now.items()),
    )
