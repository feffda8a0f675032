"""Rows where only a person knows whether they are records."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.drafting.doubts import Doubt
from boreotabula.drafting.draft import Draft
from boreotabula.drafting.sketch import Sketch, key_texts
from boreotabula.reading.cells import cell_text
from boreotabula.reading.tab import ReadBlock
from boreotabula.texts import counted


def about_rows(draft: Draft) -> Iterator[Doubt]:
    """The questions whether some rows are records."""
    yield from _without_name(draft)
    yield from _not_filled_in(draft)
    yield from _numbered_above(draft)
    yield from _said_again(draft)


def _without_name(draft: Draft) -> Iterator[Doubt]:
    """The question whether rows of a list are records without the fields that name the others."""
    sketch = draft.sketch
    own = sketch.table_fields
    carried = key_texts(sketch.block.get("carry_down"))
    # One column more than the name: with two columns a blank name is most likely a group.
    if not sketch.listed or sketch.more or len(own) < _FEWEST_FIELDS or own[0] in carried:
        return
    lacking: list[tuple[str, str, str, Any]] = []
    every = 0
    for example, reading in zip(draft.judged.examples, draft.judged.readings, strict=True):
        for batch in reading.tables.values():
            if own[0] not in batch.schema.names:
                continue
            every += batch.num_rows
            blank = batch.filter(pc.is_null(batch.column(own[0])))
            for record in blank.select([*own[1:], "source_cell"]).to_pylist():
                cell = record.pop("source_cell") or ""
                text = next((value for value in record.values() if value is not None), "")
                lacking.append((example.file, example.tab, cell.partition(":")[0], text))
    # Where many rows lack it, the column does not name them.
    if 0 < len(lacking) < _MOST_LACKING * every:
        file, tab, cell, text = lacking[0]
        them = "it is a record" if len(lacking) == 1 else "they are records"
        yield Doubt(
            kind="row",
            text=f"{counted(len(lacking), 'row')} {'has' if len(lacking) == 1 else 'have'} no"
            f" “{own[0]}”, which all others have; {them} nevertheless",
            change=_LEAVE_OUT, file=file, tab=tab, cell=cell, column=own[0],
            choices=(them, "left out"), records=len(lacking), example=f": {text}",
        )  # fmt: skip


_FEWEST_FIELDS, _MOST_LACKING = 3, 0.4
_LEAVE_OUT = "what is no record is left out by `skip` in [block], a pattern of its first cell"


def not_filled_in(draft: Draft) -> list[tuple[str, str, pa.RecordBatch]]:
    """File, tab and records of the lists that hold only the names of their rows."""
    sketch = draft.sketch
    values = _values(sketch)
    if not sketch.listed or sketch.more or "stub" in sketch.block or not values:
        return []
    return [
        (example.file, example.tab, batch)
        for example, reading in zip(draft.judged.examples, draft.judged.readings, strict=True)
        for batch in reading.tables.values()
        if batch.num_rows and set(values) <= set(batch.schema.names)
        and all(batch.column(name).null_count == batch.num_rows for name in values)
    ]  # fmt: skip


def _values(sketch: Sketch) -> list[str]:
    """The fields of a list that do not name its rows."""
    return [name for name in sketch.table_fields if name not in sketch.naming_fields]


def _not_filled_in(draft: Draft) -> Iterator[Doubt]:
    """The question whether the rows of a list are records where a tab holds only their names: a
    form that nobody has filled in."""
    bare = not_filled_in(draft)
    if bare:
        file, tab, batch = bare[0]
        rows = sum(batch.num_rows for *_, batch in bare)
        cell = str(batch.column("source_cell")[0]).partition(":")[0]
        yield Doubt(
            kind="row",
            text=f"{counted(len(bare), 'tab')} {'holds' if len(bare) == 1 else 'hold'}"
            " names without any value, and may not be filled in;"
            f" their {counted(rows, 'row')} are records nevertheless",
            change="leave out what is not filled in: a file with `exclude` in [source], a tab with"
            " `except` in [tabs]",
            file=file, tab=tab, cell=cell, column=_values(draft.sketch)[0],
            choices=("records", "left out"), records=rows,
        )  # fmt: skip


def _numbered_above(draft: Draft) -> Iterator[Doubt]:
    """The question whether rows without a number are records where the rows below are numbered
    under them.

    A1 is below A, and 2.1 below 2: such rows may name groups.
    """
    if not draft.sketch.listed:
        return
    above = [
        (example, str(block.view.address(row, block.columns.left)), text)
        for example, reading in zip(draft.judged.examples, draft.judged.readings, strict=True)
        for block in reading.blocks
        for row, text in _rows_above(block)
    ]
    if above:
        example, cell, text = above[0]
        extra = f" ({len(above) - 1} more like it)" if len(above) > 1 else ""
        yield Doubt(
            kind="row",
            text=f"“{text}” has no number, and the rows below it are numbered below"
            f" it{extra}; it is a record nevertheless",
            change="if it names a group, write `group_row` with its names into [block]",
            file=example.file, tab=example.tab, cell=cell, column="",
            choices=("a record", "a group"), records=len(above),
        )  # fmt: skip


def _rows_above(block: ReadBlock) -> Iterator[tuple[int, str]]:
    """The record rows without a number whose first cell the next rows begin with."""
    # Numbering without the name of a group is how outlines are written.
    left, right = block.columns.left, block.columns.right
    rows = block.table.records
    firsts = [cell_text(block.view.rows[row][left]).strip().rstrip(".") for row in rows]
    for place, (row, first) in enumerate(zip(rows, firsts, strict=True)):
        numbers = block.view.numbers[row, left + 1 : right]
        after = firsts[place + 1] if place + 1 < len(firsts) else ""
        below = after.startswith(first) and after[len(first) :].lstrip(".- ")[:1].isdigit()
        if first and below and after != first and not np.isfinite(numbers).any():
            texts = block.view.rows[row][left:right]
            yield row, " ".join(cell_text(cell) for cell in texts if cell != "")


def _said_again(draft: Draft) -> Iterator[Doubt]:
    """The question whether rows are records that name another row, and repeat its numbers."""
    again = [
        (example, str(block.view.address(row, block.columns.left)), text, other_text)
        for example, reading in zip(draft.judged.examples, draft.judged.readings, strict=True)
        for block in reading.blocks
        for row, text, other_text in _rows_again(block)
    ]
    if again:
        example, cell, text, other_text = again[0]
        extra = f" ({len(again) - 1} more like it)" if len(again) > 1 else ""
        yield Doubt(
            kind="row",
            text=f"“{text}” holds the same numbers as “{other_text}”, which it"
            f" names{extra}; it is a record nevertheless",
            change=_LEAVE_OUT, file=example.file, tab=example.tab, cell=cell, column="",
            choices=("a record", "left out"), records=len(again),
        )  # fmt: skip


def _rows_again(block: ReadBlock) -> Iterator[tuple[int, str, str]]:
    """The record rows that repeat the numbers of another row whose name is part of theirs; each
    with both names."""
    columns = slice(block.columns.left, block.columns.right)
    names: dict[tuple[float, ...], list[str]] = {}
    rows: list[tuple[int, str, tuple[float, ...]]] = []
    for row in block.table.records:
        texts = (cell for cell in block.view.rows[row][columns] if isinstance(cell, str))
        numbers = block.view.numbers[row, columns]
        key = tuple(numbers[np.isfinite(numbers)].tolist())
        text = next((text.strip() for text in texts if text.strip()), "")
        # Two numbers at least: one may come again by chance.
        if text and len(key) >= _FEWEST_NUMBERS and any(key):
            names.setdefault(key, []).append(text)
            rows.append((row, text, key))
    for row, text, key in rows:
        for other_text in names[key]:
            if other_text != text and re.search(rf"\b{re.escape(other_text)}\b", text):
                yield row, text, other_text
                break


_FEWEST_NUMBERS = 2
"""One number may be repeated by coincidence."""
