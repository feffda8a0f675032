"""The layout language, version 1, as it stands in a file: names, shapes and defaults.

What a key means is told in docs/layout.md. Here stands what may be written; whether the parts
fit together is checked in `boreotabula.layout.checking`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

FieldType = Literal["text", "integer", "number", "month"]
FIELD_TYPES: tuple[str, ...] = get_args(FieldType)

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


Texts = Annotated[tuple[str, ...], BeforeValidator(_as_tuple)]


class Part(BaseModel):
    """A table of the layout: unknown keys are errors, nothing is converted, nothing changes."""

    # The parts of the language are built when a layout is read, together: that is faster.
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, defer_build=True)


class Source(Part):
    """Where the files are and which of them belong to this family of forms."""

    folder: str = "."
    include: Texts = ()
    exclude: Texts = ()


class Tabs(Part):
    """Which tabs of a workbook are read."""

    named: Annotated[Texts, Field(min_length=1)]


class Stamp(Part):
    """Where a value that holds for all records of a tab is found."""

    cell: str


class Block(Part):
    """The table part of a form."""

    stub: Annotated[Texts, Field(min_length=1)]
    across: Annotated[Texts, Field(min_length=1)]
    value: str
    carry_down: Texts = ()
    totals: Texts = ()
    ignore: Texts = ()
    ends_at: Texts = ()


class FieldSpec(Part):
    """A column of the output: its type and the headings it is known by besides its own name."""

    type: FieldType = "text"
    also: Texts = ()


class LayoutSpec(Part):
    """A whole layout file."""

    layout: Literal[1]
    title: str = ""
    glossary: Texts = ()
    source: Source = Source()
    tabs: Tabs | None = None
    stamps: Mapping[str, Stamp] = {}
    block: Block
    fields: Mapping[str, Annotated[FieldSpec, BeforeValidator(_as_table)]]
