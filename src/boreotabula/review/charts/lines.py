"""Lines over time: one for each row, named at its end."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from boreotabula.review.charts.figure import (
    name_columns,
    new_figure,
    row_names,
    set_title,
    title_of,
    with_unit,
    write_numbers,
)
from boreotabula.review.charts.styles import FAINT, INK, OTHERS, LineStyle, line_styles
from boreotabula.review.crosstab.cross import Cross
from boreotabula.texts import brief

MOST_LINES = 12
"""More lines cannot be distinguished by colour, marker and dash."""
_MOST_STRONG = 8
"""If there are more lines, this many are named."""
_MOST_MARKED = 31
"""More points than that make markers touch."""


def draw_lines(cross: Cross) -> Any:
    """A figure of lines. Of many rows the largest are named; the others are grey behind them."""
    figure, (axes,) = new_figure(11, 6)
    names, count = row_names(cross), len(cross.columns)
    strong = _strong_rows(cross)
    ends: list[tuple[float, str, LineStyle]] = []
    for position, style in enumerate(_styles(cross)):
        is_strong = position in strong
        row = cross.cells[position]
        axes.plot(
            range(count), [float("nan") if cell is None else cell for cell in row], style.dash,
            color=style.colour if is_strong else FAINT, markersize=5,
            marker=style.marker if count <= _MOST_MARKED else "",
            linewidth=2 if is_strong else 0.8, zorder=2 if is_strong else 1,
        )  # fmt: skip
        last = next((cell for cell in reversed(row) if cell is not None), None)
        if is_strong and last is not None:
            ends.append((last, names[position], style))
    write_numbers(axes.yaxis, cross.value_kind)
    lowest = min(cell for row in cross.cells for cell in row if cell is not None)
    # From zero, so that heights can be compared; changes have their own middle.
    if lowest >= 0 and not cross.spec.change:
        axes.set_ylim(bottom=0)
    else:
        axes.axhline(0, color=INK, linewidth=0.8, zorder=1.5)
    axes.grid(axis="y", color="#E4E4E4")
    axes.set_axisbelow(True)
    name_columns(axes, cross.columns)
    axes.set_ylabel(with_unit(cross))
    axes.set_xlim(-0.2, count - 0.8)
    _name_ends(axes, ends, count - 0.75)
    if len(strong) < len(names):
        axes.set_xlabel(f"grey: {len(names) - len(strong)} more, the smaller ones")
    set_title(figure, title_of(cross))
    return figure


def _styles(cross: Cross) -> list[LineStyle]:
    styles = line_styles(cross.row_ranks)
    if cross.others:
        styles[-1] = LineStyle(OTHERS, "", "--")
    return styles


def _strong_rows(cross: Cross) -> set[int]:
    """The rows that are named: all if they are few, else the largest."""
    sizes = [sum(abs(cell) for cell in row if cell is not None) for row in cross.cells]
    if len(sizes) <= MOST_LINES + bool(cross.others):
        return set(range(len(sizes)))
    return set(sorted(range(len(sizes)), key=lambda index: -sizes[index])[:_MOST_STRONG])


def _name_ends(axes: Any, ends: Sequence[tuple[float, str, LineStyle]], right: float) -> None:
    """Names beside the ends of lines, each after its marker, moved apart where they would
    overlap."""
    bottom, top = axes.get_ylim()
    step = (top - bottom) * 0.045
    ordered = sorted(ends, key=lambda end: end[:2])
    heights: list[float] = []
    # Each name is pushed up as far as the one below it needs.
    for value, _, _ in ordered:
        heights.append(max(value, heights[-1] + step) if heights else value)
    if max(heights, default=top) > top:  # too many at the top: all of them move down together
        heights = _pushed_down(heights, top, step)
    for (value, name, style), height in zip(ordered, heights, strict=True):
        axes.plot(
            [right - 0.25, right], [value, height], color=style.colour, linewidth=0.6,
            clip_on=False,
        )  # fmt: skip
        axes.plot(
            [right], [height], style.marker or "_", color=style.colour, markersize=7, clip_on=False
        )
        axes.annotate(
            brief(name, 28), (right, height), (8, 0), textcoords="offset points", va="center",
            color=INK, annotation_clip=False,
        )  # fmt: skip


def _pushed_down(heights: Sequence[float], top: float, step: float) -> list[float]:
    lowered: list[float] = []
    limit = top
    for height in reversed(heights):
        limit = min(height, limit)
        lowered.append(limit)
        # The next name must stay below this one.
        limit -= step
    return lowered[::-1]
