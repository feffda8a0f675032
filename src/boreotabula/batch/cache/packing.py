"""A reading as bytes, to be kept or sent, and back.

Its head is an Arrow stream of the unplaced cells, whose metadata holds everything but cells as
JSON. Its body holds the records: for each output table an Arrow stream with a row for each tab,
with the values that all its records share, and one with a batch for each tab, with the rest.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time
from decimal import Decimal
from functools import cached_property
from itertools import pairwise
from sys import intern
from typing import Any

import pyarrow as pa

from boreotabula.batch.file.facts import TabFacts
from boreotabula.batch.file.read import FileReading, TabResult
from boreotabula.findings.catalogue import finding_kind
from boreotabula.findings.finding import Finding
from boreotabula.layout.addresses import Address
from boreotabula.reading.account.roles import Account, Role
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.records.levels import LevelHeading
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.reading.values.arrays import plain_type, repeated

StreamPlace = tuple[int, int]
"""Where the records of a table of a tab are: the index of their two streams, and of a batch."""


class Streams:
    """The records of a reading as Arrow streams; subclasses say where the bytes are."""

    ends: Sequence[int] = ()
    """The end of each stream; the first begins at 0."""
    columns: Sequence[Sequence[str]] = ()
    """The columns of each pair of streams, in order."""

    @property
    def content(self) -> pa.Buffer | None:
        """The bytes of all streams; None if they are damaged."""
        raise NotImplementedError

    def anew(self, tab: int, table: str) -> pa.RecordBatch:
        """The records of a table of a tab, read again from the file."""
        raise NotImplementedError

    @cached_property
    def _batches(self) -> list[list[pa.RecordBatch]] | None:
        content = self.content
        # Damage is met here, once for all tables, and answered by reading the file again.
        if content is None:
            return None
        batches = []
        # Slices share the memory of the whole, so nothing is copied.
        for start, end in pairwise([0, *self.ends]):
            with pa.ipc.open_stream(content.slice(start, end - start)) as reader:
                batches.append(list(reader))
        return batches

    def batch(self, place: StreamPlace, tab: int, table: str) -> pa.RecordBatch:
        """The records of a table of a tab."""
        if self._batches is None:
            return self.anew(tab, table)
        group, number = place
        (once,), values = self._batches[2 * group], self._batches[2 * group + 1]
        return _read(once, number, values[number], self.columns[group])


@dataclass(frozen=True)
class Packed:
    """A reading as bytes: small, to be kept or sent."""

    head: bytes
    body: bytes

    def reading(self) -> FileReading:
        """The reading; its records are unpacked when they are first used."""
        return read_head(self.head, _InMemory(self.body))


class _InMemory(Streams):
    def __init__(self, body: bytes) -> None:
        self._body = body

    @property
    def content(self) -> pa.Buffer:
        """The bytes of all streams."""
        return pa.py_buffer(self._body)


def packed(reading: FileReading) -> Packed:
    """A reading as bytes."""
    # By schema as well: an Arrow stream has one schema, but two tabs of a table may differ in a
    # dictionary's type.
    groups: dict[tuple[str, _Key], list[pa.RecordBatch]] = {}
    places: list[dict[str, StreamPlace]] = []
    for tab in reading.tabs:
        places.append({})
        for table, batch in tab.tables.items():
            group = groups.setdefault((table, _Key(batch.schema)), [])
            # The number of a group is its place among the keys, as dictionaries keep their order.
            places[-1][table] = (list(groups).index((table, _Key(batch.schema))), len(group))
            group.append(batch)
    sink = pa.BufferOutputStream()
    ends = [end for group in groups.values() for end in _write(group, sink)]
    tabs = [_described(tab, place) for tab, place in zip(reading.tabs, places, strict=True)]
    head = {
        "name": reading.name,
        "size": reading.size,
        "digest": reading.digest,
        "read": reading.read,
        "ends": ends,
        "columns": [schema.names for _, schema in groups],
        "tabs": tabs,
        "other_tabs": reading.other_tabs,
        "patterns": reading.patterns,
        "findings": [_stored(finding) for finding in reading.findings],
        "read_as": reading.read_as,
        "guessed": reading.guessed,
    }
    about = json.dumps(head, ensure_ascii=False).encode()
    # The unplaced cells come first because every command needs them; the records are often not
    # needed at all.
    return Packed(reading.unplaced.packed({_ABOUT: about}), sink.getvalue().to_pybytes())


def _described(tab: TabResult, places: Mapping[str, StreamPlace]) -> dict[str, object]:
    """A tab as plain data; `places` are those of its records by output table."""
    return {
        "name": tab.name,
        "places": places,
        "filled": tab.account.filled,
        "roles": {role.name: count for role, count in tab.account.roles.items()},
        "left_out": tab.account.left_out,
        "form": tab.form,
        "headings": [tuple(vars(heading).values()) for heading in tab.headings],
        "totals": vars(tab.totals),
        "records": tab.record_count,
        "facts": {
            **vars(tab.facts),
            "stamps": _plain(tab.facts.stamps),
            "from_tab": sorted(tab.facts.from_tab),
        },
    }


def without_records(reading: FileReading) -> bytes:
    """A reading without its records, as bytes: see `read_without_records`."""
    tabs = tuple(replace(tab, tables={}) for tab in reading.tabs)
    return packed(replace(reading, tabs=tabs)).head


def read_without_records(head: bytes) -> FileReading:
    """The reading whose records are stored elsewhere."""
    return read_head(head, Streams())


_ABOUT = b"boreotabula_reading"


def read_head(head: bytes, body: Streams) -> FileReading:
    """The reading with this head, and with its records in a body. Raises ValueError, KeyError or
    TypeError if the head is invalid.

    Names that many files have in common are interned, as they stay for the whole run.
    """
    unplaced, metadata = UnplacedCells.unpacked(head)
    about = json.loads(metadata[_ABOUT])
    body.ends, body.columns = about["ends"], about["columns"]
    tabs = tuple(
        TabResult(
            name=intern(value["name"]),
            tables=_Tables(body, index, value["places"]),
            account=Account(
                value["filled"],
                {Role[name]: count for name, count in value["roles"].items()},
                value["left_out"],
            ),
            form=intern(value["form"]),
            headings=tuple(
                LevelHeading(field, text, Address(*at), records)
                for field, text, at, records in value["headings"]
            ),
            totals=TotalsCount(**value["totals"]),
            facts=_facts(value["facts"]),
            record_count=value["records"],
        )
        for index, value in enumerate(about["tabs"])
    )
    return FileReading(
        name=about["name"],
        size=about["size"],
        digest=about["digest"],
        tabs=tabs,
        other_tabs=about["other_tabs"],
        patterns=tuple(about["patterns"]),
        findings=tuple(map(_finding, about["findings"])),
        unplaced=unplaced,
        read=about["read"],
        read_as=about["read_as"],
        guessed=about["guessed"],
    )


class _Tables(Mapping[str, pa.RecordBatch]):
    """The records of a tab by output table."""

    def __init__(self, body: Streams, tab: int, places: Mapping[str, Sequence[int]]) -> None:
        self._body, self._tab, self._places = body, tab, places

    def __getitem__(self, table: str) -> pa.RecordBatch:
        stream, number = self._places[table]
        return self._body.batch((stream, number), self._tab, table)

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)


# --- values that JSON does not know ---------------------------------------------------------------


def _stored(finding: Finding) -> tuple[object, ...]:
    # The first field is the kind, which is not plain data; its code stands for it.
    kind, *values = vars(finding).values()
    return (kind.code, *values)


def _finding(stored: Sequence[Any]) -> Finding:
    code, message, advice, value, *values = stored
    return Finding(finding_kind(code), message, advice, value and Address(*value), *values)


def _facts(stored: Mapping[str, Any]) -> TabFacts:
    return TabFacts(
        **{
            **stored,
            "stamps": _meant(stored["stamps"]),
            "from_tab": frozenset(map(intern, stored["from_tab"])),
            "sums": {intern(name): value for name, value in stored["sums"].items()},
            "beside": {
                name: (text, Address(*value)) for name, (text, value) in stored["beside"].items()
            },
            "texts": tuple(map(tuple, stored["texts"])),
            "largest": {
                name: tuple(map(tuple, value)) for name, value in stored["largest"].items()
            },
            "empty": tuple(stored["empty"]),
            "by_position": {key: tuple(value) for key, value in stored["by_position"].items()},
            "position_cells": {
                key: Address(*value) for key, value in stored["position_cells"].items()
            },
            "leading": {key: tuple(value) for key, value in stored["leading"].items()},
            "columns": {key: tuple(value) for key, value in stored["columns"].items()},
            "ends": {name: tuple(value) for name, value in stored["ends"].items()},
            "ways": tuple(map(tuple, stored["ways"])),
            "doubtful": tuple(stored["doubtful"]),
        }
    )


# The order matters: a datetime is a date as well, so it must be asked for first.
_KINDS: Mapping[str, tuple[type, Callable[[str], object]]] = {
    "datetime": (datetime, datetime.fromisoformat),
    "date": (date, date.fromisoformat),
    "time": (time, time.fromisoformat),
    "decimal": (Decimal, Decimal),
}
"""Values that JSON does not have: written as their kind and their text; a datetime is a date."""


def _plain(values: Mapping[str, object]) -> dict[str, object]:
    return {
        name: next(
            (
                [kind, str(value)]
                for kind, (known_class_, _) in _KINDS.items()
                # Asked by isinstance, so that subclasses of a library are stored as what they
                # are.
                if isinstance(value, known_class_)
            ),
            value,
        )
        for name, value in values.items()
    }


def _meant(values: Mapping[str, Any]) -> dict[str, object]:
    return {
        # A list can only be one of these pairs, since no stamp holds a list.
        intern(name): _KINDS[value[0]][1](value[1]) if isinstance(value, list) else value
        for name, value in values.items()
    }


# --- what all records of a tab share --------------------------------------------------------------


class _Key:
    """A schema as part of a key: with the metadata of its fields, which Arrow ignores."""

    def __init__(self, schema: pa.Schema) -> None:
        self._schema = schema
        self.names: list[str] = schema.names

    def __eq__(self, value: object) -> bool:
        # Arrow ignores the metadata of fields by default, but the metadata says what a field
        # means.
        return isinstance(value, _Key) and self._schema.equals(value._schema, check_metadata=True)

    def __hash__(self) -> int:
        return hash(tuple(self.names))


def _shared(batches: Sequence[pa.RecordBatch]) -> list[int]:
    """The columns with a single value in each batch; the last column always stays with the
    others."""
    group = [batch for batch in batches if batch.num_rows]
    # One column must remain: a batch without columns has no number of rows.
    columns = range(batches[0].num_columns - 1)
    return [
        column
        for column in columns
        if all(_holds_one_value(batch.column(column)) for batch in group)
    ]


def _holds_one_value(column: pa.Array) -> bool:
    # “One value” must hold for all rows, so a gap among them forbids it.
    if column.null_count:
        return False
    if pa.types.is_dictionary(column.type):
        # Only types for which this is known without going through the rows.
        return len(column.dictionary) == 1
    if pa.types.is_date32(column.type):
        days = column.view(pa.int32()).to_numpy()
        return bool((days == days[0]).all())
    return False


def _write(batches: Sequence[pa.RecordBatch], sink: pa.BufferOutputStream) -> Iterator[int]:
    """Write batches of one schema as two streams, and return where each ends.

    The first has a row for each batch with the columns whose values its records share, the second
    the other columns.
    """
    # What all records of a tab share, such as its name, is written once instead of once a row.
    shared = _shared(batches)
    fields = [*batches[0].schema]
    once = [
        pa.array([_first(batch.column(index)) for batch in batches], plain_type(fields[index].type))
        for index in shared
    ]
    schema = pa.schema(
        [fields[index].with_type(value.type) for index, value in zip(shared, once, strict=True)]
    )
    with pa.ipc.new_stream(sink, schema) as writer:
        writer.write_batch(pa.RecordBatch.from_arrays(once, schema=schema))
    yield sink.tell()
    other_numbers = [index for index in range(len(fields)) if index not in shared]
    # One stream for all tabs of a table; a stream each would repeat its schema.
    with pa.ipc.new_stream(sink, pa.schema([fields[index] for index in other_numbers])) as writer:
        for batch in batches:
            writer.write_batch(batch.select(other_numbers))
    yield sink.tell()


def _first(column: pa.Array) -> object:
    """The value that all of a column have; None without records."""
    if not len(column):
        return None
    return (column.dictionary if pa.types.is_dictionary(column.type) else column)[0].as_py()


def _read(
    once: pa.RecordBatch, number: int, value: pa.RecordBatch, names: Sequence[str]
) -> pa.RecordBatch:
    """A batch with all of its columns, in order."""
    fields = {one.name: one for one in value.schema}
    arrays = dict(zip(value.schema.names, value.columns, strict=True))
    for field, column in zip(once.schema, once.columns, strict=True):
        # Spread out again only when the records are asked for.
        arrays[field.name] = repeated(column.slice(number, 1), value.num_rows)
        fields[field.name] = field.with_type(arrays[field.name].type)
    # Their order is that of the layout, which the two streams do not keep.
    schema = pa.schema([fields[name] for name in names])
    return pa.RecordBatch.from_arrays([arrays[name] for name in names], schema=schema)
