"""Where a block stands on a sheet: found by the headings of its stub columns, wherever they are."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from boreotabula.layout.addresses import address
from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.reading.convert import cell_text
from boreotabula.reading.findings import Finding
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Sheet


@dataclass(frozen=True)
class Place:
    """The frame of a block. Rows and columns counted from 0; `end` and `limit` are not in it."""

    top: int
    """First heading row."""
    bottom: int
    """Last heading row."""
    stub: Mapping[str, int]
    """The column of each stub field that was found."""
    end: int
    """The first row that can no longer be part of the block."""
    limit: int
    """The first column that can no longer be part of the block."""
    repeats: tuple[int, ...] = ()
    """First rows of further copies of the heading rows, inside the block."""

    @property
    def depth(self) -> int:
        """Number of heading rows."""
        return self.bottom - self.top + 1

    @property
    def first_stub(self) -> int:
        """The leftmost stub column."""
        return min(self.stub.values())

    @property
    def last_stub(self) -> int:
        """The rightmost stub column."""
        return max(self.stub.values())


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


def find_place(
    sheet: Sheet, block: BlockPlan, names: HeadingNames
) -> tuple[Place | None, list[Finding]]:
    """The place of the block, and what is doubtful about it; None if too few headings are there."""
    depth = len(block.across)
    windows = list(_windows(list(_hits(sheet, block, names)), depth))
    best = max(windows, key=lambda one: (one.rank, -one.row), default=None)
    if best is None or 2 * len(best.fields) < len(block.stub):
        return None, [_not_found(block, best)]
    stub, twice = _columns(best)
    top, bottom, doubt = _heading_rows(sheet, best, stub, depth)
    limit = min((hit.column for hit in twice if hit.column > max(stub.values()) + 1), default=None)
    place = Place(top, bottom, stub, sheet.height, sheet.width if limit is None else limit)
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
        *_missing(block, stub, top),
        *doubt,
        *(_heading_twice(hit, stub, best) for hit in twice if hit.column == limit),
        *(_second_place(one, best) for one in second),
    ]
    return place, findings


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
        f"the heading levels could begin in row {top + 1 - wanting} or in row {top + 1};"
        f" row {rows[0] + 1} was taken",
        "Compare with the sheet; clear the row that is no heading, or merge the stub headings"
        " over all heading rows.",
        cell=address(rows[0], right),
    )
    return *rows, [finding]


def _too_deep(sheet: Sheet, top: int, bottom: int, depth: int, stub: Mapping[str, int]) -> Finding:
    return Finding(
        "heading-rows-doubtful",
        f"the stub headings reach over rows {top + 1} to {bottom + 1}, but `across` names"
        f" {depth} heading levels; the lowest rows were taken for them",
        "Compare `across` with the sheet: one field for each heading row.",
        cell=address(top, min(stub.values())),
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
    cells = sheet.rows[row][place.first_stub : place.limit]
    return [normal_form(cell_text(cell)) for cell in cells]


def _not_found(block: BlockPlan, best: _Window | None) -> Finding:
    hits = best.hits if best else ()
    seen = ", ".join(f"{hit.field} in {address(hit.row, hit.column)}" for hit in hits)
    return Finding(
        "block-not-found",
        "no row holds the headings of the stub columns, so nothing was read from the table",
        "If the headings have other names here, add them to `also` or to the glossary; if this tab"
        " is no such form, leave it out with the patterns of [tabs].",
        looked_for=", ".join(block.stub),
        found=seen or "none of them",
    )


def _missing(block: BlockPlan, stub: Mapping[str, int], top: int) -> Iterator[Finding]:
    for field in block.stub:
        if field not in stub:
            yield Finding(
                "stub-heading-missing",
                f"no heading for the stub column “{field}”; it is empty in the records",
                "If the column is there under another heading, add that to `also` of the field or"
                " to the glossary.",
                cell=address(top, min(stub.values())),
                looked_for=field,
                found="the headings of " + ", ".join(stub),
            )


def _heading_twice(hit: _Hit, stub: Mapping[str, int], window: _Window) -> Finding:
    row = next(
        one.row for one in window.hits if (one.field, one.column) == (hit.field, stub[hit.field])
    )
    first = address(row, stub[hit.field])
    return Finding(
        "heading-twice",
        f"a second heading for “{hit.field}”: the table at {first} ends before it, and what"
        " stands from here on was not read",
        "Split the tables, or rename or clear the heading that is not meant.",
        cell=address(hit.row, hit.column),
        looked_for=f"one column for {hit.field}",
        found=f"columns at {first} and {address(hit.row, hit.column)}",
    )


def _second_place(window: _Window, best: _Window) -> Finding:
    first, second = min(best.hits, key=_spot), min(window.hits, key=_spot)
    return Finding(
        "block-found-twice",
        f"the stub headings stand in two places: the table at {address(first.row, first.column)}"
        " was read, the one here was not",
        "Split the tab, or clear the headings that are not meant.",
        cell=address(second.row, second.column),
        looked_for="one table",
        found=f"headings in rows {best.row + 1} and {window.row + 1}",
    )


def _spot(hit: _Hit) -> tuple[int, int]:
    return hit.row, hit.column
