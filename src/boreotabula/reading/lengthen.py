"""From cross-tab to records: values in the order of rows, then columns, built as Arrow arrays."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain, compress

import pyarrow as pa

from boreotabula.layout.addresses import address, column_letters
from boreotabula.reading.columns import Column, ColumnKind
from boreotabula.reading.convert import (
    TEXT,
    Converted,
    as_array,
    cell_text,
    convert,
    convert_kept,
    one_line,
)
from boreotabula.reading.findings import Finding
from boreotabula.reading.lines import Lines
from boreotabula.reading.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.workbooks.sheet import Cell, Sheet


@dataclass(frozen=True)
class Misfit:
    """A filled cell that did not convert; row and column counted from 0."""

    row: int
    column: int
    cell: Cell
    reason: str


@dataclass(frozen=True)
class Lengthened:
    """The records of a block: one array for each field it fills, all of one length."""

    arrays: Mapping[str, pa.Array]
    cells: pa.Array
    """The address of each record's value."""
    misfits: tuple[Misfit, ...]
    findings: tuple[Finding, ...]


def lengthen(
    sheet: Sheet, place: Place, columns: Sequence[Column], lines: Lines, plan: Plan
) -> Lengthened:
    """One record for each filled cell where a record row meets a value column."""
    rows = lines.records
    across = [column for column in columns if column.kind is ColumnKind.VALUE]
    places = [column.column for column in across]
    cells, filled = _values(sheet, rows, places)
    grid = _grid(len(rows), len(places))
    addresses = pa.DictionaryArray.from_arrays(grid.every, _addresses(tuple(rows), tuple(places)))
    kept: pa.Array | None = None
    if 0 in filled:
        kept = pa.array(list(compress(range(len(cells)), filled)), pa.int32())
        cells = list(compress(cells, filled))
    row_of, column_of = _kept(grid.row_of, kept), _kept(grid.column_of, kept)

    kind = plan.types[plan.block.value]
    values = convert(cells, kind, plain=sheet.plain)
    misfits = [
        Misfit(rows[row_of[at].as_py()], places[column_of[at].as_py()], cells[at], reason)
        for at, reason in values.failures
    ]
    findings = _value_findings(misfits, plan.block.value, kind, _counts(column_of, places))
    arrays = {plan.block.value: values.values}
    for level, field in enumerate(plan.block.across):
        labels = tuple(_single(column.labels[level]) for column in across)
        heads = convert_kept(labels, plan.types[field])
        row = place.bottom - len(plan.block.across) + 1 + level
        findings += _heading_findings(heads, labels, row, across, plan.types[field], field)
        arrays[field] = heads.values.take(column_of)
    for field, source in _row_cells(sheet, columns, lines).items():
        named = convert(source.cells, plan.types[field])
        strays = [
            Misfit(rows[at], source.column, source.cells[at], reason)
            for at, reason in named.failures
        ]
        findings += _value_findings(strays, field, plan.types[field], source.filled)
        misfits += strays
        arrays[field] = named.values.take(row_of)
    return Lengthened(arrays, _kept(addresses, kept), tuple(misfits), tuple(findings))


@dataclass(frozen=True)
class _Grid:
    """Row and column number of every place of a grid, line by line."""

    every: pa.Array
    row_of: pa.Array
    column_of: pa.Array


@lru_cache(maxsize=64)
def _grid(height: int, width: int) -> _Grid:
    size = height * width
    return _Grid(
        pa.array(range(size), pa.int32()),
        pa.array([row for row in range(height) for _ in range(width)], pa.int32()),
        pa.array(list(range(width)) * height, pa.int32()),
    )


@lru_cache(maxsize=64)
def _addresses(rows: tuple[int, ...], columns: tuple[int, ...]) -> pa.Array:
    """Addresses of every place; tabs of one form share them, so they are kept."""
    numbers = [str(row + 1) for row in rows]
    letters = [column_letters(column) for column in columns]
    return pa.array([letter + number for number in numbers for letter in letters], pa.string())


def _kept(array: pa.Array, kept: pa.Array | None) -> pa.Array:
    return array if kept is None else array.take(kept)


def _values(sheet: Sheet, rows: Sequence[int], columns: Sequence[int]) -> tuple[list[Cell], bytes]:
    """The cells where rows and columns meet, line by line, and 1 for each that is filled."""
    if not columns:
        return [], b""
    first, last = columns[0], columns[-1]
    if last - first == len(columns) - 1:
        cells = list(chain.from_iterable(sheet.rows[row][first : last + 1] for row in rows))
    else:
        cells = [sheet.rows[row][column] for row in rows for column in columns]
    width, filled = sheet.width, sheet.filled
    masks = [filled[row * width + first : row * width + last + 1] for row in rows]
    if last - first != len(columns) - 1:
        masks = [bytes(mask[column - first] for column in columns) for mask in masks]
    return cells, b"".join(masks)


