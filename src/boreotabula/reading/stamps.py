"""Stamps: values found once on a tab, or in its name or its file's, and put on every record."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from boreotabula.reading.convert import cell_text, convert_kept, kind_of
from boreotabula.reading.findings import Finding
from boreotabula.reading.place import Place
from boreotabula.reading.plan import FormPlan, Plan, StampPlan
from boreotabula.reading.roles import Role, RoleMap
from boreotabula.workbooks.sheet import Cell, Sheet

Spot = tuple[int, int]
"""Row and column of a cell, counted from 0."""


@dataclass(frozen=True)
class NamedValue:
    """What a defined name of the workbook stands for; `tab` is where its cell is."""

    tab: str
    row: int
    column: int
    cell: Cell


@dataclass(frozen=True)
class Surroundings:
    """What is known of a tab besides its cells."""

    captured: Mapping[str, str] = field(default_factory=dict)
    """Stamps from the names of file and tab, by field."""
    texts: Mapping[str, str] = field(default_factory=dict)
    """'file name', 'folder name' and 'tab name'."""
    names: Mapping[str, NamedValue] = field(default_factory=dict)
    """The defined names that stamps ask for, in small letters."""


@dataclass(frozen=True)
class Stamped:
    """The value of each stamped field (None if it has none), and what is to be said of it."""

    values: Mapping[str, object]
    findings: tuple[Finding, ...]
    first: str = ""
    """The address of the first stamp that has a value of its own cell."""


@dataclass(frozen=True)
class _Source:
    """Where a stamp's text was found: its cell, if it has one, its label, and the text itself."""

    cell: Cell
    spot: Spot | None = None
    label: Spot | None = None
    where: str = ""
    """Its address, or what it is from, for messages."""


_Sought = tuple[_Source | None, list[Finding]]


def read_stamps(
    sheet: Sheet,
    plan: Plan,
    form: FormPlan,
    around: Surroundings,
    roles: RoleMap,
    places: Sequence[Place] = (),
    near: Place | None = None,
) -> Stamped:
    """All stamps of a tab; of a block that repeats, those nearest to the place `near`."""
    values: dict[str, object] = {}
    findings: list[Finding] = []
    first = ""
    for name, text in around.captured.items():
        values[name], told = _converted(plan, name, _Source(text))
        findings += told
    search = _Search(sheet, form, around, places, near)
    for stamp in form.stamps:
        source, told = search.find(stamp)
        values[stamp.field] = None
        if source is not None and source.label is not None:
            roles.mark(*source.label, Role.LABEL)
        if source is not None and not told:
            source, told = _part(stamp, source)
        if source is not None and not told:
            values[stamp.field], told = _converted(plan, stamp.field, source)
            _mark(roles, source, told)
            if source.spot and not told:
                first = first or sheet.address(*source.spot)
        if values[stamp.field] is None and _may_lack(stamp, told):
            values[stamp.field], told = _default(plan, stamp)
        findings += told
    return Stamped(values, tuple(dict.fromkeys(findings)), first)


_ABSENT = ("stamp-not-found", "stamp-blank")


def _may_lack(stamp: StampPlan, told: Sequence[Finding]) -> bool:
    """Whether a stamp is only absent, and the layout allows for that."""
    allowed = stamp.optional or stamp.default is not None
    return allowed and all(one.code in _ABSENT for one in told)


def _default(plan: Plan, stamp: StampPlan) -> tuple[object, list[Finding]]:
    if stamp.default is None:
        return None, []
    value, told = _converted(plan, stamp.field, _Source(_as_cell(stamp.default)))
    if told:
        return value, told
    note = Finding(
        "stamp-default",
        f"no value for “{stamp.field}” on this tab; the layout's default was taken",
        "Nothing to do, if the default is right here.",
        looked_for=stamp.field,
        found=f"default {stamp.default}",
    )
    return value, [note]


def _as_cell(value: object) -> Cell:
    """A value of a layout as a cell would hold it."""
    if isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    return value  # type: ignore[return-value]  # TOML knows no other types


def _mark(roles: RoleMap, source: _Source, told: Sequence[Finding]) -> None:
    if source.spot is not None:
        if told:
            roles.unplace(*source.spot, told[0].message)
        else:
            roles.mark(*source.spot, Role.STAMP)


# --- finding the cell ---------------------------------------------------------------------------


