"""A layout made ready for reading: patterns compiled, names indexed, fields typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Any

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.checking import (
    NO_FIELD,
    PASSED_OVER,
    Form,
    block_namings,
    block_uses,
    forms,
    shared_uses,
)
from boreotabula.layout.field_checks import bound_of
from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.layout.model import (
    Block,
    Control,
    FieldSpec,
    LayoutSpec,
    Parts,
    Reading,
    Stamp,
    When,
)
from boreotabula.layout.patterns import Kind, Pattern, pattern
from boreotabula.layout.problems import KeyPath
from boreotabula.layout.tabs import TabChoice, tab_choice
from boreotabula.reading.corrections import Correction
from boreotabula.reading.values.form import PLAIN_TEXT, ValueForm, plain_form

RECORDS = "records"
"""The output table of blocks that do not say `into`."""


@dataclass(frozen=True)
class StampPlan:
    """One source of a stamp. Exactly one of the ways to find it is given; `pattern` may stand
    alone."""

    field: str
    tabs: tuple[Pattern, ...]
    """The tab where it is looked for, if that is another one."""
    cell: tuple[int, int] | None
    """Row and column, counted from 0."""
    right_of: tuple[Pattern, ...]
    below: tuple[Pattern, ...]
    name: str | None
    source: str | None
    """What its text is taken from: 'file name', 'folder name', 'tab name', 'stub head' or 'table
    title'."""
    value: object
    labelled: tuple[Pattern, ...]
    pattern: Pattern | None
    optional: bool
    default: object
    places: int = 1
    """How many cells its value is from its label."""
    compared: bool = False
    """Whether it is compared with the source that was taken, if that is an earlier one."""

    @property
    def labels(self) -> tuple[Pattern, ...]:
        """The labels it is searched by, if it is."""
        return self.right_of or self.below


StampSources = tuple[StampPlan, ...]
"""The sources of one stamp: the first that is there is taken, others may be compared with it."""


@dataclass(frozen=True)
class GroupPlan:
    """Rows that name the group of the rows below them; without patterns known by their shape."""

    field: str
    named: tuple[Pattern, ...]
    indent: int | None = None
    """How far its names are indented."""


@dataclass(frozen=True)
class PartsPlan:
    """Rows that part a table, and the field that numbers the parts."""

    at: tuple[Pattern, ...]
    field: str


@dataclass(frozen=True)
class ControlPlan:
    """A line that counts the records above it and sums up their fields; columns counted from 0."""

    line: tuple[Pattern, ...]
    count: int | None
    sums: tuple[tuple[str, int], ...]


