"""Stamps: values found once on a tab, or in its name or its file's, and put on every record."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from boreotabula.findings.finding import Finding, ScopedFinding, Spot
from boreotabula.findings.places import Origin
from boreotabula.findings.subjects.stamps import (
    NAME_NOT_CONVERTED,
    STAMP_BLANK,
    STAMP_DEFAULT,
    STAMP_IN_NO_SOURCE,
    STAMP_NOT_CONVERTED,
    STAMP_NOT_FOUND,
    STAMP_PATTERN_DIFFERS,
    STAMP_SAYS_NOTHING,
    STAMP_SOURCES_DIFFER,
)
from boreotabula.layout.addresses import Address
from boreotabula.layout.headings import normal_form
from boreotabula.reading.cells import cell_text, kind_of
from boreotabula.reading.locate.captions import Caption
from boreotabula.reading.plan import Plan, StampPlan, StampSources
from boreotabula.reading.stamps.search import StampSearch, as_cell
from boreotabula.reading.stamps.sources import StampSource, Surroundings
from boreotabula.reading.values.convert import convert_kept
from boreotabula.reading.values.findings import about_values
from boreotabula.sheets.sheet import Sheet


@dataclass(frozen=True)
class Stamped:
    """The value of each stamped field (None if it has none), and the findings about it."""

    values: Mapping[str, object]
    scoped_findings: tuple[ScopedFinding, ...]
    first: str = ""
    """The address of the first stamp with a value from its own cell."""
    origins: Mapping[str, str] = field(default_factory=dict)
    """Where each value was found: a cell's address, or its source in words."""
    beside: Mapping[str, tuple[str, Address]] = field(default_factory=dict)
    """For stamps in fixed cells: the label left of the cell (or None), and the cell."""
    captured: Mapping[str, str] = field(default_factory=dict)
    """What the names of file and tab gave, as written there."""
    spots: Mapping[str, Spot] = field(default_factory=dict)
    """The cell of the unturned sheet that each stamp was taken from, whether it converted or not.
    """
    labels: frozenset[Spot] = frozenset()
    """The cells that name them, and captions."""
    taken: Mapping[str, int] = field(default_factory=dict)
    """For stamps with several sources: the index of the source that gave the value."""
    ways: Mapping[str, tuple[bool, str, str]] = field(default_factory=dict)
    """For dates whose text shows whether the day or the month comes first: that, and its place."""

    @property
    def claimed_cells(self) -> frozenset[Spot]:
        """All cells that are stamps or their labels."""
        return self.labels | frozenset(self.spots.values())


def read_stamps(
    sheet: Sheet,
    plan: Plan,
    stamps: Sequence[StampSources],
    around: Surroundings,
    search: StampSearch | None = None,
    caption: Caption | None = None,
) -> Stamped:
    """All stamps of a tab, or of one of its tables; `caption` names that table.

    A `search` that knows the places of the tab, and the current one, can be shared by all of them.
    """
    every = [source for sources in stamps for source in sources]
    reader = _Reader(plan, sheet, search or StampSearch(sheet, every, around, (), turned=False))
    # Names first, so that a stamp in a cell wins over one of the same field.
    for name, text in around.captured.items():
        # Comparing like tabs leaves stamps from tab names aside.
        origin = Origin.TAB_NAME if name in around.from_tab else Origin.FILE_PATH
        reader.take(name, StampSource(text), origin)
    if caption is not None:
        reader.take_caption(caption)
    for sources in stamps:
        reader.read(sources)
    return reader.done(around)


