"""The cells of all records of a block at once, for views that show many of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.inspect.trace import heading_origin, spot_of
from boreotabula.reading.plan import Plan
from boreotabula.reading.records.build import InRows
from boreotabula.reading.tab import ReadBlock
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class BlockSpots:
    """For each field of a block, the cell from which each record takes it.

    `rows` and `columns` have a line for each field and a column for each record, counted from 0 on
    the unturned sheet; -1 where no cell gives the field.
    """

    table: str
    fields: tuple[str, ...]
    whats: tuple[str, ...]
    """The role of each field's cells: 'stamp', 'heading', 'stub', 'value'; empty if no cell gives
    it."""
    rows: NDArray[np.int64]
    columns: NDArray[np.int64]


def block_spots(sheet: Sheet, read: ReadBlock, plan: Plan) -> BlockSpots:
    """The cells of the records of a block."""
    fields = [name for name in read.batch.schema.names if name not in PROVENANCE]
    result = [_spots_of(sheet, read, plan, field) for field in fields]
    return BlockSpots(
        read.block.into,
        tuple(fields),
        tuple(what for what, _, _ in result),
        np.array([rows for _, rows, _ in result]).reshape(len(fields), -1),
        np.array([columns for _, _, columns in result]).reshape(len(fields), -1),
    )


_Found = tuple[str, NDArray[np.int64], NDArray[np.int64]]


def _spots_of(sheet: Sheet, read: ReadBlock, plan: Plan, field: str) -> _Found:
    """The role of a field's cells, and where they are for each record."""
    count = read.batch.num_rows
    none = np.full(count, -1, np.int64)
    if field in plan.parts:
        return "", none, none
    long = read.long
    source = long.sources.get(field)
    if source is not None:
        what = "stub" if field in read.block.row_names else "value"
        rows = source.rows[long.row_of].astype(np.int64)
        which = long.row_of if isinstance(source, InRows) else long.slot_of
        columns = source.columns[which].astype(np.int64)
        rows = np.where(columns < 0, -1, rows)
        return (what, columns, rows) if read.view.turned else (what, rows, columns)
    if field in read.block.across:
        return _heading_spots(read, plan, field, none)
    where = read.stamped.origins.get(field)
    spot = spot_of(sheet, where) if where is not None else None
    if spot is None:
        return "", none, none
    return "stamp", np.full(count, spot[0], np.int64), np.full(count, spot[1], np.int64)


def _heading_spots(read: ReadBlock, plan: Plan, field: str, none: NDArray[np.int64]) -> _Found:
    """The heading that reaches each record: the same for all records of a slot."""
    rows, columns = none.copy(), none.copy()
    slots, firsts, inverse = np.unique(read.long.slot_of, return_index=True, return_inverse=True)
    for number in range(len(slots)):
        origin = heading_origin(read, plan, field, int(firsts[number]))
        if origin is not None and origin.spot is not None:
            rows[inverse == number], columns[inverse == number] = origin.spot
    return "heading", rows, columns
