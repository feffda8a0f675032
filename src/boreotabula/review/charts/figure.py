"""What all pictures share: figure, title, axes, and how they are written."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from pathlib import Path
from textwrap import wrap
from typing import Any
from warnings import catch_warnings, simplefilter

from boreotabula.batch.claims import claimed
from boreotabula.batch.output_checks import check_place
from boreotabula.errors import CallError
from boreotabula.layout.field_types import FieldType
from boreotabula.review.charts.styles import axis_form
from boreotabula.review.crosstab.cross import Cross
from boreotabula.sheets.parts.writing import MARK

ENDINGS = (".png", ".svg", ".pdf")
_FILE_STAMPS: dict[str, dict[str, str | None]] = {
    "pdf": {"CreationDate": None, "Creator": MARK},
    "svg": {"Date": None, "Creator": MARK},
    "png": {"Software": MARK},
}
"""The metadata of pictures: no time, so that the same numbers give the same picture."""


def check_chart(out: Path) -> None:
    """Raises CallError if a picture cannot be drawn into a file."""
    check_place(out, ENDINGS, "a picture is drawn as")
    # Asked before the records are read, and without the second that importing it takes.
    from importlib.util import find_spec

    if find_spec("matplotlib") is None:
        raise CallError('charts need more: pip install "boreotabula[charts]"')


def write_picture(out: Path, draw: Callable[[], Any]) -> None:
    """Draw a figure and write it, whole or not at all."""
    from matplotlib import rc_context

    settings = {
        "svg.hashsalt": "boreotabula", "svg.fonttype": "none", "font.size": 10,
        "text.parse_math": False,  # a $ in a name is a $
        "hatch.linewidth": 0.6,
    }  # fmt: skip
    # In memory first: a failure while drawing leaves no half picture.
    content = io.BytesIO()
    ending = out.suffix.lower().removeprefix(".")
    # A font that lacks a sign is no reason to fail.
    with rc_context(settings), catch_warnings():  # type: ignore[arg-type]
        simplefilter("ignore", UserWarning)  # signs that the font lacks are drawn as boxes
        draw().savefig(content, format=ending, dpi=110, metadata=_FILE_STAMPS.get(ending))
    with claimed(out) as stream:
        stream.write(content.getvalue())


def new_figure(width: float, height: float, panels: int = 1) -> tuple[Any, list[Any]]:
    """A figure, sized in inches, and its panels from left to right."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # needs no display
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), layout="constrained")
    FigureCanvasAgg(figure)
    axes = list(figure.subplots(1, panels, squeeze=False)[0])
    for axis in axes:
        for side in ("top", "right"):
            axis.spines[side].set_visible(False)
    return figure, axes


def set_title(figure: Any, words: str) -> None:
    """Set the title of a figure, on as many lines as it takes to stay within it."""
    text = figure.suptitle("", x=0.01, ha="left", fontweight="bold")
    room = figure.get_figwidth() * figure.dpi * 0.97
    # Only the drawn title shows how wide it is, so shorter lines are tried until one fits.
    for width in range(max(len(words), 1), 15, -4):
        text.set_text("\n".join(wrap(words, width)))
        if text.get_window_extent(figure.canvas.get_renderer()).width <= room:
            return


def title_of(cross: Cross) -> str:
    """The subject of a cross-tab, with the fields of its rows and columns, and its selection."""
    *first, last = [*cross.spec.rows, *([cross.spec.across] if cross.spec.across else [])] or [""]
    by = f"{', '.join(first)} and {last}" if first else last
    where = ", ".join(f"{name} = {value}" for name, value in cross.spec.where)
    title = cross.measure + (f" by {by}" if by else "") + (f", {where}" if where else "")
    return title[:1].upper() + title[1:]


def row_names(cross: Cross) -> list[str]:
    """Each row in one text."""
    return [" · ".join(part for part in label if part) for label in cross.rows]


def with_unit(cross: Cross) -> str:
    """The meaning of the numbers, with their unit."""
    return f"{cross.measure}, {cross.unit}" if cross.unit else cross.measure


def write_numbers(axis: Any, kind: FieldType) -> None:
    """Write the numbers beside an axis as people do, all in one form."""
    from matplotlib.ticker import Formatter

    class Numbers(Formatter):
        def format_ticks(self, values: Sequence[float]) -> list[str]:
            form = axis_form([float(value) for value in values], kind)
            return [form.text(float(value)) for value in values]

        def __call__(self, x: float, pos: int | None = None) -> str:
            return self.format_ticks([x])[0]

    axis.set_major_formatter(Numbers())


def name_columns(axes: Any, columns: Sequence[str]) -> None:
    """Write the names of columns below, as many as there is room for."""
    count = len(columns)
    # More than some two dozen names cannot be read.
    every = max(1, -(-count // 24))
    shown = range(0, count, every)
    long = max(map(len, columns)) * count / every > 130
    axes.set_xticks(
        list(shown), [columns[index] for index in shown], rotation=45 if long else 0,
        ha="right" if long else "center",
    )  # fmt: skip
