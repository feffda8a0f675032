"""The settled columns of a block: what each is, and which records they give."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum, auto
from functools import cached_property

from boreotabula.findings.places import Rule, Why
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Cell


class ColumnKind(Enum):
    """What a column of a block is."""

    STUB = auto()
    """Names the rows; `field` is the stub field."""
    BESIDE = auto()
    """Holds another field of each row, known by heading or position."""
    VALUE = auto()
    """Holds values; `labels` are its headings, one for each level."""
    TOTAL = auto()
    """Holds printed totals of the rows."""
    IGNORED = auto()
    """Left out by a rule."""
    LIKE_TOTAL = auto()
    """Holds sums of other columns though no pattern of totals matches it; its cells are unplaced.
    """
    UNKNOWN = auto()
    """Has a heading that the layout does not know; its cells are unplaced."""


class ColumnReason(Enum):
    """Why a column is left out or unknown, where code depends on the reason; the value is its
    wording."""

    PASSED_OVER = Rule.PASSED_OVER
    LEFT_OUT = Rule.UNKNOWN_LEFT_OUT
    HIDDEN = Rule.VISIBLE_ONLY
    UNHEADED = Why.NO_HEADING
    """Only its cells show whether it matters; the same holds for the next."""
    UNNAMED = Why.NO_NAME


@dataclass(frozen=True)
class Column:
    """One column of a block; `column` counts from 0, `why` is a rule or a reason."""

    column: int
    kind: ColumnKind
    field: str = ""
    labels: tuple[Cell, ...] = ()
    why: str = ""
    cause: ColumnReason | None = None
    says_value: Cell = ""
    """The heading below its labels that says which of several values it holds."""


@dataclass(frozen=True)
class Slot:
    """What each row holds one record of: the labels over it, and the column of each value."""

    labels: tuple[Cell, ...]
    columns: tuple[int | None, ...]
    """In the order of the block's value fields; None where a column is missing."""

    @property
    def first(self) -> int:
        """Its leftmost column."""
        return min(column for column in self.columns if column is not None)


@dataclass(frozen=True, eq=False)
class Columns:
    """All columns of a block, from its left to its right edge.

    Equal only to itself: tabs with the same headings share one, and everything derived from it.
    """

    every: tuple[Column, ...]
    block: BlockPlan

    @property
    def left(self) -> int:
        """The first column of the block."""
        return self.every[0].column

    @property
    def right(self) -> int:
        """The first column past the block."""
        return self.every[-1].column + 1

    def of(self, *kinds: ColumnKind) -> tuple[Column, ...]:
        """The columns of some kinds."""
        columns = self._of.get(kinds)
        if columns is None:
            columns = tuple(column for column in self.every if column.kind in kinds)
            self._of[kinds] = columns
        return columns

    @cached_property
    def _of(self) -> dict[tuple[ColumnKind, ...], tuple[Column, ...]]:
        """Answers given before: many steps ask for the same columns, on many tabs."""
        return {}

    @cached_property
    def valued(self) -> tuple[int, ...]:
        """The columns whose cells make a row more than a name."""
        # A row with nothing but a printed total is more than a name as well.
        kinds = (ColumnKind.VALUE, ColumnKind.TOTAL, ColumnKind.BESIDE)
        return tuple(column.column for column in self.of(*kinds))

    @cached_property
    def by_row(self) -> Mapping[str, int]:
        """The column of each field that has one value per row, except stub fields."""
        return {column.field: column.column for column in self.of(ColumnKind.BESIDE)}

    @cached_property
    def _headings(self) -> Mapping[int, str]:
        kept = self.of(ColumnKind.BESIDE, ColumnKind.VALUE)
        texts = {
            column.column: [*column.labels, *([column.says_value] if column.says_value else [])]
            for column in kept
        }
        return {column: str(labels[-1]) for column, labels in texts.items() if labels}

    def heading_of(self, column: int) -> str:
        """The lowest heading of a column of values; empty if it has none."""
        return self._headings.get(column, "")

    @cached_property
    def firsts(self) -> tuple[int, ...]:
        """The first column of each slot."""
        return tuple(slot.first for slot in self.slots)

    @cached_property
    def by_value(self) -> tuple[tuple[int | None, ...], ...]:
        """For each value field, the column of each slot."""
        return tuple(
            tuple(slot.columns[index] for slot in self.slots)
            for index in range(len(self.block.value))
        )

    @cached_property
    def slots(self) -> tuple[Slot, ...]:
        """The records of each row, left to right; columns under the same labels share a slot."""
        values = self.block.value
        # In the order of the sheet, from left to right: so are the records.
        groups: list[tuple[tuple[Cell, ...], list[int | None]]] = []
        for column in self.of(ColumnKind.VALUE):
            index = values.index(column.field)
            # With several values, columns under the same labels are one record, wherever they
            # stand.
            for labels, members in groups if len(values) > 1 else ():
                # Taken already: then the headings repeat, and it is a record of its own, which is
                # told.
                if labels == column.labels and members[index] is None:
                    members[index] = column.column
                    break
            else:
                fresh: list[int | None] = [None] * len(values)
                fresh[index] = column.column
                groups.append((column.labels, fresh))
        return tuple(Slot(labels, tuple(members)) for labels, members in groups)
