"""Digests by which the program recognises what it has kept: as its own, and from this version."""

from __future__ import annotations

import hashlib
import hmac
import os
import sys
from collections.abc import Iterator
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from boreotabula import __version__

DIGEST = 32
"""The length of a digest in bytes."""


def digest_of(content: bytes, secret: bytes = b"") -> bytes:
    """The digest of some bytes. With a `secret` only its owner can compute the same."""
    return hashlib.blake2b(content, digest_size=DIGEST, key=secret).digest()


def is_signed(content: bytes, digest: bytes, secret: bytes) -> bool:
    """Whether a digest is that of some bytes, computed with a secret."""
    # Compared in constant time, as the digest guards against others on the same machine.
    return hmac.compare_digest(digest_of(content, secret), digest)


@cache
def program_version() -> str:
    """Identifies this version of the program and of its readers."""
    # Sizes and times of the modules too, so that a developer's change makes kept results invalid.
    home = Path(__file__).parents[1]
    modules = sorted(_modules(home)) if home.is_dir() else []  # none in a zip file
    readers = [_installed_as(name) for name in ("python_calamine", "pyarrow", "babel")]
    return repr((__version__, sys.version_info[:2], readers, modules))


def _modules(folder: Path) -> Iterator[tuple[str, int, int]]:
    with os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.endswith(".py"):
                yield entry.name, entry.stat().st_size, entry.stat().st_mtime_ns
            elif entry.is_dir():
                yield from _modules(Path(entry.path))


def _installed_as(name: str) -> tuple[str, int, list[str]]:
    """When a package was installed, and the name of its metadata, which has its version.

    Asking importlib.metadata for the version takes longer than reading a small workbook.
    """
    spec = find_spec(name)
    origin = Path(spec.origin) if spec and spec.origin else None
    if origin is None or not origin.is_file():  # within a zip file, say
        from importlib.metadata import version

        return name, 0, [version(name)]
    beside = (path.name for path in origin.parents[1].iterdir())
    metadata = sorted(entry for entry in beside if entry.lower().startswith(f"{name}-"))
    return name, origin.stat().st_mtime_ns, metadata
