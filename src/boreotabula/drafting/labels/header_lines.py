"""The stamps of interface lines: what their headers say about all records."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from itertools import zip_longest
from typing import Any

from boreotabula.drafting.columns.lists import NAMES_OF_MOMENTS
from boreotabula.drafting.labels.gathered import Stamps, stamp_type
from boreotabula.drafting.labels.names import plain
from boreotabula.drafting.tabs.interface_lines import LineCells
from boreotabula.drafting.tabs.specimens import Example
from boreotabula.drafting.texts.periods import period_of
from boreotabula.layout.addresses import Address
from boreotabula.look.texts.words import field_name
from boreotabula.reading.cells import cell_text


def stamps_of_lines(examples: Sequence[Example], taken: Collection[str]) -> Stamps:
    """What the header lines of each tab say about its records."""
    stamps = Stamps([set() for _ in examples])
    headers = [example.lines.lines.headers for example in examples if example.lines]
    for row, lines in enumerate(zip(*headers, strict=True)):
        blank = {tuple(cell == "" for cell in line) for line in lines}
        for column, cells in enumerate(zip_longest(*lines, fillvalue="")):
            values = [cell for cell in cells if cell != ""]
            if not column or not values:
                # The mark of the line says what it is, and no value.
                continue
            kind = stamp_type(values)
            word = NAMES_OF_MOMENTS.get(kind, "header")
            name = field_name(word, [*taken, *stamps.fields])
            source = _source(lines, row, column, counted=len(blank) == 1)
            stamps.add(name, source | ({"optional": True} if "" in cells else {}), kind)
            for position, cell in enumerate(cells):
                text = cell_text(cell)
                stamps.told[position] |= {plain(text), *map(plain, text.split())} - {""}
                stamps.moments += [text] if period_of(text) else []
    return stamps


def _source(lines: Sequence[LineCells], row: int, column: int, *, counted: bool) -> dict[str, Any]:
    """The cell of a header line, row and column counted from 0.

    It is given by its place among the filled cells if these are the same on all tabs, else by its
    address.
    """
    if not counted:
        return {"cell": str(Address(row, column))}
    mark = cell_text(lines[0][0]).strip()
    place = sum(cell != "" for cell in lines[0][1 : column + 1])
    return {"right_of": mark, **({"places": place} if place > 1 else {})}
