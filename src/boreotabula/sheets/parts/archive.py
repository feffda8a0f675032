"""The parts of a zipped workbook, inflated within a budget.

Parts are read as ECMA-376 part 2 (Open Packaging Conventions) has them. Markup that declares
entities is refused: no spreadsheet program writes it, and it can grow without end.
"""

from __future__ import annotations

import os
import posixpath
import struct
import zipfile
import zlib
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import contextmanager
from io import BytesIO
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO, NamedTuple
from xml.parsers import expat

from boreotabula.files import open_regular
from boreotabula.limits import MEBI, RANGE, SHARED, UNPACKED, Budget
from boreotabula.unreadable import UnreadableError

_MOST_GROWTH = 1032
"""No byte of deflated data grows to more bytes than this (RFC 1951: 258 bytes from 2 bits)."""
_CHUNK = 4 * MEBI
_LOCAL_HEADER = 30
_ENCRYPTED = 1
_PACKINGS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)


class Markup(NamedTuple):
    """An element of a part: its name and that of its parent, both without prefix."""

    around: str
    name: str
    attributes: Mapping[str, str]
    """By name, without prefixes."""
    text: str


class Archive:
    """An open zip file. Raises UnreadableError if it is damaged, or grows beyond the budget."""

    def __init__(self, path: Path | BinaryIO, budget: Budget) -> None:
        self.budget = budget
        self.title = str(path) if isinstance(path, Path) else ""
        """The file, as messages name it; empty if it is in memory."""
        self._stream = open_regular(path) if isinstance(path, Path) else path
        try:
            self._archive = zipfile.ZipFile(self._stream)
            self._infos = {_plain(part.filename): part for part in self._archive.infolist()}
            # Before anything is unpacked: this is how a small file grows without end.
            _refuse_overlap(self._archive.infolist())
        except (zipfile.BadZipFile, ValueError, NotImplementedError):
            self._stream.close()
            raise UnreadableError("it is damaged, perhaps because it was cut off") from None
        except BaseException:
            self._stream.close()
            raise

    def close(self) -> None:
        """Close the file."""
        self._archive.close()
        self._stream.close()

    def __contains__(self, name: str) -> bool:
        return _plain(name) in self._infos

    @property
    def names(self) -> list[str]:
        """The names of the parts."""
        return [part.filename for part in self._archive.infolist() if not part.is_dir()]

    def size(self, name: str) -> int:
        """The declared size of a part in bytes."""
        return self._infos[_plain(name)].file_size

    def chunks(self, name: str) -> Iterator[bytes]:
        """The content of a part, piece by piece."""
        return self._inflated(_plain(name), UNPACKED)

    def copy_packed(self, name: str, target: zipfile.ZipFile) -> None:
        """Copy a part into a new zip file in compressed form.

        Raises UnreadableError if its header is not where the directory of the file says.
        """
        info = self._infos[_plain(name)]
        if info.flag_bits & _ENCRYPTED:
            raise UnreadableError(f"it is damaged: its part “{name}” cannot be unpacked")
        # Read by hand, as the library would inflate the part to give it.
        self._stream.seek(info.header_offset)
        header = self._stream.read(_LOCAL_HEADER)
        if len(header) < _LOCAL_HEADER or header[:4] != b"PK\x03\x04":
            raise UnreadableError(f"it is damaged: its part “{name}” is missing")
        # The lengths of the name and of what stands behind it (APPNOTE 4.3.7).
        self._stream.seek(sum(struct.unpack("<HH", header[26:30])), os.SEEK_CUR)
        # Its own entry, without the time and extra fields of the old one.
        own = zipfile.ZipInfo(info.filename)  # no time of day, as all parts that are written
        own.compress_type, own.CRC = info.compress_type, info.CRC
        own.compress_size, own.file_size = info.compress_size, info.file_size
        stream = target.fp
        assert stream is not None
        stream.seek(target.start_dir)
        own.header_offset = stream.tell()
        stream.write(own.FileHeader())
        left = info.compress_size
        while left and (piece := self._stream.read(min(left, _CHUNK))):
            stream.write(piece)
            left -= len(piece)
        if left:
            raise UnreadableError("it is damaged, perhaps because it was cut off")
        target.filelist.append(own)
        target.NameToInfo[own.filename] = own
        target.start_dir = stream.tell()

    def hold_shared(self, names: Collection[str]) -> None:
        """Count the parts that the fast reader inflates as soon as it opens the file.

        Declared sizes are not trusted: parts that could grow too far are inflated to measure them.
        """
        for name in sorted({_plain(name) for name in names} & self._infos.keys()):
            info = self._infos[name]
            could_grow = max(info.file_size, info.compress_size * _MOST_GROWTH)
            size = info.file_size
            # Declared sizes are only believed where even the largest growth would do no harm.
            if could_grow * SHARED > self.budget.room:
                size = sum(map(len, self._inflated(name, SHARED)))
            self.budget.hold(size * SHARED, f"its part “{info.filename}”")

    def read(self, name: str) -> bytes:
        """The content of a part."""
        return b"".join(self._inflated(_plain(name), UNPACKED))

    def copy_with(self, name: str, content: bytes) -> BytesIO:
        """The whole file in memory, one of its parts replaced."""
        copy = BytesIO()
        with zipfile.ZipFile(copy, "w", zipfile.ZIP_DEFLATED) as target:
            for plain, info in self._infos.items():
                part = content if plain == _plain(name) else self.read(plain)
                self.budget.hold(info.compress_size, "a copy of it")
                target.writestr(info.filename, part)
        copy.seek(0)
        return copy

    def elements(self, name: str, wanted: Collection[str]) -> list[Markup]:
        """The elements of a part with one of the wanted names, in order."""
        return elements(self.read(name), wanted, name, self.budget)

    def _inflated(self, name: str, weight: int) -> Iterator[bytes]:
        info = self._infos.get(name)
        if info is None:
            raise UnreadableError(f"it is damaged: its part “{name}” is missing")
        what = f"its part “{info.filename}”, unpacked,"
        self.budget.need(info.file_size * weight, what)
        size = 0
        try:
            with self._archive.open(info) as stream:
                while chunk := stream.read(_CHUNK):
                    size += len(chunk)
                    # Counted as it comes, since a part may declare less than it holds.
                    self.budget.need(size * weight, what)
                    yield chunk
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError):
            raise UnreadableError(f"it is damaged: its part “{name}” cannot be unpacked") from None


