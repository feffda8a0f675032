"""Files of a server copied into a folder of the user's own: each once, until it changes."""

from __future__ import annotations

import errno
import hashlib
import json
import secrets
import threading
from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext, suppress
from dataclasses import dataclass, replace
from pathlib import Path

from boreotabula.batch.private_files import make_own
from boreotabula.batch.remote.address import fetched_folder, mirror_of, without_password
from boreotabula.batch.remote.bounds import Coming
from boreotabula.batch.remote.listing import (
    PAUSES,
    Entry,
    has_mark,
    is_final,
    is_safe,
    listed,
    pause_for,
    stamp_of,
    with_marks,
)
from boreotabula.batch.remote.mirror import Mirror, names_below
from boreotabula.batch.remote.places import RemoteFolder, open_place, reason
from boreotabula.errors import CallError
from boreotabula.files import written_name

_MEBI = 1024**2


@dataclass(frozen=True)
class Fetched:
    """How much was fetched, and how much there is."""

    files: int = 0
    of: int = 0
    bytes: int = 0

    def __add__(self, other_fetch: Fetched) -> Fetched:
        """The sums of both."""
        return Fetched(
            self.files + other_fetch.files, self.of + other_fetch.of, self.bytes + other_fetch.bytes
        )

    @property
    def said(self) -> str:
        """The amounts in words; empty if nothing is on servers."""
        size = f", {self.bytes / _MEBI:,.1f} MiB" if self.files else ""
        return f"{self.files:,} of {self.of:,} files from servers{size}" if self.of else ""


@dataclass(frozen=True)
class Mirrored:
    """The results for the files of an address, by their paths below it as texts have them."""

    fetched: Fetched
    failed: Mapping[str, str]
    """Why files could not be fetched; their kept copies are deleted."""
    passed: Sequence[str]
    """Files that were not wanted."""
    here: frozenset[str] = frozenset()
    """Wanted files whose local copies are up to date."""


def fetch(
    url: str, wanted: Callable[[str], bool], on_file: Callable[[str, Path], None] | None = None
) -> Mirrored:
    """Fetch the files below an address that are wanted and are new or changed.

    `on_file` is called for each, with its path there and here. Raises CallError if they cannot be
    listed.
    """
    place = open_place(url)
    try:
        return _fetch(place, url, wanted, on_file)
    finally:
        # Whatever closing fails of, the files are here.
        with suppress(Exception):
            place.close()


@dataclass(frozen=True)
class RemoteFile:
    """A file on a server, as listed: its reader fetches it. Picklable."""

    url: str
    """The address of the folder."""
    name: str
    """Its path below the folder."""
    entry: Entry


def list_files(url: str, wanted: Callable[[str], bool]) -> tuple[dict[str, RemoteFile], Mirrored]:
    """The wanted files below an address, by their paths there, without fetching them.

    Raises CallError if they cannot be listed.
    """
    place = open_place(url)
    try:
        there = listed(place, url)
        chosen, failed, passed = _sorted(there, wanted)
        chosen = with_marks(place, chosen)
    finally:
        with suppress(Exception):
            place.close()
    # As texts, since an entry may hold objects of the library that cannot be sent to another
    # process.
    plain = {
        name: {key: str(value) if key != "size" else value for key, value in entry.items()}
        for name, entry in chosen.items()
    }
    return (
        {written_name(name): RemoteFile(url, name, entry) for name, entry in plain.items()},
        _mirrored(Fetched(), failed, passed),
    )


_PLACES: dict[str, tuple[RemoteFolder, threading.Lock]] = {}
"""The servers to which this process is connected."""


