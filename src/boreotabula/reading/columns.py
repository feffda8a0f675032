"""The columns of a block: heading levels settled, and what each column is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto
from functools import cached_property, lru_cache
from itertools import chain

from boreotabula.layout.addresses import address
from boreotabula.layout.headings import normal_form
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.convert import cell_text, one_line
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Place
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.workbooks.sheet import Cell, Sheet, Span


class ColumnKind(Enum):
    """What a column of a block is."""

    STUB = auto()
    """Names the rows; `field` says which stub field."""
    BESIDE = auto()
    """Holds another field of each row, known by its heading or its position."""
    VALUE = auto()
    """Holds values; `labels` are its headings, one for each level."""
    TOTAL = auto()
    """Holds printed totals of the rows."""
    IGNORED = auto()
    """Left out by a rule."""
    UNKNOWN = auto()
    """Speaks of something the layout does not know; its cells are unplaced."""


@dataclass(frozen=True)
class Column:
    """One column of a block; `column` is counted from 0, `why` is a rule or a reason."""

    column: int
    kind: ColumnKind
    field: str = ""
    labels: tuple[Cell, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class Slot:
    """What each row holds one record of: the labels over it, and the column of each value."""

    labels: tuple[Cell, ...]
    columns: tuple[int | None, ...]
    """In the order of the block's value fields; None where one is missing."""

    @property
    def first(self) -> int:
        """The leftmost of its columns."""
        return min(column for column in self.columns if column is not None)


@dataclass(frozen=True, eq=False)
class Columns:
    """All columns of a block, from its left to its right edge.

    Equal only to itself: tabs with the same headings share one, and what follows from it.
    """

    every: tuple[Column, ...]
    block: BlockPlan

    @property
    def left(self) -> int:
        """The first column of the block."""
        return self.every[0].column

    @property
    def right(self) -> int:
        """The first column past the block."""
        return self.every[-1].column + 1

    def of(self, *kinds: ColumnKind) -> list[Column]:
        """The columns of some kinds."""
        return [one for one in self.every if one.kind in kinds]

    @cached_property
    def valued(self) -> tuple[int, ...]:
        """The columns in which something makes a row more than a name."""
        kinds = (ColumnKind.VALUE, ColumnKind.TOTAL, ColumnKind.BESIDE)
        return tuple(one.column for one in self.of(*kinds))

    @cached_property
    def by_row(self) -> Mapping[str, int]:
        """The column of each field that has one value for each row, stub fields apart."""
        return {one.field: one.column for one in self.of(ColumnKind.BESIDE)}

    @cached_property
    def slots(self) -> tuple[Slot, ...]:
        """The records of each row, left to right; columns under the same labels share one."""
        values = self.block.values
        groups: list[tuple[tuple[Cell, ...], list[int | None]]] = []
        for column in self.of(ColumnKind.VALUE):
            at = values.index(column.field)
            for labels, members in groups if len(values) > 1 else ():
                if labels == column.labels and members[at] is None:
                    members[at] = column.column
                    break
            else:
                fresh: list[int | None] = [None] * len(values)
                fresh[at] = column.column
                groups.append((column.labels, fresh))
        return tuple(Slot(labels, tuple(members)) for labels, members in groups)


@dataclass(frozen=True)
class Heads:
    """The headings over one column: cells of its own, and what reaches it, level by level."""

    own: tuple[str, ...]
    labels: tuple[Cell, ...]

    @property
    def texts(self) -> list[str]:
        """All texts that speak of the column."""
        return [*self.own, *(one_line(cell_text(label)) for label in self.labels if label != "")]

    @property
    def joined(self) -> str:
        """The headings of a list's column as one, top to bottom."""
        return " / ".join(dict.fromkeys(self.texts[len(self.own) :] or self.own))


