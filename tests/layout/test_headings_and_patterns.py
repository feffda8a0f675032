"""The normal form of headings, and the pattern language."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.layout.addresses import Address, column_number, parse_address
from boreotabula.layout.headings import Naming, conflicts, normal_form
from boreotabula.layout.patterns import PatternError, PatternKind, pattern


@pytest.mark.parametrize(
    "written",
    ["Lot no", "lot NO", " Lot  no ", "Lot\nno", "Lot\u00a0no", "lot_no", "Lot-no:", "Lot no *",
     "Ｌｏｔ no", "Lot\u200b no", "Lot‑no"],
)  # fmt: skip
def test_headings_that_look_alike_are_the_same(written: str) -> None:
    assert normal_form(written) == "lot no"


@pytest.mark.parametrize("written", ["Lots no", "Lot", "Lot no 2", "Lotno"])
def test_headings_are_never_compared_by_parts(written: str) -> None:
    assert normal_form(written) != "lot no"


@given(st.text())
def test_the_normal_form_is_final(text: str) -> None:
    assert normal_form(normal_form(text)) == normal_form(text)


def test_a_heading_given_to_two_fields_is_a_conflict_of_both_places() -> None:
    first, second = Naming("Art", "species", "row 2"), Naming("ART:", "kind", "row 9")
    assert list(conflicts([first, Naming("art", "species", "row 3"), second])) == [(first, second)]


@pytest.mark.parametrize(
    ("text", "kind", "name", "captured"),
    [
        ("Bench {bench}", PatternKind.TAB, "bench 12", {"bench": "12"}),
        ("Bench {bench}", PatternKind.TAB, " Bench 12 ", {"bench": "12"}),
        ("Bench {bench}", PatternKind.TAB, "Bench ", None),
        ("Bench*", PatternKind.TAB, "Bench", {}),
        ("{a} - {b}", PatternKind.TAB, "x - y - z", {"a": "x", "b": "y - z"}),
        (
            "{region}_stock_*.xlsx",
            PatternKind.FILE,
            "2026/04/lake_stock_x.XLSX",
            {"region": "lake"},
        ),
        ("{year}/*.xlsx", PatternKind.FILE, "2026/a.xlsx", {"year": "2026"}),
        ("{year}/*.xlsx", PatternKind.FILE, "2026/04/a.xlsx", None),
        ("{year}/**.xlsx", PatternKind.FILE, "2026/04/a.xlsx", {"year": "2026"}),
        ("Total*", PatternKind.CELL, "TOTAL:", {}),
        ("Sum:", PatternKind.CELL, "Sum", None),
        ("Sum:", PatternKind.CELL, "SUM:", {}),
        ("Sum", PatternKind.CELL, "Sum:", {}),
        ("*:", PatternKind.CELL, "Pine", None),
        ("*:", PatternKind.CELL, "Pine:", {}),
        ("Pots[*]", PatternKind.CELL, "Pots*", {}),
        ("Pots[*]", PatternKind.CELL, "Potsx", None),
        ("Total*", PatternKind.CELL, "Subtotal", None),
        ("sum of_lots", PatternKind.CELL, "Sum of\nlots", {}),
        ("a.c", PatternKind.TAB, "abc", None),
    ],
)
def test_a_pattern_chooses_and_captures(
    text: str, kind: PatternKind, name: str, captured: dict[str, str] | None
) -> None:
    assert pattern(text, kind).match(name) == captured


@pytest.mark.parametrize(
    ("text", "kind"),
    [("", PatternKind.TAB), ("{}", PatternKind.TAB), ("a{b", PatternKind.TAB),
     ("b}a", PatternKind.FILE), ("{a}{b}", PatternKind.FILE), ("{a} {a}", PatternKind.TAB),
     ("Total {a}", PatternKind.CELL)],
)  # fmt: skip
def test_patterns_that_cannot_be_read_are_refused(text: str, kind: PatternKind) -> None:
    with pytest.raises(PatternError):
        pattern(text, kind)


@given(st.integers(0, 1_048_575), st.integers(0, 16_383))
def test_addresses_read_back(row: int, column: int) -> None:
    assert parse_address(str(Address(row, column))) == (row, column)
    assert parse_address(str(Address(row, column)).lower()) == (row, column)


@pytest.mark.parametrize("text", ["", "C", "7", "C0", "XFE1", "A1048577", "AAAA1", "C2:D3"])
def test_what_is_no_address_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match="not a cell address"):
        parse_address(text)


def test_the_last_column_is_xfd() -> None:
    assert column_number("XFD") == 16_383


@given(
    st.text("ab _", min_size=1, max_size=12), st.sampled_from(["{x} {y}", "{x}_{y} {z}", "a{x} *"])
)
def test_of_the_ways_to_part_a_name_the_first_is_the_match(name: str, text: str) -> None:
    compiled = pattern(text, PatternKind.TAB)
    ways = list(compiled.ways(name))
    assert (ways[0] if ways else None) == compiled.match(name)
    other = compiled.other_match(name)
    assert other is None or other in ways
    assert all(part in name for way in ways for part in way.values())


def test_a_name_of_many_blanks_is_parted_in_no_time() -> None:
    compiled = pattern("{a} {b} {c} {d} {e}x", PatternKind.TAB)
    # Without a bound there would be a hundred million ways to look at.
    assert len(list(compiled.ways("a " * 120 + "y"))) == 0
