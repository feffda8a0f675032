"""What became of each tab that was to be bound."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Bound:
    """A tab as it was bound, or why it was not."""

    file: str
    tab: str
    name: str = ""
    """Its name in the new workbook; empty if it is not there."""
    rows: int = 0
    columns: int = 0
    note: str = ""
    lacking: bool = False
    """Whether it is not there though it should be; the note says why."""
    doubtful: bool = False
    """Whether the note is about what is in the cells, or about the file itself."""

    @classmethod
    def not_read(cls, file: str, why: object, tab: str = "") -> Bound:
        """What could not be read."""
        return cls(file, tab, note=f"not read: {why}", lacking=True)

    def doubt(self, note: str) -> None:
        """Say what a person should look at, if there is anything."""
        self.doubtful = self.doubtful or bool(note)
        self.add(note)

    def add(self, note: str) -> None:
        """Say more of it."""
        self.note = "; ".join(filter(None, (self.note, note)))
