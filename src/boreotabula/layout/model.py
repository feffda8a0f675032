"""The layout language, version 1: its tables, their keys and defaults.

The meaning of each key is in docs/layout.md; what it may hold, and what it compiles to, in
`boreotabula.layout.keys`. A new key is one line here, and its use. Whether the parts of a layout
fit together is checked in `boreotabula.layout.checking`.
"""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Annotated, Any, Literal

from boreotabula.layout.field_types import FIELD_TYPES
from boreotabula.layout.keys import (
    FOR_EDITORS,
    Accepts,
    CaptionPatterns,
    CellAddress,
    CellPatterns,
    ColumnPosition,
    ColumnStarts,
    Compiled,
    Factor,
    Few,
    FieldType,
    FilePatterns,
    FilesLeftOut,
    Flag,
    KeepingPattern,
    KeepingPatterns,
    LabelPatterns,
    Labels,
    Languages,
    ListFile,
    Part,
    Sign,
    Strictly,
    TabNames,
    Text,
    Texts,
    Whole,
    as_tables,
    as_tuple,
)
from boreotabula.layout.patterns import Pattern
from boreotabula.layout.tabs import Tabs

FIELD_TYPE_NAMES = tuple("decimal(2)" if name == "decimal" else name for name in FIELD_TYPES)
"""The types of fields, as messages list them."""
DatePart = Literal["year", "quarter", "month", "week", "weekday"]

PROVENANCE = ("source_file", "source_tab", "source_cell")
"""Columns that every record has besides the fields."""

_TABLE_NAME = re.compile(r"\w(?:[\w .\-]{0,98}\w)?")
_RESERVED = re.compile(r"(?:con|prn|aux|nul|com\d|lpt\d)(?:\..*)?", re.IGNORECASE)
"""Names of devices, which some systems do not accept as file names."""


def _as_table(value: Any) -> Any:
    """Accept a field's type alone, as in `lot = "text"`."""
    return {"type": value} if isinstance(value, str) else value


def _as_factors(value: Any) -> Any:
    """Accept one unit, a list of units that all mean the same, or a table of factors to the first
    one."""
    units = as_tuple(value)
    return dict.fromkeys(units, 1.0) if isinstance(units, tuple) else units


def _as_glossaries(value: Any) -> Any:
    """Accept the name of a file, a table, or a list of them."""
    files = value if isinstance(value, list | tuple) else [value]
    return tuple({"file": file} if isinstance(file, str) else file for file in files)


def _as_groups(value: Any) -> Any:
    """Accept the field alone, one table, or a list of them, outer to inner."""
    groups = value if isinstance(value, list | tuple) else [value]
    return tuple({"field": group} if isinstance(group, str) else group for group in groups)


def _table_name(name: str) -> str:
    """The name of an output table, which must be valid for files, tabs and database tables."""
    if not _TABLE_NAME.fullmatch(name) or _RESERVED.fullmatch(name):
        raise ValueError(
            f"“{name}” cannot name a table: use letters, digits, “_”, “-”, “.” and spaces, at most"
            " 100"
        )
    return name


@dataclass(frozen=True, kw_only=True)
class GlossaryFile(Part):
    """A glossary, and the names of its columns if they are not `heading` and `field`."""

    file: Text
    heading: Text = "heading"
    field: Text = "field"


@dataclass(frozen=True, kw_only=True)
class Source(Part):
    """Where the files are and which of them belong to this family of forms."""

    folder: Texts = (".",)
    include: FilePatterns = ()
    exclude: FilesLeftOut = ()


@dataclass(frozen=True, kw_only=True)
class TextPart(Part):
    """How text files are written, where that is not to be detected."""

    delimiter: Sign | None = None
    encoding: Text | None = None
    quote: Annotated[str, Strictly(max_length=1)] | None = None
    columns: Literal["aligned"] | ColumnStarts | None = None


Value = Annotated[str | int | float | bool | datetime | date | time, Strictly()]
"""A value that the layout itself gives."""


StampText = Literal[
    "file name", "folder name", "tab name", "stub head", "table title", "layout version"
]
"""The texts that a stamp may be taken from, besides cells."""


