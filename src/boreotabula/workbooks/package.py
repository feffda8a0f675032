"""The parts of a zipped workbook, inflated within limits.

Parts are read as ECMA-376 part 2 (Open Packaging Conventions) has them. Markup that declares
entities is refused: no spreadsheet program writes it, and it can grow without end.
"""

from __future__ import annotations

import posixpath
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from xml.etree.ElementTree import Element, ParseError, fromstring

from boreotabula.workbooks.errors import UnreadableError
from boreotabula.workbooks.limits import MEBI, Limits

_MOST_GROWTH = 1032
"""No byte of deflated data grows to more bytes than this (RFC 1951: 258 bytes from 2 bits)."""
_CHUNK = 4 * MEBI


class Package:
    """An open zip file. Raises UnreadableError if it is damaged, or grows beyond the limits."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self._limit = limits.inflated
        try:
            self._archive = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, ValueError, NotImplementedError):
            raise UnreadableError("it is damaged: a workbook that was cut off, perhaps") from None
        self._names = {name.lower(): name for name in self._archive.namelist()}

    def close(self) -> None:
        """Let go of the file."""
        self._archive.close()

    def __contains__(self, name: str) -> bool:
        return name.lower() in self._names

    def check(self) -> None:
        """Make sure that no part grows beyond the limit, before others read the file.

        What a part declares of its size is not believed; only parts that could grow so far are
        inflated for it.
        """
        for info in self._archive.infolist():
            if info.file_size > self._limit:
                self._too_large(info.filename)
            if info.compress_size * _MOST_GROWTH > self._limit:
                for _ in self._inflated(info.filename):
                    pass

    def read(self, name: str) -> bytes:
        """The content of a part."""
        return b"".join(self._inflated(self._names.get(name.lower(), name)))

    def markup(self, name: str) -> Element:
        """A small part as XML."""
        content = self.read(name)
        refuse_entities(content)
        try:
            return fromstring(content)
        except ParseError:
            raise UnreadableError(f"it is damaged: its part “{name}” is no XML") from None

    def _inflated(self, name: str) -> Iterator[bytes]:
        size = 0
        try:
            with self._archive.open(name) as stream:
                while chunk := stream.read(_CHUNK):
                    size += len(chunk)
                    if size > self._limit:
                        self._too_large(name)
                    yield chunk
        except KeyError:
            raise UnreadableError(f"it is damaged: its part “{name}” is missing") from None
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError):
            raise UnreadableError(f"it is damaged: its part “{name}” cannot be unpacked") from None

    def _too_large(self, name: str) -> None:
        raise UnreadableError(
            f"its part “{name}” would grow beyond {self._limit // MEBI:,} MiB when unpacked",
            "If the file is honest, allow more with --largest-part.",
        )


def refuse_entities(content: bytes) -> None:
    """Raises UnreadableError if markup declares a document type: entities can grow without end."""
    if b"<!DOCTYPE" in content[:4096] or b"<!ENTITY" in content[:4096]:
        raise UnreadableError(
            "its markup declares entities, as no spreadsheet program writes them",
            "Do not open it before you know where it is from.",
        )


def relations(package: Package, part: str) -> dict[str, tuple[str, str]]:
    """The parts that a part refers to, by id: the last word of the kind, and the part's name."""
    folder, _, name = part.rpartition("/")
    rels = f"{folder}/_rels/{name}.rels"
    if rels not in package:
        return {}
    found = {}
    for one in package.markup(rels):
        target = one.get("Target", "")
        whole = target[1:] if target.startswith("/") else posixpath.join(folder, target)
        kind = one.get("Type", "").rpartition("/")[2]
        found[one.get("Id", "")] = (kind, posixpath.normpath(whole))
    return found
