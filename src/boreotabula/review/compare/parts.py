"""Records split into parts on disk by their key: one key is in one part of both sides."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from boreotabula.review.compare.sides import Side

IN_A_PART = 250_000
"""About this many records of a side are in memory at a time."""
PLACE = "\x00place"
"""The column of a part that holds the index of each record within its side."""
_STEP = 8192
_MIXER = np.uint64(0x9E3779B97F4A7C15)


@dataclass(frozen=True)
class Split:
    """A side in parts: a file for each, and the number of its records."""

    files: Sequence[Path]
    records: int

    def part(self, number: int) -> pa.Table:
        """The records of a part."""
        with pa.memory_map(str(self.files[number])) as source:
            return pa.ipc.open_stream(source).read_all()


def split(
    side: Side,
    key: Sequence[str],
    names: Sequence[str],
    ways: Mapping[str, str],
    folder: Path,
    parts: int,
) -> Split:
    """Write the records of a side into parts, in order, with only some of their columns.

    `ways` gives the columns that change their form, see `formed`.
    """
    schema = pa.schema([*((name, pa.string()) for name in names), (PLACE, pa.int64())])
    files = [folder / f"{number}.arrow" for number in range(parts)]
    count = 0
    with ExitStack() as stack:
        writers = [stack.enter_context(pa.ipc.new_stream(str(file), schema)) for file in files]
        for batch in side.batches():
            # In steps, so that the parts of a large batch are not all in memory at once.
            for start in range(0, batch.num_rows, _STEP * 4):
                some = batch.slice(start, _STEP * 4)
                places = pa.array(np.arange(count, count + some.num_rows))
                count += some.num_rows
                columns = [formed(some.column(name), ways.get(name, "")) for name in names]
                whole = pa.RecordBatch.from_arrays([*columns, places], schema=schema)
                for number, part in _spread(whole, joined_texts(arrays_of(whole, key)), parts):
                    writers[number].write_batch(part)
    return Split(files, count)


def formed(texts: pa.Array, way: str) -> pa.Array:
    """Texts in a form shared with other types: numbers without trailing zeros, months as their
    first day."""
    texts = texts.cast(pa.string())
    if way == "number":
        short = pc.replace_substring_regex(texts, r"(\.\d*?)0+$", r"\1")
        return pc.replace_substring_regex(short, r"\.$", "")
    if way == "day":
        return pc.binary_join_element_wise(texts, "01", "-")
    return texts


def _spread(
    batch: pa.RecordBatch, keys: pa.Array, parts: int
) -> Iterator[tuple[int, pa.RecordBatch]]:
    if parts == 1:
        yield 0, batch
        return
    numbers = (hashes(keys) % np.uint64(parts)).astype(np.int64)
    for number in np.unique(numbers):
        yield int(number), batch.filter(pa.array(numbers == number))


def arrays_of(batch: pa.RecordBatch | pa.Table, names: Sequence[str]) -> list[pa.Array]:
    """Some columns as plain arrays."""
    columns = []
    for name in names:
        column = batch.column(name)
        columns.append(column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column)
    return columns


def joined_texts(columns: Sequence[pa.Array]) -> pa.Array:
    """Columns as one text for each record; blanks differ from all texts."""
    if not columns:
        raise ValueError("no columns to join")
    marked = [
        # The separator is doubled within texts, so that no two records give the same text.
        pc.fill_null(pc.replace_substring(column, "\x1f", "\x1f\x1f"), "\x1f-")
        for column in columns
    ]
    return pc.binary_join_element_wise(*marked, "\x1f|").cast(pa.large_string())


def hashes(texts: pa.Array) -> NDArray[np.uint64]:
    """A number for each text, equal for equal texts: its bytes weighted by position."""
    texts = texts.cast(pa.large_string())
    offsets = np.frombuffer(texts.buffers()[1], np.int64)[texts.offset :][: len(texts) + 1]
    data = np.frombuffer(texts.buffers()[2] or b"", np.uint8)[offsets[0] : offsets[-1]]
    starts = (offsets[:-1] - offsets[0]).astype(np.int64)
    lengths = np.diff(offsets)
    within = np.arange(len(data), dtype=np.uint64) - np.repeat(starts.astype(np.uint64), lengths)
    with np.errstate(over="ignore"):
        weights = (within + np.uint64(1)) * _MIXER
        weights ^= weights >> np.uint64(29)
        # Odd weights keep every bit of a byte; with even ones some texts would meet more often.
        values = (data.astype(np.uint64) + np.uint64(1)) * (weights | np.uint64(1))
        sums = np.zeros(len(texts), np.uint64)
        filled = lengths > 0
        if filled.any():
            sums[filled] = np.add.reduceat(values, starts[filled])
        mixed = sums * _MIXER
        return mixed ^ (mixed >> np.uint64(32))
