"""The map of roles, what lapses, and the parts that tell rows, sums, quotes and copies apart."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.batch.read_all import _unmarked
from boreotabula.findings.catalogue import finding_kind
from boreotabula.findings.finding import WHOLE, Finding, ScopedFinding
from boreotabula.findings.kind import Severity
from boreotabula.layout.patterns import PatternError, PatternKind, pattern
from boreotabula.limits import Budget, Limits
from boreotabula.reading.account.roles import Role, RoleMap, rank_of
from boreotabula.reading.cells import reads_as_figure
from boreotabula.reading.rows.tails import tail_after_gap
from boreotabula.reading.totals.rows_of_totals import row_ranges
from boreotabula.sheets.text import TextForm, read_text
from helpers import layout_text, read, sheet


def finding(code: str) -> Finding:
    return Finding(finding_kind(code), f"{code} is said", "Look.")


NOTE, WARNING, ERROR = map(finding, ("texts-unplaced", "numbers-unplaced", "cells-unplaced"))
GRID = sheet("a | b | c\nd | . | f")


def test_a_cell_has_one_role_and_a_turned_map_shares_it() -> None:
    roles = RoleMap(GRID)
    turned = RoleMap(GRID.turn(), roles)
    turned.give([2], [0, 1], Role.LEFT_OUT, "skip: x")  # column C of the sheet as it lies
    roles.give(range(2), [0], Role.HEADING)
    assert (roles.role(0, 2), roles.why(1, 2)) == (Role.LEFT_OUT, "skip: x")
    assert turned.role(0, 1) is Role.HEADING
    account = roles.account()
    assert (account.filled, account.left_out) == (5, {"skip: x": 2})
    assert [account.roles[one] for one in (Role.UNPLACED, Role.HEADING)] == [1, 2]


@pytest.mark.parametrize("rows", [[0, 1], [1, 0], range(2), slice(0, 2), np.array([0, 1])])
def test_rows_can_be_named_in_any_way(rows: Any) -> None:
    roles = RoleMap(GRID)
    roles.give(rows, [2, 0], Role.TOTAL)
    assert [roles.role(row, at) is Role.TOTAL for row in (0, 1) for at in (0, 1, 2)] == [
        True, False, True, True, False, True,
    ]  # fmt: skip


def test_booking_says_how_many_cells_were_values_before() -> None:
    roles = RoleMap(GRID)
    spots = np.array([0, 0]), np.array([0, 1])
    assert roles.book(*spots, Role.VALUE) == 0
    assert roles.book(np.array([0, 1]), np.array([1, 2]), Role.VALUE) == 1


def test_the_loudest_finding_speaks_of_a_cell_and_what_lapses_is_dropped() -> None:
    roles = RoleMap(GRID)
    roles.tell(ScopedFinding(NOTE, WHOLE, WHOLE))
    roles.tell(ScopedFinding(ERROR, [0], range(3)))
    roles.tell(ScopedFinding(WARNING, spots=[(0, 1), (1, 2), (9, 9)]))
    roles.tell(ScopedFinding(ERROR, [1], [1], lapses=True))  # that cell is blank
    codes = {spot: code for spot, _, code in roles.unplaced()}
    assert codes == {
        (0, 0): ERROR.code, (0, 1): ERROR.code, (0, 2): ERROR.code,
        (1, 0): NOTE.code, (1, 2): WARNING.code,
    }  # fmt: skip
    assert roles.findings() == [NOTE, ERROR, WARNING]
    heard = roles.heard(*np.nonzero(roles.unplaced_mask))
    assert (heard < rank_of(Severity.WARNING)).tolist() == [False, False, False, True, False]


@given(
    st.lists(st.lists(st.booleans(), min_size=3, max_size=3).filter(any), min_size=1, max_size=7),
    st.sets(st.integers(1, 6)),
)
def test_the_tail_of_a_list_is_what_the_rules_say(rows: list[list[bool]], gaps: set[int]) -> None:
    filled = np.array(rows)
    some = sorted(gap for gap in gaps if gap < len(rows))
    counts = filled.sum(axis=1)

    def unlike(row: int, gap: int) -> bool:
        always = filled[:gap].all(axis=0)
        return counts[row] == 1 or bool((always & ~filled[row]).any())

    expected = next(
        (gap for gap in some if all(unlike(row, gap) for row in range(gap, len(rows)))), len(rows)
    )
    assert tail_after_gap(some, np.zeros(len(rows), bool), filled, counts) == expected


def test_a_row_of_totals_may_sum_up_what_is_above_or_below_it() -> None:
    records, totals = (1, 2, 4, 5, 7), (0, 3, 6, 8)
    assert row_ranges(records, 3, totals) == [
        (0, 2), (2, 4), (2, 5), (0, 5),
    ]  # fmt: skip
    assert row_ranges(records, 8, totals) == [(4, 5), (5, 5), (2, 5), (0, 5)]


@given(st.lists(st.lists(st.integers(0, 9), min_size=2, max_size=2), min_size=3, max_size=8))
def test_rows_of_sums_on_top_agree_whatever_the_numbers(rows: list[list[int]]) -> None:
    sums = [sum(row[at] for row in rows) for at in (0, 1)]
    lines = [["Species", "Lot", "A", "B"], ["Total", ".", *sums]]
    lines += [["Pine", f"L{at}", *row] for at, row in enumerate(rows)]
    picture = "\n".join(" | ".join(map(str, line)) for line in lines)
    text = layout_text('totals = "Total"').replace('["container", "grade"]', '"grade"')
    reading = read(sheet(picture), text)
    assert (reading.totals.printed, reading.totals.agree) == (2, 2)
    assert len(reading.records) == 2 * len(rows)


@pytest.mark.parametrize(
    ("content", "quotes"),
    [
        ('a;b\n"x\ny";2\n', []),
        ('a;b\n"x;1\ny";2\n', [(2, 3, True)]),
        ('a;b\nc;"x;1\nd;2\n', [(2, 3, False)]),
        ('a;b\nc;"d\n', [(2, 2, False)]),
        ('"a";"b"\n"c";"d"', []),
        ('a;b\n"u\nv";"w;1\nx"\n', [(3, 4, True)]),
    ],
)
def test_quotes_that_may_have_swallowed_lines(
    tmp_path: Path, content: str, quotes: list[Any]
) -> None:
    path = tmp_path / "a.csv"
    path.write_text(content, "utf-8")
    found = read_text(path, TextForm(delimiter=";"), Budget(Limits())).quotes
    assert [(one.line, one.last, one.closed) for one in found] == quotes


@pytest.mark.parametrize(
    ("name", "plain"),
    [
        ("WS001 (1)", "WS001"), ("Lomlia - Kopie", "Lomlia"), ("stock copy 2", "stock"),
        ("Kopi av stock", "stock"), ("stock_copy", "stock"), ("copybook", "copybook"),
        ("Lomlia (north)", "Lomlia (north)"),
    ],
)  # fmt: skip
def test_marks_of_copies_in_names(name: str, plain: str) -> None:
    assert _unmarked(name) == plain


def test_a_name_that_fits_in_two_ways_has_another_match() -> None:
    one = pattern("{co}_orders_*", PatternKind.FILE)
    assert one.other_match("a_orders_1.xlsx") is None
    assert one.other_match("My_orders_Ltd_orders_1.xlsx") == {"co": "My_orders_Ltd"}
    for text in ("{title}*", "*{title}", "{a}{b}"):
        with pytest.raises(PatternError, match="put some text between"):
            pattern(text, PatternKind.FILE)


@pytest.mark.parametrize(
    "text", ["12", "-1 200,50", "15 %", "(3)", "2026-04-17", "17.4.26", "6:30"]
)
def test_texts_that_read_as_figures(text: str) -> None:
    assert reads_as_figure(text)
    assert not reads_as_figure(f"{text} pcs") and not reads_as_figure(f"no {text}")
