"""A sheet's arrays say of every cell what the cells themselves say."""

from __future__ import annotations

import math
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.sheets.sheet import CellKind, Code, Flaw, Sheet, Span, make_sheet

CELLS: Any = st.one_of(
    st.sampled_from(["", " ", "\u00a0", "Pine", "7", True, False, date(2026, 4, 1), Flaw("#N/A")]),
    st.sampled_from([Code(7.0, "007"), 12, -0.0, 1e300, float("inf")]),
    st.floats(allow_nan=False),
)
ROWS = st.lists(st.lists(CELLS, max_size=5), max_size=6)


def kind_of(cell: object) -> CellKind:
    if isinstance(cell, str):
        return CellKind.TEXT if cell.strip() else CellKind.BLANK
    number = isinstance(cell, float | int) and not isinstance(cell, bool)
    return CellKind.NUMBER if number else CellKind.OTHER


@given(ROWS)
def test_kinds_and_numbers_are_those_of_the_cells(rows: list[list[Any]]) -> None:
    width = max(map(len, rows), default=0)
    padded = [row + [""] * (width - len(row)) for row in rows]
    expected = [[kind_of(cell) for cell in row] for row in padded]
    sheet = make_sheet("Bench 1", [list(row) for row in rows])
    assert (sheet.height, sheet.width) == (len(rows), width)
    assert sheet.kinds.tolist() == expected
    for row, cells in enumerate(sheet.rows):
        for column, cell in enumerate(cells):
            number = sheet.numbers[row, column]
            assert number == cell if expected[row][column] == 1 else math.isnan(number)
            assert sheet.filled[row, column] == (cell != "")
    assert list(sheet.texts()) == [
        (row, column, cell)
        for row, cells in enumerate(sheet.rows) for column, cell in enumerate(cells)
        if isinstance(cell, str) and cell
    ]  # fmt: skip
    assert sheet.blank == (not any(kind for row in expected for kind in row))


@given(ROWS)
def test_a_turned_sheet_is_the_same_from_the_side(rows: list[list[Any]]) -> None:
    sheet = make_sheet("Bench 1", rows, [Span(0, 1, 2, 1)])
    turned = sheet.turn()
    for row in range(sheet.height):
        for column in range(sheet.width):
            assert turned.cell(column, row) is sheet.cell(row, column)
            assert turned.kinds[column, row] == sheet.kinds[row, column]
            assert turned.address(column, row) == sheet.address(row, column)
    assert turned.merges == (Span(1, 0, 1, 2),)


def test_many_cells_are_looked_at_in_bands(monkeypatch: pytest.MonkeyPatch) -> None:
    rows: list[list[Any]] = [[float(at), f"L{at}", ""] for at in range(50)]
    whole = make_sheet("Bench 1", [list(row) for row in rows])
    monkeypatch.setattr("boreotabula.sheets.sheet._AT_ONCE", 7)
    parts = make_sheet("Bench 1", [list(row) for row in rows])
    assert parts.kinds.tolist() == whole.kinds.tolist()
    assert parts.numbers[:, 0].tolist() == whole.numbers[:, 0].tolist()
    assert list(parts.texts(range(40, 99))) == list(whole.texts(range(40, 50)))
    assert list(parts.texts(range(40, 40))) == []


MERGED: Sheet = make_sheet(
    "Bench 1", [[""] * 6 for _ in range(6)], [Span(0, 0, 0, 2), Span(2, 1, 4, 1), Span(3, 3, 5, 5)]
)


@pytest.mark.parametrize(
    ("place", "anchor"),
    [((0, 2), (0, 0)), ((1, 0), (1, 0)), ((4, 1), (2, 1)), ((5, 4), (3, 3)), ((5, 2), (5, 2))],
)
def test_the_anchor_of_a_merged_cell(place: tuple[int, int], anchor: tuple[int, int]) -> None:
    assert MERGED.anchor(*place) == anchor


def test_merged_ranges_that_touch_an_area() -> None:
    assert MERGED.merged_in(range(6), range(6)) == MERGED.merges
    assert MERGED.merged_in(range(1, 4), range(2)) == (Span(2, 1, 4, 1),)
    assert MERGED.merged_in(range(1, 2), range(6)) == ()
    assert make_sheet("", []).merged_in(range(9), range(9)) == ()
