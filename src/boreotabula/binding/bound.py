"""The result for each tab that was to be bound."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Bound:
    """A tab as it was bound, or the reason why it was not."""

    file: str
    tab: str
    name: str = ""
    """Its name in the new workbook; empty if it is not there."""
    rows: int = 0
    columns: int = 0
    note: str = ""
    lacking: bool = False
    """Whether it is missing though it was wanted; the note says why."""
    doubtful: bool = False
    """Whether the note is about what is in the cells, or about the file itself."""

    @classmethod
    def not_read(cls, file: str, why: object, tab: str = "") -> Bound:
        """What could not be read."""
        return cls(file, tab, note=f"not read: {why}", lacking=True)

    def doubt(self, note: str) -> None:
        """Add a note about something that a person should check, if there is any."""
        self.doubtful = self.doubtful or bool(note)
        self.add(note)

    def add(self, note: str) -> None:
        """Add to the note."""
        self.note = "; ".join(filter(None, (self.note, note)))
