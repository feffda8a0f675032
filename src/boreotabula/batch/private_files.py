"""What only the user may read: folders, files, the key that signs results, and the order of
runs."""

from __future__ import annotations

import hashlib
import os
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path
from typing import BinaryIO

from boreotabula.files import open_regular

FOLDER = "BOREOTABULA_CACHE"
"""The environment variable that names another cache folder."""


def cache_folder() -> Path:
    """The folder of results and fetched files: below the user's cache folder."""
    if named := os.environ.get(FOLDER):
        return Path(named)
    from platformdirs import user_cache_path

    return user_cache_path("boreotabula", appauthor=False) / "results"


LAYOUTS = "layouts"
"""The folder of checked layouts in the cache."""


def open_new(path: Path) -> BinaryIO:
    """A new file that only its owner may read, open for writing. Raises OSError if the path
    exists."""
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
    return os.fdopen(os.open(path, flags, 0o600), "wb")


def make_own(folder: Path) -> None:
    """Make a folder and its parents, readable by their owner only."""
    if not folder.is_dir():
        make_own(folder.parent)
        folder.mkdir(mode=0o700, exist_ok=True)


def is_own(folder: Path) -> bool:
    """Whether a folder is the user's, and nobody else may write into it; a missing one will be."""
    try:
        result = folder.stat()
    except OSError:
        return True
    # Windows has no such bits; there the user's folder is private by its place.
    return os.name != "posix" or (result.st_uid == os.getuid() and not result.st_mode & 0o022)


_KEY_SIZE = 32


@cache
def own_key() -> bytes:
    """The key that distinguishes the user's own results from what others may have put there.

    It lies in the user's own folder, readable by nobody else; one that others may have read, or
    that is incomplete, is replaced. Empty if it cannot be kept that way.
    """
    from platformdirs import user_data_path

    path = user_data_path("boreotabula", appauthor=False) / "key"
    try:
        return _read(path) or _made(path)
    except OSError:
        return b""


def _read(path: Path) -> bytes:
    """The key at a path; empty if there is no complete and private one."""
    try:
        with open_regular(path) as stream:
            # Asked of the open file, not of its path, which may be exchanged between two calls.
            result = os.fstat(stream.fileno())
            # One byte more than the key, so that a longer file is known as no key.
            secret = stream.read(_KEY_SIZE + 1)
    except FileNotFoundError:
        return b""
    private = os.name != "posix" or (result.st_uid == os.getuid() and not result.st_mode & 0o077)
    return secret if private and len(secret) == _KEY_SIZE else b""


def _made(path: Path) -> bytes:
    """A new key, put in place whole. Raises OSError."""
    make_own(path.parent)
    # Another run may make the key at the same time; the last move wins, and both then read that
    # one.
    beside = path.with_name(f"{path.name}.{secrets.token_hex(4)}.part")
    try:
        with open_new(beside) as stream:
            stream.write(secrets.token_bytes(_KEY_SIZE))
        beside.replace(path)
    except OSError:
        beside.unlink(missing_ok=True)
        raise
    return _read(path)


OnWait = Callable[[str], None]
"""Called with a sentence before waiting for another run."""


@contextmanager
def turn_of(path: Path, on_wait: OnWait = lambda _: None) -> Iterator[None]:
    """Wait until no other run of this user writes to a path, and make others wait meanwhile.

    `on_wait` is called with a sentence before it waits. Where the system has no such locks, or the
    cache folder cannot be written, nobody waits.
    """
    # Imported here, as the module does not exist on Windows.
    try:
        import fcntl
    except ImportError:  # not on Windows
        yield
        return
    name = hashlib.sha256(os.path.realpath(path).encode("utf-8", "surrogateescape")).hexdigest()
    lock = None
    # Where no lock can be had the run goes on: two runs at once are rare, a cache on a full disk
    # is not.
    with suppress(OSError):
        folder = cache_folder() / "turns"
        make_own(folder)
        lock = os.open(folder / name[:32], os.O_RDWR | os.O_CREAT, 0o600)
        _held.add(lock)
        # The system lets go of it when the process ends, however it does.
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            on_wait(f"another run writes to “{path}”: waiting until it has ended")
            fcntl.flock(lock, fcntl.LOCK_EX)
    try:
        yield
    finally:
        if lock is not None:
            _held.discard(lock)
            os.close(lock)


_held: set[int] = set()
"""The locks of this process."""


def _let_go_of_locks() -> None:
    """Close the locks that a forked process inherited: others would wait for it, too."""
    for lock in _held:
        os.close(lock)
    _held.clear()


# A forked worker shares the file descriptor, and with it the lock.
if hasattr(os, "register_at_fork"):  # not on Windows
    os.register_at_fork(after_in_child=_let_go_of_locks)
