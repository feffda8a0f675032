"""The rows of a block: which are records, which totals, and what names each record row.

Rows are classified first, by their own cells; only then are stub cells carried down.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import Enum, IntEnum
from functools import cached_property
from math import inf
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Spot
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Cell, Sheet


class RowKind(IntEnum):
    """What a row of a block is."""

    NONE = 0
    """Empty, or all its cells are claimed: no row of the table."""
    RECORD = 1
    """Its values become records."""
    TOTAL = 2
    """Printed totals of other rows."""
    HEADING = 3
    """The headings repeated."""
    BARE = 4
    """Named by its stub, but without any value: left out by the rule `blank`."""
    GROUP = 5
    """Names the group of the rows below."""
    LEFT_OUT = 6
    """Left out by a rule; `rules` names it."""
    LABEL = 7
    """Holds only a text of the form itself."""
    NAMELESS = 8
    """Holds values, but no stub cell names them."""
    NUMBERED = 9
    """Numbers the columns."""
    LIKE_TOTAL = 10
    """Holds sums of other rows though no pattern of totals matches it."""
    UNSURE = 11
    """Right below the table, or after a blank row, and not filled as records are."""
    BELOW = 12
    """Below the table, and not part of it."""
    HEADINGS_AGAIN = 13
    """Its values are the headings of their columns, under another text over the stub."""
    CONTROL = 14
    """Gives the number of records above it, and their sums."""


Kinds = NDArray[np.uint8]
"""The `RowKind` of each row."""


def of_kind(kinds: Kinds, *wanted: RowKind) -> NDArray[np.bool_]:
    """Which rows are of some kinds."""
    # numpy takes four times as long to compare with a member of an enum.
    mask: NDArray[np.bool_] = kinds == int(wanted[0])
    for row_kind in wanted[1:]:
        mask |= kinds == int(row_kind)
    return mask


class RuleKind(Enum):
    """The rules that leave out rows; the value is their key in the layout."""

    UNDER_HEADINGS = "under_headings"
    SKIP = "skip"
    ONLY_ROWS = "only_rows"
    PARTS = "parts"
    BELOW = "below"
    FIRST_ROWS = "first_rows"
    LAST_ROWS = "last_rows"
    LARGEST = "largest"
    VISIBLE_ONLY = "visible_only"


class RowRule(NamedTuple):
    """A rule of the layout that leaves out a row, with its pattern if it has one."""

    kind: RuleKind
    pattern: str = ""

    def __str__(self) -> str:
        return f"{self.kind.value}: {self.pattern}" if self.pattern else self.kind.value


class GroupName(NamedTuple):
    """What names a group: its level, counted from the outermost, and the column of its name."""

    level: int
    column: int


_NO_ROWS = np.zeros(0, np.intp)


@dataclass(frozen=True)
class StubCells:
    """The cells of a field that names rows, one per row, and where each cell is.

    That is the cell itself, the one that it is carried down from, or the corner of a merged one.
    """

    cells: Sequence[Cell]
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    filled: NDArray[np.bool_]

    def take(self, places: NDArray[np.intp]) -> StubCells:
        """The cells at some indices."""
        cells = self.cells
        return StubCells(
            [cells[place] for place in places.tolist()],
            self.rows[places],
            self.columns[places],
            self.filled[places],
        )

    def spot(self, row: int) -> Spot:
        """Where one of the cells is."""
        return int(self.rows[row]), int(self.columns[row])


@dataclass(frozen=True)
class TableRows:
    """What each row of a block is, from the row below its headings on."""

    start: int
    """The first row, counted from 0."""
    kinds: Kinds
    """The kind of each row, from `start` on."""
    rules: Mapping[int, RowRule]
    """The rule that leaves each row out, by row."""
    stub: Mapping[str, StubCells]
    """The stub cells of the record rows, in order; those carried down only after `carried`."""
    ended: tuple[int, int, str] | None
    """Row, column and pattern of the cell that ends the block."""
    last: int
    """The last row of the table; the last heading row if it has no rows."""
    own: Mapping[str, StubCells] = field(default_factory=dict, repr=False)
    """For fields that are carried down: the cells of all rows."""
    groups: Mapping[int, GroupName] = field(default_factory=dict)
    """The rows that name groups."""
    ungrouped: Mapping[int, int] = field(default_factory=dict)
    """Rows that end a group of some level without naming another: the level by row."""

    @cached_property
    def record_rows(self) -> NDArray[np.intp]:
        """The rows that hold records."""
        return self.where(RowKind.RECORD)

    @cached_property
    def records(self) -> tuple[int, ...]:
        """The same as plain integers."""
        return tuple(self.record_rows.tolist())

    def where(self, *kinds: RowKind) -> NDArray[np.intp]:
        """The rows of some kinds."""
        # Most kinds are met nowhere: what no row is need not be looked for.
        kinds = tuple(kind for kind in kinds if kind in self._met)
        return np.flatnonzero(of_kind(self.kinds, *kinds)) + self.start if kinds else _NO_ROWS

    @cached_property
    def _met(self) -> frozenset[int]:
        """The kinds that occur."""
        return frozenset(self.kinds.tobytes())

    def of(self, *kinds: RowKind) -> list[int]:
        """The rows of some kinds, as plain integers."""
        numbers: list[int] = self.where(*kinds).tolist()
        return numbers

    @cached_property
    def there(self) -> NDArray[np.intp]:
        """The rows that belong to the table."""
        return np.flatnonzero(self.kinds) + self.start

    def kind(self, row: int) -> RowKind:
        """The kind of a row."""
        return RowKind(int(self.kinds[row - self.start]))

    def group_end(self, row: int) -> int:
        """The first row, below a row that names a group, that is no longer in the group."""
        return self._group_ends[row]

    @cached_property
    def _group_ends(self) -> Mapping[int, int]:
        ends: dict[int, int] = {}
        open_: list[tuple[int, int]] = []
        levels = {row: name.level for row, name in self.groups.items()}
        for row, level in sorted({**self.ungrouped, **levels}.items()):
            # A group ends at the next one of its level, or of an outer one.
            while open_ and open_[-1][0] >= level:
                ends[open_.pop()[1]] = row
            if row in levels:
                open_.append((level, row))
        return ends | dict.fromkeys((row for _, row in open_), self.start + len(self.kinds))

    def part_numbers(self) -> NDArray[np.intp]:
        """The part of the table that each record row is in, from 1: one more after each row that
        divides it."""
        parting = [row for row, rule in self.rules.items() if rule.kind is RuleKind.PARTS]
        numbers: NDArray[np.intp] = np.searchsorted(sorted(parting), self.record_rows) + 1
        return numbers

    def lines_of(self, row: int) -> int:
        """How many record rows belong to the group that a row names."""
        first, end = np.searchsorted(self.record_rows, [row, self.group_end(row)])
        return int(end - first)

    def naming(self, groups: Mapping[int, GroupName]) -> TableRows:
        """The rows, with some record rows naming groups instead."""
        changed = self.without(sorted(groups), RowKind.GROUP)
        return replace(changed, groups={**self.groups, **groups})

    def without(self, rows: Sequence[int], kind: RowKind) -> TableRows:
        """The rows, with some record rows of another kind instead."""
        changed = np.array(rows, np.intp)
        # Others may still hold the rows as they were.
        kinds = self.kinds.copy()
        kinds[changed - self.start] = kind
        # Stub cells stand in the order of the record rows: both must lose the same ones.
        kept = np.flatnonzero(~np.isin(self.record_rows, changed))
        stub = {name: cells.take(kept) for name, cells in self.stub.items()}
        return replace(self, kinds=kinds, stub=stub)


def _not_largest(rows: Sequence[int], amounts: Mapping[int, float], most: int) -> list[int]:
    """All rows except the `most` with the largest amounts; of equal amounts the first rows are
    kept."""
    ranked = sorted(rows, key=lambda row: -amounts.get(row, -inf))
    return sorted(ranked[most:])


def limited(
    table: TableRows, sheet: Sheet, block: BlockPlan, amounts: Mapping[int, float]
) -> TableRows:
    """The rows without the records that the block leaves out.

    It may leave out hidden ones, and those that are not among the first, last or largest. `amounts`
    holds, by row, the field that ranks the largest.
    """
    out: dict[int, RowRule] = {}
    if block.visible_only:
        hidden = frozenset(sheet.hidden_rows)
        out |= {row: RowRule(RuleKind.VISIBLE_ONLY) for row in table.records if row in hidden}
    left = [row for row in table.records if row not in out]
    if block.first_rows is not None:
        out |= dict.fromkeys(left[block.first_rows :], RowRule(RuleKind.FIRST_ROWS))
    if block.last_rows is not None:
        out |= dict.fromkeys(left[: -block.last_rows], RowRule(RuleKind.LAST_ROWS))
    if block.largest is not None:
        out |= dict.fromkeys(
            _not_largest(left, amounts, block.largest.rows), RowRule(RuleKind.LARGEST)
        )
    if not out:
        return table
    return replace(table.without(sorted(out), RowKind.LEFT_OUT), rules={**table.rules, **out})


def carried_columns(columns: Columns) -> Mapping[str, int]:
    """The column of each field whose cells name rows: stub fields, and those carried down."""
    carry = columns.block.carry_down
    return {
        column.field: column.column
        for column in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
        if column.kind is ColumnKind.STUB or column.field in carry
    }


def carried(sheet: Sheet, columns: Columns, table: TableRows) -> TableRows:
    """The rows with stub cells carried down from record rows, and with the names of groups.

    Headings, totals, group rows and rows that are left out are never carried down. A row without
    values is, because it names the rows below it. A row that is still without a name is no record.
    """
    block = columns.block
    stub = dict(table.stub)
    for name, own in table.own.items():
        stub[name] = _carried(table, own)
    for level, group in enumerate(block.group_row):
        stub[group.field] = _groups(sheet, table, columns, level)
    table = replace(table, stub=stub)
    named = [name for name in stub if name in block.stub]
    # A list needs no name for its rows; what was not carried was asked row by row.
    if block.is_list or not named or not block.carry_down:
        return table
    any_named = np.logical_or.reduce([stub[name].filled for name in named])
    # Only now: a cell carried down names a row as well as its own does.
    nameless = table.record_rows[~any_named].tolist()
    return table.without(nameless, RowKind.NAMELESS) if nameless else table


def _carried(table: TableRows, own: StubCells) -> StubCells:
    """The naming cell of each record row: its own, or that of the last row above it that names
    rows."""
    # A total or heading in between must not name the records below it.
    gives = own.filled & of_kind(table.kinds, RowKind.RECORD, RowKind.BARE)
    return own.take(_last_of(gives)[table.record_rows - table.start])


def _last_of(gives: NDArray[np.bool_]) -> NDArray[np.intp]:
    """For each row, the last row down to it that gives a value; itself if there is none."""
    places = np.arange(len(gives))
    # The places rise, so the highest so far is the last one that gives.
    last = np.maximum.accumulate(np.where(gives, places, -1))
    return np.where(last < 0, places, last)


def _groups(sheet: Sheet, table: TableRows, columns: Columns, level: int) -> StubCells:
    """The name of the group of some level to which each record row belongs."""
    ends, names = (np.zeros(len(table.kinds), bool) for _ in range(2))
    name_at = np.full(len(table.kinds), columns.left)
    for row, name in table.groups.items():
        # An outer group ends the inner one: its records belong to none until the next.
        ends[row - table.start] = name.level <= level
        names[row - table.start] = name.level == level
        name_at[row - table.start] = name.column
    for row, outer in table.ungrouped.items():
        ends[row - table.start] |= outer <= level
    # A group holds until the next one: blank rows do not end it.
    named = _last_of(ends)[table.record_rows - table.start]
    filled = names[named]
    rows = named + table.start
    # A row above all groups is told at its own left edge.
    values = np.where(filled, name_at[named], columns.left)
    spots = zip(rows.tolist(), values.tolist(), filled.tolist(), strict=True)
    cells = [sheet.rows[row][column] if value else "" for row, column, value in spots]
    return StubCells(cells, rows, values, filled)


def known_counts(sheet: Sheet, columns: Columns, table: TableRows) -> NDArray[np.intp]:
    """How many known columns of a list each of its record rows fills."""
    # Cells that no field knows say nothing of how full a record is.
    known_numbers = [column.column for column in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)]
    named = carried_columns(columns).values()
    plain = [column for column in known_numbers if column not in named]
    counts: NDArray[np.intp] = np.count_nonzero(sheet.filled_at(table.record_rows, plain), axis=1)
    for stub_cells in table.stub.values():
        counts = counts + stub_cells.filled
    return counts
