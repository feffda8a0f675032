"""The kinds of output, by the ending of their name, and how each is written."""

from __future__ import annotations

import gzip
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import BinaryIO, Protocol

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.stores.csv import MARKS, CsvWriter


class Writer(Protocol):
    """Takes record batches of one schema, in order."""

    def write(self, batch: pa.RecordBatch) -> None:
        """Write the records of a batch."""


Open = Callable[[BinaryIO, Mapping[str, pa.Schema], Sequence[str]], "Opened"]
"""Starts an output on a stream: the schema of each table, and the key of the layout."""


class Opened(Protocol):
    """An output that is being written."""

    @property
    def writers(self) -> Mapping[str, Writer]:
        """The writer of each table."""

    def close(self) -> None:
        """Write the end."""

    def abandon(self) -> None:
        """Discard it without writing the end."""


@dataclass(frozen=True)
class OutputKind:
    """A kind of output."""

    open: Open
    several: bool = False
    """Whether one file holds several tables."""
    is_csv: bool = False
    """Whether texts stand beside numbers without a type, as in CSV."""
    by_line: bool = False
    """Whether records are lines of text that can be copied from an older output."""


@dataclass
class _Single:
    """An output of one table; its writer may have an end to write."""

    writers: Mapping[str, Writer]
    ends: Sequence[Callable[[], None]] = ()
    let_go: Callable[[], None] = lambda: None

    def close(self) -> None:
        for end in self.ends:
            end()

    def abandon(self) -> None:
        self.let_go()


def _csv(
    stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str], mark: str = ","
) -> Opened:
    return _Single({table: CsvWriter(stream, schema, mark) for table, schema in schemas.items()})


def _csv_gz(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    # Neither name nor time is written, so that the same records give the same bytes.
    packed = gzip.GzipFile("", "wb", 6, stream, mtime=0)
    ((table, schema),) = schemas.items()
    # Left open, it would write its end when the stream is closed already.
    return _Single({table: CsvWriter(packed, schema)}, [packed.close], packed.close)  # type: ignore[arg-type]


def _jsonl(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    from boreotabula.stores.jsonl import JsonLinesWriter

    return _Single({table: JsonLinesWriter(stream, schema) for table, schema in schemas.items()})


def _parquet(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    from boreotabula.stores.columnar import ParquetWriter

    ((table, schema),) = schemas.items()
    writer = ParquetWriter(stream, schema)
    # Left open, it would write its end when the stream is closed already.
    return _Single({table: writer}, [writer.close], writer.close)


def _arrow(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    from boreotabula.stores.columnar import ArrowWriter

    ((table, schema),) = schemas.items()
    writer = ArrowWriter(stream, schema)
    return _Single({table: writer}, [writer.close], writer.close)


def _xlsx(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    from boreotabula.stores.xlsx import NewWorkbook

    return NewWorkbook(stream, schemas)


def _sqlite(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    # Imported where they are used: an extract into CSV must not pay for databases.
    from boreotabula.stores.bases.new import new_sqlite

    # The hidden file that the stream writes to is the database; it is still empty.
    base, writers = new_sqlite(Path(stream.name), schemas, key)
    return _Single(writers, [base.commit, base.close], base.close)


def _duckdb(stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str]) -> Opened:
    from boreotabula.stores.bases.new import NewDuck

    return NewDuck(stream, schemas, key)


KINDS: Mapping[str, OutputKind] = {
    ".csv": OutputKind(_csv, is_csv=True, by_line=True),
    ".csv.gz": OutputKind(_csv_gz, is_csv=True),
    ".tsv": OutputKind(partial(_csv, mark=MARKS[".tsv"]), is_csv=True, by_line=True),
    ".psv": OutputKind(partial(_csv, mark=MARKS[".psv"]), is_csv=True, by_line=True),
    ".jsonl": OutputKind(_jsonl, by_line=True),
    ".parquet": OutputKind(_parquet),
    ".arrow": OutputKind(_arrow),
    ".xlsx": OutputKind(_xlsx, several=True),
    ".sqlite": OutputKind(_sqlite, several=True),
    ".duckdb": OutputKind(_duckdb, several=True),
}


def output_kind(out: Path) -> OutputKind | None:
    """The kind for the ending of a name; None if it has none, or an unknown one."""
    name = out.name.lower()
    return next((kind for ending, kind in KINDS.items() if name.endswith(ending)), None)


def known_kind(out: Path) -> OutputKind:
    """The kind for the ending of a name. Raises CallError if it is unknown."""
    kind = output_kind(out)
    if kind is None:
        raise CallError(f"“{out}”: the ending chooses the kind of output: {', '.join(KINDS)}")
    return kind


@contextmanager
def open_output(
    kind: OutputKind, stream: BinaryIO, schemas: Mapping[str, pa.Schema], key: Sequence[str] = ()
) -> Iterator[Opened]:
    """An output on a stream, discarded if the block fails. The block must close it."""
    output = kind.open(stream, schemas, key)
    try:
        yield output
    except BaseException:
        # Letting go without an end leaves no file that looks whole.
        output.abandon()
        raise
