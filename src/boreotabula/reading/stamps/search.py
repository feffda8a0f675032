"""Where the value of a stamp stands: a fixed cell, beside a label, under a name."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from boreotabula.findings.finding import Finding, Spot, on_other_tab
from boreotabula.findings.places import Origin
from boreotabula.findings.subjects.stamps import (
    STAMP_BLANK,
    STAMP_BLANK_BY_LABEL,
    STAMP_NOT_NEAR,
    STUB_HEAD_BLANK,
    TABLE_TITLE_BLANK,
)
from boreotabula.findings.wording import filled
from boreotabula.reading.cells import cell_text
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import StampPlan
from boreotabula.reading.stamps.findings import (
    found_twice,
    label_differs,
    looked_for,
    no_such_name,
    no_such_tab,
    not_found,
    tabs_differ,
)
from boreotabula.reading.stamps.labelled import labelled_texts
from boreotabula.reading.stamps.sources import SearchResult, StampSource, Surroundings
from boreotabula.sheets.sheet import Cell, Sheet

_TITLE_ROWS = 2
"""The title of a table stands right above it, or above one blank row."""


def as_cell(value: object) -> Cell:
    """A value of a layout as a cell would hold it."""
    if isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    return value  # type: ignore[return-value]  # TOML knows no other types


class StampSearch:
    """Finds the source of each kind of stamp on a sheet."""

    def __init__(
        self,
        sheet: Sheet,
        stamps: Sequence[StampPlan],
        around: Surroundings,
        places: Sequence[Place],
        *,
        turned: bool,
    ) -> None:
        self.sheet, self.stamps, self.around, self.places = sheet, stamps, around, places
        self.place: Place | None = None
        """The table whose stamps are looked for."""
        self.near: Place | None = None
        """The same if labels must be nearest to it, because the block repeats."""
        self.turned = turned
        """Whether the places are those of the turned sheet."""
        self._known: dict[StampPlan, list[StampSource]] = {}
        self._elsewhere: dict[str, StampSearch] = {}
        self.labels = tuple(label for stamp in stamps for label in stamp.labels)

    def find(self, stamp: StampPlan) -> SearchResult:
        """The source of a stamp, or None and the reason why it has none."""
        if stamp.tab:
            return self._on_other_tab(stamp)
        return self._find(stamp)

    def _find(self, stamp: StampPlan) -> SearchResult:
        if stamp.cell is not None:
            return self._fixed(stamp, *stamp.cell)
        if stamp.labels:
            return self._labelled(stamp)
        if stamp.name is not None:
            return self._named(stamp, stamp.name)
        if stamp.from_ == "stub head":
            return self._stub_head(stamp)
        if stamp.from_ == "table title":
            return self._table_title(stamp)
        if stamp.from_ is None and stamp.value is None:
            return self._labelled(stamp)
        if stamp.from_ is not None:
            return SearchResult(
                StampSource(self.around.texts.get(stamp.from_, ""), where=stamp.from_)
            )
        return SearchResult(StampSource(as_cell(stamp.value), where=Origin.LAYOUT))

    def _on_other_tab(self, stamp: StampPlan) -> SearchResult:
        """A stamp on another tab; its cell has no role on this one."""
        names = [
            name
            for name in self.around.tabs
            if any(tab.match(name) is not None for tab in stamp.tab)
        ]
        if not names:
            return SearchResult(None, [no_such_tab(stamp, list(self.around.tabs))])
        result = [(name, self._search_of(name)._find(stamp)) for name in names]
        there = [
            (name, search_result)
            for name, search_result in result
            if search_result.source and not search_result.told
        ]
        # Two tabs that say different things: neither may be guessed.
        texts = {
            cell_text(search_result.source.cell)
            for _, search_result in there
            if search_result.source
        }
        if len(texts) > 1:
            return SearchResult(None, [tabs_differ(stamp, [name for name, _ in there], texts)])
        name, sought = (there or result)[0]
        source = sought.source and StampSource(
            sought.source.cell, where=f"{name} › {sought.source.where}"
        )
        findings = [on_other_tab(finding, name) for finding in sought.told]
        return SearchResult(source, findings)

    def _search_of(self, name: str) -> StampSearch:
        if name not in self._elsewhere:
            sheet = self.around.tabs[name]
            self._elsewhere[name] = StampSearch(sheet, self.stamps, self.around, (), turned=False)
        return self._elsewhere[name]

    def _stub_head(self, stamp: StampPlan) -> SearchResult:
        """The text over the stub of the table: the lowest, in the leftmost column that has one."""
        place = self.place
        if place is None:  # no table was found, which is told
            return SearchResult(None, [STUB_HEAD_BLANK(field=stamp.field)])
        for column in range(place.left, max(place.last_stub, place.left) + 1):
            for row in range(place.bottom, max(place.top, 0) - 1, -1):
                spot = self.as_placed((row, column))
                cell = self.sheet.cell(*spot)
                if cell != "":
                    return SearchResult(
                        StampSource(cell, spot, None, str(self.sheet.address(*spot)))
                    )
        where = self.sheet.address(*self.as_placed((max(place.top, 0), place.left)))
        return SearchResult(None, [STUB_HEAD_BLANK(where, field=stamp.field)])

    def _table_title(self, stamp: StampPlan) -> SearchResult:
        """The text that stands alone in the row above the table, over its columns."""
        place = self.place
        if place is None:  # no table was found, which is told
            return SearchResult(None, [TABLE_TITLE_BLANK(field=stamp.field)])
        for row in range(place.top - 1, max(place.top - 1 - _TITLE_ROWS, -1), -1):
            spots = [
                spot
                for column in range(place.left, place.limit)
                if self.sheet.cell(*(spot := self.as_placed((row, column)))) != ""
            ]
            if len(spots) == 1:
                cell = self.sheet.cell(*spots[0])
                return SearchResult(
                    StampSource(cell, spots[0], None, str(self.sheet.address(*spots[0])))
                )
            if spots:
                break
        where = self.sheet.address(*self.as_placed((max(place.top - 1, 0), place.left)))
        return SearchResult(None, [TABLE_TITLE_BLANK(where, field=stamp.field)])

    def _fixed(self, stamp: StampPlan, row: int, column: int) -> SearchResult:
        # A fixed cell may be covered by a merged one that begins elsewhere.
        spot = self.sheet.anchor(row, column)
        label = self._label_left(*spot)
        where = self.sheet.address(row, column)
        if stamp.labelled:
            result = self._label_beside(stamp, *spot)
            if result is None:
                findings = [label_differs(self.sheet, stamp, spot, label)]
                return SearchResult(None, findings, [spot])
            label = result
        cell = self.sheet.cell(*spot)
        if cell == "":
            beside = cell_text(self.sheet.cell(*label)) if label else ""
            blank = STAMP_BLANK(where, field=stamp.field, label=beside)
            return SearchResult(StampSource("", None, label), [blank])
        return SearchResult(StampSource(cell, spot, label, str(where)))

    def _label_left(self, row: int, column: int) -> Spot | None:
        """The nearest filled cell left of a stamp, if it is a text and so names it."""
        if row >= self.sheet.height:
            return None
        for index in range(min(column, self.sheet.width) - 1, -1, -1):
            if self.sheet.rows[row][index] != "":
                # A number between them means that the text further left names that, not this.
                return (row, index) if isinstance(self.sheet.rows[row][index], str) else None
        return None

    def _label_beside(self, stamp: StampPlan, row: int, column: int) -> Spot | None:
        """The label that must stand left of a fixed cell or above it."""
        left = [(row, index) for index in range(min(column, self.sheet.width) - 1, -1, -1)]
        above = [(index, column) for index in range(min(row, self.sheet.height) - 1, -1, -1)]
        # To the left first: that is where most forms write their labels.
        for way in (left, above):
            spot = next((pair for pair in way if self.sheet.cell(*pair) != ""), None)
            text = cell_text(self.sheet.cell(*spot)) if spot else ""
            # Another label means that rows or columns were inserted: the cell is another one.
            if spot and any(pattern.match(text) is not None for pattern in stamp.labelled):
                return spot
        return None

    def _named(self, stamp: StampPlan, name: str) -> SearchResult:
        named_value = self.around.names.get(name.casefold())
        if named_value is None:
            return SearchResult(None, [no_such_name(stamp, name)])
        if named_value.cell == "":
            where = self.sheet.address(named_value.row, named_value.column)
            return SearchResult(None, [STAMP_BLANK(where, field=stamp.field, label="")])
        # A name can point to another tab: its cell has no role on this one.
        is_here = named_value.tab == self.sheet.name
        spot = (named_value.row, named_value.column) if is_here else None
        label = self._label_left(*spot) if spot else None
        return SearchResult(
            StampSource(named_value.cell, spot, label, filled(Origin.DEFINED_NAME, {"name": name}))
        )

    def _labelled(self, stamp: StampPlan) -> SearchResult:
        everywhere = sources = self._everywhere(stamp)
        if self.near is not None:
            # Each place of a block that repeats has labels of its own.
            sources = self._nearest(sources, self.near) or self._below_all(sources)
        # A label far off is likelier another table's: taken, it would stamp wrong records.
        if not sources and self.near is not None and everywhere:
            return SearchResult(None, [self._not_near(stamp, everywhere, self.near)])
        if not sources:
            return SearchResult(None, [not_found(stamp)])
        filled = [source for source in sources if source.cell != ""]
        if not filled:
            label = sources[0].label
            where = self.sheet.address(*label) if label else None
            return SearchResult(sources[0], [STAMP_BLANK_BY_LABEL(where, field=stamp.field)])
        texts = {cell_text(source.cell) for source in filled}
        # The same label with two values: neither may be guessed.
        if len(texts) > 1:
            spots = [source.spot for source in filled if source.spot is not None]
            return SearchResult(None, [found_twice(stamp, filled)], spots)
        return SearchResult(filled[0])

    def _everywhere(self, stamp: StampPlan) -> list[StampSource]:
        """All sources of a labelled stamp: the same for every place of a block that repeats."""
        if stamp not in self._known:
            sources = self._sources(stamp) if stamp.labels else self._fitting(stamp)
            self._known[stamp] = list(sources)
        return self._known[stamp]

    def _fitting(self, stamp: StampPlan) -> Iterator[StampSource]:
        """Every cell that matches the pattern of a stamp that has no other clue."""
        for row, column, text in self.sheet.texts():
            if stamp.pattern is not None and stamp.pattern.match(text) is not None:
                yield StampSource(text, (row, column), None, str(self.sheet.address(row, column)))

    def _not_near(self, stamp: StampPlan, sources: Sequence[StampSource], near: Place) -> Finding:
        """The label is there, but it belongs to another place of the block."""
        row, column = self.as_placed((max(near.top, 0), near.left))
        spot = sources[0].label or sources[0].spot
        where = self.sheet.address(*spot) if spot else ""
        return STAMP_NOT_NEAR(
            self.sheet.address(row, column),
            field=stamp.field,
            wanted=looked_for(stamp),
            first=where,
        )

    def _sources(self, stamp: StampPlan) -> Iterator[StampSource]:
        """Every label that matches, with the value beside it, below it, or in its own cell."""
        # The value stands on one side only: on both, a neighbour's would be found.
        step = self._next_right if stamp.right_of else self._next_below
        for (row, column), value in labelled_texts(self.sheet, stamp):
            if value:
                where = self.sheet.address(row, column)
                yield StampSource(value, (row, column), None, str(where))
            else:
                further = self._further(row, column, stamp) if stamp.places > 1 else None
                yield further or self._beside_label(row, column, step)

    def _beside_label(
        self, row: int, column: int, step: Callable[[int, int], Iterator[Spot]]
    ) -> StampSource:
        for spot in step(row, column):
            cell = self.sheet.cell(*spot)
            if cell != "":
                # The value was left blank: what comes next belongs to something else.
                if self._is_label(cell) or self._is_heading(spot):
                    break
                return StampSource(cell, spot, (row, column), str(self.sheet.address(*spot)))
        return StampSource("", None, (row, column))

    def _further(self, row: int, column: int, stamp: StampPlan) -> StampSource:
        """The cell at a given distance right of or below a label."""
        span = self.sheet.merged(row, column)
        right = bool(stamp.right_of)
        spot = (row, span.right + stamp.places) if right else (span.bottom + stamp.places, column)
        cell = self.sheet.cell(*spot)
        if cell == "":
            return StampSource("", None, (row, column))
        return StampSource(cell, spot, (row, column), str(self.sheet.address(*spot)))

    def _next_right(self, row: int, column: int) -> Iterator[Spot]:
        # A label merged over several cells ends where they end.
        start = self.sheet.merged(row, column).right + 1
        return ((row, index) for index in range(start, self.sheet.width))

    def _next_below(self, row: int, column: int) -> Iterator[Spot]:
        start = self.sheet.merged(row, column).bottom + 1
        return ((index, column) for index in range(start, self.sheet.height))

    def _is_label(self, cell: Cell) -> bool:
        """Whether a cell names another stamp: then the value before it was left blank."""
        return isinstance(cell, str) and (
            # So labels end in most languages, in East Asia with a wide colon.
            cell.rstrip().endswith((":", "："))
            or any(label.match(cell) is not None for label in self.labels)
        )

    def as_placed(self, spot: Spot) -> Spot:
        """A spot of the sheet where the places have it."""
        return spot[::-1] if self.turned else spot

    def _is_heading(self, spot: Spot) -> bool:
        row, column = self.as_placed(spot)
        return any(
            place.top <= row <= place.bottom
            and place.left <= column < place.limit
            and not self._is_beyond_gap(place, column)
            for place in self.places
        )

    def _is_beyond_gap(self, place: Place, column: int) -> bool:
        """Whether a column without any heading separates another one from those of a table."""
        rows = range(max(place.top, 0), place.bottom + 1)
        return any(
            all(self._is_blank(self.as_placed((row, index))) for row in rows)
            for index in range(place.last_mark + 1, column)
        )

    def _is_blank(self, spot: Spot) -> bool:
        """Whether a cell is blank, and no merged cell covers it."""
        span = self.sheet.merged(*spot)
        return self.sheet.cell(span.top, span.left) == ""

    def _nearest(self, sources: Sequence[StampSource], place: Place) -> list[StampSource]:
        """The labels nearest to the block: above it, over its columns if one is there, else left of
        it."""
        spots = {
            self.as_placed(spot): source
            for source in sources
            if (spot := source.label or source.spot) is not None
        }
        above = [spot for spot in spots if spot[0] <= place.bottom and spot[1] < place.limit]
        over = [spot for spot in above if spot[1] >= place.left]
        # Over its own columns first: side by side, tables have a label each.
        pairs = over or above
        if not pairs:
            return []
        # The nearest above: those further up are of the tables above.
        lowest = max(row for row, _ in pairs)
        nearest = max(column for row, column in pairs if row == lowest)
        return [spots[lowest, nearest]]

    def _below_all(self, sources: Sequence[StampSource]) -> list[StampSource]:
        """The only label of a tab, if it is below tables side by side, where the first of them
        begins.

        There it holds for all of them. Anywhere else it may belong to one table, and the label of
        another may be missing.
        """
        spots = [spot for source in sources if (spot := source.label or source.spot) is not None]
        if len(spots) != 1:
            return []
        row, column = self.as_placed(spots[0])
        beside = max(place.top for place in self.places) <= min(
            place.bottom for place in self.places
        )
        below = row > max(place.bottom for place in self.places)
        first = column <= min(place.left for place in self.places)
        return list(sources) if beside and below and first else []
