"""The picture of a cross-tab: which kind fits, and its file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from boreotabula.errors import CallError
from boreotabula.review.charts.bars import draw_bars
from boreotabula.review.charts.figure import write_picture
from boreotabula.review.charts.heat import draw_heat
from boreotabula.review.charts.lines import MOST_LINES, draw_lines
from boreotabula.review.charts.styles import COLOURS
from boreotabula.review.crosstab.cross import Cross
from boreotabula.review.crosstab.crosstab import with_brief_names

_MOST_BARS = 60
"""More bars do not fit the width with their labels."""


def kind_for(cross: Cross) -> str:
    """The kind that is drawn if none is requested.

    Lines where the columns are moments in time and there are at most 12 rows; bars where nothing is
    across, or for at most 60 cells; else a heat map.
    """
    if cross.in_time and len(cross.columns) > 1 and len(cross.rows) <= MOST_LINES:
        return "lines"
    if cross.spec.across is None or (
        len(cross.rows) * len(cross.columns) <= _MOST_BARS and len(cross.columns) <= len(COLOURS)
    ):
        return "bars"
    return "heat"


def draw_cross(cross: Cross, out: Path, kind: str | None = None) -> None:
    """Draw a cross-tab, whole or not at all. Raises CallError if there is nothing to draw."""
    # An empty picture would look as if everything were zero.
    if not any(number is not None for row in cross.cells for number in row):
        raise CallError("there is no number to draw")
    # The height of a date means nothing.
    if cross.value_kind.is_moment:
        raise CallError("--chart draws numbers: dates and times have no chart")
    draw = {"lines": draw_lines, "bars": draw_bars, "heat": draw_heat}[kind or kind_for(cross)]
    ranked = replace(
        cross,
        row_ranks=cross.row_ranks or tuple(range(len(cross.rows))),
        column_ranks=cross.column_ranks or tuple(range(len(cross.columns))),
    )
    shown = with_brief_names(_from_first_number(ranked) if cross.spec.change else ranked)
    write_picture(out, lambda: draw(shown))


def _from_first_number(cross: Cross) -> Cross:
    """Changes without the first columns, which have nothing before them to be compared with."""
    first = next(
        index for index in range(len(cross.columns))
        if any(row[index] is not None for row in cross.cells)
    )  # fmt: skip
    return replace(
        cross,
        columns=cross.columns[first:],
        column_ranks=cross.column_ranks[first:],
        cells=tuple(row[first:] for row in cross.cells),
        column_totals=cross.column_totals[first:],
    )
