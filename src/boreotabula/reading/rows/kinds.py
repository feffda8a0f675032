"""Telling the rows of a block apart, each by its own cells: records, totals, and all others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Spot
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, is_figure, reads_as_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan, GroupPlan
from boreotabula.reading.rows.table_rows import (
    GroupName,
    Kinds,
    RowKind,
    Rule,
    RuleKind,
    StubCells,
    TableRows,
    carried_columns,
    of_kind,
)
from boreotabula.sheets.sheet import Cell, Sheet


def classify_rows(
    sheet: Sheet, place: Place, columns: Columns, claimed_cells: frozenset[Spot] = frozenset()
) -> TableRows:
    """What each row below the headings is, by its own cells.

    A row whose cells are all `claimed_cells` for, as stamps and their labels, is passed over.
    """
    # Where it ends is asked first: no rule may speak of rows below that.
    block = columns.block
    ended = _end(sheet, place, columns)
    rows = range(place.bottom + 1, max(place.bottom + 1, ended[0] if ended else place.end))
    own = {
        name: _own(sheet, rows, carried_column)
        for name, carried_column in carried_columns(columns).items()
    }
    teller = _Teller(sheet, columns, place, rows, own)
    kinds = teller.kinds(claimed_cells)
    kinds = _named_by_carrying(kinds, own, block)
    kinds = teller.without_signature(kinds)
    kinds = _list_tail(kinds, teller) if block.is_list else _table_tail(kinds, teller)
    if block.leave_below:
        below = np.flatnonzero(of_kind(kinds, RowKind.UNSURE, RowKind.BELOW))
        kinds = kinds.copy()
        kinds[below] = RowKind.LEFT_OUT
        teller.rules |= dict.fromkeys((below + rows.start).tolist(), Rule(RuleKind.BELOW))
    if block.keep_blank:
        # The tail of the table is settled by now: remarks below it do not become records.
        kinds = np.where(kinds == RowKind.BARE, np.uint8(RowKind.RECORD), kinds)
    records = np.flatnonzero(kinds == RowKind.RECORD)
    inside = np.flatnonzero(kinds)
    inside = inside[~of_kind(kinds[inside], RowKind.BELOW, RowKind.LABEL)]
    return TableRows(
        rows.start,
        kinds,
        teller.rules,
        {name: stub_cells.take(records) for name, stub_cells in own.items()},
        ended,
        rows.start + int(inside[-1]) if len(inside) else place.bottom,
        {name: own[name] for name in block.carry_down if name in own},
        {row: name for row, name in teller.groups.items() if kinds[row - rows.start] == _GROUP},
        teller.ungrouped,
    )


_GROUP = RowKind.GROUP
_TWO = 2
_MOST_NUMBERED = 4
"""So many rows below the headings may number the columns, or hold units."""


def _own(sheet: Sheet, rows: range, column: int) -> StubCells:
    """The cells of a stub column; a merged cell speaks for all of its rows."""
    cells = [sheet.rows[row][column] for row in rows]
    positions = np.arange(rows.start, rows.stop)
    columns = np.full(len(rows), column)
    filled = sheet.filled[rows.start : rows.stop, column].copy()
    for span in sheet.merged_in(rows, range(column, column + 1)):
        if span.bottom > span.top:
            cell = sheet.cell(span.top, span.left)
            range_ = range(max(span.top, rows.start) - rows.start,
                         min(span.bottom + 1, rows.stop) - rows.start)  # fmt: skip
            # Only tall ones: a wide one speaks for its row alone.
            cells[range_.start : range_.stop] = [cell] * len(range_)
            positions[range_.start : range_.stop] = span.top
            columns[range_.start : range_.stop] = span.left
            filled[range_.start : range_.stop] = cell != ""
    return StubCells(cells, positions, columns, filled)


def _end(sheet: Sheet, place: Place, columns: Columns) -> tuple[int, int, str] | None:
    """The first row whose first filled cell matches `ends_at`."""
    patterns = columns.block.ends_at
    if not patterns:
        return None
    # Notes below a table often begin left of it.
    left, right = (columns.left, columns.right) if place.fixed else (0, sheet.width)
    within = sheet.filled[place.bottom + 1 : place.end, left:right]
    rules = _Rules(patterns)
    firsts = within.argmax(axis=1) + left
    for index in np.flatnonzero(within.any(axis=1)).tolist():
        row, column = place.bottom + 1 + index, int(firsts[index])
        pattern = rules.first_for([cell_text(sheet.rows[row][column])])
        if pattern is not None:
            return row, column, pattern.text
    return None


def _named_by_carrying(kinds: Kinds, own: Mapping[str, StubCells], block: BlockPlan) -> Kinds:
    """Rows without a stub cell of their own are records if one is carried down to them."""
    sources = [own[name].filled for name in block.carry_down if name in own and name in block.stub]
    if not sources:
        return kinds
    # Rows without values name those below them all the same.
    gives = np.logical_or.reduce(sources) & of_kind(kinds, RowKind.RECORD, RowKind.BARE)
    named = (kinds == RowKind.NAMELESS) & np.logical_or.accumulate(gives)
    return np.where(named, np.uint8(RowKind.RECORD), kinds)


def matches_any(cell: Cell, patterns: Sequence[Pattern]) -> bool:
    """Whether a cell holds a text that one of some patterns matches."""
    return isinstance(cell, str) and any(pattern.match(cell) is not None for pattern in patterns)


class _Rules:
    """Patterns of a layout that are tried on many texts, most of which repeat."""

    def __init__(self, patterns: Sequence[Pattern]) -> None:
        self._patterns = patterns
        self._known: dict[str, int] = {}
        """The number of the first pattern that a text matches; how many there are if none."""

    def first_for(self, texts: Sequence[str]) -> Pattern | None:
        """The first pattern that any of some texts matches."""
        index = min(map(self._number, texts), default=len(self._patterns))
        return self._patterns[index] if index < len(self._patterns) else None

    def _number(self, text: str) -> int:
        count = self._known.get(text)
        if count is None:
            every = enumerate(self._patterns)
            fitting = (index for index, pattern in every if pattern.match(text) is not None)
            count = self._known[text] = next(fitting, len(self._patterns))
        return count


class _Teller:
    """What is needed to tell what the rows of a block are."""

    def __init__(
        self,
        sheet: Sheet,
        columns: Columns,
        place: Place,
        rows: range,
        own: Mapping[str, StubCells],
    ) -> None:
        self.sheet, self.place, self.rows, self.own = sheet, place, rows, own
        self.columns = columns
        self.block: BlockPlan = columns.block
        self.filled = sheet.filled[rows.start : rows.stop]
        self.within = self.filled[:, columns.left : columns.right]
        column_kinds = (ColumnKind.STUB, ColumnKind.BESIDE)
        self.known = [column.column for column in columns.of(*column_kinds)]
        self.rules: dict[int, Rule] = {}
        self.groups: dict[int, GroupName] = {}
        self.ungrouped: dict[int, int] = {}
        """Rows that are in no group of some level, though others above are: by row that level."""

    def kinds(self, claimed_cells: frozenset[Spot]) -> Kinds:
        """The kind of each row. The order of the questions is the order of the rules in the docs:
        what one of them has answered, the later ones do not ask."""
        block, rows = self.block, self.rows
        counts = np.count_nonzero(self.within, axis=1)
        kinds = np.where(counts, self._usual(), np.uint8(RowKind.NONE))
        open_ = counts > 0
        # Headings first: their cells could match any rule.
        copies = [row - rows.start for row in self.place.copies if row in rows]
        kinds[copies], open_[copies] = RowKind.HEADING, False
        if not block.depth:
            self._ask(kinds, open_, np.arange(len(rows)) == 0, RowKind.HEADING, self._is_heading)
        if block.boilerplate:
            self._ask(kinds, open_, counts > 0, RowKind.LABEL, self._is_boilerplate)
        # Boilerplate was asked before: what is a label needs no rule.
        under = open_ & (np.arange(len(rows)) < block.under_headings)
        kinds[under], open_[under] = RowKind.LEFT_OUT, False
        left_out = (np.flatnonzero(under) + rows.start).tolist()
        self.rules |= dict.fromkeys(left_out, Rule(RuleKind.UNDER_HEADINGS))
        if self.place.totals_from is not None:
            totals = open_ & (np.arange(rows.start, rows.stop) >= self.place.totals_from)
            kinds[totals], open_[totals] = RowKind.TOTAL, False
        if self._repeats_headings:
            may = (kinds == RowKind.RECORD) & self._may_say_its_headings()
            self._ask(kinds, open_, may, RowKind.HEADINGS_AGAIN, self._says_its_headings)
        if block.parts:
            self._find_rows(kinds, open_, block.parts.at, RowKind.LEFT_OUT, RuleKind.PARTS)
        if block.control:
            self._find_rows(kinds, open_, block.control.line, RowKind.CONTROL)
        if block.skip or block.totals or block.unlabelled_totals:
            self._apply_rules(kinds, open_)
        if block.only_rows:
            self._leave_out_others(kinds, open_)
        # Only right below the headings, or below rows of texts there, such as units: further down
        # 1, 2, 3 are values.
        first = block.under_headings
        for index in range(first, min(first + _MOST_NUMBERED, len(rows))):
            mask = np.arange(len(rows)) == index
            self._ask(kinds, open_, mask, RowKind.NUMBERED, self._counts_columns)
            figures = np.isfinite(self.sheet.numbers[rows.start + index]).any()
            if figures and kinds[index] != RowKind.NUMBERED:
                break
        # Cover cells may stand beside or below a table: they are no records of it.
        if claimed_cells:
            array = np.isin(np.arange(rows.start, rows.stop), [row for row, _ in claimed_cells])
            self._ask(
                kinds, open_, array, RowKind.NONE, lambda row: self._all_claimed(row, claimed_cells)
            )
        for level, group in enumerate(block.groups):
            if group.named:
                self._find_named(kinds, open_, level, group)
            elif group.indent is not None:
                self._find_indented(kinds, open_, level, group.indent)
        # By its shape only the innermost: then the names of the outer ones are known.
        if block.groups and not block.groups[-1].named and block.groups[-1].indent is None:
            groups = np.flatnonzero(open_ & (counts == 1) & self._may_name_group())
            kinds[groups] = RowKind.GROUP
            firsts = self.within[groups].argmax(axis=1) + self.columns.left
            for index, column in zip(groups.tolist(), firsts.tolist(), strict=True):
                self.groups[index + rows.start] = GroupName(len(block.groups) - 1, column)
        return kinds

    def _find_named(
        self, kinds: Kinds, open_: NDArray[np.bool_], level: int, group: GroupPlan
    ) -> None:
        """The rows in which a cell beside the values matches the names of a group."""
        rules, columns = _Rules(group.named), self._naming_columns()
        for index in np.flatnonzero(open_).tolist():
            row = self.sheet.rows[index + self.rows.start]
            named = (
                column
                for column in columns
                if row[column] != "" and rules.first_for([cell_text(row[column])]) is not None
            )
            column = next(named, None)
            if column is not None:
                kinds[index], open_[index] = RowKind.GROUP, False
                self.groups[index + self.rows.start] = GroupName(level, column)

    def _find_indented(
        self, kinds: Kinds, open_: NDArray[np.bool_], level: int, indent: int
    ) -> None:
        """The rows whose name is indented so far, with rows below them that are further indented;
        one without such rows is in no group, and ends the one above it."""
        rows = (np.flatnonzero(open_) + self.rows.start).tolist()
        names = {row: self._name_of(row) for row in rows}
        indents = {
            row: self.sheet.indent(row, name) for row, name in names.items() if name is not None
        }
        for row, after in pairwise([*indents, -1]):
            if indents[row] > indent:
                continue
            if indents[row] == indent and after >= 0 and indents[after] > indent:
                kinds[row - self.rows.start] = RowKind.GROUP
                open_[row - self.rows.start] = False
                self.groups[row] = GroupName(level, names[row] or self.columns.left)
            else:
                self.ungrouped[row] = level

    def _name_of(self, row: int) -> int | None:
        """The column of the cell that names a row: the first filled one that holds no figure."""
        for column in range(self.columns.left, self.columns.right):
            cell = self.sheet.rows[row][column]
            if cell != "":
                return None if is_figure(self.sheet, cell) else column
        return None

    def _naming_columns(self) -> list[int]:
        """The columns in which a group can be named: those of a cross-tab that hold no values; of a
        list its stub, or without one its first columns, as a line number may come first."""
        valued = (ColumnKind.VALUE, ColumnKind.TOTAL, ColumnKind.BESIDE)
        beside = [column.column for column in self.columns.every if column.kind not in valued]
        firsts = self.known[:2] if self.block.is_list and not self.place.stub else []
        return sorted({*beside, *firsts})

    def _ask(
        self,
        kinds: Kinds,
        open_: NDArray[np.bool_],
        among: NDArray[np.bool_],
        kind: RowKind,
        question: Any,
    ) -> None:
        """Answer a question row by row, for those among the open ones that it may hold of."""
        for index in np.flatnonzero(open_ & among).tolist():
            if question(index + self.rows.start):
                kinds[index], open_[index] = kind, False

    def _usual(self) -> Kinds:
        """What rows are that no rule speaks of."""
        own = [stub_cells.filled for stub_cells in self.own.values()]
        nothing = np.zeros(len(self.rows), bool)
        # Through merged cells, too, which hold nothing in these rows themselves.
        any_own: NDArray[np.bool_] = np.logical_or.reduce([nothing, *own])
        record, bare = np.uint8(RowKind.RECORD), np.uint8(RowKind.BARE)
        if self.block.is_list:
            return np.where(self.filled[:, self.known].any(axis=1) | any_own, record, bare)
        # If no stub heading was found there is nothing that could name a row.
        named = any_own | (not self.place.stub)
        valued = self.filled[:, list(self.columns.valued)].any(axis=1)
        with_values = np.where(named, record, np.uint8(RowKind.NAMELESS))
        return np.where(valued, with_values, bare)

    def _find_rows(
        self,
        kinds: Kinds,
        open_: NDArray[np.bool_],
        patterns: Sequence[Pattern],
        kind: RowKind,
        rule: RuleKind | None = None,
    ) -> None:
        """The rows whose first filled cell matches a pattern."""
        rules = _Rules(patterns)
        for index in np.flatnonzero(open_).tolist():
            row = index + self.rows.start
            first = self._first_cell(index)
            match = rules.first_for([cell_text(first)])
            if match is not None:
                kinds[index], open_[index] = kind, False
                if rule is not None:
                    self.rules[row] = Rule(rule, match.text)

    def _first_cell(self, row: int) -> Cell:
        """The first filled cell of a row, counted from the first of the table; blank if none is."""
        column = int(self.within[row].argmax()) + self.columns.left
        return self.sheet.rows[row + self.rows.start][column]

    def _leave_out_others(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """The rows that `only_rows` does not name: a stub cell, or the first filled cell, tells."""
        only = _Rules(self.block.only_rows)
        for index in np.flatnonzero(open_).tolist():
            row = index + self.rows.start
            first = self._first_cell(index)
            cells = (*(stub_cells.cells[index] for stub_cells in self.own.values()), first)
            if only.first_for([cell_text(cell) for cell in cells if cell != ""]) is None:
                kinds[index], open_[index] = RowKind.LEFT_OUT, False
                self.rules[row] = Rule(RuleKind.ONLY_ROWS)

    @cached_property
    def _repeats_headings(self) -> bool:
        """Whether a row could say just what its columns are headed by: two of them at least."""
        return len(self._valued) >= _TWO and self.block.depth > 0

    @cached_property
    def _valued(self) -> Sequence[int]:
        """The columns whose cells are values and that have a heading."""
        kind = ColumnKind.BESIDE if self.block.is_list else ColumnKind.VALUE
        head = self.sheet.rows[self.place.bottom] if self.place.bottom < self.sheet.height else ()
        every = (column.column for column in self.columns.of(kind))
        return [index for index in every if index < len(head) and head[index] != ""]

    @cached_property
    def _headings(self) -> Mapping[int, str]:
        """The lowest heading of each column whose cells are values, in normal form."""
        head = self.sheet.rows[self.place.bottom]
        return {index: normal_form(cell_text(head[index])) for index in self._valued}

    def _may_say_its_headings(self) -> NDArray[np.bool_]:
        """The rows worth a closer look: in the first of these columns they hold no number, or that
        of the heading."""
        column = self._valued[0]
        numbers = self.sheet.numbers[self.rows.start : self.rows.stop, column]
        # What is no number is equal to none, not even to itself.
        may: NDArray[np.bool_] = numbers == self.sheet.numbers[self.place.bottom, column]
        may |= np.isnan(numbers)
        return may

    def _says_its_headings(self, row: int) -> bool:
        """Whether each value of a row equals the heading of its column, in two columns at least.

        Such a row is the headings again, under another text over the stub.
        """
        cells = self.sheet.rows[row]
        return all(
            cells[column] != "" and normal_form(cell_text(cells[column])) == heading
            for column, heading in self._headings.items()
        )

    def _apply_rules(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """`skip` and `totals`: they look at each stub cell, and at the row's first filled cell."""
        skip, totals = _Rules(self.block.skip), _Rules(self.block.totals)
        kept = _Rules(self.block.not_totals)
        # The first filled cell, since labels of totals often stand beside the stub.
        firsts = self.within.argmax(axis=1) + self.columns.left
        for index in np.flatnonzero(open_).tolist():
            row = index + self.rows.start
            first = self.sheet.rows[row][firsts[index]]
            cells = (*(stub_cells.cells[index] for stub_cells in self.own.values()), first)
            texts = [cell_text(cell) for cell in cells if cell != ""]
            rule = skip.first_for(texts)
            if rule is not None:
                kinds[index], open_[index] = RowKind.LEFT_OUT, False
                self.rules[row] = Rule(RuleKind.SKIP, rule.text)
            # After `skip`, so that a total can be left out on purpose.
            elif kept.first_for(texts) is None and (
                totals.first_for(texts) is not None
                or (self.block.unlabelled_totals and self._figures_alone(row, index))
            ):
                kinds[index], open_[index] = RowKind.TOTAL, False

    def _figures_alone(self, row: int, index: int) -> bool:
        """Whether a row holds nothing but figures, and none that names it."""
        named = any(stub_cells.cells[index] != "" for stub_cells in self.own.values())
        return not named and all(
            is_figure(self.sheet, filled_cell) for filled_cell in self._filled_cells(row)
        )

    def _filled_cells(self, row: int) -> list[Cell]:
        cells = self.sheet.rows[row][self.columns.left : self.columns.right]
        return [cell for cell in cells if cell != ""]

    def _is_boilerplate(self, row: int) -> bool:
        """Whether a row holds nothing but texts of the form itself."""
        cells = self._filled_cells(row)
        return all(matches_any(cell, self.block.boilerplate) for cell in cells)

    def without_signature(self, kinds: Kinds) -> Kinds:
        """The kinds where the last rows that begin with a text of the form itself, such as a place
        to sign, are no part of the table."""
        if not self.block.boilerplate:
            return kinds
        kinds = kinds.copy()
        for index in np.flatnonzero(kinds)[::-1].tolist():
            first = self._first_cell(index)
            if not matches_any(first, self.block.boilerplate):
                break
            if kinds[index] != RowKind.LABEL:
                kinds[index] = RowKind.BELOW
        return kinds

    def _is_heading(self, row: int) -> bool:
        """Whether the first row of a list without headings is one all the same: it holds nothing
        but texts, and these are known as headings, or stand over figures."""
        sheet = self.sheet
        filled = [column for column in self.known if sheet.rows[row][column] != ""]
        # In a workbook a time may be a text, too: that is no heading either.
        if not filled or any(_looks_like_figure(sheet.rows[row][column]) for column in filled):
            return False
        count = sum(self.block.names.field_of(cell_text(sheet.rows[row][column])) is not None
                    for column in filled)  # fmt: skip
        if count >= min(2, len(filled)):
            return True
        below = row + 1
        figures = below in self.rows and any(
            sheet.rows[below][column] != "" and is_figure(sheet, sheet.rows[below][column])
            for column in filled
        )
        # One text where others have figures may be a slip: all columns must be filled.
        return figures and len(filled) == len(self.known)

    def _counts_columns(self, row: int) -> bool:
        """Whether a row under the headings numbers the columns: 1, 2, 3 and so on."""
        cells = self._filled_cells(row)
        # Many forms put the numbers of columns into brackets.
        if not cells or cell_text(cells[0]).strip("().") != "1":
            return False
        texts = [cell_text(cell).strip("().") for cell in cells]
        return len(texts) > 2 and texts == [str(number + 1) for number in range(len(texts))]

    def _may_name_group(self) -> NDArray[np.bool_]:
        """Of rows with one filled cell: whether that is the first stub cell, or none of values."""
        value = self.within.argmax(axis=1) + self.columns.left
        # In a list every column is known: without a stub only the first can name a group.
        firsts = self.known[:1] if self.block.is_list and not self.place.stub else []
        return np.isin(value, firsts) | ~np.isin(value, self.columns.valued)

    def _all_claimed(self, row: int, claimed_cells: frozenset[Spot]) -> bool:
        """Whether all that stands in a row is spoken for: stamps and their labels."""
        return all(
            (row, column) in claimed_cells
            for column in range(self.columns.left, self.columns.right)
            if self.sheet.rows[row][column] != ""
        )


