"""A cross-tab as shares of its columns, as changes, or with its smallest rows taken together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

from boreotabula.layout.field_types import FIELD_TYPES
from boreotabula.review.crosstab.cross import Cross, Label


def with_others(
    labels: list[Label],
    sums: Mapping[Label, float | None],
    top: int,
    *,
    by_value: bool,
) -> tuple[list[Label], list[Label]]:
    """All rows that are shown, the last for all others so that the totals stay whole; and those
    that are shown individually."""
    largest = sorted(labels, key=lambda texts: -(sums[texts] or 0.0))[:top]
    kept = largest if by_value else [label for label in labels if label in set(largest)]
    depth = len(labels[0])
    other_texts = (f"{len(labels) - top:,} others", *[""] * (depth - 1))
    return [*kept, other_texts], kept


def as_shares(cross: Cross) -> Cross:
    wholes = cross.column_totals

    def part(number: float | None, whole: float | None) -> float | None:
        return number / whole if number is not None and whole else None

    return replace(
        cross,
        cells=tuple(
            tuple(part(number, whole) for number, whole in zip(row, wholes, strict=True))
            for row in cross.cells
        ),
        row_totals=tuple(part(row_total, cross.total) for row_total in cross.row_totals),
        column_totals=tuple(part(whole, whole) for whole in wholes),
        total=part(cross.total, cross.total),
        value_kind=FIELD_TYPES["percent"],
        unit="",
    )


def as_changes(cross: Cross) -> Cross:
    def changes(row: Sequence[float | None]) -> tuple[float | None, ...]:
        pairs = pairwise(row)
        return (
            None,
            *(None if a is None or b is None else b - a for a, b in pairs),
        )

    return replace(
        cross,
        cells=tuple(changes(row) for row in cross.cells),
        row_totals=(),
        column_totals=changes(cross.column_totals),
        total=None,
    )
