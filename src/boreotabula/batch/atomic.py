"""Writing files whole or not at all: beside the target first, then moved into place."""

from __future__ import annotations

import errno
import glob
import os
import re
import secrets
import shutil
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from boreotabula.errors import CallError
from boreotabula.files import irregular_kind


class DiscardOutput(Exception):  # noqa: N818  # a way out, not a mistake
    """Raised inside `atomic_write` or `placed_folder` to leave the target as it was, without an
    error."""


@contextmanager
def atomic_write(
    target: Path, modified_ns: int | None = None, like: Path | None = None
) -> Iterator[BinaryIO]:
    """A stream whose content becomes `target` when the block ends without an error; else nothing
    changes.

    The modification time is set if it is given, in nanoseconds since 1970. A new file has the
    permissions of `like`, if that exists.

    The content is written to a hidden file beside the target, so that the move is one step of the
    file system. A target that is a link stays one: the file it points to is written. A replaced
    file hands on its permissions. Raises CallError if that folder cannot be written to, or the
    target is no regular file.
    """
    # The link is resolved once, before anything is made, so that the hidden file lies in the
    # folder of the real file and the last step stays within one file system.
    shown, target = target, Path(os.path.realpath(target))
    with reporting_errors(shown):
        mode = _mode_of(target)
        if mode is None and like is not None and like.is_file():
            mode = _mode_of(like)
        # Swept on each write rather than at the start of a run: a killed run leaves its part
        # beside this target, and nobody else would ever look there.
        sweep(target)
        beside, stream = _part(target)
    try:
        with reporting_errors(shown):
            with stream:
                if mode is not None:
                    beside.chmod(mode)
                yield stream
                stream.flush()
                # Without this a power cut after the move could leave a file of the right name and
                # no content.
                os.fsync(stream.fileno())
            if modified_ns is not None:
                os.utime(beside, ns=(modified_ns, modified_ns))
            # The one step that others can see: before it the old file is whole, after it the new
            # one.
            beside.replace(target)
    # BaseException, so that Ctrl-C and a stopping worker clean up as well.
    except BaseException as error:
        with suppress(OSError):
            beside.unlink()
        if not isinstance(error, DiscardOutput):
            raise


def _mode_of(target: Path) -> int | None:
    """The permissions of the file that is replaced; None if there is none yet. Raises OSError."""
    try:
        mode = target.stat().st_mode
    except FileNotFoundError:
        return None
    # Moving a file over a pipe or a device would replace the device itself.
    if not stat.S_ISREG(mode):
        raise OSError(errno.EINVAL, f"it is {irregular_kind(mode)}, not a file")
    return stat.S_IMODE(mode)


_TRIES = 16
"""Two runs that happen to choose the same name choose again."""
_LONGEST = 200
"""The longest names of files leave room for a prefix and an ending."""


def _part(target: Path) -> tuple[Path, BinaryIO]:
    """A new file beside the target that nobody has put there in advance. Raises OSError."""
    for _ in range(_TRIES):
        # "xb" fails where a file or a link of that name exists: nobody can plant a link here in
        # advance and have another file written.
        beside = _beside(target, "part")
        try:
            return beside, beside.open("xb")
        except FileExistsError:
            continue
    raise FileExistsError(errno.EEXIST, "files of its name are in the way")


def _beside(target: Path, ending: str) -> Path:
    unique = secrets.token_hex(4)
    return target.with_name(f"{_lead(target)}{os.getpid()}.{unique}.{ending}")


def _lead(target: Path) -> str:
    # Counted in bytes, as file systems do; a name of umlauts is twice as long as it looks.
    return f".{os.fsdecode(os.fsencode(target.name)[:_LONGEST])}."


_LEFT = re.compile(r"(\d+)\.[0-9a-f]{8}\.(?:part|old)")


def sweep(target: Path) -> None:
    """Delete the leftovers of killed processes beside a target."""
    for left in _left_beside(target, "part"):
        if left.is_file():
            with suppress(OSError):
                left.unlink()


def _sweep_folders(target: Path) -> None:
    """Delete leftover folders. The old folder is restored if a run was killed during the
    exchange."""
    for left in _left_beside(target, "old"):
        if left.is_dir() and not target.exists():
            left.rename(target)
    for ending in ("part", "old"):
        for left in _left_beside(target, ending):
            if left.is_dir():
                shutil.rmtree(left, ignore_errors=True)


def _left_beside(target: Path, ending: str) -> list[Path]:
    """The leftovers of ended processes beside a target."""
    lead = _lead(target)
    paths = []
    # The name may hold *, ? or [ itself.
    for left in sorted(target.parent.glob(f"{glob.escape(lead)}*.{ending}")):
        hit = _LEFT.fullmatch(left.name.removeprefix(lead))
        # A part of a process that still runs is being written at this moment.
        if hit and not left.is_symlink() and not _runs(int(hit[1])):
            paths.append(left)
    return paths


def _runs(pid: int) -> bool:
    """Whether a process exists; where that cannot be asked, it is taken to exist."""
    # On Windows a signal of 0 would end the process instead of asking for it.
    if os.name != "posix":
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    # The process exists, but belongs to somebody else.
    except OSError:
        return True
    return True


@contextmanager
def placed_folder(target: Path) -> Iterator[Path]:
    """A folder whose content becomes `target` when the block ends without an error; else nothing
    changes.

    An older folder of that name is removed only once the new one is whole. Raises CallError if it
    cannot be written.
    """
    target = Path(os.path.realpath(target))
    beside, old = _beside(target, "part"), _beside(target, "old")
    with reporting_errors(target):
        _sweep_folders(target)
        beside.mkdir()
    try:
        with reporting_errors(target):
            yield beside
            # Folders cannot replace each other in one step: the old one is moved aside first, and
            # moved back below if the second step fails.
            if target.exists():
                target.rename(old)
            beside.rename(target)
    except BaseException as error:
        if old.exists() and not target.exists():
            old.rename(target)
        shutil.rmtree(beside, ignore_errors=True)
        if not isinstance(error, DiscardOutput):
            raise
    shutil.rmtree(old, ignore_errors=True)


@contextmanager
def reporting_errors(target: object) -> Iterator[None]:
    """Turn system errors about a target into a message."""
    try:
        yield
    except OSError as error:
        raise CallError(f"“{target}” cannot be written: {error.strerror}") from error
