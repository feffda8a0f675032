"""Where blocks stand on a sheet: found by the headings of their stub columns, wherever they are,
or given by an address, by a table object of the workbook, or by the first filled row."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.layout.patterns import first_match
from boreotabula.reading.convert import cell_text
from boreotabula.reading.findings import Finding
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Sheet, TableObject


@dataclass(frozen=True)
class Place:
    """The frame of a block. Rows and columns counted from 0; `end` and `limit` are not in it."""

    top: int
    """First heading row."""
    bottom: int
    """Last heading row; the row above `top` if there are no heading rows."""
    stub: Mapping[str, int]
    """The column of each stub field that was found."""
    end: int
    """The first row that can no longer be part of the block."""
    limit: int
    """The first column that can no longer be part of the block."""
    left: int
    """The column of the leftmost stub, or of the first heading cell where that is given."""
    fixed: bool = False
    """Whether the block begins just at `left`: columns further left are no part of it."""
    repeats: tuple[int, ...] = ()
    """First rows of further copies of the heading rows, inside the block."""
    totals_from: int | None = None
    """The first row that a table object sets apart for its totals."""

    @property
    def depth(self) -> int:
        """Number of heading rows."""
        return self.bottom - self.top + 1

    @property
    def last_stub(self) -> int:
        """The rightmost stub column; the column before `left` if there is none."""
        return max(self.stub.values(), default=self.left - 1)


Found = tuple[list[Place], list[Finding]]
"""The places of a block, and what is missing or doubtful about them."""


def find_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """Where a block stands: one place, several if it repeats, none if it is not there."""
    if block.named_table:
        return _table_places(sheet, block, names)
    if block.at is not None:
        row, column = block.at if not sheet.turned else block.at[::-1]
        return _given_place(sheet, block, names, row, column)
    if block.columns:
        return _first_filled(sheet, block, names)
    if block.repeat:
        return _repeated_places(sheet, block, names)
    return _only_place(sheet, block, names)


def bounded(places: Sequence[Place]) -> list[Place]:
    """Places of one sheet, each ending where the next one begins."""
    return [_bounded(one, places) for one in places]


def _bounded(place: Place, places: Sequence[Place]) -> Place:
    limit = place.limit
    fixed = place.fixed
    for other in places:
        beside = other.top <= place.bottom and place.top <= other.bottom
        if other is place or not beside:
            continue
        if other.left > place.last_stub:
            limit = min(limit, other.left)
        elif other.left < place.left:
            fixed = True
    below = [
        other.top
        for other in places
        if other is not place
        and other.top > place.bottom
        and other.left < limit
        and place.left < other.limit
    ]
    return replace(place, limit=limit, fixed=fixed, end=min([place.end, *below]))


# --- given places -------------------------------------------------------------------------------


def _given_place(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, row: int, column: int
) -> Found:
    """The place whose top left heading cell is given."""
    if row >= sheet.height or column >= sheet.width:
        where = sheet.address(row, column)
        return [], [_nothing_there(block, f"nothing stands at {where} or beyond it", where)]
    place = Place(
        top=row,
        bottom=row + block.depth - 1,
        stub=_stub_in(sheet, block, names, range(row, row + block.depth), column, sheet.width),
        end=sheet.height,
        limit=sheet.width,
        left=column,
        fixed=True,
    )
    return [place], list(_missing(sheet, block, place))


def _first_filled(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """A block whose columns are named by position: it begins with the first filled row."""
    at = sheet.filled.find(1)
    if at < 0:
        return [], [_nothing_there(block, "nothing stands on this tab", "")]
    row = at // sheet.width
    first = min(
        place % sheet.width for place in range(len(sheet.filled)) if sheet.filled[place] == 1
    )
    return _given_place(sheet, block, names, row, first)


def _table_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """The table objects whose names match."""
    chosen = [one for one in sheet.tables if first_match(block.named_table, one.name) is not None]
    if not chosen:
        seen = ", ".join(one.name for one in sheet.tables) or "no table object"
        wanted = ", ".join(one.text for one in block.named_table)
        finding = _nothing_there(block, f"no table object of this tab matches {wanted}", "")
        return [], [replace(finding, looked_for=wanted, found=seen)]
    places = [_table_place(sheet, block, names, one) for one in chosen]
    missing = [finding for place in places for finding in _missing(sheet, block, place)]
    return places, missing


def _table_place(sheet: Sheet, block: BlockPlan, names: HeadingNames, table: TableObject) -> Place:
    """The frame of a table object; upper heading levels stand above it."""
    top = table.top
    first = max(top - (block.depth - table.heading_rows), 0) if table.heading_rows else top
    bottom = top + table.heading_rows - 1
    end = min(table.bottom + 1, sheet.height)
    rows = range(first, bottom + 1)
    return Place(
        top=first,
        bottom=bottom,
        stub=_stub_in(sheet, block, names, rows, table.left, table.right + 1),
        end=end,
        limit=min(table.right + 1, sheet.width),
        left=table.left,
        fixed=True,
        totals_from=table.bottom + 1 - table.totals_rows if table.totals_rows else None,
    )


def _stub_in(
    sheet: Sheet, block: BlockPlan, names: HeadingNames, rows: range, left: int, limit: int
) -> dict[str, int]:
    """The stub columns in given heading rows; by position where the columns are named so."""
    if block.columns:
        return {
            field: left + at
            for at, field in enumerate(block.columns)
            if field in block.stub and left + at < sheet.width
        }
    found: dict[str, int] = {}
    for row in rows:
        for column, text in sheet.texts[row] if row < sheet.height else ():
            field = names.field_of(text)
            if field in block.stub and field is not None and left <= column < limit:
                found.setdefault(field, column)
    return found


def _nothing_there(block: BlockPlan, why: str, cell: str) -> Finding:
    return Finding(
        "block-not-found",
        f"{why}, so nothing was read from the table",
        "Compare the tab with the layout; if it is no such form, leave it out in [tabs].",
        cell=cell,
        looked_for=", ".join(block.stub) or "the table",
        found="nothing",
    )


# --- places found by stub headings --------------------------------------------------------------


@dataclass(frozen=True)
class _Hit:
    """A cell that holds a stub heading."""

    row: int
    column: int
    field: str


@dataclass(frozen=True)
class _Window:
    """As many rows as the block has heading levels, beginning with one that holds a hit."""

    row: int
    hits: tuple[_Hit, ...]

    @property
    def fields(self) -> set[str]:
        return {hit.field for hit in self.hits}

    @property
    def rank(self) -> tuple[int, int]:
        """More fields win; then more of them on the first row, so that a label above loses."""
        return len(self.fields), len({hit.field for hit in self.hits if hit.row == self.row})


def _only_place(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    depth = max(block.depth, 1)
    windows = list(_windows(list(_hits(sheet, block, names)), depth))
    best = max(windows, key=lambda one: (one.rank, -one.row), default=None)
    if best is None or 2 * len(best.fields) < len(block.stub):
        return [], [_not_found(sheet, block, best)]
    stub, twice = _columns(best)
    top, bottom, doubt = _heading_rows(sheet, best, stub, depth)
    limit = min((hit.column for hit in twice if hit.column > max(stub.values()) + 1), default=None)
    place = Place(
        top,
        bottom,
        stub,
        sheet.height,
        sheet.width if limit is None else limit,
        min(stub.values()),
    )
    others = list(_others(windows, best, place))
    shifts = {one: one.row - best.row for one in others}
    repeats = [one for one in others if _repeated(sheet, place, shifts[one])]
    second = [one for one in others if one not in repeats]
    place = replace(
        place,
        end=min((_top(sheet, one, depth) for one in second if one.row > bottom), default=place.end),
        repeats=tuple(top + shifts[one] for one in repeats),
    )
    findings = [
        *_missing(sheet, block, place),
        *doubt,
        *(_heading_twice(sheet, hit, stub, best) for hit in twice if hit.column == limit),
        *(_second_place(sheet, one, best) for one in second),
    ]
    return [place], findings


def _repeated_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    """Every place that holds the stub headings, stacked or side by side, row by row."""
    depth = max(block.depth, 1)
    windows = list(_windows(list(_hits(sheet, block, names)), depth))
    places: list[Place] = []
    findings: list[Finding] = []
    for window in windows:
        for part in _side_by_side(window):
            stub, _ = _columns(part)
            taken = any(
                one.top <= part.row <= one.bottom and set(stub.values()) & set(one.stub.values())
                for one in places
            )
            if taken or 2 * len(part.fields) < len(block.stub) or not _leads(part, windows):
                continue
            top, bottom, doubt = _heading_rows(sheet, part, stub, depth)
            place = Place(top, bottom, stub, sheet.height, sheet.width, min(stub.values()))
            places.append(place)
            findings += [*_missing(sheet, block, place), *doubt]
    if not places:
        return [], [_not_found(sheet, block, max(windows, key=lambda w: w.rank, default=None))]
    return places, findings


def _leads(part: _Window, windows: Sequence[_Window]) -> bool:
    """Whether no window that begins lower, within this one, holds more of the headings."""
    rows = {hit.row for hit in part.hits}
    columns = {hit.column for hit in part.hits}
    return not any(
        len({hit.field for hit in one.hits if hit.column in columns}) > len(part.fields)
        for one in windows
        if one.row > part.row and one.row in rows
    )


def _side_by_side(window: _Window) -> Iterator[_Window]:
    """A window parted where a heading comes again: blocks that stand beside each other."""
    group: list[_Hit] = []
    for hit in sorted(window.hits, key=lambda one: (one.column, one.row)):
        if any(one.field == hit.field and one.column != hit.column for one in group):
            yield _Window(min(one.row for one in group), tuple(group))
            group = []
        group.append(hit)
    if group:
        yield _Window(min(one.row for one in group), tuple(group))


def _hits(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Iterator[_Hit]:
    known = {
        text: field
        for text in {text for texts in sheet.texts for _, text in texts}
        if (field := names.field_of(text)) in block.stub
    }
    for row, texts in enumerate(sheet.texts):
        for column, text in texts:
            if text in known:
                yield _Hit(row, column, known[text])


def _windows(hits: Sequence[_Hit], depth: int) -> Iterator[_Window]:
    for row in dict.fromkeys(hit.row for hit in hits):
        yield _Window(row, tuple(hit for hit in hits if row <= hit.row < row + depth))


def _columns(window: _Window) -> tuple[dict[str, int], list[_Hit]]:
    """The column of each stub field (the leftmost on its first row), and hits beyond that."""
    stub: dict[str, int] = {}
    hits = sorted(window.hits, key=_spot)
    for hit in hits:
        stub.setdefault(hit.field, hit.column)
    return stub, [hit for hit in hits if stub[hit.field] != hit.column]


def _heading_rows(
    sheet: Sheet, window: _Window, stub: Mapping[str, int], depth: int
) -> tuple[int, int, list[Finding]]:
    """First and last heading row.

    The stub headings may stand on any of them, or be merged over several. Rows that are still
    wanting are looked for below as long as the stub columns are blank there and something stands
    right of them, then above.
    """
    top = min(hit.row for hit in window.hits)
    bottom = max(_merged_bottom(sheet, hit.row, hit.column) for hit in window.hits)
    wanting = depth - (bottom - top + 1)
    if wanting <= 0:
        return top, bottom, [_too_deep(sheet, top, bottom, depth, stub)] if wanting else []
    right = max(stub.values()) + 1
    below = 0
    while below < wanting and _continues(sheet, bottom + below + 1, stub, right):
        below += 1
    above = 0
    while above < wanting and top - above > 0 and _filled_right(sheet, top - above - 1, right):
        above += 1
    if below and above and below + above > wanting:
        return _doubtful_rows(sheet, top, bottom, wanting, right)
    below = min(below, wanting)
    return max(top - (wanting - below), 0), bottom + below, []


def _doubtful_rows(
    sheet: Sheet, top: int, bottom: int, wanting: int, right: int
) -> tuple[int, int, list[Finding]]:
    """Heading rows could lie above or below: the fuller row is the lowest level; said aloud."""
    here = _count_right(sheet, bottom, right)
    goes_down = _count_right(sheet, bottom + 1, right) > here
    rows = (top, bottom + wanting) if goes_down else (max(top - wanting, 0), bottom)
    finding = Finding(
        "heading-rows-doubtful",
        f"the heading levels could begin in {sheet.row_called(top - wanting)} or in"
        f" {sheet.row_called(top)}; {sheet.row_called(rows[0])} was taken",
        "Compare with the sheet; clear the row that is no heading, or merge the stub headings"
        " over all heading rows.",
        cell=sheet.address(rows[0], right),
    )
    return *rows, [finding]


def _too_deep(sheet: Sheet, top: int, bottom: int, depth: int, stub: Mapping[str, int]) -> Finding:
    return Finding(
        "heading-rows-doubtful",
        f"the stub headings reach over {sheet.row_called(top)} to {sheet.row_called(bottom)}, but"
        f" the layout names {depth} heading rows; the lowest were taken for them",
        "Compare `across` (or `heading_rows`) with the sheet: one for each heading row.",
        cell=sheet.address(top, min(stub.values())),
        looked_for=f"{depth} heading rows",
        found=f"{bottom - top + 1} heading rows",
    )


def _merged_bottom(sheet: Sheet, row: int, column: int) -> int:
    for span in sheet.merges:
        if span.top == row and span.left <= column <= span.right:
            return span.bottom
    return row


def _continues(sheet: Sheet, row: int, stub: Mapping[str, int], right: int) -> bool:
    return (
        row < sheet.height
        and all(sheet.rows[row][column] == "" for column in stub.values())
        and _filled_right(sheet, row, right)
    )


def _filled_right(sheet: Sheet, row: int, right: int) -> bool:
    return _count_right(sheet, row, right) > 0


def _count_right(sheet: Sheet, row: int, right: int) -> int:
    cells = sheet.rows[row][right:]
    return len(cells) - list(cells).count("")


def _top(sheet: Sheet, window: _Window, depth: int) -> int:
    """The first heading row of a place that is not read."""
    return _heading_rows(sheet, window, _columns(window)[0], depth)[0]


def _others(windows: Sequence[_Window], best: _Window, place: Place) -> Iterator[_Window]:
    """Further places that hold at least half of the headings, and two if there are two."""
    enough = max((len(best.fields) + 1) // 2, min(2, len(best.fields)))
    last = -1
    for one in windows:
        final = max(hit.row for hit in one.hits)
        apart = one.row > max(place.bottom, last) or last < final < place.top
        if apart and len(one.fields) >= enough:
            last = final
            yield one


def _repeated(sheet: Sheet, place: Place, shift: int) -> bool:
    """Whether all heading rows of the block stand again, in their columns, `shift` rows below."""
    return shift > 0 and all(
        _forms(sheet, row, place) == _forms(sheet, row + shift, place)
        for row in range(place.top, place.bottom + 1)
    )


def _forms(sheet: Sheet, row: int, place: Place) -> list[str]:
    if row >= sheet.height:
        return []
    cells = sheet.rows[row][place.left : place.limit]
    return [normal_form(cell_text(cell)) for cell in cells]


def _not_found(sheet: Sheet, block: BlockPlan, best: _Window | None) -> Finding:
    hits: Iterable[_Hit] = best.hits if best else ()
    seen = ", ".join(f"{hit.field} in {sheet.address(hit.row, hit.column)}" for hit in hits)
    return Finding(
        "block-not-found",
        "no row holds the headings of the stub columns, so nothing was read from the table",
        "If the headings have other names here, add them to `also` or to the glossary; if this tab"
        " is no such form, leave it out with the patterns of [tabs].",
        looked_for=", ".join(block.stub),
        found=seen or "none of them",
    )


def _missing(sheet: Sheet, block: BlockPlan, place: Place) -> Iterator[Finding]:
    for field in block.stub:
        if field not in place.stub:
            yield Finding(
                "stub-heading-missing",
                f"no heading for the stub column “{field}”; it is empty in the records",
                "If the column is there under another heading, add that to `also` of the field or"
                " to the glossary.",
                cell=sheet.address(place.top, place.left),
                looked_for=field,
                found="the headings of " + (", ".join(place.stub) or "other columns"),
            )


def _heading_twice(sheet: Sheet, hit: _Hit, stub: Mapping[str, int], window: _Window) -> Finding:
    row = next(
        one.row for one in window.hits if (one.field, one.column) == (hit.field, stub[hit.field])
    )
    first, second = sheet.address(row, stub[hit.field]), sheet.address(hit.row, hit.column)
    return Finding(
        "heading-twice",
        f"a second heading for “{hit.field}”: the table at {first} ends before it, and what"
        " stands from here on was not read",
        "If the tables stand side by side, write `repeat = true` into [block]; else split them, or"
        " rename the heading that is not meant.",
        cell=second,
        looked_for=f"one column for {hit.field}",
        found=f"columns at {first} and {second}",
    )


def _second_place(sheet: Sheet, window: _Window, best: _Window) -> Finding:
    first, second = min(best.hits, key=_spot), min(window.hits, key=_spot)
    return Finding(
        "block-found-twice",
        "the stub headings stand in two places: the table at"
        f" {sheet.address(first.row, first.column)} was read, the one here was not",
        "If both belong to the form, write `repeat = true` into [block]; else clear the headings"
        " that are not meant, or say which one with `at`.",
        cell=sheet.address(second.row, second.column),
        looked_for="one table",
        found=f"headings in {sheet.row_called(best.row)} and {sheet.row_called(window.row)}",
    )


def _spot(hit: _Hit) -> tuple[int, int]:
    return hit.row, hit.column
