"""A folder of Parquet files, partitioned by the values of some fields:
`nursery=Frostmo/month=2026-01/`.

A folder for each value of the first field holds one for each value of the second, and so on; their
files hold the other columns. Values are written as in CSV, percent-encoded (RFC 3986); a blank is
`__HIVE_DEFAULT_PARTITION__`. Most programs that read Parquet know this layout of folders as Hive
partitioning.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote, unquote

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.errors import CallError
from boreotabula.layout.field_types import TextStyle
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.problems import did_you_mean
from boreotabula.reading.values.arrays import decoded, plain_schema
from boreotabula.stores.csv import column_text, field_type
from boreotabula.texts import in_natural_order

BLANK = "__HIVE_DEFAULT_PARTITION__"
_AT_ONCE = 512 * 1024
"""This many records are written together: each partition that they touch gets a file of them."""
_MOST = 10_000
"""Records written together may make at most this many folders: more are hardly intended."""


@dataclass(frozen=True)
class PartFile:
    """A file that was written: its path below the dataset, its bytes and records."""

    path: str
    size: int
    records: int


def check_partition(names: Sequence[str], schemas: Mapping[str, pa.Schema]) -> None:
    """Raises CallError if tables cannot be partitioned by some fields."""
    if len(set(names)) < len(names):
        raise CallError("--partition: each field can be named once")
    for table, schema in schemas.items():
        fields = [name for name in schema.names if name not in PROVENANCE]
        for name in names:
            if name not in fields:
                of = f"the table “{table}” has" if len(schemas) > 1 else "there is"
                raise CallError(f"--partition: {of} no field “{name}”{did_you_mean(name, fields)}")
            kind = field_type(schema.field(name))
            # Moments and decimals have a value for almost every record, and so would have a
            # folder.
            if (kind.is_number and kind.name != "integer") or kind.written is TextStyle.AS_MOMENT:
                raise CallError(
                    f"--partition: “{name}” holds {kind.wanted}; choose a field of texts, whole"
                    " numbers, dates or months, so that each value gets a folder"
                )
        if len(names) == len(fields):
            raise CallError("--partition: at least one field must be left for the files")


def write_parts(
    batches: Sequence[pa.RecordBatch], folder: Path, names: Sequence[str], label: str
) -> list[PartFile]:
    """Write records of one schema below a folder, a file for each partition that they touch.

    Within a file they keep their order; `label` names the files, so that those of a partition sort
    in order. Raises OSError, and CallError for far too many partitions.
    """
    if not any(batch.num_rows for batch in batches):
        return []
    # Dictionaries are decoded, since the files of a dataset must agree in their types.
    records = pa.Table.from_batches([_plain(batch) for batch in batches])
    parts = list(_split(records, names))
    if len(parts) > _MOST:
        raise CallError(
            f"--partition {','.join(names)} would make {len(parts):,} folders; choose fields with"
            " fewer values"
        )
    return [_write(part, folder, below, label) for below, part in parts]


def _plain(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Records with plain texts, not dictionary-encoded ones."""
    columns = list(map(decoded, batch.columns))
    return pa.RecordBatch.from_arrays(columns, schema=plain_schema(batch.schema))


def _split(records: pa.Table, names: Sequence[str]) -> Iterator[tuple[str, pa.Table]]:
    """The records of each partition, in order, and its folder."""
    if not names:
        yield "", records
        return
    group = np.zeros(records.num_rows, np.int64)
    steps: list[list[str]] = []
    for name in names:
        field = records.schema.field(name)
        text = column_text(records.column(name).combine_chunks(), field_type(field))
        once = text if pa.types.is_dictionary(text.type) else text.dictionary_encode()
        values = once.dictionary.cast(pa.string()).to_pylist()
        # The blank is one more value, behind all others.
        steps.append([*(_step(name, value) for value in values), _step(name, None)])
        codes = pc.fill_null(once.indices.cast(pa.int64()), len(values)).to_numpy()
        # One number for all fields, as digits: sorting it sorts by all of them.
        group = group * len(steps[-1]) + codes
    rest = records.drop_columns(list(names))
    array, codes = np.unique(group, return_inverse=True)
    # A stable sort keeps the order of the records within a partition.
    order = np.argsort(codes, kind="stable")
    ends = np.cumsum(np.bincount(codes, minlength=len(array)))
    for index, (code, end) in enumerate(zip(array.tolist(), ends.tolist(), strict=True)):
        below = []
        for step in reversed(steps):
            code, place = divmod(code, len(step))
            below.append(step[place])
        start = int(ends[index - 1]) if index else 0
        yield "/".join(reversed(below)), rest.take(pa.array(order[start:end]))


