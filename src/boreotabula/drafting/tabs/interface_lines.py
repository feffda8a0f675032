"""Interface lines: the first cell of each line marks a header, a record or a control line."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from math import fsum, isclose, nan

from boreotabula.look.texts.words import is_total
from boreotabula.reading.cells import cell_text, reads_as_figure
from boreotabula.reading.totals.figures import number_in
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet

_MARK = re.compile(r"[^\W_]{1,4}")
_FEWEST_RECORDS = 2
"""A single record does not show that its mark repeats."""
_NUMBER = ValueForm("number")

LineCells = Sequence[Cell]
Marks = tuple[tuple[str, ...], str, str]
"""The marks of the headers, of the records and of the control line."""


@dataclass(frozen=True)
class MarkedLines:
    """The lines of a tab, all of them with a mark."""

    marks: Marks
    headers: tuple[LineCells, ...]
    records: tuple[LineCells, ...]
    control: LineCells


@dataclass(frozen=True)
class ControlPlaces:
    """Where a control line gives the count and sums of the records above it; columns count from
    0."""

    count: int
    sums: Mapping[int, int] = field(default_factory=dict)
    """For a column of the records, where its sum stands."""


@dataclass(frozen=True)
class InterfaceLines:
    """The lines of a tab, and what its control line holds, as on the other tabs like it."""

    lines: MarkedLines
    places: ControlPlaces


def interface_lines_of(sheets: Sequence[Sheet]) -> list[InterfaceLines | None]:
    """The lines of each tab; None where they are not marked.

    Marks count only if the control line gives the number of records on most tabs, and if the
    headers are no headings: these would be texts, and the same on all tabs.
    """
    groups: dict[Marks, list[MarkedLines]] = {}
    for sheet in sheets:
        lines = _marked_lines(sheet)
        if lines is not None:
            groups.setdefault(lines.marks, []).append(lines)
    places = {
        marks: control
        for marks, group in groups.items()
        if _hold_data([lines.headers for lines in group])
        and (control := _control_places(group)) is not None
    }
    known = [_marked_lines(sheet, places) for sheet in sheets]
    return [InterfaceLines(lines, places[lines.marks]) if lines else None for lines in known]


def _marked_lines(sheet: Sheet, known: Collection[Marks] | None = None) -> MarkedLines | None:
    """The lines of a sheet, if all have marks: of several records, or of any number where the marks
    are `known`."""
    lines = [line for line in sheet.rows if any(cell != "" for cell in line)]
    marks = [cell_text(line[0]).strip() for line in lines]
    if not lines or not all(map(_MARK.fullmatch, marks)):
        return None
    if known is not None:
        for headers, record, control in known:
            records = len(lines) - len(headers) - 1
            if records >= 0 and marks == [*headers, *[record] * records, control]:
                return _parted(lines, (headers, record, control))
        return None
    (record, number), *_ = Counter(marks).most_common(1)
    start = marks.index(record)
    headers, control = tuple(marks[:start]), marks[-1]
    whole = marks == [*headers, *[record] * number, control]
    distinct = len({*headers, record, control}) == len(headers) + 2
    if number < _FEWEST_RECORDS or not (whole and distinct) or is_total(control):
        return None
    return _parted(lines, (headers, record, control))


def _parted(lines: Sequence[LineCells], marks: Marks) -> MarkedLines:
    start = len(marks[0])
    return MarkedLines(marks, tuple(lines[:start]), tuple(lines[start:-1]), lines[-1])


def _hold_data(headers: Sequence[tuple[LineCells, ...]]) -> bool:
    """Whether each header, given for each tab, holds a figure or differs from tab to tab."""
    return all(
        len(set(map(tuple, lines))) > 1
        or any(reads_as_figure(cell_text(cell)) for cell in lines[0][1:] if cell != "")
        for lines in zip(*headers, strict=True)
    )


def _control_places(group: Sequence[MarkedLines]) -> ControlPlaces | None:
    """Where the control lines of some tabs give the number of records, and the sums of their
    columns.

    None if most of them do not give the number.
    """
    several = [lines for lines in group if len(lines.records) >= _FEWEST_RECORDS]
    printed = [_numbers(lines.control) for lines in several]
    counted = [float(len(lines.records)) for lines in several]
    columns = sorted({column for numbers in printed for column in numbers})
    count = next((column for column in columns if _say(printed, column, counted)), None)
    if count is None:
        return None
    sums: dict[int, int] = {}
    for own in range(1, max(len(lines.control) for lines in several)):
        added = [_sum_of(lines.records, own) for lines in several]
        free = [column for column in columns if column != count and column not in sums.values()]
        # Its own column first: another one may agree by chance.
        for column in sorted(free, key=lambda column: column != own):
            if any(added) and _say(printed, column, added):
                sums[own] = column
                break
    # One number that is the count of the lines above may be a chance.
    sure = sums or group[0].headers or len(set(counted)) > 1
    return ControlPlaces(count, sums) if sure else None


def _say(printed: Sequence[Mapping[int, float]], column: int, expected: Sequence[float]) -> bool:
    """Whether most control lines have the expected number in a column."""
    pairs = zip(printed, expected, strict=True)
    agree = sum(isclose(numbers.get(column, nan), number) for numbers, number in pairs)
    return 2 * agree > len(printed)


def _numbers(line: LineCells) -> dict[int, float]:
    """The numbers of a line after its mark, by column."""
    numbers = ((column, number_in(cell, _NUMBER)) for column, cell in enumerate(line) if column)
    return {column: number for column, number in numbers if number is not None}


def _sum_of(records: Sequence[LineCells], column: int) -> float:
    """The sum of a column of records; NaN if it holds texts."""
    cells = [line[column] for line in records if line[column] != ""]
    numbers = [number_in(cell, _NUMBER) for cell in cells]
    return nan if None in numbers else fsum(number for number in numbers if number is not None)