def _looks_like_figure(cell: Cell) -> bool:
    return not isinstance(cell, str) or reads_as_figure(cell)


# --- the end of a table ------------------------------------------------------------------------


def _table_tail(kinds: Kinds, teller: _Teller) -> Kinds:
    """Rows below the last values of a cross-tab are no part of it, unless they follow at once and
    every stub cell is filled: a line whose values are all blank."""
    valued = of_kind(kinds, RowKind.RECORD, RowKind.TOTAL, RowKind.NAMELESS)
    # The total of a group that has no lines is still a line of the table.
    valued |= (kinds == RowKind.GROUP) & teller.filled[:, list(teller.columns.valued)].any(axis=1)
    last = int(np.flatnonzero(valued)[-1]) if valued.any() else teller.block.under_headings - 1
    tail = np.flatnonzero(of_kind(kinds, RowKind.BARE, RowKind.GROUP))
    tail = tail[tail > last]
    if not len(tail):
        return kinds
    own = [stub_cells.filled for stub_cells in teller.own.values()]
    named = np.logical_and.reduce(own)[tail] if own else np.zeros(len(tail), bool)
    before = np.concatenate(([last], tail[:-1]))
    # The first gap ends the table: what comes after it may be a remark.
    follows = (tail == before + 1) & (kinds[tail] == RowKind.BARE) & named
    below = tail[np.logical_or.accumulate(~follows)]
    kinds = kinds.copy()
    kinds[below] = RowKind.BELOW
    return kinds


