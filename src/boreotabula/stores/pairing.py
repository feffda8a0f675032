"""Which row of an existing table is which record: by the key, else by the source."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import pyarrow as pa

from boreotabula.layout.model import PROVENANCE
from boreotabula.stores.csv import column_texts, field_type

RowSource = tuple[str, str, str]
"""Source file, tab and cell; blank texts where a row is of no run."""
Values = tuple[str, ...]
"""The values of the fields as texts, blanks as empty texts."""


@dataclass(frozen=True)
class PairingRows:
    """The rows of a table, or the records of a run: their values and sources."""

    values: Sequence[Values]
    sources: Sequence[RowSource]
    names: Sequence[Values] = ()
    """The values that are no numbers: they say what a record is about."""
    keys: Sequence[Values] = ()
    """The values of the key, if there is one."""


def pairing_rows(
    records: pa.Table,
    key: Sequence[str],
    renamed: Mapping[str, str] | None = None,
    fitted: Callable[[str], str] = str,
) -> PairingRows:
    """Records as lines: all fields but those of the source.

    `renamed` maps earlier names of files to present ones; `fitted` gives a text as the table can
    hold it.
    """
    fields = [value for value in records.schema if value.name not in PROVENANCE]
    texts = {
        value.name: [fitted(text or "") for text in column_texts(records.column(value.name), value)]
        for value in records.schema
    }

    def tuples(names: Iterable[str]) -> list[Values]:
        tuples = list(zip(*(texts[name] for name in names), strict=True))
        # Without fields there still is a line for each record.
        return tuples or [()] * records.num_rows

    values = tuples(one.name for one in fields)
    names = tuples(one.name for one in fields if not field_type(one).is_number)
    known = renamed or {}
    sources = [(known.get(file, file), tab, cell) for file, tab, cell in tuples(PROVENANCE)]
    return PairingRows(values, sources, names, tuples(key) if key else [])


@dataclass
class Pairs:
    """For each record its row, if it has one; and the rows to remove."""

    rows: list[int | None]
    gone: list[int] = field(default_factory=list)


def paired(rows: PairingRows, records: PairingRows, again: Collection[str]) -> Pairs:
    """Pair the rows of a table with the records that are written now.

    `again` are the files whose records are written now: their rows that are no longer records are
    removed, all others stay. With a key, rows are recognised whatever file they are from. Without
    one a row is recognised by its values within its tab, then by those that are no numbers, so that
    it stays with its record when rows were added above it in the form; then by its cell; rows of
    no run by their values alone.
    """
    pairs = Pairs([None] * len(records.values))
    if rows.keys:
        # A key says itself which record a row is.
        _pair(pairs, _places(rows.keys), records.keys)
    else:
        # From what says most to what says least, each only for rows that are still alone.
        for known in (_by_all, _by_values, _by_names, _by_cell):
            _pair(pairs, _places(known(rows), _of(rows, again)), known(records))
        # Rows that a person has typed, and that a form reports now.
        _pair(pairs, _places(rows.values, _of(rows, ("",))), records.values)
    taken = set(pairs.rows)
    pairs.gone = [index for index in _of(rows, again) if index not in taken]
    return pairs


def _of(rows: PairingRows, files: Collection[str]) -> list[int]:
    return [index for index, source in enumerate(rows.sources) if source[0] in files]


def _by_all(lines: PairingRows) -> list[Values]:
    return [(*source, *value) for source, value in zip(lines.sources, lines.values, strict=True)]


def _by_values(lines: PairingRows) -> list[Values]:
    return [
        (*source[:2], *value) for source, value in zip(lines.sources, lines.values, strict=True)
    ]


def _by_names(lines: PairingRows) -> list[Values]:
    return [(*source[:2], *name) for source, name in zip(lines.sources, lines.names, strict=True)]


def _by_cell(lines: PairingRows) -> Sequence[Values]:
    return lines.sources


def _places(
    known_groups: Sequence[Values], chosen: Iterable[int] | None = None
) -> Mapping[Values, deque[int]]:
    """The rows by identity; rows with the same one in order."""
    places: dict[Values, deque[int]] = defaultdict(deque)
    # Of equal rows the first belongs to the first, so that their order stays.
    for index in range(len(known_groups)) if chosen is None else chosen:
        if any(known_groups[index]):
            places[known_groups[index]].append(index)
    return places


def _pair(pairs: Pairs, places: Mapping[Values, deque[int]], wanted: Sequence[Values]) -> None:
    taken = {row for row in pairs.rows if row is not None}
    for number, known_texts in enumerate(wanted):
        waiting = places.get(known_texts) if pairs.rows[number] is None else None
        while waiting:
            index = waiting.popleft()
            if index not in taken:
                pairs.rows[number] = index
                taken.add(index)
                break
