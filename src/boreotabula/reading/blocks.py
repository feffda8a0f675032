"""The blocks of a sheet, settled: where each is, and what its columns and rows are.

This is the only place where that is decided: extracting, listing headings, showing a tab and
looking for unchosen tabs all call it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding, Spot
from boreotabula.findings.subjects.headings import LEVEL_ROW_REFUSED
from boreotabula.findings.subjects.tables import BLOCK_NOT_FOUND, BLOCKS_OVERLAP
from boreotabula.reading.cells import cell_text, is_figure
from boreotabula.reading.columns.decide import AboutColumns, decide_columns
from boreotabula.reading.columns.findings import beyond_gap, without_heading
from boreotabula.reading.columns.kinds import Column, ColumnKind, ColumnReason, Columns
from boreotabula.reading.locate.captions import captions_of
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.place import (
    Place,
    bounded,
    bounded_by_turned,
    same_table,
    turned_bounded,
)
from boreotabula.reading.locate.places import find_places
from boreotabula.reading.plan import BlockPlan, FormPlan, Plan
from boreotabula.reading.rows.findings import about_lines
from boreotabula.reading.rows.kinds import classify_rows
from boreotabula.reading.rows.table_rows import TableRows, carried, limited
from boreotabula.reading.stamps.read import Stamped, read_stamps
from boreotabula.reading.stamps.search import StampSearch
from boreotabula.reading.stamps.sources import Surroundings
from boreotabula.reading.totals.figures import Figures
from boreotabula.reading.totals.unnamed import without_unnamed_totals
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class TabSource:
    """Where a tab is from: its file's path, and what is known of it besides its cells."""

    file: str = ""
    around: Surroundings = field(default_factory=Surroundings)
    blocks: Mapping[str, Mapping[str, str]] | None = None
    """For blocks that choose their own tabs: those that chose this one, with what its name gave."""
    shared: bool = True
    """Whether blocks that make no choice of their own read the tab."""


@dataclass(frozen=True)
class SettledBlock:
    """A block at one of its places; `view` is the sheet unturned or turned."""

    block: BlockPlan
    view: Sheet
    place: Place
    columns: Columns
    table: TableRows
    stamped: Stamped
    scoped_findings: tuple[ScopedFinding, ...]
    """Findings about its columns and rows."""
    summed: tuple[tuple[Columns, TableRows], ...]
    """The rows that its printed totals may sum up: the records, or also those that rules leave out.
    """

    @property
    def frame(self) -> TableFrame:
        """The rows and columns that it covers on the unturned sheet.

        Columns at its edges do not count if they are empty, or hold only occasional remarks beside
        the records.
        """
        every = self.columns.every
        at_edge = [self._at_edge(column) for column in every]
        # A remark beside the table must not stretch it: cells there are told as outside.
        first = next((index for index, edge in enumerate(at_edge) if not edge), 0)
        last = next((index for index, edge in enumerate(at_edge[::-1]) if not edge), 0)
        rows = range(max(self.place.top, 0), self.table.last + 1)
        columns = range(every[first].column, every[-1 - last].column + 1)
        return TableFrame(columns, rows) if self.view.turned else TableFrame(rows, columns)

    def _at_edge(self, column: Column) -> bool:
        """Whether a column could be left out at an edge of the table."""
        # What the layout knows is never cut off.
        if column.kind is not ColumnKind.UNKNOWN:
            return False
        # Headings alone do not make a column a part of the table.
        below = range(self.place.bottom + 1, self.table.last + 1)
        filled = _filled_rows(self.view, column.column, below)
        return not filled or _remarks(self.view, column, filled, self.table)


def _filled_rows(view: Sheet, column: int, among: range) -> list[int]:
    """The rows where a column is filled."""
    filled_rows: list[int] = np.flatnonzero(view.filled[among.start : among.stop, column]).tolist()
    return [row + among.start for row in filled_rows]


def _remarks(view: Sheet, column: Column, filled: Sequence[int], table: TableRows) -> bool:
    """Whether a column without a heading at the edge of the table holds only occasional remarks;
    `filled` are the rows where it is filled."""
    if column.cause is not ColumnReason.UNHEADED:
        return False
    texts = not any(is_figure(view, view.rows[row][column.column]) for row in filled)
    # A figure is never a remark, and a column that most rows fill is a column of the table.
    return texts and (len(filled) == 1 or 2 * len(filled) < len(table.records))


@dataclass(frozen=True)
class SettledView:
    """All blocks that are read on the unturned sheet, or on the turned one."""

    view: Sheet
    blocks: tuple[SettledBlock, ...]
    scoped_findings: tuple[ScopedFinding, ...]
    """Findings about their places, and about stamps."""
    stamped: tuple[Stamped, ...]