@dataclass(frozen=True, kw_only=True)
class Stamp(Part):
    """Where a value that holds for all records of a tab is found: exactly one of the sources;
    `pattern` may stand alone."""

    tab: TabNames = ()
    """The tab where it is looked for, if that is another one."""
    cell: CellAddress | None = None
    right_of: CellPatterns = ()
    below: CellPatterns = ()
    name: Text | None = None
    from_: StampText | None = None
    value: Value | None = None
    places: Annotated[int, Strictly(ge=1, le=999)] = 1
    """How many cells its value is away from its label."""
    labelled: CellPatterns = ()
    pattern: KeepingPattern | None = None
    compared: Flag = False
    """Whether it is compared with the source that is used, if that is an earlier one."""
    optional: Flag = False
    default: Value | None = None

    @property
    def labels(self) -> tuple[Pattern, ...]:
        """The labels by which it is found, if it has any."""
        return self.right_of or self.below


Stamps = Mapping[Text, Annotated[tuple[Stamp, ...], Accepts(Stamp | list[Stamp], as_tables)]]
"""Each stamp has one or several sources; the first that is present is used."""


@dataclass(frozen=True, kw_only=True)
class GroupRow(Part):
    """Rows of their own that name the group of the rows below; without `named` or `indent`
    recognised by their shape."""

    field: Text
    named: CellPatterns = ()
    indent: Annotated[int, Strictly(ge=0, le=250)] | None = None
    """The indentation of its names."""


@dataclass(frozen=True, kw_only=True)
class Parts(Part):
    """Rows that divide a table, and the field that numbers the parts from 1."""

    at: CellPatterns
    field: Text


@dataclass(frozen=True, kw_only=True)
class Largest(Part):
    """The records of each table with the largest values of a field."""

    by: Text
    rows: Whole


@dataclass(frozen=True, kw_only=True)
class Control(Part):
    """A line that gives the number of records above it, and the sums of their fields."""

    line: CellPatterns
    count: ColumnPosition | None = None
    sums: Mapping[Text, ColumnPosition] = dataclasses.field(default_factory=dict)


@dataclass(frozen=True, kw_only=True, eq=False)
class Block(Part):
    """The table part of a form."""

    # Equal only to itself: what follows from a block is kept by it.

    tabs: Tabs | None = None
    stub: Texts = ()
    across: Texts = ()
    """The fields of the heading levels, top to bottom."""
    value: Texts = ()
    """The value fields; none for a list."""
    at: CellAddress | None = None
    caption: CaptionPatterns = ()
    found_by: CellPatterns = ()
    """Texts that all stand in the lowest heading row."""
    named_table: TabNames = ()
    columns: Texts = ()
    """Fields by position; in a cross-tab the fields of the leading columns."""
    headings: Annotated[Literal[0], Strictly()] | None = None
    heading_rows: Few = 1
    under_headings: Annotated[int, Strictly(ge=0, le=9)] = 0
    carry_down: Texts = ()
    group_row: Annotated[
        tuple[GroupRow, ...], Accepts(str | GroupRow | list[str | GroupRow], _as_groups)
    ] = ()
    """From the outermost to the innermost."""
    totals: LabelPatterns = dataclasses.field(default_factory=Labels)
    not_totals: CellPatterns = ()
    """Rows that are records although they hold sums or begin as totals do."""
    ignore: LabelPatterns = dataclasses.field(default_factory=Labels)
    skip: CellPatterns = ()
    only_rows: CellPatterns = ()
    """The only rows that can be records, if the layout gives any."""
    parts: Parts | None = None
    control: Control | None = None
    below: Literal["error", "leave out"] = "error"
    beside: Literal["error", "leave out"] = "error"
    optional: Flag = False
    """Whether the table may be missing."""
    ends_at: CellPatterns = ()
    gaps: Flag = False
    reach: Literal["right", "left"] = "right"
    """Whether unmerged upper headings stand over the first or the last column of their group."""
    turned: Flag = False
    repeat: Flag = False
    blank: Literal["skip", "keep"] = "skip"
    every_row: Flag = False
    """Whether each row of a list is a record, however few of its cells are filled."""
    first_rows: Whole | None = None
    """At most this many record rows of each place become records."""
    last_rows: Whole | None = None
    largest: Largest | None = None
    visible_only: Flag = False
    unknown_headings: Literal["error", "keep", "leave out"] = "error"
    also: Mapping[Text, Texts] = dataclasses.field(default_factory=dict)
    stamps: Stamps = dataclasses.field(default_factory=dict)
    into: Annotated[str, Compiled(Text, _table_name)] | None = None


