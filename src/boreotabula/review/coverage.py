"""Who reported when: records counted by sender and period, gaps shown as such."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.files import content_of
from boreotabula.layout.field_types import FIELD_TYPES, FieldType, Written
from boreotabula.layout.problems import did_you_mean
from boreotabula.review.crosstab import BLANK, Cross, Label, Wish, crosstab, natural
from boreotabula.stores.csv import field_type
from boreotabula.stores.records import texts_of

_MOST_MONTHS = 1200


@dataclass(frozen=True)
class Coverage:
    """Counts of records as a cross-tab, and what stands out."""

    cross: Cross
    never: tuple[Label, ...]
    """Those who must report and never did."""
    gaps: tuple[tuple[Label, str], ...]
    """Who lacks which period, those who never reported aside."""
    late: tuple[tuple[Label, str, int], ...]
    """Whose last report is not of the last period: which it is of, and how many periods behind."""
    double: tuple[tuple[Label, str, tuple[str, ...]], ...]
    """For which period there are reports from several files."""

    @property
    def complete(self) -> bool:
        """Whether everybody reported for every period."""
        return not self.never and not self.gaps


def coverage(
    table: pa.Table, rows: Sequence[str], across: str, expected: Iterable[Label] = ()
) -> Coverage:
    """Count the records of each sender and period. Raises CallError for unknown fields.

    Between the first and the last month all months are shown, whether anybody reported or not.
    """
    if not rows:
        raise CallError("say who reports with --rows, such as --rows nursery")
    found = crosstab(table, Wish(tuple(rows), across, None, "count"))
    columns = _periods(found.columns, field_type(table.schema.field(across)))
    labels = list(found.rows)
    met = {tuple(part.casefold() for part in label) for label in labels}
    never = [one for one in expected if tuple(part.casefold() for part in one) not in met]
    labels = sorted([*labels, *never], key=lambda label: [natural(part) for part in label])
    counts = {
        (row, column): found.cells[at][place]
        for at, row in enumerate(found.rows)
        for place, column in enumerate(found.columns)
    }
    cells = tuple(tuple(counts.get((row, column)) for column in columns) for row in labels)
    whole = [column for column in columns if column != BLANK]
    reported = [one for one in labels if one not in set(never)]
    gaps = [(row, one) for row in reported for one in whole if counts.get((row, one)) is None]
    return Coverage(
        Cross(
            found.wish,
            tuple(labels),
            tuple(columns),
            cells,
            tuple(_total(row) for row in cells),
            tuple(_total(column) for column in zip(*cells, strict=True)),
            found.total,
            FIELD_TYPES["integer"],
            found.in_time,
            found.records,
        ),
        tuple(never),
        tuple(gaps),
        tuple(_late(reported, whole, counts)),
        tuple(_double(table, rows, across)),
    )


def _total(some: Iterable[float | None]) -> float | None:
    found = [one for one in some if one is not None]
    return sum(found) if found else None


def _periods(columns: Sequence[str], kind: FieldType) -> list[str]:
    if kind.written is not Written.AS_MONTH:
        return list(columns)
    known = [one for one in columns if one != BLANK]
    if not known:
        return list(columns)
    (first, last) = (int(one[:4]) * 12 + int(one[5:7]) - 1 for one in (known[0], known[-1]))
    if last - first > _MOST_MONTHS:
        return list(columns)
    months = [f"{at // 12:04}-{at % 12 + 1:02}" for at in range(first, last + 1)]
    return [*months, *(one for one in columns if one == BLANK)]


def _late(
    rows: Sequence[Label], columns: Sequence[str], counts: dict[tuple[Label, str], float | None]
) -> Iterable[tuple[Label, str, int]]:
    for row in rows:
        there = [at for at, one in enumerate(columns) if counts.get((row, one)) is not None]
        if there and there[-1] < len(columns) - 1:
            yield row, columns[there[-1]], len(columns) - 1 - there[-1]


def _double(
    table: pa.Table, rows: Sequence[str], across: str
) -> Iterable[tuple[Label, str, tuple[str, ...]]]:
    names = [[one or BLANK for one in texts_of(table, name)] for name in (*rows, across)]
    files: dict[tuple[str, ...], dict[str, None]] = {}
    for key, file in zip(
        zip(*names, strict=True), table.column("source_file").to_pylist(), strict=True
    ):
        files.setdefault(key, {})[file] = None
    for key, some in sorted(files.items()):
        if len(some) > 1:
            yield key[:-1], key[-1], tuple(some)


def expected_rows(path: Path, rows: Sequence[str]) -> list[Label]:
    """Who must report, from a CSV file with a column for each field of the rows.

    Raises CallError if it cannot be read, or lacks a column.
    """
    try:
        text = content_of(path).decode("utf-8-sig")
        lines = list(csv.DictReader(io.StringIO(text, newline="")))
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise CallError(f"--expect: “{path}” cannot be read as CSV in UTF-8: {error}") from None
    heads = {one.strip().casefold(): one for one in (lines[0] if lines else {}) if one}
    for name in rows:
        if name.casefold() not in heads:
            hint = did_you_mean(name, list(heads.values()))
            raise CallError(f"--expect: “{path}” has no column “{name}”{hint}")
    found = [tuple((line[heads[name.casefold()]] or "").strip() for name in rows) for line in lines]
    return list(dict.fromkeys(one for one in found if any(one)))
