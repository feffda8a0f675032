"""The local copies of an address's files, and what shows that each is unchanged."""

from __future__ import annotations

import json
import re
import secrets
import shutil
import time
from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from boreotabula.batch.private_files import make_own, turn_of
from boreotabula.batch.remote.address import fetched_folder, made_folder, mirror_of

_INDEX = "index.json"


@dataclass
class Mirror:
    """The local copies of an address's files, and what shows that each is unchanged."""

    folder: Path
    known: dict[str, str] = field(default_factory=dict)
    lost: int = 0
    """The number of consecutive files that could not be fetched."""
    is_silent: bool = False
    """Whether the server did not answer when it was then asked for its folder."""
    listed_alike: bool = False
    """Whether lists have the same details as single files: then one request is enough."""

    @classmethod
    def of(cls, url: str) -> Mirror:
        return cls.of_folder(mirror_of(url))

    @classmethod
    def of_folder(cls, folder: Path) -> Mirror:
        make_own(folder)
        try:
            loads = json.loads((folder.parent / _INDEX).read_text("utf-8"))
        except (OSError, ValueError):
            loads = {}
        return cls(folder, loads if isinstance(loads, dict) else {})

    def save(self, names: Collection[str]) -> None:
        """Save what is known about the files of some `names`, beside the entries of other runs."""
        index = self.folder.parent / _INDEX
        # Two runs may fetch into the same folder.
        with turn_of(index):
            texts = {
                name: stamp
                for name, stamp in Mirror.of_folder(self.folder).known.items()
                if name in names
            }
            beside = self.folder.parent / f"{_INDEX}.{secrets.token_hex(4)}"
            beside.write_text(json.dumps(texts | self.known), "utf-8")
            beside.replace(index)

    def has(self, name: str, stamp: str) -> bool:
        return self.known.get(name) == stamp and (self.folder / name).is_file()

    def drop(self, name: str) -> None:
        self.known.pop(name, None)
        with suppress(OSError):
            (self.folder / name).unlink()


def fetched_size() -> tuple[int, int]:
    """The number and bytes of kept files from servers."""
    below = fetched_folder()
    paths = (*below.glob("*/files/**/*"), *below.glob("single/*/*/*"))
    files = [path for path in paths if path.is_file()]
    return len(files), sum(file.stat().st_size for file in files)


def clear_fetched() -> None:
    """Delete all kept files from servers, and outputs made for them."""
    for folder in (fetched_folder(), made_folder()):
        shutil.rmtree(folder, ignore_errors=True)


_PART = re.compile(r"\.[0-9a-f]{16}\.part")

_STALE = 24 * 3600
"""Seconds after which an unfinished copy belongs to a run that has ended."""


def names_below(folder: Path) -> list[str]:
    """The local files, without those that a run is fetching."""
    return [
        path.relative_to(folder).as_posix()
        for path in folder.rglob("*")
        # Old parts belong to runs that were killed.
        if path.is_file() and not (_PART.fullmatch(path.name) and _is_young(path))
    ]


def _is_young(path: Path) -> bool:
    try:
        return abs(time.time() - path.stat().st_mtime) < _STALE
    except OSError:
        return True
