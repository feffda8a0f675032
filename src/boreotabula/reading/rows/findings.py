"""What is to be said of the rows of a block."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.findings import Code, Finding, Telling
from boreotabula.reading.locate.place import Place
from boreotabula.reading.rows.table_rows import (
    RowKind,
    RuleKind,
    TableRows,
    carried_columns,
    known_counts,
)
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.workbooks.sheet import Cell, Sheet


def about_lines(
    sheet: Sheet, place: Place, columns: Columns, table: TableRows
) -> Iterator[Telling]:
    """All that is to be said once the rows are told apart and stub cells carried down."""
    within = range(columns.left, columns.right)
    for kind, about in (
        (RowKind.NAMELESS, _nameless),
        (RowKind.NUMBERED, _numbered),
        (RowKind.UNSURE, _unsure),
    ):
        if rows := table.of(kind):
            yield Telling(about(sheet, columns, rows), rows, within)
    if not place.depth and (rows := table.of(RowKind.HEADING)):
        yield Telling(_heading_row(sheet, columns, rows[0]))
    yield from _without_values(sheet, columns, table)
    yield from map(Telling, _groupless(sheet, columns, table))
    yield from _groups_doubtful(sheet, columns, table)
    # Only a pattern ends a table early: else there is nothing below it to be lost.
    if table.ended:
        yield from _below_end(sheet, place, columns, table)
    # Then a rule is likelier to blame than the sheet.
    if not table.records:
        yield from map(Telling, _all_left_out(sheet, columns, table))
    else:
        if columns.block.is_list:
            yield from map(Telling, _nearly_blank(sheet, columns, table))
        yield from map(Telling, _blank_stubs(sheet, columns, table))
    yield from map(Telling, _likely_totals(sheet, columns, table))


def _first_filled(sheet: Sheet, row: int, columns: Sequence[int]) -> int:
    return next((at for at in columns if sheet.rows[row][at] != ""), columns[0])


def _heading_row(sheet: Sheet, columns: Columns, row: int) -> Finding:
    """A row of headings where the layout says that there is none."""
    fields = {one.column: one.field for one in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)}
    known = {at: columns.block.names.field_of(cell_text(sheet.rows[row][at])) for at in fields}
    wrong = [at for at, field in known.items() if field is not None and field != fields[at]]
    column = wrong[0] if wrong else _first_filled(sheet, row, list(fields))
    text = cell_text(sheet.rows[row][column])
    where = sheet.address(row, column)
    if wrong:
        return Finding(
            Code.HEADING_CONTRADICTS,
            f"{sheet.row_called(row)} holds headings, though the layout says `headings = 0`, and"
            f" “{text}” is that of “{known[column]}”; it was read as “{fields[column]}”",
            "Put `columns` in the order of the file, or find such files by their headings in a"
            " block of their own.",
            at=where,
            looked_for=fields[column],
            found=text,
        )
    return Finding(
        Code.HEADING_ROW_MET,
        f"{sheet.row_called(row)} (“{text}”) holds headings, though the layout says"
        " `headings = 0`; it was not read as a record",
        "Nothing to do if these are headings; if it is a record, check why all its cells are"
        " texts.",
        at=where,
        looked_for="a record",
        found=text,
    )


def _nameless(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    every = [one.column for one in columns.every if one.kind is not ColumnKind.STUB]
    column = _first_filled(sheet, rows[0], every)
    carry = (
        "the first rows of the table have none to carry down"
        if columns.block.carry_down
        else "for merged-looking groups use `carry_down`"
    )
    verb, they = ("holds", "it is") if len(rows) == 1 else ("hold", "they are")
    called = sheet.rows_called(rows)
    return Finding(
        Code.ROW_WITHOUT_STUB,
        f"{called} {verb} values, but no stub cell names them; {they} in no record",
        "Fill in the stub cells; if this is a row of totals, write a label such as “Total” beside"
        " it"
        f" and list it in `totals`; {carry}; a row of units under"
        " the headings is left out with `under_headings = 1`.",
        at=sheet.address(rows[0], column),
        looked_for="a filled stub cell",
        found=cell_text(sheet.rows[rows[0]][column]),
    )


def _numbered(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    return Finding(
        Code.COLUMNS_NUMBERED,
        f"{sheet.row_called(rows[0])} under the headings numbers the columns; it is in no record",
        "Write `under_headings = 1` into [block], so that it is left out by a rule.",
        at=sheet.address(rows[0], columns.left),
        looked_for="a row of the table",
        found="1, 2, 3 …",
    )


def _unsure(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    every = [one.column for one in columns.every]
    column = _first_filled(sheet, rows[0], every)
    text = cell_text(sheet.rows[rows[0]][column])
    verb = "is" if len(rows) == 1 else "are"
    called = sheet.rows_called(rows)
    return Finding(
        Code.ROW_BELOW_TABLE,
        f"{called} below the table (“{text}”) {verb} filled differently from its records, and"
        f" {verb} in no record",
        "If it is a record, fill in its cells, or write `every_row = true` into [block]; if it is a"
        " remark, end the table before it with `ends_at`, or leave it out with `skip`.",
        at=sheet.address(rows[0], column),
        looked_for="a row filled as the records are",
        found=text,
    )


def _without_values(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Telling]:
    """Rows that are named, but have no values: told once for the table."""
    block = columns.block
    named = list(carried_columns(columns).values())
    if block.is_list or block.keep_blank or not columns.of(ColumnKind.VALUE):
        return
    # A row with nothing but totals gives no record either.
    bare = sorted([*table.of(RowKind.BARE), *_only_totals(sheet, columns, table)])
    # A row without a name is left out by its own rule.
    rows = [row for row in bare if sheet.filled[row, named].any()]
    if not rows:
        return
    column = _first_filled(sheet, rows[0], named)
    text = cell_text(sheet.rows[rows[0]][column])
    verb = "has" if len(rows) == 1 else "have"
    # Where groups have rows of their own, such a row is likelier a spoilt group.
    if block.groups:
        group = block.groups[-1].field
        called = sheet.rows_called(rows)
        yield Telling(
            Finding(
                Code.ROW_UNCLEAR,
                f"{called} (“{text}”) {verb} no values, but other cells besides the"
                f" first, so it was not read as the name of a “{group}”; the rows below keep the"
                " group above",
                "If it is the name of a group, clear the other cells, or list it in `named` of"
                " `group_row`; if it is a line without values, there is nothing to do.",
                at=sheet.address(rows[0], column),
                looked_for=f"values, or the name of a {group} alone",
                found=text,
            ),
            rows,
            range(columns.left, columns.right),
        )
        return
    called = sheet.rows_called(rows)
    yield Telling(
        Finding(
            Code.ROW_WITHOUT_VALUE,
            f"{called} (“{text}”) {verb} no value, so no record was made (rule `blank`)",
            "Nothing to do if rows without values mean nothing; otherwise write"
            ' `blank = "keep"` into [block].',
            at=sheet.address(rows[0], column),
            looked_for="a value in its row",
            found=text,
        )
    )


def _only_totals(sheet: Sheet, columns: Columns, table: TableRows) -> list[int]:
    """Record rows of a cross-tab that hold nothing but printed totals."""
    if not columns.of(ColumnKind.TOTAL):
        return []
    values = [one.column for one in columns.of(ColumnKind.VALUE, ColumnKind.BESIDE)]
    held = sheet.filled_at(table.record_rows, values).any(axis=1)
    found: list[int] = table.record_rows[~held].tolist()
    return found


def _groups_doubtful(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Telling]:
    """Rows that name a group without a line below: one may be a line without values itself."""
    groups = sorted(table.groups.items())
    for at, (row, name) in enumerate(groups):
        after = groups[at + 1] if at + 1 < len(groups) else None
        # An outer group may well be followed by the first one in it.
        if table.lines_of(row) or (after and after[1].level > name.level):
            continue
        field = columns.block.groups[name.level].field
        text = cell_text(sheet.rows[row][name.column])
        if after and after[1].level == name.level:
            said = (
                f"{sheet.row_called(row)} and {sheet.row_called(after[0])} both look like the name"
                f" of a “{field}”; the lower one was used, but it may be a row without values"
            )
            found = "another row with nothing but a name"
        else:
            said = f"{sheet.row_called(row)} (“{text}”) names a “{field}”, but has no rows below it"
            found = "no line"
        yield Telling(
            Finding(
                Code.GROUP_DOUBTFUL,
                said,
                "Fill in a value (zero, perhaps) if it is a row of the table; clear the row that"
                " is not a group.",
                at=sheet.address(after[0] if found != "no line" and after else row, name.column),
                looked_for="lines below the name of a group",
                found=found,
            ),
            [row],
            range(columns.left, columns.right),
        )


def _groupless(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Records above the first row that names a group."""
    for group in columns.block.groups:
        filled = table.stub[group.field].filled
        if filled.all():
            continue
        row = int(table.record_rows[~filled][0])
        yield Finding(
            Code.GROUP_MISSING,
            f"no row above {sheet.row_called(row)} names its “{group.field}”; the field is empty"
            " in its records",
            "Write the name of the group into a row of its own above the lines.",
            at=sheet.address(row, columns.left),
            looked_for=group.field,
            found="no such row",
        )


