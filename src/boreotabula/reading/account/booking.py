"""Book roles from the records as they go out: a cell is a stamp, stub or value only if a record
holds it."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.reading.account.roles import Role, RoleMap
from boreotabula.reading.records.build import InRows, InSlots, LongRecords
from boreotabula.reading.stamps.read import Stamped


def book_cells(
    roles: RoleMap, batch: pa.RecordBatch, long: LongRecords, stubs: Collection[str]
) -> int:
    """Book the cells whose values are in a batch of records; cells of `stubs` become stub cells.

    Returns how many of them another block has already booked as values.
    """
    # A cell in two records is doubled, and must be told.
    again = 0
    for field, source in long.sources.items():
        # A field that no output table holds leaves its cells unplaced: that is the point.
        if field not in batch.schema.names:
            continue
        # A value that did not convert is in no record, though its row is.
        held = _held(batch.column(field))
        if isinstance(source, InRows):
            rows, columns = _in_rows(source, long, held)
        else:
            rows, columns = _in_slots(source, long, held)
        again += roles.book(rows, columns, Role.STUB if field in stubs else Role.VALUE)
    return again


def _held(column: pa.Array) -> NDArray[np.bool_] | slice:
    """A mask of the records that have a value."""
    if not column.null_count:
        return slice(None)
    return column.is_valid().to_numpy(zero_copy_only=False)  # type: ignore[no-any-return]


_Cells = tuple[NDArray[np.intp], NDArray[np.intp]]


def _in_rows(source: InRows, long: LongRecords, held: NDArray[np.bool_] | slice) -> _Cells:
    rows = np.zeros(len(source.rows), bool)
    rows[long.row_of[held]] = True
    return source.rows[rows], source.columns[rows]


def _in_slots(source: InSlots, long: LongRecords, held: NDArray[np.bool_] | slice) -> _Cells:
    return source.rows[long.row_of[held]], source.columns[long.slot_of[held]]


def book_stamps(roles: RoleMap, batch: pa.RecordBatch, stamped: Stamped) -> None:
    """Book the stamps that the records of a batch carry; `roles` is the map of the unturned
    sheet."""
    # Without a record nothing carries the stamp.
    if batch.num_rows:
        for field, spot in stamped.spots.items():
            if field in batch.schema.names and batch.column(field)[0].is_valid:
                roles.give_spots([spot], Role.STAMP)
