"""A layout made ready for reading: patterns compiled, names indexed, fields typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from boreotabula.layout.headings import HeadingNames
from boreotabula.layout.model import (
    Block,
    Stamp,
    When,
)
from boreotabula.layout.patterns import Pattern
from boreotabula.reading.corrections import Correction
from boreotabula.reading.values.form import PLAIN_TEXT, ValueForm

RECORDS = "records"
"""The output table of blocks without `into`."""


@dataclass(frozen=True, kw_only=True)
class StampPlan(Stamp):
    """One source of a stamp, and the field that it fills."""

    field: str


StampSources = tuple[StampPlan, ...]
"""The sources of one stamp: the first that is present is used; others may be compared with it."""


@dataclass(frozen=True, kw_only=True, eq=False)
class BlockPlan(Block):
    """A block with everything that the rest of the layout implies for it.

    Some of its own keys are expanded: `stub` includes the fields that stand in `columns` of a
    cross-tab, `columns` has an empty text for a column that is passed over, `across` has each level
    once and none that is passed over, and `into` always names a table.
    """

    into: str
    key: str
    """The name of the block, unique in the layout."""
    names: HeadingNames
    """Which field a heading means in this block."""
    sources: tuple[StampSources, ...]
    """The sources of stamps of this block alone."""
    marks: tuple[str, ...]
    """The fields by whose headings the block is found: its stub, or in a list without one all
    fields that nothing else fills."""
    stamp_labels: tuple[Pattern, ...]
    """The labels of stamps: a row that holds one is no record."""
    titled: bool
    """Whether the text above the table is a stamp."""
    level_forms: tuple[ValueForm, ...]
    """How the headings of each level are written."""
    levels: tuple[int, ...]
    """For each heading row, top to bottom, its level counted from 0; `PASSED` if it is none.

    Two rows may make up one level. With several value fields, the last row says which of them.
    """
    optional_fields: frozenset[str]
    """Fields whose column may be missing."""
    boilerplate: tuple[Pattern, ...]
    """Texts of the form itself: alone in a row of the table they are no record."""
    foreign: frozenset[str]
    """Fields that another block names and this one does not."""
    by_list: bool
    """Whether this is a cross-tab beside lists, which own the fields that no block names."""
    filled: Mapping[str, str]
    """What fills a field, for those without a column of their own."""

    @property
    def depth(self) -> int:
        """Number of heading rows."""
        return len(self.levels)

    @property
    def searched(self) -> bool:
        """Whether it is found by texts, and not given by position."""
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
        """The same block, reading hidden rows and columns too."""
        return replace(self, visible_only=False)

    @property
    def row_names(self) -> frozenset[str]:
        """The fields that name rows: the stub and the groups."""
        return frozenset((*self.stub, *(group.field for group in self.group_row)))

    @property
    def is_list(self) -> bool:
        """Whether every heading is a column for the field it means."""
        return not self.across


PASSED = -1
"""Marks a heading row that is no level."""


@dataclass(frozen=True)
class FormPlan:
    """One way to read a tab: that of the layout, or of one edition of the form."""

    title: str
    when: When | None
    stamps: tuple[StampSources, ...]
    blocks: tuple[BlockPlan, ...]

    @property
    def sources(self) -> list[StampPlan]:
        """The sources of all stamps, including those of single blocks."""
        every = (self.stamps, *(block.sources for block in self.blocks))
        return [source for stamps in every for sources in stamps for source in sources]


@dataclass(frozen=True, eq=False)
class Plan:
    """All that reading a tab needs to know of a layout. Picklable.

    Equal only to itself, so that results can be cached by it.
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
    """With several output tables: fields that each also has if a heading on any tab means them."""
    required: frozenset[str]
    parts: Mapping[str, tuple[str, str]]
    """For fields that are a part of a date: which part, and of which field."""
    years: Mapping[str, str]
    """For months that may come without a year: the field that holds it."""
    corrected_fields: str | None = None
    """The field that lists the corrected fields of its record."""
    corrections: tuple[Correction, ...] = ()
    """Cells that are read as a person has corrected them."""

    def form(self, field: str) -> ValueForm:
        """How the values of a field are written; columns of unknown fields hold texts."""
        return self.fields.get(field, PLAIN_TEXT)

    @property
    def derives(self) -> bool:
        """Whether some fields are derived from others of the same record."""
        return bool(self.parts or self.years)

    @property
    def keeps_unknown(self) -> bool:
        """Whether output tables may get columns that the layout does not name."""
        return any(block.unknown_headings == "keep" for form in self.forms for block in form.blocks)

    @property
    def grows(self) -> bool:
        """Whether the columns of some output table are known only once all files are read."""
        return self.keeps_unknown or any(self.open_fields.values())

    @property
    def unclaimed(self) -> frozenset[str]:
        """Fields of lists that no table always has, where there are several tables."""
        always = {field for fields in self.tables.values() for field in fields}
        return frozenset(field for field in self.fields if field not in always)
