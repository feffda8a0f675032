"""Tables read by position whose columns differ from those of similar tables."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from boreotabula.batch.file.read import FileReading
from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.tables import (
    COLUMN_LACKING,
    COLUMNS_UNUSUAL,
    LEADING_COLUMNS_DIFFER,
)
from boreotabula.layout.addresses import Address

_Columns = tuple[str, ...]
_FEWEST = 3
"""Columns are usual if this many tables, and most of them, have them."""


@dataclass
class _Met:
    """The sets of columns of a block, and the place of each set."""

    counts: Counter[_Columns] = field(default_factory=Counter)
    places: dict[_Columns, list[tuple[str, str, Address]]] = field(default_factory=dict)


class ColumnsByPosition:
    """Compares the columns of tables whose fields are named by position."""

    def __init__(self) -> None:
        self._blocks: dict[tuple[str, str], _Met] = {}
        self._leading: dict[tuple[str, str], _Met] = {}

    def take(self, reading: FileReading) -> None:
        """Note the columns of a file's tables."""
        for tab in reading.tabs:
            facts = tab.facts
            for of, texts in ((self._blocks, facts.by_position), (self._leading, facts.leading)):
                # A tab without records has no columns that mean anything.
                for block, columns in texts.items() if tab.record_count else ():
                    summary = of.setdefault((tab.form, block), _Met())
                    summary.counts[columns] += 1
                    place = (reading.name, tab.name, facts.position_cells[block])
                    summary.places.setdefault(columns, []).append(place)

    def findings(self) -> Iterator[Finding]:
        """One for each set of columns that differs from the usual one in number; in cross-tabs, for
        leading columns with other content."""
        for columns, usual, count, places in _unusual(self._blocks):
            # Columns of the same number with other names are told by their headings already.
            if len(columns) != len(usual):
                yield _differs(columns, usual, count, places)
        for columns, usual, count, places in _unusual(self._leading):
            # A column may well be blank on some tab.
            pairs = zip(columns, usual, strict=False)
            if any(text and other_text and text != other_text for text, other_text in pairs):
                yield _shifted(columns, usual, count, places)


_Places = list[tuple[str, str, Address]]


def _unusual(
    blocks: Mapping[tuple[str, str], _Met],
) -> Iterator[tuple[_Columns, _Columns, int, _Places]]:
    """The columns that differ from those of most similar tables, those, and the number of tables
    with them."""
    for block in blocks.values():
        (usual, count), *_ = block.counts.most_common(1)
        # Two in three may be chance: most must agree before others are called unusual.
        if count >= _FEWEST and 2 * count > block.counts.total():
            for columns, places in block.places.items():
                yield columns, usual, count, places


def _shifted(
    columns: _Columns, usual: _Columns, count: int, places: Sequence[tuple[str, str, Address]]
) -> Finding:
    file, tab, cell = places[0]
    return LEADING_COLUMNS_DIFFER(
        cell,
        file=file,
        tab=tab,
        kinds=", ".join(columns),
        usual_kinds=", ".join(usual),
        tables=count,
        more=len(places) - 1,
    )


def _differs(
    columns: _Columns, usual: _Columns, count: int, places: Sequence[tuple[str, str, Address]]
) -> Finding:
    file, tab, cell = places[0]
    slots = {"columns": len(columns), "tables": count, "more": len(places) - 1}
    shared = min(len(columns), len(usual))
    # If only the last ones differ, columns were added or dropped at the end and nothing has
    # moved.
    at_end = columns[:shared] == usual[:shared]
    if len(columns) >= len(usual) or at_end:
        return COLUMNS_UNUSUAL(cell, file=file, tab=tab, named=len(usual), **slots)
    # The first that differs is the one that is lacking; all behind it have moved.
    index = next(n for n in range(shared) if columns[n] != usual[n])
    return COLUMN_LACKING(
        cell,
        file=file,
        tab=tab,
        usual=len(usual),
        lacking=usual[index],
        usual_fields=", ".join(usual),
        fields=", ".join(columns),
        **slots,
    )
