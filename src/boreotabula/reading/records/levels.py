"""The headings of a cross-tab as values: those of each level, and how many records each has."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from boreotabula.findings.finding import Finding
from boreotabula.findings.subjects.headings import HEADING_NOT_CONVERTED
from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import cell_text
from boreotabula.reading.columns.kinds import Columns
from boreotabula.reading.locate.levels import level_row
from boreotabula.reading.locate.place import Place
from boreotabula.reading.plan import Plan
from boreotabula.reading.values.convert import Converted, convert
from boreotabula.reading.values.findings import about_values
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell, Sheet


@dataclass(frozen=True)
class LevelHeads:
    """The headings of one level over each slot, and their values."""

    labels: tuple[Cell, ...]
    done: Converted


@lru_cache(maxsize=512)
def level_heads(columns: Columns, level: int, form: ValueForm) -> LevelHeads:
    labels = tuple(slot.labels[level] for slot in columns.slots)
    return LevelHeads(labels, convert(labels, form))


@dataclass(frozen=True)
class LevelHeading:
    """A heading of a cross-tab as its records have it: its field, a cell under it, and the number
    of records."""

    field: str
    text: str
    cell: Address
    records: int


def level_headings(
    sheet: Sheet, place: Place, columns: Columns, slot_of: NDArray[np.int32], plan: Plan
) -> list[LevelHeading]:
    """The distinct headings of each level of a block."""
    result: list[LevelHeading] = []
    of_slot = np.bincount(slot_of, minlength=len(columns.slots))
    for level, field in enumerate(columns.block.across):
        texts, which, firsts = _different(columns, level, plan.form(field))
        row = (
            level_row(place.levels, columns.block, level) if place.levels else max(place.bottom, 0)
        )
        counts = np.bincount(which, of_slot, minlength=len(texts)).astype(np.int64).tolist()
        result += [
            LevelHeading(field, text, sheet.address(row, column), records)
            for text, column, records in zip(texts, firsts, counts, strict=True)
            if text
        ]
    return result


@lru_cache(maxsize=512)
def _different(
    columns: Columns, level: int, form: ValueForm
) -> tuple[tuple[str, ...], NDArray[np.intp], tuple[int, ...]]:
    """The distinct texts of a level, the index of each slot's text, and the first column of
    each."""
    heads = level_heads(columns, level, form)
    # What the records hold: other spellings that the layout knows are none here.
    values = heads.done.values.to_pylist() if form.kind == "text" else heads.labels
    texts = [cell_text("" if value is None else value) for value in values]
    numbers = {text: index for index, text in enumerate(dict.fromkeys(texts))}
    which = np.array([numbers[text] for text in texts], np.intp)
    firsts = [columns.slots[texts.index(text)].first for text in numbers]
    return tuple(numbers), which, tuple(firsts)


def heading_findings(
    sheet: Sheet, heads: LevelHeads, row: int, columns: Columns, form: ValueForm, field: str
) -> list[Finding]:
    def where(index: int) -> Address:
        return sheet.address(row, columns.slots[index].first)

    failed = [
        HEADING_NOT_CONVERTED(
            where(index),
            field=field,
            cause=f"{field}: {reason}",
            heading=cell_text(heads.labels[index]),
            noun=form.noun,
            type=form.kind,
            why=reason.shown,
            remedy=reason.remedy,
        )
        for index, reason in heads.done.failures
    ]
    return failed + about_values(heads.done, heads.labels, where, field, form)