class _Search:
    """How the source of each kind of stamp is found on a sheet."""

    def __init__(
        self,
        sheet: Sheet,
        form: FormPlan,
        around: Surroundings,
        places: Sequence[Place],
        near: Place | None,
    ) -> None:
        self.sheet, self.around, self.places, self.near = sheet, around, places, near
        self.labels = tuple(label for stamp in form.stamps for label in stamp.labels)

    def find(self, stamp: StampPlan) -> _Sought:
        """The source of a stamp, or None and the reason why it has none."""
        if stamp.cell is not None:
            return self._fixed(stamp, *stamp.cell)
        if stamp.labels:
            return self._labelled(stamp)
        if stamp.name is not None:
            return self._named(stamp, stamp.name)
        if stamp.source is not None:
            return _Source(self.around.texts.get(stamp.source, ""), where=stamp.source), []
        return _Source(_as_cell(stamp.value), where="the layout"), []

    def _fixed(self, stamp: StampPlan, row: int, column: int) -> _Sought:
        spot = _anchor(self.sheet, row, column)
        label = self._label_left(*spot)
        where = self.sheet.address(row, column)
        if stamp.labelled:
            found = self._label_beside(stamp, *spot)
            if found is None:
                return None, [_label_differs(self.sheet, stamp, spot, label)]
            label = found
        cell = self.sheet.cell(*spot)
        if cell == "":
            beside = f", beside “{cell_text(self.sheet.cell(*label))}”" if label else ""
            return _Source("", None, label), [_blank(stamp, where, beside)]
        return _Source(cell, spot, label, where), []

    def _label_left(self, row: int, column: int) -> Spot | None:
        """The nearest filled cell left of a stamp, if it is a text: that is what names it."""
        if row >= self.sheet.height:
            return None
        for at in range(min(column, self.sheet.width) - 1, -1, -1):
            if self.sheet.rows[row][at] != "":
                return (row, at) if isinstance(self.sheet.rows[row][at], str) else None
        return None

    def _label_beside(self, stamp: StampPlan, row: int, column: int) -> Spot | None:
        """The label that must stand left of a fixed cell or above it."""
        left = [(row, at) for at in range(min(column, self.sheet.width) - 1, -1, -1)]
        above = [(at, column) for at in range(min(row, self.sheet.height) - 1, -1, -1)]
        for way in (left, above):
            spot = next((one for one in way if self.sheet.cell(*one) != ""), None)
            text = cell_text(self.sheet.cell(*spot)) if spot else ""
            if spot and any(one.match(text) is not None for one in stamp.labelled):
                return spot
        return None

    def _named(self, stamp: StampPlan, name: str) -> _Sought:
        found = self.around.names.get(name.casefold())
        if found is None:
            return None, [
                Finding(
                    "stamp-not-found",
                    f"the workbook has no name “{name}” for a cell, so “{stamp.field}” is empty in"
                    " all records of this tab",
                    "Look for the name in the name manager of the spreadsheet program.",
                    looked_for=name,
                    found="no such name",
                )
            ]
        if found.cell == "":
            return None, [_blank(stamp, self.sheet.address(found.row, found.column), "")]
        here = found.tab == self.sheet.name
        spot = (found.row, found.column) if here else None
        label = self._label_left(*spot) if spot else None
        return _Source(found.cell, spot, label, f"the name “{name}”"), []

    def _labelled(self, stamp: StampPlan) -> _Sought:
        found = list(self._sources(stamp))
        if self.near is not None:
            found = self._nearest(found, self.near)
        if not found:
            return None, [_not_found(stamp)]
        filled = [one for one in found if one.cell != ""]
        if not filled:
            label = found[0].label
            where = self.sheet.address(*label) if label else ""
            return found[0], [_blank(stamp, where, ", beside its label")]
        texts = {cell_text(one.cell) for one in filled}
        if len(texts) > 1:
            return None, [_found_twice(self.sheet, stamp, filled)]
        return filled[0], []

    def _sources(self, stamp: StampPlan) -> Iterator[_Source]:
        """Every label that matches, with the value beside it, below it, or in its own cell."""
        step = self._next_right if stamp.right_of else self._next_below
        for row, texts in enumerate(self.sheet.texts):
            for column, text in texts:
                if any(one.match(text) is not None for one in stamp.labels):
                    yield self._beside_label(row, column, step)
                    continue
                label, colon, rest = text.partition(":")
                if (
                    colon
                    and rest.strip()
                    and any(one.match(label) is not None for one in stamp.labels)
                ):
                    where = self.sheet.address(row, column)
                    yield _Source(rest.strip(), (row, column), None, where)

    def _beside_label(
        self, row: int, column: int, step: Callable[[int, int], Iterator[Spot]]
    ) -> _Source:
        for spot in step(row, column):
            cell = self.sheet.cell(*spot)
            if cell != "":
                if self._is_label(cell) or self._is_heading(spot):
                    break
                return _Source(cell, spot, (row, column), self.sheet.address(*spot))
        return _Source("", None, (row, column))

    def _next_right(self, row: int, column: int) -> Iterator[Spot]:
        start = _merged_end(self.sheet, row, column)[1] + 1
        return ((row, at) for at in range(start, self.sheet.width))

    def _next_below(self, row: int, column: int) -> Iterator[Spot]:
        start = _merged_end(self.sheet, row, column)[0] + 1
        return ((at, column) for at in range(start, self.sheet.height))

    def _is_label(self, cell: Cell) -> bool:
        """Whether a cell names another stamp: then the value before it was left blank."""
        return isinstance(cell, str) and (
            cell.rstrip().endswith(":") or any(one.match(cell) is not None for one in self.labels)
        )

    def _is_heading(self, spot: Spot) -> bool:
        row, column = spot
        return any(
            one.top <= row <= one.bottom and one.left <= column < one.limit for one in self.places
        )

    def _nearest(self, found: Sequence[_Source], place: Place) -> list[_Source]:
        """Of several labels those nearest above the block, over its columns if one is there,
        else nearest left of it."""
        spots = {one.label or one.spot: one for one in found}
        above = [
            spot
            for spot in spots
            if spot is not None and spot[0] <= place.bottom and spot[1] < place.limit
        ]
        over = [spot for spot in above if spot[1] >= place.left]
        some = over or above
        if not some:
            return []
        lowest = max(row for row, _ in some)
        nearest = max(column for row, column in some if row == lowest)
        return [spots[lowest, nearest]]


