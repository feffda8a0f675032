"""The headings of a tab, the meaning of each in a layout, and the cells below it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form
from boreotabula.look.frame import frame_of
from boreotabula.reading.blocks import SettledBlock, TabSource, settle_blocks, wanted_blocks
from boreotabula.reading.cells import cell_text, one_line
from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.columns.levels import HeadingsOver, headings_of, headings_over
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.reading.tab import form_of
from boreotabula.reading.values.form import plain_form
from boreotabula.sheets.sheet import Cell, Flaw, Sheet

_MOST_VALUES = 400
"""This many distinct texts of a column are kept; more would add nothing."""
_SAMPLE = 12


@dataclass(frozen=True)
class Profile:
    """The content of the cells below a heading."""

    filled: int = 0
    kinds: Counter[str] = field(default_factory=Counter)
    """The number of 'text', 'whole numbers', 'numbers', 'dates', 'times', 'yes or no', 'errors'."""
    least: float | None = None
    most: float | None = None
    values: frozenset[str] = frozenset()
    """Distinct texts, in the form that is compared."""
    sample: tuple[str, ...] = ()

    @property
    def kind(self) -> str:
        """The content of most cells; numbers that are not all whole are just numbers."""
        kinds = Counter(self.kinds)
        if kinds["numbers"]:
            kinds["numbers"] += kinds.pop("whole numbers", 0)
        return kinds.most_common(1)[0][0] if kinds else "nothing"


@dataclass(frozen=True)
class MetHeading:
    """A heading on a tab."""

    heading: str
    cell: Address
    field: str
    """The field that it means, or of which it is a value; empty if unknown."""
    role: str
    """'column', 'level' of a cross-tab, 'total', 'ignored', or 'unknown'."""
    profile: Profile


@dataclass(frozen=True)
class TabHeadings:
    """The headings of a tab, and the fields that none of its columns fills."""

    met: tuple[MetHeading, ...] = ()
    lacking: tuple[str, ...] = ()
    guessed: bool = False
    """Whether the table was not found by its stub headings, but guessed by its look."""


def headings_met(sheet: Sheet, plan: Plan, source: TabSource) -> TabHeadings:
    """The headings of all blocks of a tab; of its largest table if no block is found."""
    form, _ = form_of(sheet, plan)
    blocks = wanted_blocks(form, source) if form else []
    headings: list[MetHeading] = []
    lacking: list[str] = []
    for view in settle_blocks(sheet, plan, form, source) if form else ():
        for block in view.blocks:
            headings += _of_block(block)
            lacking += _lacking(plan, block.block, block.columns)
    # A table that was not found is the one whose headings most need to be listed.
    if headings or not blocks or sheet.blank:
        return TabHeadings(tuple(headings), tuple(dict.fromkeys(lacking)))
    # So that a renamed stub heading can be seen, and adopted.
    guessed = list(_of_frame(sheet, plan))
    known_texts = {heading.field for heading in guessed}
    return TabHeadings(
        tuple(guessed),
        tuple(name for name in _fields(plan, blocks) if name not in known_texts),
        guessed=True,
    )


def _of_block(settled: SettledBlock) -> Iterator[MetHeading]:
    sheet, place, columns = settled.view, settled.place, settled.columns
    table = settled.table
    heads = headings_over(headings_of(sheet, place, columns.left, columns.right), columns.block)
    levels: dict[tuple[int, str], Address] = {}
    for column, head in zip(columns.every, heads, strict=True):
        where = sheet.address(max(place.bottom, 0), column.column)
        if column.kind is ColumnKind.VALUE:
            for level, label in enumerate(column.labels):
                # Headings of a level repeat under each group: listed once, with the first place.
                levels.setdefault((level, one_line(cell_text(label))), where)
        elif head.texts:
            cells = [sheet.rows[row][column.column] for row in table.records]
            yield MetHeading(
                _text(column, head, columns.block),
                where,
                column.field,
                _ROLES[column.kind],
                profile_of(cells),
            )
    for (level, label), where in levels.items():
        if label and level < len(columns.block.across):
            yield MetHeading(label, where, columns.block.across[level], "level", Profile())


_ROLES = {
    ColumnKind.STUB: "column",
    ColumnKind.BESIDE: "column",
    ColumnKind.TOTAL: "total",
    ColumnKind.LIKE_TOTAL: "total",
    ColumnKind.IGNORED: "ignored",
    ColumnKind.UNKNOWN: "unknown",
}


def _text(column: Column, head: HeadingsOver, block: BlockPlan) -> str:
    """The heading by which a column would be recognised."""
    if block.is_list:
        return head.joined
    return next((text for text in head.own), head.texts[-1])


def _lacking(plan: Plan, block: BlockPlan, columns: Columns) -> list[str]:
    filled = {column.field for column in columns.of(ColumnKind.STUB, ColumnKind.BESIDE)}
    fields = [*plan.tables[block.into], *plan.open_fields[block.into]]
    # What a stamp or a part of a date fills needs no heading.
    wanted = [*block.stub, *(text for text in fields if text not in block.filled)]
    return [name for name in wanted if name not in filled]


def _fields(plan: Plan, blocks: Sequence[BlockPlan]) -> list[str]:
    """The fields that headings could mean in some blocks."""
    result: dict[str, None] = {}
    for block in blocks:
        result |= dict.fromkeys(block.stub)
        fields = (*plan.tables[block.into], *plan.open_fields[block.into])
        result |= dict.fromkeys(text for text in fields if text not in block.filled)
    return list(result)


def _of_frame(sheet: Sheet, plan: Plan) -> Iterator[MetHeading]:
    """The lowest headings of the apparently largest table of a tab."""
    frame = frame_of(sheet)
    if frame.start is None:
        return
    top, left = frame.start
    lowest = max(row for row, _, _ in frame.headings)
    for row, column, _ in frame.headings:
        # Upper levels name groups of columns, not the fields.
        if row == lowest:
            index = left + column
            heading = one_line(cell_text(sheet.rows[top + row][index]))
            known_text = plan.names.field_of(heading) or ""
            cells = [cells[index] for cells in sheet.rows[top + row + 1 :]]
            yield MetHeading(
                heading,
                sheet.address(top + row, index),
                known_text,
                "column" if known_text else "unknown",
                profile_of(cells),
            )


def profile_of(cells: Iterable[Cell]) -> Profile:
    """The content of some cells."""
    filled = [cell for cell in cells if cell != ""]
    kinds = Counter(map(_kind, filled))
    numbers = [float(cell) for cell in filled if _kind(cell) in ("whole numbers", "numbers")]  # type: ignore[arg-type]
    # A dict keeps the order, so that what is shown does not change from run to run.
    values = dict.fromkeys(plain_form(cell_text(cell)) for cell in filled)
    sample = dict.fromkeys(one_line(cell_text(cell)) for cell in filled)
    return Profile(
        len(filled),
        kinds,
        min(numbers, default=None),
        max(numbers, default=None),
        frozenset(list(values)[:_MOST_VALUES]),
        tuple(list(sample)[:_SAMPLE]),
    )


def _kind(cell: Cell) -> str:
    if isinstance(cell, Flaw):
        return "errors"
    if isinstance(cell, bool):
        return "yes or no"
    if isinstance(cell, float | int):
        return "whole numbers" if float(cell).is_integer() else "numbers"
    if isinstance(cell, datetime | date):
        return "dates"
    if isinstance(cell, time | timedelta):
        return "times"
    return "text"


def merged(profiles: Sequence[Profile]) -> Profile:
    """Several profiles merged into one."""
    kinds: Counter[str] = Counter()
    values: set[str] = set()
    for profile in profiles:
        kinds.update(profile.kinds)
        if len(values) < _MOST_VALUES:
            values |= profile.values
    leasts = [one.least for one in profiles if one.least is not None]
    mosts = [one.most for one in profiles if one.most is not None]
    samples = dict.fromkeys(text for one in profiles for text in one.sample)
    return Profile(
        sum(one.filled for one in profiles),
        kinds,
        min(leasts, default=None),
        max(mosts, default=None),
        frozenset(values),
        tuple(list(samples)[:_SAMPLE]),
    )


def same_heading(heading: MetHeading) -> tuple[str, str, str]:
    """Identifies a heading when those of many tabs are counted together."""
    return normal_form(heading.heading), heading.field, heading.role
