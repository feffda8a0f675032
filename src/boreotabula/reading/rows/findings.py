"""Findings about the rows of a block."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from boreotabula.findings.finding import Finding, ScopedFinding
from boreotabula.findings.kind import FindingKind
from boreotabula.findings.subjects.headings import HEADING_ROW_MET, ROW_CONTRADICTS
from boreotabula.findings.subjects.rows import (
    GROUP_DOUBTFUL,
    GROUP_EMPTY,
    GROUP_MISSING,
    GROUPS_IN_TURN,
    HEADINGS_AS_RECORD,
    NOTHING_TO_CARRY,
    RECORDS_BELOW_END,
    ROW_BELOW_TABLE,
    ROW_NEARLY_BLANK,
    ROW_UNCLEAR,
    ROW_WITHOUT_STUB,
    ROW_WITHOUT_VALUE,
    STUB_CELL_BLANK,
    STUB_CELL_BLANK_ABOVE,
)
from boreotabula.findings.subjects.tables import COLUMNS_NUMBERED, RULE_TAKES_ALL
from boreotabula.findings.subjects.totals import TOTAL_LIKELY
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.locate.place import Place
from boreotabula.reading.rows.pattern_rules import matches_any
from boreotabula.reading.rows.table_rows import (
    GroupName,
    RowKind,
    RuleKind,
    TableRows,
    carried_columns,
    known_counts,
)
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.sheets.sheet import Cell, Sheet


def about_lines(
    sheet: Sheet, place: Place, columns: Columns, table: TableRows
) -> Iterator[ScopedFinding]:
    """All findings about rows, once they are classified and stub cells are carried down."""
    within = range(columns.left, columns.right)
    for kind, about in (
        (RowKind.NAMELESS, _nameless),
        (RowKind.NUMBERED, _numbered),
        (RowKind.UNSURE, _unsure),
        (RowKind.HEADINGS_AGAIN, _headings_again),
    ):
        if rows := table.of(kind):
            yield ScopedFinding(about(sheet, columns, rows), rows, within)
    if not place.depth and (rows := table.of(RowKind.HEADING)):
        yield ScopedFinding(_heading_row(sheet, columns, rows[0]))
    yield from _without_values(sheet, columns, table)
    yield from map(ScopedFinding, _groupless(sheet, columns, table))
    yield from _groups_doubtful(sheet, columns, table)
    # Only a pattern ends a table early: else there is nothing below it to be lost.
    if table.ended and columns.block.below != "leave out":
        yield from _below_end(sheet, place, columns, table)
    # Then a rule is likelier to blame than the sheet.
    if not table.records:
        yield from map(ScopedFinding, _all_left_out(sheet, columns, table))
    else:
        if columns.block.is_list:
            yield from map(ScopedFinding, _nearly_blank(sheet, columns, table))
        yield from map(ScopedFinding, _blank_stubs(sheet, columns, table))
    yield from map(ScopedFinding, _likely_totals(sheet, columns, table))


def _first_filled(sheet: Sheet, row: int, columns: Sequence[int]) -> int:
    return next((column for column in columns if sheet.rows[row][column] != ""), columns[0])


def _heading_row(sheet: Sheet, columns: Columns, row: int) -> Finding:
    """A finding: a row of headings where the layout says that there is none."""
    fields = {
        column.column: column.field for column in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)
    }
    texts_by_number = {
        column: columns.block.names.field_of(cell_text(sheet.rows[row][column]))
        for column in fields
    }
    wrong = [
        index
        for index, field in texts_by_number.items()
        if field is not None and field != fields[index]
    ]
    column = wrong[0] if wrong else _first_filled(sheet, row, list(fields))
    text = cell_text(sheet.rows[row][column])
    where, called = sheet.address(row, column), sheet.row_called(row)
    if wrong:
        return ROW_CONTRADICTS(
            where, field=fields[column], row=called, heading=text, known=texts_by_number[column]
        )
    return HEADING_ROW_MET(where, row=called, text=text)


def _nameless(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    every = [column.column for column in columns.every if column.kind is not ColumnKind.STUB]
    carries = columns.block.carry_down
    kind = NOTHING_TO_CARRY if carries else ROW_WITHOUT_STUB
    return _of_rows(kind, sheet, rows, every)


def _numbered(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    where = sheet.address(rows[0], columns.left)
    return COLUMNS_NUMBERED(where, row=sheet.row_called(rows[0]))


def _unsure(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    every = [column.column for column in columns.every]
    return _of_rows(ROW_BELOW_TABLE, sheet, rows, every)


def _headings_again(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    every = [column.column for column in columns.every]
    return _of_rows(HEADINGS_AS_RECORD, sheet, rows, every)


def _of_rows(
    kind: FindingKind, sheet: Sheet, rows: Sequence[int], among: Sequence[int], **slots: object
) -> Finding:
    """A finding about rows, placed at the first filled cell of the first row, among some
    columns."""
    column = _first_filled(sheet, rows[0], among)
    return kind(
        sheet.address(rows[0], column),
        rows=sheet.rows_called(rows),
        count=len(rows),
        text=cell_text(sheet.rows[rows[0]][column]),
        **slots,
    )


def _without_values(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[ScopedFinding]:
    """A finding, once per table: rows that are named but have no values."""
    block = columns.block
    named = list(carried_columns(columns).values())
    if block.is_list or block.blank == "keep" or not columns.of(ColumnKind.VALUE):
        return
    # A row with nothing but totals gives no record either.
    bare = sorted([*table.of(RowKind.BARE), *_only_totals(sheet, columns, table)])
    # A row without a name is left out by its own rule.
    rows = [row for row in bare if sheet.filled[row, named].any()]
    if not rows:
        return
    # Where groups have rows of their own, such a row is likelier a spoilt group.
    if block.group_row:
        group = block.group_row[-1].field
        finding = _of_rows(ROW_UNCLEAR, sheet, rows, named, field=group)
        yield ScopedFinding(finding, rows, range(columns.left, columns.right))
        return
    # Weekends without figures are one cause, on however many tabs.
    cause = ", ".join(block.stub)
    yield ScopedFinding(_of_rows(ROW_WITHOUT_VALUE, sheet, rows, named, cause=cause))


def _only_totals(sheet: Sheet, columns: Columns, table: TableRows) -> list[int]:
    """The record rows of a cross-tab that hold only printed totals."""
    if not columns.of(ColumnKind.TOTAL):
        return []
    values = [column.column for column in columns.of(ColumnKind.VALUE, ColumnKind.BESIDE)]
    held = sheet.filled_at(table.record_rows, values).any(axis=1)
    only_totals: list[int] = table.record_rows[~held].tolist()
    return only_totals


def _groups_doubtful(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[ScopedFinding]:
    """A finding: rows that name a group without a row below; each may itself be a row without
    values."""
    groups = sorted(table.groups.items())
    for index, (row, name) in enumerate(groups):
        after = groups[index + 1] if index + 1 < len(groups) else None
        # An outer group may well be followed by the first one in it.
        if table.lines_of(row) or (after and after[1].level > name.level):
            continue
        field = columns.block.group_row[name.level].field
        text = cell_text(sheet.rows[row][name.column])
        called = sheet.row_called(row)
        if empty_group(sheet, columns, row, name):
            finding = GROUP_EMPTY(
                sheet.address(row, name.column), field=field, row=called, text=text
            )
        elif after and after[1].level == name.level:
            finding = GROUPS_IN_TURN(
                sheet.address(after[0], name.column),
                field=field,
                row=called,
                next_row=sheet.row_called(after[0]),
            )
        else:
            where = sheet.address(row, name.column)
            finding = GROUP_DOUBTFUL(where, field=field, row=called, text=text)
        yield ScopedFinding(finding, [row], range(columns.left, columns.right))


def empty_group(sheet: Sheet, columns: Columns, row: int, name: GroupName) -> bool:
    """Whether a row without rows below it surely names a group: the layout lists its name, and it
    has no figure that could be lost."""
    return bool(columns.block.group_row[name.level].named) and not any(
        is_figure(sheet, sheet.rows[row][column]) for column in columns.valued
    )


def _groupless(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """A finding: records above the first row that names a group."""
    for group in columns.block.group_row:
        filled = table.stub[group.field].filled
        if filled.all():
            continue
        row = int(table.record_rows[~filled][0])
        where, called = sheet.address(row, columns.left), sheet.row_called(row)
        yield GROUP_MISSING(where, field=group.field, row=called)


def _all_left_out(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """A finding: a rule leaves out every row."""
    rules = [(row, rule) for row, rule in sorted(table.rules.items()) if rule.kind is RuleKind.SKIP]
    if rules:
        row, rule = rules[0]
        yield RULE_TAKES_ALL(sheet.address(row, columns.left), rule=str(rule), lines="row")


_MOST_FILL = 3
"""Where most rows fill this many cells, a row with fewer stands out."""


def _nearly_blank(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """A finding: records of a list that fill one cell where most fill three or more."""
    if columns.block.every_row:
        return
    counts = known_counts(sheet, columns, table)
    # In a sparse list one filled cell is nothing to speak of.
    if 2 * np.count_nonzero(counts >= _MOST_FILL) <= len(counts):
        return
    rows = table.record_rows[counts == 1].tolist()
    if rows:
        every = [column.column for column in columns.every]
        yield _of_rows(ROW_NEARLY_BLANK, sheet, rows, every)


_FEW_BLANK = 4
"""A blank stub cell is odd if at most one record row in this many lacks it."""


def _blank_stubs(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Findings: stub cells of a cross-tab that only a few record rows lack, and rows with nothing
    above them to carry down."""
    records = table.records
    for field, column in carried_columns(columns).items():
        carries = field in columns.block.carry_down
        if columns.block.is_list and not carries:
            continue
        blank = table.record_rows[~table.stub[field].filled].tolist()
        # A stub that half the rows lack is a form that leaves it blank, and no slip.
        if blank and (carries or len(blank) * _FEW_BLANK <= len(records)):
            # How many have it shows whether this is the form or a slip.
            kind = STUB_CELL_BLANK_ABOVE if carries else STUB_CELL_BLANK
            yield kind(
                sheet.address(blank[0], column),
                field=field,
                rows=sheet.rows_called(blank),
                others=len(records) - len(blank),
            )


