"""The picture of what differs between two sets of records."""

from __future__ import annotations

import io
from pathlib import Path
from warnings import catch_warnings, simplefilter

from boreotabula.batch.claims import claimed
from boreotabula.errors import CallError
from boreotabula.review.charts import (
    COLOURS,
    FILE_STAMPS,
    chart_settings,
    fit_words,
    new_figure,
    without_frame,
)
from boreotabula.review.compare.compare import Comparison
from boreotabula.texts import brief, plain_number


def draw_differences(comparison: Comparison, out: Path) -> None:
    """Draw by how much sums differ, a bar for each group and field, whole or not at all.

    Raises CallError if nothing differs.
    """
    groups_by_place = {place: sums for place, sums in comparison.sums.items() if sums.difference}
    if not groups_by_place:
        raise CallError("no sum differs, so there is nothing to draw")
    if len(groups_by_place) > _MOST_DIFFERENCES:
        raise CallError(
            f"{len(groups_by_place):,} sums differ, too many for a picture; choose another --by"
        )
    content = io.BytesIO()
    with chart_settings(), catch_warnings():
        simplefilter("ignore", UserWarning)
        figure, (axes,) = new_figure(11, max(3.2, 1.6 + 0.3 * len(groups_by_place)))
        names = [" · ".join(part for part in one if part) for one in groups_by_place]
        values = [float(sums.difference) for sums in groups_by_place.values()]
        axes.barh(range(len(groups_by_place)), values, 0.7, color=[
            COLOURS[0] if value > 0 else COLOURS[4] for value in values
        ])  # fmt: skip
        for place, sums in enumerate(groups_by_place.values()):
            value, rises = float(sums.difference), sums.difference > 0
            axes.annotate(
                plain_number(sums.difference, signed=True), (value, place), (4 if rises else -4, 0),
                textcoords="offset points", va="center", fontsize=8,
                ha="left" if rises else "right",
            )  # fmt: skip
        axes.set_yticks(range(len(groups_by_place)), [brief(name, 42) for name in names])
        axes.invert_yaxis()
        axes.margins(x=0.15)
        axes.axvline(0, color="black", linewidth=0.8)
        without_frame(axes)
        units = {comparison.after.units.get(name, "") for _, name in groups_by_place} - {""}
        axes.set_xlabel(", ".join(["difference of the sums", *sorted(units)]))
        by = f" by {comparison.by}" if comparison.by else ""
        text = figure.suptitle("", x=0.01, ha="left", fontweight="bold")
        fit_words(
            text,
            f"Sums{by}: {Path(comparison.before.name).name} → {Path(comparison.after.name).name}",
        )
        ending = out.suffix.lower().removeprefix(".")
        figure.savefig(content, format=ending, dpi=110, metadata=FILE_STAMPS.get(ending))
    with claimed(out) as stream:
        stream.write(content.getvalue())


_MOST_DIFFERENCES = 120
