"""What is kept of a tab for comparisons: small, so that many tabs fit into memory."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import islice
from string import ascii_uppercase

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from boreotabula.batch.file.digests import records_digest
from boreotabula.batch.file.lines import pack_lines
from boreotabula.findings.reasons import Doubtful
from boreotabula.findings.subjects.values import READING_DOUBTFUL
from boreotabula.layout.addresses import Address, column_letters
from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.blocks import SettledBlock
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind
from boreotabula.reading.stamps.read import Stamped
from boreotabula.reading.tab import ReadBlock, TabReading
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Met:
    """A text with only one reading, and its place."""

    form: str
    field: str
    day_first: bool
    text: str
    cell: str
    tab: str
    file: str

    @property
    def shown(self) -> str:
        """The text and its place, in words."""
        place = " › ".join(part for part in (self.file, self.tab, self.cell) if part)
        return f"“{self.text}” in {place}"


Ends = tuple[float, int, float, float, int, float]
"""The least value, its count, the next one; the greatest, its count, the next one."""
KEPT = 8
"""This many of the largest values of a tab are kept."""
_MOST_TEXTS = 40
"""Labels stand above the table, among the first texts."""
_FEWEST_NUMBERS = 6
"""With fewer numbers, or fewer different ones, two tabs may be equal by coincidence."""
_FEWEST_DIFFERENT = 4


@dataclass(frozen=True)
class TabFacts:
    """The facts about a tab for comparisons."""

    digest: str = ""
    """Of its records, without their source; empty if it has none."""
    body: str = ""
    """The same without the stamps; empty if too few numbers differ to identify the tab."""
    stamps: Mapping[str, object] = field(default_factory=dict)
    """Its stamps, without those that differ between its tables."""
    from_tab: frozenset[str] = frozenset()
    """Its stamps that come from the name of the tab."""
    beside: Mapping[str, tuple[str, Address]] = field(default_factory=dict)
    """For stamps in fixed cells: the label left of the cell, and the cell."""
    texts: tuple[tuple[int, int, str], ...] = ()
    """Row, column and text of the first texts of the tab, if stamps stand in fixed cells."""
    largest: Mapping[str, tuple[tuple[float, str], ...]] = field(default_factory=dict)
    """For each number field its largest values, each with its cell; greatest first."""
    numbers: Mapping[str, int] = field(default_factory=dict)
    """For each number field the number of values."""
    sums: Mapping[str, int | float] = field(default_factory=dict)
    """For each number field the sum."""
    empty: tuple[str, ...] = ()
    """Fields whose column exists, but is empty in all records."""
    by_position: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """For blocks that name their columns by position: the headings of the columns, or without
    headings the kinds of their cells."""
    leading: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """For cross-tabs that name their leading columns by position: the kind of cells in each."""
    position_cells: Mapping[str, Address] = field(default_factory=dict)
    """The first cell of each of these tables."""
    taken: Mapping[str, int] = field(default_factory=dict)
    """For stamps with several sources: the index of the source that was used."""
    columns: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """For blocks whose columns are found by headings: the fields with a column."""
    ends: Mapping[str, Ends] = field(default_factory=dict)
    """For each number field its least and greatest value, the count of each, and the values next to
    them."""
    ways: tuple[tuple[str, bool, str, str], ...] = ()
    """Fields whose texts show whether the day or the month comes first: which, the text, and its
    place."""
    doubtful: tuple[str, ...] = ()
    """Fields with texts in which day and month could be swapped, and nothing settles it."""
    lines: str = ""
    """Some of its lines as digests, see `pack_lines`."""

    @property
    def labels(self) -> Mapping[str, Address]:
        """The places of the first labels of the tab, by normal form."""
        labels: dict[str, Address] = {}
        for row, column, text in self.texts:
            labels.setdefault(normal_form(text), Address(row, column))
        return labels


def facts_of(sheet: Sheet, reading: TabReading, from_tab: Iterable[str] = ()) -> TabFacts:
    """The facts of a tab; `from_tab` are the stamps from its name."""
    # What differs between the tables of a tab tells these apart, not the tab.
    stamps = _common_stamps(reading.stamped)
    beside = {name: label for stamped in reading.stamped for name, label in stamped.beside.items()}
    # Arrow makes an object of every column each time it is asked.
    tables = {
        table: dict(zip(batch.schema.names, batch.columns, strict=True))
        for table, batch in reading.tables.items()
    }
    figures = _figures(reading.blocks, tables, stamps)
    # Of the largest values only: counting all different ones would take longer than reading them.
    distinct = {number for group in figures.largest.values() for number, _ in group}
    count = sum(figures.numbers.values())
    enough = count >= _FEWEST_NUMBERS and len(distinct) >= _FEWEST_DIFFERENT
    # Only these can be read wrongly without a heading being missing, so only their shape is kept.
    by_position = [block for block in reading.blocks if block.block.columns]
    lists = [block for block in by_position if block.block.is_list]
    crossed = [block for block in by_position if not block.block.is_list]
    taken = [source for stamped in reading.stamped for source in stamped.taken.items()]
    # Where records come from differs between copies, so it is no part of the digest.
    body = records_digest(tables, {*PROVENANCE, *stamps})
    by_name = sorted((name, str(stamp)) for name, stamp in stamps.items())
    return TabFacts(
        digest=f"{body} {by_name}" if body else "",
        # A blank form, or one full of zeros, is like many others.
        body=body if enough else "",
        stamps=stamps,
        from_tab=frozenset(from_tab),
        beside=beside,
        # Only needed to tell whether the label of a fixed cell stands elsewhere.
        texts=tuple(islice(sheet.texts(), _MOST_TEXTS)) if beside else (),
        largest=figures.largest,
        numbers=figures.numbers,
        sums=figures.sums,
        empty=tuple(figures.empty),
        by_position={block.block.key: kinds_by_position(block) for block in lists},
        leading={block.block.key: _leading_kinds(block) for block in crossed},
        position_cells={block.block.key: _first_cell(block) for block in by_position},
        taken=dict(taken),
        columns=_columns(reading.blocks),
        ends=figures.ends,
        ways=tuple(dict.fromkeys(_ways(reading))),
        doubtful=tuple(sorted(_doubtful(reading))),
        lines=pack_lines(tables, stamps) if body else "",
    )


def _first_cell(block: SettledBlock) -> Address:
    """The first cell of a table."""
    return block.view.address(max(block.place.top, 0), block.place.left)


def _common_stamps(stamped: Sequence[Stamped]) -> dict[str, object]:
    """The stamps that are the same for all tables of a tab."""
    first = stamped[0].values if stamped else {}
    return {
        name: value
        for name, value in first.items()
        if all(other.values.get(name) == value for other in stamped[1:])
    }


@dataclass(frozen=True)
class _Figures:
    """Facts about the numbers of a tab, by field; and the empty fields."""

    largest: dict[str, tuple[tuple[float, str], ...]] = field(default_factory=dict)
    numbers: dict[str, int] = field(default_factory=dict)
    sums: dict[str, int | float] = field(default_factory=dict)
    ends: dict[str, Ends] = field(default_factory=dict)
    empty: list[str] = field(default_factory=list)


def _figures(
    blocks: Sequence[ReadBlock],
    tables: Mapping[str, Mapping[str, pa.Array]],
    stamps: Container[str],
) -> _Figures:
    figures = _Figures()
    names = {name for block in blocks for name in block.long.arrays}
    letters = _letters(blocks)
    for columns in tables.values():
        for name, column in columns.items():
            filled = len(column) - column.null_count
            # A stamp or a constant may be empty by intention; a column of the table is what is
            # meant.
            if len(column) and not filled and name in names:
                figures.empty.append(name)
                continue
            # Stamps repeat in each record; their sum would mean nothing.
            if not filled or name in stamps or not _is_added(column.type):
                continue
            added = pc.sum(column).as_py()
            # Sums are compared, not paid out; a float is exact enough for that and has one type.
            added = float(added) if isinstance(added, Decimal) else added
            figures.sums[name] = figures.sums.get(name, 0) + added
            if _is_number(column.type):
                figures.numbers[name] = figures.numbers.get(name, 0) + filled
                figures.largest[name] = _largest(column, columns["source_cell"], letters.get(name))
                figures.ends[name] = _ends(column)
    return figures


def _ways(reading: TabReading) -> Iterator[tuple[str, bool, str, str]]:
    for stamped in reading.stamped:
        for name, (day_first, text, where) in stamped.ways.items():
            yield name, day_first, text, where
    for block in reading.blocks:
        yield from block.long.ways


def _doubtful(reading: TabReading) -> set[str]:
    cause = str(Doubtful.DAY_AND_MONTH)
    return {
        finding.field
        for finding in reading.findings
        if finding.kind == READING_DOUBTFUL and finding.cause.endswith(cause)
    }


def _letters(blocks: Sequence[SettledBlock]) -> Mapping[str, str]:
    """The letters of a field's column, the same in every list of a tab.

    Fields in several columns, or in a cross-tab, are omitted.
    """
    if not any(block.block.is_list for block in blocks):
        return {}
    held: dict[str, set[str]] = {}
    for one in blocks:
        for column in one.columns.of(ColumnKind.BESIDE, ColumnKind.VALUE):
            # On a turned tab a field stands in a row and has no letters.
            where = one.block.is_list and not one.view.turned
            held.setdefault(column.field, set()).add(column_letters(column.column) if where else "")
    # In several columns the letter is not the same for all records.
    return {
        name: letters for name, (letters, *more_texts) in held.items() if letters and not more_texts
    }


def _columns(blocks: Sequence[SettledBlock]) -> dict[str, tuple[str, ...]]:
    """The fields with a column, by block; for a repeating block those of all its places."""
    fields: dict[str, set[str]] = {}
    for block in blocks:
        if not block.block.columns:
            known_columns = block.columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
            fields.setdefault(block.block.key, set()).update(
                column.field for column in known_columns
            )
    return {key: tuple(sorted(names)) for key, names in fields.items()}


def kinds_by_position(settled: SettledBlock) -> tuple[str, ...]:
    """The headings of a block's columns, in normal form; without headings, whether each holds
    figures or texts. Blank columns at the end do not count."""
    view, place, table = settled.view, settled.place, settled.table
    kinds = []
    for column in settled.columns.every:
        if place.depth:
            heading = view.cell(place.bottom, column.column)
            kinds.append(normal_form(cell_text(heading)))
        else:
            kinds.append(_kind(view, column.column, table.records))
    # Blank columns at the end come and go with the width of the used range.
    while kinds and not kinds[-1]:
        kinds.pop()
    return tuple(kinds)


def _leading_kinds(settled: SettledBlock) -> tuple[str, ...]:
    """Whether each leading column of a cross-tab holds figures or texts."""
    place = settled.place
    columns = range(place.left, min(place.left + place.leading, settled.view.width))
    return tuple(_kind(settled.view, column, settled.table.records) for column in columns)


def _kind(view: Sheet, column: int, rows: Sequence[int]) -> str:
    """The content of most cells of a column: figures, texts, or nothing."""
    cells = [view.rows[row][column] for row in rows]
    figures = [is_figure(view, cell) for cell in cells if cell != ""]
    # Most, and not all: a figure column may hold a dash, a text column a year.
    kind = "figures" if 2 * sum(figures) > len(figures) else "texts"
    return kind if figures else ""


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind))


def _is_added(kind: pa.DataType) -> bool:
    return _is_number(kind) or bool(pa.types.is_decimal(kind))


def _ends(column: pa.Array) -> Ends:
    numbers = np.sort(column.drop_null().to_numpy())
    least, greatest = numbers[0], numbers[-1]
    # Sorted, so the end of the first run of equal values is found by bisection.
    first, end = int(numbers.searchsorted(least, "right")), int(numbers.searchsorted(greatest))
    next_least, next_greatest = (
        # With all values equal, each end stands in for the value next to the other.
        (numbers[first], numbers[end - 1]) if first < end else (greatest, least)
    )
    return (
        float(least), first, float(next_least),
        float(greatest), len(numbers) - end, float(next_greatest),
    )  # fmt: skip


def _largest(
    column: pa.Array, cells: pa.Array, letters: str | None
) -> tuple[tuple[float, str], ...]:
    """The largest values with their cells.

    Records of a list are identified by the first cells of their rows: `letters` are those of the
    column that holds the values.
    """
    held = None
    # Its positions must be known before the gaps are dropped.
    if column.null_count:
        held = np.flatnonzero(column.is_valid().to_numpy(zero_copy_only=False))
        column = column.drop_null()
    numbers = column.to_numpy()
    # Only the few largest are sorted, in time linear in the length of the column.
    least = np.partition(numbers, -KEPT)[-KEPT] if len(numbers) > KEPT else numbers.min()
    # Of equal values at the border those that come first are taken, so that the choice does not
    # depend on the sort.
    beyond = np.flatnonzero(numbers > least)
    values = np.append(beyond, np.flatnonzero(numbers == least)[: KEPT - len(beyond)])
    values = values[np.argsort(-numbers[values], kind="stable")]
    places = (values if held is None else held[values]).tolist()
    result = zip(numbers[values].tolist(), places, strict=True)
    return tuple(
        (float(number), _in_column(cells[place].as_py(), letters)) for number, place in result
    )


def _in_column(cell: str, letters: str | None) -> str:
    # The record of a list is placed by its first cell; the value stands in the same row.
    return letters + cell.lstrip(ascii_uppercase) if letters else cell
