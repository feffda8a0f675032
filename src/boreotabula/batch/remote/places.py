"""Connections to servers: the file system of an address, and its credentials."""

from __future__ import annotations

import netrc
import os
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote, urlsplit

from boreotabula.batch.remote.address import without_password
from boreotabula.batch.remote.bounds import MOST_OF_LIST, SECONDS
from boreotabula.errors import CallError

USER, PASSWORD = "BOREOTABULA_USER", "BOREOTABULA_PASSWORD"  # the names of variables
_CHUNK = 4 * 1024**2
HOST = "BOREOTABULA_HOST"
"""The environment variable that names the only host for user and password."""
KNOWN_HOSTS = "BOREOTABULA_KNOWN_HOSTS"
"""The environment variable that names an additional file of SSH host keys."""
_OBJECT_STORES = ("s3", "s3a", "gs", "gcs", "abfs", "abfss", "az", "adl", "oss", "obs", "oci")
"""Systems on which a file appears only once it is complete, and cannot be moved."""


@dataclass(frozen=True)
class RemoteFolder:
    """A folder of a file system."""

    system: Any
    root: str
    at_once: int = 4
    """This many files may be fetched at the same time."""
    close: Callable[[], object] = lambda: None
    """Closes the connection."""
    again: Callable[[], object] = lambda: None
    """Connects again, after a connection is lost."""
    quoted: bool = False
    """Whether its names are parts of addresses, percent-encoded, as on a page of links."""
    rename: Callable[[str, str], object] | None = None
    """Moves a file onto another; None if a file appears only once it is complete."""


def open_place(url: str) -> RemoteFolder:
    """The folder of an address. Raises CallError if it cannot be opened."""
    scheme = urlsplit(url).scheme.lower()
    try:
        import fsspec  # noqa: F401  # an extra of the package

        if scheme in ("webdav", "webdavs"):
            return _webdav(url, "https" if scheme == "webdavs" else "http")
        if scheme in ("sftp", "ssh"):
            return _sftp(url)
        return _any(url)
    except ImportError as error:
        raise CallError(
            f"“{without_password(url)}”: files on servers need more: pip install"
            f' "boreotabula[remote]" ({error.name or error})'
        ) from None
    except Exception as error:  # noqa: BLE001  # each of those systems has errors of its own
        raise CallError(f"“{without_password(url)}” cannot be opened: {reason(error)}") from None


def reason(error: BaseException) -> str:
    """Why something failed, on one line and without secrets."""
    first: BaseException | None = error
    # Our own refusal is wrapped by the libraries that it passes through.
    while first is not None and not isinstance(first, CallError):
        first = first.__cause__ or first.__context__
    text = " ".join(str(first or error).split()) or type(error).__name__
    # Some libraries write the whole address into their errors.
    for secret in filter(None, (os.environ.get(PASSWORD),)):
        text = text.replace(secret, "…")
    return text[:300]


def credentials(url: str) -> tuple[str, str] | None:
    """User and password for a host: from the environment if they are for this host, else from the
    netrc file (NETRC).

    Raises CallError if the environment does not say for which host its values are.
    """
    parts = urlsplit(url)
    host = os.environ.get(HOST, "")
    password = os.environ.get(PASSWORD)
    # Sent to any host that is named, the password could be read by whoever wrote the layout.
    if password and not host:
        raise CallError(
            f"{PASSWORD} is set, but not for which host it is: set {HOST} to “{parts.hostname}” if"
            " it is for this one"
        )
    is_for_it = host.casefold() in _hosts(parts.hostname or "", parts.port)
    user = unquote(parts.username) if parts.username else ""
    if is_for_it:
        user = user or os.environ.get(USER, "")
        if password:
            return user, password
    path = Path(os.environ.get("NETRC") or Path.home() / ".netrc")
    try:
        result = netrc.netrc(str(path)).authenticators(parts.hostname or "")
    except (OSError, netrc.NetrcParseError):
        result = None
    return (user or result[0], result[2] or "") if result else None


def _hosts(host: str, port: int | None) -> set[str]:
    """The ways to write a host, with its port or without."""
    return {host.casefold(), f"{host.casefold()}:{port}"} if host else set()


def _refuse_other(start: str, target: str) -> None:
    """Raises CallError if a server redirects to another one, which would see the user's password,
    and which nobody has named."""
    first, last = urlsplit(start), urlsplit(target)
    # Another port may be another server, too.
    if (first.scheme, first.netloc) != (last.scheme, last.netloc):
        raise CallError(
            f"“{first.hostname}” sends on to another server, “{last.scheme}://{last.hostname}”; if"
            " the files are meant to come from there, name that address"
        )