@dataclass(frozen=True)
class Headings:
    """The heading rows of a block, from its left to its right edge, as plain values.

    Tabs of one form have the same; what they mean is worked out once.
    """

    top: int
    left: int
    start: int
    """The first column that is right of all stub columns."""
    rows: tuple[tuple[Cell, ...], ...]
    width: int
    types: tuple[type, ...]
    """Of all cells: to Python 1.0 and True are equal, as headings they are not."""
    spans: tuple[Span, ...]
    stub: tuple[tuple[str, int], ...]
    turned: bool

    @property
    def bottom(self) -> int:
        """The last heading row."""
        return self.top + len(self.rows) - 1

    def address(self, row: int, column: int) -> str:
        """The address of a place, as a person finds it."""
        return address(column, row) if self.turned else address(row, column)


def settle_columns(
    sheet: Sheet, place: Place, plan: Plan, block: BlockPlan
) -> tuple[Columns, list[Finding]]:
    """What each column of the block is, from its left to its right edge."""
    left, right = _edges(sheet, place, block)
    columns, told = _settled(_headings(sheet, place, left, right), plan, block)
    findings = [
        *(one for one in told if not _about_nothing(sheet, place, columns, one)),
        *_unheaded(sheet, place, columns),
        *_beyond(sheet, place, right),
    ]
    return columns, findings


def _about_nothing(sheet: Sheet, place: Place, columns: Columns, finding: Finding) -> bool:
    """Whether an unknown heading is a lone text: nothing stands below it."""
    if finding.code != "heading-unknown":
        return False
    return not any(
        sheet.address(place.bottom, column.column) == finding.cell
        and sheet.column_filled(column.column, place.bottom + 1, place.end)
        for column in columns.of(ColumnKind.UNKNOWN)
    )


def _headings(sheet: Sheet, place: Place, left: int, right: int) -> Headings:
    rows = tuple(tuple(row[left:right]) for row in sheet.rows[place.top : place.bottom + 1])
    return Headings(
        place.top,
        left,
        max(place.last_stub + 1, left),
        rows,
        right - left,
        tuple(map(type, chain.from_iterable(rows))),
        tuple(one for one in sheet.merges if one.top <= place.bottom and one.bottom >= place.top),
        tuple(place.stub.items()),
        sheet.turned,
    )


def _edges(sheet: Sheet, place: Place, block: BlockPlan) -> tuple[int, int]:
    """First column of the block, and the first past it: the next blank column on either side."""
    under = place.bottom + 1
    headed = [sheet.column_filled(column, place.top, under) for column in range(sheet.width)]
    for span in sheet.merges:
        if place.top <= span.top <= place.bottom and sheet.cell(span.top, span.left) != "":
            width = min(span.right + 1, sheet.width) - span.left
            headed[span.left : span.left + width] = [True] * width
    left = place.left
    while not place.fixed and left > 0 and headed[left - 1]:
        left -= 1
    least = max(place.last_stub + 1, place.left + len(block.columns))
    if block.gaps:
        right = place.limit
        while right > least and not _used(sheet, place, headed, right - 1):
            right -= 1
    else:
        right = min(least, place.limit)
        while right < place.limit and _used(sheet, place, headed, right):
            right += 1
    return left, max(right, left + 1)


def _used(sheet: Sheet, place: Place, headed: Sequence[bool], column: int) -> bool:
    return headed[column] or sheet.column_filled(column, place.bottom + 1, place.end)


@lru_cache(maxsize=256)
def _settled(
    headings: Headings, plan: Plan, block: BlockPlan
) -> tuple[Columns, tuple[Finding, ...]]:
    columns: list[Column] = []
    findings: list[Finding] = []
    taken: dict[str, int] = {}
    settle = _settle_by_position if block.columns else _settle
    for column, heads in enumerate(_heads(headings, block), headings.left):
        settled, finding = settle(headings, plan, block, column, heads, taken)
        if finding is not None:
            findings.append(finding)
        if settled.kind is ColumnKind.BESIDE:
            taken[settled.field] = column
        columns.append(settled)
    findings += _fields_missing(headings, plan, block, taken)
    found = Columns(tuple(columns), block)
    findings += _values_twice(headings, found)
    return found, tuple(findings)


