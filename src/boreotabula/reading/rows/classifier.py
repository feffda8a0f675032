"""What each row of a block is, question by question, in the order of the rules in the docs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Spot
from boreotabula.layout.headings import normal_form
from boreotabula.layout.model import GroupRow
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, count_on, is_figure, reads_as_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.reading.rows.pattern_rules import PatternRules, matches_any
from boreotabula.reading.rows.table_rows import (
    GroupName,
    Kinds,
    RowKind,
    RowRule,
    RuleKind,
    StubCells,
)
from boreotabula.sheets.sheet import Cell, Sheet

_TWO = 2
"""With one column of values, its heading may occur again as a value."""

_MOST_NUMBERED = 4
"""At most this many rows below the headings may number the columns, or hold units."""


class RowClassifier:
    """The context in which the rows of a block are classified."""

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
        self.rules: dict[int, RowRule] = {}
        self.groups: dict[int, GroupName] = {}
        self.ungrouped: dict[int, int] = {}
        """Rows outside any group of some level, though groups stand above: that level by row."""

    def kinds(self, claimed_cells: frozenset[Spot]) -> Kinds:
        """The kind of each row.

        The questions come in the order of the rules in the docs. A row that one of them has decided
        is not asked about again.
        """
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
        self._ask_place(kinds, open_)
        if self._repeats_headings:
            may = (kinds == RowKind.RECORD) & self._may_say_its_headings()
            self._ask(kinds, open_, may, RowKind.HEADINGS_AGAIN, self._says_its_headings)
        if block.parts:
            self._find_rows(kinds, open_, block.parts.at, RowKind.LEFT_OUT, RuleKind.PARTS)
        if block.control:
            self._find_rows(kinds, open_, block.control.line, RowKind.CONTROL)
        if block.skip or block.totals:
            self._apply_rules(kinds, open_)
        if block.only_rows:
            self._leave_out_others(kinds, open_)
        self._find_numbered(kinds, open_)
        # Cover cells may stand beside or below a table: they are no records of it.
        if claimed_cells:
            array = np.isin(np.arange(rows.start, rows.stop), [row for row, _ in claimed_cells])
            self._ask(
                kinds, open_, array, RowKind.NONE, lambda row: self._all_claimed(row, claimed_cells)
            )
        self._find_groups(kinds, open_, counts)
        return kinds

    def _ask_place(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """Decide rows that are known by their place alone."""
        block, rows = self.block, self.rows
        # Boilerplate was asked before: what is a label needs no rule.
        under = open_ & (np.arange(len(rows)) < block.under_headings)
        kinds[under], open_[under] = RowKind.LEFT_OUT, False
        left_out = (np.flatnonzero(under) + rows.start).tolist()
        self.rules |= dict.fromkeys(left_out, RowRule(RuleKind.UNDER_HEADINGS))
        if self.place.totals_from is not None:
            totals = open_ & (np.arange(rows.start, rows.stop) >= self.place.totals_from)
            kinds[totals], open_[totals] = RowKind.TOTAL, False

    def _find_numbered(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """The row that numbers the columns, right below the headings or below texts such as units.

        Further down 1, 2, 3 are values.
        """
        rows, first = self.rows, self.block.under_headings
        for index in range(first, min(first + _MOST_NUMBERED, len(rows))):
            mask = np.arange(len(rows)) == index
            self._ask(kinds, open_, mask, RowKind.NUMBERED, self._counts_columns)
            figures = np.isfinite(self.sheet.numbers[rows.start + index]).any()
            if figures and kinds[index] != RowKind.NUMBERED:
                break

    def _find_groups(
        self, kinds: Kinds, open_: NDArray[np.bool_], counts: NDArray[np.intp]
    ) -> None:
        """The rows that name groups, level by level; `counts` are the filled cells of each row."""
        block, rows = self.block, self.rows
        for level, group in enumerate(block.group_row):
            if group.named:
                self._find_named(kinds, open_, level, group)
            elif group.indent is not None:
                self._find_indented(kinds, open_, level, group.indent)
        # By its shape only the innermost: then the names of the outer ones are known.
        if block.group_row and not block.group_row[-1].named and block.group_row[-1].indent is None:
            groups = np.flatnonzero(open_ & (counts == 1) & self._may_name_group())
            kinds[groups] = RowKind.GROUP
            firsts = self.within[groups].argmax(axis=1) + self.columns.left
            for index, column in zip(groups.tolist(), firsts.tolist(), strict=True):
                self.groups[index + rows.start] = GroupName(len(block.group_row) - 1, column)

    def _find_named(
        self, kinds: Kinds, open_: NDArray[np.bool_], level: int, group: GroupRow
    ) -> None:
        """The rows in which a cell beside the values matches the names of a group."""
        rules, columns = PatternRules(group.named), self._naming_columns()
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
        """The rows whose name has this indentation, with further indented rows below them.

        A row without such rows is in no group, and ends the one above it.
        """
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
        """The columns in which a group can be named: those without values, or the stub of a list.

        In a list without a stub its first columns, because a line number may come first.
        """
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
        """Answer a question row by row, for the open rows to which it may apply."""
        for index in np.flatnonzero(open_ & among).tolist():
            if question(index + self.rows.start):
                kinds[index], open_[index] = kind, False

    def _usual(self) -> Kinds:
        """The kind of rows that no rule matches."""
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
        rules = PatternRules(patterns)
        for index in np.flatnonzero(open_).tolist():
            row = index + self.rows.start
            first = self._first_cell(index)
            match = rules.first_for([cell_text(first)])
            if match is not None:
                kinds[index], open_[index] = kind, False
                if rule is not None:
                    self.rules[row] = RowRule(rule, match.text)

    def _first_cell(self, row: int) -> Cell:
        """The first filled cell of a row, counted from the table's first column; blank if there is
        none."""
        column = int(self.within[row].argmax()) + self.columns.left
        return self.sheet.rows[row + self.rows.start][column]

    def _leave_out_others(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """Leave out rows that `only_rows` does not name by a stub cell or by the first filled
        cell."""
        only = PatternRules(self.block.only_rows)
        for index in np.flatnonzero(open_).tolist():
            row = index + self.rows.start
            first = self._first_cell(index)
            cells = (*(stub_cells.cells[index] for stub_cells in self.own.values()), first)
            if only.first_for([cell_text(cell) for cell in cells if cell != ""]) is None:
                kinds[index], open_[index] = RowKind.LEFT_OUT, False
                self.rules[row] = RowRule(RuleKind.ONLY_ROWS)

    @cached_property
    def _repeats_headings(self) -> bool:
        """Whether a row could equal the headings of its columns, at least two of them."""
        return len(self._valued) >= _TWO and self.block.depth > 0

    @cached_property
    def _valued(self) -> Sequence[int]:
        """The columns of values that have a heading."""
        kind = ColumnKind.BESIDE if self.block.is_list else ColumnKind.VALUE
        head = self.sheet.rows[self.place.bottom] if self.place.bottom < self.sheet.height else ()
        every = (column.column for column in self.columns.of(kind))
        return [index for index in every if index < len(head) and head[index] != ""]

    @cached_property
    def _headings(self) -> Mapping[int, str]:
        """The lowest heading of each column of values, in normal form."""
        head = self.sheet.rows[self.place.bottom]
        return {index: normal_form(cell_text(head[index])) for index in self._valued}

    def _may_say_its_headings(self) -> NDArray[np.bool_]:
        """The rows worth a closer look: in the first of these columns they hold no number, or the
        number of its heading."""
        column = self._valued[0]
        numbers = self.sheet.numbers[self.rows.start : self.rows.stop, column]
        # What is no number is equal to none, not even to itself.
        may: NDArray[np.bool_] = numbers == self.sheet.numbers[self.place.bottom, column]
        may |= np.isnan(numbers)
        return may

    def _says_its_headings(self, row: int) -> bool:
        """Whether a row repeats at least two headings of columns, under another stub heading."""
        cells = self.sheet.rows[row]
        return all(
            cells[column] != "" and normal_form(cell_text(cells[column])) == heading
            for column, heading in self._headings.items()
        )

    def _apply_rules(self, kinds: Kinds, open_: NDArray[np.bool_]) -> None:
        """Apply `skip` and `totals` to each stub cell, and to the row's first filled cell."""
        skip, totals = PatternRules(self.block.skip), PatternRules(self.block.totals.patterns)
        kept = PatternRules(self.block.not_totals)
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
                self.rules[row] = RowRule(RuleKind.SKIP, rule.text)
            # After `skip`, so that a total can be left out on purpose.
            elif kept.first_for(texts) is None and (
                totals.first_for(texts) is not None
                or (self.block.totals.blank and self._figures_alone(row, index))
            ):
                kinds[index], open_[index] = RowKind.TOTAL, False

    def _figures_alone(self, row: int, index: int) -> bool:
        """Whether a row holds only figures, and nothing that names it."""
        named = any(stub_cells.cells[index] != "" for stub_cells in self.own.values())
        return not named and all(
            is_figure(self.sheet, filled_cell) for filled_cell in self._filled_cells(row)
        )

    def _filled_cells(self, row: int) -> list[Cell]:
        cells = self.sheet.rows[row][self.columns.left : self.columns.right]
        return [cell for cell in cells if cell != ""]

    def _is_boilerplate(self, row: int) -> bool:
        """Whether a row holds only texts of the form itself."""
        cells = self._filled_cells(row)
        return all(matches_any(cell, self.block.boilerplate) for cell in cells)

    def without_signature(self, kinds: Kinds) -> Kinds:
        """The kinds, where the last rows that begin with a text of the form itself, such as a place
        to sign, do not belong to the table."""
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
        """Whether the first row of a list without headings is a heading row after all.

        It is if it holds only texts, and these are known as headings or stand over figures.
        """
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
        return count_on(self._filled_cells(row))

    def _may_name_group(self) -> NDArray[np.bool_]:
        """For rows with one filled cell: whether that is the first stub cell, or no cell of
        values."""
        value = self.within.argmax(axis=1) + self.columns.left
        # In a list every column is known: without a stub only the first can name a group.
        firsts = self.known[:1] if self.block.is_list and not self.place.stub else []
        return np.isin(value, firsts) | ~np.isin(value, self.columns.valued)

    def _all_claimed(self, row: int, claimed_cells: frozenset[Spot]) -> bool:
        """Whether all cells of a row are claimed, by stamps and their labels."""
        return all(
            (row, column) in claimed_cells
            for column in range(self.columns.left, self.columns.right)
            if self.sheet.rows[row][column] != ""
        )


def _looks_like_figure(cell: Cell) -> bool:
    return not isinstance(cell, str) or reads_as_figure(cell)
