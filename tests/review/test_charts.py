"""Charts: a name looks the same in each of them, and what has no number is not painted."""

from __future__ import annotations

import re
import sys
from decimal import Decimal
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FIELD_TYPES
from boreotabula.review.charts.cross import draw_cross, kind_for
from boreotabula.review.charts.differences import draw_differences
from boreotabula.review.charts.figure import check_chart
from boreotabula.review.charts.styles import (
    COLOURS,
    INK,
    OTHERS,
    axis_form,
    bar_colours,
    ink_on,
    line_styles,
    number_form,
)
from boreotabula.review.compare.compare import Sums
from boreotabula.review.crosstab.cross import Cross, CrosstabSpec
from boreotabula.review.crosstab.crosstab import crosstab
from helpers import contrast

WHOLE, SHARE = FIELD_TYPES["integer"], FIELD_TYPES["percent"]
SITES = ("Frostmo", "Granvik", "Hiekka", "Kaldvatn", "Lomlia")
ROWS = [
    (site, f"{2026 + month // 12}-{month % 12 + 1:02}", (site_number - 2) * 1000 + month * 7)
    for site_number, site in enumerate(SITES) for month in range(3)
    if (site, month) != ("Hiekka", 1)
]  # fmt: skip


def cross_of(rows: list[tuple[str, str, int]], **asked: Any) -> Cross:
    kinds = {"site": "text", "month": "month", "count": "integer"}
    types = (pa.string(), pa.date32(), pa.int64())
    columns = [list(column) for column in zip(*rows, strict=True)]
    columns[1] = [f"{month}-01" for month in columns[1]]
    arrays = [pa.array(column) for column in columns]
    table = pa.table(
        [array.cast(kind) for array, kind in zip(arrays, types, strict=True)],
        schema=pa.schema([
            pa.field(name, kind, metadata={"field_type": kinds[name]})
            for name, kind in zip(kinds, types, strict=True)
        ]),
    )  # fmt: skip
    return crosstab(table, CrosstabSpec(("site",), value="count", **({"across": "month"} | asked)))


def drawn(cross: Cross, folder: Path, kind: str | None = None) -> str:
    out = folder / "chart.svg"
    out.unlink(missing_ok=True)
    draw_cross(cross, out, kind)
    return out.read_text("utf-8")


def colours_of(cross: Cross) -> dict[str, str]:
    """The colour of each row that has a name."""
    styles = line_styles(cross.row_ranks)
    return {row[0]: style.colour for row, style in zip(cross.rows, styles, strict=True)}


@pytest.mark.parametrize(
    "asked",
    [{"by_value": True}, {"where": (("site", "Lomlia"),)}, {"top": 2}, {"change": True},
     {"where": (("month", "2026-02"),)}, {"how": "share"}],
)  # fmt: skip
def test_a_name_has_the_same_colour_whatever_else_is_drawn(asked: dict[str, Any]) -> None:
    usual = colours_of(cross_of(ROWS))
    assert list(usual.values()) == list(COLOURS[: len(SITES)])
    colours = colours_of(cross_of(ROWS, **asked))
    assert {name: usual[name] for name in colours if name in usual} == {
        name: colour for name, colour in colours.items() if name in usual
    }
    side = cross_of(ROWS, across="site", **{k: v for k, v in asked.items() if k == "where"})
    assert bar_colours(side.column_ranks) == [usual[name] for name in side.columns]


@given(st.lists(st.integers(0, 300), unique=True, max_size=64))
def test_no_two_lines_look_alike(ranks: list[int]) -> None:
    assert len(set(line_styles(ranks))) == len(ranks)
    assert len(set(bar_colours(ranks[:8]))) == len(ranks[:8])


@given(st.tuples(*[st.floats(0, 1)] * 3))
def test_numbers_in_cells_can_be_read_on_any_colour(colour: tuple[float, float, float]) -> None:
    ground = ", ".join(str(round(part * 255)) for part in colour)
    assert contrast({"black": "0, 0, 0", "white": "255, 255, 255"}[ink_on(*colour)], ground) >= 4.5
    ink = ", ".join(map(str, bytes.fromhex(INK[1:])))
    assert contrast(ink, "255, 255, 255") >= 4.5


def test_what_is_taken_together_has_no_colour_of_the_scale(tmp_path: Path) -> None:
    rows = [(f"Site {n}", "2026-01", 10 + n) for n in range(30)]
    text = drawn(cross_of(rows, top=3), tmp_path, "heat")
    assert "27 others" in text and ">621<" in text  # 10 + … + 36
    # The scale ends at the largest row that is shown by itself.
    assert ">39<" in text and ">600<" not in text and ">500<" not in text
    assert OTHERS.lower() in drawn(cross_of([*ROWS, *rows], top=3), tmp_path, "lines")


def test_changes_begin_with_the_first_and_have_a_zero_line(tmp_path: Path) -> None:
    for kind in ("lines", "bars", "heat"):
        text = drawn(cross_of(ROWS, change=True), tmp_path, kind)
        assert ">2026-01<" not in text and ">2026-02<" in text, kind
        assert "Change of the sum of count by site and month" in text
    cross = cross_of([("a", "2026-01", 5), ("a", "2026-02", 2), ("b", "2026-01", 7)], change=True)
    text = drawn(cross, tmp_path, "heat")
    assert ">−3<" in text and ">-3<" not in text
    assert "hatched: no record here or in the column before" in text


