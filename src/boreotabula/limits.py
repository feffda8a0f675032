"""What reading one file may cost: hostile and broken files must not take the machine with them.

Everything that a file can ask for is counted, before and while it is unpacked, in bytes of memory
against one budget. What is counted are estimates on the safe side, measured with the fast reader.
"""

from __future__ import annotations

from dataclasses import dataclass

from boreotabula.unreadable import OverBudgetError

MEBI = 2**20
_FOR_THE_PROGRAM = 0.25
"""The part of the memory that the program itself needs."""
_SECONDS = 20
"""Reading a file may take so long at the usual budget."""

PLACE = 56
"""A place of the rectangle from A1 to the last filled cell, blank or not."""
FILLED = 120
"""A filled cell, besides its place."""
RANGE = 128
"""A merged range, hidden rows or columns, a defined name, a part that is named."""
CORRECTED = 256
"""A cell that the fast reader gives wrongly, and that is laid over it."""
UNPACKED = 2
"""A byte of a part that is looked through: it and the reader's own copy."""
SHARED = 6
"""A byte of a part that the fast reader keeps in pieces, such as shared texts."""
TREE = 30
"""A byte of a part that is taken apart as a tree."""
TEXT = 4
"""A byte of a text file: the bytes, the text, its lines."""


@dataclass(frozen=True)
class Limits:
    """How much memory reading one file may take, the program's own included."""

    mebibytes: int = 1024

    @property
    def memory(self) -> int:
        """The bytes that may be taken for what stands in the file."""
        return int(self.mebibytes * MEBI * (1 - _FOR_THE_PROGRAM))

    def mebibytes_for(self, size: int) -> int:
        """The limit under which so many bytes could be taken."""
        return int(size / (1 - _FOR_THE_PROGRAM) / MEBI) + 1

    @property
    def seconds(self) -> float:
        """How long reading one file may take before it is given up."""
        return _SECONDS * max(1.0, self.mebibytes / Limits().mebibytes)


class Budget:
    """What one open file has cost so far, in bytes.

    What is held stays as long as the file is open, what is needed goes again. Both raise
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
        """Count something that is kept; `what` is how messages call it."""
        self.need(size, what)
        self._held += size

    def need(self, size: int, what: str) -> None:
        """Make sure that there is room for something."""
        if size > self.room:
            needed = self._limits.mebibytes_for(self._held + size)
            raise OverBudgetError.of(what, self._limits.mebibytes, needed)