@dataclass(frozen=True, eq=False)
class BlockPlan:
    """How a table part of a form is read. Equal only to itself, see `Plan`."""

    key: str
    """Names the block among all of the layout."""
    into: str
    tabs: TabChoice | None
    names: HeadingNames
    """Which field a heading means in this block."""
    own_names: frozenset[str]
    """The fields of headings that mean something in this block only."""
    stamps: tuple[StampSources, ...]
    """Stamps of this block alone."""
    stub: tuple[str, ...]
    marks: tuple[str, ...]
    """The fields by whose headings the block is found: its stub; of a list without one, all fields
    that nothing else fills."""
    stamp_labels: tuple[Pattern, ...]
    """The labels of stamps: a row that holds one is no record."""
    titled: bool
    """Whether the text above the table is a stamp."""
    across: tuple[str, ...]
    """The fields of the heading levels, top to bottom."""
    level_forms: tuple[ValueForm, ...]
    """How the headings of each level are written."""
    levels: tuple[int, ...]
    """For each heading row, top to bottom, which level it is, counted from 0: two rows may make one
    level; `PASSED` if it is none. Of several values the last row says which of them."""
    values: tuple[str, ...]
    """The fields of the values; none for a list."""
    at: tuple[int, int] | None
    caption: tuple[Pattern, ...]
    found_by: tuple[Pattern, ...]
    """Texts that all stand in the lowest heading row."""
    named_table: tuple[Pattern, ...]
    columns: tuple[str, ...]
    """Fields by position, of a cross-tab those of the leading columns; empty for a column that is
    passed over."""
    depth: int
    """Number of heading rows."""
    under_headings: int
    carry_down: frozenset[str]
    groups: tuple[GroupPlan, ...]
    """From the outermost to the innermost."""
    totals: tuple[Pattern, ...]
    unlabelled_totals: bool
    """Whether a row of figures without any label is a row of totals."""
    not_totals: tuple[Pattern, ...]
    """Rows that are records, though they hold sums or begin as totals do."""
    only_rows: tuple[Pattern, ...]
    """The only rows that can be records, if there are any."""
    parts: PartsPlan | None
    control: ControlPlan | None
    leave_below: bool
    """Whether what lies below the table is left out."""
    leave_beside: bool
    optional: bool
    """Whether the table may be missing."""
    optional_fields: frozenset[str]
    """Fields whose column may be missing."""
    ignore: tuple[Pattern, ...]
    ignore_unheaded: bool
    skip: tuple[Pattern, ...]
    ends_at: tuple[Pattern, ...]
    boilerplate: tuple[Pattern, ...]
    """Texts of the form itself: alone in a row of the table they are no record."""
    gaps: bool
    reach_left: bool
    """Whether unmerged upper headings stand over the last column of their group."""
    turned: bool
    repeat: bool
    keep_blank: bool
    every_row: bool
    """Whether each row of a list is a record, however few of its cells are filled."""
    first_rows: int | None
    """So many record rows of each place are records."""
    last_rows: int | None
    largest: tuple[str, int] | None
    """The field by whose values, and how many record rows of each place are records."""
    visible_only: bool
    keep_unknown: bool
    """Whether columns with unknown headings become text fields of their own."""
    drop_unknown: bool
    """Whether columns that no field knows are left out."""
    foreign: frozenset[str]
    """Fields that another block names, and this one does not."""
    by_list: bool
    """Whether this is a cross-tab beside lists, of whose headings the fields are that no block
    names."""
    filled: Mapping[str, str]
    """What fills a field, for those filled by something other than a column of their own."""

    @property
    def searched(self) -> bool:
        """Whether it is looked for by texts, and not given by its place."""
        by_position = self.columns and not (self.caption or self.found_by)
        return not (self.at or self.named_table or by_position)

    @property
    def trailing_passed(self) -> int:
        """How many heading rows below the lowest level are passed over."""
        return next(
            (index for index, level in enumerate(reversed(self.levels)) if level != PASSED), 0
        )

    @cached_property
    def with_hidden(self) -> BlockPlan:
        """The same block, hidden rows and columns too."""
        return replace(self, visible_only=False)

    @property
    def row_names(self) -> frozenset[str]:
        """The fields that name rows: the stub, and the groups."""
        return frozenset((*self.stub, *(group.field for group in self.groups)))

    @property
    def is_list(self) -> bool:
        """Whether every heading is a column for the field it means."""
        return not self.across


PASSED = -1
"""A heading row that is no level."""


@dataclass(frozen=True)
class WhenPlan:
    """How an edition is told: a cell (row and column from 0) that matches, or a heading."""

    cell: tuple[int, int] | None
    patterns: tuple[Pattern, ...]


@dataclass(frozen=True)
class FormPlan:
    """One way to read a tab: that of the layout, or of one edition of the form."""

    title: str
    when: WhenPlan | None
    stamps: tuple[StampSources, ...]
    blocks: tuple[BlockPlan, ...]

    @property
    def sources(self) -> list[StampPlan]:
        """The sources of all stamps, those of single blocks too."""
        every = (self.stamps, *(block.stamps for block in self.blocks))
        return [source for stamps in every for sources in stamps for source in sources]


