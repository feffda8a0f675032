"""A cross-tab: its specification, and its numbers."""

from __future__ import annotations

from dataclasses import dataclass

from boreotabula.layout.field_types import FieldType

AGGREGATES = ("sum", "mean", "count", "min", "max", "median", "share")
"""How the values of a cell become one number.

A share is the part of its column's sum, or of the whole if nothing is across.
"""

Label = tuple[str, ...]
"""What names a row or column: a text for each of its fields."""
Cells = tuple[tuple[float | None, ...], ...]


@dataclass(frozen=True)
class CrosstabSpec:
    """The cross-tab that is requested."""

    rows: tuple[str, ...] = ()
    across: str | None = None
    value: str | None = None
    how: str = "sum"
    where: tuple[tuple[str, str], ...] = ()
    by_value: bool = False
    """Whether rows are sorted by their totals, largest first, instead of by their names."""
    top: int | None = None
    """How many rows are shown; the others are taken together."""
    change: bool = False
    """Whether each column holds the change against the one before."""
    totals: bool = True
    """Whether sums over rows and columns are shown."""


@dataclass(frozen=True)
class Cross:
    """A cross-tab. A cell is None where there is no record, or no record has a value."""

    spec: CrosstabSpec
    rows: tuple[Label, ...]
    columns: tuple[str, ...]
    """One label for each column; a single empty one if nothing is across."""
    cells: Cells
    row_totals: tuple[float | None, ...]
    """Over all columns; empty if nothing is across, and for changes."""
    column_totals: tuple[float | None, ...]
    total: float | None
    """Over all records."""
    value_kind: FieldType
    """The type of the summed field; 'integer' for counts, 'percent' for shares."""
    in_time: bool
    """Whether the columns are moments in time."""
    records: int
    """The number of records behind it."""
    unit: str = ""
    """The unit of the numbers, if the layout gives one."""
    row_ranks: tuple[int, ...] = ()
    """The index of each row among all rows of the records, whatever is shown. It decides the row's
    style in every chart. Empty if they are counted as they stand."""
    column_ranks: tuple[int, ...] = ()
    """The same of columns."""
    others: int = 0
    """How many rows the last one takes together."""

    @property
    def measure(self) -> str:
        """The meaning of the numbers, in words."""
        how, value = self.spec.how, self.spec.value
        message = f"{how} of {value}" if value else "number of records"
        return f"change of the {message}" if self.spec.change else message
