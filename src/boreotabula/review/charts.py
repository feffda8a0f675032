"""Pictures of cross-tabs: lines over time, bars by group, heat maps."""

from __future__ import annotations

import io
from collections.abc import Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from textwrap import wrap
from typing import Any
from warnings import catch_warnings, simplefilter

from boreotabula.batch.claims import claimed
from boreotabula.errors import CallError
from boreotabula.review.crosstab.cross import Cross
from boreotabula.review.crosstab.crosstab import number_text, places_of, with_brief_names
from boreotabula.sheets.parts.writing import MARK

ENDINGS = (".png", ".svg", ".pdf")

COLOURS = ("#0072B2", "#E69F00", "#009E73", "#CC79A7", "#D55E00", "#56B4E9", "#7F7F7F", "#000000")
"""Told apart by colour-blind people too (Okabe and Ito, 2008), the yellow left out as too pale."""
_DASHES = ("-", "--", ":", "-.")
_MARKERS = ("o", "s", "^", "D", "v", "P", "X", "<")
"""They tell lines apart in grey print."""
_MOST_MARKED = 31
"""More points than that make markers touch."""
_MOST_LINES = 12
"""More lines cannot be told apart by colour and dash."""
_MOST_BARS = 60
"""More bars do not fit the width with their labels."""
_HEAT = "cividis"
"""Reads the same to colour-blind people (Nuñez, Anderton and Renslow, 2018)."""


def check_chart(out: Path) -> None:
    """Raises CallError if a picture cannot be drawn into a file."""
    if out.suffix.lower() not in ENDINGS:
        raise CallError(f"“{out}”: a picture is drawn as {', '.join(ENDINGS)}")
    if not out.parent.is_dir():
        raise CallError(f"there is no folder “{out.parent}” to draw “{out.name}” into")


def kind_for(cross: Cross) -> str:
    """What is drawn if nobody says.

    Lines where the columns are moments in time and the rows at most 12; bars where nothing is
    across, or for at most 60 of them; else a heat map.
    """
    if cross.in_time and len(cross.columns) > 1 and len(cross.rows) <= _MOST_LINES:
        return "lines"
    if cross.wish.across is None or (
        len(cross.rows) * len(cross.columns) <= _MOST_BARS and len(cross.columns) <= len(COLOURS)
    ):
        return "bars"
    return "heat"


FILE_STAMPS: dict[str, dict[str, str | None]] = {
    "pdf": {"CreationDate": None, "Creator": MARK},
    "svg": {"Date": None, "Creator": MARK},
    "png": {"Software": MARK},
}
"""What pictures say of themselves: no time, so that the same numbers give the same picture."""


def draw_cross(cross: Cross, out: Path, kind: str | None = None) -> None:
    """Draw a cross-tab, whole or not at all. Raises CallError if there is nothing to draw."""
    if not any(number is not None for row in cross.cells for number in row):
        raise CallError("there is no number to draw")
    if cross.value_kind.is_moment:
        raise CallError("--chart draws numbers: dates and times have no chart")
    draw = {"lines": _lines, "bars": _bars, "heat": _heat}[kind or kind_for(cross)]
    content = io.BytesIO()
    ending = out.suffix.lower().removeprefix(".")
    with chart_settings(), catch_warnings():
        simplefilter("ignore", UserWarning)  # signs that the font lacks are drawn as boxes
        figure = draw(with_brief_names(cross))
        figure.savefig(content, format=ending, dpi=110, metadata=FILE_STAMPS.get(ending))
    with claimed(out) as stream:
        stream.write(content.getvalue())


def chart_settings() -> AbstractContextManager[None]:
    from matplotlib import rc_context

    settings = {
        "svg.hashsalt": "boreotabula", "svg.fonttype": "none", "font.size": 10,
        "text.parse_math": False,  # a $ in a name is a $
    }  # fmt: skip
    return rc_context(settings)  # type: ignore[arg-type]


