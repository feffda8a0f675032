"""Findings about values: those that do not convert, lie outside, or are ambiguous."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from boreotabula.findings.finding import Finding
from boreotabula.findings.reasons import Doubtful, Reason
from boreotabula.findings.subjects.values import (
    COLUMN_NOT_CONVERTED,
    READ_BY_EVIDENCE,
    READING_CONTRADICTORY,
    READING_DOUBTFUL,
    VALUE_NOT_CONVERTED,
    VALUE_OUTSIDE,
    VALUES_ROUNDED,
)
from boreotabula.findings.wording import located
from boreotabula.layout.addresses import Address
from boreotabula.reading.cells import cell_text
from boreotabula.reading.values.convert import Ambiguity, Converted
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.sheet import Cell

Where = Callable[[int], Address | None]
"""The address of the cell with a given index among those that were converted."""


def not_converted(
    cell: Cell, where: Address | None, field: str, form: ValueForm, reason: Reason
) -> Finding:
    return VALUE_NOT_CONVERTED(
        where,
        field=field,
        text=cell_text(cell),
        noun=form.noun,
        type=form.kind,
        why=reason.shown,
        remedy=reason.remedy,
    )


def column_not_converted(
    cells: Sequence[Cell],
    called: str,
    where: Address | None,
    field: str,
    form: ValueForm,
    reason: Reason,
) -> Finding:
    return COLUMN_NOT_CONVERTED(
        where,
        field=field,
        # Files of one form fail alike: that is one cause.
        cause=f"{field}: {called}: {reason}",
        cells=len(cells),
        column=called,
        text=cell_text(cells[0]),
        noun=form.noun,
        type=form.kind,
        why=reason.shown,
        remedy=reason.remedy,
    )


def about_values(
    done: Converted, cells: Sequence[Cell], where: Where, field: str, form: ValueForm
) -> list[Finding]:
    """The findings about cells, except those that do not convert."""
    findings = [
        VALUE_OUTSIDE(where(column), field=field, text=cell_text(cells[column]), bound=reason)
        for column, reason in done.outside
    ]
    if done.rounded:
        findings.append(_rounded(done, cells, where, field, form))
    if done.doubt is not None:
        findings.append(_doubtful(done.doubt, cells, where, field))
    return findings


def _rounded(
    done: Converted, cells: Sequence[Cell], where: Where, field: str, form: ValueForm
) -> Finding:
    first = done.rounded[0]
    return VALUES_ROUNDED(
        where(first),
        field=field,
        cells=len(done.rounded),
        digits=form.digits,
        text=cell_text(cells[first]),
        type=form.kind,
    )


def _doubtful(doubt: Ambiguity, cells: Sequence[Cell], where: Where, field: str) -> Finding:
    first = doubt.places[0]
    shown = [located(cell_text(cells[column]), where(column)) for column in doubt.evidence]
    slots = {
        "cells": len(doubt.places),
        "about": doubt.about,
        "text": cell_text(cells[first]),
        "why": doubt.reason,
        "key": "decimal_mark" if doubt.about is Doubtful.DECIMAL_MARK else "day_first",
    }
    kind = READING_DOUBTFUL
    if doubt.settled:
        kind, slots["evidence"] = READ_BY_EVIDENCE, doubt.elsewhere or shown[0]
    elif shown:
        kind, slots["evidence"] = READING_CONTRADICTORY, " and ".join(shown)
    return kind(where(first), field=field, cause=f"{field}: {doubt.about}", **slots)