def _list_tail(kinds: Kinds, teller: _Teller) -> Kinds:
    """What stands below the last full row of a list may be no record.

    Right below it: a row with one filled cell, where records have two or more. After a blank row:
    the same, which is outside the table then; and a row that leaves blank a column which every row
    before that blank row fills.
    """
    if teller.block.every_row or len(teller.known) < 2:
        return kinds
    values = np.flatnonzero(of_kind(kinds, RowKind.RECORD, RowKind.GROUP))
    # A group that the layout names is one wherever it is.
    listed = [row - teller.rows.start for row, name in teller.groups.items()
              if teller.block.groups[name.level].named]  # fmt: skip
    values = values[~np.isin(values, listed)]
    mask = kinds[values] == RowKind.GROUP
    if mask.all():
        return kinds
    filled = _known_filled(values, teller)
    counts = np.count_nonzero(filled, axis=1)
    # Where most records fill one cell, one filled cell is nothing odd.
    if 2 * np.count_nonzero(counts[~mask] >= 2) <= np.count_nonzero(~mask):
        return kinds
    totals = np.flatnonzero(kinds == RowKind.TOTAL)
    start = max(int(np.searchsorted(values, totals[-1])) if len(totals) else 0, 1)
    # The row right above each is none of the table's: there is a gap.
    gaps = np.flatnonzero(np.concatenate(([False], kinds == RowKind.NONE))[values])
    tail = _tail_after_gap(gaps[gaps >= start].tolist(), mask, filled, counts)
    kinds = kinds.copy()
    kinds[values[tail:]] = np.where(
        counts[tail:] == 1, np.uint8(RowKind.BELOW), np.uint8(RowKind.UNSURE)
    )
    index = tail - 1
    while index >= start and counts[index] == 1:
        kinds[values[index]] = RowKind.UNSURE
        index -= 1
    return kinds