def _anchor(sheet: Sheet, row: int, column: int) -> Spot:
    """The cell that holds the content of a place: of a merged range its top left one."""
    for span in sheet.merges:
        if span.top <= row <= span.bottom and span.left <= column <= span.right:
            return span.top, span.left
    return row, column


def _merged_end(sheet: Sheet, row: int, column: int) -> Spot:
    """The last row and column of a cell, which may be merged with others."""
    for span in sheet.merges:
        if (span.top, span.left) == (row, column):
            return span.bottom, span.right
    return row, column


# --- from the cell to the value -----------------------------------------------------------------


def _part(stamp: StampPlan, source: _Source) -> tuple[_Source | None, list[Finding]]:
    """The part of a text that the stamp's pattern keeps."""
    if stamp.pattern is None:
        return source, []
    text = cell_text(source.cell)
    kept = stamp.pattern.match(text)
    if kept is not None:
        return _Source(kept[""], source.spot, source.label, source.where), []
    return None, [
        Finding(
            "stamp-pattern-differs",
            f"“{text}” is not of the form “{stamp.pattern.text}”, so “{stamp.field}” is empty in"
            " all records of this tab",
            "Correct the cell, or the pattern of the stamp.",
            cell=source.where if source.spot else "",
            looked_for=stamp.pattern.text,
            found=text,
        )
    ]


def convert_stamp(plan: Plan, name: str, text: str) -> tuple[object, list[Finding]]:
    """The value of a stamp that comes from a name."""
    return _converted(plan, name, _Source(text))


def _converted(plan: Plan, name: str, source: _Source) -> tuple[object, list[Finding]]:
    kind = plan.types[name]
    result = convert_kept((source.cell,), kind)
    if not result.failures:
        return result.values[0].as_py(), []
    in_cell = source.spot is not None
    origin = "" if in_cell else f" (from {source.where or 'the name of the file or tab'})"
    return None, [
        Finding(
            "stamp-not-converted",
            f"“{cell_text(source.cell)}”{origin} is no {kind} for “{name}”"
            f" ({result.failures[0][1]}); the field is empty in all records of this tab",
            "Correct the cell, or look whether the form has moved on this tab."
            if in_cell
            else "Correct the name, or the pattern that captures it.",
            cell=source.where if in_cell else "",
            looked_for=kind,
            found=cell_text(source.cell) or kind_of(source.cell),
        )
    ]


def _blank(stamp: StampPlan, where: str, beside: str) -> Finding:
    return Finding(
        "stamp-blank",
        f"the cell for “{stamp.field}” is blank{beside}; the field is empty in all records of this"
        " tab",
        "Fill the cell, or look whether the form has moved on this tab.",
        cell=where,
        looked_for=stamp.field,
        found="blank",
    )


def _not_found(stamp: StampPlan) -> Finding:
    labels = ", ".join(one.text for one in stamp.labels)
    return Finding(
        "stamp-not-found",
        f"no cell of this tab holds the label {labels}, so “{stamp.field}” is empty in all its"
        " records",
        "Add the label that stands here to the stamp in the layout, or mark the stamp"
        " `optional = true`.",
        looked_for=labels,
        found="no such label",
    )


def _found_twice(sheet: Sheet, stamp: StampPlan, filled: Sequence[_Source]) -> Finding:
    places = " and ".join(one.where for one in filled)
    texts = ", ".join(f"“{cell_text(one.cell)}”" for one in filled)
    return Finding(
        "stamp-found-twice",
        f"the label of “{stamp.field}” stands more than once, with {texts} in {places}; none was"
        " taken, and the field is empty in all records of this tab",
        "Make the label of the stamp more exact, or name the cell with `cell`.",
        cell=filled[0].where,
        looked_for="one such label",
        found=places,
    )


def _label_differs(sheet: Sheet, stamp: StampPlan, spot: Spot, label: Spot | None) -> Finding:
    there = cell_text(sheet.cell(*label)) if label else "blank"
    wanted = ", ".join(one.text for one in stamp.labelled)
    return Finding(
        "stamp-label-differs",
        f"the cell for “{stamp.field}” should have the label {wanted} left of it or above, but"
        f" there stands “{there}”; nothing was taken, and the field is empty in all records of this"
        " tab",
        "Look whether rows or columns were inserted on this tab; `right_of` finds a label wherever"
        " it stands.",
        cell=sheet.address(*spot),
        looked_for=wanted,
        found=there,
    )
