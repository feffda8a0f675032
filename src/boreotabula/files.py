"""Opening files to read: only regular ones, because others may never end, or never begin."""

from __future__ import annotations

import csv
import errno
import os
import re
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
_MOST = 512 * 2**20

csv.field_size_limit(2**31 - 1)  # cells of a text may be longer than the usual limit of 131,072


class NotRegularError(OSError):
    """The path is no regular file; `strerror` says what it is."""


def irregular_kind(mode: int) -> str:
    """What an irregular file is, by its mode."""
    return next((what for test, what in _KINDS if test(mode)), "something else")


def open_regular(path: Path) -> BufferedReader:
    """A regular file, open for reading; links are followed.

    Raises OSError if that is not possible, NotRegularError if it is a pipe, a device, a socket or a
    folder. It never waits for somebody to write into a pipe.
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
    return NotRegularError(errno.EINVAL, f"it is {irregular_kind(mode)}, not a file", str(path))


_UNREADABLE = re.compile(r"[\x00-\x1f\x7f\udc80-\udcff]")
_ESCAPED = re.compile(r"\\x([0189a-f][0-9a-f]|7f)")
_UNDECODED = 0xDC00
"""Python represents an undecodable byte by this character plus the byte (PEP 383)."""


def from_here(path: Path) -> Path:
    """A path relative to the current folder if it lies below that; else unchanged."""
    try:
        return path.resolve().relative_to(Path.cwd())
    except (ValueError, OSError):
        return path


def written_name(name: str) -> str:
    """The name of a file as text that can be written anywhere.

    A byte that is no UTF-8, or a control character, becomes `\\xNN` with its number in hexadecimal,
    and in such a name each backslash is doubled; any other name is unchanged. `real_name` is the
    inverse.
    """
    if not (_UNREADABLE.search(name) or _ESCAPED.search(name)):
        return name
    doubled = name.replace("\\", "\\\\")
    return _UNREADABLE.sub(lambda match: f"\\x{ord(match[0]) & 0xFF:02x}", doubled)


def real_name(written: str) -> str:
    """The name of a file from its `written_name`."""
    if not _ESCAPED.search(written):
        return written
    return re.sub(r"\\(?:\\|x([0-9a-f]{2}))", _real, written)


def _real(match: re.Match[str]) -> str:
    if match[1] is None:
        return "\\"
    code = int(match[1], 16)
    return chr(code if code < 0x80 else _UNDECODED + code)


def content_of(path: Path, most: int = _MOST) -> bytes:
    """The content of a regular file up to a number of bytes. Raises OSError."""
    with open_regular(path) as stream:
        content = stream.read(most + 1)
    if len(content) > most:
        raise OSError(errno.EFBIG, f"it is larger than {most // 2**20:,} MiB", str(path))
    return content


def text_of(path: Path) -> str:
    """The text of a small regular file in UTF-8. Raises OSError or UnicodeDecodeError."""
    return content_of(path).decode("utf-8")
