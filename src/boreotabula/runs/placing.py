"""Writing files whole or not at all: beside the target first, then moved into place."""

from __future__ import annotations

import glob
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from boreotabula.errors import CallError


class KeepOld(Exception):  # noqa: N818  # a way out, not a mistake
    """Raised inside `placed` to leave the target as it was, quietly."""


@contextmanager
def placed(target: Path, modified_ns: int | None = None) -> Iterator[BinaryIO]:
    """A stream whose content becomes `target` when the block ends well; else nothing changes.

    The file is marked as modified at a time in nanoseconds since 1970, if that is given.

    The parts are written to a hidden file beside the target, so that the move is one step of the
    file system. Raises CallError if that folder cannot be written to.
    """
    beside = target.with_name(f".{target.name}.{os.getpid()}.part")
    _sweep(target)
    with told(target):
        stream = beside.open("wb")
    try:
        with told(target):
            with stream:
                yield stream
                stream.flush()
                os.fsync(stream.fileno())
            if modified_ns is not None:
                os.utime(beside, ns=(modified_ns, modified_ns))
            beside.replace(target)
    except BaseException as error:
        with suppress(OSError):
            beside.unlink()
        if not isinstance(error, KeepOld):
            raise


def _sweep(target: Path) -> None:
    """Delete what runs that were killed have left beside a target."""
    for left in target.parent.glob(f".{glob.escape(target.name)}.*.part"):
        pid = left.name.split(".")[-2]
        if left.is_file() and pid.isdecimal() and not _runs(int(pid)):
            with suppress(OSError):
                left.unlink()


def _runs(pid: int) -> bool:
    """Whether a process is there; where that cannot be asked, it is taken to be."""
    if os.name != "posix":
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


@contextmanager
def placed_folder(target: Path) -> Iterator[Path]:
    """A folder whose content becomes `target` when the block ends well; else nothing changes.

    An older folder of that name is taken away only once the new one is whole. Raises CallError if
    it cannot be written.
    """
    beside = target.with_name(f".{target.name}.{os.getpid()}.part")
    old = target.with_name(f".{target.name}.{os.getpid()}.old")
    with told(target):
        beside.mkdir()
    try:
        with told(target):
            yield beside
            if target.exists():
                target.rename(old)
            beside.rename(target)
    except BaseException as error:
        if old.exists() and not target.exists():
            old.rename(target)
        shutil.rmtree(beside, ignore_errors=True)
        if not isinstance(error, KeepOld):
            raise
    shutil.rmtree(old, ignore_errors=True)


@contextmanager
def told(target: Path) -> Iterator[None]:
    """Turn errors of the system about a target into a message."""
    try:
        yield
    except OSError as error:
        raise CallError(f"“{target}” cannot be written: {error.strerror}") from error
