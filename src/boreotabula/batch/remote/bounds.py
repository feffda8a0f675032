"""Limits on what a server may send: lists, folders, bodies and silence; reaching one is an
error."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping
from typing import Any

from boreotabula.errors import CallError

SECONDS = 30
"""The seconds that a server may be silent."""
MOST_ENTRIES = 200_000
"""Files and folders below an address."""
MOST_FOLDERS = 20_000
DEEPEST = 24
"""Folders within folders."""
MOST_OF_LIST = 64 * 1024**2
"""Bytes of one page of links."""
MOST_OF_FILE = 8 * 1024**3
"""Bytes of a file whose size the server does not give."""


def find(system: Any, root: str) -> dict[str, Mapping[str, Any]]:
    """All files below a folder of a file system, folder by folder, with their listed details.

    Raises CallError if there are too many, or folders without end.
    """
    result: dict[str, Mapping[str, Any]] = {}
    texts = {_plain(root)}
    waiting = deque([(root, 0)])
    entries = 0
    while waiting:
        folder, depth = waiting.popleft()
        # With details in the one list: a question for each file would take minutes on a slow
        # server.
        for value in system.ls(folder, detail=True):
            name = str(value["name"])
            entries += 1
            if entries > MOST_ENTRIES:
                raise CallError(f"it lists more than {MOST_ENTRIES:,} files and folders")
            if value.get("type") != "directory":
                result[name] = value
            # A link to itself or to the folder above would never end.
            elif _plain(name) not in texts and _is_below(name, folder):
                texts.add(_plain(name))
                waiting.append((name, depth + 1))
                if depth >= DEEPEST:
                    raise CallError(f"its folders lie more than {DEEPEST} deep, as in “{name}”")
                if len(texts) > MOST_FOLDERS:
                    raise CallError(f"it lists more than {MOST_FOLDERS:,} folders")
    return result


def _plain(folder: str) -> str:
    return folder.strip("/")


def _is_below(name: str, folder: str) -> bool:
    """Whether a folder is one within another: a page links to the one above, too."""
    return not _plain(folder) or _plain(name).startswith(f"{_plain(folder)}/")


class Coming:
    """Called with the bytes of a file as they come. Raises CallError if they are more than the
    server announced, or than it may send."""

    def __init__(self, declared: object) -> None:
        # A server may say nothing of the size, or something that is no number.
        size = int(str(declared)) if str(declared).isdigit() else None
        self._most = MOST_OF_FILE if size is None else size
        self._said = size is not None
        self._size = 0

    def more(self, size: int) -> None:
        """Count this many further bytes."""
        self._size += size
        if self._size > self._most:
            message = "that it is said to have" if self._said else "that a file may have"
            raise CallError(f"it sends more than the {self._most:,} bytes {message}")
