"""The address of a database on a server, and the part of it that may be shown."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from urllib.parse import parse_qs, quote, unquote, urlsplit

from boreotabula.batch.remote.address import is_remote
from boreotabula.errors import CallError

SCHEMES = ("postgresql", "postgres")


@dataclass(frozen=True)
class DatabaseAddress:
    """A database on a server. Its password is in the address or in the environment."""

    url: str

    def __post_init__(self) -> None:
        """Refuse an invalid address of a database. Raises CallError."""
        parts = urlsplit(self.url)
        lower = parts.scheme.lower()
        # Libraries of the server know the scheme in small letters alone.
        object.__setattr__(self, "url", lower + self.url[len(lower) :])
        if lower not in SCHEMES or not self.database:
            raise CallError(f"“{self}”: records go into a database such as postgresql://host/name")

    def __str__(self) -> str:
        """The address without its password."""
        parts = urlsplit(self.url)
        user = parts.username or ""
        host = parts.netloc.rpartition("@")[2]
        where = f"{quote(unquote(user))}@{host}" if user else host
        query = re.sub(r"(?i)(password=)[^&]*", r"\1…", parts.query)
        return f"{parts.scheme}://{where}{parts.path}" + (f"?{query}" if query else "")

    def __repr__(self) -> str:
        """The form for display."""
        return f"DatabaseAddress({str(self)!r})"

    @property
    def database(self) -> str:
        """The name of the database, or of the service in the user's own list that names it."""
        parts = urlsplit(self.url)
        texts = parse_qs(parts.query)
        # The name may be given in three ways, as the libraries of the server take them.
        named = [*texts.get("dbname", ()), *texts.get("service", ())]
        return unquote(parts.path.strip("/")) or next(iter(named), "")

    @property
    def plain_name(self) -> str:
        """The name of the database, as the name of a folder."""
        return re.sub(r"[^\w.-]+", "_", self.database)

    def hidden(self, text: str) -> str:
        """A message without the password."""
        # A message of the server may repeat the whole address.
        known_texts = [urlsplit(self.url).password, os.environ.get("PGPASSWORD")]
        for one in known_texts:
            if one:
                text = text.replace(unquote(one), "…").replace(one, "…")
        return " ".join(text.split())


def is_base_address(text: str) -> bool:
    """Whether a text is the address of a database on a server."""
    return is_remote(text) and urlsplit(text).scheme.lower() in SCHEMES
