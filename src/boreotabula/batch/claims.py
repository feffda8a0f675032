"""Whether a file may be written over: nobody's file is replaced unasked.

The program recognises its own files by their content: a list of digests lies in the cache folder.
Pages, pictures and workbooks also carry a mark, so that they are recognised on another machine,
too.
"""

from __future__ import annotations

import hashlib
import os
import zipfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.private_files import cache_folder, make_own
from boreotabula.errors import CallError
from boreotabula.sheets.parts.writing import MARK

_MARKED = (".html", ".htm", ".png", ".svg", ".pdf")
_HEAD = 16_384
"""The mark of the program stands within this many bytes of the beginning of a file, or of its end.
"""
_LARGEST = 1_000_000
"""If the list is longer, its older half is dropped."""


def check_claim(out: Path, inputs: Iterable[object], *, overwrite: bool) -> None:
    """Raises CallError if a file must not be written.

    It is an input of the call, or it holds what this program did not write, or was changed since,
    and may not be overwritten.
    """
    home = out.resolve()
    # Resolved on both sides, as the same file may be named by two paths or by a link.
    if home in {path.resolve() for path in inputs if isinstance(path, Path)}:
        raise CallError(f"“{out}” is read by this command; choose another name for what it writes")
    # An empty file holds nothing that could be lost; programs make them to reserve a name.
    if overwrite or not out.is_file() or out.stat().st_size == 0 or _is_own(out):
        return
    raise CallError(
        f"“{out}” was not written by this program, or was changed since, so it was not replaced;"
        " choose another name, or use --overwrite"
    )


@contextmanager
def claimed(out: Path) -> Iterator[BinaryIO]:
    """`atomic_write`, with a note of the content, so that the file is recognised later."""
    with atomic_write(out) as stream:
        yield stream
    # A list that cannot be written must not fail a write that has already ended well.
    with suppress(OSError):
        _note(out)


def remove_claimed(out: Path) -> None:
    """Remove a file that this program wrote and nobody has changed; any other stays."""
    if out.is_file() and _is_own(out):
        out.unlink()


def _list() -> Path:
    return cache_folder() / "written.txt"


def _note(out: Path) -> None:
    """Add a file to the list. Raises OSError."""
    path = _list()
    make_own(path.parent)
    if path.is_file() and path.stat().st_size > _LARGEST:
        lines = path.read_text("utf-8", "replace").splitlines(keepends=True)
        with atomic_write(path) as stream:
            stream.write("".join(lines[len(lines) // 2 :]).encode())
    line = f"{_digest(out)} {_known_as(out)}\n".encode()
    # One write of a short line is not mixed with those of others.
    listed = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    try:
        os.write(listed, line)
    finally:
        os.close(listed)


def _is_own(out: Path) -> bool:
    """Whether this program wrote a file, and it is unchanged."""
    digest, name = _digest(out), _known_as(out)
    try:
        lines = _list().read_text("utf-8", "replace").splitlines()
    except OSError:
        lines = []
    if any(line.startswith(digest) for line in lines):
        return True
    # Another content under this name: somebody has changed it.
    return not any(line.endswith(name) for line in lines) and _is_marked(out)


def _is_marked(out: Path) -> bool:
    """Whether a file carries the mark."""
    ending = out.suffix.lower()
    try:
        if ending == ".xlsx":
            with zipfile.ZipFile(out) as archive:
                properties = archive.read("docProps/core.xml")[:_HEAD]
            return MARK.encode() in properties and _as_made(properties)
        if ending not in _MARKED:
            return False
        with out.open("rb") as stream:
            head = stream.read(_HEAD)
            # Only both ends are read, since a report of many records may have hundreds of
            # megabytes.
            stream.seek(max(out.stat().st_size - _HEAD, 0))
            return MARK.encode() in head + stream.read(_HEAD)
    except (OSError, KeyError, ValueError, RuntimeError, zipfile.BadZipFile):
        return False


def _as_made(properties: bytes) -> bool:
    """Whether a workbook was not saved again since it was made: programs note the time."""

    def moment(name: bytes) -> bytes:
        return properties.partition(b"<dcterms:" + name)[2].partition(b">")[2].partition(b"<")[0]

    # A spreadsheet program that saves the workbook leaves the mark, but moves the second time.
    return moment(b"created") == moment(b"modified") != b""


def _digest(out: Path) -> str:
    with out.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _known_as(out: Path) -> str:
    """A path without line breaks, and without folder names for readers of the list."""
    # A digest rather than the path: the list must not tell others what is worked on.
    real = os.path.realpath(out).encode("utf-8", "surrogateescape")
    return hashlib.sha256(real).hexdigest()[:32]
