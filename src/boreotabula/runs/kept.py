"""Results kept from earlier runs, so that an unchanged file is not read again.

An entry is one file: a heading line, the digests of its two parts by the user's own key, the first
part as JSON (all but the records), then the records as Arrow streams. Its name is the digest of all
that the result depends on. Entries are written beside and moved into place, so two runs may share
the folder; one that is damaged is as good as none.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import os
import secrets
import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime, time
from decimal import Decimal
from functools import cache, cached_property
from importlib.metadata import version
from pathlib import Path
from typing import Any, Protocol

import pyarrow as pa

from boreotabula import __version__
from boreotabula.files import open_regular
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.findings import Finding
from boreotabula.reading.roles import Account, Role
from boreotabula.reading.totals.compare import TotalsCount
from boreotabula.runs.facts import TabFacts
from boreotabula.runs.files import FileReading, TabResult
from boreotabula.runs.inbox import SourceFile
from boreotabula.runs.own_key import make_own, open_new, own_key

FOLDER = "BOREOTABULA_KEPT"
"""The environment variable that names another folder for the results."""
LARGEST = 2 * 1024**3
"""The most bytes that the folder may hold; when it holds more, what was unused longest goes."""

_HEAD = b"boreotabula result 1\n"
_DIGEST = 32
_LEADS = len(_HEAD) + 8 + 2 * _DIGEST


def kept_folder() -> Path:
    """Where results are kept: below the user's cache folder."""
    if named := os.environ.get(FOLDER):
        return Path(named)
    from platformdirs import user_cache_path

    return user_cache_path("boreotabula", appauthor=False) / "results"


@dataclass(frozen=True)
class Kept:
    """The results of one layout, as this version of the program reads it."""

    folder: Path
    reader: str
    """The digest of all that readings depend on besides the files."""
    secret: bytes = b""
    """The user's own key: an entry that was not signed with it is none."""

    @classmethod
    def of(cls, layout: str, limits: object, folder: Path | None = None) -> Kept | None:
        """The results by a layout, given its digest, within some limits.

        None if the user can have no key: then nothing is kept, and nothing that is there is taken.
        """
        secret = own_key()
        reader = _digest(f"{layout} {limits!r} {_program()}".encode())
        return cls(folder or kept_folder(), reader.hex(), secret) if secret else None

    def key(self, source: SourceFile, digest: str) -> str:
        """What tells the result of a file with some content from all others."""
        about = (
            self.reader, digest, source.name, source.folder, source.unmatched,
            sorted(source.captured.items()),
        )  # fmt: skip
        return _digest(repr(about).encode()).hex()[:48]

    def path(self, source: SourceFile, digest: str) -> Path:
        """Where the result of a file with some content is kept."""
        name = self.key(source, digest)
        return self.folder / name[:2] / name[2:]

    def find(
        self, source: SourceFile, digest: str, again: Callable[[], FileReading]
    ) -> FileReading | None:
        """The result of a file; None if there is none, or it is damaged.

        Its records are loaded once asked for; `again` reads the file should they be damaged.
        """
        path = self.path(source, digest)
        try:
            with open_regular(path) as stream:
                lead = stream.read(_LEADS)
                size = int.from_bytes(lead[len(_HEAD) : len(_HEAD) + 8], "big")
                head = stream.read(size) if lead.startswith(_HEAD) else b""
            if len(head) != size or not self._signed(head, lead[-2 * _DIGEST : -_DIGEST]):
                return None
            body = _Stored(path, size, lead[-_DIGEST:], self.secret, again)
            found = _read_head(head, body)
            os.utime(path)
        except (OSError, ValueError, KeyError, TypeError, OverflowError):
            return None
        return found

    def keep(self, source: SourceFile, digest: str, result: Packed) -> bool:
        """Keep the result of a file; whether that was possible, which it need not be."""
        path = self.path(source, digest)
        beside = path.with_name(f"{path.name}.{secrets.token_hex(4)}.part")
        head, body = result.head, result.body
        signed = _digest(head, self.secret) + _digest(body, self.secret)
        lead = _HEAD + len(head).to_bytes(8, "big") + signed
        try:
            make_own(path.parent)
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

    def _signed(self, content: bytes, digest: bytes) -> bool:
        return hmac.compare_digest(_digest(content, self.secret), digest)