def new_figure(width: float, height: float, panels: int = 1) -> tuple[Any, list[Any]]:
    """A figure of some inches, and its panels from left to right."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # needs no display
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), layout="constrained")
    FigureCanvasAgg(figure)
    return figure, list(figure.subplots(1, panels, squeeze=False)[0])


def _names(cross: Cross) -> list[str]:
    return [" · ".join(part for part in label if part) for label in cross.rows]


def without_frame(axis: Any) -> None:
    for side in ("top", "right"):
        axis.spines[side].set_visible(False)


def _ticks(axis: Any, cross: Cross) -> None:
    """Numbers beside the axis as people write them."""
    from matplotlib.ticker import FuncFormatter

    def shown(number: float, _: int) -> str:
        places = 0 if cross.value_kind.is_share or number == int(number) else 2
        return number_text(number, cross.value_kind, places)

    axis.set_major_formatter(FuncFormatter(shown))


def _title(axes: Any, cross: Cross) -> None:
    where = ", ".join(f"{name} = {value}" for name, value in cross.wish.where)
    by = " and ".join(cross.wish.rows)
    title = cross.measure + (f" by {by}" if by else "") + (f", {where}" if where else "")
    text = axes.figure.suptitle("", x=0.01, ha="left", fontweight="bold")
    fit_words(text, title[:1].upper() + title[1:])


def fit_words(text: Any, words: str) -> None:
    """Set a text on as many lines as it takes to stay within its figure."""
    figure = text.figure
    room = figure.get_figwidth() * figure.dpi * 0.97
    for width in range(max(len(words), 1), 15, -4):
        text.set_text("\n".join(wrap(words, width)))
        if text.get_window_extent(figure.canvas.get_renderer()).width <= room:
            return


def _with_unit(cross: Cross) -> str:
    """What the numbers are, with their unit."""
    return f"{cross.measure}, {cross.unit}" if cross.unit else cross.measure


# --- lines ---------------------------------------------------------------------------------------


def _lines(cross: Cross) -> Any:
    figure, (axes,) = new_figure(11, 6)
    names, places = _names(cross), range(len(cross.columns))
    largest = sorted(range(len(names)), key=lambda index: -_size(cross.cells[index]))
    strong = set(
        largest[: len(COLOURS) * len(_DASHES)] if len(names) <= _MOST_LINES else largest[:8]
    )
    ends: list[tuple[float, str, str]] = []
    for order, position in enumerate(largest):
        values = [float("nan") if cell is None else cell for cell in cross.cells[position]]
        colour = COLOURS[order % len(COLOURS)] if position in strong else "#C8C8C8"
        dash = _DASHES[order // len(COLOURS) % len(_DASHES)] if position in strong else "-"
        marker = _MARKERS[order % len(_MARKERS)] if len(places) <= _MOST_MARKED else ""
        axes.plot(
            places, values, dash, color=colour, marker=marker, markersize=5,
            linewidth=2 if position in strong else 0.8, zorder=2 if position in strong else 1,
        )  # fmt: skip
        last = next((cell for cell in reversed(cross.cells[position]) if cell is not None), None)
        if position in strong and last is not None:
            ends.append((last, names[position], colour))
    without_frame(axes)
    _ticks(axes.yaxis, cross)
    lowest = min(
        (number for row in cross.cells for number in row if number is not None), default=0.0
    )
    if lowest >= 0:
        axes.set_ylim(bottom=0)
    axes.grid(axis="y", color="#E4E4E4")
    axes.set_axisbelow(True)
    _columns_below(axes, cross)
    axes.set_ylabel(_with_unit(cross))
    axes.set_xlim(-0.2, len(places) - 0.8)
    _name_ends(axes, ends, len(places) - 0.75)
    if len(strong) < len(names):
        axes.set_xlabel(f"grey: {len(names) - len(strong)} more, the smaller ones")
    _title(axes, cross)
    return figure


def _size(row: Sequence[float | None]) -> float:
    return sum(abs(number) for number in row if number is not None)


def _name_ends(axes: Any, ends: Sequence[tuple[float, str, str]], right: float) -> None:
    """Names beside the ends of lines, pushed apart where they would overlap."""
    bottom, top = axes.get_ylim()
    step = (top - bottom) * 0.045
    placed_at: list[float] = []
    for value, _, _ in sorted(ends):
        placed_at.append(max(value, placed_at[-1] + step) if placed_at else value)
    over = max(placed_at, default=top) - top
    if over > 0:  # too many at the top: all of them move down together
        placed_at = _pushed_down(placed_at, top, step)
    for (value, name, colour), number in zip(sorted(ends), placed_at, strict=True):
        axes.annotate(
            name if len(name) <= 28 else name[:27] + "…", (right - 0.25, value), (right, number),
            va="center", color=colour, fontweight="bold", annotation_clip=False,
            arrowprops={"arrowstyle": "-", "color": colour, "linewidth": 0.6},
        )  # fmt: skip


def _pushed_down(places: Sequence[float], top: float, step: float) -> list[float]:
    numbers: list[float] = []
    limit = top
    for place in reversed(places):
        limit = min(place, limit)
        numbers.append(limit)
        limit -= step
    return numbers[::-1]


def _columns_below(axes: Any, cross: Cross) -> None:
    """The names of columns below, as many as there is room for."""
    count = len(cross.columns)
    every = max(1, -(-count // 24))
    shown = range(0, count, every)
    long = max(len(column) for column in cross.columns) * count / every > 130
    axes.set_xticks(
        list(shown), [cross.columns[index] for index in shown], rotation=45 if long else 0,
        ha="right" if long else "center",
    )  # fmt: skip


# --- bars ----------------------------------------------------------------------------------------


def _bars(cross: Cross) -> Any:
    names, groups = _names(cross), len(cross.columns)
    thick = 0.8 / groups
    height = max(3.2, 1.4 + 0.26 * len(names) * max(1, groups * 0.75))
    figure, (axes,) = new_figure(11, min(height, 60))
    drawn: list[Any] = []
    for group in range(groups):
        values = [row[group] or 0.0 for row in cross.cells]
        places = [index + (group - (groups - 1) / 2) * thick for index in range(len(names))]
        colour = COLOURS[group % len(COLOURS)]
        drawn.append(axes.barh(places, values, thick * 0.92, color=colour))
        for row, place in zip(cross.cells, places, strict=True):
            number = row[group]
            message = number_text(number, cross.value_kind, places_of(cross))
            axes.annotate(
                message if number is not None else "no record", (number or 0.0, place), (4, 0),
                textcoords="offset points", va="center", fontsize=8,
                ha="left" if (number or 0) >= 0 else "right",
            )  # fmt: skip
    axes.set_yticks(
        range(len(names)), [name if len(name) <= 42 else name[:41] + "…" for name in names]
    )
    axes.invert_yaxis()
    axes.set_ylim(len(names) - 0.4, -0.6)
    axes.margins(x=0.12)
    without_frame(axes)
    _ticks(axes.xaxis, cross)
    axes.set_xlabel(_with_unit(cross))
    if groups > 1:
        legend = axes.legend(
            drawn, list(map(str, range(groups))), title=cross.wish.across, loc="upper left",
            bbox_to_anchor=(1, 1), frameon=False,
        )  # fmt: skip
        # Names are put in afterwards: a label that begins with “_” would be left out.
        for text, label in zip(legend.get_texts(), cross.columns, strict=True):
            text.set_text(label)
    _title(axes, cross)
    return figure


# --- heat maps -----------------------------------------------------------------------------------


_ROW, _SMALL_ROW = 0.27, 0.17
"""Inches that a row takes, and takes at least."""
_PAGE = 9.5
"""Inches that the rows of one page take."""
_MOST_PANELS = 4
"""More panels than that take several pages, whatever is done."""
_LONGEST = 58.0
"""Inches that rows may take at most."""


def _heat(cross: Cross) -> Any:
    """A heat map; many rows make small cells, and more of them stand beside one another."""
    names, count = _names(cross), len(cross.columns)
    small = len(names) * _ROW > _PAGE
    row = max(_PAGE / len(names), _SMALL_ROW) if small else _ROW
    in_one = int(_PAGE / row)
    panels = -(-len(names) // in_one)
    if panels > _MOST_PANELS:  # it takes several pages, whatever is done
        panels, row = 1, _ROW if len(names) * _ROW <= _LONGEST else _SMALL_ROW
    if len(names) * row > _LONGEST and panels == 1:
        raise CallError(
            f"a heat map of {len(names):,} rows cannot be read; keep the largest with --top 50, or"
            " name fewer fields with --rows"
        )
    lines = -(-len(names) // panels)
    wide = 0.42 if small and panels > 1 else 0.62
    width = panels * (max(map(len, names)) * 0.045 + 1.2 + wide * count) + 1.2
    figure, axes = new_figure(
        min(max(7.0, width), 40), min(max(3.2, 1.6 + row * lines), 60), panels
    )
    values = [
        [float("nan") if number is None else number for number in line] for line in cross.cells
    ]
    numbers = [number for line in cross.cells for number in line if number is not None]
    size = 10 if row == _ROW else 7.5
    for panel, axis in enumerate(axes):
        part = range(panel * lines, min((panel + 1) * lines, len(names)))
        axis.set_facecolor("#EFEFEF")
        image = axis.imshow(
            [values[index] for index in part], aspect="auto", cmap=_HEAT,
            vmin=min(numbers), vmax=max(numbers),
        )  # fmt: skip
        shown = [
            names[index] if len(names[index]) <= 60 else names[index][:59] + "…" for index in part
        ]
        axis.set_yticks(range(len(part)), shown, fontsize=size)
        axis.set_ylim(lines - 0.5, -0.5)  # the cells of all panels are of one height
        _columns_below(axis, cross)
        if count <= 26:
            cells = [cross.cells[index] for index in part]
            _numbers_in(axis, image, cross, cells, 7.5 if row == _ROW else 6)
        axis.set_xlabel("grey: no record")
    bar = figure.colorbar(image, ax=axes, shrink=min(1.0, 6 / max(figure.get_figheight(), 1)))
    bar.set_label(_with_unit(cross))
    _ticks(bar.ax.yaxis, cross)
    _title(axes[0], cross)
    return figure


def _numbers_in(
    axes: Any, image: Any, cross: Cross, cells: Sequence[Sequence[float | None]], size: float
) -> None:
    """The numbers within the cells, dark on pale and pale on dark, short enough to fit."""
    for row, numbers in enumerate(cells):
        for column, number in enumerate(numbers):
            if number is None:
                continue
            red, green, blue, _ = image.cmap(image.norm(number))
            dark = 0.299 * red + 0.587 * green + 0.114 * blue < 0.5
            axes.text(
                column, row, _short(number, cross), ha="center", va="center", fontsize=size,
                color="white" if dark else "black",
            )  # fmt: skip


def _short(number: float, cross: Cross) -> str:
    if cross.value_kind.is_share:
        return f"{100 * number:.0f}%"
    for size, sign in ((1e9, "G"), (1e6, "M"), (1e4, "k")):
        if abs(number) >= size:
            unit = 1e3 if sign == "k" else size
            return f"{number / unit:,.1f}{sign}"
    return number_text(number, cross.value_kind, 0 if number == int(number) else 1)
