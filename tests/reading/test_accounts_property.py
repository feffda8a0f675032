"""Whatever stands on a sheet and whatever the layout: nothing crashes, and the accounts close."""

from __future__ import annotations

from datetime import date, time, timedelta
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.findings.catalogue import BY_CODE
from boreotabula.reading.account.roles import Role
from boreotabula.sheets.sheet import Flaw, Span, TableObject, make_sheet
from helpers import read

WORDS = (
    "Species",
    "Lot",
    "A",
    "B",
    "Pot 95",
    "Total",
    "Notes",
    "Bench:",
    "Bench: 3",
    "x",
    "12",
    "1",
)
CELLS = st.one_of(
    st.just(""),
    st.sampled_from(WORDS),
    st.sampled_from(WORDS),
    st.integers(0, 5).map(float),
    st.sampled_from([2.5, True, date(2026, 4, 1), time(6), timedelta(hours=30), Flaw("#N/A")]),
)
WAYS = (
    'stub = "species"\nacross = "grade"\nvalue = "seedlings"',
    'stub = ["species", "lot"]\nacross = ["container", "grade"]\nvalue = ["seedlings", "planned"]',
    'stub = ["species", "lot"]',
    'stub = "lot"\ngroup_row = "species"\nacross = "grade"\nvalue = "seedlings"',
    'columns = ["species", "-", "seedlings"]',
    'headings = 0\ncolumns = ["species", "seedlings"]',
    'at = "B2"\nacross = "grade"\nvalue = "seedlings"',
    'named_table = "t*"\nstub = "species"',
    'stub = ["species", "lot"]\nheading_rows = 2\nunknown_headings = "keep"',
)
KEYS = (
    'totals = "Total"', 'ignore = "x"', 'skip = "B"', 'ends_at = "Notes"', "under_headings = 1",
    "gaps = true", "turned = true", 'blank = "keep"',
)  # fmt: skip
FIELDS = """
[fields]
bench = "text"
species = "text"
lot = "text"
container = "text"
grade = "text"
seedlings = { type = "integer", also = "A" }
planned = { type = "number", also = "B" }
"""


@st.composite
def sheets(draw: st.DrawFn) -> Any:
    width = draw(st.integers(1, 6))
    rows = draw(st.lists(st.lists(CELLS, min_size=width, max_size=width), max_size=8))
    spans = []
    for _ in range(draw(st.integers(0, 3)) if rows else 0):
        top, left = draw(st.integers(0, len(rows) - 1)), draw(st.integers(0, width - 1))
        spans.append(Span(top, left, top + draw(st.integers(0, 2)), left + draw(st.integers(0, 2))))
    tables = [TableObject("t1", 1, 0, 4, 2, 1, 1)] if draw(st.booleans()) else []
    hidden = draw(st.sets(st.integers(0, 7)))
    return make_sheet("Bench 1", rows, spans, tables=tables, hidden_rows=sorted(hidden))


@st.composite
def layouts(draw: st.DrawFn) -> str:
    blocks = draw(st.lists(st.sampled_from(WAYS), max_size=2))
    keys = "\n".join(draw(st.lists(st.sampled_from(KEYS), max_size=4, unique=True)))
    repeat = draw(st.booleans())
    parts = [
        f"[[block]]\n{way}\n{keys}\n" + ("repeat = true\n" if repeat and "stub" in way else "")
        for way in blocks
    ]
    stamp = draw(
        st.sampled_from(
            ['cell = "B1"', 'right_of = "Bench"', 'below = "Bench"', 'cell = "C3", labelled = "x"']
        )
    )
    return f"layout = 1\n[stamps]\nbench = {{ {stamp} }}\n{''.join(parts)}{FIELDS}"


@settings(max_examples=200)
@given(sheets(), layouts())
def test_nothing_crashes_and_the_accounts_close(sheet: Any, text: str) -> None:
    reading = read(sheet, text)
    account = reading.account
    assert sum(account.roles.values()) == account.filled == sheet.filled.sum()
    assert sum(account.left_out.values()) == account.roles[Role.LEFT_OUT]
    assert len(reading.unplaced) == account.roles[Role.UNPLACED]
    assert all(one.code in BY_CODE and one.message and one.advice for one in reading.findings)
    for table in reading.tables.values():
        table.validate(full=True)
