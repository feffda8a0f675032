"""Digests by which the program recognises what it has kept: as its own, and from this version."""

from __future__ import annotations

import hashlib
import hmac
import sys
from functools import cache
from importlib.metadata import version
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
    home = Path(__file__).parents[1]
    # Sizes and times of the modules too, so that a developer's change makes kept results invalid.
    files = sorted(home.glob("**/*.py"))
    code = [(path.name, path.stat().st_size, path.stat().st_mtime_ns) for path in files]
    other_places = [(name, version(name)) for name in ("python-calamine", "pyarrow", "babel")]
    return repr((__version__, sys.version_info[:2], other_places, code))
