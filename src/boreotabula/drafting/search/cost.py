"""The cost of a whole reading in bits: its layout, its records, and what it leaves over."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from enum import Enum, auto
from itertools import accumulate, pairwise
from math import inf

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.drafting.search.judging import BITS_OF_TEXT, Judgement
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.drafting.texts.bits import (
    KEY,
    NAME,
    TYPE,
    bits_of_letters,
    bits_of_numbers,
    bits_of_presence,
    bits_of_texts,
)
from boreotabula.layout.addresses import parse_address
from boreotabula.look.texts.words import field_name
from boreotabula.reading.account.roles import Role
from boreotabula.reading.cells import cell_text
from boreotabula.reading.tab import TabReading


class _Once(Enum):
    """How often a value of a field is written on a tab, however many records hold it."""

    TAB = auto()
    ROW = auto()
    COLUMN = auto()
    RUN = auto()
    """Once for all consecutive records that it is carried down to."""
    RECORD = auto()


def cost_of(sketch: Sketch, judged: Judgement) -> float:
    """The cost in bits of the tabs that were read, written down as a layout and records.

    A reading that gives no record explains nothing.
    """
    if not judged.records:
        return inf
    tables = [batch for reading in judged.readings for batch in _tables(reading)]
    form = [text for reading in judged.readings for text in _texts_of_form(reading)]
    values = sum(_bits_of_field(tables, name, once) for name, once in _written(sketch).items())
    if any("across" in block for block in (sketch.block, *sketch.more)):
        values += sum(map(_bits_of_grid, tables))
    return values + bits_of_texts(form) + _bits_of_layout(sketch, form) + _bits_left(judged)


def _tables(reading: TabReading) -> list[pa.RecordBatch]:
    """The records of a tab, table by table: tables side by side share rows."""
    every = [block.batch for block in reading.blocks] or list(reading.tables.values())
    return [value for value in every if value.num_rows]


def _written(sketch: Sketch) -> dict[str, _Once]:
    """How often a value of each field is written; levels are headings, and are counted as such."""
    blocks = (sketch.block, *sketch.more)

    def named(key: str) -> set[str]:
        return {name for block in blocks for name in key_texts(block.get(key))}

    levels, values, carried = map(named, ("across", "value", "carry_down"))
    stamped = {
        *sketch.stamps,
        *sketch.captured,
        *(n for block in blocks for n in block.get("stamps", ())),
    }
    of_stub = (_Once.COLUMN if sketch.turned else _Once.ROW) if levels else _Once.RECORD
    onces = {}
    for name in sketch.fields:
        if name in stamped:
            onces[name] = _Once.TAB
        elif name in carried:
            onces[name] = _Once.RUN
        elif name not in levels:
            onces[name] = _Once.RECORD if name in values else of_stub
    return onces


def _bits_of_layout(sketch: Sketch, form: Sequence[str]) -> float:
    """Keys, types, and the names of fields: each a text of the form, or a word of the draft."""
    keys = len(sketch.stamps) + sum(map(len, (sketch.block, *sketch.more)))
    words = {field_name(text) for text in set(form)}
    names = sum(NAME if name in words else bits_of_letters(name) for name in sketch.fields)
    return keys * KEY + len(sketch.fields) * TYPE + names


def _texts_of_form(reading: TabReading) -> list[str]:
    """The texts of a tab that are in no record: headings, labels, names of totals, and what a rule
    leaves out."""
    sheet, roles = reading.roles.sheet, reading.roles
    masks = [roles.mask_of(role) for role in (Role.LABEL, Role.HEADING, Role.LEFT_OUT)]
    masks.append(roles.mask_of(Role.TOTAL) & sheet.is_text)
    places = np.nonzero(np.logical_or.reduce(masks))
    return [cell_text(sheet.rows[row][value]) for row, value in zip(*places, strict=True)]


def _bits_left(judged: Judgement) -> float:
    """The bits of what is left over.

    Unplaced cells cost their place and their content, as do totals that are no sums. Other
    objections of the judgement cost what it says.
    """
    masks = [(reading.roles.sheet, reading.roles.unplaced_mask) for reading in judged.readings]
    unplaced = [
        cell_text(sheet.rows[row][value])
        for sheet, mask in masks
        for row, value in zip(*np.nonzero(mask), strict=True)
    ]
    literally = sum(map(bits_of_letters, unplaced))
    totals = sum(
        int(np.count_nonzero(reading.roles.mask_of(Role.TOTAL) & ~reading.roles.sheet.is_text))
        for reading in judged.readings
    )
    more_number = max(totals - judged.agree, 0) * BITS_OF_TEXT
    # There a text costs the same whatever it says.
    return judged.bits_left + literally - len(unplaced) * BITS_OF_TEXT + more_number


def _bits_of_field(tables: list[pa.RecordBatch], name: str, once: _Once) -> float:
    """The bits of the values of a field as they are written."""
    columns = [
        batch.column(name).take(pa.array(_first_of_each(_keys(batch, name, once))))
        for batch in tables
        if name in batch.schema.names
    ]
    # A table without any value of a field has no column for it.
    filled = [column for column in columns if column.null_count < len(column)]
    presence = sum(bits_of_presence(len(value) - value.null_count, len(value)) for value in filled)
    return presence + _bits_of_values([value.drop_null() for value in filled])


def _bits_of_grid(batch: pa.RecordBatch) -> float:
    """The bits that say which cells of a cross-tab hold a record, as for a list which fields of its
    records are filled."""
    cells = [parse_address(cell) for cell in batch.column("source_cell").to_pylist() if cell]
    rows, columns = (len({cell[axis] for cell in cells}) for axis in (0, 1))
    return bits_of_presence(len(cells), rows * columns)


def _bits_of_values(columns: list[pa.Array]) -> float:
    """The bits of all values of one field, in order."""
    if not columns:
        return 0.0
    kind = columns[0].type
    if pa.types.is_boolean(kind):
        return float(sum(map(len, columns)))
    if pa.types.is_dictionary(kind) or pa.types.is_string(kind):
        return bits_of_texts([text for column in columns for text in column.to_pylist()])
    return bits_of_numbers(np.concatenate(list(map(_numbers, columns))))


def _numbers(column: pa.Array) -> NDArray[np.float64]:
    """Numbers as they are; moments as days, seconds or parts of them, as stored."""
    if pa.types.is_temporal(column.type):
        column = column.cast(pa.int32() if column.type.bit_width == 32 else pa.int64())
    numbers: NDArray[np.float64] = column.cast(pa.float64(), safe=False).to_numpy(
        zero_copy_only=False
    )
    return numbers


def _keys(batch: pa.RecordBatch, name: str, once: _Once) -> list[Hashable]:
    """For each record a key of the place where its value of a field is written."""
    if once is _Once.TAB:
        return [0] * batch.num_rows
    if once is _Once.RECORD:
        return list(range(batch.num_rows))
    if once is _Once.RUN:
        values = batch.column(name).to_pylist()
        return list(accumulate((a != b for a, b in pairwise(values)), initial=0))
    cells = batch.column("source_cell").to_pylist()
    axis = 0 if once is _Once.ROW else 1
    return [parse_address(cell)[axis] if cell else -1 for cell in cells]


def _first_of_each(keys: list[Hashable]) -> list[int]:
    first: dict[Hashable, int] = {}
    for index, key in enumerate(keys):
        first.setdefault(key, index)
    return list(first.values())
