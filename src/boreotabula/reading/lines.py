"""The rows of a block: which are records, which totals, and what names each record row."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple

from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns import ColumnKind, Columns
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Place
from boreotabula.reading.plan import BlockPlan
from boreotabula.reading.roles import RoleMap
from boreotabula.workbooks.sheet import Cell, Sheet


class LineKind(Enum):
    """What a row of a block is."""

    RECORD = auto()
    """Named by its stub; its values become records."""
    TOTAL = auto()
    """Printed totals of the rows above."""
    HEADING = auto()
    """The headings again."""
    BARE = auto()
    """Named by its stub, but without any value."""
    GROUP = auto()
    """Names the group of the rows below."""
    LEFT_OUT = auto()
    """Left out by a rule; `why` names it."""
    UNPLACED = auto()
    """Filled, but no part of the layout speaks for it; `why` says so."""


class Line(NamedTuple):
    """One filled row of a block; `row` is counted from 0."""

    row: int
    kind: LineKind
    why: str = ""


@dataclass(frozen=True)
class Lines:
    """The filled rows of a block, and the row (if any) at which it ends by a pattern."""

    lines: tuple[Line, ...]
    stub: Mapping[str, tuple[Cell, ...]]
    """The stub cells of the record rows, in order: carried down, from merged cells and groups."""
    stub_columns: Mapping[str, int]
    """The column in which each of them stands."""
    ended: tuple[int, int, str] | None
    """Row, column and pattern of the cell that ends the block."""

    @cached_property
    def records(self) -> tuple[int, ...]:
        """The rows that hold records."""
        return tuple(line.row for line in self.lines if line.kind is LineKind.RECORD)


def settle_lines(
    sheet: Sheet, place: Place, columns: Columns, roles: RoleMap
) -> tuple[Lines, list[Finding]]:
    """What each row below the headings is. Cells that have a role already are passed over."""
    block = columns.block
    ended = _end(sheet, place, columns)
    end = ended[0] if ended else place.end
    rows = range(place.bottom + 1, end)
    own = {field: _own_stub(sheet, rows, column) for field, column in place.stub.items()}
    carried = {
        field: _carried(cells) if field in block.carry_down else cells
        for field, cells in own.items()
    }
    read = _Reader(sheet, columns, place, roles)
    blank = [()] * len(rows)
    own_of = list(zip(*own.values(), strict=True)) if own else blank
    stub_of = list(zip(*carried.values(), strict=True)) if own else blank
    found = map(read.line, rows, own_of, stub_of)
    lines = list(_notes_apart([line for line in found if line], rows.start))
    if block.is_list or block.keep_blank:
        # In a list a name is a record; in a cross-tab only if blank values are to be kept.
        lines = [
            Line(line.row, LineKind.RECORD) if line.kind is LineKind.BARE else line
            for line in lines
        ]
    records = [line.row - rows.start for line in lines if line.kind is LineKind.RECORD]
    named = {field: tuple(cells[at] for at in records) for field, cells in carried.items()}
    stub_columns = dict(place.stub)
    if block.group_row:
        groups = _groups(sheet, lines, columns)
        named[block.group_row] = tuple(groups[at + rows.start] for at in records)
        stub_columns[block.group_row] = place.left
    findings = [
        *(_nameless(sheet, columns, line) for line in lines if line.why == _NAMELESS),
        *(_numbered(sheet, columns, line) for line in lines if line.why == _NUMBERS),
        *_groupless(sheet, columns, lines, named),
        *_groups_doubtful(sheet, columns, lines),
    ]
    return Lines(tuple(lines), named, stub_columns, ended), findings


_FEW_BLANK = 4
"""A blank stub cell is odd if at most one record row in so many lacks it."""


def blank_stubs(sheet: Sheet, columns: Columns, lines: Lines) -> Iterator[Finding]:
    """Stub cells of a cross-tab that a few record rows lack, and the others have."""
    records = lines.records
    for field, column in lines.stub_columns.items():
        if columns.block.is_list or field == columns.block.group_row:
            continue
        blank = [row for row, cell in zip(records, lines.stub[field], strict=True) if cell == ""]
        if blank and len(blank) * _FEW_BLANK <= len(records):
            some = (
                f"{len(blank)} rows, the first row {blank[0] + 1}," if len(blank) > 1 else "a row"
            )
            yield Finding(
                "stub-cell-blank",
                f"“{field}” is blank in {some} and filled in the other"
                f" {len(records) - len(blank)} rows; the records are without it",
                "Fill the cell, or ask the sender; `carry_down` takes it from the row above.",
                cell=sheet.address(blank[0], column),
                looked_for=field,
                found="blank",
            )


def _end(sheet: Sheet, place: Place, columns: Columns) -> tuple[int, int, str] | None:
    """The first row whose first filled cell matches `ends_at`."""
    patterns = columns.block.ends_at
    if not patterns:
        return None
    left, right = (columns.left, columns.right) if place.fixed else (0, sheet.width)
    for row in range(place.bottom + 1, place.end):
        cells = sheet.rows[row]
        column = next((at for at in range(left, right) if cells[at] != ""), None)
        if column is None or not isinstance(text := cells[column], str):
            continue
        for one in patterns:
            if one.match(text) is not None:
                return row, column, one.text
    return None


def _own_stub(sheet: Sheet, rows: range, column: int) -> list[Cell]:
    """The cells of a stub column; a merged cell speaks for all of its rows."""
    cells = [sheet.rows[row][column] for row in rows]
    for span in sheet.merges:
        if span.left <= column <= span.right and span.bottom > span.top:
            for row in range(max(span.top, rows.start), min(span.bottom + 1, rows.stop)):
                cells[row - rows.start] = sheet.cell(span.top, span.left)
    return [one_line(cell) if isinstance(cell, str) else cell for cell in cells]


def _carried(cells: Sequence[Cell]) -> list[Cell]:
    carried: list[Cell] = []
    last: Cell = ""
    for cell in cells:
        last = cell if cell != "" else last
        carried.append(last)
    return carried


def _groups(sheet: Sheet, lines: Sequence[Line], columns: Columns) -> dict[int, Cell]:
    """The name of the group that each row belongs to."""
    groups: dict[int, Cell] = {}
    current: Cell = ""
    for line in lines:
        if line.kind is LineKind.GROUP:
            cells = sheet.rows[line.row][columns.left : columns.right]
            current = next(cell for cell in cells if cell != "")
            current = one_line(current) if isinstance(current, str) else current
        groups[line.row] = current
    return groups


_NAMELESS = "values in a row without stub"
_VALUELESS = "a row without values, and not every stub cell is filled"
_APART = "below the last values"
_NUMBERS = "column numbers under the headings"


class _Reader:
    """What is needed to tell what a row is."""

    def __init__(self, sheet: Sheet, columns: Columns, place: Place, roles: RoleMap) -> None:
        self.sheet = sheet
        self.rows = sheet.rows
        self.block: BlockPlan = columns.block
        self.left, self.right = columns.left, columns.right
        self.valued = columns.valued
        self.values = tuple(one.column for one in columns.of(ColumnKind.VALUE, ColumnKind.BESIDE))
        self.roles = roles
        depth = range(place.depth)
        self.copies = {first + level for first in place.repeats for level in depth}
        self.under = range(place.bottom + 1, place.bottom + 1 + self.block.under_headings)
        self.first = self.under.stop
        self.totals_from = place.totals_from
        self.marked = roles.marked_rows()
        width = sheet.width
        self.masks = [
            sheet.filled[row * width + self.left : row * width + self.right]
            for row in range(sheet.height)
        ]
        wanted = set(self.valued)
        self.valued_mask = bytes(at in wanted for at in range(self.left, self.right))
        self.whole = 0 not in self.valued_mask[len(self.valued_mask) - len(self.valued) :]
        self.from_value = len(self.valued_mask) - len(self.valued)
        self.named = bool(place.stub)

    def line(self, row: int, own: Sequence[Cell], stub: Sequence[Cell]) -> Line | None:
        """The line of a row, or None if nothing stands in the columns of the block.

        `own` are its stub cells as they stand there, `stub` those carried down too. The order of
        the questions is the order of the rules in the docs.
        """
        if row in self.copies:
            return Line(row, LineKind.HEADING)
        if self.under and row in self.under:
            return self._if_filled(row, LineKind.LEFT_OUT, "under_headings")
        if self.totals_from is not None and row >= self.totals_from:
            return self._if_filled(row, LineKind.TOTAL)
        if self.block.skip and (rule := self._matching(self.block.skip, row, own)) is not None:
            return Line(row, LineKind.LEFT_OUT, f"skip: {rule.text}")
        if self.block.totals and self._matching(self.block.totals, row, own) is not None:
            return Line(row, LineKind.TOTAL)
        if row == self.first and self._counts_columns(row):
            return Line(row, LineKind.UNPLACED, _NUMBERS)
        if self._has_value(row):
            if row in self.marked and self._all_marked(row):
                return None
            if own.count("") < len(own) or not self.named:
                return Line(row, LineKind.RECORD)
            return Line(row, LineKind.UNPLACED, _NAMELESS)
        if 1 not in self.masks[row]:
            return None
        if row in self.marked and self._all_marked(row):
            return None
        if self.block.group_row and self._is_group(row):
            return Line(row, LineKind.GROUP)
        if "" not in stub and stub:
            return Line(row, LineKind.BARE)
        return Line(row, LineKind.UNPLACED, _VALUELESS)

    def _has_value(self, row: int) -> bool:
        """Whether any column that makes a row more than a name is filled."""
        if self.whole:  # they are the last columns of the block, as in most
            return 1 in self.masks[row][self.from_value :]
        cells = self.rows[row]
        return any(cells[column] != "" for column in self.valued)

    def _if_filled(self, row: int, kind: LineKind, why: str = "") -> Line | None:
        return Line(row, kind, why) if 1 in self.masks[row] else None

    def _matching(
        self, patterns: Sequence[Pattern], row: int, own: Sequence[Cell]
    ) -> Pattern | None:
        """The pattern that a stub cell matches; without stub columns, the first filled cell."""
        named: Sequence[Cell] = own
        if not self.named or self.block.group_row:
            first = next((c for c in self.rows[row][self.left : self.right] if c != ""), "")
            named = (*own, first)
        for one in patterns:
            if any(cell != "" and one.match(cell_text(cell)) is not None for cell in named):
                return one
        return None

    def _counts_columns(self, row: int) -> bool:
        """Whether a row under the headings numbers the columns: 1, 2, 3 and so on."""
        cells = [cell for cell in self.rows[row][self.left : self.right] if cell != ""]
        if not cells or cell_text(cells[0]).strip("().") != "1":
            return False
        texts = [cell_text(cell).strip("().") for cell in cells]
        return len(texts) > 2 and texts == [str(number + 1) for number in range(len(texts))]

    def _is_group(self, row: int) -> bool:
        """Whether only the first stub cell of a row is filled."""
        filled = [at for at in range(self.left, self.right) if self.rows[row][at] != ""]
        return len(filled) == 1 and not any(filled[0] == column for column in self.valued)

    def _all_marked(self, row: int) -> bool:
        """Whether all that stands in a row has a role already: stamps and their labels."""
        return all(
            self.roles.is_marked(row, column)
            for column in range(self.left, self.right)
            if self.rows[row][column] != ""
        )


def _notes_apart(lines: Sequence[Line], start: int) -> Iterator[Line]:
    """Rows without values that follow a blank row after the last values are notes, no stubs."""
    valued = [line.row for line in lines if line.kind in (LineKind.RECORD, LineKind.TOTAL)]
    last = max(valued, default=start - 1)
    apart = False
    before = last
    for line in lines:
        if line.row > last:
            apart = apart or line.row > before + 1
            before = line.row
            if apart and line.kind in (LineKind.BARE, LineKind.GROUP):
                line = Line(line.row, LineKind.UNPLACED, _APART)
        yield line


def _nameless(sheet: Sheet, columns: Columns, line: Line) -> Finding:
    column = next(
        one.column
        for one in columns.every
        if one.kind is not ColumnKind.STUB and sheet.rows[line.row][one.column] != ""
    )
    return Finding(
        "row-without-stub",
        f"{sheet.row_called(line.row)} holds values, but no stub cell names it; they are unplaced",
        "Fill the stub cells; if this is a row of totals, write a label such as “Total” beside it"
        " and list it in `totals`; for merged-looking groups use `carry_down`; a row of units under"
        " the headings is left out with `under_headings = 1`.",
        cell=sheet.address(line.row, column),
        looked_for="a filled stub cell",
        found=cell_text(sheet.rows[line.row][column]),
    )


def _numbered(sheet: Sheet, columns: Columns, line: Line) -> Finding:
    return Finding(
        "columns-numbered",
        f"{sheet.row_called(line.row)} under the headings numbers the columns; it is unplaced, and"
        " makes no records",
        "Write `under_headings = 1` into [block], so that it is left out by a rule.",
        cell=sheet.address(line.row, columns.left),
        looked_for="a row of the table",
        found="1, 2, 3 …",
    )


def _groups_doubtful(sheet: Sheet, columns: Columns, lines: Sequence[Line]) -> Iterator[Finding]:
    """Two rows in turn that look like the name of a group: one may be a line without values."""
    told = [line for line in lines if line.kind is not LineKind.UNPLACED]
    for line, after in pairwise(told):
        if line.kind is LineKind.GROUP and after.kind is LineKind.GROUP:
            yield Finding(
                "group-doubtful",
                f"{sheet.row_called(line.row)} and {sheet.row_called(after.row)} both look like the"
                f" name of a “{columns.block.group_row}”; the lower one was taken, but it may be a"
                " line without values",
                "Fill a value of the line (zero, perhaps), or clear the row that is no group.",
                cell=sheet.address(after.row, columns.left),
                looked_for="lines below the name of a group",
                found="another row with nothing but a name",
            )


def _groupless(
    sheet: Sheet, columns: Columns, lines: Sequence[Line], named: Mapping[str, Sequence[Cell]]
) -> Iterator[Finding]:
    """Records above the first row that names a group."""
    group_row = columns.block.group_row
    if not group_row:
        return
    records = [line.row for line in lines if line.kind is LineKind.RECORD]
    for row, group in zip(records, named[group_row], strict=True):
        if group == "":
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
