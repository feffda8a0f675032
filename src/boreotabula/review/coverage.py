"""Who reported when: records counted by sender and period, with gaps shown."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import pyarrow as pa

from boreotabula.errors import CallError
from boreotabula.files import content_of
from boreotabula.layout.field_types import FIELD_TYPES, FieldType, TextStyle
from boreotabula.layout.problems import did_you_mean
from boreotabula.review.crosstab.cross import Cross, CrosstabSpec, Label
from boreotabula.review.crosstab.crosstab import crosstab
from boreotabula.review.crosstab.ordering import BLANK, natural
from boreotabula.review.due import Sender
from boreotabula.stores.csv import field_type
from boreotabula.stores.records import texts_of

_MOST_MONTHS = 1200


@dataclass(frozen=True)
class Coverage:
    """Counts of records as a cross-tab, and what stands out."""

    cross: Cross
    never: tuple[Label, ...]
    """Expected senders that never reported."""
    gaps: tuple[tuple[Label, str], ...]
    """Which sender lacks which period, except those that never reported."""
    late: tuple[tuple[Label, str, int], ...]
    """Senders whose last report is not for the last period: the period, and how many periods
    behind."""
    double: tuple[tuple[Label, str, tuple[str, ...]], ...]
    """Periods with reports from several files."""

    @property
    def complete(self) -> bool:
        """Whether everybody reported for every period."""
        return not self.never and not self.gaps


def coverage(
    table: pa.Table,
    rows: Sequence[str],
    across: str,
    expected: Iterable[Label] = (),
    until: str = "",
) -> Coverage:
    """Count the records of each sender and period. Raises CallError for unknown fields.

    All months between the first and the last are shown, even without reports; `until` is the last
    expected one.
    """
    if not rows:
        raise CallError("say who reports with --rows, such as --rows nursery")
    # Counted by the same code as a cross-tab, so that both agree.
    cross = crosstab(table, CrosstabSpec(tuple(rows), across, None, "count"))
    columns = _periods(cross.columns, field_type(table.schema.field(across)), until)
    labels = list(cross.rows)
    # Names are compared without case, as lists of senders are written by hand.
    groups = {tuple(part.casefold() for part in label) for label in labels}
    never = [texts for texts in expected if tuple(part.casefold() for part in texts) not in groups]
    labels = sorted([*labels, *never], key=lambda label: [natural(part) for part in label])
    counts = {
        (row, column): cross.cells[index][place]
        for index, row in enumerate(cross.rows)
        for place, column in enumerate(cross.columns)
    }
    cells = tuple(tuple(counts.get((row, column)) for column in columns) for row in labels)
    # Records without a period cannot close a gap, nor leave one.
    whole = [column for column in columns if column != BLANK]
    reported = [label for label in labels if label not in set(never)]
    gaps = [(row, text) for row in reported for text in whole if counts.get((row, text)) is None]
    return Coverage(
        Cross(
            spec=cross.spec,
            rows=tuple(labels),
            columns=tuple(columns),
            cells=cells,
            row_totals=tuple(_total(row) for row in cells),
            column_totals=tuple(_total(column) for column in zip(*cells, strict=True)),
            total=cross.total,
            value_kind=FIELD_TYPES["integer"],
            in_time=cross.in_time,
            records=cross.records,
        ),
        tuple(never),
        tuple(gaps),
        tuple(_late(reported, whole, counts)),
        tuple(_double(table, rows, across)),
    )


def _total(numbers: Iterable[float | None]) -> float | None:
    result = [number for number in numbers if number is not None]
    return sum(result) if result else None


def _periods(columns: Sequence[str], kind: FieldType, until: str = "") -> list[str]:
    if kind.written is not TextStyle.AS_MONTH:
        return list(columns)
    known_columns = [column for column in columns if column != BLANK]
    if not known_columns:
        return list(columns)
    (first, last) = (
        int(text[:4]) * 12 + int(text[5:7]) - 1
        for text in (known_columns[0], max(known_columns[-1], until))
    )
    # A date that is wrong by a century must not make a thousand columns.
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
        # Gaps further back are reported as gaps.
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


def expected_senders(path: Path, rows: Sequence[str], due: int | None = None) -> list[Sender]:
    """Who must report, from a CSV file with a column for each field of the rows.

    Columns `due` and `language`, unless they are fields of the rows, give the deadline and the
    language of letters to a sender. `due` is the default deadline. Raises CallError if the list
    cannot be read, lacks a column, or has a deadline that is no number.
    """
    lines = _lines_of(path)
    # A file saved by a spreadsheet program may have blank columns behind the last.
    heads = {line.strip().casefold(): line for line in (lines[0] if lines else {}) if line}
    for name in rows:
        if name.casefold() not in heads:
            hint = did_you_mean(name, list(heads.values()))
            raise CallError(f"--expect: “{path}” has no column “{name}”{hint}")
    named = {name.casefold() for name in rows}
    further = {name: heads[name] for name in ("due", "language") if name in heads.keys() - named}
    senders: dict[Label, Sender] = {}
    for number, line in enumerate(lines, 2):
        label = tuple((line[heads[name.casefold()]] or "").strip() for name in rows)
        said = {name: (line[head] or "").strip() for name, head in further.items()}
        text = said.get("due", "")
        if text and not text.isdecimal():
            raise CallError(
                f"--expect: “{path}”, line {number}: “{text}” under “due” is no number of days"
            )
        if any(label):
            days = int(text) if text else due
            # Of several lines for one sender the first counts.
            senders.setdefault(label, Sender(label, days, said.get("language", "")))
    return list(senders.values())


def sender_fields(path: Path, fields: Sequence[str]) -> list[str]:
    """The fields that the columns of a list of senders name. Raises CallError if there is none."""
    lines = _lines_of(path)
    heads = {head.strip().casefold() for head in (lines[0] if lines else {}) if head}
    named = [name for name in fields if name.casefold() in heads]
    if not named:
        raise CallError(
            f"--expect: no column of “{path}” is called like a field of the records:"
            f" {', '.join(fields)}"
        )
    return named


def _lines_of(path: Path) -> list[dict[str, str]]:
    try:
        # Spreadsheet programs begin CSV with a byte order mark.
        text = content_of(path).decode("utf-8-sig")
        return list(csv.DictReader(io.StringIO(text, newline="")))
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise CallError(f"--expect: “{path}” cannot be read as CSV in UTF-8: {error}") from None