def _heads(headings: Headings, block: BlockPlan) -> list[Heads]:
    """The headings over each column; the lowest rows, as many as there are levels, count."""
    levels = [
        [_own(headings, row, at, cell) for at, cell in enumerate(cells)]
        for row, cells in enumerate(headings.rows)
    ]
    # In a list the upper headings reach over every column, in a cross-tab over the values only.
    start = 0 if block.is_list else headings.start - headings.left
    blank: list[Cell] = [""] * headings.width
    reached = _reach(levels, start) if levels else []
    padded = [*[blank] * (block.depth - len(levels)), *reached]
    kept = padded[-block.depth :] if block.depth else []
    return [
        Heads(
            tuple(one_line(cell_text(level[at][0])) for level in levels if level[at][0] != ""),
            tuple(level[at] for level in kept) if at >= start else (),
        )
        for at in range(headings.width)
    ]


def _own(headings: Headings, row: int, at: int, cell: Cell) -> tuple[Cell, Span | None]:
    """The heading that stands at a place, itself or through the merged cell that covers it."""
    sheet_row, column = headings.top + row, headings.left + at
    for span in headings.spans:
        if span.top <= sheet_row <= span.bottom and span.left <= column <= span.right:
            row, at = span.top - headings.top, span.left - headings.left
            inside = row >= 0 and at >= 0
            return headings.rows[row][at] if inside else "", span
    return cell, None


def _reach(levels: Sequence[Sequence[tuple[Cell, Span | None]]], start: int) -> list[list[Cell]]:
    """The heading of each level over each column.

    An upper heading reaches as far as its merged cell, or, unmerged, to the next filled cell of
    its level, but never across a place where a heading begins in the level above it. The lowest
    level does not reach.
    """
    reached: list[list[Cell]] = []
    breaks: set[int] = set()
    for depth, level in enumerate(levels):
        lowest = depth == len(levels) - 1
        current: Cell = ""
        labels: list[Cell] = [""] * start
        begins: set[int] = set()
        for at in range(start, len(level)):
            cell, span = level[at]
            if cell != "" or span is not None:
                if span is None or at == start or level[at - 1][1] != span:
                    begins.add(at)
                labels.append(cell)
                current = "" if span is not None else cell
            elif at in breaks or lowest:
                labels.append("")
                current = ""
            else:
                labels.append(current)
        reached.append(labels)
        breaks |= begins
    return reached


# --- what one column is -------------------------------------------------------------------------

_UNHEADED = "no heading over it"
_UNNAMED = "no name in `columns`"
Settled = tuple[Column, Finding | None]


def _settle(
    place: Headings,
    plan: Plan,
    block: BlockPlan,
    column: int,
    heads: Heads,
    taken: Mapping[str, int],
) -> Settled:
    """What one column is. The order of the questions is the order of the rules in the docs."""
    rule = _matching(block.ignore, heads.texts)
    if rule is not None:
        return Column(column, ColumnKind.IGNORED, why=f"ignore: {rule.text}"), None
    for stub, at in place.stub:
        if at == column:
            return Column(column, ColumnKind.STUB, stub), None
    if _matching(block.totals, heads.texts) is not None:
        return Column(column, ColumnKind.TOTAL, labels=heads.labels), None
    field = _known_field(plan, block, heads)
    if field is not None:
        return _beside(place, block, column, field, heads, taken)
    if not heads.own and not (block.is_list and heads.joined):
        return _unknown(column, _UNHEADED), None  # told if something stands below
    if block.is_list or column < place.start or _lost_stub(place, block, column, heads):
        return _unknown(column, "its heading is not known"), _unknown_heading(place, column, heads)
    return _value(place, plan, block, column, heads)


def _value(place: Headings, plan: Plan, block: BlockPlan, column: int, heads: Heads) -> Settled:
    """A column of values; among several value fields the lowest heading says which."""
    if len(block.values) == 1:
        found = Column(column, ColumnKind.VALUE, block.values[0], heads.labels)
        return found, _blank_level(place, block, column, heads)
    field = plan.names.field_of(cell_text(heads.labels[-1]))
    if field not in block.values or field is None:
        return _unknown(column, "its heading names none of the values"), _unknown_value(
            place, block, column, heads
        )
    found = Column(column, ColumnKind.VALUE, field, heads.labels[:-1])
    return found, _blank_level(place, block, column, heads)


