"""The layout language, version 1, as it stands in a file: names, shapes and defaults.

What a key means is told in docs/layout.md. Here stands what may be written; whether the parts
fit together is checked in `boreotabula.layout.checking`.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time
from typing import Annotated, Any, Literal, get_args

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    WithJsonSchema,
)
from pydantic_core import PydanticCustomError

from boreotabula.layout.field_types import DECIMAL, FIELD_TYPES, is_type

FIELD_TYPE_NAMES = tuple("decimal(2)" if name == "decimal" else name for name in FIELD_TYPES)
"""The types of fields, as messages list them."""
DatePart = Literal["year", "quarter", "month", "week", "weekday"]
DATE_PARTS: tuple[str, ...] = get_args(DatePart)

PROVENANCE = ("source_file", "source_tab", "source_cell")
"""Columns that every record carries besides the fields."""


def _as_tuple(value: Any) -> Any:
    """Accept one text or a list of texts."""
    if isinstance(value, str):
        return (value,)
    return tuple(value) if isinstance(value, list) else value


def _as_table(value: Any) -> Any:
    """Accept a field's type alone, as in `lot = "text"`."""
    return {"type": value} if isinstance(value, str) else value


def _as_list(value: Any) -> Any:
    """Accept one table `[block]` or an array of tables `[[block]]`."""
    return (value,) if isinstance(value, Mapping) else _as_tuple(value)


def _as_factors(value: Any) -> Any:
    """Accept one unit, a list of units that all mean the same, or a table of how many of the first
    each is."""
    units = _as_tuple(value)
    return dict.fromkeys(units, 1.0) if isinstance(units, tuple) else units


def _as_glossaries(value: Any) -> Any:
    """Accept the name of a file, a table, or a list of them."""
    files = value if isinstance(value, list | tuple) else [value]
    return tuple({"file": file} if isinstance(file, str) else file for file in files)


def _as_groups(value: Any) -> Any:
    """Accept the field alone, one table, or a list of them, outer to inner."""
    groups = value if isinstance(value, list | tuple) else [value]
    return tuple({"field": group} if isinstance(group, str) else group for group in groups)


def _known_type(value: str) -> str:
    if not is_type(value):
        raise PydanticCustomError("field_type", "no such type")
    return value


_PLAIN_TYPES = [name for name in FIELD_TYPES if name != "decimal"]
FieldType = Annotated[
    str,
    AfterValidator(_known_type),
    WithJsonSchema(
        {"anyOf": [{"enum": _PLAIN_TYPES}, {"type": "string", "pattern": f"^{DECIMAL}$"}]}
    ),
]


class Part(BaseModel):
    """A table of the layout: unknown keys are errors, nothing is converted, nothing changes."""

    # The parts of the language are built when a layout is read, together: that is faster.
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, defer_build=True)


class ListFile(Part):
    """A list that is kept in a file of its own, an entry on each line. Read before all else."""

    file: str


Texts = Annotated[
    tuple[str, ...],
    BeforeValidator(_as_tuple, json_schema_input_type=str | list[str] | ListFile),
]


class GlossaryFile(Part):
    """A glossary, and what its columns are called if not `heading` and `field`."""

    file: str
    heading: str = "heading"
    field: str = "field"


class Source(Part):
    """Where the files are and which of them belong to this family of forms."""

    folder: Texts = (".",)
    include: Texts = ()
    exclude: Texts = ()


class TextPart(Part):
    """How text files are written, where that is not to be found out."""

    delimiter: Annotated[str, Field(min_length=1, max_length=1)] | None = None
    encoding: str | None = None
    quote: Annotated[str, Field(max_length=1)] | None = None
    columns: (
        Literal["aligned"]
        | Annotated[
            tuple[Annotated[int, Field(ge=1)], ...],
            BeforeValidator(_as_tuple, json_schema_input_type=list[int]),
        ]
        | None
    ) = None


class Tabs(Part):
    """Which tabs of a workbook are read."""

    named: Texts = ()
    position: int | None = None
    every: bool = False
    where_found: bool = False
    except_: Texts = Field(default=(), alias="except")
    visible_only: bool = False


class Stamp(Part):
    """Where a value that holds for all records of a tab is found: exactly one of the sources."""

    tab: Texts = ()

    cell: str | None = None
    right_of: Texts = ()
    below: Texts = ()
    name: str | None = None
    from_: Literal["file name", "folder name", "tab name", "stub head", "table title"] | None = (
        Field(default=None, alias="from")
    )
    value: str | int | float | bool | datetime | date | time | None = None
    places: Annotated[int, Field(ge=1, le=999)] = 1
    labelled: Texts = ()
    pattern: str | None = None
    compared: bool = False
    optional: bool = False
    default: str | int | float | bool | datetime | date | time | None = None


Stamps = Mapping[
    str,
    Annotated[
        tuple[Stamp, ...], BeforeValidator(_as_list, json_schema_input_type=Stamp | list[Stamp])
    ],
]
"""Each stamp has one source or several, of which the first that is there is taken."""


class GroupRow(Part):
    """Rows of their own that name the group of the rows below; without `named` or `indent` by their
    shape."""

    field: str
    named: Texts = ()
    indent: Annotated[int, Field(ge=0, le=250)] | None = None


