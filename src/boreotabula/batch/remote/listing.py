"""The list of a server's files, and what shows that each is unchanged."""

from __future__ import annotations

import json
import time
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import Any
from urllib.parse import unquote

from boreotabula.batch.remote.address import without_password
from boreotabula.batch.remote.bounds import find
from boreotabula.batch.remote.places import RemoteFolder, reason
from boreotabula.errors import CallError

Entry = Mapping[str, Any]
"""The listed details of a file."""


PAUSES = (0.5, 2.0, 5.0)
"""Seconds before another attempt."""


def pause_for(seconds: float) -> None:
    time.sleep(seconds)


def has_mark(entry: Entry) -> bool:
    """Whether the details of a file would differ after a change."""
    # The size alone does not tell: a figure may change into another of the same length.
    return stamp_of({**entry, "size": None}) != stamp_of({})


def with_marks(place: RemoteFolder, chosen: Mapping[str, Entry]) -> dict[str, Entry]:
    """The files with their details, each asked for where the list has none: a page of links has
    only names."""

    def asked(entry: Entry) -> Entry:
        if has_mark(entry):
            return entry
        with suppress(Exception):  # what is wrong is told when it is fetched
            return {**entry, **place.system.info(entry["name"])}
        return entry

    with ThreadPoolExecutor(place.at_once) as pool:
        return dict(zip(chosen, pool.map(asked, chosen.values()), strict=True))


def is_safe(name: str) -> bool:
    """Whether a name from a server stays within the folder that it is put into."""
    steps = name.split("/")
    return all(step not in ("", ".", "..") and "\\" not in step and "\x00" not in step
               for step in steps)  # fmt: skip


def listed(place: RemoteFolder, url: str) -> dict[str, Entry]:
    """All files below an address, by their paths there."""
    # Several tries, since a single lost packet should not end a run of an hour.
    for pause in (*PAUSES, None):
        try:
            result = _found(place)
        except Exception as error:  # noqa: BLE001  # each system has errors of its own
            if pause is None or is_final(error):
                raise CallError(
                    f"“{without_password(url)}” cannot be listed: {reason(error)}"
                ) from None
            pause_for(pause)
        else:
            break
    root = place.root.strip("/")
    below = f"{root}/" if root else ""
    files = {
        path.strip("/").removeprefix(below): entry
        for path, entry in sorted(result.items())
        # A list may name what lies elsewhere: “davx” is not below “dav”.
        if entry.get("type") == "file" and path.strip("/").startswith(below)
    }
    if not place.quoted:
        return files
    # A page links to other orders of itself too: "?C=M".
    return {unquote(name): entry for name, entry in files.items() if "?" not in name}


def _found(place: RemoteFolder) -> Mapping[str, Entry]:
    place.system.invalidate_cache()
    if not place.system.isdir(place.root):
        raise FileNotFoundError("there is no such folder")
    return find(place.system, place.root)


def is_final(error: BaseException) -> bool:
    """Whether another attempt is pointless."""
    # A file that is not there, or may not be read, will not be there in a second either.
    return isinstance(error, FileNotFoundError | PermissionError | CallError)


def stamp_of(entry: Entry) -> str:
    """What shows that a file is unchanged: its size, its time, its entity tag."""
    lowered = {str(key).lower(): value for key, value in entry.items()}
    times = ("mtime", "modified", "lastmodified", "last_modified", "last-modified", "updated")
    parts = [lowered.get("size"), next((lowered[text] for text in times if text in lowered), None)]
    return json.dumps([*map(str, parts), str(lowered.get("etag"))])
