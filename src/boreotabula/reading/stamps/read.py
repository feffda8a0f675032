"""Stamps: values found once on a tab, or in its name or its file's, and put on every record."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.reading.findings import Code, Finding, Spot, Telling
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import FormPlan, Plan, StampPlan
from boreotabula.reading.stamps.search import Source, StampSearch, Surroundings, as_cell
from boreotabula.reading.values.convert import convert_kept
from boreotabula.reading.values.findings import about_values
from boreotabula.workbooks.sheet import Sheet


@dataclass(frozen=True)
class Stamped:
    """The value of each stamped field (None if it has none), and what is to be said of it."""

    values: Mapping[str, object]
    tellings: tuple[Telling, ...]
    first: str = ""
    """The address of the first stamp that has a value of its own cell."""
    origins: Mapping[str, str] = field(default_factory=dict)
    """Where each value was found: a cell's address, or what it is from."""
    beside: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    """Of stamps in fixed cells: the label left of the cell (or nothing), and the cell."""
    captured: Mapping[str, str] = field(default_factory=dict)
    """What the names of file and tab gave, as it stands there."""
    spots: Mapping[str, Spot] = field(default_factory=dict)
    """The cell of the sheet (as it lies) that each stamp was taken from, read or not."""
    labels: frozenset[Spot] = frozenset()
    """The cells that name them."""

    @property
    def spoken(self) -> frozenset[Spot]:
        """All cells that are stamps or their labels."""
        return self.labels | frozenset(self.spots.values())


def read_stamps(
    sheet: Sheet,
    plan: Plan,
    form: FormPlan,
    around: Surroundings,
    search: StampSearch | None = None,
    near: Place | None = None,
) -> Stamped:
    """All stamps of a tab; of a block that repeats, those nearest to the place `near`.

    A `search` that knows the places of the tab can be shared by all of them.
    """
    values: dict[str, object] = {}
    origins: dict[str, str] = {}
    beside: dict[str, tuple[str, str]] = {}
    tellings: list[Telling] = []
    told: Sequence[Finding]
    spots: dict[str, Spot] = {}
    labels: set[Spot] = set()
    # Names first, so that a stamp in a cell wins over one of the same field.
    for name, text in around.captured.items():
        values[name], told = _converted(plan, name, Source(text))
        # Comparing like tabs leaves stamps from tab names aside.
        origins[name] = "tab name" if name in around.from_tab else "file path"
        tellings += map(Telling, told)
    search = search or StampSearch(sheet, form, around, (), False)
    # One search serves all places: what was found of labels is kept.
    search.near = near
    for stamp in form.stamps:
        source, told, open_ = search.find(stamp)
        values[stamp.field] = None
        if source is not None and source.spot is not None:
            spots[stamp.field] = source.spot
            # Should it not convert, that cell is unplaced, and the finding speaks for it.
            open_ = [source.spot]
        if source is not None:
            origins[stamp.field] = source.where
            if stamp.cell is not None and not stamp.labelled:
                label = cell_text(sheet.cell(*source.label)) if source.label else ""
                beside[stamp.field] = (normal_form(label), sheet.address(*stamp.cell))
        if source is not None and source.label is not None:
            labels.add(source.label)
        # A doubtful source gives no value: an empty field is seen, a wrong one is not.
        if source is not None and not told:
            source, told = _part(stamp, source)
        if source is not None and not told:
            values[stamp.field], told = _converted(plan, stamp.field, source)
        # A default never hides a value that is there but wrong.
        if values[stamp.field] is None and _may_lack(stamp, told):
            values[stamp.field], told = _default(plan, stamp)
            origins[stamp.field] = "the layout's default"
        tellings += [Telling(one, spots=tuple(open_)) for one in told]
    # A record without a block is found again at its first stamp that has a value.
    read = [spot for field, spot in spots.items() if values[field] is not None]
    first = sheet.address(*read[0]) if read else ""
    return Stamped(
        values,
        tuple(tellings),
        first,
        origins,
        beside,
        around.captured,
        spots,
        frozenset(labels),
    )


_ABSENT = (Code.STAMP_NOT_FOUND, Code.STAMP_BLANK)


def _may_lack(stamp: StampPlan, told: Sequence[Finding]) -> bool:
    """Whether a stamp is only absent, and the layout allows for that."""
    allowed = stamp.optional or stamp.default is not None
    return allowed and all(one.code in _ABSENT for one in told)


def _default(plan: Plan, stamp: StampPlan) -> tuple[object, list[Finding]]:
    if stamp.default is None:
        return None, []
    value, told = _converted(plan, stamp.field, Source(as_cell(stamp.default)))
    if told:
        return value, told
    note = Finding(
        Code.STAMP_DEFAULT,
        f"no value for “{stamp.field}” on this tab; the layout's default was taken",
        "Nothing to do, if the default is right here.",
        looked_for=stamp.field,
        found=f"default {stamp.default}",
    )
    return value, [note]


def _part(stamp: StampPlan, source: Source) -> tuple[Source | None, Sequence[Finding]]:
    """The part of a text that the stamp's pattern keeps."""
    if stamp.pattern is None:
        return source, []
    text = cell_text(source.cell)
    # The text that does not fit is told whole: a part of it would mislead.
    kept = stamp.pattern.match(text)
    if kept is not None:
        return Source(kept[""], source.spot, source.label, source.where), []
    return None, [
        Finding(
            Code.STAMP_PATTERN_DIFFERS,
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
    return _converted(plan, name, Source(text))


def _converted(plan: Plan, name: str, source: Source) -> tuple[object, list[Finding]]:
    form = plan.form(name)
    result = convert_kept((source.cell,), form)
    in_cell = source.spot is not None
    where = source.where if in_cell else ""
    # It says nothing on purpose: that is no failure to convert.
    if result.blanked:
        return None, [_says_nothing(name, source)]
    if not result.failures:
        told = about_values(result, (source.cell,), lambda _: where, name, form)
        return result.first, told
    origin = "" if in_cell else f" (from {source.where or 'the name of the file or tab'})"
    return None, [
        Finding(
            Code.STAMP_NOT_CONVERTED,
            f"“{cell_text(source.cell)}”{origin} is no {form.kind} for “{name}”"
            f" ({result.failures[0][1]}); the field is empty in all records of this tab",
            "Correct the cell, or look whether the form has moved on this tab."
            if in_cell
            else "Correct the name, or the pattern that captures it.",
            cell=where,
            looked_for=form.kind,
            found=cell_text(source.cell) or kind_of(source.cell),
        )
    ]


def _says_nothing(name: str, source: Source) -> Finding:
    text = cell_text(source.cell)
    return Finding(
        Code.STAMP_BLANK,
        f"“{text}” stands for nothing, as `empty` says, so “{name}” is empty in all records of this"
        " tab",
        "Fill the cell; or write `optional = true` or a `default` into the stamp.",
        cell=source.where if source.spot is not None else "",
        looked_for=name,
        found=text,
    )