class Parts(Part):
    """Rows that part a table, and the field that numbers the parts from 1."""

    at: Texts
    field: str


class Largest(Part):
    """The records of each table with the largest values of a field."""

    by: str
    rows: Annotated[int, Field(ge=1)]


class Control(Part):
    """A line that says how many records stand above it, and what their fields sum up to; its
    columns are counted from 1."""

    line: Texts
    count: Annotated[int, Field(ge=1)] | None = None
    sums: Mapping[str, Annotated[int, Field(ge=1)]] = {}


class Block(Part):
    """The table part of a form."""

    tabs: Tabs | None = None
    stub: Texts = ()
    across: Texts = ()
    value: Texts = ()
    at: str | None = None
    caption: Texts = ()
    found_by: Texts = ()
    named_table: Texts = ()
    columns: Texts = ()
    headings: Literal[0] | None = None
    heading_rows: Annotated[int, Field(ge=1, le=9)] = 1
    under_headings: Annotated[int, Field(ge=0, le=9)] = 0
    carry_down: Texts = ()
    group_row: Annotated[
        tuple[GroupRow, ...],
        BeforeValidator(_as_groups, json_schema_input_type=str | GroupRow | list[str | GroupRow]),
    ] = ()
    totals: Texts = ()
    not_totals: Texts = ()
    ignore: Texts = ()
    skip: Texts = ()
    only_rows: Texts = ()
    parts: Parts | None = None
    control: Control | None = None
    below: Literal["error", "leave out"] = "error"
    beside: Literal["error", "leave out"] = "error"
    optional: bool = False
    ends_at: Texts = ()
    gaps: bool = False
    reach: Literal["right", "left"] = "right"
    turned: bool = False
    repeat: bool = False
    blank: Literal["skip", "keep"] = "skip"
    every_row: bool = False
    first_rows: Annotated[int, Field(ge=1)] | None = None
    last_rows: Annotated[int, Field(ge=1)] | None = None
    largest: Largest | None = None
    visible_only: bool = False
    unknown_headings: Literal["error", "keep", "leave out"] = "error"
    also: Mapping[str, Texts] = {}
    stamps: Stamps = {}
    into: str | None = None


class Reading(Part):
    """How values are written in the files, for all fields or for one."""

    languages: Texts = ()
    decimal_mark: Literal[".", ","] | None = None
    thousands_mark: Literal[".", ",", " ", "'"] | None = None
    day_first: bool | None = None
    empty: Texts = ()


Bound = int | float | datetime | date | time | str


class FieldSpec(Reading):
    """A column of the output: its type, the headings it is known by, the values it may hold."""

    type: FieldType = "text"
    also: Texts = ()
    required: bool = False
    optional: bool = False
    unit: Annotated[
        Mapping[str, Annotated[float, Field(gt=0)]],
        BeforeValidator(
            _as_factors, json_schema_input_type=str | list[str] | ListFile | dict[str, float]
        ),
    ] = {}
    pattern: Texts = ()
    same_as: Mapping[str, Texts] = {}
    min: Bound | None = None
    max: Bound | None = None
    choices: Annotated[
        tuple[Bound, ...],
        BeforeValidator(_as_tuple, json_schema_input_type=str | list[Bound] | ListFile),
    ] = ()
    part: DatePart | None = None
    of: str | None = None
    year_from: str | None = None


class When(Part):
    """How an edition of a form is told: by a cell, or by a heading or label that stands in it."""

    cell: str | None = None
    is_: Texts = Field(default=(), alias="is")
    heading: Texts = ()


Blocks = Annotated[
    tuple[Block, ...], BeforeValidator(_as_list, json_schema_input_type=Block | list[Block])
]


class Edition(Part):
    """A form as it was at some time: what tells it, and what differs in it."""

    title: str = ""
    when: When
    stamps: Stamps = {}
    block: Blocks = ()


class LayoutSpec(Part):
    """A whole layout file."""

    layout: Literal[1]
    title: str = ""
    glossary: Annotated[
        tuple[GlossaryFile, ...],
        BeforeValidator(
            _as_glossaries,
            json_schema_input_type=str | GlossaryFile | list[str | GlossaryFile],
        ),
    ] = ()
    corrections: str | None = None
    accepted: str | None = None
    key: Texts = ()
    provenance: bool = True
    boilerplate: Texts = ()
    source: Source = Source()
    text: TextPart = TextPart()
    reading: Reading = Reading()
    tabs: Tabs | None = None
    stamps: Stamps = {}
    block: Blocks = ()
    edition: Annotated[
        tuple[Edition, ...],
        BeforeValidator(_as_list, json_schema_input_type=Edition | list[Edition]),
    ] = ()
    fields: Mapping[
        str,
        Annotated[
            FieldSpec, BeforeValidator(_as_table, json_schema_input_type=FieldType | FieldSpec)
        ],
    ]


def layout_schema() -> dict[str, Any]:
    """The JSON Schema of a layout file (draft 2020-12), for editors."""
    schema = LayoutSpec.model_json_schema(mode="validation")
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Layout, version 1"}
    return {**schema, **head}