def _known_filled(places: NDArray[np.intp], teller: _Teller) -> NDArray[np.bool_]:
    """Which known columns of some rows are filled, by themselves or through a merged cell."""
    filled: NDArray[np.bool_] = teller.sheet.filled_at(places + teller.rows.start, teller.known)
    for name, column in carried_columns(teller.columns).items():
        filled[:, teller.known.index(column)] |= teller.own[name].filled[places]
    return filled


def _tail_after_gap(
    gaps: Sequence[int],
    groups: NDArray[np.bool_],
    filled: NDArray[np.bool_],
    counts: NDArray[np.intp],
) -> int:
    """From which row on all are unlike the records above: the first after a gap of which that
    holds, else their number. A row is unlike if it fills one cell, or leaves blank what every row
    before the gap fills."""
    number = len(filled)
    always = filled | groups[:, None]
    # Groups have but a name: they say nothing of what records fill.
    always = np.logical_and.accumulate(always, axis=0)
    # The row from which on a column is not filled by all any more; it is `number` if it always is.
    broken = np.where(always[-1], number, (~always).argmax(axis=0))
    unlike_before = np.where(filled, 0, broken).max(axis=1)
    unlike_before[counts == 1] = number
    # One row that is like the records proves that all above it are of the table.
    least = np.minimum.accumulate(unlike_before[::-1])[::-1]
    return next((gap for gap in gaps if gap <= least[gap]), number)