def _all_left_out(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """A rule that leaves out every row."""
    rules = [(row, rule) for row, rule in sorted(table.rules.items()) if rule.kind is RuleKind.SKIP]
    if rules:
        row, rule = rules[0]
        yield Finding(
            Code.RULE_TAKES_ALL,
            f"the rule “{rule}” leaves out every row of the table, so it gives no records",
            "Make the pattern more exact: it should match only the rows that are not wanted.",
            at=sheet.address(row, columns.left),
            looked_for="rows of records",
            found=str(rule),
        )


_MOST_FILL = 3


def _nearly_blank(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Records of a list that fill one cell, where most fill three or more."""
    if columns.block.every_row:
        return
    counts = known_counts(sheet, columns, table)
    # In a sparse list one filled cell is nothing to speak of.
    if 2 * np.count_nonzero(counts >= _MOST_FILL) <= len(counts):
        return
    rows = table.record_rows[counts == 1].tolist()
    if rows:
        every = [one.column for one in columns.every]
        column = _first_filled(sheet, rows[0], every)
        text = cell_text(sheet.rows[rows[0]][column])
        verb = "has" if len(rows) == 1 else "have"
        called = sheet.rows_called(rows)
        yield Finding(
            Code.ROW_NEARLY_BLANK,
            f"{called} (“{text}”) {verb} only one filled cell, most others three or more;"
            f" {'it was read as a record' if len(rows) == 1 else 'they were read as records'}",
            "If it is a remark or a heading, leave it out with `skip`; if it names the rows below,"
            " say so with `group_row`; `every_row = true` says that all rows are records.",
            at=sheet.address(rows[0], column),
            looked_for="a row filled as the others are",
            found=text,
        )


_FEW_BLANK = 4
"""A blank stub cell is odd if at most one record row in so many lacks it."""


def _blank_stubs(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Stub cells of a cross-tab that a few record rows lack, and the others have; and rows that
    have nothing above them to carry down."""
    records = table.records
    for field, column in carried_columns(columns).items():
        carries = field in columns.block.carry_down
        if columns.block.is_list and not carries:
            continue
        blank = table.record_rows[~table.stub[field].filled].tolist()
        # A stub that half the rows lack is a form that leaves it blank, and no slip.
        if blank and (carries or len(blank) * _FEW_BLANK <= len(records)):
            # How many have it shows whether this is the form or a slip.
            others = len(records) - len(blank)
            rest = f", and filled in the other {others}" if others else ", all that the table has"
            called = sheet.rows_called(blank)
            yield Finding(
                Code.STUB_CELL_BLANK,
                f"“{field}” is blank in {called}{rest}; the records were written without it",
                "Fill in the cell, or ask the sender"
                + (
                    "; there is no value above to carry down."
                    if carries
                    else "; `carry_down` would take it from the row above."
                ),
                at=sheet.address(blank[0], column),
                looked_for=field,
                found="blank",
            )


# --- below the end -------------------------------------------------------------------------------


def _below_end(sheet: Sheet, place: Place, columns: Columns, table: TableRows) -> Iterator[Telling]:
    """Rows below the one where `ends_at` ended the table, that are filled as its records are."""
    assert table.ended is not None
    row, column, rule = table.ended
    kinds = _usual_kinds(sheet, columns, table)
    # Without a shape to know records by, rows below the end cannot be told from notes.
    if not kinds:
        return
    below = [
        at for at in range(row + 1, place.end)
        if all(_kind(sheet, sheet.rows[at][one]) == kind for one, kind in kinds.items())
    ]  # fmt: skip
    if below:
        verb = "is" if len(below) == 1 else "are"
        called = sheet.rows_called(below)
        yield Telling(
            Finding(
                Code.RECORDS_BELOW_END,
                f"`ends_at` (“{rule}”) ends the table at {sheet.row_called(row)}, but"
                f" {called} below it {verb} filled like its records; nothing there was read",
                "Make the pattern of `ends_at` more exact, or leave the row out with `skip`.",
                at=sheet.address(below[0], columns.left),
                looked_for="the end of the table",
                found=cell_text(sheet.rows[row][column]),
            ),
            range(below[0], place.end),
            range(columns.left, columns.right),
            lapses=True,
        )


_ENOUGH_TEXTS = 3


def _usual_kinds(sheet: Sheet, columns: Columns, table: TableRows) -> dict[int, str]:
    """What each column holds that all records fill: figures, or texts. Nothing if that is too
    little to know a record by."""
    known = (ColumnKind.STUB, ColumnKind.BESIDE, ColumnKind.VALUE, ColumnKind.TOTAL)
    found: dict[int, str] = {}
    for one in columns.of(*known):
        kinds = {_kind(sheet, sheet.rows[row][one.column]) for row in table.records}
        # Only what every record has the same way is a mark of a record.
        if len(kinds) == 1 and kinds != {""}:
            found[one.column] = kinds.pop()
    enough = "figure" in found.values() or len(found) >= _ENOUGH_TEXTS
    return found if enough and len(found) > 1 else {}


def _kind(sheet: Sheet, cell: Cell) -> str:
    if cell == "":
        return ""
    return "figure" if is_figure(sheet, cell) else "text"


# --- totals by their words -----------------------------------------------------------------------


def _likely_totals(sheet: Sheet, columns: Columns, table: TableRows) -> Iterator[Finding]:
    """Records that begin with a word for a total, and lack a cell that the others have."""
    kinds = (ColumnKind.STUB, ColumnKind.BESIDE) if columns.block.is_list else (ColumnKind.STUB,)
    named = [one.column for one in columns.of(*kinds)]
    there = sheet.filled_at(table.record_rows, named)
    # A column that most records leave blank is missed by no total.
    usual = 2 * np.count_nonzero(there, axis=0) > len(table.records)
    lacking = np.flatnonzero(np.count_nonzero(usual & ~there, axis=1)).tolist()
    rows = [row for at in lacking if begins_as_total(sheet, row := table.records[at], named)]
    if rows:
        column = _first_filled(sheet, rows[0], named)
        label = cell_text(sheet.rows[rows[0]][column])
        verb = "looks" if len(rows) == 1 else "look"
        called = sheet.rows_called(rows)
        yield Finding(
            Code.TOTAL_LIKELY,
            f"{called} (“{label}”) {verb} like a row of totals, but no pattern of `totals` matches"
            " it; it was read as a record",
            f"If it is a total, add “{label}” to `totals` of [block].",
            at=sheet.address(rows[0], column),
            looked_for="a pattern in `totals`",
            found=label,
        )
