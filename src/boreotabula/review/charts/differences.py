"""The picture of the differences between two sets of records."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FIELD_TYPES
from boreotabula.review.charts.figure import new_figure, set_title, write_numbers, write_picture
from boreotabula.review.charts.styles import COLOURS, INK, with_minus
from boreotabula.review.compare.compare import Comparison
from boreotabula.texts import brief, plain_number

_MOST_DIFFERENCES = 120
_RISE, _FALL = COLOURS[0], COLOURS[4]
_MOST_NAMED = 8


def draw_differences(comparison: Comparison, out: Path) -> None:
    """Draw the differences of sums, a bar for each group and field, whole or not at all.

    Raises CallError if nothing differs.
    """
    differing = sum(bool(sums.difference) for sums in comparison.sums.values())
    if not differing:
        raise CallError("no sum differs, so there is nothing to draw")
    # Drawn anyway, the names would lie on top of each other.
    if differing > _MOST_DIFFERENCES:
        raise CallError(f"{differing:,} sums differ, too many for a picture; choose another --by")
    write_picture(out, lambda: _drawn(comparison))


def _drawn(comparison: Comparison) -> Any:
    groups = {place: sums for place, sums in comparison.sums.items() if sums.difference}
    figure, (axes,) = new_figure(11, max(3.2, 1.8 + 0.3 * len(groups)))
    values = [float(sums.difference) for sums in groups.values()]
    axes.barh(
        range(len(groups)), values, 0.7, color=[_RISE if value > 0 else _FALL for value in values]
    )
    for place, sums in enumerate(groups.values()):
        rises = sums.difference > 0
        axes.annotate(
            with_minus(plain_number(sums.difference, signed=True)),
            (float(sums.difference), place), (4 if rises else -4, 0), textcoords="offset points",
            va="center", fontsize=8, color=INK, ha="left" if rises else "right",
        )  # fmt: skip
    axes.set_yticks(range(len(groups)), [brief(_named(place), 42) for place in groups])
    # The first group on top, as in the table.
    axes.invert_yaxis()
    axes.margins(x=0.15)
    axes.axvline(0, color=INK, linewidth=0.8)
    write_numbers(axes.xaxis, FIELD_TYPES["number"])
    units = {comparison.after.units.get(name, "") for _, name in groups} - {""}
    label = ", ".join(["difference of the sums", *sorted(units)])
    unchanged = [_named(place) for place, sums in comparison.sums.items() if not sums.difference]
    axes.set_xlabel("\n".join(filter(None, (label, _not_changed(unchanged)))))
    by = f" by {comparison.by}" if comparison.by else ""
    names = (Path(side.name).name for side in (comparison.before, comparison.after))
    set_title(figure, f"Sums{by}: {' → '.join(names)}")
    return figure


def _named(place: tuple[str, str]) -> str:
    return " · ".join(part for part in place if part)


def _not_changed(names: Sequence[str]) -> str:
    """The groups without a bar, by name: otherwise they might seem to be missing."""
    if not names:
        return ""
    more = len(names) - _MOST_NAMED
    listed = ", ".join(brief(name, 30) for name in names[:_MOST_NAMED])
    return f"no difference: {listed}" + (f" and {more:,} more" if more > 0 else "")
