"""One table of a workbook: its present rows, the new records, and the resulting tab."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import pyarrow as pa

from boreotabula.batch.run.outcome import RowCounts
from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.arrays import plain_schema
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.parts.editing import Package
from boreotabula.sheets.parts.worksheet import (
    Worksheet,
    cells_by_column,
    formula_of,
    style_of,
)
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.csv import column_texts, field_type, type_name
from boreotabula.stores.master.follow import follow, follow_on_tab
from boreotabula.stores.master.place import TablePlace, refuse_below, refuse_neighbours
from boreotabula.stores.master.references import RowChange, area_text
from boreotabula.stores.master.rows import (
    calculated_columns,
    further_column,
    move_rows,
    put_row,
    refuse_moving,
)
from boreotabula.stores.master.sources import put_sources
from boreotabula.stores.master.texts import (
    EXACT_DIGITS,
    MARK,
    one_gap,
    plain_texts,
)
from boreotabula.stores.pairing import PairingRows, Pairs, RowSource, Values, paired, pairing_rows
from boreotabula.stores.xlsx import fit_table
from boreotabula.stores.xlsx_rows import CellMarkup, check_room, heading_cell


@dataclass(frozen=True)
class Touched:
    """A row to report to a person; its cell, and texts that no run has written."""

    cell: Address
    source: RowSource
    texts: tuple[str, ...] = ()


@dataclass(frozen=True)
class Merged:
    """The result of putting records into a table."""

    counts: RowCounts
    foreign: int
    """Rows of files that no run has read, or without a file."""
    remarks: tuple[Touched, ...] = ()
    """Removed rows that had something in columns that are no fields."""
    by_hand: tuple[Touched, ...] = ()
    """Rows of unchanged files that differed from these files' records."""
    again: int = 0
    """Rows of unchanged files that were added, because they were missing."""


