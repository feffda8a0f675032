"""Names of tabs: whatever is wanted, a workbook accepts what comes."""

from __future__ import annotations

import io

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.sheets.parts.tab_names import free_name, valid_name


@pytest.mark.parametrize(
    ("wanted", "name"),
    [
        ("a/b:c*[d]?", "a b c d"),
        ("x" * 50, "x" * 31),
        ("😀" * 20, "😀" * 15),
        ("'quoted'", "quoted"),
        ("a'b", "a'b"),
        ("a  b", "a  b"),
        ("line\nbreak\x00", "line break"),
        ("''", "tab"),
        ("\ud800", "tab"),
    ],
)
def test_a_name_is_made_valid(wanted: str, name: str) -> None:
    assert valid_name(wanted) == name


@given(st.lists(st.text(alphabet=st.one_of(st.characters(), st.sampled_from("aA'[]:*?/😀 ()2")))))
def test_any_names_make_a_workbook(wanted: list[str]) -> None:
    names: list[str] = []
    with xlsxwriter.Workbook(io.BytesIO(), {"in_memory": True}) as book:
        for name in wanted:
            names.append(free_name(name, names))
            book.add_worksheet(names[-1])
        book.add_worksheet("the last")
