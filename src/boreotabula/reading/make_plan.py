"""Turn a checked layout into the plan by which tabs are read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from boreotabula.layout.block_checks import NO_FIELD, PASSED_OVER
from boreotabula.layout.checking import (
    FormSpec,
    block_namings,
    block_uses,
    forms_of,
    shared_uses,
)
from boreotabula.layout.field_checks import bound_of
from boreotabula.layout.headings import HeadingNames, normal_form
from boreotabula.layout.model import (
    Block,
    FieldSpec,
    LayoutSpec,
    Reading,
    Stamp,
)
from boreotabula.layout.problems import KeyPath
from boreotabula.reading.plan import (
    PASSED,
    RECORDS,
    BlockPlan,
    FormPlan,
    Plan,
    StampPlan,
    StampSources,
)
from boreotabula.reading.values.form import ValueForm, plain_form


def make_plan(
    spec: LayoutSpec, names: HeadingNames, spellings: Mapping[str, Mapping[str, str]] = {}
) -> Plan:
    """The plan of a checked layout; `spellings` are those of its glossaries, by field."""
    # What all editions share is in each of them by now.
    result = forms_of(spec)
    tables = _tables(spec, result)
    fields = {
        field: _value_form(spec.reading, described, spellings.get(field, {}))
        for field, described in spec.fields.items()
    }
    return Plan(
        fields=fields,
        names=names,
        boilerplate=spec.boilerplate,
        forms=tuple(
            FormPlan(
                spec.edition[index].title or f"edition {index + 1}" if spec.edition else "",
                spec.edition[index].when if spec.edition else None,
                _stamps(
                    {field: sources for field, (_, sources) in form.stamps.items()}, spec.version
                ),
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
        corrected_fields=next(
            (field for field, field_spec in spec.fields.items() if field_spec.holds), None
        ),
        years={
            field: field_spec.year_from
            for field, field_spec in spec.fields.items()
            if field_spec.year_from
        },
    )


def _value_form(general: Reading, field: FieldSpec, spellings: Mapping[str, str]) -> ValueForm:
    """How a field is written, as the layout says; where it does not, as [reading] says."""

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
        parts=field.pattern,
        spellings={**spellings, **inline},
        without_year=field.year_from is not None,
        least=None if field.min is None else bound_of(field.min, field.type),
        most=None if field.max is None else bound_of(field.max, field.type),
        choices=tuple(bound_of(choice, field.type) for choice in field.choices),
    )


def _factors(units: Mapping[str, float]) -> Mapping[str, Decimal]:
    """The factor of each unit to the first one; empty if they are all equal."""
    exact = {unit.casefold(): Decimal(repr(number)) for unit, number in units.items()}
    first = next(iter(exact.values()), Decimal(1))
    if all(number == first for number in exact.values()):
        return {}
    return {unit: number / first for unit, number in exact.items()}


def _stamps(stamps: Mapping[str, tuple[Stamp, ...]], version: str) -> tuple[StampSources, ...]:
    """The sources of stamps by field; what the layout itself gives is a value."""

    def source(field: str, stamp: Stamp) -> StampPlan:
        plan = StampPlan(field=field, **vars(stamp))
        known = plan.from_ == "layout version"
        return replace(plan, from_=None, value=version) if known else plan

    return tuple(
        tuple(source(field, stamp) for stamp in sources) for field, sources in stamps.items()
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
    form: FormSpec,
    path: KeyPath,
    block: Block,
    names: HeadingNames,
    value_forms: Mapping[str, ValueForm],
) -> BlockPlan:
    # `headings = 0` says that there is none, whatever else is said.
    depth = 0 if block.headings == 0 else block.heading_rows
    across, levels = _levels(block) if block.across else ((), tuple(range(depth)))
    columns = tuple("" if field in NO_FIELD else field for field in block.columns)
    own_fields = {use.field for use in block_uses(block, path)} | set(block.also)
    stamps = [
        stamp
        for sources in (*(sources for _, sources in form.stamps.values()), *block.stamps.values())
        for stamp in sources
    ]
    written_out = {
        "into": block.into or RECORDS,
        # The leading columns of a cross-tab name its rows, whether or not they have headings.
        "stub": block.stub or (tuple(filter(None, columns)) if across else ()),
        "across": across,
        "columns": columns,
    }
    return BlockPlan(
        **vars(block) | written_out,
        key=".".join(map(str, path)),
        names=_names(names, block),
        sources=_stamps(block.stamps, spec.version),
        marks=_marks(spec, form, path, block),
        stamp_labels=tuple(
            label for stamp in stamps for label in (*stamp.right_of, *stamp.below, *stamp.labelled)
        ),
        titled=any(stamp.from_ == "table title" for stamp in stamps),
        level_forms=tuple(value_forms[field] for field in across),
        levels=levels,
        optional_fields=frozenset(
            field for field, field_spec in spec.fields.items() if field_spec.optional
        ),
        boilerplate=spec.boilerplate,
        foreign=frozenset(_other_fields(form, path) - own_fields),
        by_list=bool(across) and any(not block.across for _, block in form.blocks),
        filled={
            use.field: use.what for use in (*shared_uses(spec, form), *block_uses(block, path))
        },
    )


def _other_fields(form: FormSpec, path: KeyPath) -> set[str]:
    """The fields that other blocks of a form fill."""
    return {
        use.field
        for block_path, block in form.blocks
        if block_path != path
        for use in block_uses(block, block_path)
    }


def _names(names: HeadingNames, block: Block) -> HeadingNames:
    """Which field a heading means in a block: its own names first, then those of all blocks."""
    own = {
        normal_form(block_naming.heading): block_naming.field
        for block_naming in block_namings(block)
    }
    return HeadingNames({**names.by_form, **own}) if own else names


def _marks(spec: LayoutSpec, form: FormSpec, path: KeyPath, block: Block) -> tuple[str, ...]:
    # A list without a stub is found by all the headings it could have.
    if block.stub or block.across:
        return block.stub
    filled = {use.field for use in (*shared_uses(spec, form), *block_uses(block, path))}
    # What something else fills needs no heading to be found by.
    open_ = tuple(field for field in spec.fields if field not in filled)
    others = _other_fields(form, path)
    return tuple(field for field in open_ if field not in others) or open_


@dataclass(frozen=True)
class _Tables:
    """The fields of each output table: those it always has, and those that headings may add."""

    fixed: Mapping[str, tuple[str, ...]]
    open: Mapping[str, tuple[str, ...]]


def _tables(spec: LayoutSpec, tables: list[FormSpec]) -> _Tables:
    """The fields of the output tables.

    A single table has all fields. Of several, each has the stamps and the fields that its own
    blocks name, and any other field once a heading on a tab means it.
    """
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
