"""Layouts that were checked before, kept so that they need not be checked again.

An entry is one file: the digest of the rest by the user's own key, then the spec as a pickle. A
pickle can execute anything when it is loaded, so only one that this user's program has signed is
loaded. Its name, the digest of the layout's data and of the program, is signed with it.
"""

from __future__ import annotations

import os
import pickle
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from boreotabula.batch.atomic import atomic_write
from boreotabula.batch.private_files import LAYOUTS, cache_folder, is_own, make_own, own_key
from boreotabula.batch.signing import DIGEST, digest_of, is_signed, program_version
from boreotabula.files import open_regular
from boreotabula.layout.model import LayoutSpec


def checked_before(data: str, check: Callable[[], LayoutSpec]) -> LayoutSpec:
    """The spec of the data of a layout: the kept one, or the result of `check`, which is then kept.

    Where the user can have no key, or others may write into the folder, nothing is kept. Raises
    what `check` does.
    """
    # A folder that others may write into cannot be trusted with a pickle.
    folder = cache_folder()
    secret = own_key() if is_own(folder) else b""
    if not secret:
        return check()
    # With the version, since another one may check more.
    name = digest_of(f"{program_version()} {data}".encode()).hex()
    path = folder / LAYOUTS / name
    spec = _read_entry(path, name, secret)
    if spec is None:
        spec = check()
        _keep(spec, path, name, secret)
    return spec


def _read_entry(path: Path, name: str, secret: bytes) -> LayoutSpec | None:
    try:
        with open_regular(path) as stream:
            content = stream.read()
        os.utime(path)  # what was not used longest goes first
    except OSError:
        return None
    digest, body = content[:DIGEST], content[DIGEST:]
    # Loaded only after this: an unsigned pickle could run anything.
    if not is_signed(name.encode() + body, digest, secret):
        return None
    spec = pickle.loads(body)
    # A pickle of an older class may load as something else.
    return spec if isinstance(spec, LayoutSpec) else None


def _keep(spec: LayoutSpec, path: Path, name: str, secret: bytes) -> None:
    body = pickle.dumps(spec, pickle.HIGHEST_PROTOCOL)
    # Whether it could be kept does not matter: it is checked again next time.
    with suppress(OSError):
        make_own(path.parent)
        with atomic_write(path) as stream:
            stream.write(digest_of(name.encode() + body, secret) + body)
