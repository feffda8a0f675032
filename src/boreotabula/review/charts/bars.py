"""Bars: one for each cell of a cross-tab, those of a row together."""

from __future__ import annotations

from typing import Any

from boreotabula.review.charts.figure import (
    new_figure,
    row_names,
    set_title,
    title_of,
    with_unit,
    write_numbers,
)
from boreotabula.review.charts.styles import INK, ONLY_SERIES, bar_colours, with_minus
from boreotabula.review.crosstab.cross import Cross
from boreotabula.review.crosstab.crosstab import decimals_needed, readable_number
from boreotabula.texts import brief


def draw_bars(cross: Cross) -> Any:
    """A figure of horizontal bars, with their numbers after them."""
    names, groups = row_names(cross), len(cross.columns)
    thick = 0.8 / groups
    height = max(3.2, 1.4 + 0.26 * len(names) * max(1, groups * 0.75))
    figure, (axes,) = new_figure(11, min(height, 60))
    colours = bar_colours(cross.column_ranks) if groups > 1 else [ONLY_SERIES]
    drawn: list[Any] = []
    for group, colour in enumerate(colours):
        values = [row[group] or 0.0 for row in cross.cells]
        places = [index + (group - (groups - 1) / 2) * thick for index in range(len(names))]
        drawn.append(axes.barh(places, values, thick * 0.92, color=colour))
        for row, place in zip(cross.cells, places, strict=True):
            number = row[group]
            text = with_minus(readable_number(number, cross.value_kind, decimals_needed(cross)))
            axes.annotate(
                # A bar of no length would read as zero.
                text if number is not None else "no record", (number or 0.0, place),
                (4 if (number or 0) >= 0 else -4, 0), textcoords="offset points", va="center",
                fontsize=8, color=INK, ha="left" if (number or 0) >= 0 else "right",
            )  # fmt: skip
    axes.set_yticks(range(len(names)), [brief(name, 42) for name in names])
    # Downwards, in the order of the table.
    axes.set_ylim(len(names) - 0.4, -0.6)
    axes.margins(x=0.12)
    # Bars to both sides need a line to start from.
    if any(number is not None and number < 0 for row in cross.cells for number in row):
        axes.axvline(0, color=INK, linewidth=0.8)
    write_numbers(axes.xaxis, cross.value_kind)
    axes.set_xlabel(with_unit(cross))
    if groups > 1:
        legend = axes.legend(
            drawn, list(map(str, range(groups))), title=cross.spec.across, loc="upper left",
            bbox_to_anchor=(1, 1), frameon=False,
        )  # fmt: skip
        # Names are put in afterwards: a label that begins with “_” would be left out.
        for text, label in zip(legend.get_texts(), cross.columns, strict=True):
            text.set_text(label)
    set_title(figure, title_of(cross))
    return figure
