"""The arrays between the steps of reading: cells picked, rows told apart, figures, values."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.reading.rows.table_rows import RowKind, StubCells, TableRows, of_kind
from boreotabula.reading.totals.figures import agree, all_agree
from boreotabula.reading.values.arrays import blank, repeated, taken
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import TEXT, ValueForm
from boreotabula.reading.values.picked import Picked
from boreotabula.sheets.sheet import make_sheet

NUMBERS: Any = st.one_of(
    st.sampled_from(["", "12", "1.5", "x", "1,250", True, 3.0, 2.5, 2.0**53 + 2, 7.0, "7"]),
    st.integers(-9, 9).map(float),
)


@given(
    st.lists(NUMBERS, max_size=9),
    st.sampled_from(["integer", "number", "percent", "decimal(1)", "text"]),
    st.sampled_from([frozenset[str](), frozenset({"7", "x"})]),
)
def test_cells_picked_from_a_sheet_convert_as_one_by_one(
    cells: list[Any], kind: str, empty: frozenset[str]
) -> None:
    form = ValueForm(kind, empty=empty, least=-5 if kind == "integer" else None)
    sheet = make_sheet("Bench 1", [[cell] for cell in cells])
    rows = np.arange(len(cells))
    together = convert(Picked(sheet, rows, np.zeros_like(rows)), form)
    apart = convert(list(cells), form)
    assert together.values.to_pylist() == apart.values.to_pylist()
    assert together.values.type == apart.values.type
    assert vars(together) | {"values": 0} == vars(apart) | {"values": 0}


def test_a_place_without_a_cell_is_blank() -> None:
    sheet = make_sheet("Bench 1", [[1.0, "a"]])
    picked = Picked(sheet, np.array([0, 0, 0]), np.array([1, -1, 0]))
    assert list(picked) == ["a", "", 1.0] and picked[1:] == ["", 1.0]
    assert picked.filled.tolist() == [True, False, True]
    picked.leave_out([0])
    assert list(picked.take(np.array([0, 2]))) == ["", 1.0]


def rows_of(*kinds: RowKind) -> TableRows:
    codes = np.array(kinds, np.uint8)
    records = np.flatnonzero(codes == RowKind.RECORD)
    cells = [f"L{at}" for at in records]
    stub = StubCells(cells, records + 5, np.zeros_like(records), np.ones(len(records), bool))
    return TableRows(5, codes, {}, {"lot": stub}, None, 4 + len(kinds))


def test_rows_are_asked_for_by_their_kind() -> None:
    table = rows_of(RowKind.RECORD, RowKind.NONE, RowKind.TOTAL, RowKind.RECORD)
    assert table.records == (5, 8) and table.of(RowKind.TOTAL, RowKind.HEADING) == [7]
    assert table.there.tolist() == [5, 7, 8] and table.kind(7) is RowKind.TOTAL
    assert of_kind(table.kinds, RowKind.NONE, RowKind.TOTAL).tolist() == [False, True, True, False]


def test_a_record_that_becomes_something_else_takes_its_stub_cell_along() -> None:
    table = rows_of(RowKind.RECORD, RowKind.RECORD, RowKind.RECORD).without([6], RowKind.LIKE_TOTAL)
    assert table.records == (5, 7) and table.of(RowKind.LIKE_TOTAL) == [6]
    assert (table.stub["lot"].cells, table.stub["lot"].spot(1)) == (["L0", "L2"], (7, 0))


@given(st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(-1.0, 1.0)), max_size=8))
def test_totals_agree_together_as_one_by_one(pairs: list[tuple[float, float]]) -> None:
    printed = np.array([round(number, 2) for number, _ in pairs])
    summed = np.array([number + apart for number, apart in pairs])
    one_by_one = [agree(float(a), float(b)) for a, b in zip(printed, summed, strict=True)]
    assert all_agree(printed, summed).tolist() == one_by_one


@pytest.mark.parametrize("values", [["a", "b", None], [1, 2, None]])
def test_values_taken_and_repeated(values: list[Any]) -> None:
    array = pa.array(values)
    places = np.array([2, 0, 0], np.int32)
    for one in (array, array.dictionary_encode(), array[:2].dictionary_encode()):
        some = places[1:] if len(one) == 2 else places
        assert taken(one, some).to_pylist() == [values[at] for at in some]
    assert repeated(array.slice(1, 1), 3).to_pylist() == [values[1]] * 3
    assert blank(TEXT, 2).to_pylist() == blank(pa.int64(), 2).to_pylist() == [None, None]