def _settle_by_position(
    place: Headings,
    plan: Plan,
    block: BlockPlan,
    column: int,
    heads: Heads,
    taken: Mapping[str, int],
) -> Settled:
    """What one column is where `columns` names them, whatever stands over it."""
    at = column - place.left
    if at >= len(block.columns):
        return _unknown(column, _UNNAMED), None  # told if something stands below
    field = block.columns[at]
    if not field:
        return Column(column, ColumnKind.IGNORED, why="columns: no field"), None
    kind = ColumnKind.STUB if field in block.stub else ColumnKind.BESIDE
    return Column(column, kind, field), None


def _lost_stub(place: Headings, block: BlockPlan, column: int, heads: Heads) -> bool:
    """Whether a column right of the stubs may be a missing stub under a new name.

    That holds for as many columns as stub headings are missing, unless the headings of all of
    two or more levels stand over it. Its cells are rather unplaced than taken for values.
    """
    missing = len(block.stub) - len(place.stub)
    near = column < place.start + missing
    return near and (len(heads.labels) == 1 or "" in heads.labels)


def _matching(patterns: Sequence[Pattern], texts: Sequence[str]) -> Pattern | None:
    for one in patterns:
        if any(one.match(text) is not None for text in texts):
            return one
    return None


def _known_field(plan: Plan, block: BlockPlan, heads: Heads) -> str | None:
    """The field a heading means, unless it is one of those that the cross-tab itself fills."""
    for text in (heads.joined,) if block.is_list else heads.own:
        field = plan.names.field_of(text)
        if field is not None and field not in (*block.across, *block.values):
            return field
    return None


def _beside(
    place: Headings,
    block: BlockPlan,
    column: int,
    field: str,
    heads: Heads,
    taken: Mapping[str, int],
) -> Settled:
    if field not in block.filled and field not in taken:
        return Column(column, ColumnKind.BESIDE, field), None
    filler = _filler(place, block, field, taken)
    finding = Finding(
        "heading-taken",
        f"the column “{heads.joined or heads.own[0]}” means the field “{field}”, which is filled"
        f" by {filler}; its cells are unplaced",
        "List the heading in `ignore`, or give it to another field in the glossary.",
        cell=place.address(place.bottom, column),
        looked_for=f"one source for {field}",
        found=f"{filler}, and this column",
    )
    return _unknown(column, f"the field {field} is already filled by {filler}"), finding


def _filler(place: Headings, block: BlockPlan, field: str, taken: Mapping[str, int]) -> str:
    at = dict(place.stub).get(field, taken.get(field))
    if at is None:
        return block.filled[field]
    return f"the column at {place.address(place.bottom, at)}"


def _unknown(column: int, why: str) -> Column:
    return Column(column, ColumnKind.UNKNOWN, why=why)


def _unknown_heading(place: Headings, column: int, heads: Heads) -> Finding:
    heading = heads.joined or heads.own[-1]
    return Finding(
        "heading-unknown",
        f"no field is known by the heading “{heading}”; its cells are unplaced",
        "Add the heading to `also` of a field or to the glossary, or list it in `ignore`.",
        cell=place.address(place.bottom, column),
        looked_for="a heading that a field is known by",
        found=heading,
    )


def _unknown_value(place: Headings, block: BlockPlan, column: int, heads: Heads) -> Finding:
    label = one_line(cell_text(heads.labels[-1])) or "blank"
    return Finding(
        "heading-unknown",
        f"the lowest heading “{label}” names none of the values; its cells are unplaced",
        "Add the heading to `also` of a value field or to the glossary, or list it in `ignore`.",
        cell=place.address(place.bottom, column),
        looked_for=", ".join(block.values),
        found=label,
    )


def _blank_level(place: Headings, block: BlockPlan, column: int, heads: Heads) -> Finding | None:
    blank = [
        (level, field)
        for level, (field, label) in enumerate(zip(block.across, heads.labels, strict=False))
        if label == ""
    ]
    if not blank:
        return None
    level, field = blank[0]
    return Finding(
        "heading-level-blank",
        f"no heading “{field}” over “{heads.own[-1]}”; the field is empty in its records",
        "Write the heading into the sheet, or merge the one beside it over this column.",
        cell=place.address(place.top + level, column),
        looked_for=field,
        found="blank",
    )


