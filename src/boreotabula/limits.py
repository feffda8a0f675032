"""The limits of reading one file: hostile and broken files must not take the machine with them.

Everything that a file can ask for is counted, before and while it is inflated, in bytes of memory
against one budget. The estimates are on the safe side, measured with the fast reader.
"""

from __future__ import annotations

from dataclasses import dataclass

from boreotabula.unreadable import OverBudgetError

MEBI = 2**20
_FOR_THE_PROGRAM = 0.25
"""The memory that the program itself needs."""
_SECONDS = 20
"""Seconds that reading a file may take at the usual budget."""

PLACE = 56
"""A cell of the rectangle from A1 to the last filled cell, blank or not."""
FILLED = 120
"""A filled cell, besides its place."""
RANGE = 128
"""A merged range, hidden rows or columns, a defined name, a part that is named."""
CORRECTED = 256
"""A cell that the fast reader gets wrong, and its replacement."""
UNPACKED = 2
"""A byte of a part that is searched: it and the reader's own copy."""
SHARED = 6
"""A byte of a part that the fast reader keeps in pieces, such as shared texts."""
TREE = 30
"""A byte of a part that is parsed as a tree."""
TEXT = 4
"""A byte of a text file: the bytes, the text, its lines."""


@dataclass(frozen=True)
class Limits:
    """How much memory reading one file may take, including that of the program."""

    mebibytes: int = 1024

    @property
    def memory(self) -> int:
        """The bytes available for the content of the file."""
        return int(self.mebibytes * MEBI * (1 - _FOR_THE_PROGRAM))

    def mebibytes_for(self, size: int) -> int:
        """The limit, in MiB, at which this many bytes are available."""
        return int(size / (1 - _FOR_THE_PROGRAM) / MEBI) + 1

    @property
    def seconds(self) -> float:
        """How many seconds reading one file may take before it is given up."""
        return _SECONDS * max(1.0, self.mebibytes / Limits().mebibytes)


class Budget:
    """The cost of one open file so far, in bytes.

    Held bytes stay as long as the file is open, needed bytes are released. Both methods raise
    OverBudgetError where the file asks for more than it may.
    """

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._held = 0

    @property
    def room(self) -> int:
        """The bytes that are left."""
        return self._limits.memory - self._held

    def hold(self, size: int, what: str) -> None:
        """Count bytes that are kept; `what` is their name in messages."""
        self.need(size, what)
        self._held += size

    def need(self, size: int, what: str) -> None:
        """Check that there is room for something."""
        if size > self.room:
            needed = self._limits.mebibytes_for(self._held + size)
            raise OverBudgetError.of(what, self._limits.mebibytes, needed)
