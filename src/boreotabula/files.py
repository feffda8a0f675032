"""Opening files to read: only regular ones, as anything else may never end, or never begin."""

from __future__ import annotations

import errno
import os
import stat
from io import BufferedReader
from pathlib import Path

_KINDS = (
    (stat.S_ISDIR, "a folder"),
    (stat.S_ISFIFO, "a pipe"),
    (stat.S_ISSOCK, "a socket"),
    (stat.S_ISCHR, "a device"),
    (stat.S_ISBLK, "a device"),
)
_MOST = 64 * 2**20


class NotRegularError(OSError):
    """What was to be read is no regular file; `strerror` says what it is."""


def kind_of(mode: int) -> str:
    """What something is that is no regular file, by its mode."""
    return next((what for test, what in _KINDS if test(mode)), "something else")


def open_regular(path: Path) -> BufferedReader:
    """A regular file, open to be read; links are followed.

    Raises OSError if that is not possible, NotRegularError if it is a pipe, a device, a socket or
    a folder. It is not waited for anyone to write into a pipe.
    """
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
    mode = path.stat().st_mode
    if not stat.S_ISREG(mode):
        raise _not_regular(path, mode)
    handle = os.open(path, flags)
    try:
        mode = os.fstat(handle).st_mode  # it may be another one by now
        if stat.S_ISREG(mode):
            return os.fdopen(handle, "rb")
    except BaseException:
        os.close(handle)
        raise
    os.close(handle)
    raise _not_regular(path, mode)


def _not_regular(path: Path, mode: int) -> NotRegularError:
    return NotRegularError(errno.EINVAL, f"it is {kind_of(mode)}, not a file", str(path))


def content_of(path: Path, most: int = _MOST) -> bytes:
    """The content of a regular file of at most so many bytes. Raises OSError."""
    with open_regular(path) as stream:
        content = stream.read(most + 1)
    if len(content) > most:
        raise OSError(errno.EFBIG, f"it is larger than {most // 2**20:,} MiB", str(path))
    return content


def text_of(path: Path) -> str:
    """The text of a small regular file in UTF-8. Raises OSError or UnicodeDecodeError."""
    return content_of(path).decode("utf-8")
