"""The table of field types: each type has all that a type needs, wherever that stands."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa
import pytest

from boreotabula.layout.field_types import FIELD_TYPES, is_type, type_called
from boreotabula.reading.values.convert import convert
from boreotabula.reading.values.form import ValueForm

HANDBOOK = Path(__file__).parents[2] / "docs" / "layout.md"
TYPES = [f"{name}(2)" if name == "decimal" else name for name in FIELD_TYPES]
SAMPLES = {
    "text": "Pine", "integer": 7.0, "number": 0.5, "decimal(2)": 1.25, "percent": 0.5,
    "date": "2026-04-17", "datetime": "2026-04-17 06:00", "time": "06:00", "month": "2026-04",
    "yesno": "yes",
}  # fmt: skip


@pytest.mark.parametrize("kind", TYPES)
def test_each_type_converts_and_is_in_the_handbook(kind: str) -> None:
    form = ValueForm(kind)
    done = convert([SAMPLES[kind], ""], form)
    assert done.values.type == form.arrow_type and done.values.null_count == 1
    assert done.unremarkable and is_type(kind) and form.type.called == kind
    assert f"`{kind}`" in HANDBOOK.read_text("utf-8")


@pytest.mark.parametrize(
    ("kind", "known"),
    [("decimal(0)", True), ("decimal(19)", True), ("decimal(20)", False), ("decimal", False),
     ("Text", False), ("integer(2)", False), ("", False)],
)  # fmt: skip
def test_what_a_layout_may_call_a_type(kind: str, known: bool) -> None:
    assert is_type(kind) is known


def test_decimals_carry_their_places() -> None:
    found = type_called("decimal(3)")
    assert (found.digits, found.sheet_format, found.called) == (3, "0.000", "decimal(3)")
    assert ValueForm("decimal(3)").arrow_type == pa.decimal128(38, 3)
    assert {name for name, one in FIELD_TYPES.items() if one.is_share} == {"percent"}
    assert {name for name, one in FIELD_TYPES.items() if one.totals} == {
        "integer", "number", "decimal",
    }  # fmt: skip
