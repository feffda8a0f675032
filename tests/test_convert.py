"""Cells to typed values: right and wrong ones, and the text of cells."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.reading.cells import cell_text
from boreotabula.reading.convert import convert
from boreotabula.workbooks.sheet import Flaw

RIGHT: list[tuple[str, Any, Any]] = [
    ("text", " Spruce ", "Spruce"), ("text", 7.0, "7"), ("text", 0.5, "0.5"),
    ("text", True, "TRUE"), ("text", date(2026, 4, 1), "2026-04-01"),
    ("text", datetime(2026, 4, 1, 6, 30), "2026-04-01T06:30:00"),
    ("text", time(6, 30), "06:30:00"), ("text", timedelta(hours=30, minutes=5), "30:05:00"),
    ("text", 1e15, "1000000000000000.0"),
    ("integer", 7.0, 7), ("integer", "007", 7), ("integer", " -4 ", -4), ("integer", 0.0, 0),
    ("integer", "9007199254740993", 9007199254740993),
    ("number", 7.0, 7.0), ("number", "7.25", 7.25), ("number", "-.5e3", -500.0),
    ("month", date(2026, 4, 17), date(2026, 4, 1)),
    ("month", datetime(2026, 4, 17, 9), date(2026, 4, 1)),
    ("month", "2026-04", date(2026, 4, 1)), ("month", "4/2026", date(2026, 4, 1)),
    ("month", "2026-04-17", date(2026, 4, 1)), ("month", "April 2026", date(2026, 4, 1)),
    ("month", "apr. 2026", date(2026, 4, 1)), ("month", "SEP 2026", date(2026, 9, 1)),
    ("date", date(2026, 4, 17), date(2026, 4, 17)), ("date", " 2026-04-17 ", date(2026, 4, 17)),
    ("date", datetime(2026, 4, 17), date(2026, 4, 17)),
    ("datetime", datetime(2026, 4, 17, 6), datetime(2026, 4, 17, 6)),
    ("datetime", date(2026, 4, 17), datetime(2026, 4, 17)),
    ("datetime", "2026-04-17 06:30", datetime(2026, 4, 17, 6, 30)),
    ("datetime", "2026-04-17T06:30:15", datetime(2026, 4, 17, 6, 30, 15)),
    ("datetime", datetime(2026, 4, 17, 5, 59, 59, 999_999), datetime(2026, 4, 17, 6)),
    ("time", time(6, 30), time(6, 30)), ("time", "6:30", time(6, 30)),
    ("time", "06:30:15", time(6, 30, 15)), ("time", time(5, 59, 59, 999_999), time(6)),
    ("time", time(23, 59, 59, 999_999), time(23, 59, 59)),
]  # fmt: skip
WRONG: list[tuple[str, Any]] = [
    ("text", Flaw("#N/A")), ("integer", "1 200"), ("integer", "1,200"), ("integer", "7.5"),
    ("integer", 7.5), ("integer", True), ("integer", date(2026, 4, 1)), ("integer", 1e17),
    ("integer", "99999999999999999999"), ("number", "7,25"), ("number", "nan"), ("number", "inf"),
    ("number", False), ("number", "1_000"), ("month", 46113.0), ("month", "2026-13"),
    ("month", "0000-01"), ("month", "April"), ("month", "2026"),
    ("month", "Stock 2026"), ("month", "April 0000"), ("date", "17.4.2026"), ("date", 46113.0),
    ("date", datetime(2026, 4, 17, 9)), ("date", "soon"), ("datetime", "06:30"),
    ("datetime", "2026-04-17T06:30Z"), ("datetime", 0.5), ("time", "noon"), ("time", 0.25),
    ("time", timedelta(hours=30)), ("time", "25:00"), ("date", Flaw("#N/A")),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "cell", "value"), RIGHT)
def test_what_converts(kind: str, cell: Any, value: Any) -> None:
    done = convert([cell, ""], kind)
    assert (done.values.to_pylist(), done.failures) == ([value, None], ())


@pytest.mark.parametrize(("kind", "cell"), WRONG)
def test_what_does_not_convert_gives_an_empty_value_and_a_reason(kind: str, cell: Any) -> None:
    done = convert(["", cell], kind)
    assert done.values.to_pylist() == [None, None]
    assert [place for place, _ in done.failures] == [1]
    assert "where" in done.failures[0][1] or "number" in done.failures[0][1]


@given(st.lists(st.integers(-(2**53), 2**53).map(float), min_size=1))
def test_whole_floats_convert_alike_all_at_once_and_one_by_one(cells: list[float]) -> None:
    together = convert(cells, "integer").values.to_pylist()
    assert together == [convert([cell, ""], "integer").values.to_pylist()[0] for cell in cells]
    assert together == [int(cell) for cell in cells]


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_the_text_of_a_number_reads_back(number: float) -> None:
    assert float(cell_text(number)) == number
