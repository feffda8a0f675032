"""A layout made ready for reading: patterns compiled, names indexed, fields typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.checking import uses
from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.model import LayoutSpec
from boreotabula.layout.patterns import Kind, Pattern, pattern


@dataclass(frozen=True)
class CellStamp:
    """A stamp that stands in a fixed cell; row and column counted from 0."""

    field: str
    row: int
    column: int


@dataclass(frozen=True)
class BlockPlan:
    """How the table part of a form is read."""

    stub: tuple[str, ...]
    across: tuple[str, ...]
    value: str
    carry_down: frozenset[str]
    totals: tuple[Pattern, ...]
    ignore: tuple[Pattern, ...]
    ends_at: tuple[Pattern, ...]


@dataclass(frozen=True, eq=False)
class Plan:
    """All that reading a tab needs to know of a layout. Can be sent to another process.

    A plan is equal only to itself, so that what follows from it can be kept by it.
    """

    types: Mapping[str, str]
    """The type of each field, in the order of the output's columns."""
    names: HeadingNames
    stamps: tuple[CellStamp, ...]
    block: BlockPlan
    filled: Mapping[str, str]
    """What fills a field, for those filled by something other than a column of their own."""


def make_plan(spec: LayoutSpec, names: HeadingNames) -> Plan:
    """The plan of a checked layout."""
    block = spec.block
    return Plan(
        types={field: described.type for field, described in spec.fields.items()},
        names=names,
        stamps=tuple(
            CellStamp(field, *parse_address(stamp.cell)) for field, stamp in spec.stamps.items()
        ),
        block=BlockPlan(
            stub=block.stub,
            across=block.across,
            value=block.value,
            carry_down=frozenset(block.carry_down),
            totals=_cell_patterns(block.totals),
            ignore=_cell_patterns(block.ignore),
            ends_at=_cell_patterns(block.ends_at),
        ),
        filled={use.field: use.what for use in uses(spec)},
    )


def _cell_patterns(texts: tuple[str, ...]) -> tuple[Pattern, ...]:
    return tuple(pattern(text, Kind.CELL) for text in texts)