# --- below the end -------------------------------------------------------------------------------


def _below_end(
    sheet: Sheet, place: Place, columns: Columns, table: TableRows
) -> Iterator[ScopedFinding]:
    """A finding: rows below the one where `ends_at` ended the table that are filled as records
    are."""
    assert table.ended is not None
    row, column, rule = table.ended
    kinds = _usual_kinds(sheet, columns, table)
    # Without a shape to know records by, rows below the end cannot be told from notes.
    if not kinds:
        return
    below = [
        row for row in range(row + 1, place.end)
        if all(_kind(sheet, sheet.rows[row][column]) == kind for column, kind in kinds.items())
    ]  # fmt: skip
    if below:
        finding = RECORDS_BELOW_END(
            sheet.address(below[0], columns.left),
            rule=rule,
            row=sheet.row_called(row),
            rows=sheet.rows_called(below),
            count=len(below),
            text=cell_text(sheet.rows[row][column]),
        )
        yield ScopedFinding(
            finding,
            range(below[0], place.end),
            range(columns.left, columns.right),
            lapses=True,
        )


_ENOUGH_TEXTS = 3
"""Texts alone show a row of another kind only if there are this many."""


def _usual_kinds(sheet: Sheet, columns: Columns, table: TableRows) -> dict[int, str]:
    """What each column holds that all records fill: figures or texts. Empty if that is too little
    to recognise a record."""
    column_kinds = (ColumnKind.STUB, ColumnKind.BESIDE, ColumnKind.VALUE, ColumnKind.TOTAL)
    usual_kinds: dict[int, str] = {}
    for column in columns.of(*column_kinds):
        kinds = {_kind(sheet, sheet.rows[row][column.column]) for row in table.records}
        # Only what every record has the same way is a mark of a record.
        if len(kinds) == 1 and kinds != {""}:
            usual_kinds[column.column] = kinds.pop()
    enough = "figure" in usual_kinds.values() or len(usual_kinds) >= _ENOUGH_TEXTS
    return usual_kinds if enough and len(usual_kinds) > 1 else {}


