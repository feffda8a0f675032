"""The files of an address that are kept here, and by what each is known not to have changed."""

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
    """The files of an address that are kept, and by what each is known not to have changed."""

    folder: Path
    known: dict[str, str] = field(default_factory=dict)
    lost: int = 0
    """So many files in turn could not be fetched."""
    is_silent: bool = False
    """Whether the server did not answer, either, when it was asked for its folder then."""
    listed_alike: bool = False
    """Whether lists of files tell of each what asking for it tells: then asking once will do."""

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
        """Note what is known of the files of some `names`, beside what other runs know."""
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
    """How many files of servers are kept, and their bytes."""
    below = fetched_folder()
    paths = (*below.glob("*/files/**/*"), *below.glob("single/*/*/*"))
    files = [path for path in paths if path.is_file()]
    return len(files), sum(file.stat().st_size for file in files)


def clear_fetched() -> None:
    """Delete all files of servers that are kept, and outputs that were made for them."""
    for folder in (fetched_folder(), made_folder()):
        shutil.rmtree(folder, ignore_errors=True)


_PART = re.compile(r"\.[0-9a-f]{16}\.part")

_STALE = 24 * 3600
"""Seconds after which what was being fetched belongs to a run that is no more."""


def names_below(folder: Path) -> list[str]:
    """The files that lie here, but for those that a run is fetching."""
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