def _step(name: str, value: str | None) -> str:
    """The folder of a value; names of fields are encoded too, because they may be in any script."""
    # Encoded, so that a value with a slash makes no folder within a folder.
    shown = BLANK if value is None or value == "" else quote(value, safe=" ")
    if value == BLANK:  # a text of just these words is no blank
        shown = BLANK.replace("_", "%5F", 1)
    return f"{quote(name, safe=' ')}={shown}"


def _write(records: pa.Table, folder: Path, below: str, label: str) -> PartFile:
    """Write a file beside, then move it into place: a lost writer leaves none behind."""
    from pyarrow import parquet

    target = folder / below / f"part-{label}.parquet"
    target.parent.mkdir(parents=True, exist_ok=True)
    # Hidden while it is written: programs that read a dataset pass over such names.
    beside = target.with_name(f".{target.name}.{secrets.token_hex(4)}.part")
    try:
        parquet.write_table(records, beside, compression="zstd")
        size = beside.stat().st_size
        beside.replace(target)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise
    return PartFile(target.relative_to(folder).as_posix(), size, records.num_rows)


class PartedWriter:
    """Writes record batches of one schema below a folder, many at a time.

    The names of its files begin with `lead`, so that several writers can share a folder.
    """

    def __init__(self, folder: Path, names: Sequence[str], lead: str = "") -> None:
        self._folder, self._names, self._lead = folder, names, lead
        self._waiting: list[pa.RecordBatch] = []
        self._count = 0
        self._number = 0
        self.parts: list[PartFile] = []
        """The files written."""

    def write(self, batch: pa.RecordBatch) -> None:
        """Take the records of a batch; they are written together with others."""
        self._waiting.append(batch)
        self._count += batch.num_rows
        if self._count >= _AT_ONCE:
            self._flush()

    def close(self) -> None:
        """Write the rest."""
        self._flush()

    def _flush(self) -> None:
        if self._count:
            self._number += 1
            label = f"{self._lead}{self._number:06}"
            self.parts += write_parts(self._waiting, self._folder, self._names, label)
        self._waiting, self._count = [], 0


def clear_but(folder: Path, parts: Sequence[PartFile]) -> None:
    """Delete the leftovers of lost writers below a folder, so that only `parts` remain.

    Raises CallError if one of them is not as it was written.
    """
    wanted = {part.path: part.size for part in parts}
    for path in [path for path in folder.rglob("*") if path.is_file()]:
        # By size as well: a lost worker may have left half of a file under its name.
        below = path.relative_to(folder).as_posix()
        if below not in wanted:
            path.unlink()
        elif path.stat().st_size == wanted[below]:
            del wanted[below]
    if wanted:
        first = next(iter(wanted))
        raise CallError(
            f"{len(wanted):,} of {len(parts):,} files of the dataset are not there as they were"
            f" written, first “{first}”; nothing was put in place, run again"
        )


def in_order_of_parts(paths: Iterable[Path], folder: Path) -> list[Path]:
    """Files of a dataset in natural order."""
    return sorted(paths, key=lambda path: in_natural_order(path.relative_to(folder).as_posix()))


def partition_values(path: Path, folder: Path) -> dict[str, str | None]:
    """The values of the partition fields in the path of a dataset's file, as texts."""
    steps = path.relative_to(folder).parts[:-1]
    pairs = (step.partition("=") for step in steps)
    return {unquote(name): None if value == BLANK else unquote(value) for name, _, value in pairs}
