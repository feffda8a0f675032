"""Results kept from earlier runs, so that an unchanged file is not read again.

An entry is one file: a heading line, the digests of its two parts by the user's own key, then these
parts: see `packing`. Its name is the digest of everything that the result depends on, and is
signed with each part, as the second part is with the first: no entry can stand for another. Entries
are written beside and moved into place, so two runs may share the folder; a damaged entry is
ignored.
"""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import pyarrow as pa

from boreotabula.batch.cache.packing import Packed, Streams, read_head
from boreotabula.batch.file.read import FileReading
from boreotabula.batch.inputs import SourceFile
from boreotabula.batch.private_files import cache_folder, is_own, make_own, open_new, own_key
from boreotabula.batch.signing import DIGEST, digest_of, is_signed, program_version
from boreotabula.files import open_regular

_HEAD = b"boreotabula result 3\n"
_LEADS = len(_HEAD) + 8 + 2 * DIGEST


@dataclass(frozen=True)
class Cache:
    """The results of one layout, as this version of the program reads it."""

    folder: Path
    reader: str
    """The digest of everything that readings depend on besides the files."""
    secret: bytes = b""
    """The user's own key: an entry that is not signed with it is ignored."""

    @classmethod
    def of(cls, layout: str, limits: object, folder: Path | None = None) -> Cache | None:
        """The results of a layout, given its digest, within some limits.

        None if the user can have no key, or others may write into the folder: then nothing is kept,
        and nothing there is used.
        """
        # A folder that others may write into is not trusted: what lies there may be forged.
        folder = folder or cache_folder()
        secret = own_key() if is_own(folder) else b""
        reader = digest_of(f"{layout} {limits!r} {program_version()}".encode())
        # Without a key nothing could be told from what others have put there.
        return cls(folder, reader.hex(), secret) if secret else None

    def by(self, extra: str) -> Cache:
        """The results of the same layout where something else also decides them."""
        return replace(self, reader=digest_of(f"{self.reader} {extra}".encode()).hex())

    def key(self, source: SourceFile, digest: str) -> str:
        """The key of the result of a file with this content."""
        # All that a reading depends on besides the content; the name and folder, because captures
        # come from them.
        about = (
            self.reader, digest, source.name, source.folder, source.unmatched,
            sorted(source.captured.items()),
        )  # fmt: skip
        # Half of the digest is enough to be unique, and keeps the path short for Windows.
        return digest_of(repr(about).encode()).hex()[:48]

    def path(self, source: SourceFile, digest: str) -> Path:
        """The path of the result of a file with this content."""
        name = self.key(source, digest)
        return self.folder / name[:2] / name[2:]

    def find(
        self, source: SourceFile, digest: str, again: Callable[[], FileReading]
    ) -> FileReading | None:
        """The result of a file; None if there is none, or it is damaged.

        Its records are loaded when they are first used; `again` reads the file should they be
        damaged.
        """
        path = self.path(source, digest)
        try:
            # Read in three steps, so that only the head of a large entry is loaded.
            with open_regular(path) as stream:
                lead = stream.read(_LEADS)
                size = int.from_bytes(lead[len(_HEAD) : len(_HEAD) + 8], "big")
                head = stream.read(size) if lead.startswith(_HEAD) else b""
            # The name is signed too: an entry must not be put in the place of another.
            name = self.key(source, digest).encode()
            signed = name + lead[-DIGEST:] + head
            digest_of_head = lead[-2 * DIGEST : -DIGEST]
            if len(head) != size or not is_signed(signed, digest_of_head, self.secret):
                return None
            body = _Stored(path, size, name, lead[-DIGEST:], self.secret, again)
            reading = read_head(head, body)
            # Marks the entry as used, which is what `clear` goes by.
            os.utime(path)
        # Whatever is wrong with an entry, the file can be read again.
        except (OSError, ValueError, KeyError, TypeError, OverflowError):
            return None
        return reading

    def keep(self, source: SourceFile, digest: str, result: Packed) -> bool:
        """Keep the result of a file; returns whether that succeeded, which is not required."""
        path = self.path(source, digest)
        beside = path.with_name(f"{path.name}.{secrets.token_hex(4)}.part")
        head, body = result.head, result.body
        name = self.key(source, digest).encode()
        # The head is signed together with the digest of the body, so that neither can be
        # exchanged alone.
        of_body = digest_of(name + body, self.secret)
        of_head = digest_of(name + of_body + head, self.secret)
        lead = _HEAD + len(head).to_bytes(8, "big") + of_head + of_body
        try:
            make_own(path.parent)
            # Another run may keep the same result at the same time; each writes its own file, and
            # the last move wins.
            with open_new(beside) as stream:
                stream.write(lead)
                stream.write(head)
                stream.write(body)
            beside.replace(path)
        except OSError:
            with suppress(OSError):
                beside.unlink()
            return False
        return True


class _Stored(Streams):
    """The records of an entry, loaded when they are first used."""

    def __init__(
        self,
        path: Path,
        head: int,
        name: bytes,
        digest: bytes,
        secret: bytes,
        again: Callable[[], FileReading],
    ) -> None:
        # The path is kept and not the open stream: thousands of entries may wait to be read.
        self._path, self._start, self._again = path, _LEADS + head, again
        self._name = name
        self._digest, self._secret = digest, secret

    @cached_property
    def content(self) -> pa.Buffer | None:
        """The bytes of all records; None if they are damaged."""
        try:
            with open_regular(self._path) as stream:
                stream.seek(self._start)
                content = stream.read()
        except OSError:
            return None
        # Checked only here, since most commands never ask for the records.
        same = is_signed(self._name + content, self._digest, self._secret)
        return pa.py_buffer(content) if same else None

    def anew(self, tab: int, table: str) -> pa.RecordBatch:
        """The records of a table of a tab, read from the file again."""
        return self._reading.tabs[tab].tables[table]

    @cached_property
    def _reading(self) -> FileReading:
        return self._again()
