"""The address of a database on a server: what of it may be seen, and where its run is recorded."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote, unquote, urlsplit, urlunsplit

from boreotabula.errors import CallError

SCHEMES = ("postgresql", "postgres")
_FORM = re.compile(r"[a-z][a-z0-9+.-]*://", re.IGNORECASE)
RECORDED = ".postgresql"
"""The ending of the name under which a run into a server is recorded."""


@dataclass(frozen=True)
class DatabaseAddress:
    """A database on a server. Its password is in the address or known to the environment."""

    url: str

    def __post_init__(self) -> None:
        """Refuse what is no address of a database. Raises CallError."""
        parts = urlsplit(self.url)
        if parts.scheme.lower() not in SCHEMES or not self.database:
            raise CallError(f"“{self}”: records go into a database such as postgresql://host/name")

    def __str__(self) -> str:
        """The address without its password."""
        parts = urlsplit(self.url)
        user = parts.username or ""
        host = parts.netloc.rpartition("@")[2]
        where = f"{quote(unquote(user))}@{host}" if user else host
        query = re.sub(r"(?i)(password=)[^&]*", r"\1…", parts.query)
        return urlunsplit((parts.scheme, where, parts.path, query, ""))

    def __repr__(self) -> str:
        """As it may be seen."""
        return f"DatabaseAddress({str(self)!r})"

    @property
    def database(self) -> str:
        """The name of the database."""
        return unquote(urlsplit(self.url).path.strip("/"))

    @property
    def record(self) -> Path:
        """The path that the run folder is named after: in the folder of the call."""
        plain = re.sub(r"[^\w.-]+", "_", self.database)
        return Path(f"{plain}{RECORDED}")

    def hidden(self, text: str) -> str:
        """A message without the password."""
        known = [urlsplit(self.url).password, os.environ.get("PGPASSWORD")]
        for one in known:
            if one:
                text = text.replace(unquote(one), "…").replace(one, "…")
        return " ".join(text.split())


_NAMED: dict[str, DatabaseAddress] = {}
"""The databases that were named in this call, by what stands for them. Only here is a password."""


def path_of(url: str) -> Path:
    """The path that stands for a database on a server: its run is recorded beside it.

    Raises CallError if it is no such address.
    """
    address = DatabaseAddress(url)
    _NAMED[address.record.name] = address
    return address.record


def is_server(path: Path) -> bool:
    """Whether a path stands for a database on a server."""
    return path.name.endswith(RECORDED)


def address_of(path: Path, recorded: str = "") -> DatabaseAddress:
    """The database that a path stands for: as it was named in this call, else as a run has recorded
    it, without its password. Raises CallError if that is not known."""
    named = _NAMED.get(path.name)
    if named is not None:
        return named
    if not recorded:
        raise CallError(
            f"the database of “{path}” is not known; name its address, such as"
            " postgresql://host/name"
        )
    return DatabaseAddress(recorded)


def is_address(text: str) -> bool:
    """Whether a text is an address and no path."""
    return _FORM.match(text) is not None


def is_base_address(text: str) -> bool:
    """Whether a text is the address of a database on a server."""
    return is_address(text) and urlsplit(text).scheme.lower() in SCHEMES
