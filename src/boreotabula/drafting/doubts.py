"""What a draft was not sure of, as it is met: each is a question to the person."""

from __future__ import annotations

from dataclasses import dataclass

from boreotabula.layout.addresses import Address


@dataclass(frozen=True)
class Doubt:
    """Something that the tabs do not decide: what was taken, where it is seen, what to do if it
    should be otherwise."""

    kind: str
    """What is asked: 'name' where only a name is; else what the doubt is about."""
    text: str
    change: str
    """What to change in the layout to have it otherwise."""
    file: str = ""
    tab: str = ""
    cell: str = ""
    column: str = ""
    """The field that it is about."""
    choices: tuple[str, ...] = ()
    """What could be taken; the first is."""
    records: int = 0
    """How many records are otherwise by another choice."""
    example: str = ""
    """What stands there, to be read behind the place."""

    @classmethod
    def at_cell(
        cls, kind: str, file: str, tab: str, row: int, column: int, text: str, change: str,
        *, choices: tuple[str, ...] = (), records: int = 0, field: str = "",
    ) -> Doubt:  # fmt: skip
        """A doubt about a cell; its row and column are counted from 0."""
        where = str(Address(row, column))
        return cls(kind, text, change, file, tab, where, field, choices, records)

    @property
    def where(self) -> str:
        """File, tab and cell, as a person finds them."""
        return " › ".join(filter(None, (self.file, self.tab, self.cell))) + self.example