def _kind(sheet: Sheet, cell: Cell) -> str:
    if cell == "":
        return ""
    return "figure" if is_figure(sheet, cell) else "text"


# --- totals by their words -----------------------------------------------------------------------


def _likely_totals(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Record rows that begin with a word for a total and lack a cell that the others have."""
    kinds = (ColumnKind.STUB, ColumnKind.BESIDE) if columns.block.is_list else (ColumnKind.STUB,)
    named = [column.column for column in columns.of(*kinds)]
    mask = sheet.filled_at(table.record_rows, named)
    # A column that most records leave blank is missed by no total.
    usual = 2 * np.count_nonzero(mask, axis=0) > len(table.records)
    lacking = np.flatnonzero(np.count_nonzero(usual & ~mask, axis=1)).tolist()
    kept = columns.block.not_totals
    rows = [
        row
        for index in lacking
        if begins_as_total(sheet, row := table.records[index], named)
        and not matches_any(sheet.rows[row][_first_filled(sheet, row, named)], kept)
    ]
    if rows:
        column = _first_filled(sheet, rows[0], named)
        yield TOTAL_LIKELY(
            sheet.address(rows[0], column),
            rows=sheet.rows_called(rows),
            count=len(rows),
            label=cell_text(sheet.rows[rows[0]][column]),
        )
