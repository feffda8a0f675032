"""Places found by the headings of the stub columns, wherever they stand."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.reading.cells import cell_text
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Found, Place, missing_stubs
from boreotabula.reading.plan import BlockPlan
from boreotabula.workbooks.sheet import Sheet


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


def only_place(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
    depth = max(block.depth, 1)
    windows = list(_windows(list(_hits(sheet, block, names)), depth))
    best = max(windows, key=lambda one: (one.rank, -one.row), default=None)
    if best is None or 2 * len(best.fields) < len(block.stub):
        return [], [_not_found(sheet, block, best)]
    stub, twice = _columns(best)
    top, bottom, doubt = _heading_rows(sheet, best, stub, depth, block.under_headings)
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
        end=min(
            (_top(sheet, one, depth, block.under_headings) for one in second if one.row > bottom),
            default=place.end,
        ),
        repeats=tuple(top + shifts[one] for one in repeats),
    )
    findings = [
        *missing_stubs(sheet, block, place),
        *doubt,
        *(_heading_twice(sheet, hit, stub, best) for hit in twice if hit.column == limit),
        *(_second_place(sheet, one, best) for one in second),
    ]
    return [place], findings


def repeated_places(sheet: Sheet, block: BlockPlan, names: HeadingNames) -> Found:
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
            top, bottom, doubt = _heading_rows(sheet, part, stub, depth, block.under_headings)
            place = Place(top, bottom, stub, sheet.height, sheet.width, min(stub.values()))
            places.append(place)
            findings += [*missing_stubs(sheet, block, place), *doubt]
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
    known = names.fields_in({text for texts in sheet.texts for _, text in texts})
    for row, texts in enumerate(sheet.texts):
        for column, text in texts:
            if text in known and known[text] in block.stub:
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
    sheet: Sheet, window: _Window, stub: Mapping[str, int], depth: int, under: int
) -> tuple[int, int, list[Finding]]:
    """First and last heading row.

    The stub headings may stand on any of them, or be merged over several. Rows that are still
    wanting are looked for below as long as the stub columns are blank there and something stands
    right of them, then above. `under` such rows below are units or the like.
    """
    top = min(hit.row for hit in window.hits)
    bottom = max(_merged_bottom(sheet, hit.row, hit.column) for hit in window.hits)
    wanting = depth - (bottom - top + 1)
    if wanting <= 0:
        return top, bottom, [_too_deep(sheet, top, bottom, depth, stub)] if wanting else []
    right = max(stub.values()) + 1
    below = 0
    while below < wanting + under and _continues(sheet, bottom + below + 1, stub, right):
        below += 1
    below = max(below - under, 0)
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
            return min(span.bottom, sheet.height - 1)
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


def _top(sheet: Sheet, window: _Window, depth: int, under: int) -> int:
    """The first heading row of a place that is not read."""
    return _heading_rows(sheet, window, _columns(window)[0], depth, under)[0]


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