def fetch_one(file: RemoteFile) -> tuple[Path, int]:
    """Fetch a file, unless the local copy is up to date; returns its path, and the bytes that came.

    Raises OSError with the reason, and CallError if the server cannot be reached.
    """
    # Part of the name is how the file was listed: once it changes it is another file here.
    about = json.dumps([without_password(file.url), file.name, stamp_of(file.entry)])
    digest = hashlib.sha256(about.encode()).hexdigest()
    folder = fetched_folder() / "single" / digest[:2] / digest[2:32]
    name = file.name.rpartition("/")[2]
    if (folder / name).is_file():
        return folder / name, 0
    if file.url not in _PLACES:
        _PLACES[file.url] = open_place(file.url), threading.Lock()
    place, lock = _PLACES[file.url]
    # Such a server has one session, which two threads must not share.
    with lock if place.at_once == 1 else nullcontext():
        fetched = _fetched(place, file.entry, name, Mirror(folder))
    if isinstance(fetched, str):
        raise OSError(errno.EIO, fetched)
    return folder / name, fetched[0]


def fetched_here(url: str) -> tuple[Path, Mirrored]:
    """The local copy of an address, a folder or file, once it is fetched, and the results for its
    files.

    Raises CallError if it does not exist.
    """
    place = open_place(url)
    try:
        root = place.root.rstrip("/")
        single = _is_file(place)
        if not single:
            return mirror_of(url), _fetch(place, url, lambda _: True)
        # The address may be that of a file: then its folder is listed for this one name.
        above, _, name = root.rpartition("/")
        folder = replace(place, root=above or "/")
        mirrored = _fetch(folder, url, lambda text: text == written_name(name))
        if written_name(name) in mirrored.here or not place.quoted:
            return mirror_of(url) / name, mirrored
    finally:
        with suppress(Exception):
            place.close()
    # A page that lists files may be named without the “/” at its end.
    try:
        return fetched_here(f"{url}/")
    except CallError as error:
        if isinstance(error.__cause__ or error.__context__, FileNotFoundError):
            raise CallError(f"“{without_password(url)}”: there is no such file or page") from None
        raise


def _is_file(place: RemoteFolder) -> bool:
    if place.quoted:  # there everything is a file
        return not place.root.endswith("/")
    try:
        return bool(place.system.isfile(place.root))
    except Exception:  # noqa: BLE001  # what is wrong is told when it is listed
        return False


def _fetch(
    place: RemoteFolder,
    url: str,
    wanted: Callable[[str], bool],
    on_file: Callable[[str, Path], None] | None = None,
) -> Mirrored:
    there = listed(place, url)
    mirror = Mirror.of(url)
    chosen, failed, passed = _sorted(there, wanted)
    # What this run does not want may be what another one reads just now.
    for name in [*mirror.known, *names_below(mirror.folder)]:
        if name not in there:
            mirror.drop(name)
    # Only those that are wanted are asked for by themselves.
    chosen = with_marks(place, chosen)
    new = [
        name
        for name, entry in chosen.items()
        # Without a time or tag nothing says that a file has not changed, so it is fetched anew.
        if not (has_mark(entry) and mirror.has(name, stamp_of(entry)))
    ]
    # Asked once for the first file: where lists tell the same, one question for each file is
    # saved.
    mirror.listed_alike = bool(new) and _tells_the_same(place, chosen[new[0]])
    total = 0
    with ThreadPoolExecutor(place.at_once) as pool:
        # The map keeps the order, so that results are told in the order of names.
        results = pool.map(lambda name: _fetched(place, chosen[name], name, mirror), new)
        for name, result in zip(new, results, strict=True):
            if isinstance(result, str):
                failed[name] = result
                # What was here of it is out of date, and must not be read as if it were the file.
                mirror.drop(name)
            else:
                size, mirror.known[name] = result
                total += size
                if on_file is not None:
                    on_file(written_name(name), mirror.folder / name)
    mirror.save(there)
    fetched = Fetched(sum(name not in failed for name in new), len(chosen), total)
    return _mirrored(fetched, failed, passed, chosen.keys() - failed.keys())


