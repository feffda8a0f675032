"""Places found by headings, wherever they stand: those of the stub, or of any field of a list."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding, Spot
from boreotabula.findings.subjects.headings import HEADING_TWICE
from boreotabula.findings.subjects.tables import BLOCK_FOUND_TWICE, BLOCK_NOT_FOUND, LIST_NOT_FOUND
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.locate.frame import TableFrame
from boreotabula.reading.locate.heading_rows import (
    HeadingRows,
    heading_rows,
    is_row_of,
    names_stamp,
)
from boreotabula.reading.locate.place import Found, Place, missing_stubs
from boreotabula.reading.plan import BlockPlan
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class _Hit:
    """A cell that holds one of the headings by which the block is found."""

    row: int
    column: int
    field: str


@dataclass(frozen=True)
class _Window:
    """As many rows as the block has heading levels, starting with a row that holds a hit."""

    row: int
    hits: tuple[_Hit, ...]

    @property
    def spots(self) -> list[Spot]:
        return [_spot(hit) for hit in self.hits]

    @property
    def fields(self) -> set[str]:
        return {hit.field for hit in self.hits}

    @property
    def rank(self) -> tuple[int, int]:
        """More fields win; then more of them in the first row, so that a label above loses."""
        return len(self.fields), len({hit.field for hit in self.hits if hit.row == self.row})


def only_place(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """The place in a part of the sheet that holds most of the headings."""
    depth = max(block.depth, 1)
    windows = list(_windows(list(_hits(sheet, block, area)), depth))
    # Of equal windows the upper one: forms carry their headings above, and copies below.
    best = max(windows, key=lambda window: (window.rank, -window.row), default=None)
    if best is None or not _enough(best, block):
        return [], [ScopedFinding(_not_found(sheet, block, best), WHOLE, WHOLE)]
    marks, twice = _columns(best)
    right = max(marks.values())
    # The same heading further right begins a table beside this one: its columns are not ours.
    limit = min((hit.column for hit in twice if hit.column > right + 1), default=None)
    rows = heading_rows(sheet, best.spots, marks, block, area)
    part = area if limit is None else TableFrame(area.rows, range(area.columns.start, limit))
    place = _place(block, marks, rows, part)
    other_windows = list(_others(windows, best, place))
    copies = _copies(sheet, block, place, other_windows)
    # Headings that only come again belong to this table; other ones are a second table.
    second = [window for window in other_windows if not copies & {hit.row for hit in window.hits}]
    tops = {window: _top(sheet, window, block, area) for window in second}
    # What is below the headings of another table must not become records of this one.
    end = min((top for window, top in tops.items() if window.row > place.bottom), default=place.end)
    scoped_findings = [
        *(ScopedFinding(finding) for finding in (*missing_stubs(sheet, block, place), *rows.doubt)),
        *(
            ScopedFinding(
                _heading_twice(sheet, hit, marks, best),
                range(place.top, sheet.height),
                range(hit.column, sheet.width),
                # It lapses if another block reads those cells: then nothing of them is lost.
                lapses=True,
            )
            for hit in twice
            if hit.column == limit
        ),
        *(
            ScopedFinding(
                _second_place(sheet, window, best),
                range(top, sheet.height) if top > place.bottom else range(top, place.top),
                WHOLE,
                lapses=True,
            )
            for window, top in tops.items()
        ),
    ]
    return [replace(place, end=end, copies=copies)], scoped_findings


def repeated_places(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Found:
    """Every place that holds the headings, stacked or side by side, row by row."""
    depth = max(block.depth, 1)
    windows = list(_windows(list(_hits(sheet, block, area)), depth))
    places: list[Place] = []
    scoped_findings: list[ScopedFinding] = []
    for window in windows:
        for part in _side_by_side(window):
            marks, _ = _columns(part)
            columns = set(marks.values())
            taken = any(
                place.top <= part.row <= place.bottom and columns & set(place.marks.values())
                for place in places
            )
            # A cover row with one of the headings must not begin a table of its own.
            if taken or not _enough(part, block) or not _leads(part, windows):
                continue
            before = max(
                (
                    index
                    for index, place in enumerate(places)
                    if columns & set(place.marks.values())
                ),
                default=None,
            )
            # Headings printed again on a new page are no new table: its records go on below them.
            if before is not None and (rows := _continuing(sheet, block, places[before], part)):
                known_place = places[before]
                places[before] = replace(known_place, copies=known_place.copies | rows)
                continue
            # Rows of the table above must not be taken for heading levels of this one.
            above = None if before is None else places[before]
            result = heading_rows(sheet, part.spots, marks, block, area, above)
            place = _place(block, marks, result, area)
            places.append(replace(place, lead=_lead(sheet, block, place, above)))
            scoped_findings += map(
                ScopedFinding, (*missing_stubs(sheet, block, place), *result.doubt)
            )
    if not places:
        best = max(windows, key=lambda w: w.rank, default=None)
        return [], [ScopedFinding(_not_found(sheet, block, best), WHOLE, WHOLE)]
    return places, scoped_findings


def _lead(sheet: Sheet, block: BlockPlan, place: Place, above: Place | None) -> int | None:
    """The topmost row above the headings of a place that holds its title or a label of its stamps.

    Only such rows and titles may stand between. They begin this table, and end the one above.
    """
    if above is None:
        return None
    lead = None
    for row in range(place.top - 1, above.bottom, -1):
        cells = [cell for cell in sheet.rows[row][place.left : place.limit] if cell != ""]
        titles = block.titled and lead is None and len(cells) == 1
        if titles or any(names_stamp(cell, block) for cell in cells):
            lead = row
        elif len(cells) != 1:
            break
    return lead


def _place(
    block: BlockPlan, marks: Mapping[str, int], rows: HeadingRows, area: TableFrame
) -> Place:
    stub = {field: column for field, column in marks.items() if field in block.stub}
    return Place(
        rows.top,
        rows.bottom,
        stub,
        marks,
        area.rows.stop,
        area.columns.stop,
        min(marks.values()),
        levels=rows.levels,
        refused=rows.refused,
    )


def _enough(window: _Window, block: BlockPlan) -> bool:
    """Whether a window holds enough of the headings: half of a stub's, otherwise two (or the only
    one)."""
    if block.stub:
        # One heading renamed must not hide a table; but one found alone is no table yet.
        return 2 * len(window.fields) >= len(block.stub)
    return len(window.fields) >= min(2, len(block.marks))


def _copies(
    sheet: Sheet, block: BlockPlan, place: Place, windows: Sequence[_Window]
) -> frozenset[int]:
    """The rows below a place that repeat its headings."""
    copies: frozenset[int] = frozenset()
    for window in windows:
        copies |= _continuing(sheet, block, place, window)
    return copies


def _continuing(sheet: Sheet, block: BlockPlan, place: Place, window: _Window) -> frozenset[int]:
    """The rows of a window if they repeat headings inside a place, so that the place continues
    below.

    All heading rows may be repeated, unless the block repeats: then that is a new place. Or the
    lowest alone is repeated, right below a row of the place, each filled cell the heading of its
    column.
    """
    row = min(hit.row for hit in window.hits)
    # Above, it would be a level of the headings, and not a copy of them.
    if row <= place.bottom:
        return frozenset()
    shift = row - _first_marked(sheet, place)
    levels = range(place.top, place.bottom + 1)
    # Compared in normal form: copies are often typed anew, in other case or spacing.
    whole = all(
        _forms(sheet, level, place) == _forms(sheet, level + shift, place) for level in levels
    )
    if whole and not block.repeat:
        return frozenset(level + shift for level in levels)
    lowest = max(hit.row for hit in window.hits)
    # Of headings of one level the lowest alone is the whole: that was asked above.
    alone = place.depth > 1 or block.repeat
    if (
        alone
        and is_row_of(sheet, block, place, lowest - 1)
        and not (block.repeat and _title_between(sheet, block, place, lowest))
        and _repeats_lowest(sheet, place, lowest)
    ):
        return frozenset((lowest,))
    return frozenset()


def _title_between(sheet: Sheet, block: BlockPlan, place: Place, end: int) -> bool:
    """Whether a row of a place, above `end`, could be the title of a table or one of its stamps.

    Then it fills one cell where the first record fills more, or holds the label of a stamp.
    """
    first = place.bottom + 1 + block.under_headings
    columns = slice(place.left, place.limit)
    counts = np.count_nonzero(sheet.filled[first:end, columns], axis=1)
    # The layout knows rows that name groups: they are no titles.
    alone = counts[0] > 1 and not block.group_row and bool((counts[1:] == 1).any())
    return alone or any(
        names_stamp(cell, block)
        for row in range(first, end)
        for cell in sheet.rows[row][columns]
        if cell != ""
    )


def _first_marked(sheet: Sheet, place: Place) -> int:
    """The first heading row of a place that is filled in a column by which it was found."""
    rows = range(place.top, place.bottom + 1)
    columns = place.marks.values()
    return next(
        (row for row in rows if any(sheet.rows[row][column] != "" for column in columns)), rows[0]
    )


def _repeats_lowest(sheet: Sheet, place: Place, row: int) -> bool:
    """Whether each filled cell of a row equals the lowest heading of its column."""
    texts, lowest = _forms(sheet, row, place), _forms(sheet, place.bottom, place)
    return any(texts) and all(form in ("", head) for form, head in zip(texts, lowest, strict=True))


def _leads(part: _Window, windows: Sequence[_Window]) -> bool:
    """Whether no window that begins lower, within this one, holds more of the headings."""
    rows = {hit.row for hit in part.hits}
    columns = {hit.column for hit in part.hits}
    return not any(
        len({hit.field for hit in window.hits if hit.column in columns}) > len(part.fields)
        for window in windows
        if window.row > part.row and window.row in rows
    )


def _side_by_side(window: _Window) -> Iterator[_Window]:
    """Split a window where a heading is repeated: these are blocks side by side."""
    # From left to right, so that headings of one table stay together.
    group: list[_Hit] = []
    for hit in sorted(window.hits, key=lambda hit: (hit.column, hit.row)):
        if any(one.field == hit.field and one.column != hit.column for one in group):
            yield _Window(min(hit.row for hit in group), tuple(group))
            group = []
        group.append(hit)
    if group:
        yield _Window(min(hit.row for hit in group), tuple(group))


def _hits(sheet: Sheet, block: BlockPlan, area: TableFrame) -> Iterator[_Hit]:
    names = block.names
    # Each text is looked up once: most of a sheet's texts repeat, and are no headings.
    texts = names.fields_in({text for _, _, text in sheet.texts()})
    joined = _last_parts(block) if block.is_list and block.depth > 1 else {}
    marks = {text: field for text, field in texts.items() if field in block.marks}
    for row, column, text in sheet.texts():
        field = marks.get(text)
        # Most texts are no headings, so where they stand is asked last.
        if field is None and joined and normal_form(text) in joined:
            # The field is known by several levels as one: those above must be there, too.
            whole = " / ".join((*_texts_above(sheet, row, column, block.depth), text))
            field = names.field_of(whole)
            field = field if field in block.marks else None
        if field is not None and row in area.rows and column in area.columns:
            yield _Hit(row, column, field)


def _last_parts(block: BlockPlan) -> frozenset[str]:
    """The lowest headings of the fields that are known by headings of several levels."""
    marks = frozenset(block.marks)
    every = block.names.by_form.items()
    return frozenset(form.rpartition(" / ")[2] for form, field in every
                     if field in marks and " / " in form)  # fmt: skip


def _texts_above(sheet: Sheet, row: int, column: int, depth: int) -> list[str]:
    """The headings over a cell, top to bottom: the cell above, or the next filled one to its
    left.
    """
    texts: list[str] = []
    for above in range(max(row - depth + 1, 0), row):
        spot = sheet.anchor(above, column)
        cell = sheet.cell(*spot) if spot != (above, column) else ""
        left = (column for column in range(column, -1, -1) if sheet.rows[above][column] != "")
        cell = cell or sheet.rows[above][next(left, column)]
        if cell != "":
            texts.append(cell_text(cell))
    return texts


def _windows(hits: Sequence[_Hit], depth: int) -> Iterator[_Window]:
    for row in dict.fromkeys(hit.row for hit in hits):
        yield _Window(row, tuple(hit for hit in hits if row <= hit.row < row + depth))


def _columns(window: _Window) -> tuple[dict[str, int], list[_Hit]]:
    """The column of each field (the leftmost in its first row), and hits beyond that."""
    marks: dict[str, int] = {}
    hits = sorted(window.hits, key=_spot)
    for hit in hits:
        # The leftmost: a second one is told, not read.
        marks.setdefault(hit.field, hit.column)
    return marks, [hit for hit in hits if marks[hit.field] != hit.column]


def _top(sheet: Sheet, window: _Window, block: BlockPlan, area: TableFrame) -> int:
    """The first heading row of a place that is not read."""
    return heading_rows(sheet, window.spots, _columns(window)[0], block, area).top


def _others(windows: Sequence[_Window], best: _Window, place: Place) -> Iterator[_Window]:
    """Further places that hold at least half of the headings, and two if there are two."""
    enough = max((len(best.fields) + 1) // 2, min(2, len(best.fields)))
    last = -1
    for window in windows:
        final = max(hit.row for hit in window.hits)
        # Windows overlap by nature: each begins a row below the one before.
        apart = window.row > max(place.bottom, last) or last < final < place.top
        if apart and len(window.fields) >= enough:
            last = final
            yield window


def _forms(sheet: Sheet, row: int, place: Place) -> list[str]:
    if row >= sheet.height:
        return []
    cells = sheet.rows[row][place.left : place.limit]
    return [normal_form(cell_text(cell)) for cell in cells]


def _not_found(sheet: Sheet, block: BlockPlan, best: _Window | None) -> Finding:
    hits: Iterable[_Hit] = best.hits if best else ()
    kind = BLOCK_NOT_FOUND if block.stub else LIST_NOT_FOUND
    existing_texts = [f"{hit.field} in {sheet.address(hit.row, hit.column)}" for hit in hits]
    return kind(marks=", ".join(block.marks), there=", ".join(existing_texts))


def _heading_twice(sheet: Sheet, hit: _Hit, stub: Mapping[str, int], window: _Window) -> Finding:
    row = next(
        one.row for one in window.hits if (one.field, one.column) == (hit.field, stub[hit.field])
    )
    first, second = sheet.address(row, stub[hit.field]), sheet.address(hit.row, hit.column)
    return HEADING_TWICE(second, field=hit.field, first=first)


def _second_place(sheet: Sheet, window: _Window, best: _Window) -> Finding:
    first, second = min(best.hits, key=_spot), min(window.hits, key=_spot)
    return BLOCK_FOUND_TWICE(
        sheet.address(second.row, second.column),
        first=sheet.address(first.row, first.column),
        row=sheet.row_called(best.row),
        other_row=sheet.row_called(window.row),
    )


def _spot(hit: _Hit) -> Spot:
    return hit.row, hit.column