def kept_size(folder: Path) -> tuple[int, int]:
    """How many results a folder holds, and their bytes."""
    sizes = [size for _, size, _ in _entries(folder)]
    return len(sizes), sum(sizes)


def clear(folder: Path, largest: int = 0) -> None:
    """Delete results until a folder holds at most so many bytes: those unused longest first."""
    entries = sorted(_entries(folder), key=lambda one: one[2])
    total = sum(size for _, size, _ in entries)
    for path, size, _ in entries:
        if total <= largest:
            return
        with suppress(OSError):
            path.unlink()
        total -= size


def _entries(folder: Path) -> Iterator[tuple[Path, int, float]]:
    """Each result: where it is, its bytes, and when it was used last."""
    for path in folder.glob("??/*"):
        with suppress(OSError):
            found = path.stat()
            yield path, found.st_size, found.st_mtime


@cache
def _program() -> str:
    """What tells this version of the program, and of what it reads with, from others."""
    home = Path(__file__).parents[1]
    files = sorted(home.glob("**/*.py"))
    code = [(path.name, path.stat().st_size, path.stat().st_mtime_ns) for path in files]
    others = [(name, version(name)) for name in ("python-calamine", "pyarrow", "babel")]
    return repr((__version__, sys.version_info[:2], others, code))


def _digest(content: bytes, secret: bytes = b"") -> bytes:
    return hashlib.blake2b(content, digest_size=_DIGEST, key=secret).digest()


# --- the two parts of an entry -------------------------------------------------------------------


@dataclass(frozen=True)
class Packed:
    """A reading as bytes: small, to be kept or sent."""

    head: bytes
    body: bytes

    def reading(self) -> FileReading:
        """The reading; its records are unpacked once asked for."""
        return _read_head(self.head, self)

    @property
    def content(self) -> pa.Buffer:
        """The bytes of all records."""
        return pa.py_buffer(self.body)

    def anew(self, tab: int, table: str) -> pa.RecordBatch:
        """Nothing in memory is damaged."""
        raise AssertionError(tab, table)


def packed(reading: FileReading) -> Packed:
    """A reading as bytes."""
    sink = pa.BufferOutputStream()
    options = pa.ipc.IpcWriteOptions(compression="lz4")
    tabs: list[dict[str, Any]] = []
    for tab in reading.tabs:
        parts: dict[str, tuple[int, int]] = {}
        for table, batch in tab.tables.items():
            start = sink.tell()
            with pa.ipc.new_stream(sink, batch.schema, options=options) as writer:
                writer.write_batch(batch)
            parts[table] = (start, sink.tell())
        tabs.append(
            {
                "name": tab.name,
                "parts": parts,
                "filled": tab.account.filled,
                "roles": {role.name: count for role, count in tab.account.roles.items()},
                "left_out": tab.account.left_out,
                "form": tab.form,
                "heads": tab.heads,
                "totals": vars(tab.totals),
                "records": tab.record_count,
                "facts": {
                    **vars(tab.facts),
                    "stamps": _plain(tab.facts.stamps),
                    "from_tab": sorted(tab.facts.from_tab),
                },
            }
        )
    head = {
        "name": reading.name,
        "size": reading.size,
        "digest": reading.digest,
        "read": reading.read,
        "tabs": tabs,
        "other_tabs": reading.other_tabs,
        "patterns": reading.patterns,
        "findings": [vars(one) for one in reading.findings],
        "unplaced": base64.b64encode(reading.unplaced.packed()).decode("ascii"),
        "read_as": reading.read_as,
        "guessed": reading.guessed,
    }
    return Packed(json.dumps(head, ensure_ascii=False).encode(), sink.getvalue().to_pybytes())