def _webdav(url: str, scheme: str) -> RemoteFolder:
    import httpx
    from webdav4.client import Client
    from webdav4.fsspec import WebdavFileSystem

    parts = urlsplit(url)
    host = parts.netloc.rpartition("@")[2]

    def refuse_other(response: httpx.Response) -> None:
        if response.next_request is not None:
            _refuse_other(str(response.request.url), str(response.next_request.url))
        elif response.has_redirect_location:
            target = response.request.url.join(response.headers["location"])
            _refuse_other(str(response.request.url), str(target))

    class Exact(Client):  # type: ignore[misc]
        """A client that takes names literally: “#”, “?” and “%” are no parts of an address."""

        def join_url(self, path: str, add_trailing_slash: bool = False) -> Any:
            return super().join_url(quote(path), add_trailing_slash)

    client = Exact(
        f"{scheme}://{host}/", auth=credentials(url), timeout=SECONDS, chunk_size=_CHUNK,
        event_hooks={"response": [refuse_other]},
    )  # fmt: skip
    system = WebdavFileSystem(client.base_url, client=client, skip_instance_cache=True)
    return RemoteFolder(
        system,
        unquote(parts.path).strip("/"),
        close=system.client.http.close,
        rename=partial(system.client.move, overwrite=True),
    )


def _sftp(url: str) -> RemoteFolder:
    import paramiko
    from fsspec.implementations.sftp import SFTPFileSystem

    class KnownHosts(SFTPFileSystem):  # type: ignore[misc]
        """SFTP to hosts whose key is known: others could be anyone."""

        def _connect(self) -> None:
            self.client = paramiko.SSHClient()
            self.client.load_system_host_keys()
            if further := os.environ.get(KNOWN_HOSTS):
                self.client.load_host_keys(further)
            # A key that is not known is refused and not learned: whoever answers first could be
            # anyone.
            self.client.set_missing_host_key_policy(paramiko.RejectPolicy())
            self.client.connect(self.host, **self.ssh_kwargs)
            self.ftp = self.client.open_sftp()
            self.ftp.get_channel().settimeout(SECONDS)

        def close(self) -> None:
            """Close the connection."""
            self.ftp.close()
            self.client.close()

        def again(self) -> None:
            """Connect again."""
            self.close()
            self._connect()

    parts = urlsplit(url)
    place = credentials(url)
    values: dict[str, object] = {"password": place[1]} if place and place[1] else {}
    user = (place and place[0]) or (unquote(parts.username) if parts.username else None)
    system = KnownHosts(
        parts.hostname or "", port=parts.port or 22, username=user, timeout=SECONDS,
        banner_timeout=SECONDS, auth_timeout=SECONDS, skip_instance_cache=True, **values,
    )  # fmt: skip
    # The protocol would allow more, but the library's session is not safe for threads.
    # One session fetches one file after the other.
    root = unquote(parts.path).rstrip("/") or "/"
    return RemoteFolder(system, root, 1, system.close, system.again, rename=system.mv)


def _any(url: str) -> RemoteFolder:
    from fsspec.core import url_to_fs

    options: dict[str, object] = {"skip_instance_cache": True}
    scheme = urlsplit(url).scheme.lower()
    if scheme in ("http", "https"):
        options["client_kwargs"] = _of_client(url)
    system, root = url_to_fs(url, **options)
    # There a file appears only once it is whole, and a move would be a second upload.
    rename = None if scheme in _OBJECT_STORES else system.mv
    return RemoteFolder(system, str(root), quoted=scheme in ("http", "https"), rename=rename)


def _of_client(url: str) -> dict[str, object]:
    """The settings of a client of web pages: credentials, and no redirects to other servers."""
    import aiohttp
    from yarl import URL

    async def refuse_other(_: object, __: object, seen: aiohttp.TraceRequestRedirectParams) -> None:
        location = seen.response.headers.get("Location") or seen.response.headers.get("URI") or ""
        _refuse_other(str(seen.url), str(seen.url.join(URL(location))))

    class Bounded(aiohttp.ClientResponse):
        """A page of links with a limited size; files are read piece by piece."""

        async def read(self) -> bytes:
            pieces, size = [], 0
            async for piece in self.content.iter_chunked(1024**2):
                size += len(piece)
                if size > MOST_OF_LIST:
                    raise CallError(f"its list is larger than {MOST_OF_LIST:,} bytes")
                pieces.append(piece)
            self._body = b"".join(pieces)
            return self._body

    watching = aiohttp.TraceConfig()
    watching.on_request_redirect.append(refuse_other)
    values: dict[str, object] = {
        "trace_configs": [watching],
        "response_class": Bounded,
        "timeout": aiohttp.ClientTimeout(total=None, sock_connect=SECONDS, sock_read=SECONDS),
    }
    if place := credentials(url):
        values["auth"] = aiohttp.BasicAuth(*place)
    return values
