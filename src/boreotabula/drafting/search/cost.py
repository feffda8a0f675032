"""What a whole reading costs in bits: its layout, its records, and what it leaves over."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from itertools import accumulate
from math import inf

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from boreotabula.drafting.search.judging import BITS_OF_TEXT, Judgement
from boreotabula.drafting.sketch import Sketch, listed
from boreotabula.drafting.texts.bits import (
    LETTER,
    TYPE,
    bits_of_numbers,
    bits_of_presence,
    bits_of_texts,
)
from boreotabula.drafting.texts.words import field_name
from boreotabula.layout.addresses import parse_address
from boreotabula.reading.account.roles import Role
from boreotabula.reading.cells import cell_text
from boreotabula.reading.tab import TabReading

_KEY = 8.0
"""A key of a layout, and where it stands."""


def cost_of(sketch: Sketch, judged: Judgement) -> float:
    """What the tabs that were read cost in bits, written down as a layout and records.

    A reading that gives no record explains nothing.
    """
    if not judged.records:
        return inf
    parts = [batch for reading in judged.readings for batch in _batches(reading)]
    own = [name for name in sketch.fields if any(name in one.schema.names for one in parts)]
    levels = [
        name for block in (sketch.block, *sketch.more) for name in listed(block.get("across"))
    ]
    stamped = _stamped(sketch)
    columns = [name for name in own if name not in levels and name not in stamped]
    form = [text for one in judged.readings for text in _texts_of_form(one)]
    bits = _bits_left(judged) + _bits_of_layout(sketch, form) + bits_of_texts(form)
    bits += sum(_bits_of_field(parts, name, "tab") for name in own if name in stamped)
    blocks = (sketch.block, *sketch.more)
    carried = {name for one in blocks for name in listed(one.get("carry_down"))}
    if levels:
        values = [name for name in columns if _is_value(sketch, name)]
        stub = [name for name in columns if name not in values]
        along = "column" if sketch.turned else "row"
        for name in stub:
            bits += _bits_of_field(parts, name, "run" if name in carried else along)
        bits += sum(_bits_of_field(parts, name, "cell") for name in values)
    else:
        for name in columns:
            bits += _bits_of_field(parts, name, "run" if name in carried else "cell")
    return bits


def _batches(reading: TabReading) -> list[pa.RecordBatch]:
    """The records of a tab, table by table: tables side by side share rows."""
    every = [one.batch for one in reading.blocks] or list(reading.tables.values())
    return [one for one in every if one.num_rows]


def _stamped(sketch: Sketch) -> set[str]:
    blocks = (block.get("stamps", {}) for block in (sketch.block, *sketch.more))
    return {*sketch.stamps, *sketch.captured, *(name for own in blocks for name in own)}


def _is_value(sketch: Sketch, name: str) -> bool:
    for block in (sketch.block, *sketch.more):
        value = block.get("value", ())
        if name in (value if isinstance(value, list | tuple) else listed(value)):
            return True
    return False


def _bits_of_layout(sketch: Sketch, form: Sequence[str]) -> float:
    """Keys, types, and the names of fields: one of the texts of the form, or a word of ours."""
    keys = len(sketch.stamps) + sum(map(len, (sketch.block, *sketch.more)))
    words = {field_name(text) for text in set(form)}
    names = sum(_NAME if name in words else LETTER * (len(name) + 1) for name in sketch.fields)
    return keys * _KEY + len(sketch.fields) * TYPE + names


_NAME = 4.0
"""Which of the texts of a form names a field."""


def _texts_of_form(reading: TabReading) -> list[str]:
    """The texts of a tab that are in no record: headings, labels, names of totals, and what a rule
    leaves out."""
    sheet, roles = reading.roles.sheet, reading.roles
    masks = [roles.mask_of(role) for role in (Role.LABEL, Role.HEADING, Role.LEFT_OUT)]
    masks.append(roles.mask_of(Role.TOTAL) & sheet.is_text)
    places = np.nonzero(np.logical_or.reduce(masks))
    return [cell_text(sheet.rows[row][at]) for row, at in zip(*places, strict=True)]


def _bits_left(judged: Judgement) -> float:
    """What is left over: cells without a place cost their place and what stands in them, as do
    totals that are no sums; what a judgement has against a reading besides as it says."""
    masks = [(one.roles.sheet, one.roles.unplaced_mask) for one in judged.readings]
    unplaced = [
        cell_text(sheet.rows[row][at])
        for sheet, mask in masks
        for row, at in zip(*np.nonzero(mask), strict=True)
    ]
    literally = sum(LETTER * (len(text) + 1) for text in unplaced)
    totals = sum(
        int(np.count_nonzero(one.roles.mask_of(Role.TOTAL) & ~one.roles.sheet.is_text))
        for one in judged.readings
    )
    more = max(totals - judged.agree, 0) * BITS_OF_TEXT
    # There a text costs the same whatever it says.
    return judged.bits_left + literally - len(unplaced) * BITS_OF_TEXT + more


def _bits_of_field(parts: list[pa.RecordBatch], name: str, per: str) -> float:
    """A field of the records; what one cell gives to several of them is paid once."""
    columns = [
        batch.column(name).take(pa.array(_first_of_each(_keys(batch, per, name))))
        for batch in parts
        if name in batch.schema.names
    ]
    # A table without any value of a field has no column for it.
    there = [one for one in columns if one.null_count < len(one)]
    presence = sum(bits_of_presence(len(one) - one.null_count, len(one)) for one in there)
    return presence + _bits_of_values([one.drop_null() for one in there])


def _bits_of_values(columns: list[pa.Array]) -> float:
    """All values of one field, in order."""
    if not columns:
        return 0.0
    kind = columns[0].type
    if pa.types.is_boolean(kind):
        return float(sum(map(len, columns)))
    if pa.types.is_dictionary(kind) or pa.types.is_string(kind):
        return bits_of_texts([text for one in columns for text in one.to_pylist()])
    return bits_of_numbers(np.concatenate(list(map(_numbers, columns))))


def _numbers(column: pa.Array) -> NDArray[np.float64]:
    """Numbers as they are; moments as days, seconds or parts of them, as they are kept."""
    if pa.types.is_temporal(column.type):
        column = column.cast(pa.int32() if column.type.bit_width == 32 else pa.int64())
    numbers: NDArray[np.float64] = column.cast(pa.float64(), safe=False).to_numpy(
        zero_copy_only=False
    )
    return numbers


def _keys(batch: pa.RecordBatch, per: str, name: str) -> list[Hashable]:
    """What tells the cells apart that a field of each record is read from."""
    if per == "run":  # a value that is carried down stands once
        values = batch.column(name).to_pylist()
        return list(accumulate(a != b for a, b in zip(values, [object(), *values], strict=False)))
    if per == "cell":
        return list(range(batch.num_rows))
    if per == "tab":
        return [0] * batch.num_rows
    axis = 0 if per == "row" else 1
    cells = batch.column("source_cell").to_pylist()
    return [parse_address(one)[axis] if one else -1 for one in cells]


def _first_of_each(keys: list[Hashable]) -> list[int]:
    first: dict[Hashable, int] = {}
    for at, key in enumerate(keys):
        first.setdefault(key, at)
    return list(first.values())
