"""The columns of a block: heading levels settled, and what each column is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto
from functools import lru_cache
from itertools import chain

from boreotabula.layout.addresses import address, column_letters
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.convert import cell_text, one_line
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.workbooks.sheet import Cell, Sheet, Span


class ColumnKind(Enum):
    """What a column of a block is."""

    STUB = auto()
    """Names the rows; `field` says which stub field."""
    BESIDE = auto()
    """Holds another field of each row, known by its heading."""
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
class Heads:
    """The headings over one column: cells of its own, and what reaches it, level by level."""

    own: tuple[str, ...]
    labels: tuple[Cell, ...]

    @property
    def texts(self) -> list[str]:
        """All texts that speak of the column."""
        return [*self.own, *(one_line(cell_text(label)) for label in self.labels if label != "")]


@dataclass(frozen=True)
class Headings:
    """The heading rows of a block, from its left to its right edge, as plain values.

    Tabs of one form have the same; what they mean is worked out once.
    """

    top: int
    left: int
    rows: tuple[tuple[Cell, ...], ...]
    types: tuple[type, ...]
    """Of all cells: to Python 1.0 and True are equal, as headings they are not."""
    spans: tuple[Span, ...]
    stub: tuple[tuple[str, int], ...]

    @property
    def bottom(self) -> int:
        """The last heading row."""
        return self.top + len(self.rows) - 1

    @property
    def last_stub(self) -> int:
        """The rightmost stub column."""
        return max(column for _, column in self.stub)


def settle_columns(
    sheet: Sheet, place: Place, plan: Plan
) -> tuple[tuple[Column, ...], list[Finding]]:
    """What each column of the block is, from its left to its right edge."""
    left, right = _edges(sheet, place)
    columns, told = _settled(_headings(sheet, place, left, right), plan)
    findings = [
        *told,
        *_unheaded(sheet, place, columns),
        *_beyond(sheet, place, right),
    ]
    return columns, findings


def _headings(sheet: Sheet, place: Place, left: int, right: int) -> Headings:
    rows = tuple(tuple(row[left:right]) for row in sheet.rows[place.top : place.bottom + 1])
    return Headings(
        place.top,
        left,
        rows,
        tuple(map(type, chain.from_iterable(rows))),
        tuple(one for one in sheet.merges if one.top <= place.bottom and one.bottom >= place.top),
        tuple(place.stub.items()),
    )


@lru_cache(maxsize=256)
def _settled(headings: Headings, plan: Plan) -> tuple[tuple[Column, ...], tuple[Finding, ...]]:
    columns: list[Column] = []
    findings: list[Finding] = []
    taken: dict[str, int] = {}
    for column, heads in enumerate(_heads(headings, len(plan.block.across)), headings.left):
        settled, finding = _settle(headings, plan, column, heads, taken)
        if finding is not None:
            findings.append(finding)
        if settled.kind is ColumnKind.BESIDE:
            taken[settled.field] = column
        columns.append(settled)
    return tuple(columns), tuple(findings)


def _edges(sheet: Sheet, place: Place) -> tuple[int, int]:
    """First column of the block, and the first past it: the next blank column on either side."""
    under = place.bottom + 1
    headed = [sheet.column_filled(column, place.top, under) for column in range(sheet.width)]
    for span in sheet.merges:
        if place.top <= span.top <= place.bottom and sheet.cell(span.top, span.left) != "":
            width = min(span.right + 1, sheet.width) - span.left
            headed[span.left : span.left + width] = [True] * width
    left = place.first_stub
    while left > 0 and headed[left - 1]:
        left -= 1
    right = place.last_stub + 1
    while right < place.limit and (headed[right] or sheet.column_filled(right, under, place.end)):
        right += 1
    return left, right


def _heads(headings: Headings, depth: int) -> list[Heads]:
    """The headings over each column; the lowest `depth` heading rows are the levels."""
    levels = [
        [_own(headings, row, at, cell) for at, cell in enumerate(cells)]
        for row, cells in enumerate(headings.rows)
    ]
    start = headings.last_stub + 1 - headings.left
    blank: list[Cell] = [""] * len(headings.rows[0])
    reached = [*[blank] * (depth - len(levels)), *_reach(levels, start)][-depth:]
    return [
        Heads(
            tuple(one_line(cell_text(level[at][0])) for level in levels if level[at][0] != ""),
            tuple(level[at] for level in reached) if at >= start else (),
        )
        for at in range(len(blank))
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


_UNHEADED = "no heading over it"


def _settle(
    place: Headings, plan: Plan, column: int, heads: Heads, taken: Mapping[str, int]
) -> tuple[Column, Finding | None]:
    """What one column is. The order of the questions is the order of the rules in the docs."""
    block = plan.block
    rule = _matching(block.ignore, heads.texts)
    if rule is not None:
        return Column(column, ColumnKind.IGNORED, why=f"ignore: {rule.text}"), None
    for stub, at in place.stub:
        if at == column:
            return Column(column, ColumnKind.STUB, stub), None
    if _matching(block.totals, heads.texts) is not None:
        return Column(column, ColumnKind.TOTAL, labels=heads.labels), None
    field = _known_field(plan, heads.own)
    if field is not None:
        return _beside(place, plan, column, field, heads, taken)
    if not heads.own:
        return _unknown(column, _UNHEADED), None  # told if something stands below
    if column < place.last_stub or _lost_stub(place, plan, column, heads):
        return _unknown(column, "its heading is not known"), _unknown_heading(place, column, heads)
    return (
        Column(column, ColumnKind.VALUE, plan.block.value, heads.labels),
        _blank_level(plan, place, column, heads),
    )


def _lost_stub(place: Headings, plan: Plan, column: int, heads: Heads) -> bool:
    """Whether a column right of the stubs may be a missing stub under a new name.

    That holds for as many columns as stub headings are missing, unless the headings of all of
    two or more levels stand over it. Its cells are rather unplaced than taken for values.
    """
    missing = len(plan.block.stub) - len(place.stub)
    near = column <= place.last_stub + missing
    return near and (len(heads.labels) == 1 or "" in heads.labels)


def _matching(patterns: Sequence[Pattern], texts: Sequence[str]) -> Pattern | None:
    for one in patterns:
        if any(one.match(text) is not None for text in texts):
            return one
    return None


def _known_field(plan: Plan, own: Sequence[str]) -> str | None:
    """The field a heading means, unless it is one of those that the cross-tab itself fills."""
    for text in own:
        field = plan.names.field_of(text)
        if field is not None and field not in (*plan.block.across, plan.block.value):
            return field
    return None


def _beside(
    place: Headings,
    plan: Plan,
    column: int,
    field: str,
    heads: Heads,
    taken: Mapping[str, int],
) -> tuple[Column, Finding | None]:
    if field not in plan.filled and field not in taken:
        return Column(column, ColumnKind.BESIDE, field), None
    filler = _filler(place, plan, field, taken)
    finding = Finding(
        "heading-taken",
        f"the column “{heads.own[0]}” means the field “{field}”, which is filled by {filler};"
        " its cells are unplaced",
        "List the heading in `ignore`, or give it to another field in the glossary.",
        cell=address(place.bottom, column),
        looked_for=f"one source for {field}",
        found=f"{filler}, and this column",
    )
    return _unknown(column, f"the field {field} is already filled by {filler}"), finding


def _filler(place: Headings, plan: Plan, field: str, taken: Mapping[str, int]) -> str:
    at = dict(place.stub).get(field, taken.get(field))
    return plan.filled[field] if at is None else f"column {column_letters(at)}"


def _unknown(column: int, why: str) -> Column:
    return Column(column, ColumnKind.UNKNOWN, why=why)


def _unknown_heading(place: Headings, column: int, heads: Heads) -> Finding:
    return Finding(
        "heading-unknown",
        f"no field is known by the heading “{heads.own[-1]}”; its cells are unplaced",
        "Add the heading to `also` of a field or to the glossary, or list it in `ignore`.",
        cell=address(place.bottom, column),
        looked_for="a heading of the stub columns",
        found=heads.own[-1],
    )


def _unheaded(sheet: Sheet, place: Place, columns: Sequence[Column]) -> Iterator[Finding]:
    """Numbers that no heading names are an error; text alone is a note beside the table."""
    for column in (one.column for one in columns if one.why == _UNHEADED):
        rows = range(place.bottom + 1, place.end)
        cells = [(row, sheet.rows[row][column]) for row in rows]
        numbers = [(row, cell) for row, cell in cells if not isinstance(cell, str)]
        if numbers:
            row, cell = numbers[0]
            yield Finding(
                "values-without-heading",
                f"{len(numbers)} cells of column {column_letters(column)} stand under no heading;"
                " they are unplaced",
                f"Write a heading into {address(place.bottom, column)}, or clear the cells.",
                cell=address(row, column),
                looked_for=f"a heading in rows {place.top + 1} to {place.bottom + 1}",
                found=cell_text(cell),
            )


def _blank_level(plan: Plan, place: Headings, column: int, heads: Heads) -> Finding | None:
    blank = [
        (level, field)
        for level, (field, label) in enumerate(zip(plan.block.across, heads.labels, strict=False))
        if label == ""
    ]
    if not blank:
        return None
    level, field = blank[0]
    return Finding(
        "heading-level-blank",
        f"no heading “{field}” over “{heads.own[-1]}”; the field is empty in its records",
        "Write the heading into the sheet, or merge the one beside it over this column.",
        cell=address(place.top + level, column),
        looked_for=field,
        found="blank",
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
                f"column {column_letters(right)} is blank and ends the table, but"
                f" “{texts[-1]}” stands beyond it; what is there was not read",
                "Close the gap in the sheet if these columns belong to the table.",
                cell=address(place.bottom, column),
                looked_for="the end of the table",
                found=texts[-1],
            )
            return