def _mirrored(
    fetched: Fetched, failed: Mapping[str, str], passed: Sequence[str], texts: Collection[str] = ()
) -> Mirrored:
    return Mirrored(
        fetched,
        {written_name(name): why for name, why in failed.items()},
        [written_name(name) for name in passed],
        frozenset(map(written_name, texts)),
    )


def _sorted(
    there: Mapping[str, Entry], wanted: Callable[[str], bool]
) -> tuple[dict[str, Entry], dict[str, str], list[str]]:
    """The files to fetch, those that cannot be fetched and why, and those that are not wanted."""
    chosen = {
        name: entry for name, entry in there.items() if wanted(written_name(name)) and is_safe(name)
    }
    failed = {name: "its name leads out of the folder" for name in there if not is_safe(name)}
    return chosen, failed, [name for name in there if name not in chosen and name not in failed]


_MOST_LOST = 3
"""After this many consecutive failures the server is asked whether it is there, and each further
file is tried once."""


def _fetched(place: RemoteFolder, entry: Entry, name: str, mirror: Mirror) -> tuple[int, str] | str:
    """Fetch a file; returns its size and stamp, or why it failed."""
    why = "the server does not answer any more"
    # After several lost files the server is most likely gone; waiting at each further one would
    # take hours.
    for pause in (*PAUSES, None) if mirror.lost < _MOST_LOST else (None,):
        if mirror.lost >= _MOST_LOST and not _answers(place, mirror):
            return why
        try:
            size, why = _once(place, entry, mirror, name)
            if not why:
                mirror.lost = 0
                return size, stamp_of(entry)
        except Exception as error:  # noqa: BLE001  # each system has errors of its own
            why = reason(error)
            if is_final(error):
                return why
        if pause is not None:
            pause_for(pause)
            with suppress(Exception):
                place.again()
    mirror.lost += 1
    return why


def _answers(place: RemoteFolder, mirror: Mirror) -> bool:
    """Whether a server that gave no file is there at all: files may fail for their own reasons."""
    if not mirror.is_silent:
        try:
            place.system.invalidate_cache()
            place.system.info(place.root)
        except Exception:  # noqa: BLE001  # each system has errors of its own
            mirror.is_silent = True
    return not mirror.is_silent


def _tells_the_same(place: RemoteFolder, entry: Entry) -> bool:
    try:
        return stamp_of(place.system.info(entry["name"])) == stamp_of(entry)
    except Exception:  # noqa: BLE001  # then each file is asked for twice
        return False


def _get(place: RemoteFolder, entry: Entry, target: Path) -> None:
    """Fetch a file, as long as no more comes than the server announced."""
    from fsspec.callbacks import Callback

    coming = Coming(entry.get("size"))

    class Counting(Callback):  # type: ignore[misc]
        def relative_update(self, inc: int = 1) -> None:
            coming.more(inc)

    place.system.get_file(entry["name"], str(target), callback=Counting())


def _once(place: RemoteFolder, entry: Entry, mirror: Mirror, name: str) -> tuple[int, str]:
    """Fetch a file into place, whole or not at all; returns its size, and what was wrong."""
    target = mirror.folder / name
    make_own(target.parent)
    beside = target.with_name(f".{secrets.token_hex(8)}.part")
    try:
        # Asked before and after: a file that is replaced meanwhile would be half of each.
        before = stamp_of(entry if mirror.listed_alike else place.system.info(entry["name"]))
        _get(place, entry, beside)
        size = beside.stat().st_size
        place.system.invalidate_cache()
        after = place.system.info(entry["name"])
        if stamp_of(after) != before:
            mirror.listed_alike = False  # what the list told of it is of no use any more
            return size, "it changed while it was fetched"
        # Some libraries end without an error when the connection is cut.
        if after.get("size") not in (None, size):
            return size, f"it was cut short: {size:,} of {after['size']:,} bytes came"
        beside.chmod(0o600)
        beside.replace(target)
        return size, ""
    finally:
        with suppress(OSError):
            beside.unlink()
