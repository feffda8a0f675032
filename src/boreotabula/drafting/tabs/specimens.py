"""The tabs that a layout is drafted from, and their kinds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from boreotabula.drafting.tabs.interface_lines import InterfaceLines
from boreotabula.look.shape import Shape
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True, eq=False)
class Specimen:
    """A filled tab of a file, and the file's other filled tabs."""

    file: str
    """The path of the file below the folder, with '/'."""
    sheet: Sheet
    others: Mapping[str, Sheet] = field(default_factory=dict)

    @property
    def tab(self) -> str:
        """The name of the tab; a text file has none."""
        return self.sheet.name


@dataclass(frozen=True)
class Example:
    """A tab of a kind, with the tables that make it one of that kind."""

    specimen: Specimen
    shapes: tuple[Shape, ...]
    further: tuple[Shape, ...] = ()
    """Other tables of the tab."""
    label_rows: tuple[Shape, ...] = ()
    """Rows of labels above its tables, each with a row of values below."""
    cards: tuple[Shape, ...] = ()
    """Runs of the same labels with their values, as tables of the turned tab."""
    lines: InterfaceLines | None = None
    """Its lines, if the first cell of each gives the kind of line."""

    @property
    def sheet(self) -> Sheet:
        """Its cells."""
        return self.specimen.sheet


@dataclass(frozen=True)
class TabFamily:
    """Tabs that one layout may read."""

    examples: tuple[Example, ...]
    more: tuple[Specimen, ...] = ()
    """Further tabs of the kind, which are not read closely."""

    @property
    def places(self) -> list[tuple[str, str]]:
        """File and tab of all of them, those that are read closely first."""
        every = (*(example.specimen for example in self.examples), *self.more)
        return [(specimen.file, specimen.tab) for specimen in every]

    @property
    def has_table(self) -> bool:
        """Whether its tabs hold a table; else they are labels with values, or texts."""
        return any(example.shapes for example in self.examples)

    @property
    def has_cards(self) -> bool:
        """Whether its tabs hold cards."""
        return all(example.cards for example in self.examples)

    @property
    def has_lines(self) -> bool:
        """Whether the first cell of each line of its tabs gives the kind of line."""
        return all(example.lines for example in self.examples)

    def below(self, rows: int) -> TabFamily:
        """The kind, with its tables beginning this many rows further below the headings."""

        def moved(shape: Shape) -> Shape:
            values = tuple(cells[rows:] for cells in shape.values_of)
            return replace(shape, first=shape.first + rows, values_of=values)

        if not rows:
            return self
        return replace(self, examples=tuple(
            replace(example, shapes=tuple(map(moved, example.shapes))) for example in self.examples
        ))  # fmt: skip

    @cached_property
    def filled(self) -> int:
        """The number of cells that they fill."""
        return sum(int(np.count_nonzero(example.sheet.filled)) for example in self.examples)

    @property
    def weight(self) -> int:
        """The number of cells that their tables fill; all their cells if they have none."""
        tables = 0
        for example in self.examples:
            filled = example.sheet.filled
            for shape in (*example.shapes, *example.further):
                part = filled[shape.top : shape.end, shape.left : shape.right]
                tables += int(np.count_nonzero(part))
        return tables or self.filled

    @property
    def files(self) -> list[str]:
        """The files that they are in."""
        return list(dict.fromkeys(example.specimen.file for example in self.examples))


@dataclass(frozen=True)
class LeftOut:
    """A tab, or a file, that a draft does not read, and why."""

    file: str
    tab: str
    why: str
