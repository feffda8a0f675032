"""Decide what each column of a block is, by the rules of the layout in turn."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping, Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Finding
from boreotabula.findings.places import Rule, Why
from boreotabula.findings.subjects.headings import HEADING_TAKEN
from boreotabula.findings.wording import filled
from boreotabula.layout.model import PROVENANCE
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.findings import (
    blank_level,
    contradicting,
    fields_missing,
    level_contradicts,
    nothing_left,
    too_narrow,
    unknown_heading,
    unknown_value,
    values_twice,
)
from boreotabula.reading.columns.kinds import Column, ColumnKind, ColumnReason, Columns
from boreotabula.reading.columns.levels import Headings, HeadingsOver, headings_of, headings_over
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import BlockPlan, Plan
from boreotabula.sheets.sheet import Sheet


def decide_columns(
    sheet: Sheet, place: Place, plan: Plan, block: BlockPlan
) -> tuple[Columns, AboutColumns]:
    """What each column of the block is, from its left to its right edge, and the findings about
    them.

    A finding counts only if its column holds something below the headings.
    """
    left, right = _edges(sheet, place, block)
    texts = _texts_under_foreign(sheet, place, block, range(left, right))
    return _decided(headings_of(sheet, place, left, right, texts), plan, block)


def _texts_under_foreign(
    sheet: Sheet, place: Place, block: BlockPlan, columns: range
) -> frozenset[int]:
    """Columns of a cross-tab that hold only texts under a heading that names a field of another
    block.

    Numbers belong there, so such a heading is no value of a level.
    """
    if not block.across or not block.foreign:
        return frozenset()
    texts = {
        column
        for _, column, text in sheet.texts(range(max(place.top, 0), place.bottom + 1))
        if column in columns and block.names.field_of(text) in block.foreign
    }
    rows = range(place.bottom + 1, place.end)
    return frozenset(
        column
        for column in texts
        if not any(
            is_figure(sheet, cell) for row in rows if (cell := sheet.rows[row][column]) != ""
        )
    )


AboutColumns = tuple[tuple[int | None, Finding], ...]
"""Findings, each with the column (counted from 0) that it is about; None for the whole table."""


def _edges(sheet: Sheet, place: Place, block: BlockPlan) -> tuple[int, int]:
    """First column of the block, and the first past it: it ends at a blank column on either
    side."""
    under = place.bottom + 1
    # A heading alone keeps a column in the table, whether or not it has values.
    used: NDArray[np.bool_] = np.logical_or.reduce(sheet.filled[max(place.top, 0) : under])
    for span in sheet.merged_in(range(place.top, under), range(sheet.width)):
        # A merged heading reaches over columns whose own cells are blank.
        if place.top <= span.top and sheet.cell(span.top, span.left) != "":
            used[span.left : span.right + 1] = True
    headed: list[bool] = used.tolist()
    # So do values without a heading: they must be told, not cut off.
    used |= sheet.filled[under : place.end].any(axis=0)
    left = place.left
    # To the left only headings count: numbers of lines often stand there without any.
    while not place.fixed and left > 0 and headed[left - 1]:
        left -= 1
    # What the layout names is never cut off, even beyond a blank column.
    least = max(place.last_mark + 1, place.left + len(block.columns))
    # Blank columns set groups apart in some forms: then the table goes on behind them.
    if block.gaps:
        right = place.limit
        while right > least and not used[right - 1]:
            right -= 1
    else:
        right = min(least, place.limit)
        while right < place.limit and used[right]:
            right += 1
    return left, max(right, left + 1)


@lru_cache(maxsize=256)
def _decided(headings: Headings, plan: Plan, block: BlockPlan) -> tuple[Columns, AboutColumns]:
    columns: list[Column] = []
    about: list[tuple[int | None, Finding]] = []
    taken: dict[str, int] = {}
    every = headings_over(headings, block)
    for column, heads in enumerate(every, headings.left):
        by_position = block.columns and (block.is_list or column < headings.start)
        decide = _decide_by_position if by_position else _decide
        decided, finding = decide(headings, plan, block, column, heads, taken)
        if block.visible_only and column in headings.hidden:
            decided, finding = _because(column, ColumnReason.HIDDEN, ColumnKind.IGNORED), None
        if finding is not None:
            about.append((column, finding))
        if decided.kind is ColumnKind.BESIDE:
            taken[decided.field] = column
        columns.append(decided)
    result = Columns(tuple(columns), block)
    about += [(None, finding) for finding in fields_missing(headings, plan, block, taken)]
    about += values_twice(headings, result)
    about += [(None, finding) for finding in _about_position(headings, plan, result, every)]
    about += [(None, finding) for finding in _about_ignoring(headings, result)]
    return result, tuple(about)


def _about_position(
    headings: Headings, plan: Plan, columns: Columns, every: Sequence[HeadingsOver]
) -> Iterator[Finding]:
    """Findings where `columns` names other fields than the headings do, or more than there are."""
    block = columns.block
    if not block.columns:
        return
    wrong: dict[int, tuple[str, str]] = {}
    for column, heads in zip(columns.every, every, strict=True):
        # In a cross-tab only the leading columns are named, whose headings reach nowhere.
        leading = block.is_list or column.column < headings.start
        texts = ((heads.joined,) if block.is_list else heads.own) if heads.own and leading else ()
        for text in texts:
            known_text = block.names.field_of(text)
            if known_text and column.field and known_text not in (column.field, *block.across):
                wrong[column.column] = (column.field, known_text)
    if wrong:
        yield contradicting(headings, block, wrong)
    if block.across:
        yield from _about_order(headings, block)
        return
    named = max((index for index, field in enumerate(block.columns) if field), default=-1) + 1
    if len(columns.every) < named:
        yield too_narrow(headings, block, len(columns.every))


def _about_order(headings: Headings, block: BlockPlan) -> Iterator[Finding]:
    """A text over the stub that names a level must be the level of its row."""
    for index, row in enumerate(headings.levels):
        level = block.levels[index - len(headings.levels)]
        # A tab may be narrower than `columns`.
        for column in range(headings.left, min(headings.start, headings.left + headings.width)):
            cell = headings.rows[row][column - headings.left]
            field = block.names.field_of(cell_text(cell)) if cell != "" else None
            if field in block.across and field is not None and block.across.index(field) != level:
                yield level_contradicts(headings, block, row, column, field, level)


def _about_ignoring(headings: Headings, columns: Columns) -> Iterator[Finding]:
    """A finding where a rule leaves out every column."""
    left_out = columns.of(ColumnKind.IGNORED)
    ignored = [column.why for column in left_out if column.cause is not ColumnReason.PASSED_OVER]
    kept = (ColumnKind.BESIDE, ColumnKind.VALUE) + (
        (ColumnKind.STUB,) if columns.block.is_list else ()
    )
    if ignored and not columns.of(*kept):
        yield nothing_left(headings, columns.block, ignored[0])


Decided = tuple[Column, Finding | None]


def _decide(
    place: Headings,
    plan: Plan,
    block: BlockPlan,
    column: int,
    heads: HeadingsOver,
    taken: Mapping[str, int],
) -> Decided:
    """Decide what one column is, in the order in which the docs list the rules."""
    # What the place was found by is settled before any rule could take it away.
    for stub, index in place.stub:
        if index == column:
            return Column(column, ColumnKind.STUB, stub), None
    field = _known_field(block, heads, numeric=column not in place.texts)
    # `ignore` never beats a heading that a field knows and lacks: a wide pattern would lose it.
    wanted = field is not None and field not in block.filled and field not in taken
    rule = None if wanted else _matching(block.ignore.patterns, heads.texts)
    if rule is not None:
        return Column(column, ColumnKind.IGNORED, why=f"ignore: {rule.text}"), None
    # Nor do totals: a sum that is to be kept has a field of its own.
    if not wanted and _matching(block.totals.patterns, heads.texts) is not None:
        return Column(column, ColumnKind.TOTAL, labels=heads.labels), None
    if field is not None:
        return _beside(place, block, column, field, heads, taken)
    # Only its cells can show whether a column without a heading matters.
    if not heads.own and not (block.is_list and heads.joined):
        if block.ignore.blank:
            return Column(column, ColumnKind.IGNORED, why=Rule.UNHEADED_IGNORED), None
        return _because(column, ColumnReason.UNHEADED), None  # told if something stands below
    # In a cross-tab, a column of values needs no known heading: all its levels are data.
    if block.is_list or column < place.start or _lost_stub(place, block, column, heads):
        return _nobody_knows(place, plan, block, column, heads, taken)
    return _value(place, plan, block, column, heads)


def _nobody_knows(
    place: Headings, plan: Plan, block: BlockPlan, column: int, heads: HeadingsOver,
    taken: Container[str],
) -> Decided:  # fmt: skip
    """A column whose heading matches no field: kept, left out or reported, as the layout says."""
    name = heads.joined or heads.own[-1]
    kept = block.unknown_headings == "keep" and name not in (*plan.fields, *PROVENANCE)
    if kept and name not in taken:
        return Column(column, ColumnKind.BESIDE, name), None
    if block.unknown_headings == "leave out":
        return _because(column, ColumnReason.LEFT_OUT, ColumnKind.IGNORED), None
    return _unknown(column, Why.HEADING_UNKNOWN), unknown_heading(place, column, heads)


def _value(
    place: Headings, plan: Plan, block: BlockPlan, column: int, heads: HeadingsOver
) -> Decided:
    """A column of values; with several value fields, the lowest heading says which."""
    if len(block.value) == 1:
        # With one value field there is no level that could name another.
        result = Column(column, ColumnKind.VALUE, block.value[0], heads.labels)
        return result, blank_level(place, block, column, heads)
    field = block.names.field_of(cell_text(heads.labels[-1]))
    if field not in block.value or field is None:
        return _unknown(column, Why.VALUE_UNKNOWN), unknown_value(place, block, column, heads)
    result = Column(column, ColumnKind.VALUE, field, heads.labels[:-1], says_value=heads.labels[-1])
    return result, blank_level(place, block, column, heads)


def _decide_by_position(
    place: Headings,
    plan: Plan,
    block: BlockPlan,
    column: int,
    heads: HeadingsOver,
    taken: Mapping[str, int],
) -> Decided:
    """Decide what one column is where `columns` names them, whatever its heading."""
    index = column - place.left
    if index >= len(block.columns):
        return _because(column, ColumnReason.UNNAMED), None  # told if something stands below
    field = block.columns[index]
    if not field:
        return _because(column, ColumnReason.PASSED_OVER, ColumnKind.IGNORED), None
    kind = ColumnKind.STUB if field in block.stub else ColumnKind.BESIDE
    return Column(column, kind, field), None


def _lost_stub(place: Headings, block: BlockPlan, column: int, heads: HeadingsOver) -> bool:
    """Whether a column right of the stubs may be a missing stub under a new name.

    That holds for as many columns as stub headings are missing, unless headings of all levels (of
    two or more) stand over it. Its cells are left unplaced rather than taken for values.
    """
    missing = len({*block.stub} - dict(place.stub).keys() - block.optional_fields)
    # Only next to the stub: further right, an unknown heading is one of the values.
    near = column < place.start + missing
    return near and (len(heads.labels) == 1 or "" in heads.labels)


def _matching(patterns: Sequence[Pattern], texts: Sequence[str]) -> Pattern | None:
    for pattern in patterns:
        if any(pattern.match(text) is not None for text in texts):
            return pattern
    return None


def _known_field(block: BlockPlan, heads: HeadingsOver, *, numeric: bool) -> str | None:
    """The field that a heading names, if a column can be bound to it.

    Fields that the cross-tab itself fills do not count. Over figures, neither does a field of
    another block: in a cross-tab such a heading is a value of a level.
    """
    if block.is_list:
        return block.names.field_of(heads.joined)
    # In a cross-tab a heading that reaches over many columns names none of them.
    for text in heads.own:
        field = block.names.field_of(text)
        if field is None or field in (*block.across, *block.value):
            continue
        if not (numeric and field in block.foreign):
            return field
    return None


def _beside(
    place: Headings,
    block: BlockPlan,
    column: int,
    field: str,
    heads: HeadingsOver,
    taken: Mapping[str, int],
) -> Decided:
    if field not in block.filled and field not in taken:
        return Column(column, ColumnKind.BESIDE, field, (heads.joined or heads.own[0],)), None
    filler = _filler(place, block, field, taken)
    # Two sources for one field: whichever was taken, the other's values would be lost.
    where = place.address(place.bottom, column)
    finding = HEADING_TAKEN(where, field=field, heading=heads.joined or heads.own[0], filler=filler)
    return _unknown(column, filled(Why.FIELD_FILLED, {"field": field, "filler": filler})), finding


def _filler(place: Headings, block: BlockPlan, field: str, taken: Mapping[str, int]) -> str:
    index = dict(place.stub).get(field, taken.get(field))
    if index is None:
        return block.filled[field]
    return filled(Why.FILLED_BY_COLUMN, {"cell": place.address(place.bottom, index)})


def _because(column: int, cause: ColumnReason, kind: ColumnKind = ColumnKind.UNKNOWN) -> Column:
    return Column(column, kind, why=cause.value, cause=cause)


def _unknown(column: int, why: str) -> Column:
    return Column(column, ColumnKind.UNKNOWN, why=why)
