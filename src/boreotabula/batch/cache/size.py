"""The size of the cache, and deleting the least recently used results.

Separate from the results themselves: counting them opens none, and needs no library for records.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from boreotabula.batch.private_files import LAYOUTS

LARGEST = 2 * 1024**3
"""The most bytes that the folder may hold; beyond that, the least recently used results are
deleted."""


def cache_size(folder: Path) -> tuple[int, int]:
    """The number of results in a folder, and their bytes."""
    sizes = [size for _, size, _ in _entries(folder)]
    return len(sizes), sum(sizes)


def clear(folder: Path, largest: int = 0) -> None:
    """Delete results and checked layouts until a folder holds at most this many bytes: the least
    recently used first."""
    # Layouts count too, as the limit is on what the folder holds.
    kept = [*_entries(folder), *_entries(folder, f"{LAYOUTS}/*")]
    entries = sorted(kept, key=lambda entry: entry[2])
    total = sum(size for _, size, _ in entries)
    for path, size, _ in entries:
        if total <= largest:
            return
        # Another run may have deleted it meanwhile; it is gone either way.
        with suppress(OSError):
            path.unlink()
        total -= size


def tidy(folder: Path, largest: int = LARGEST) -> None:
    """`clear` a folder that is too large.

    It is measured only once in a while, because looking through thousands of results takes longer
    than reading a workbook.
    """
    marker = folder / _TIDIED
    try:
        # A clock that was set back must not put it off for long.
        if abs(time.time() - marker.stat().st_mtime) < _NOT_BEFORE:
            return
    except OSError:
        pass  # it was never looked at
    clear(folder, largest)
    with suppress(OSError):
        # The time of this file says when the folder was looked at, for all runs that share it.
        marker.touch()


_TIDIED = "tidied"
_NOT_BEFORE = 600
"""Seconds before it is measured again."""


def _entries(folder: Path, pattern: str = "??/*") -> Iterator[tuple[Path, int, float]]:
    """Each result, or other file that matches a pattern: its path, its bytes, and its last use."""
    for path in folder.glob(pattern):
        with suppress(OSError):
            entries = path.stat()
            # The time of last use is kept as the time of change, since many systems do not keep
            # the former.
            yield path, entries.st_size, entries.st_mtime
