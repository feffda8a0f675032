"""Names of copies and letters: valid on any file system, and each used once."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from itertools import count
from pathlib import PurePosixPath

_NO_SIGN = frozenset('<>:"/\\|?*')
_RESERVED = frozenset(
    ["con", "prn", "aux", "nul"]
    + [f"{word}{number}" for word in ("com", "lpt") for number in range(1, 10)]
)
"""Names that Windows keeps for devices, with any ending."""
_MOST_BYTES = 180
"""File systems take names of 255 bytes; an ending, a number and the prefix of unfinished files need
room."""
ENDINGS = (".xlsx", ".txt")


class CopyNames:
    """Gives each file a name without an ending, below the folder of its group if it has one.

    `kept` are names in that folder that no copy may have.
    """

    def __init__(self, kept: Iterable[str] = ()) -> None:
        self._files = {text.casefold() for text in kept}
        self._folders: dict[str, tuple[object, ...]] = {}
        """The meaning of each folder: a group, and folders of its files."""

    def take(self, file: str, group: str = "") -> str:
        """The name for a file of a source folder, with '/' between its steps."""
        path = PurePosixPath(file)
        # A source folder such as “../reports” is part of the name; no copy may land there.
        own = [step for step in path.with_suffix("").parts if step not in ("..", ".", "/")]
        *folders, last = [group, *own] if group else own
        folder = ""
        meaning: tuple[object, ...] = (bool(group),)
        for text in folders:
            meaning = (*meaning, text)
            folder = self._folder(f"{folder}{_step(text)}", meaning) + "/"
        stem = f"{folder}{_step(last)}"
        if not self._is_free(stem):
            stem = f"{stem} ({_step(path.suffix.lstrip('.'))})"
        stem = next(one for one in _numbered(stem) if self._is_free(one))
        self._files |= {f"{stem}{ending}".casefold() for ending in ENDINGS}
        return stem

    def _folder(self, name: str, meaning: tuple[object, ...]) -> str:
        """A folder that is no file, and has no other meaning."""
        for text in _numbered(name):
            key = text.casefold()
            if key not in self._files and self._folders.setdefault(key, meaning) == meaning:
                return text
        raise AssertionError("numbers do not end")

    def _is_free(self, stem: str) -> bool:
        names = {f"{stem}{ending}".casefold() for ending in ENDINGS}
        return not names & (self._files | self._folders.keys())


def _numbered(name: str) -> Iterator[str]:
    yield name
    yield from (f"{name} {number}" for number in count(2))


def _step(text: str) -> str:
    """A text as the name of a file or folder."""
    plain = "".join("_" if sign in _NO_SIGN or not sign.isprintable() else sign for sign in text)
    short = os.fsencode(plain.strip(" .")).decode("utf-8", "replace")
    while len(short.encode()) > _MOST_BYTES:
        short = short[:-1]
    short = short.strip(" .") or "_"
    return f"_{short}" if short.partition(".")[0].casefold() in _RESERVED else short
