"""One table of a master: its rows now, the records that come, and the tab that becomes of both."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from xml.sax.saxutils import escape, unescape

import pyarrow as pa

from boreotabula.batch.run.gather import RowCounts
from boreotabula.errors import CallError
from boreotabula.layout.addresses import Address
from boreotabula.layout.model import PROVENANCE
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.parts.editing import Package
from boreotabula.sheets.sheet import Sheet
from boreotabula.stores.csv import column_text, field_type, type_name
from boreotabula.stores.master.follow import changed_sheet, fit_filter, follow
from boreotabula.stores.master.markup import (
    Row,
    blank_row,
    formula_of,
    split_sheet,
    style_of,
)
from boreotabula.stores.master.place import Place, refuse_below, refuse_neighbours
from boreotabula.stores.master.references import RowChange, area_text
from boreotabula.stores.master.sources import put_sources
from boreotabula.stores.pairing import Lines, Pairs, Source, Values, lines_of, paired
from boreotabula.stores.xlsx import fit_table
from boreotabula.stores.xlsx_rows import CellMarkup, check_room, heading_cell

_EXACT = 15
"""Whole numbers of more digits are texts in a sheet."""


@dataclass(frozen=True)
class Touched:
    """A row of a master that a person should know of; its cell, and texts that are not ours."""

    cell: Address
    source: Source
    texts: tuple[str, ...] = ()


@dataclass(frozen=True)
class Merged:
    """The outcome of putting records into a table."""

    counts: RowCounts
    foreign: int
    """Rows of files that no run has read, or of none."""
    remarks: tuple[Touched, ...] = ()
    """Rows that went, though something stood in columns that are no fields."""
    by_hand: tuple[Touched, ...] = ()
    """Rows of unchanged files that held something else than these do."""


@dataclass
class MasterTable:
    """A table on a tab of a workbook that takes records."""

    package: Package
    tab: str
    where: str
    """The workbook and the tab, in messages."""
    part: str
    place: Place
    sheet: Sheet
    schema: pa.Schema
    """All fields of the records."""
    key: Sequence[str]
    sources: Mapping[Values, Source] | None = None
    """Of a table without columns for it: where its rows are from, by their key."""
    _change: RowChange | None = None
    _before: str = ""
    _rows: list[Row] = field(default_factory=list)
    _after: str = ""
    _new: dict[int, dict[int, str]] = field(default_factory=dict)
    """By row the cells that are written there."""
    _added: set[int] = field(default_factory=set)
    """Those of the rows that are new."""
    _kept: list[tuple[Values, Source]] = field(default_factory=list)
    _sources: list[Source] = field(default_factory=list)
    """Where each row says that it is from, by the names that files had then."""

    @property
    def written(self) -> list[str]:
        """The fields that have columns, in the order of the layout."""
        hidden = PROVENANCE if self.sources is not None else ()
        return [name for name in self.schema.names if name not in hidden]

    @cached_property
    def columns(self) -> Mapping[str, int]:
        """The column of each of those fields; the table has none yet for the last ones."""
        known = self.place.fields
        new = [name for name in self.written if name not in known]
        added = {name: self.place.right + 1 + at for at, name in enumerate(new)}
        return {name: known.get(name, added.get(name, 0)) for name in self.written}

    @property
    def headings(self) -> Mapping[str, str]:
        """The heading of each field, as the table spells it."""
        return {
            name: self.place.headings.get(column, name) for name, column in self.columns.items()
        }

    @property
    def right(self) -> int:
        """The last column, new ones included."""
        return max(self.place.right, *self.columns.values())

    # --- what is there ---------------------------------------------------------------------------

    @cached_property
    def numbers(self) -> list[int]:
        """The rows of the table in which anything stands, counted from 0."""
        place = self.place
        filled = self.sheet.filled[:, place.left : place.right + 1]
        return [row for row in range(place.top + 1, place.bottom + 1) if filled[row].any()]

    def lines(self, renamed: Mapping[str, str]) -> Lines:
        """The rows as texts; `renamed` are the names of files now by what they were before."""
        texts = {name: self._texts(name) for name in self.written}
        keys = list(zip(*(_plain(texts[one]) for one in self.key), strict=True))
        values = list(zip(*(texts[one] for one in self._fields), strict=True))
        names = list(zip(*(texts[one] for one in self._names), strict=True))
        found: list[Source]
        if self.sources is None:
            places = [self._cells(one) for one in PROVENANCE]
            found = list(zip(*places, strict=True))
        else:
            found = [self.sources.get(known, ("", "", "")) for known in keys]
        self._sources = found
        sources = [(renamed.get(file, file), tab, cell) for file, tab, cell in found]
        return Lines(values, sources, names or [()] * len(values), keys)

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
        """The cells of a field as its values are written; numbers that are texts are marked."""
        column = self.place.fields.get(name)
        if column is None:
            return [""] * len(self.numbers)
        one = self.schema.field(name)
        cells = [self.sheet.cell(row, column) for row in self.numbers]
        values = convert(cells, ValueForm(type_name(one))).values
        kind = field_type(one)
        texts = []
        for cell, text in zip(cells, _strings(values, one), strict=True):
            as_text = kind.is_number and isinstance(cell, str) and 0 < len(text) <= _EXACT
            texts.append(_MARK + text if as_text else text or one_gap(cell_text(cell)))
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
        """Pair the rows with records and settle what the tab becomes.

        `again` are the files whose records these are, `ours` those that any run has read,
        `unchanged` those that hold what they held when the rows were written. Raises CallError,
        which says what could not be kept.
        """
        records = records.cast(_decoded(records.schema))
        rows = self.lines(renamed or {})
        lines = lines_of(records.select([*self._fields, *PROVENANCE]), self.key, fitted=one_gap)
        pairs = paired(rows, lines, again)
        changed = [
            number
            for number, at in enumerate(pairs.rows)
            if at is None or rows.values[at] != lines.values[number]
            or (self.sources is None and self._sources[at] != lines.sources[number])
        ]  # fmt: skip
        replaced = [
            (number, at)
            for number, at in enumerate(pairs.rows)
            if at is not None and rows.values[at] != lines.values[number]
        ]
        added = sum(at is None for at in pairs.rows)
        kept = len(self.numbers) - len(pairs.gone) - len(replaced)
        known = {at for at in pairs.rows if at is not None} | set(pairs.gone)
        foreign = sum(
            source[0] not in ours for at, source in enumerate(rows.sources) if at not in known
        )
        self._note_sources(rows, lines, pairs)
        if added or changed or pairs.gone or self.right > self.place.right:
            self._settle(records, pairs, changed)
        return Merged(
            RowCounts(added, kept, len(replaced), len(pairs.gone)),
            foreign,
            tuple(self._remarks(rows, pairs)),
            tuple(
                Touched(Address(self.numbers[at], self.place.left), lines.sources[number])
                for number, at in replaced
                if rows.sources[at][0] in unchanged
            ),
        )

    def _note_sources(self, rows: Lines, lines: Lines, pairs: Pairs) -> None:
        """What the hidden tab is to hold."""
        if self.sources is None:
            return
        known = {at for at in pairs.rows if at is not None} | set(pairs.gone)
        stay = [
            (rows.keys[at], source)
            for at, source in enumerate(rows.sources)
            if at not in known and source[0]
        ]
        self._kept = sorted([*stay, *zip(lines.keys, lines.sources, strict=True)])

    def _remarks(self, rows: Lines, pairs: Pairs) -> Iterator[Touched]:
        """What people wrote beside rows that go; formulas can be worked out again."""
        markup = {row.number: row for row in self._rows}
        for at in pairs.gone:
            row = self.numbers[at]
            cells = markup[row].cells()
            written = [
                cell_text(self.sheet.cell(row, column))
                for column in self.place.further
                if column in cells and formula_of(cells[column]) is None
            ]
            if texts := tuple(filter(None, written)):
                yield Touched(Address(row, self.place.left), rows.sources[at], texts)

    # --- what the tab becomes --------------------------------------------------------------------

    def _settle(self, records: pa.Table, pairs: Pairs, changed: Sequence[int]) -> None:
        place = self.place
        gone = [self.numbers[at] for at in pairs.gone]
        change = RowChange(self.tab, place.top, place.left, place.right, place.ends, 0, gone)
        lost = set(pairs.gone)
        staying = (row for at, row in enumerate(self.numbers) if at not in lost)
        last = change.row(max(staying, default=place.top))
        numbers: list[int] = []
        for at in pairs.rows:
            last += at is None
            numbers.append(last if at is None else change.row(self.numbers[at]))
        bottom = max(last, place.top + 1)
        check_room(self.tab, bottom + 1)
        refuse_neighbours(self.sheet, place, self.right, self.where)
        refuse_below(self.sheet, place, self.right, bottom, self.where)
        self._change = RowChange(
            self.tab, place.top, place.left, self.right, place.ends, bottom, gone
        )
        some = records.take(pa.array(changed, pa.int64()))
        places = [numbers[one] for one in changed]
        self._new = dict(zip(places, self._markup(some, places), strict=True))
        self._added = {numbers[one] for one, at in enumerate(pairs.rows) if at is None}

    def _markup(self, records: pa.Table, numbers: Sequence[int]) -> list[dict[int, str]]:
        """For each record the markup of its cells by their columns; blank texts where none is."""
        columns = list(self.columns.values())
        chosen = records.select(list(self.columns))
        styles = [self._style(name) for name in self.columns]
        made = CellMarkup(chosen.schema, columns, styles, _counts_from_1904(self.package))
        found: list[dict[int, str]] = []
        for batch in chosen.to_batches(max_chunksize=20_000):
            start = len(found)
            rows = pa.array([str(one + 1) for one in numbers[start : start + batch.num_rows]])
            cells = [
                made.cells(at, column, rows).to_pylist() for at, column in enumerate(batch.columns)
            ]
            found += [dict(zip(columns, one, strict=True)) for one in zip(*cells, strict=True)]
        return found

    def _style(self, name: str) -> int | None:
        column = self.columns[name]
        cell = self._first_cells.get(column)
        style = style_of(cell) if cell is not None else None
        form = field_type(self.schema.field(name)).sheet_format
        return self.package.style(form) if style is None and form is not None else style

    @cached_property
    def _first_cells(self) -> Mapping[int, str]:
        if not self.numbers:
            return {}
        return next((one.cells() for one in self._rows if one.number == self.numbers[0]), {})

    def take(self) -> None:
        """Look at the markup of the tab. Raises CallError if it cannot be written to."""
        try:
            self._before, self._rows, self._after = split_sheet(self.package.text(self.part))
            cells = {row.number: row.cells() for row in self._rows if row.number in self._wanted}
        except ValueError:
            raise CallError(
                f"{self.where} has cells without an address; save it again in a spreadsheet program"
            ) from None
        for number, there in cells.items():
            for column in self.place.fields.values():
                if column in there and number > self.place.top and formula_of(there[column]):
                    raise CallError(
                        f"{self.where}: {Address(number, column)} holds a formula, which could not"
                        " be kept; move it to another column"
                    )

    @property
    def _wanted(self) -> range:
        return range(self.place.top, max(self.place.ends) + 1)

    def put(self) -> None:
        """Put what has been settled into the workbook.

        Raises CallError, which says what could not be kept.
        """
        change, package = self._change, self.package
        if self.sources is not None:
            put_sources(package, self.tab, self.key, self._kept)
        if change is None:
            return
        self._before, self._rows, self._after = split_sheet(package.text(self.part))
        if change.moves:
            self._refuse_moving(package, change)
        rows = {row.number: self._followed(row, change) for row in self._moved(change)}
        # Rows of the table that stay, before new ones are put among them.
        stay = [rows[number] for number in sorted(rows) if change.top < number <= change.bottom]
        for number, cells in self._new.items():
            row = rows.get(number) or blank_row(number)
            more = self._further_cells(number, stay) if number in self._added else {}
            new = number in self._added
            rows[number] = row.with_cells({**more, **cells}, keep_looks=not new)
        if self.right > self.place.right:
            rows[change.top] = self._heading(rows.get(change.top) or blank_row(change.top))
        inner = "".join(rows[number].markup for number in sorted(rows))
        before = _without_extent(self._before)
        after = fit_filter(changed_sheet(self._after, change, self.where, on_tab=True), change)
        package.put(self.part, before + inner + after)
        for one in package.tables(self.part):
            self._fit(package, one, change)
        follow(package, self.part, change)

    def _moved(self, change: RowChange) -> Iterator[Row]:
        """The rows that stay, where they stand then."""
        gone = set(change.gone)
        for row in self._rows:
            if row.number not in gone:
                yield row.moved(change.row(row.number)) if row.number > change.top else row

    def _followed(self, row: Row, change: RowChange) -> Row:
        """A row whose formulas follow the rows of the table."""
        if "<f" not in row.markup and ":f" not in row.markup:
            return row
        return Row(row.number, changed_sheet(row.markup, change, self.where, on_tab=True))

    def _further_cells(self, number: int, stay: Sequence[Row]) -> dict[int, str]:
        """The cells of a new row in columns that are no fields: their looks, and the formula of the
        column if every row has one."""
        found = {}
        for column in self.place.further:
            above = self._first_cells.get(column)
            if above is None:
                continue
            style = style_of(above)
            mark = "" if style is None else f' s="{style}"'
            address = Address(number, column)
            formula = self._column_formula(column, address, stay)
            inner = f"<f>{escape(formula)}</f>" if formula else ""
            if inner or mark:
                found[column] = f'<c r="{address}"{mark}>{inner}</c>'
        return found

    def _column_formula(self, column: int, address: Address, stay: Sequence[Row]) -> str:
        """The formula of a column as it is in a new row; empty if it has none in every row."""
        # Of a row that stays, if one does: what it refers to has followed already.
        start, first = Address(self.numbers[0], column), formula_of(self._first_cells[column])
        for row in stay:
            cell = row.cells().get(column)
            formula = formula_of(cell) if cell else None
            if formula is not None and formula.text:
                start, first = Address(row.number, column), formula
                break
        if first is None or not first.text or first.kind == "array":
            return ""
        rows = {row.number: row for row in self._rows}
        cells = (rows[number].cells().get(column) for number in self.numbers)
        if column not in self._calculated:
            self._calculated[column] = all(one and formula_of(one) for one in cells)
        if not self._calculated[column]:
            return ""
        from openpyxl.formula.translate import Translator  # heavy, and seldom needed

        text = unescape(first.text, {"&quot;": '"', "&apos;": "'"})
        moved: str = Translator(f"={text}", str(start)).translate_formula(str(address))
        return moved.removeprefix("=")

    @cached_property
    def _calculated(self) -> dict[int, bool]:
        return {}

    def _heading(self, row: Row) -> Row:
        last = row.cells().get(self.place.right)
        style = style_of(last) if last is not None else None
        new = {
            column: heading_cell(str(Address(row.number, column)), name, style)
            for name, column in self.columns.items()
            if column > self.place.right
        }
        return row.with_cells(new)

    def _fit(self, package: Package, name: str, change: RowChange) -> None:
        root = package.tree(name)
        if not _is_at(root.get("ref", ""), self.place):
            return
        names = [one.get("name", "") for one in root.find("{*}tableColumns")]
        new = [one for one, column in self.columns.items() if column > self.place.right]
        whole = area_text(change.top, change.left, change.bottom, change.right)
        fit_table(package, name, whole, [*names, *new])

    def _refuse_moving(self, package: Package, change: RowChange) -> None:
        """Raises CallError if rows that must move hold something that does not move with them."""
        first, end = change.gone[0], max(change.ends)
        said = f"rows below row {first + 1} move up because records were removed, but"
        beside = self.sheet.filled[first : end + 1].copy()
        beside[:, self.place.left : self.place.right + 1] = False
        if beside.any():
            row, column = (int(one[0]) for one in beside.nonzero())
            raise CallError(
                f"{self.where}: {said} {Address(first + row, column)} beside the table cannot"
                " move with them; move it to another tab"
            )
        for kind in ("/comments", "/threadedComment"):
            for part in package.related(self.part, kind).values():
                for note in package.tree(part).iter("{*}comment", "{*}threadedComment"):
                    row = int("".join(filter(str.isdigit, note.get("ref", "0")))) - 1
                    if first <= row <= end:
                        raise CallError(
                            f"{self.where}: {said} the note of {note.get('ref')} cannot move"
                            " with them; write it in a column of its own"
                        )
        if 't="shared"' in "".join(row.markup for row in self._rows if row.number in self._wanted):
            raise CallError(
                f"{self.where}: {said} formulas that cells share cannot move with them; enter them"
                " again in each row"
            )


_MARK = "\x00"


def _counts_from_1904(package: Package) -> bool:
    settings = package.tree("xl/workbook.xml").find("{*}workbookPr")
    return settings is not None and settings.get("date1904") in ("1", "true")


def _is_at(area: str, place: Place) -> bool:
    return area.partition(":")[0] == str(Address(place.top, place.left))


def _without_extent(before: str) -> str:
    start = before.find("<dimension")
    return before if start < 0 else before[:start] + before[before.index(">", start) + 1 :]


def one_gap(text: str) -> str:
    """A text whose white space is single blanks: spreadsheet programs do not keep all of it."""
    return " ".join(text.split())


def _strings(values: pa.Array | pa.ChunkedArray, one: pa.Field) -> list[str]:
    """Values as CSV has them, blanks as empty texts."""
    kind = field_type(one)
    chunks = values.chunks if isinstance(values, pa.ChunkedArray) else [values]
    found: list[str] = []
    for chunk in chunks:
        if len(chunk):
            found += [one_gap(text or "") for text in column_text(chunk, kind).to_pylist()]
    return found


def _decoded(schema: pa.Schema) -> pa.Schema:
    """A schema whose texts are no entries of a dictionary: those of several files differ."""
    return pa.schema(
        one.with_type(one.type.value_type) if pa.types.is_dictionary(one.type) else one
        for one in schema
    )


def _plain(texts: Sequence[str]) -> list[str]:
    return [text.removeprefix(_MARK) for text in texts]
