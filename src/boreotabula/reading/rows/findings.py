"""What is to be said of the rows of a block."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.kinds import ColumnKind, Columns
from boreotabula.reading.findings import Finding, Telling
from boreotabula.reading.locate.place import Place
from boreotabula.reading.rows.lines import LineKind, Lines, carried_columns, known_counts
from boreotabula.reading.rows.total_words import begins_as_total
from boreotabula.workbooks.sheet import Cell, Sheet


def about_lines(sheet: Sheet, place: Place, columns: Columns, lines: Lines) -> Iterator[Telling]:
    """All that is to be said once the rows are told apart and stub cells carried down."""
    within = range(columns.left, columns.right)
    for kind, about in (
        (LineKind.NAMELESS, _nameless),
        (LineKind.NUMBERED, _numbered),
        (LineKind.UNSURE, _unsure),
    ):
        if rows := lines.of(kind):
            yield Telling(about(sheet, columns, rows), rows, within)
    yield from _without_values(sheet, columns, lines)
    yield from map(Telling, _groupless(sheet, columns, lines))
    yield from _groups_doubtful(sheet, columns, lines)
    if lines.ended:
        yield from _below_end(sheet, place, columns, lines)
    if not lines.records:
        yield from map(Telling, _all_left_out(sheet, columns, lines))
    else:
        if columns.block.is_list:
            yield from map(Telling, _nearly_blank(sheet, columns, lines))
        yield from map(Telling, _blank_stubs(sheet, columns, lines))
    yield from map(Telling, _likely_totals(sheet, columns, lines))


def _first_filled(sheet: Sheet, row: int, columns: Sequence[int]) -> int:
    return next((at for at in columns if sheet.rows[row][at] != ""), columns[0])


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
        "row-without-stub",
        f"{called} {verb} values, but no stub cell names them; {they} unplaced",
        "Fill the stub cells; if this is a row of totals, write a label such as “Total” beside it"
        f" and list it in `totals`; {carry}; a row of units under"
        " the headings is left out with `under_headings = 1`.",
        cell=sheet.address(rows[0], column),
        looked_for="a filled stub cell",
        found=cell_text(sheet.rows[rows[0]][column]),
    )


def _numbered(sheet: Sheet, columns: Columns, rows: Sequence[int]) -> Finding:
    return Finding(
        "columns-numbered",
        f"{sheet.row_called(rows[0])} under the headings numbers the columns; it is unplaced, and"
        " makes no records",
        "Write `under_headings = 1` into [block], so that it is left out by a rule.",
        cell=sheet.address(rows[0], columns.left),
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
        "row-below-table",
        f"{called} below the table (“{text}”) {verb} not filled as its records are, and"
        f" {verb} in no record",
        "If it is a record, fill its cells, or write `every_row = true` into [block]; if it is a"
        " remark, end the table before it with `ends_at`, or leave it out with `skip`.",
        cell=sheet.address(rows[0], column),
        looked_for="a row filled as the records are",
        found=text,
    )


def _without_values(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Telling]:
    """Rows that are named, but have no values: told once for the table."""
    block = columns.block
    named = list(carried_columns(columns).values())
    if block.is_list or block.keep_blank or not columns.of(ColumnKind.VALUE):
        return
    bare = sorted([*lines.of(LineKind.BARE), *_only_totals(sheet, columns, lines)])
    rows = [row for row in bare if any(sheet.rows[row][at] != "" for at in named)]
    if not rows:
        return
    column = _first_filled(sheet, rows[0], named)
    text = cell_text(sheet.rows[rows[0]][column])
    verb = "has" if len(rows) == 1 else "have"
    if block.group_row:
        called = sheet.rows_called(rows)
        yield Telling(
            Finding(
                "row-unclear",
                f"{called} (“{text}”) {verb} no values, but other cells besides the"
                f" first, so it names no “{block.group_row}”; the rows below keep the group before",
                "If it is the name of a group, clear the other cells; if it is a line without"
                " values, there is nothing to do.",
                cell=sheet.address(rows[0], column),
                looked_for=f"values, or the name of a {block.group_row} alone",
                found=text,
            ),
            rows,
            range(columns.left, columns.right),
        )
        return
    called = sheet.rows_called(rows)
    yield Telling(
        Finding(
            "row-without-value",
            f"{called} (“{text}”) {verb} no value, and {verb} no record; left out by"
            " the rule `blank`",
            'Nothing to do, if a row without values tells nothing; else `blank = "keep"` in'
            " [block] makes records of blank values.",
            cell=sheet.address(rows[0], column),
            looked_for="a value in its row",
            found=text,
        )
    )


def _only_totals(sheet: Sheet, columns: Columns, lines: Lines) -> list[int]:
    """Record rows of a cross-tab that hold nothing but printed totals."""
    if not columns.of(ColumnKind.TOTAL):
        return []
    filled = np.frombuffer(sheet.filled, np.uint8).reshape(sheet.height, sheet.width)
    values = [one.column for one in columns.of(ColumnKind.VALUE, ColumnKind.BESIDE)]
    held = np.count_nonzero(filled[np.ix_(lines.records, values)], axis=1).tolist()
    return [row for row, any_value in zip(lines.records, held, strict=True) if not any_value]


def _groups_doubtful(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Telling]:
    """Two rows in turn that look like the name of a group: one may be a line without values."""
    told = [line for line in lines.lines if line.kind in (LineKind.RECORD, LineKind.GROUP)]
    for line, after in pairwise(told):
        if line.kind is LineKind.GROUP and after.kind is LineKind.GROUP:
            yield Telling(
                Finding(
                    "group-doubtful",
                    f"{sheet.row_called(line.row)} and {sheet.row_called(after.row)} both look like"
                    f" the name of a “{columns.block.group_row}”; the lower one was taken, but it"
                    " may be a line without values",
                    "Fill a value of the line (zero, perhaps), or clear the row that is no group.",
                    cell=sheet.address(after.row, columns.left),
                    looked_for="lines below the name of a group",
                    found="another row with nothing but a name",
                ),
                [line.row],
                range(columns.left, columns.right),
            )


def _groupless(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """Records above the first row that names a group."""
    group_row = columns.block.group_row
    cells = lines.stub[group_row].cells if group_row else ()
    for row, group in zip(lines.records, cells, strict=False):
        if group == "" and group_row:
            yield Finding(
                "group-missing",
                f"no row above {sheet.row_called(row)} names its “{group_row}”; the field is empty"
                " in its records",
                "Write the name of the group into a row of its own above the lines.",
                cell=sheet.address(row, columns.left),
                looked_for=group_row,
                found="no such row",
            )
            return


def _all_left_out(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """A rule that leaves out every row."""
    rules = [
        line for line in lines.lines
        if line.kind is LineKind.LEFT_OUT and line.why != "under_headings"
    ]  # fmt: skip
    if rules:
        yield Finding(
            "rule-takes-all",
            f"the rule “{rules[0].why}” leaves out every row of the table, so it gives no records",
            "Make the pattern more exact: it should match only the rows that are not wanted.",
            cell=sheet.address(rules[0].row, columns.left),
            looked_for="rows of records",
            found=rules[0].why,
        )


_MOST_FILL = 3


def _nearly_blank(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """Records of a list that fill one cell, where most fill three or more."""
    if columns.block.every_row:
        return
    counts = known_counts(sheet, columns, lines)
    if 2 * np.count_nonzero(counts >= _MOST_FILL) <= len(counts):
        return
    rows = [row for row, count in zip(lines.records, counts.tolist(), strict=True) if count == 1]
    if rows:
        every = [one.column for one in columns.every]
        column = _first_filled(sheet, rows[0], every)
        text = cell_text(sheet.rows[rows[0]][column])
        verb = "fills" if len(rows) == 1 else "fill"
        called = sheet.rows_called(rows)
        yield Finding(
            "row-nearly-blank",
            f"{called} (“{text}”) {verb} one cell, most others three or more;"
            f" {'it was read as a record' if len(rows) == 1 else 'they were read as records'}",
            "If it is a remark or a heading, leave it out with `skip`; if it names the rows below,"
            " say so with `group_row`; `every_row = true` says that all rows are records.",
            cell=sheet.address(rows[0], column),
            looked_for="a row filled as the others are",
            found=text,
        )


_FEW_BLANK = 4
"""A blank stub cell is odd if at most one record row in so many lacks it."""


def _blank_stubs(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """Stub cells of a cross-tab that a few record rows lack, and the others have; and rows that
    have nothing above them to carry down."""
    records = lines.records
    for field, column in carried_columns(columns).items():
        carries = field in columns.block.carry_down
        if columns.block.is_list and not carries:
            continue
        cells = lines.stub[field].cells
        blank = [row for row, cell in zip(records, cells, strict=True) if cell == ""]
        if blank and (carries or len(blank) * _FEW_BLANK <= len(records)):
            others = len(records) - len(blank)
            rest = f", and filled in the other {others}" if others else ", all that the table has"
            called = sheet.rows_called(blank)
            yield Finding(
                "stub-cell-blank",
                f"“{field}” is blank in {called}{rest}; the records are without it",
                "Fill the cell, or ask the sender"
                + (
                    "; there is none above to carry down."
                    if carries
                    else "; `carry_down` takes it from the row above."
                ),
                cell=sheet.address(blank[0], column),
                looked_for=field,
                found="blank",
            )


# --- below the end -------------------------------------------------------------------------------


def _below_end(sheet: Sheet, place: Place, columns: Columns, lines: Lines) -> Iterator[Telling]:
    """Rows below the one where `ends_at` ended the table, that are filled as its records are."""
    assert lines.ended is not None
    row, column, rule = lines.ended
    kinds = _usual_kinds(sheet, columns, lines)
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
                "records-below-end",
                f"`ends_at` (“{rule}”) ends the table at {sheet.row_called(row)}, but"
                f" {called} below it {verb} filled as its records are; nothing there"
                " was read",
                "Make the pattern of `ends_at` more exact, or leave the row out with `skip`.",
                cell=sheet.address(below[0], columns.left),
                looked_for="the end of the table",
                found=cell_text(sheet.rows[row][column]),
            ),
            range(below[0], place.end),
            range(columns.left, columns.right),
            lapses=True,
        )


_ENOUGH_TEXTS = 3


def _usual_kinds(sheet: Sheet, columns: Columns, lines: Lines) -> dict[int, str]:
    """What each column holds that all records fill: figures, or texts. Nothing if that is too
    little to know a record by."""
    known = (ColumnKind.STUB, ColumnKind.BESIDE, ColumnKind.VALUE, ColumnKind.TOTAL)
    found: dict[int, str] = {}
    for one in columns.of(*known):
        kinds = {_kind(sheet, sheet.rows[row][one.column]) for row in lines.records}
        if len(kinds) == 1 and kinds != {""}:
            found[one.column] = kinds.pop()
    enough = "figure" in found.values() or len(found) >= _ENOUGH_TEXTS
    return found if enough and len(found) > 1 else {}


def _kind(sheet: Sheet, cell: Cell) -> str:
    if cell == "":
        return ""
    return "figure" if is_figure(sheet, cell) else "text"


# --- totals by their words -----------------------------------------------------------------------


def _likely_totals(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """Records that begin with a word for a total, and lack a cell that the others have."""
    kinds = (ColumnKind.STUB, ColumnKind.BESIDE) if columns.block.is_list else (ColumnKind.STUB,)
    named = [one.column for one in columns.of(*kinds)]
    filled = np.frombuffer(sheet.filled, bool).reshape(sheet.height, sheet.width)
    there = filled[np.ix_(lines.records, named)]
    usual = 2 * np.count_nonzero(there, axis=0) > len(lines.records)
    lacking = np.flatnonzero(np.count_nonzero(usual & ~there, axis=1)).tolist()
    rows = [row for at in lacking if begins_as_total(sheet, row := lines.records[at], named)]
    if rows:
        column = _first_filled(sheet, rows[0], named)
        label = cell_text(sheet.rows[rows[0]][column])
        verb = "looks" if len(rows) == 1 else "look"
        called = sheet.rows_called(rows)
        yield Finding(
            "total-likely",
            f"{called} (“{label}”) {verb} like a row of totals, but no pattern of"
            " `totals` matches; it was read as a record",
            f"If it is one, add “{label}” to `totals` of [block].",
            cell=sheet.address(rows[0], column),
            looked_for="a pattern in `totals`",
            found=label,
        )