def settle_blocks(sheet: Sheet, plan: Plan, form: FormPlan, source: TabSource) -> list[SettledView]:
    """Find the blocks of a form on a sheet, and decide what each of their columns and rows is."""
    blocks = wanted_blocks(form, source)
    views: list[Sheet] = []
    placed: list[list[_Placed]] = []
    groups: list[list[ScopedFinding]] = []
    # A tab can have tables of both kinds: each is looked for on its own view.
    for turned in (False, True):
        group = [block for block in blocks if block.turned is turned]
        if group:
            views.append(sheet.turn() if turned else sheet)
            result, scoped_findings = _placed(views[-1], plan, group)
            placed.append(result)
            groups.append(scoped_findings)
    if len(placed) > 1:
        # Where one kind follows the other, each ends where the next one begins.
        upright, across = ([place for _, place in one] for one in placed)
        placed = [
            [(block, bounded_by_turned(place, across)) for block, place in placed[0]],
            [(block, turned_bounded(place, upright)) for block, place in placed[1]],
        ]
    return [
        _settle_view(sheet, plan, form, source, _PlacedView(*placed_view))
        for placed_view in zip(views, placed, groups, strict=True)
    ]


_Placed = tuple[BlockPlan, Place]
"""A block, and one of its places."""


def wanted_blocks(form: FormPlan, source: TabSource) -> list[BlockPlan]:
    """The blocks of a form that are read on a tab."""
    return [block for block in form.blocks if _wanted(block, source)]


def _wanted(block: BlockPlan, source: TabSource) -> bool:
    if block.tabs is None:
        return source.shared
    return source.blocks is not None and block.key in source.blocks


@dataclass(frozen=True)
class _PlacedView:
    """A view of a sheet, the blocks that stand on it, and the findings about their places."""

    view: Sheet
    placed: Sequence[_Placed]
    scoped_findings: Sequence[ScopedFinding]


def _settle_view(
    sheet: Sheet, plan: Plan, form: FormPlan, source: TabSource, placed_view: _PlacedView
) -> SettledView:
    """Settle the blocks of one view. Stamps come before rows, so that their cells are already
    claimed."""
    view, placed = placed_view.view, placed_view.placed
    # Then each place has stamps of its own, those nearest to it.
    each = any(block.repeat for block, _ in placed)
    frames = [place for _, place in placed]
    search = StampSearch(sheet, form.sources, source.around, frames, turned=view.turned)

    def stamped_at(block: BlockPlan | None, place: Place | None) -> Stamped:
        search.place, search.near = place, place if each else None
        own = block.sources if block else ()
        caption = place.caption if place else None
        return read_stamps(sheet, plan, (*form.stamps, *own), source.around, search, caption)

    # Most tabs have one set of stamps: it is read once.
    alone = not each and not any(_has_own_stamps(form, *one) for one in placed)
    stamps = [stamped_at(None, None)] if alone else [stamped_at(*one) for one in placed]
    claimed_cells = frozenset(spot for stamp in stamps for spot in stamp.claimed_cells)
    if view.turned:
        # Stamps are found on the sheet as it lies, rows on the turned one.
        claimed_cells = frozenset((column, row) for row, column in claimed_cells)
    settled = tuple(
        _settle(view, plan, block, place, stamped, claimed_cells)
        for (block, place), stamped in zip(
            placed, stamps * len(placed) if alone else stamps, strict=True
        )
    )
    return SettledView(view, settled, tuple(placed_view.scoped_findings), tuple(stamps))


def _has_own_stamps(form: FormPlan, block: BlockPlan, place: Place) -> bool:
    """Whether a table has stamps of its own, which others of the tab may lack or have with other
    values."""
    of_table = any(source.from_ in ("stub head", "table title") for source in form.sources)
    return of_table or bool(block.sources) or place.caption is not None


def _placed(
    view: Sheet, plan: Plan, blocks: Sequence[BlockPlan]
) -> tuple[list[_Placed], list[ScopedFinding]]:
    """Blocks with the places where they are, each bounded by the others."""
    # All first, as each is bounded by the others.
    captions = [caption.spot for block in blocks for caption in captions_of(view, block)]
    result = [(block, *find_places(view, block, captions)) for block in blocks]
    placed: list[_Placed] = []
    scoped_findings = [
        scoped_finding
        for block, _, scoped_findings in result
        for scoped_finding in scoped_findings
        # What may be missing is not missed; what is there instead is told by where it is.
        if not (block.optional and scoped_finding.finding.kind == BLOCK_NOT_FOUND)
    ]
    for block, places, _ in result:
        for place in places:
            # Read twice, every value would be there twice.
            if any(same_table(other_place, place) for _, other_place in placed):
                scoped_findings.append(ScopedFinding(_read_already(view, place), WHOLE, WHOLE))
            else:
                placed.append((block, place))
    # Only now: a place is bounded by those of all blocks.
    frames = bounded([place for _, place in placed])
    return [
        (block, frame) for (block, _), frame in zip(placed, frames, strict=True)
    ], scoped_findings