# --- what is to be said of the columns together -------------------------------------------------


def _fields_missing(
    place: Headings, plan: Plan, block: BlockPlan, taken: Mapping[str, int]
) -> Iterator[Finding]:
    """Fields of the output that nothing fills on this tab."""
    for field in plan.tables[block.into]:
        if field in block.filled or field in taken:
            continue
        required = field in plan.required
        yield Finding(
            "required-field-missing" if required else "field-missing",
            f"no column for the field “{field}”; it is empty in the records of this tab",
            "If the column is there under another heading, add that to `also` of the field or to"
            " the glossary." + ("" if required else " `required = true` would make this an error."),
            cell=place.address(place.bottom, place.left) if place.rows else "",
            looked_for=field,
            found="no such heading",
        )


def _values_twice(place: Headings, columns: Columns) -> Iterator[Finding]:
    """Two columns under the same headings: their records can only be told apart by their cells."""
    first: dict[tuple[str, tuple[str, ...]], Column] = {}
    for column in columns.of(ColumnKind.VALUE):
        labels = tuple(normal_form(cell_text(label)) for label in column.labels)
        before = first.setdefault((column.field, labels), column)
        if before is not column and any(labels):
            named = " / ".join(one_line(cell_text(label)) for label in column.labels)
            yield Finding(
                "headings-repeated",
                f"two columns stand under the same headings “{named}”; both are read, and their"
                " records differ only in `source_cell`",
                "Correct the heading that is wrong, or list it in `ignore` or `totals`.",
                cell=place.address(place.bottom, column.column),
                looked_for="each heading once",
                found=f"{place.address(place.bottom, before.column)} and"
                f" {place.address(place.bottom, column.column)}",
            )


def _unheaded(sheet: Sheet, place: Place, columns: Columns) -> Iterator[Finding]:
    """Numbers that no heading names are an error; text alone is a note beside the table."""
    rows = range(place.bottom + 1, place.end)
    for one in columns.every:
        if one.why not in (_UNHEADED, _UNNAMED):
            continue
        cells = [(row, sheet.rows[row][one.column]) for row in rows]
        if one.why == _UNHEADED:
            cells = [(row, cell) for row, cell in cells if not isinstance(cell, str)]
        cells = [(row, cell) for row, cell in cells if cell != ""]
        if cells:
            row, cell = cells[0]
            yield _without_heading(sheet, place, one, row, cell, len(cells))


def _without_heading(
    sheet: Sheet, place: Place, column: Column, row: int, cell: Cell, number: int
) -> Finding:
    called = sheet.column_called(column.column)
    if column.why == _UNNAMED:
        said = f"{number} cells of {called} stand beyond the last name of `columns`"
        advice = "Add a name to `columns` of the layout, or “-” to pass the column over."
        looked_for = "a name in `columns`"
    else:
        said = f"{number} cells of {called} stand under no heading"
        advice = (
            f"Write a heading into {sheet.address(place.bottom, column.column)}, or clear them."
        )
        looked_for = f"a heading in {sheet.row_called(max(place.bottom, 0))} or above"
    return Finding(
        "values-without-heading",
        f"{said}; they are unplaced",
        advice,
        cell=sheet.address(row, column.column),
        looked_for=looked_for,
        found=cell_text(cell),
    )


def _beyond(sheet: Sheet, place: Place, right: int) -> Iterator[Finding]:
    """Headings with cells below them, right of the gap that ends the block."""
    if right >= place.limit:
        return
    for column in range(right, place.limit):
        headings = [sheet.rows[row][column] for row in range(place.top, place.bottom + 1)]
        texts = [cell_text(cell) for cell in headings if cell != ""]
        if texts and sheet.column_filled(column, place.bottom + 1, place.end):
            yield Finding(
                "heading-beyond-gap",
                f"{sheet.column_called(right)} is blank and ends the table, but"
                f" “{texts[-1]}” stands beyond it; what is there was not read",
                "Close the gap in the sheet if these columns belong to the table, or write"
                " `gaps = true` into [block].",
                cell=sheet.address(place.bottom, column),
                looked_for="the end of the table",
                found=texts[-1],
            )
            return
