"""The cells that no part of the layout speaks for, and what is to be said of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from boreotabula.reading.findings import Finding, Unplaced
from boreotabula.reading.place import Place
from boreotabula.reading.roles import RoleMap, unplaced_cell
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class _Stray:
    """An unplaced cell; `told` if a finding of its own already speaks of it."""

    unplaced: Unplaced
    cell: Cell
    told: bool


def strays_of(sheet: Sheet, roles: RoleMap, places: Sequence[Place]) -> Iterator[_Stray]:
    for row, column, cell, reason in roles.unplaced():
        why = reason or _why_outside(row, column, places)
        yield _Stray(unplaced_cell(row, column, cell, why), cell, reason is not None)


def _why_outside(row: int, column: int, places: Sequence[Place]) -> str:
    if not places:
        return "no table was found on this tab"
    if all(row < place.top for place in places):
        return "above the table"
    if len(places) == 1 and (row >= places[0].end or column >= places[0].limit):
        return "in a second table, which was not read"
    return "outside the table"


def about_strays(strays: Sequence[_Stray]) -> Iterator[Finding]:
    """Numbers in no record are a warning, texts (titles, remarks) a note."""
    texts = [one for one in strays if isinstance(one.cell, str) and not one.told]
    numbers = [one for one in strays if not isinstance(one.cell, str) and not one.told]
    for code, some, what in (
        ("numbers-unplaced", numbers, "number or date"),
        ("texts-unplaced", texts, "text"),
    ):
        if some:
            first = some[0].unplaced
            yield Finding(
                code,
                (
                    f"1 {what} of this tab is"
                    if len(some) == 1
                    else f"{len(some)} {what.replace(' or ', 's or ')}s of this tab are"
                )
                + f" in no record; the first is “{first.text}” ({first.reason})",
                "Look at unplaced.csv; what matters needs a place in the layout.",
                cell=first.cell,
                looked_for="a role for every filled cell",
                found=first.text,
            )