def _read_already(view: Sheet, place: Place) -> Finding:
    where = view.address(max(place.top, 0), place.left)
    return BLOCKS_OVERLAP(where, place=where)


def _settle(
    view: Sheet,
    plan: Plan,
    block: BlockPlan,
    place: Place,
    stamped: Stamped,
    claimed_cells: frozenset[Spot],
) -> SettledBlock:
    # Columns before rows: what a row holds is asked of its known columns.
    columns, about = decide_columns(view, place, plan, block)
    apart = classify_rows(view, place, columns, claimed_cells)
    # Before carrying down: a total must not give its label to the records below.
    settled = without_unnamed_totals(view, place, columns, apart, plan)
    columns = settled.columns
    every = carried(view, columns, settled.table)
    amounts = _amounts(view, columns, every, plan) if block.largest else {}
    table = limited(every, view, block, amounts)
    summed = [(columns, every)]
    if block.visible_only and (view.hidden_rows or view.hidden_columns):
        # A spreadsheet program sums up hidden cells or not: either is right.
        summed = [
            (columns, table),
            *_with_hidden(view, plan, block.with_hidden, place, claimed_cells),
        ]
    scoped_findings = (
        *_refused_rows(view, block, place, columns),
        *_about_columns(view, place, columns, about, table, claimed_cells),
        *settled.scoped_findings,
        *about_lines(view, place, columns, table),
    )
    return SettledBlock(
        block=block,
        view=view,
        place=place,
        columns=columns,
        table=table,
        stamped=stamped,
        scoped_findings=scoped_findings,
        summed=tuple(summed),
    )


def _amounts(view: Sheet, columns: Columns, table: TableRows, plan: Plan) -> Mapping[int, float]:
    """The number of each record row in the field by which the largest are reported; in a cross-tab
    the sum of its values."""
    assert columns.block.largest is not None
    field = columns.block.largest.by
    places = [column.column for column in columns.every if column.field == field]
    figures = Figures(view, columns, plan, table)
    numbers = figures.part(table.records, places).sum(axis=1).tolist()
    return dict(zip(table.records, numbers, strict=True))


def _refused_rows(
    view: Sheet, block: BlockPlan, place: Place, columns: Columns
) -> Iterator[ScopedFinding]:
    """Rows among the headings that are not a heading level."""
    for row, why in place.refused.items():
        column = next(
            column for column in range(columns.left, view.width) if view.rows[row][column] != ""
        )
        level = next((field for field in block.across), "")
        finding = LEVEL_ROW_REFUSED(
            view.address(row, column),
            field=level,
            row=view.row_called(row),
            why=why,
            text=cell_text(view.rows[row][column]),
        )
        yield ScopedFinding(finding, [row], WHOLE)


def _with_hidden(
    view: Sheet, plan: Plan, block: BlockPlan, place: Place, claimed_cells: frozenset[Spot]
) -> Iterator[tuple[Columns, TableRows]]:
    """The columns and rows of a block, including hidden ones."""
    columns, _ = decide_columns(view, place, plan, block)
    apart = classify_rows(view, place, columns, claimed_cells)
    settled = without_unnamed_totals(view, place, columns, apart, plan)
    yield settled.columns, carried(view, settled.columns, settled.table)


def _about_columns(
    view: Sheet,
    place: Place,
    columns: Columns,
    about: AboutColumns,
    table: TableRows,
    claimed_cells: frozenset[Spot],
) -> Iterator[ScopedFinding]:
    """Findings about columns, once the rows of the table are known.

    A column that is empty in those rows has none.
    """
    rows = range(max(place.top, 0), table.last + 1)
    below = range(place.bottom + 1, table.last + 1)
    kinds = {column.column: column.kind for column in columns.every}
    for column, finding in about:
        if column is None:
            yield ScopedFinding(finding)
        # A heading over nothing is no loss: nothing is said of it.
        elif not view.column_filled(column, below.start, below.stop):
            continue
        elif kinds[column] is ColumnKind.UNKNOWN:
            yield ScopedFinding(finding, rows, [column], lapses=True)
        # Of those, one finding is told already.
        elif kinds[column] is not ColumnKind.LIKE_TOTAL:
            yield ScopedFinding(finding)
    for one in columns.of(ColumnKind.UNKNOWN):
        if one.cause in (ColumnReason.UNHEADED, ColumnReason.UNNAMED):
            filled = _filled_rows(view, one.column, below)
            if filled and not _remarks(view, one, filled, table):
                finding = without_heading(view, place, one, filled[0], len(filled))
                yield ScopedFinding(finding, rows, [one.column], lapses=True)
    leave_out = columns.block.beside == "leave out"
    yield from beyond_gap(
        view, place, columns.right, table.last, claimed_cells, leave_out=leave_out
    )