@dataclass(frozen=True, kw_only=True)
class Reading(Part):
    """How values are written in the files, for all fields or for one."""

    languages: Languages = ()
    decimal_mark: Literal[".", ","] | None = None
    thousands_mark: Literal[".", ",", " ", "'"] | None = None
    day_first: Flag | None = None
    empty: Texts = ()


Bound = Annotated[int | float | datetime | date | time | str, Strictly()]


@dataclass(frozen=True, kw_only=True)
class FieldSpec(Reading):
    """A column of the output: its type, the headings it is known by, the values it may hold."""

    type: FieldType = "text"
    also: Texts = ()
    required: Flag = False
    optional: Flag = False
    unit: Annotated[
        Mapping[Text, Factor],
        Accepts(str | list[str] | ListFile | dict[str, float], _as_factors),
    ] = dataclasses.field(default_factory=dict)
    pattern: KeepingPatterns = ()
    same_as: Mapping[Text, Texts] = dataclasses.field(default_factory=dict)
    min: Bound | None = None
    max: Bound | None = None
    choices: Annotated[tuple[Bound, ...], Accepts(str | list[Bound] | ListFile, as_tuple)] = ()
    part: DatePart | None = None
    of: Text | None = None
    year_from: Text | None = None
    holds: Literal["corrected fields"] | None = None
    """What fills it, if nothing of the form does."""


@dataclass(frozen=True, kw_only=True)
class When(Part):
    """What identifies an edition of a form: a cell, or a heading or label on the tab."""

    cell: CellAddress | None = None
    is_: CellPatterns = ()
    heading: CellPatterns = ()

    @property
    def patterns(self) -> tuple[Pattern, ...]:
        """What the cell, or a heading, must match."""
        return self.is_ or self.heading


Blocks = Annotated[tuple[Block, ...], Accepts(Block | list[Block], as_tables)]


@dataclass(frozen=True, kw_only=True)
class Edition(Part):
    """A form as it was at some time: what identifies it, and how it differs."""

    title: Text = ""
    when: When
    stamps: Stamps = dataclasses.field(default_factory=dict)
    block: Blocks = ()


@dataclass(frozen=True, kw_only=True)
class LayoutSpec(Part):
    """A whole layout file."""

    layout: Annotated[Literal[1], Strictly()]
    title: Text = ""
    version: Text = ""
    """The name of the layout in records and in the record of a run; it changes no reading."""
    glossary: Annotated[
        tuple[GlossaryFile, ...],
        Accepts(str | GlossaryFile | list[str | GlossaryFile], _as_glossaries),
    ] = ()
    corrections: Text | None = None
    accepted: Text | None = None
    key: Texts = ()
    provenance: Flag = True
    boilerplate: CellPatterns = ()
    source: Source = Source()
    text: TextPart = TextPart()
    reading: Reading = Reading()
    tabs: Tabs | None = None
    stamps: Stamps = dataclasses.field(default_factory=dict)
    block: Blocks = ()
    edition: Annotated[tuple[Edition, ...], Accepts(Edition | list[Edition], as_tables)] = ()
    fields: Mapping[Text, Annotated[FieldSpec, Accepts(FieldType | FieldSpec, _as_table)]]


def layout_schema() -> dict[str, Any]:
    """The JSON Schema of a layout file (draft 2020-12), for editors."""
    from pydantic import TypeAdapter

    token = FOR_EDITORS.set(True)
    try:
        schema = TypeAdapter(LayoutSpec).json_schema(mode="validation")
    finally:
        FOR_EDITORS.reset(token)
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Layout, version 1"}
    return {**schema, **head}
