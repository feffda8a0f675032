"""Heat maps: a colour and a number for each cell of a cross-tab."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from boreotabula.errors import CallError
from boreotabula.review.charts.figure import (
    name_columns,
    new_figure,
    row_names,
    set_title,
    title_of,
    with_unit,
    write_numbers,
)
from boreotabula.review.charts.styles import INK, NumberForm, ink_on, number_form
from boreotabula.review.crosstab.cross import Cross
from boreotabula.texts import brief

_SCALE = "cividis"
"""Reads the same to colour-blind people (Nuñez, Anderton and Renslow, 2018)."""
_SCALE_OF_CHANGES = "PuOr"
"""Two colours that colour-blind people can distinguish, white between them (ColorBrewer, 2003)."""
_HATCH = "////"
"""For cells without a record: not a colour of the scale, and visible in grey print."""
_NOTHING_TO_COMPARE = "no record here or in the column before"
_ROW, _SMALL_ROW = 0.27, 0.17
"""Height of a row in inches, and the least height."""
_PAGE = 9.5
"""Height of the rows of one page in inches."""
_MOST_PANELS = 4
"""More panels than this need several pages."""
_LONGEST = 58.0
"""The greatest height of all rows in inches."""
_MOST_NUMBERED = 26
"""More columns leave no room for numbers."""


@dataclass(frozen=True)
class _Format:
    """How the rows of a map are arranged: panels side by side, and the height of each row."""

    panels: int
    row: float
    lines: int
    """Rows of a panel."""

    @property
    def is_small(self) -> bool:
        return self.row < _ROW


def draw_heat(cross: Cross) -> Any:
    """A heat map; many rows make small cells, and if there are more, they stand in panels side by
    side.

    Rows that are taken together stand last and have no colour: they would be the largest of all.
    Raises CallError if there are more rows than can be read.
    """
    names, count = row_names(cross), len(cross.columns)
    form = _format(len(names))
    wide = 0.42 if form.is_small and form.panels > 1 else 0.62
    width = form.panels * (max(map(len, names)) * 0.045 + 1.2 + wide * count) + 1.2
    figure, axes = new_figure(
        min(max(7.0, width), 40), min(max(3.2, 1.6 + form.row * form.lines), 60), form.panels
    )
    # The row of what is taken together has the largest sums, and would take all the colour.
    coloured = cross.cells[: len(names) - bool(cross.others)]
    numbers = [number for line in coloured for number in line if number is not None]
    low, high = _ends(numbers, both_sides=cross.spec.change)
    every = [number for line in cross.cells for number in line if number is not None]
    written = number_form(every, cross.value_kind)
    for panel, axis in enumerate(axes):
        part = slice(panel * form.lines, (panel + 1) * form.lines)
        # What has no number is not painted, and shows the hatched ground.
        axis.patch.set(facecolor="white", edgecolor="#9A9A9A", hatch=_HATCH)
        image = axis.imshow(
            _painted(coloured, part, form.lines, count), aspect="auto", vmin=low, vmax=high,
            cmap=_SCALE_OF_CHANGES if cross.spec.change else _SCALE,
        )  # fmt: skip
        shown = [brief(name, 60) for name in names[part]]
        axis.set_yticks(range(len(shown)), shown, fontsize=7.5 if form.is_small else 10)
        axis.set_ylim(form.lines - 0.5, -0.5)  # the cells of all panels are of one height
        _leave_white(axis, len(shown), form.lines)
        if cross.others and part.stop >= len(names) > part.start:
            _leave_white(axis, len(shown) - 1, len(shown))
        name_columns(axis, cross.columns)
        if count <= _MOST_NUMBERED:
            _write_in_cells(axis, image, cross.cells[part], written, len(coloured) - part.start,
                            6 if form.is_small else 7.5)  # fmt: skip
        if len(every) < len(names) * count:
            axis.set_xlabel(f"hatched: {_NOTHING_TO_COMPARE if cross.spec.change else 'no record'}")
    # On a tall map the scale would otherwise run over several pages.
    bar = figure.colorbar(image, ax=axes, shrink=min(1.0, 6 / max(figure.get_figheight(), 1)))
    bar.set_label(", ".join(filter(None, (with_unit(cross), written.word))))
    _write_scale(bar, written, cross)
    set_title(figure, title_of(cross))
    return figure


def _format(rows: int) -> _Format:
    """The arrangement of this many rows. Raises CallError if they are too many."""
    row = max(_PAGE / rows, _SMALL_ROW) if rows * _ROW > _PAGE else _ROW
    panels = -(-rows // int(_PAGE / row))
    if panels > _MOST_PANELS:  # it takes several pages, whatever is done
        panels, row = 1, _ROW if rows * _ROW <= _LONGEST else _SMALL_ROW
    if rows * row > _LONGEST and panels == 1:
        raise CallError(
            f"a heat map of {rows:,} rows cannot be read; keep the largest with --top 50, or"
            " name fewer fields with --rows"
        )
    return _Format(panels, row, -(-rows // panels))


def _ends(numbers: Sequence[float], *, both_sides: bool) -> tuple[float, float]:
    """The least and greatest number of the scale; for changes zero is in the middle."""
    if both_sides:
        most = max(map(abs, numbers), default=0.0) or 1.0
        return -most, most
    # matplotlib needs a range even where there is no number.
    return min(numbers, default=0.0), max(numbers, default=1.0)


def _painted(
    cells: Sequence[Sequence[float | None]], part: slice, lines: int, count: int
) -> list[list[float]]:
    """The numbers of a panel that get a colour; nan where there is none."""
    nothing = float("nan")
    rows = [[nothing if number is None else number for number in row] for row in cells[part]]
    return rows + [[nothing] * count] * (lines - len(rows))


def _leave_white(axis: Any, first: int, end: int) -> None:
    """Cover the ground of rows without colour."""
    if end > first:
        axis.axhspan(first - 0.5, end - 0.5, color="white", zorder=1)


def _write_in_cells(
    axis: Any, image: Any, cells: Sequence[Sequence[float | None]], form: NumberForm, coloured: int,
    size: float,
) -> None:  # fmt: skip
    """The numbers within the cells, black or white; the first `coloured` rows have a colour."""
    for row, numbers in enumerate(cells):
        for column, number in enumerate(numbers):
            if number is None:
                continue
            colour = INK
            if row < coloured:
                red, green, blue, _ = image.cmap(image.norm(number))
                colour = ink_on(red, green, blue)
            axis.text(
                column, row, form.text(number), ha="center", va="center", fontsize=size,
                color=colour,
            )  # fmt: skip


def _write_scale(bar: Any, form: NumberForm, cross: Cross) -> None:
    """The numbers beside the scale, in the same unit as those of the cells."""
    if form.divisor == 1:
        write_numbers(bar.ax.yaxis, cross.value_kind)
        return
    from matplotlib.ticker import FuncFormatter

    bar.ax.yaxis.set_major_formatter(FuncFormatter(lambda number, _: form.text(number)))