class _Reader:
    """Collects the stamps of a tab or table."""

    def __init__(self, plan: Plan, sheet: Sheet, search: StampSearch) -> None:
        self.plan, self.sheet, self.search = plan, sheet, search
        self.values: dict[str, object] = {}
        self.origins: dict[str, str] = {}
        self.beside: dict[str, tuple[str, Address]] = {}
        self.scoped_findings: list[ScopedFinding] = []
        self.spots: dict[str, Spot] = {}
        self.labels: set[Spot] = set()
        self.taken: dict[str, int] = {}
        self.ways: dict[str, tuple[bool, str, str]] = {}

    def take(self, name: str, source: StampSource, origin: str) -> None:
        """Take a stamp whose text is known."""
        self.values[name], findings = _converted(self.plan, name, source)
        self._note_way(name, source)
        self.origins[name] = origin
        spots = (source.spot,) if source.spot else ()
        self.scoped_findings += [ScopedFinding(finding, spots=spots) for finding in findings]

    def take_caption(self, caption: Caption) -> None:
        """Take what the text over the table gives."""
        spot = self.search.as_placed(caption.spot)
        where = str(self.sheet.address(*spot))
        for name, text in caption.captured.items():
            self.spots[name] = spot
            self.take(name, StampSource(text, spot, None, where), where)
        if not caption.captured:
            self.labels.add(spot)

    def read(self, sources: StampSources) -> None:
        """Read a stamp from the first of its sources that is present, except those that only serve
        comparison."""
        name = sources[0].field
        tried: list[_Tried] = []
        # Of a stamp whose sources are all to be compared the first is taken nevertheless.
        only_compared = all(source.compared for source in sources)
        for index, stamp in enumerate(sources):
            if stamp.compared and not only_compared:
                continue
            attempt = self._try(stamp)
            # A source that is there but wrong is told: the next one would hide it.
            if not attempt.absent:
                self._keep(attempt, name)
                if len(sources) > 1:
                    self.taken[name] = index
                self._compare(
                    attempt, [later for later in sources if later.compared and later is not stamp]
                )
                return
            tried.append(attempt)
        # None is there: the field stays empty, or has the default.
        allowed = any(source.optional or source.default is not None for source in sources)
        default = next((source for source in sources if source.default is not None), sources[0])
        last = replace(tried[0], value=None)
        if allowed:
            value, findings = _default(self.plan, default)
            last = replace(last, value=value, told=findings)
        elif len(tried) > 1:
            last = replace(last, told=[_in_none(name, [one.told[0] for one in tried])])
        self._keep(last, name)
        if allowed:
            self.origins[name] = Origin.DEFAULT

    def _compare(self, taken: _Tried, other_stamps: Sequence[StampPlan]) -> None:
        """Compare the source that was taken with others that should give the same."""
        for stamp in other_stamps if taken.value is not None else ():
            other_attempt = self._try(stamp)
            if other_attempt.value is None or other_attempt.source is None:
                continue
            spot = other_attempt.source.spot
            # What says the same needs no further word, and is no part of a record.
            self.labels |= {pair for pair in (spot, other_attempt.source.label) if pair is not None}
            if other_attempt.value != taken.value:
                finding = STAMP_SOURCES_DIFFER(
                    other_attempt.source.at,
                    field=stamp.field,
                    text=cell_text(taken.source.cell) if taken.source else "",
                    origin=taken.source.where if taken.source else "",
                    other_text=cell_text(other_attempt.source.cell),
                    other_origin=other_attempt.source.where,
                )
                self.scoped_findings.append(ScopedFinding(finding))

    def _try(self, stamp: StampPlan) -> _Tried:
        """Read one source."""
        source, findings, open_ = self.search.find(stamp)
        if source is not None and source.spot is not None:
            # Should it not convert, that cell is unplaced, and the finding speaks for it.
            open_ = [source.spot]
        result, value = source, None
        # A doubtful source gives no value: an empty field is seen, a wrong one is not.
        if source is not None and not findings:
            source, findings = _part(stamp, source)
        if source is not None and not findings:
            value, findings = _converted(self.plan, stamp.field, source)
        return _Tried(stamp, result, value, findings, tuple(open_))

    def _keep(self, attempt: _Tried, name: str) -> None:
        stamp, source = attempt.stamp, attempt.source
        self.values[name] = attempt.value
        if source is not None:
            self._note_way(name, source)
            self.origins[name] = source.where
            if source.spot is not None:
                self.spots[name] = source.spot
            if source.label is not None:
                self.labels.add(source.label)
            if stamp.cell is not None and not stamp.labelled and not stamp.tab:
                label = cell_text(self.sheet.cell(*source.label)) if source.label else ""
                self.beside[name] = (normal_form(label), self.sheet.address(*stamp.cell))
        self.scoped_findings += [
            ScopedFinding(finding, spots=attempt.open) for finding in attempt.told
        ]

    def _note_way(self, name: str, source: StampSource) -> None:
        form = self.plan.form(name)
        for day_first, _ in convert_kept((source.cell,), form).ways if form.asks_for_days else ():
            self.ways[name] = (day_first, cell_text(source.cell), source.where)

    def done(self, around: Surroundings) -> Stamped:
        """The stamps and findings."""
        # A record without a block is found again at its first stamp that has a value.
        read = [spot for name, spot in self.spots.items() if self.values[name] is not None]
        return Stamped(
            values=self.values,
            scoped_findings=tuple(self.scoped_findings),
            first=str(self.sheet.address(*read[0])) if read else "",
            origins=self.origins,
            beside=self.beside,
            captured=around.captured,
            spots=self.spots,
            labels=frozenset(self.labels),
            taken=self.taken,
            ways=self.ways,
        )


