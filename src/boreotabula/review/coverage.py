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
from boreotabula.review.crosstab import BLANK, Cross, CrosstabSpec, Label, crosstab, natural
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
    cross = crosstab(table, CrosstabSpec(tuple(rows), across, None, "count"))
    columns = _periods(cross.columns, field_type(table.schema.field(across)))
    labels = list(cross.rows)
    groups = {tuple(part.casefold() for part in label) for label in labels}
    never = [texts for texts in expected if tuple(part.casefold() for part in texts) not in groups]
    labels = sorted([*labels, *never], key=lambda label: [natural(part) for part in label])
    counts = {
        (row, column): cross.cells[index][place]
        for index, row in enumerate(cross.rows)
        for place, column in enumerate(cross.columns)
    }
    cells = tuple(tuple(counts.get((row, column)) for column in columns) for row in labels)
    whole = [column for column in columns if column != BLANK]
    reported = [label for label in labels if label not in set(never)]
    gaps = [(row, text) for row in reported for text in whole if counts.get((row, text)) is None]
    return Coverage(
        Cross(
            cross.wish,
            tuple(labels),
            tuple(columns),
            cells,
            tuple(_total(row) for row in cells),
            tuple(_total(column) for column in zip(*cells, strict=True)),
            cross.total,
            FIELD_TYPES["integer"],
            cross.in_time,
            cross.records,
        ),
        tuple(never),
        tuple(gaps),
        tuple(_late(reported, whole, counts)),
        tuple(_double(table, rows, across)),
    )


def _total(numbers: Iterable[float | None]) -> float | None:
    result = [number for number in numbers if number is not None]
    return sum(result) if result else None


def _periods(columns: Sequence[str], kind: FieldType) -> list[str]:
    if kind.written is not Written.AS_MONTH:
        return list(columns)
    known_columns = [column for column in columns if column != BLANK]
    if not known_columns:
        return list(columns)
    (first, last) = (
        int(text[:4]) * 12 + int(text[5:7]) - 1 for text in (known_columns[0], known_columns[-1])
    )
    if last - first > _MOST_MONTHS:
        return list(columns)
    months = [f"{index // 12:04}-{index % 12 + 1:02}" for index in range(first, last + 1)]
    return [*months, *(column for column in columns if column == BLANK)]


def _late(
    rows: Sequence[Label], columns: Sequence[str], counts: dict[tuple[Label, str], float | None]
) -> Iterable[tuple[Label, str, int]]:
    for row in rows:
        existing_numbers = [
            index for index, column in enumerate(columns) if counts.get((row, column)) is not None
        ]
        if existing_numbers and existing_numbers[-1] < len(columns) - 1:
            yield row, columns[existing_numbers[-1]], len(columns) - 1 - existing_numbers[-1]


def _double(
    table: pa.Table, rows: Sequence[str], across: str
) -> Iterable[tuple[Label, str, tuple[str, ...]]]:
    names = [[text or BLANK for text in texts_of(table, name)] for name in (*rows, across)]
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
    heads = {line.strip().casefold(): line for line in (lines[0] if lines else {}) if line}
    for name in rows:
        if name.casefold() not in heads:
            hint = did_you_mean(name, list(heads.values()))
            raise CallError(f"--expect: “{path}” has no column “{name}”{hint}")
    groups = [
        tuple((line[heads[name.casefold()]] or "").strip() for name in rows) for line in lines
    ]
    return list(dict.fromkeys(values for values in groups if any(values)))
