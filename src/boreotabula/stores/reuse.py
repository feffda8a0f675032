"""What can be copied from an older output: the lines of unchanged files.

The record of a run says which bytes of its output are from which file, and the output's size and
time when it was written. Only an output that still matches is trusted.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from boreotabula.batch.file.read import FileReading

Part = tuple[int, int]
"""The first byte, and the one after the last."""


@dataclass(frozen=True)
class OutputEntry:
    """The entries about the output in the record of a run, for the next run."""

    size: int
    modified_ns: int
    keys: Mapping[str, str]
    """For each file, in order, the key of its result: of everything that its records depend on."""
    parts: Mapping[str, Part]
    """The bytes of each file, where they can be copied."""

    def described(self) -> dict[str, Any]:
        """The entries as plain data."""
        return {
            "size": self.size,
            "modified_ns": self.modified_ns,
            "keys": dict(self.keys),
            "parts": {name: list(part) for name, part in self.parts.items()},
        }


@dataclass(frozen=True)
class OldOutput:
    """An output as an earlier run wrote it."""

    path: Path
    written: OutputEntry

    def is_same(self, keys: Mapping[str, str]) -> bool:
        """Whether files with these keys, in order, would give exactly the same output."""
        # What the files decide among them follows from all of them: it is the same, too.
        lengths = {name: len(key) for name, key in keys.items()}
        # A key may have grown by what the files decide among them; its beginning is compared.
        known_places = [(n, key[: lengths.get(n, 0)]) for n, key in self.written.keys.items()]
        return known_places == list(keys.items())

    def part(self, reading: FileReading, key: str) -> Part | None:
        """The bytes that hold the records of a file, if they would be the same."""
        if self.written.keys.get(reading.name) != key or not is_reusable(reading):
            return None
        return self.written.parts.get(reading.name)


def is_reusable(reading: FileReading) -> bool:
    """Whether the records of a file depend on nothing else: those of a copied tab depend on the
    other file."""
    return reading.read and not any(tab.is_copy for tab in reading.tabs)


def old_output(out: Path, record: Mapping[str, Any] | None) -> OldOutput | None:
    """The output of an earlier run; None if there is none, or it was changed since."""
    try:
        result = (record or {})["written"]
        written = OutputEntry(
            int(result["size"]),
            int(result["modified_ns"]),
            {str(name): str(key) for name, key in result["keys"].items()},
            {str(name): (int(start), int(end)) for name, (start, end) in result["parts"].items()},
        )
        now = out.stat()
    except (KeyError, TypeError, ValueError, OSError, AttributeError):
        return None
    # Size and time: a digest of gigabytes would take longer than writing them anew.
    same = (now.st_size, now.st_mtime_ns) == (written.size, written.modified_ns)
    return OldOutput(out, written) if same else None


def copy_part(old: BinaryIO, part: Part, new: BinaryIO) -> None:
    """Append some bytes of an older output to a new one. Raises OSError."""
    start, end = part
    new.flush()
    if hasattr(os, "copy_file_range"):
        with suppress(OSError):  # not on this file system: what is left is copied by hand
            while start < end and (
                done := os.copy_file_range(old.fileno(), new.fileno(), end - start, start)
            ):
                start += done
    old.seek(start)
    # From where the system's copy ended, if it could copy at all.
    shutil.copyfileobj(_Limited(old, end - start), new)
    new.flush()


class _Limited:
    """A limited number of bytes of a stream."""

    def __init__(self, stream: BinaryIO, left: int) -> None:
        self._stream, self._left = stream, left

    def read(self, size: int = -1) -> bytes:
        """The next bytes; none at the end."""
        content = self._stream.read(min(size, self._left) if size >= 0 else self._left)
        self._left -= len(content)
        return content