@dataclass(frozen=True, eq=False)
class Plan:
    """All that reading a tab needs to know of a layout. Can be sent to another process.

    A plan is equal only to itself, so that what follows from it can be kept by it.
    """

    fields: Mapping[str, ValueForm]
    """How the values of each field are written, in the order of the output's columns."""
    names: HeadingNames
    boilerplate: tuple[Pattern, ...]
    """Texts of the form itself: outside the tables they are labels."""
    forms: tuple[FormPlan, ...]
    tables: Mapping[str, tuple[str, ...]]
    """The fields of each output table, in the order of the layout."""
    open_fields: Mapping[str, tuple[str, ...]]
    """Of several output tables: the fields that each has besides if a heading on any tab means
    them."""
    required: frozenset[str]
    parts: Mapping[str, tuple[str, str]]
    """Of fields that are a part of a date: which part, and of which field."""
    years: Mapping[str, str]
    """Of months that may come without a year: the field that tells it."""
    corrections: tuple[Correction, ...] = ()
    """Cells that are read as a person has corrected them."""

    def form(self, field: str) -> ValueForm:
        """How the values of a field are written; columns that no field knows hold texts."""
        return self.fields.get(field, PLAIN_TEXT)

    @property
    def derives(self) -> bool:
        """Whether some fields follow from others of the same record."""
        return bool(self.parts or self.years)

    @property
    def keeps_unknown(self) -> bool:
        """Whether output tables may get columns that the layout does not name."""
        return any(block.keep_unknown for form in self.forms for block in form.blocks)

    @property
    def grows(self) -> bool:
        """Whether the columns of some output table are known only once all files are read."""
        return self.keeps_unknown or any(self.open_fields.values())

    @property
    def unclaimed(self) -> frozenset[str]:
        """The fields of lists that no table has always, of several tables."""
        always = {field for fields in self.tables.values() for field in fields}
        return frozenset(field for field in self.fields if field not in always)


def make_plan(
    spec: LayoutSpec, names: HeadingNames, spellings: Mapping[str, Mapping[str, str]] = {}
) -> Plan:
    """The plan of a checked layout; `spellings` are those of its glossaries, by field."""
    # What all editions share is in each of them by now.
    result = forms(spec)
    tables = _tables(spec, result)
    fields = {
        field: _value_form(spec.reading, described, spellings.get(field, {}))
        for field, described in spec.fields.items()
    }
    return Plan(
        fields=fields,
        names=names,
        boilerplate=_cell_patterns(spec.boilerplate),
        forms=tuple(
            FormPlan(
                spec.edition[index].title or f"edition {index + 1}" if spec.edition else "",
                _when(spec.edition[index].when) if spec.edition else None,
                _stamps({field: sources for field, (_, sources) in form.stamps.items()}),
                tuple(
                    _block(spec, form, path, block, names, fields) for path, block in form.blocks
                ),
            )
            for index, form in enumerate(result)
        ),
        tables=tables.fixed,
        open_fields=tables.open,
        required=frozenset(
            field for field, field_spec in spec.fields.items() if field_spec.required
        ),
        parts={
            field: (field_spec.part, field_spec.of)
            for field, field_spec in spec.fields.items()
            if field_spec.part and field_spec.of
        },
        years={
            field: field_spec.year_from
            for field, field_spec in spec.fields.items()
            if field_spec.year_from
        },
    )


def _value_form(general: Reading, field: FieldSpec, spellings: Mapping[str, str]) -> ValueForm:
    """What the layout says of reading a field; what it does not say, [reading] does."""

    def said(key: str) -> Any:
        own = getattr(field, key)
        return getattr(general, key) if own in (None, ()) else own

    # Spellings in the layout itself win over those of its glossaries.
    inline = {
        plain_form(text): means
        for means, texts in field.same_as.items()
        for text in (means, *texts)
    }
    return ValueForm(
        field.type,
        languages=tuple(code.replace("-", "_") for code in said("languages")),
        decimal_mark=said("decimal_mark"),
        thousands_mark=said("thousands_mark"),
        day_first=said("day_first"),
        empty=frozenset(map(plain_form, said("empty"))),
        units=tuple(sorted(field.unit, key=len, reverse=True)),
        unit=next(iter(field.unit), ""),
        factors=_factors(field.unit),
        parts=tuple(pattern(text, Kind.STAMP) for text in field.pattern),
        spellings={**spellings, **inline},
        without_year=field.year_from is not None,
        least=None if field.min is None else bound_of(field.min, field.type),
        most=None if field.max is None else bound_of(field.max, field.type),
        choices=tuple(bound_of(choice, field.type) for choice in field.choices),
    )


def _factors(units: Mapping[str, float]) -> Mapping[str, Decimal]:
    """How many of the first unit each is; none if they are all the same."""
    exact = {unit.casefold(): Decimal(repr(number)) for unit, number in units.items()}
    first = next(iter(exact.values()), Decimal(1))
    if all(number == first for number in exact.values()):
        return {}
    return {unit: number / first for unit, number in exact.items()}