def _single(cell: Cell) -> Cell:
    return one_line(cell) if isinstance(cell, str) else cell


@dataclass(frozen=True)
class _RowCells:
    """The cells of a field that has one value for each row."""

    column: int
    cells: Sequence[Cell]

    @property
    def filled(self) -> dict[int, int]:
        return {self.column: sum(cell != "" for cell in self.cells)}


def _row_cells(sheet: Sheet, columns: Sequence[Column], lines: Lines) -> dict[str, _RowCells]:
    found: dict[str, _RowCells] = {}
    for column in columns:
        if column.kind is ColumnKind.STUB and column.field in lines.stub:
            found[column.field] = _RowCells(column.column, lines.stub[column.field])
        elif column.kind is ColumnKind.BESIDE:
            cells = [sheet.rows[row][column.column] for row in lines.records]
            found[column.field] = _RowCells(column.column, cells)
    return found


def _counts(column_of: pa.Array, columns: Sequence[int]) -> Callable[[], dict[int, int]]:
    """How many cells each column holds; counted only when something did not convert."""
    return lambda: {
        columns[entry["values"].as_py()]: entry["counts"].as_py()
        for entry in column_of.value_counts()
    }


def _value_findings(
    misfits: Sequence[Misfit],
    field: str,
    kind: str,
    filled: Mapping[int, int] | Callable[[], Mapping[int, int]],
) -> list[Finding]:
    """One finding for each misfit, or for the column if all of its cells fail alike."""
    if not misfits:
        return []
    counts = filled() if callable(filled) else filled
    findings = []
    for column in dict.fromkeys(misfit.column for misfit in misfits):
        alike = [misfit for misfit in misfits if misfit.column == column]
        reasons = {misfit.reason for misfit in alike}
        if len(alike) == counts[column] > 1 and len(reasons) == 1:
            findings.append(_whole_column(alike, field, kind))
        else:
            findings += [_one_cell(misfit, field, kind) for misfit in alike]
    return findings


def _one_cell(misfit: Misfit, field: str, kind: str) -> Finding:
    text = cell_text(misfit.cell)
    return Finding(
        "value-not-converted",
        f"“{text}” is no {kind} for “{field}” ({misfit.reason}); the record keeps an empty value",
        "Correct the cell, or ask the sender what is meant.",
        cell=address(misfit.row, misfit.column),
        looked_for=kind,
        found=text,
    )


def _whole_column(misfits: Sequence[Misfit], field: str, kind: str) -> Finding:
    first = misfits[0]
    letters = column_letters(first.column)
    return Finding(
        "column-not-converted",
        f"none of the {len(misfits)} cells of column {letters} is {_a(kind)} for “{field}”"
        f" ({first.reason})",
        "If the column is no part of the table, list its heading in `ignore`; if it is another"
        " field, add its heading to the glossary.",
        cell=address(first.row, first.column),
        looked_for=kind,
        found=cell_text(first.cell),
    )


def _a(kind: str) -> str:
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"


def _heading_findings(
    heads: Converted,
    labels: Sequence[Cell],
    row: int,
    columns: Sequence[Column],
    kind: str,
    field: str,
) -> list[Finding]:
    return [
        Finding(
            "heading-not-converted",
            f"the heading “{cell_text(labels[at])}” is no {kind} for “{field}” ({reason});"
            " the field is empty in the records of its column",
            "If the column is no part of the table, list its heading in `ignore`.",
            cell=address(max(row, 0), columns[at].column),
            looked_for=kind,
            found=cell_text(labels[at]),
        )
        for at, reason in heads.failures
    ]


@lru_cache(maxsize=256)
def constant(value: object, kind: str, length: int) -> pa.Array:
    """The same value `length` times, as an array of a field type."""
    return as_array([value], kind).take(_zeros(length))


@lru_cache(maxsize=64)
def _zeros(length: int) -> pa.Array:
    return pa.Array.from_buffers(pa.int32(), length, [None, pa.py_buffer(bytes(4 * length))])


def blank(kind: pa.DataType, length: int) -> pa.Array:
    """Empty values of a type."""
    if kind == TEXT:
        return pa.array([None] * length, pa.string()).dictionary_encode()
    return pa.nulls(length, kind)