def _read_head(packed_head: bytes, body: _Body) -> FileReading:
    head = json.loads(packed_head)
    tabs = tuple(
        TabResult(
            one["name"],
            _Tables(body, at, one["parts"]),
            Account(
                one["filled"],
                {Role[name]: count for name, count in one["roles"].items()},
                one["left_out"],
            ),
            one["form"],
            one["heads"],
            TotalsCount(**one["totals"]),
            _facts(one["facts"]),
            one["records"],
        )
        for at, one in enumerate(head["tabs"])
    )
    return FileReading(
        head["name"],
        head["size"],
        head["digest"],
        tabs,
        head["other_tabs"],
        tuple(head["patterns"]),
        tuple(Finding(**one) for one in head["findings"]),
        UnplacedCells.unpacked(base64.b64decode(head["unplaced"])),
        head["read"],
        head["read_as"],
        head["guessed"],
    )


def _facts(stored: Mapping[str, Any]) -> TabFacts:
    return TabFacts(
        **{
            **stored,
            "stamps": _meant(stored["stamps"]),
            "from_tab": frozenset(stored["from_tab"]),
            "beside": {name: (label, cell) for name, (label, cell) in stored["beside"].items()},
            "texts": tuple((row, column, text) for row, column, text in stored["texts"]),
            "largest": {
                name: tuple((number, cell) for number, cell in some)
                for name, some in stored["largest"].items()
            },
            "empty": tuple(stored["empty"]),
            "by_position": {key: tuple(one) for key, one in stored["by_position"].items()},
        }
    )


_KINDS: Mapping[str, tuple[type, Callable[[str], object]]] = {
    "datetime": (datetime, datetime.fromisoformat),
    "date": (date, date.fromisoformat),
    "time": (time, time.fromisoformat),
    "decimal": (Decimal, Decimal),
}
"""Values that JSON does not know: written as their kind and their text; a datetime is a date."""


def _plain(values: Mapping[str, object]) -> dict[str, object]:
    return {
        name: next(
            ([kind, str(one)] for kind, (known, _) in _KINDS.items() if isinstance(one, known)), one
        )
        for name, one in values.items()
    }


def _meant(values: Mapping[str, Any]) -> dict[str, object]:
    return {
        name: _KINDS[one[0]][1](one[1]) if isinstance(one, list) else one
        for name, one in values.items()
    }


class _Body(Protocol):
    """Where the records of a reading are."""

    @property
    def content(self) -> pa.Buffer | None:
        """The bytes of all records; None if they are damaged."""

    def anew(self, tab: int, table: str) -> pa.RecordBatch:
        """The records of a table of a tab, read once more."""


class _Stored:
    """The records of an entry, loaded once asked for."""

    def __init__(
        self,
        path: Path,
        head: int,
        digest: bytes,
        secret: bytes,
        again: Callable[[], FileReading],
    ) -> None:
        self._path, self._start, self._again = path, _LEADS + head, again
        self._digest, self._secret = digest, secret

    @cached_property
    def content(self) -> pa.Buffer | None:
        """The bytes of all records; None if they are damaged."""
        try:
            with open_regular(self._path) as stream:
                stream.seek(self._start)
                found = stream.read()
        except OSError:
            return None
        same = hmac.compare_digest(_digest(found, self._secret), self._digest)
        return pa.py_buffer(found) if same else None

    def anew(self, tab: int, table: str) -> pa.RecordBatch:
        """The records of a table of a tab, from the file once more."""
        return self._reading.tabs[tab].tables[table]

    @cached_property
    def _reading(self) -> FileReading:
        return self._again()


class _Tables(Mapping[str, pa.RecordBatch]):
    """The records of a tab by output table."""

    def __init__(self, body: _Body, tab: int, parts: Mapping[str, tuple[int, int]]) -> None:
        self._body, self._tab, self._parts = body, tab, parts

    def __getitem__(self, table: str) -> pa.RecordBatch:
        start, end = self._parts[table]
        content = self._body.content
        if content is None:
            return self._body.anew(self._tab, table)
        with pa.ipc.open_stream(content.slice(start, end - start)) as reader:
            return reader.read_next_batch()

    def __iter__(self) -> Iterator[str]:
        return iter(self._parts)

    def __len__(self) -> int:
        return len(self._parts)
