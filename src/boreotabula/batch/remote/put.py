"""An output on a server: made here, then moved into place there, each file whole or not at all."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from boreotabula.batch.private_files import make_own
from boreotabula.batch.remote.address import made_folder, without_password
from boreotabula.batch.remote.places import RemoteFolder, open_place, reason
from boreotabula.errors import CallError


@dataclass(frozen=True)
class RemoteOutput:
    """An output on a server, and the local folder in which it is made."""

    url: str

    @property
    def shown(self) -> str:
        """Its address for display."""
        return without_password(self.url)

    @property
    def here(self) -> Path:
        """Where it is made: below the cache, so that the next run finds it."""
        folder, _, name = self.shown.rpartition("/")
        digest = hashlib.sha256(folder.encode()).hexdigest()[:24]
        return made_folder() / digest / name

    def take(self, run_folder: Path) -> bool:
        """Take over the output of the run before from the server; returns whether there is one.

        Only files that differ from the local ones are fetched. Raises CallError if the server does
        not answer.
        """
        make_own(self.here.parent)
        with self._place() as place:
            folder = place.root.rpartition("/")[0]
            # On stores of objects folders do not exist.
            if place.rename is not None and folder and not place.system.isdir(folder):
                where = self.shown.rpartition("/")[0]
                raise CallError(f"there is no folder “{where}” to write “{self.here.name}” into")
            position = _size(place, place.root)
            record = f"{place.root.rpartition('/')[0]}/{run_folder.name}/run.json"
            if position is None or _size(place, record) is None:
                # A record here without an output there would say that nothing needs to be
                # written.
                self.here.unlink(missing_ok=True)  # what is here belongs to nothing there
                (run_folder / "run.json").unlink(missing_ok=True)
                return position is not None
            make_own(run_folder)
            current_path = run_folder / "run.json"
            before = current_path.read_bytes() if current_path.is_file() else b""
            _get(place, record, current_path)
            # The record has changed only if another machine wrote the output meanwhile.
            same = before == current_path.read_bytes()
            if not (same and self.here.is_file() and self.here.stat().st_size == position):
                _get(place, place.root, self.here)
        return True

    def put(self, run_folder: Path) -> None:
        """Move the output and the files of its run into place. Raises CallError if that cannot be
        done."""
        with self._place() as place:
            above = place.root.rpartition("/")[0]
            _put(place, self.here, place.root)
            if place.rename is not None:
                place.system.makedirs(f"{above}/{run_folder.name}", exist_ok=True)
            # In this order a reader never sees a record of files that are not there yet.
            files = sorted(run_folder.iterdir(), key=lambda path: path.name == "run.json")
            for file in files:  # the record comes last: it speaks of all others
                _put(place, file, f"{above}/{run_folder.name}/{file.name}")

    @contextmanager
    def _place(self) -> Iterator[RemoteFolder]:
        place = open_place(self.url)
        try:
            yield place
        except CallError:
            raise
        except Exception as error:  # noqa: BLE001  # each system has errors of its own
            raise CallError(
                f"“{self.shown}” cannot be written: {reason(error)}; if it was made, it lies at"
                f" “{self.here}”"
            ) from None
        finally:
            with suppress(Exception):
                place.close()


def _size(place: RemoteFolder, path: str) -> int | None:
    """The bytes of a file on a server; None if there is none."""
    place.system.invalidate_cache()
    try:
        values: dict[str, Any] = place.system.info(path)
    except FileNotFoundError:
        return None
    return int(values.get("size") or 0) if values.get("type") != "directory" else None


def _get(place: RemoteFolder, path: str, target: Path) -> None:
    beside = target.with_name(f".{secrets.token_hex(8)}.part")
    try:
        place.system.get_file(path, str(beside))
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def _put(place: RemoteFolder, source: Path, target: str) -> None:
    """Put a file in place, whole or not at all."""
    folder, _, name = target.rpartition("/")
    beside = f"{folder}/.{name}.{secrets.token_hex(4)}.part" if place.rename else target
    try:
        place.system.put_file(str(source), beside)
        # Before it is moved into place: a connection may be cut without an error.
        _check_came(_size(place, beside), source)
        if place.rename:
            place.rename(beside, target)
    except BaseException:
        if place.rename:
            # What is left of it has a name that no run reads.
            with suppress(Exception):
                place.system.rm_file(beside)
        raise


def _check_came(came: int | None, source: Path) -> None:
    """Raises OSError if a file on the server is incomplete."""
    if came != source.stat().st_size:
        raise OSError(f"{came or 0:,} of {source.stat().st_size:,} bytes of {source.name} came")