@dataclass
class MasterTable:
    """A table on a tab of a workbook that takes records."""

    package: Package
    tab: str
    where: str
    """The workbook and the tab, in messages."""
    part: str
    place: TablePlace
    sheet: Sheet
    schema: pa.Schema
    """All fields of the records."""
    key: Sequence[str]
    sources: Mapping[Values, RowSource] | None = None
    """For a table without columns for it: the sources of its rows, by key."""
    _change: RowChange | None = None
    _new: dict[int, dict[int, str]] = field(default_factory=dict)
    """The cells that are written, by row."""
    _added: set[int] = field(default_factory=set)
    """The new rows among them."""
    _kept: list[tuple[Values, RowSource]] = field(default_factory=list)
    _sources: list[RowSource] = field(default_factory=list)
    """The source that each row gives, by the earlier names of files."""

    @property
    def written(self) -> list[str]:
        """The fields with columns, in the order of the layout."""
        hidden = PROVENANCE if self.sources is not None else ()
        return [name for name in self.schema.names if name not in hidden]

    @cached_property
    def columns(self) -> Mapping[str, int]:
        """The column of each of those fields; the last ones are not in the table yet."""
        numbers = self.place.fields
        new = [name for name in self.written if name not in numbers]
        added = {name: self.place.right + 1 + index for index, name in enumerate(new)}
        return {name: numbers.get(name, added.get(name, 0)) for name in self.written}

    @property
    def headings(self) -> Mapping[str, str]:
        """The heading of each field in the table's spelling."""
        return {
            name: self.place.headings.get(column, name) for name, column in self.columns.items()
        }

    @property
    def right(self) -> int:
        """The last column, including new ones."""
        return max(self.place.right, *self.columns.values())

    # --- what is there ---------------------------------------------------------------------------

    @cached_property
    def numbers(self) -> list[int]:
        """The filled rows of the table, counted from 0."""
        place = self.place
        filled = self.sheet.filled[:, place.left : place.right + 1]
        return [row for row in range(place.top + 1, place.bottom + 1) if filled[row].any()]

    def lines(self, renamed: Mapping[str, str]) -> PairingRows:
        """The rows as texts; `renamed` maps earlier names of files to present ones."""
        texts = {name: self._texts(name) for name in self.written}
        keys = list(zip(*(plain_texts(texts[text]) for text in self.key), strict=True))
        values = list(zip(*(texts[text] for text in self._fields), strict=True))
        names = list(zip(*(texts[name] for name in self._names), strict=True))
        lines: list[RowSource]
        if self.sources is None:
            places = [self._cells(text) for text in PROVENANCE]
            lines = list(zip(*places, strict=True))
        else:
            lines = [self.sources.get(key, ("", "", "")) for key in keys]
        self._sources = lines
        sources = [(renamed.get(file, file), tab, cell) for file, tab, cell in lines]
        return PairingRows(values, sources, names or [()] * len(values), keys)

    @property
    def _fields(self) -> list[str]:
        return [name for name in self.written if name not in PROVENANCE]

    @property
    def _names(self) -> list[str]:
        fields = (self.schema.field(name) for name in self._fields)
        return [one.name for one in fields if not field_type(one).is_number]

    def _cells(self, name: str) -> list[str]:
        column = self.place.fields.get(name)
        if column is None:
            return [""] * len(self.numbers)
        return [cell_text(self.sheet.cell(row, column)) for row in self.numbers]

    def _texts(self, name: str) -> list[str]:
        """The cells of a field in the form of its values; numbers stored as texts are marked."""
        column = self.place.fields.get(name)
        if column is None:
            return [""] * len(self.numbers)
        one = self.schema.field(name)
        cells = [self.sheet.cell(row, column) for row in self.numbers]
        values = convert(cells, ValueForm(type_name(one))).values
        kind = field_type(one)
        texts = []
        strings = [one_gap(text or "") for text in column_texts(values, one)]
        for cell, text in zip(cells, strings, strict=True):
            as_text = kind.is_number and isinstance(cell, str) and 0 < len(text) <= EXACT_DIGITS
            texts.append(MARK + text if as_text else text or one_gap(cell_text(cell)))
        return texts

    # --- what comes ------------------------------------------------------------------------------

    def merge(
        self,
        records: pa.Table,
        again: Collection[str],
        ours: Collection[str],
        unchanged: Collection[str] = (),
        renamed: Mapping[str, str] | None = None,
    ) -> Merged:
        """Pair the rows with records and decide how the tab changes.

        `again` are the files whose records these are, `ours` those that any run has read,
        `unchanged` those with the same content as when the rows were written. Raises CallError,
        which says what could not be preserved.
        """
        records = records.cast(plain_schema(records.schema))
        rows = self.lines(renamed or {})
        lines = pairing_rows(records.select([*self._fields, *PROVENANCE]), self.key, fitted=one_gap)
        pairs = paired(rows, lines, again)
        changed = [
            number
            for number, row in enumerate(pairs.rows)
            if row is None or rows.values[row] != lines.values[number]
            or (self.sources is None and self._sources[row] != lines.sources[number])
        ]  # fmt: skip
        replaced = [
            (number, row)
            for number, row in enumerate(pairs.rows)
            if row is not None and rows.values[row] != lines.values[number]
        ]
        added = sum(row is None for row in pairs.rows)
        kept = len(self.numbers) - len(pairs.gone) - len(replaced)
        paired_rows = {row for row in pairs.rows if row is not None} | set(pairs.gone)
        left = [source[0] for row, source in enumerate(rows.sources) if row not in paired_rows]
        self._note_sources(rows, lines, pairs)
        if added or changed or pairs.gone or self.right > self.place.right:
            self._settle(records, pairs, changed)
        return Merged(
            RowCounts(added, kept, len(replaced), len(pairs.gone)),
            sum(file not in ours for file in left),
            tuple(self._remarks(rows, pairs)),
            tuple(
                Touched(Address(self.numbers[index], self.place.left), lines.sources[number])
                for number, index in replaced
                if rows.sources[index][0] in unchanged
            ),
            sum(
                row is None and source[0] in unchanged
                for row, source in zip(pairs.rows, lines.sources, strict=True)
            ),
        )

    def _note_sources(self, rows: PairingRows, lines: PairingRows, pairs: Pairs) -> None:
        """Note the content of the hidden tab."""
        if self.sources is None:
            return
        known_numbers = {row for row in pairs.rows if row is not None} | set(pairs.gone)
        stay = [
            (rows.keys[index], source)
            for index, source in enumerate(rows.sources)
            if index not in known_numbers and source[0]
        ]
        self._kept = sorted([*stay, *zip(lines.keys, lines.sources, strict=True)])

    def _remarks(self, rows: PairingRows, pairs: Pairs) -> Iterator[Touched]:
        """Texts that people wrote beside removed rows; formulas do not count."""
        for index in pairs.gone:
            row = self.numbers[index]
            cells = cells_by_column(self._worksheet.row(row))
            written = [
                cell_text(self.sheet.cell(row, column))
                for column in self.place.further
                if column in cells and formula_of(cells[column]) is None
            ]
            if texts := tuple(filter(None, written)):
                yield Touched(Address(row, self.place.left), rows.sources[index], texts)

    # --- what the tab becomes --------------------------------------------------------------------

    def _settle(self, records: pa.Table, pairs: Pairs, changed: Sequence[int]) -> None:
        place = self.place
        gone = [self.numbers[index] for index in pairs.gone]
        change = RowChange(self.tab, place.top, place.left, place.right, place.ends, 0, gone)
        lost = set(pairs.gone)
        staying = (row for index, row in enumerate(self.numbers) if index not in lost)
        last = change.row(max(staying, default=place.top))
        numbers: list[int] = []
        for position in pairs.rows:
            last += position is None
            numbers.append(last if position is None else change.row(self.numbers[position]))
        bottom = max(last, place.top + 1)
        check_room(self.tab, bottom + 1)
        refuse_neighbours(self.sheet, place, self.right, self.where)
        refuse_below(self.sheet, place, self.right, bottom, self.where)
        self._change = RowChange(
            self.tab, place.top, place.left, self.right, place.ends, bottom, gone
        )
        take = records.take(pa.array(changed, pa.int64()))
        places = [numbers[index] for index in changed]
        self._new = dict(zip(places, self._markup(take, places), strict=True))
        self._added = {numbers[index] for index, row in enumerate(pairs.rows) if row is None}

    def _markup(self, records: pa.Table, numbers: Sequence[int]) -> list[dict[int, str]]:
        """For each record the markup of its cells by column; blank texts where there is none."""
        columns = list(self.columns.values())
        chosen = records.select(list(self.columns))
        styles = [self._style(name) for name in self.columns]
        made = CellMarkup(chosen.schema, columns, styles, _counts_from_1904(self.package))
        result: list[dict[int, str]] = []
        for batch in chosen.to_batches(max_chunksize=20_000):
            start = len(result)
            rows = pa.array([str(number + 1) for number in numbers[start : start + batch.num_rows]])
            cells = [
                made.cells(index, column, rows).to_pylist()
                for index, column in enumerate(batch.columns)
            ]
            result += [
                dict(zip(columns, values, strict=True)) for values in zip(*cells, strict=True)
            ]
        return result

    def _style(self, name: str) -> int | None:
        column = self.columns[name]
        cell = self._first_cells.get(column)
        style = style_of(cell) if cell is not None else None
        form = field_type(self.schema.field(name)).sheet_format
        return self.package.style(form) if style is None and form is not None else style

    @property
    def _worksheet(self) -> Worksheet:
        return self.package.worksheet(self.part)

    @cached_property
    def _first_cells(self) -> Mapping[int, Any]:
        """The original cells of the first row."""
        return cells_by_column(self._worksheet.row(self.numbers[0])) if self.numbers else {}

    def take(self) -> None:
        """Read the markup of the tab. Raises CallError if it cannot be written to."""
        sheet = self._worksheet
        if not sheet.is_addressed:
            raise CallError(
                f"{self.where} has cells without an address; save it again in a spreadsheet program"
            )
        for number in sorted(sheet.with_formulas.intersection(self._wanted[1:])):
            cells = cells_by_column(sheet.row(number))
            for column in self.place.fields.values():
                if column in cells and formula_of(cells[column]) is not None:
                    raise CallError(
                        f"{self.where}: {Address(number, column)} holds a formula, which could not"
                        " be kept; move it to another column"
                    )

    @property
    def _wanted(self) -> range:
        return range(self.place.top, max(self.place.ends) + 1)

    def put(self) -> None:
        """Put the decided changes into the workbook.

        Raises CallError, which says what could not be preserved.
        """
        change, package = self._change, self.package
        if self.sources is not None:
            put_sources(package, self.tab, self.key, self._kept)
        if change is None:
            return
        sheet = self._worksheet
        if change.moves:
            refuse_moving(package, self.part, self.sheet, self.place, change, self.where)
        first = self._first_cells
        calculated: set[int] = set()
        if self._added:
            calculated = calculated_columns(sheet, self.place.further, self.numbers)
        move_rows(sheet, change, self.where)
        further = {
            column: further_column(sheet, change, column, first[column], column in calculated)
            for column in self.place.further
            if column in first
        }
        for number, cells in self._new.items():
            put_row(sheet, number, cells, further if number in self._added else None)
        if self.right > self.place.right:
            self._put_headings(sheet)
        follow_on_tab(sheet, change, self.where)
        for table in package.tables(self.part):
            self._fit(package, table, change)
        follow(package, self.part, change)

    def _put_headings(self, sheet: Worksheet) -> None:
        """Write the headings of fields without a column."""
        top = self.place.top
        last = cells_by_column(sheet.row(top)).get(self.place.right)
        style = style_of(last) if last is not None else None
        new = {
            column: heading_cell(str(Address(top, column)), name, style)
            for name, column in self.columns.items()
            if column > self.place.right
        }
        put_row(sheet, top, new)

    def _fit(self, package: Package, name: str, change: RowChange) -> None:
        root = package.tree(name)
        if not _is_at(root.get("ref", ""), self.place):
            return
        names = [value.get("name", "") for value in root.find("{*}tableColumns")]
        new = [text for text, column in self.columns.items() if column > self.place.right]
        whole = area_text(change.top, change.left, change.bottom, change.right)
        fit_table(package, name, whole, [*names, *new])


def _counts_from_1904(package: Package) -> bool:
    settings = package.tree("xl/workbook.xml").find("{*}workbookPr")
    return settings is not None and settings.get("date1904") in ("1", "true")


def _is_at(area: str, place: TablePlace) -> bool:
    return area.partition(":")[0] == str(Address(place.top, place.left))