def test_cells_without_a_record_are_hatched(tmp_path: Path) -> None:
    text = drawn(cross_of(ROWS), tmp_path, "heat")
    assert "hatched: no record" in text and "<pattern" in text
    assert "hatched" not in drawn(cross_of([r for r in ROWS if r[0] != "Hiekka"]), tmp_path, "heat")


def test_without_the_library_charts_say_what_they_need(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(sys.modules, "matplotlib", None)
    with pytest.raises(CallError, match=r'charts need more: pip install "boreotabula\[charts\]"'):
        check_chart(tmp_path / "c.png")


@pytest.mark.parametrize(
    ("numbers", "kind", "texts"),
    [
        ([1200, -7, 0], WHOLE, ["1,200", "−7", "0"]),
        ([1.5, 2.0, 300.25], FIELD_TYPES["number"], ["1.5", "2.0", "300.2"]),
        ([9_999_999, 3], WHOLE, ["9,999,999", "3"]),
        ([12_400_000, 3, -2_000_000, 0], WHOLE, ["12.4", "≈0", "−2.0", "0.0"]),
        ([2.5e9, 1e9], WHOLE, ["2.5", "1.0"]),
        ([0.125, -0.5], SHARE, ["12 %", "−50 %"]),
    ],
)
def test_numbers_of_one_map_have_one_form(
    numbers: list[float], kind: Any, texts: list[str]
) -> None:
    form = number_form(numbers, kind)
    assert [form.text(number) for number in numbers] == texts


def test_numbers_beside_an_axis_have_as_many_decimals_as_one_needs() -> None:
    form = axis_form([0, 2.5, 5], FIELD_TYPES["number"])
    assert [form.text(number) for number in (0, 2.5, 5)] == ["0.0", "2.5", "5.0"]
    assert axis_form([0, 2500.0], FIELD_TYPES["number"]).text(2500.0) == "2,500"
    assert axis_form([0, 0.025], SHARE).text(0.025) == "2.5 %"


def test_groups_without_a_difference_are_named(tmp_path: Path) -> None:
    sums = {
        (site, "count"): Sums(Decimal(9), Decimal(9 if site != "Lomlia" else 2)) for site in SITES
    }
    side = SimpleNamespace(name="a.csv", units={})
    comparison: Any = SimpleNamespace(sums=sums, by="site", before=side, after=side)
    draw_differences(comparison, tmp_path / "d.svg")
    text = (tmp_path / "d.svg").read_text("utf-8")
    assert "no difference: " + ", ".join(f"{site} · count" for site in SITES[:4]) in text
    assert ">−7<" in text


@pytest.mark.parametrize(
    ("sites", "months", "kind"),
    [(3, 6, "lines"), (12, 6, "lines"), (13, 6, "heat"), (3, 1, "bars"), (20, 0, "bars"),
     (1, 40, "lines")],
)  # fmt: skip
def test_charts_of_any_number_of_groups(tmp_path: Path, sites: int, months: int, kind: str) -> None:
    rows = [
        (f"Site with a long name {site}", f"{2026 + month // 12}-{month % 12 + 1:02}",
         site * 1000 + month)
        for site in range(sites) for month in range(max(months, 1)) if (site + month) % 7
    ]  # fmt: skip
    cross = cross_of(rows, across="month" if months else None)
    assert kind_for(cross) == kind
    for ending in ("png", "svg", "pdf"):
        draw_cross(cross, tmp_path / f"c.{ending}")
        content = (tmp_path / f"c.{ending}").read_bytes()
        assert content[:5] in (b"\x89PNG\r", b"<?xml", b"%PDF-")
    draw_cross(cross, tmp_path / "again.svg")
    text = (tmp_path / "c.svg").read_text("utf-8")
    assert text == (tmp_path / "again.svg").read_text("utf-8")
    assert ("Sum of count by site" + " and month" * bool(months)) in text
    assert "Site with a long name" in text


def test_long_titles_take_several_lines_and_many_rows_one_page(tmp_path: Path) -> None:
    def height(sites: int, **asked: Any) -> int:
        rows = [(f"Site {site}", "2026-01", site) for site in range(sites)]
        draw_cross(cross_of(rows, **asked), tmp_path / f"{sites}.png", "heat")
        return int.from_bytes((tmp_path / f"{sites}.png").read_bytes()[20:24], "big")

    where = (("month", "2026-01"),) * 8
    text = drawn(cross_of([("Site 1", "2026-01", 1)], where=where), tmp_path, "heat")
    title = "Sum of count by site and month" + ", month = 2026-01" * 8
    lines = [line for line in re.findall(r">([^<>]+)</text>", text) if "=" in line]
    assert len(lines) > 1 and " ".join(lines) == title
    assert height(48) <= 1300 and height(150) <= 1300  # inches of a page at 110 dots
    with pytest.raises(CallError, match="a heat map of 400 rows cannot be read"):
        height(400)