@contextmanager
def open_archive(path: Path, budget: Budget) -> Iterator[Archive]:
    """An open package, closed again if the first access to it fails."""
    package = Archive(path, budget)
    try:
        yield package
    except BaseException:
        package.close()
        raise


def _plain(name: str) -> str:
    """The name of a part, as readers compare them: some programs write it with backslashes."""
    return name.replace("\\", "/").lower()


def _refuse_overlap(infos: Collection[zipfile.ZipInfo]) -> None:
    """Refuse parts that share bytes, which let a small file inflate to any size."""
    # Where each part begins and ends by the directory of the file.
    ends = [(info.header_offset, info.header_offset + _LOCAL_HEADER + info.compress_size)
            for info in infos]  # fmt: skip
    if any(end > start for (_, end), (start, _) in pairwise(sorted(ends))):
        raise UnreadableError("it is damaged: its parts overlap", "Do not trust where it is from.")
    if any(info.compress_type not in _PACKINGS for info in infos):
        raise UnreadableError("it is packed in a way that no spreadsheet program uses")


def elements(content: bytes, wanted: Collection[str], name: str, budget: Budget) -> list[Markup]:
    """The elements of some markup with one of the wanted names, in order; no others are kept.

    Raises UnreadableError if the part called `name` is no XML.
    """
    markups: list[Markup] = []
    path = [""]
    texts: list[list[str]] = []

    def start(tag: str, attributes: dict[str, str]) -> None:
        local = local_name(tag)
        if local in wanted:
            budget.hold(RANGE, f"its part “{name}”")
            texts.append([])
            plain = {local_name(key): value for key, value in attributes.items()}
            markups.append(Markup(path[-1], local, plain, ""))
        path.append(local)

    def end(tag: str) -> None:
        if path.pop() in wanted and texts:
            text = "".join(texts.pop())
            if text and not texts:
                markups[-1] = markups[-1]._replace(text=text)

    def data(text: str) -> None:
        if texts:
            texts[-1].append(text)

    parse(content, name, start, end, data)
    return markups


def parse(
    content: bytes,
    name: str,
    start: Callable[[str, dict[str, str]], None],
    end: Callable[[str], None],
    data: Callable[[str], None],
) -> None:
    """Go through the markup of the part called `name` once.

    Raises UnreadableError if it is no XML, or declares a document type: entities can grow without
    end.
    """
    parser = expat.ParserCreate()
    # Otherwise a text with an entity comes in several pieces.
    parser.buffer_text = True
    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = data
    parser.StartDoctypeDeclHandler = _refuse_entities
    try:
        parser.Parse(content, True)
    except (expat.ExpatError, LookupError, UnicodeError):
        raise UnreadableError(f"it is damaged: its part “{name}” is not XML") from None


def local_name(tag: str) -> str:
    """The name of an element or attribute without its prefix."""
    return tag.rpartition(":")[2]


def _refuse_entities(*_: object) -> None:
    raise UnreadableError(
        "its markup declares entities, as no spreadsheet program writes them",
        "Do not open it before you know where it is from.",
    )


def relations(package: Archive, part: str) -> dict[str, tuple[str, str]]:
    """The parts that a part refers to, by id: the last word of the kind, and the part's name."""
    # Relations stand in a part of their own beside the part.
    folder, _, name = part.rpartition("/")
    rels = f"{folder}/_rels/{name}.rels" if folder else f"_rels/{name}.rels"
    if rels not in package:
        return {}
    places = {}
    for element in package.elements(rels, ("Relationship",)):
        target = element.attributes.get("Target", "").replace("\\", "/")
        # A target is relative to the part's folder unless it begins with a slash.
        whole = target[1:] if target.startswith("/") else posixpath.join(folder, target)
        kind = element.attributes.get("Type", "").rpartition("/")[2]
        places[element.attributes.get("Id", "")] = (kind, posixpath.normpath(whole))
    return places
