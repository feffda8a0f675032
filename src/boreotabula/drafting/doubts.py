"""The doubts of a draft, noted as they arise: each is a question to the person."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from boreotabula.layout.addresses import Address


class Spot(NamedTuple):
    """A cell of a tab of a file; its row and column count from 0."""

    file: str
    tab: str
    row: int
    column: int


@dataclass(frozen=True)
class Doubt:
    """Something that the tabs do not decide: what was taken, where it is seen, and what to do if
    another choice is right."""

    kind: str
    """What is asked: 'name' where only a name is; else the subject of the doubt."""
    text: str
    change: str
    """What to change in the layout for another choice."""
    file: str = ""
    tab: str = ""
    cell: str = ""
    column: str = ""
    """The field that it is about."""
    choices: tuple[str, ...] = ()
    """What could be taken; the first is what was."""
    records: int = 0
    """How many records another choice changes."""
    example: str = ""
    """The text at the place, to be shown after it."""

    @classmethod
    def at_cell(
        cls, kind: str, spot: Spot, text: str, change: str,
        *, choices: tuple[str, ...] = (), records: int = 0,
    ) -> Doubt:  # fmt: skip
        """A doubt about a cell."""
        where = str(Address(spot.row, spot.column))
        return cls(
            kind=kind,
            text=text,
            change=change,
            file=spot.file,
            tab=spot.tab,
            cell=where,
            column="",
            choices=choices,
            records=records,
        )

    @property
    def where(self) -> str:
        """File, tab and cell, in words."""
        return " › ".join(filter(None, (self.file, self.tab, self.cell))) + self.example