def _when(when: When) -> WhenPlan:
    cell = parse_address(when.cell) if when.cell else None
    return WhenPlan(cell, _cell_patterns(when.is_ or when.heading))


def _stamps(stamps: Mapping[str, tuple[Stamp, ...]]) -> tuple[StampSources, ...]:
    return tuple(
        tuple(_source(field, source) for source in sources) for field, sources in stamps.items()
    )


def _source(field: str, stamp: Stamp) -> StampPlan:
    return StampPlan(
        field,
        tuple(pattern(text, Kind.TAB) for text in stamp.tab),
        parse_address(stamp.cell) if stamp.cell else None,
        _cell_patterns(stamp.right_of),
        _cell_patterns(stamp.below),
        stamp.name,
        stamp.from_,
        stamp.value,
        _cell_patterns(stamp.labelled),
        pattern(stamp.pattern, Kind.STAMP) if stamp.pattern else None,
        stamp.optional,
        stamp.default,
        stamp.places,
        stamp.compared,
    )


def _levels(block: Block) -> tuple[tuple[str, ...], tuple[int, ...]]:
    """The fields of the heading levels of a cross-tab, and which level each heading row is."""
    fields: list[str] = []
    levels: list[int] = []
    for index, field in enumerate(block.across):
        if field == PASSED_OVER:
            levels.append(PASSED)
            continue
        # Named twice in turn: its headings are cut over two rows.
        if not index or block.across[index - 1] != field:
            fields.append(field)
        levels.append(len(fields) - 1)
    # Several values need a level of their own that names them.
    return tuple(fields), (*levels, len(fields)) if len(block.value) > 1 else tuple(levels)


def _block(
    spec: LayoutSpec,
    form: Form,
    path: KeyPath,
    block: Block,
    names: HeadingNames,
    value_forms: Mapping[str, ValueForm],
) -> BlockPlan:
    # `headings = 0` says that there is none, whatever else is said.
    depth = 0 if block.headings == 0 else block.heading_rows
    across, levels = _levels(block) if block.across else ((), tuple(range(depth)))
    columns = tuple("" if field in NO_FIELD else field for field in block.columns)
    named = {use.field for use in block_uses(block, path)} | set(block.also)
    other_texts = {
        use.field
        for values, block in form.blocks
        if values != path
        for use in block_uses(block, values)
    }
    return BlockPlan(
        key=".".join(map(str, path)),
        names=_names(names, block),
        own_names=frozenset(block.also),
        stamps=_stamps(block.stamps),
        marks=_marks(spec, form, path, block),
        stamp_labels=_cell_patterns(
            tuple(
                text
                for sources in (
                    *(stamps for _, stamps in form.stamps.values()),
                    *block.stamps.values(),
                )
                for stamp in sources
                for text in (*stamp.right_of, *stamp.below, *stamp.labelled)
            )
        ),
        titled=any(
            stamp.from_ == "table title"
            for sources in (*(stamps for _, stamps in form.stamps.values()), *block.stamps.values())
            for stamp in sources
        ),
        into=block.into or RECORDS,
        tabs=tab_choice(block.tabs) if block.tabs else None,
        # The leading columns of a cross-tab name its rows, whether or not they have headings.
        stub=block.stub or (tuple(filter(None, columns)) if across else ()),
        across=across,
        level_forms=tuple(value_forms[field] for field in across),
        levels=levels,
        values=block.value,
        caption=tuple(pattern(text, Kind.CAPTION) for text in block.caption),
        found_by=_cell_patterns(block.found_by),
        at=parse_address(block.at) if block.at else None,
        named_table=tuple(pattern(text, Kind.TAB) for text in block.named_table),
        columns=columns,
        depth=len(levels),
        under_headings=block.under_headings,
        carry_down=frozenset(block.carry_down),
        groups=tuple(
            GroupPlan(group_row.field, _cell_patterns(group_row.named), group_row.indent)
            for group_row in block.group_row
        ),
        totals=_cell_patterns(tuple(total for total in block.totals if total)),
        unlabelled_totals="" in block.totals,
        not_totals=_cell_patterns(block.not_totals),
        only_rows=_cell_patterns(block.only_rows),
        parts=_parts(block.parts) if block.parts else None,
        control=_control(block.control) if block.control else None,
        leave_below=block.below == "leave out",
        leave_beside=block.beside == "leave out",
        optional=block.optional,
        optional_fields=frozenset(
            field for field, field_spec in spec.fields.items() if field_spec.optional
        ),
        ignore=_cell_patterns(tuple(text for text in block.ignore if text)),
        ignore_unheaded="" in block.ignore,
        skip=_cell_patterns(block.skip),
        ends_at=_cell_patterns(block.ends_at),
        boilerplate=_cell_patterns(spec.boilerplate),
        gaps=block.gaps,
        reach_left=block.reach == "left",
        turned=block.turned,
        repeat=block.repeat,
        keep_blank=block.blank == "keep",
        every_row=block.every_row,
        first_rows=block.first_rows,
        last_rows=block.last_rows,
        largest=(block.largest.by, block.largest.rows) if block.largest else None,
        visible_only=block.visible_only,
        keep_unknown=block.unknown_headings == "keep",
        drop_unknown=block.unknown_headings == "leave out",
        foreign=frozenset(other_texts - named),
        by_list=bool(across) and any(not block.across for _, block in form.blocks),
        filled={
            use.field: use.what for use in (*shared_uses(spec, form), *block_uses(block, path))
        },
    )


