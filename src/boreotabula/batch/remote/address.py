"""Addresses of folders on servers: which part may be shown, and where their files are kept."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path
from urllib.parse import quote, unquote, urlsplit, urlunsplit

from boreotabula.batch.private_files import cache_folder
from boreotabula.errors import CallError

_FORM = re.compile(r"[a-z][a-z0-9+.-]+://", re.IGNORECASE)


def is_remote(text: str) -> bool:
    """Whether a text is an address and no path: 'C:\\reports' is a path.

    Raises CallError for an address that cannot be parsed.
    """
    if _FORM.match(text) is None:
        return False
    try:
        urlsplit(text).port  # noqa: B018  # looks at the host and the port
    except ValueError as error:
        # A password may be anywhere in it: nothing of it is shown.
        scheme = text.partition(":")[0]
        raise CallError(f"an address “{scheme}://…” is not written as one: {error}") from None
    return True


def has_password(url: str) -> bool:
    """Whether an address holds a password."""
    return urlsplit(url).password is not None


def without_password(url: str) -> str:
    """An address for display: without a password."""
    parts = urlsplit(url)
    # All before the last “@” is name and password, which may hold an “@” themselves.
    host = parts.netloc.rpartition("@")[2]
    user = quote(unquote(parts.username)) + "@" if parts.username else ""
    return urlunsplit((parts.scheme, user + host, parts.path, "", ""))


_NAMED: dict[Path, str] = {}
"""The addresses of this call, by the folders that stand for them."""


def fetched_folder() -> Path:
    """Where the files of all servers are kept."""
    return cache_folder() / "remote"


def made_folder() -> Path:
    """Where outputs for servers are written."""
    return cache_folder() / "outputs"


def mirror_of(url: str) -> Path:
    """The folder that the files of an address are fetched into."""
    # Without the password, so that a new one does not fetch everything again.
    digest = hashlib.sha256(without_password(url).rstrip("/").encode()).hexdigest()[:24]
    folder = fetched_folder() / digest / "files"
    _NAMED[folder] = without_password(url)
    return folder


def as_named(folder: Path) -> str:
    """A folder as it was named in this call: by its address, if it stands for one."""
    return _NAMED.get(folder) or folder.as_posix()