@dataclass(frozen=True)
class _Tried:
    """What a source of a stamp gave: where it was found, its value, what is wrong with it, and the
    cells concerned."""

    stamp: StampPlan
    source: StampSource | None
    value: object
    told: Sequence[Finding]
    open: tuple[Spot, ...]

    @property
    def absent(self) -> bool:
        """Whether the source is absent: it gave neither a value nor an error."""
        return self.value is None and bool(self.told) and _only_absent(self.told)


def _only_absent(findings: Sequence[Finding]) -> bool:
    return all(finding.kind in _ABSENT for finding in findings)


def _in_none(name: str, absent: Sequence[Finding]) -> Finding:
    """A finding: none of several sources gives the stamp."""
    wanted = "; ".join(finding.looked_for for finding in absent)
    return STAMP_IN_NO_SOURCE(field=name, wanted=wanted, sources=len(absent))


_ABSENT = (STAMP_NOT_FOUND, STAMP_BLANK)


def _default(plan: Plan, stamp: StampPlan) -> tuple[object, list[Finding]]:
    if stamp.default is None:
        return None, []
    value, findings = _converted(plan, stamp.field, StampSource(as_cell(stamp.default)))
    if findings:
        return value, findings
    note = STAMP_DEFAULT(field=stamp.field, default=stamp.default)
    return value, [note]


def _part(stamp: StampPlan, source: StampSource) -> tuple[StampSource | None, Sequence[Finding]]:
    """The part of a text that the stamp's pattern captures."""
    if stamp.pattern is None:
        return source, []
    text = cell_text(source.cell)
    # The text that does not fit is told whole: a part of it would mislead.
    kept = stamp.pattern.match(text)
    if kept is not None:
        return StampSource(kept[""], source.spot, source.label, source.where), []
    pattern = stamp.pattern.text
    differs = STAMP_PATTERN_DIFFERS(source.at, field=stamp.field, text=text, pattern=pattern)
    return None, [differs]


def convert_stamp(plan: Plan, name: str, text: str) -> tuple[object, list[Finding]]:
    """The value of a stamp that comes from a name."""
    return _converted(plan, name, StampSource(text))


def _converted(plan: Plan, name: str, source: StampSource) -> tuple[object, list[Finding]]:
    form = plan.form(name)
    result = convert_kept((source.cell,), form)
    in_cell = source.spot is not None
    # It says nothing on purpose: that is no failure to convert.
    if result.blanked:
        return None, [_says_nothing(name, source)]
    if not result.failures:
        findings = about_values(result, (source.cell,), lambda _: source.at, name, form)
        return result.first, findings
    reason, text = result.failures[0][1], cell_text(source.cell)
    kind = STAMP_NOT_CONVERTED if in_cell else NAME_NOT_CONVERTED
    failed = kind(
        source.at,
        field=name,
        text=text,
        origin="" if in_cell else source.where or Origin.NAME,
        noun=form.noun,
        type=form.kind,
        why=reason.shown,
        remedy=reason.remedy,
        there=text or kind_of(source.cell),
    )
    return None, [failed]


def _says_nothing(name: str, source: StampSource) -> Finding:
    return STAMP_SAYS_NOTHING(source.at, field=name, text=cell_text(source.cell))