def _parts(parts: Parts) -> PartsPlan:
    return PartsPlan(_cell_patterns(parts.at), parts.field)


def _control(control: Control) -> ControlPlan:
    return ControlPlan(
        _cell_patterns(control.line),
        None if control.count is None else control.count - 1,
        tuple((field, column - 1) for field, column in control.sums.items()),
    )


def _names(names: HeadingNames, block: Block) -> HeadingNames:
    """Which field a heading means in a block: what it says itself, then what all say."""
    own = {
        normal_form(block_naming.heading): block_naming.field
        for block_naming in block_namings(block)
    }
    return HeadingNames({**names.by_form, **own}) if own else names


def _marks(spec: LayoutSpec, form: Form, path: KeyPath, block: Block) -> tuple[str, ...]:
    # A list without a stub is found by all the headings it could have.
    if block.stub or block.across:
        return block.stub
    filled = {use.field for use in (*shared_uses(spec, form), *block_uses(block, path))}
    # What something else fills needs no heading to be found by.
    open_ = tuple(field for field in spec.fields if field not in filled)
    other_texts = {
        use.field
        for values, block in form.blocks
        if values != path
        for use in block_uses(block, values)
    }
    return tuple(field for field in open_ if field not in other_texts) or open_


@dataclass(frozen=True)
class _Tables:
    """The fields of each output table: those it always has, and those that headings may add."""

    fixed: Mapping[str, tuple[str, ...]]
    open: Mapping[str, tuple[str, ...]]


def _tables(spec: LayoutSpec, tables: list[Form]) -> _Tables:
    """The output tables. The only one has all fields; of several, each has the stamps and what its
    own blocks name, and, once a heading on a tab means it, any other field."""
    blocks = [(path, block) for form in tables for path, block in form.blocks]
    intos = list(dict.fromkeys(block.into or RECORDS for _, block in blocks)) or [RECORDS]
    # The only table holds all fields, filled or not: its columns never change.
    if len(intos) == 1:
        return _Tables({intos[0]: tuple(spec.fields)}, {intos[0]: ()})
    always: dict[str, set[str]] = {
        into: {
            use.field
            for path, block in blocks
            if (block.into or RECORDS) == into
            for use in block_uses(block, path)
        }
        | {
            use.field
            for form in tables
            for use in shared_uses(spec, form)
            if not spec.fields[use.field].part
        }
        for into in intos
    }
    # By position no heading can add a field.
    by_heading = {block.into or RECORDS for _, block in blocks if not block.columns}
    roots = {field: described.of or field for field, described in spec.fields.items()}
    return _Tables(
        {into: tuple(f for f in spec.fields if roots[f] in always[into]) for into in intos},
        {
            into: tuple(f for f in spec.fields if roots[f] not in always[into])
            if into in by_heading
            else ()
            for into in intos
        },
    )


def _cell_patterns(texts: tuple[str, ...]) -> tuple[Pattern, ...]:
    return tuple(pattern(text, Kind.CELL) for text in texts)
