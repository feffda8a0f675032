"""A layout made ready for reading: patterns compiled, names indexed, fields typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from boreotabula.layout.addresses import parse_address
from boreotabula.layout.checking import NO_FIELD, Form, block_uses, forms, shared_uses
from boreotabula.layout.field_checks import bound_of
from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.model import Block, FieldSpec, LayoutSpec, Reading, Stamp, When
from boreotabula.layout.patterns import Kind, Pattern, pattern
from boreotabula.layout.problems import KeyPath
from boreotabula.layout.tabs import TabChoice, tab_choice
from boreotabula.reading.values.form import PLAIN_TEXT, ValueForm, plain_form

RECORDS = "records"
"""The output table of blocks that do not say `into`."""


@dataclass(frozen=True)
class StampPlan:
    """Where a stamp is found. Exactly one of the sources is given."""

    field: str
    cell: tuple[int, int] | None
    """Row and column, counted from 0."""
    right_of: tuple[Pattern, ...]
    below: tuple[Pattern, ...]
    name: str | None
    source: str | None
    """What its text is taken from: 'file name', 'folder name' or 'tab name'."""
    value: object
    labelled: tuple[Pattern, ...]
    pattern: Pattern | None
    optional: bool
    default: object

    @property
    def labels(self) -> tuple[Pattern, ...]:
        """The labels it is searched by, if it is."""
        return self.right_of or self.below


@dataclass(frozen=True, eq=False)
class BlockPlan:
    """How a table part of a form is read. Equal only to itself, see `Plan`."""

    key: str
    """Names the block among all of the layout."""
    into: str
    tabs: TabChoice | None
    stub: tuple[str, ...]
    marks: tuple[str, ...]
    """The fields by whose headings the block is found: its stub; of a list without one, all fields
    that nothing else fills."""
    stamp_labels: tuple[Pattern, ...]
    """The labels of stamps: a row that holds one is no record."""
    across: tuple[str, ...]
    values: tuple[str, ...]
    """The fields of the values; none for a list."""
    at: tuple[int, int] | None
    named_table: tuple[Pattern, ...]
    columns: tuple[str, ...]
    """Fields by position; empty for a column that is passed over."""
    depth: int
    """Number of heading rows."""
    under_headings: int
    carry_down: frozenset[str]
    group_row: str | None
    totals: tuple[Pattern, ...]
    ignore: tuple[Pattern, ...]
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
    keep_unknown: bool
    """Whether columns with unknown headings become text fields of their own."""
    filled: Mapping[str, str]
    """What fills a field, for those filled by something other than a column of their own."""

    @property
    def found_by_headings(self) -> bool:
        """Whether it is looked for by headings, and not given by its place."""
        return not (self.at or self.named_table or self.columns)

    @property
    def is_list(self) -> bool:
        """Whether every heading is a column for the field it means."""
        return not self.across


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
    stamps: tuple[StampPlan, ...]
    blocks: tuple[BlockPlan, ...]


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
    found = forms(spec)
    tables = _tables(spec, found)
    return Plan(
        fields={
            field: _value_form(spec.reading, described, spellings.get(field, {}))
            for field, described in spec.fields.items()
        },
        names=names,
        boilerplate=_cell_patterns(spec.boilerplate),
        forms=tuple(
            FormPlan(
                spec.edition[at].title or f"edition {at + 1}" if spec.edition else "",
                _when(spec.edition[at].when) if spec.edition else None,
                tuple(_stamp(field, stamp) for field, (_, stamp) in form.stamps.items()),
                tuple(_block(spec, form, path, block) for path, block in form.blocks),
            )
            for at, form in enumerate(found)
        ),
        tables=tables.fixed,
        open_fields=tables.open,
        required=frozenset(field for field, one in spec.fields.items() if one.required),
        parts={
            field: (one.part, one.of) for field, one in spec.fields.items() if one.part and one.of
        },
        years={field: one.year_from for field, one in spec.fields.items() if one.year_from},
    )


def _value_form(general: Reading, field: FieldSpec, spellings: Mapping[str, str]) -> ValueForm:
    """What the layout says of reading a field; what it does not say, [reading] does."""

    def said(key: str) -> Any:
        own = getattr(field, key)
        return getattr(general, key) if own in (None, ()) else own

    # Spellings in the layout itself win over those of its glossaries.
    inline = {
        plain_form(text): means for means, some in field.same_as.items() for text in (means, *some)
    }
    return ValueForm(
        field.type,
        languages=tuple(code.replace("-", "_") for code in said("languages")),
        decimal_mark=said("decimal_mark"),
        thousands_mark=said("thousands_mark"),
        day_first=said("day_first"),
        empty=frozenset(map(plain_form, said("empty"))),
        units=tuple(sorted(field.unit, key=len, reverse=True)),
        spellings={**spellings, **inline},
        without_year=field.year_from is not None,
        least=None if field.min is None else bound_of(field.min, field.type),
        most=None if field.max is None else bound_of(field.max, field.type),
        choices=tuple(bound_of(one, field.type) for one in field.choices),
    )


def _when(when: When) -> WhenPlan:
    cell = parse_address(when.cell) if when.cell else None
    return WhenPlan(cell, _cell_patterns(when.is_ or when.heading))


def _stamp(field: str, stamp: Stamp) -> StampPlan:
    return StampPlan(
        field,
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
    )


def _block(spec: LayoutSpec, form: Form, path: KeyPath, block: Block) -> BlockPlan:
    if block.across:
        # Several values need a level of their own that names them.
        depth = len(block.across) + (len(block.value) > 1)
    else:
        # `headings = 0` says that there is none, whatever else is said.
        depth = 0 if block.headings == 0 else block.heading_rows
    return BlockPlan(
        key=".".join(map(str, path)),
        marks=_marks(spec, form, path, block),
        stamp_labels=_cell_patterns(
            tuple(
                text
                for _, stamp in form.stamps.values()
                for text in (*stamp.right_of, *stamp.below, *stamp.labelled)
            )
        ),
        into=block.into or RECORDS,
        tabs=tab_choice(block.tabs) if block.tabs else None,
        stub=block.stub,
        across=block.across,
        values=block.value,
        at=parse_address(block.at) if block.at else None,
        named_table=tuple(pattern(text, Kind.TAB) for text in block.named_table),
        columns=tuple("" if field in NO_FIELD else field for field in block.columns),
        depth=depth,
        under_headings=block.under_headings,
        carry_down=frozenset(block.carry_down),
        group_row=block.group_row,
        totals=_cell_patterns(block.totals),
        ignore=_cell_patterns(block.ignore),
        skip=_cell_patterns(block.skip),
        ends_at=_cell_patterns(block.ends_at),
        boilerplate=_cell_patterns(spec.boilerplate),
        gaps=block.gaps,
        reach_left=block.reach == "left",
        turned=block.turned,
        repeat=block.repeat,
        keep_blank=block.blank == "keep",
        every_row=block.every_row,
        keep_unknown=block.unknown_headings == "keep",
        filled={
            use.field: use.what for use in (*shared_uses(spec, form), *block_uses(block, path))
        },
    )


def _marks(spec: LayoutSpec, form: Form, path: KeyPath, block: Block) -> tuple[str, ...]:
    # A list without a stub is found by all the headings it could have.
    if block.stub or block.across:
        return block.stub
    filled = {use.field for use in (*shared_uses(spec, form), *block_uses(block, path))}
    # What something else fills needs no heading to be found by.
    open_ = tuple(field for field in spec.fields if field not in filled)
    others = {use.field for at, one in form.blocks if at != path for use in block_uses(one, at)}
    return tuple(field for field in open_ if field not in others) or open_


@dataclass(frozen=True)
class _Tables:
    """The fields of each output table: those it always has, and those that headings may add."""

    fixed: Mapping[str, tuple[str, ...]]
    open: Mapping[str, tuple[str, ...]]


def _tables(spec: LayoutSpec, found: list[Form]) -> _Tables:
    """The output tables. The only one has all fields; of several, each has the stamps and what its
    own blocks name, and, once a heading on a tab means it, any other field."""
    blocks = [(path, block) for form in found for path, block in form.blocks]
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
            for form in found
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
