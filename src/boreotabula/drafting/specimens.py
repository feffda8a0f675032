"""The tabs that a layout is drafted from, and which of them are of one kind."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from boreotabula.drafting.shapes import Shape, shapes_of
from boreotabula.reading.cells import cell_text
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True, eq=False)
class Specimen:
    """A filled tab of a file, and the other filled ones."""

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

    @property
    def sheet(self) -> Sheet:
        """Its cells."""
        return self.specimen.sheet


@dataclass(frozen=True)
class Kindred:
    """Tabs that may be read by one layout; `signature` is what their tables have in common."""

    signature: tuple[object, ...]
    examples: tuple[Example, ...]

    @property
    def filled(self) -> int:
        """How many cells they fill."""
        return sum(int(np.count_nonzero(one.sheet.filled)) for one in self.examples)

    @property
    def files(self) -> list[str]:
        """The files that they are in."""
        return list(dict.fromkeys(one.specimen.file for one in self.examples))


NO_TABLE = ("no table",)
"""The signature of tabs without a table."""


def kinds_of(specimens: Sequence[Specimen]) -> list[Kindred]:
    """The kinds of the tabs, the one with most filled cells first.

    Tabs are of a kind if their largest tables have as many heading rows and leading columns, or as
    lists the same columns; headings may differ, as languages do.
    """
    kinds: dict[tuple[object, ...], list[Example]] = {}
    every = [shapes_of(one.sheet) for one in specimens]
    labels = _label_columns(specimens, every)
    for one, there in zip(specimens, every, strict=True):
        shapes = [some for some in there if _labels_of(one.sheet, some) not in labels]
        signature = _signature(shapes)
        own = tuple(some for some in shapes if some.signature == signature)
        further = tuple(some for some in shapes if some not in own and not is_pairs(some))
        kinds.setdefault(signature, []).append(Example(one, own, further))
    found = [Kindred(signature, tuple(some)) for signature, some in kinds.items()]
    return sorted(_merged(found), key=lambda one: -one.filled)


Labels = tuple[object, ...]


def _labels_of(sheet: Sheet, shape: Shape) -> Labels:
    """Where a table of two columns stands, and all that stands in the first of them."""
    if shape.right - shape.left != _PAIRS:
        return ()
    texts = (cell_text(sheet.rows[row][shape.left]) for row in range(shape.top, shape.end))
    return (shape.top, shape.left, *texts)


def _label_columns(
    specimens: Sequence[Specimen], every: Sequence[Sequence[Shape]]
) -> frozenset[Labels]:
    """Of tables of two columns those that are labels with values: what stays from tab to tab is a
    label, what varies a value, and here the second column varies from its first cell on."""
    firsts: dict[Labels, list[str]] = {}
    for one, shapes in zip(specimens, every, strict=True):
        for shape in shapes:
            if found := _labels_of(one.sheet, shape):
                firsts.setdefault(found, []).append(cell_text(shape.heads[1]))
    return frozenset(one for one, heads in firsts.items() if len(set(heads)) == len(heads) > 1)


def _merged(kinds: Sequence[Kindred]) -> list[Kindred]:
    """The kinds, with lists of equally many columns as one: what a column holds may vary."""
    found: dict[object, Kindred] = {}
    for one in sorted(kinds, key=lambda kind: -kind.filled):
        key: object = one.signature
        if one.signature[0] == "list":
            key = ("list", one.signature[1], len(one.signature[2]))  # type: ignore[arg-type]
        before = found.get(key)
        found[key] = (
            one if before is None else Kindred(before.signature, before.examples + one.examples)
        )
    return list(found.values())


_PAIRS = 2
"""So many columns in a single row below a heading may be labels and values, and no table."""


def _signature(shapes: Sequence[Shape]) -> tuple[object, ...]:
    """That of the tables that take most cells of a tab."""
    areas: dict[tuple[object, ...], int] = {}
    for one in shapes:
        again = sum(other.heads == one.heads for other in shapes) > 1
        if again or not is_pairs(one, alone=len(shapes) == 1):
            area = (one.right - one.left) * (one.end - one.top)
            areas[one.signature] = areas.get(one.signature, 0) + area
    return max(areas, key=lambda key: areas[key], default=NO_TABLE)


def is_pairs(shape: Shape, *, alone: bool = False) -> bool:
    """Whether what looks like a small table are labels with their values beside them."""
    if shape.right - shape.left > _PAIRS or shape.bare:
        return False
    label = cell_text(shape.heads[0]).rstrip()
    if label.endswith((":", "：")):
        return True
    # A form begins with its labels; a table that is alone has more rows.
    return shape.end - shape.first <= 1 and not shape.crossed and (not alone or shape.top == 0)
