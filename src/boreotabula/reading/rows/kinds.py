"""Classify the rows of a block, each by its own cells: records, totals, and all others."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from boreotabula.findings.finding import Spot
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.reading.rows.classifier import RowClassifier
from boreotabula.reading.rows.further_totals import with_further_totals
from boreotabula.reading.rows.pattern_rules import PatternRules
from boreotabula.reading.rows.table_rows import (
    Kinds,
    RowKind,
    RowRule,
    RuleKind,
    StubCells,
    TableRows,
    carried_columns,
    of_kind,
)
from boreotabula.reading.rows.tails import list_tail, table_tail
from boreotabula.sheets.sheet import Sheet


def classify_rows(
    sheet: Sheet, place: Place, columns: Columns, claimed_cells: frozenset[Spot] = frozenset()
) -> TableRows:
    """What each row below the headings is, by its own cells.

    A row whose cells are all in `claimed_cells`, as stamps and their labels, is passed over.
    """
    # Where it ends is asked first: no rule may speak of rows below that.
    block = columns.block
    ended = _end(sheet, place, columns)
    rows = range(place.bottom + 1, max(place.bottom + 1, ended[0] if ended else place.end))
    own = {
        name: _own(sheet, rows, carried_column)
        for name, carried_column in carried_columns(columns).items()
    }
    classifier = RowClassifier(sheet, columns, place, rows, own)
    kinds = classifier.kinds(claimed_cells)
    kinds = _named_by_carrying(kinds, own, block)
    kinds = classifier.without_signature(kinds)
    kinds = list_tail(kinds, classifier) if block.is_list else table_tail(kinds, classifier)
    if block.below == "leave out":
        below = np.flatnonzero(of_kind(kinds, RowKind.UNSURE, RowKind.BELOW))
        kinds = kinds.copy()
        kinds[below] = RowKind.LEFT_OUT
        classifier.rules |= dict.fromkeys((below + rows.start).tolist(), RowRule(RuleKind.BELOW))
    if block.blank == "keep":
        # The tail of the table is settled by now: remarks below it do not become records.
        kinds = np.where(kinds == RowKind.BARE, np.uint8(RowKind.RECORD), kinds)
    records = np.flatnonzero(kinds == RowKind.RECORD)
    inside = np.flatnonzero(kinds)
    inside = inside[~of_kind(kinds[inside], RowKind.BELOW, RowKind.LABEL)]
    table = TableRows(
        start=rows.start,
        kinds=kinds,
        rules=classifier.rules,
        stub={name: stub_cells.take(records) for name, stub_cells in own.items()},
        ended=ended,
        last=rows.start + int(inside[-1]) if len(inside) else place.bottom,
        own={name: own[name] for name in block.carry_down if name in own},
        groups={
            row: name
            for row, name in classifier.groups.items()
            if kinds[row - rows.start] == _GROUP
        },
        ungrouped=classifier.ungrouped,
    )
    return with_further_totals(sheet, columns, table)


_GROUP = RowKind.GROUP


def _own(sheet: Sheet, rows: range, column: int) -> StubCells:
    """The cells of a stub column; a merged cell counts for all of its rows."""
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
    rules = PatternRules(patterns)
    firsts = within.argmax(axis=1) + left
    for index in np.flatnonzero(within.any(axis=1)).tolist():
        row, column = place.bottom + 1 + index, int(firsts[index])
        pattern = rules.first_for([cell_text(sheet.rows[row][column])])
        if pattern is not None:
            return row, column, pattern.text
    return None


def _named_by_carrying(kinds: Kinds, own: Mapping[str, StubCells], block: BlockPlan) -> Kinds:
    """Make rows without a stub cell of their own records if a stub cell is carried down to them."""
    sources = [own[name].filled for name in block.carry_down if name in own and name in block.stub]
    if not sources:
        return kinds
    # Rows without values name those below them all the same.
    gives = np.logical_or.reduce(sources) & of_kind(kinds, RowKind.RECORD, RowKind.BARE)
    named = (kinds == RowKind.NAMELESS) & np.logical_or.accumulate(gives)
    return np.where(named, np.uint8(RowKind.RECORD), kinds)
