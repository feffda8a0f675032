"""Printed totals are compared with the records; totals that nobody named never become records."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from boreotabula.reading.columns.kinds import Column, ColumnKind, Columns
from boreotabula.reading.plan import Plan
from boreotabula.reading.totals.compare import summand_sets
from boreotabula.reading.totals.unnamed import _runs
from boreotabula.sheets.sheet import Flaw, make_sheet
from helpers import codes, plan, read, sheet, values

LAYOUT = """
layout = 1
[block]
stub = ["species", "lot"]
across = ["container", "grade"]
value = "seedlings"
totals = ["Total*", "Sum*", "Mean*"]
skip = "see *"
[fields]
species = "text"
lot = "text"
container = "text"
grade = "text"
seedlings = "number"
"""
LIST = """
layout = 1
[block]
stub = ["species", "lot"]
totals = ["Total*"]
[fields]
species = "text"
lot = "text"
seedlings = "integer"
price = "number"
share = "percent"
"""

GOOD = {
    "rows and columns, also under each upper heading": (
        """
        .       | .   | Pot | .  | .   | Tray | .  | .   | Total
        Species | Lot | A   | B  | Sum | A    | B  | Sum | .
        Pine    | L1  | 1   | 2  | 3   | 4    | 5  | 9   | 12
        Birch   | L2  | 10  | 20 | 30  | 40   | 50 | 90  | 120
        Total   | .   | 11  | 22 | 33  | 44   | 55 | 99  | 132
        """,
        ["C1:E1", "F1:H1"],
        13,
    ),
    "subtotals, and a grand total of all records": (
        """
        .          | .   | Pot | .
        Species    | Lot | A   | B
        Pine       | L1  | 1   | 2
        Pine       | L2  | 3   | 4
        Sum Pine   | .   | 4   | 6
        Birch      | L3  | 5   | 6
        Birch      | L4  | 7   | 8
        Sum Birch  | .   | 12  | 14
        Total      | .   | 16  | 20
        """,
        ["C1:D1"],
        6,
    ),
    "nested subtotals": (
        """
        .         | .   | Pot | .
        Species   | Lot | A   | B
        Pine      | L1  | 1   | 2
        Pine      | L2  | 3   | 4
        Sum Pine  | .   | 4   | 6
        Birch     | L3  | 5   | 6
        Sum Birch | .   | 5   | 6
        Sum trees | .   | 9   | 12
        Rush      | L4  | 7   | 8
        Sum Rush  | .   | 7   | 8
        Total     | .   | 16  | 20
        """,
        ["C1:D1"],
        10,
    ),
    "totals above the records": (
        """
        .       | .   | Pot | .
        Species | Lot | A   | B
        Total   | .   | 4   | 6
        Pine    | L1  | 1   | 2
        Pine    | L2  | 3   | 4
        """,
        ["C1:D1"],
        2,
    ),
    "means": (
        """
        .       | .   | Pot | .  | .
        Species | Lot | A   | B  | Mean
        Pine    | L1  | 1   | 2  | 1.5
        Pine    | L2  | 3   | 6  | 4.5
        Mean    | .   | 2   | 4  | 3
        """,
        ["C1:E1"],
        5,
    ),
    "rounded to what is printed": (
        """
        .       | .   | Pot  | .
        Species | Lot | A    | B
        Pine    | L1  | 1.26 | 2.111
        Pine    | L2  | 3.26 | 4.222
        Total   | .   | 4.5  | 6.33
        """,
        ["C1:D1"],
        2,
    ),
    "blank and text totals are nothing to compare": (
        """
        .       | .   | Pot | .
        Species | Lot | A   | B
        Pine    | L1  | 1   | 2
        Pine    | L2  | 3   | 4
        Total   | .   | .   | 6
        """,
        ["C1:D1"],
        1,
    ),
}


@pytest.mark.parametrize("case", GOOD)
def test_totals_that_agree_are_counted(case: str) -> None:
    picture, merges, printed = GOOD[case]
    reading = read(sheet(picture, merges), LAYOUT)
    assert codes(reading) == []
    assert (reading.totals.printed, reading.totals.agree) == (printed, printed)


ROWS = """
.       | .   | Pot | .  | .
Species | Lot | A   | B  | Sum
Pine    | L1  | 12  | 25 | 37
Pine    | L2  | 31  | 40 | 71
see L2  | .   | 6   | .  | .
Birch   | L3  | 53  | 68 | 121
Total   | .   | 96  | 133 | 229
"""
WRONG = {
    "a text is in no record": ("| 31  | 40 | 71", "| 3l  | 40 | 71", "“3l” in C4 is in no record"),
    "a row was left out": ("| 96 ", "| 102 ", "row 5 holds just that much"),
    "digits of the total are swapped": ("133 | 229", "313 | 229", "two digits of the total"),
    "digits of a cell are swapped": ("Birch   | L3  | 53 ", "Birch   | L3  | 35 ", "C6"),
    "a cell was not summed": ("| 133 |", "| 93 |", "D4 holds just that much and may not be summed"),
    "a cell was summed twice": ("| 133 |", "| 158 |", "D3 holds just that much and may be summed"),
    "a line was not summed": ("133 | 229", "133 | 158", "row 4 holds just that much"),
    "a cell is ten times too large": (
        "| 31  | 40 | 71",
        "| 310 | 40 | 71",
        "C4 may be 10 times too large (31?)",
    ),
    "a cell is too small": ("| 68 | 121", "| 0.68 | 121", "D6 may be 100 times too small (68?)"),
    "all was summed twice": ("133 | 229", "266 | 229", "the subtotals may be counted"),
    "nobody knows": ("133 | 229", "150 | 229", "is 17 more than the 133 of the records"),
}


@pytest.mark.parametrize("case", WRONG)
def test_a_total_that_differs_is_told_with_its_likely_culprit(case: str) -> None:
    old, new, said = WRONG[case]
    assert ROWS.count(old) == 1
    reading = read(sheet(ROWS.replace(old, new), ["C1:E1"]), LAYOUT)
    told = [one for one in reading.findings if one.code == "total-differs"]
    assert any(said in one.message for one in told), [one.message for one in told]
    assert reading.totals.printed - reading.totals.agree >= len(told) >= 1
    assert all(one.looked_for != one.found and one.cell for one in told)


def test_a_negative_cell_is_too_large_by_what_it_takes_away() -> None:
    old = "Birch   | L3  | 53  | 68 | 121\nTotal   | .   | 96  | 133 | 229"
    new = "Birch   | L3  | -530 | 68 | -462\nTotal   | .   | -10 | 133 | -354"
    assert ROWS.count(old) == 1
    reading = read(sheet(ROWS.replace(old, new), ["C1:E1"]), LAYOUT)
    messages = [finding.message for finding in reading.findings if finding.code == "total-differs"]
    assert any("C6 may be 10 times too large (-53?)" in message for message in messages), messages


def test_a_factor_that_two_cells_would_explain_is_not_told() -> None:
    # Each of the two cells of 40 could be 400.
    picture = ROWS.replace("| 53  | 68 | 121", "| 53  | 40 | 93").replace("133 | 229", "465 | 201")
    reading = read(sheet(picture, ["C1:E1"]), LAYOUT)
    (told,) = [one for one in reading.findings if one.code == "total-differs"]
    assert "is 360 more than the 105" in told.message and "times too" not in told.message


def test_totals_of_one_cause_are_one_finding() -> None:
    reading = read(sheet(ROWS.replace("| 31  |", "| 3l  |"), ["C1:E1"]), LAYOUT)
    (told,) = [one for one in reading.findings if one.code == "total-differs"]
    assert "so are C7, E7" in told.message
    assert (reading.totals.printed, reading.totals.agree) == (6, 3)


def test_a_total_that_is_never_a_sum_is_told_once() -> None:
    picture = ROWS.replace("96  | 133 | 229", "3 | 1 | 2")
    (told,) = [
        one for one in read(sheet(picture, ["C1:E1"]), LAYOUT).findings
        if one.code == "total-differs"
    ]  # fmt: skip
    assert told.message.startswith("row 7: no total agrees. C7 says 3, the records add up to")


def test_a_total_without_a_number_is_noted() -> None:
    rows: list[list[Any]] = [
        ["Species", "Lot", "Seedlings"], ["Pine", "L1", 3.0], ["Total", "", Flaw("#REF!")],
    ]  # fmt: skip
    reading = read(make_sheet("Bench 1", rows), LIST)
    assert codes(reading) == ["total-without-number"]
    assert reading.totals.printed == 0


def test_lists_have_totals_too_and_shares_are_not_summed() -> None:
    picture = """
    Species | Lot | Seedlings | Price | Share
    Pine    | L1  | 3         | 1.5   | 0.4
    Birch   | L2  | 4         | 2.5   | 0.6
    Total   | .   | 7         | 4.0   | 77
    """
    reading = read(sheet(picture), LIST)
    assert (reading.totals.printed, reading.totals.agree) == (2, 2)
    assert codes(reading) == []


def test_each_of_several_values_has_its_own_totals() -> None:
    text = LAYOUT.replace('value = "seedlings"', 'value = ["planned", "actual"]').replace(
        '["container", "grade"]', '"container"'
    )
    text = text.replace("[fields]", '[fields]\nplanned = "integer"\nactual = "integer"')
    picture = """
    .       | .   | Pot     | .      | Tray    | .      | Total   | .
    Species | Lot | Planned | Actual | Planned | Actual | Planned | Actual
    Pine    | L1  | 1       | 10     | 2       | 20     | 3       | 30
    Pine    | L2  | 3       | 30     | 4       | 40     | 7       | 71
    Total   | .   | 4       | 40     | 6       | 60     | 10      | 101
    """
    reading = read(sheet(picture, ["C1:D1", "E1:F1", "G1:H1"]), text)
    assert (reading.totals.printed, reading.totals.agree) == (10, 8)
    (told,) = [one for one in reading.findings if one.code == "total-differs"]
    assert (told.cell, told.looked_for, told.found) == ("H4", "70", "71")


LIKE = {
    "a row in another language": ("Yhteensä | . | 96 | 133", "row 6 (“Yhteensä”)"),
    "a row without any label but a number": ("Kaikki | 3 | 96 | 133", "row 6 (“Kaikki”)"),
    "a row with blanks": ("Yhteensä | . | 96 | . ", "row 6"),
}


@pytest.mark.parametrize("case", LIKE)
def test_a_row_of_sums_is_no_record(case: str) -> None:
    row, said = LIKE[case]
    picture = f"""
    .       | .   | Pot | .
    Species | Lot | A   | B
    Pine    | L1  | 12  | 25
    Pine    | L2  | 31  | 40
    Birch   | L3  | 53  | 68
    {row}
    """
    reading = read(sheet(picture, ["C1:D1"]), LAYOUT)
    assert len(reading.records) == 6
    (told,) = [one for one in reading.findings if one.code == "looks-like-total"]
    assert said in told.message and "`totals`" in told.advice
    assert {one.reason for one in reading.unplaced} == {"it looks like a total"}


def test_subtotals_and_a_grand_total_that_nobody_named() -> None:
    picture = """
    .        | .   | Pot | .  | .
    Species  | Lot | A   | B  | Insgesamt
    Pine     | L1  | 12  | 25 | 37
    Pine     | L2  | 31  | 40 | 71
    Zwischen | .   | 43  | 65 | 108
    Birch    | L3  | 53  | 68 | 121
    Birch    | L4  | 7   | 9  | 16
    Zwischen | .   | 60  | 77 | 137
    Ganz     | .   | 103 | 142 | 245
    """
    reading = read(sheet(picture, ["C1:D1"]), LAYOUT)
    assert len(reading.records) == 8
    told = [one.found for one in reading.findings if one.code == "looks-like-total"]
    assert told == ["Insgesamt", "Zwischen"]
    assert "rows 5, 8 and 9" in [one.message for one in reading.findings][1]


@pytest.mark.parametrize(
    "rows",
    [
        ["Pine | L1 | 2 | 3", "Pine | L2 | 2 | 4"],
        ["Pine | L1 | 0 | 0", "Pine | L2 | 0 | 0", "Birch | L3 | 0 | 0"],
        ["Pine | L1 | 5 | .", "Birch | L2 | 5 | ."],
        ["Pine | L1 | 5 | 1", "Birch | L2 | 3 | 4", "Rush | L3 | 8 | 6"],
        ["Pine | L1 | 1 | .", "Birch | L2 | 2 | .", "Rush | L3 | 3 | ."],
    ],
)
def test_what_is_no_sum_stays_a_record(rows: list[str]) -> None:
    picture = "\n".join([". | . | Pot | .", "Species | Lot | A | B", *rows])
    reading = read(sheet(picture, ["C1:D1"]), LAYOUT)
    filled = sum(cell.strip() not in (".",) for row in rows for cell in row.split("|")[2:])
    assert len(reading.records) == filled
    assert codes(reading) == []


@pytest.mark.parametrize(
    ("row", "records"),
    [
        ("Alder | 320 | . | B. Dahl | .", 5),
        ("Alder | 320 | . | . | 2026-03-02", 5),
        ("Alle | 320 | . | . | .", 4),
    ],
)
def test_a_row_of_a_list_that_says_more_than_its_sum_is_a_record(row: str, records: int) -> None:
    picture = f"""
    Species | Seedlings | Remarks | Checked by | Sown
    Larch   | 22        | hares   | B. Dahl    | 2026-03-01
    {row}
    Birch   | 166       | wet     | A. Holm    | 2026-03-01
    Spruce  | 34        | dry     | B. Dahl    | 2026-03-04
    Rowan   | 120       | frost   | C. Niemi   | 2026-03-09
    """
    fields = {"species": "text", "seedlings": "integer", "remarks": "text", "checked_by": "text"}
    lines = ["layout = 1", "[block]", "[fields]", *(f'{k} = "{t}"' for k, t in fields.items())]
    reading = read(sheet(picture), "\n".join([*lines, 'sown = "date"']))
    assert len(reading.records) == records
    assert ("looks-like-total" in codes(reading)) == (records == 4)


@given(
    st.lists(st.lists(st.integers(1, 999), min_size=3, max_size=3), min_size=2, max_size=9),
    st.data(),
)
def test_any_changed_number_makes_a_total_differ(
    rows: list[list[int]], data: st.DataObject
) -> None:
    sums = [sum(row[at] for row in rows) for at in range(3)]
    at, column = data.draw(st.integers(0, len(rows))), data.draw(st.integers(0, 2))
    body = [[*map(float, row)] for row in [*rows, sums]]
    good = read(_table(body), LAYOUT)
    assume("looks-like-total" not in codes(good))  # a line may be the sum of others by chance
    assert (good.totals.printed, good.totals.agree) == (3, 3)
    body[at][column] += data.draw(st.integers(1, 5000))
    bad = read(_table(body), LAYOUT)
    assert {"total-differs", "looks-like-total"} & set(codes(bad))
    lost = codes(bad).count("looks-like-total")
    assert len(values(bad, "seedlings")) == 3 * (len(rows) - lost)


def _table(body: list[list[float]]) -> Any:
    names = [["Pine", f"L{at}"] for at in range(len(body) - 1)]
    rows = [name + row for name, row in zip([*names, ["Total", ""]], body, strict=True)]
    return make_sheet(
        "Bench 1",
        [["", "", "Pot", "Tray", "Pail"], ["Species", "Lot", "A", "A", "A"], *rows],
    )


BY_MONTH = """
.       | .   | April | .    | May | .    | June | .    | {0} | .
Species | Lot | Plan  | Real | Plan | Real | Plan | Real | Plan | Real
Pine    | L1  | 10    | 9    | 20   | 22   | 5    | 4    | 35   | 35
Birch   | L2  | 40    | 41   | 30   | 8    | 6    | 7    | 76   | {1}
Alder   | L3  | 7     | 3    | 8    | 1    | 9    | 2    | 24   | 6
"""
MONTHS = ["C1:D1", "E1:F1", "G1:H1", "I1:J1"]


def test_columns_over_the_same_lower_heading_are_summed_up() -> None:
    """Each measure has a total of its own beside the groups; nobody need name them."""
    reading = read(sheet(BY_MONTH.format("Quarter", 56), MONTHS), LAYOUT)
    assert reading.records.num_rows == 18
    assert codes(reading).count("looks-like-total") == 2
    named = read(sheet(BY_MONTH.format("Total", 56), MONTHS), LAYOUT)
    assert (named.totals.printed, named.totals.agree, codes(named)) == (6, 6, [])
    wrong = read(sheet(BY_MONTH.format("Total", 57), MONTHS), LAYOUT)
    (told,) = wrong.findings
    assert told.code == "total-differs" and "1 more than the 56" in told.message


NUMBERS = [(10, 20), (9, 22), (40, 30), (41, 8), (7, 8), (3, 1), (57, 58), (53, 31)]
"""Of three things, and of all of them, what is planned and what is real."""
TURNS = LAYOUT.replace('"species", "lot"', '"item", "kind"').replace(
    'species = "text"\nlot = "text"', 'item = "text"\nkind = "text"'
)
GROUPED = TURNS.replace('stub = ["item", "kind"]', 'stub = "kind"\ngroup_row = "item"')


def in_turns(name: str, way: str, last: int = 31) -> str:
    """The table, the total being called so; `way` says how often each thing is named."""
    lines = [". | . | Pot | .", "Item | Kind | A | B"]
    for place, (first, second) in enumerate(NUMBERS):
        item = ["Pine", "Birch", "Alder", name][place // 2]
        if way == "alone" and place % 2 == 0:
            lines.append(f". | {item} | . | .")
        shown = item if way == "always" or (way == "once" and place % 2 == 0) else "."
        second = last if place == len(NUMBERS) - 1 else second
        lines.append(f"{shown} | {['Plan', 'Real'][place % 2]} | {first} | {second}")
    return "\n".join(lines)


@pytest.mark.parametrize(
    ("way", "layout"),
    [
        ("always", TURNS),
        ("once", TURNS.replace("totals =", 'carry_down = "item"\ntotals =')),
        ("alone", GROUPED),
    ],
)
def test_rows_that_take_turns_have_totals_of_their_own(way: str, layout: str) -> None:
    """A total for each measure, its label once or beside each, is told or compared, never read."""
    unnamed = read(sheet(in_turns("Whole", way), ["C1:D1"]), layout)
    assert unnamed.records.num_rows == 12 and "looks-like-total" in codes(unnamed)
    named = read(sheet(in_turns("Total", way), ["C1:D1"]), layout)
    assert (named.totals.printed, named.totals.agree, codes(named)) == (4, 4, [])
    assert values(named, "item", "kind", "seedlings")[-1] == ("Alder", "Real", 1.0)
    wrong = read(sheet(in_turns("Total", way, 32), ["C1:D1"]), layout)
    (told,) = wrong.findings
    assert told.code == "total-differs" and "1 more than the 31" in told.message


@pytest.mark.parametrize("stub", ['stub = ["item", "kind"]\n', ""])
def test_rows_of_a_list_that_take_turns_have_totals_of_their_own(stub: str) -> None:
    fields = 'item = "text"\nkind = "text"\na = "integer"\nb = "integer"\n'
    layout = f'layout = 1\n[block]\n{stub}totals = "Total*"\n[fields]\n{fields}'
    table = in_turns("Whole", "always").partition("\n")[2]
    unnamed = read(sheet(table), layout)
    assert unnamed.records.num_rows == 6 and codes(unnamed) == ["looks-like-total"]
    named = read(sheet(table.replace("Whole", "Total")), layout)
    assert (named.totals.printed, named.totals.agree, codes(named)) == (4, 4, [])


@pytest.mark.parametrize("beside", [0, 5_000_000_000_000, -5_000_000_000_000])
def test_a_column_of_sums_is_found_whatever_stands_beside_it(beside: int) -> None:
    lines = ["Species | Lot | Plug 28 | . | . | .", ". | . | A | B | Whole | C"]
    lines += [f"Pine | L{a} | {a} | {a + 2} | {2 * a + 2} | {beside}" for a in (3, 5, 8)]
    reading = read(sheet("\n".join(lines)))
    assert codes(reading).count("looks-like-total") == 1 and len(reading.records) == 9


KINDS = ("swapped digits", "factor", "neighbour", "summed twice", "not summed")


@st.composite
def faults(draw: st.DrawFn) -> tuple[list[list[float | str]], str, str]:
    """A table with totals both ways and one fault, its kind, and what must be named."""
    height, width = draw(st.integers(3, 7)), draw(st.integers(3, 6))
    number = st.integers(12, 998).filter(lambda n: n % 10)
    rows: list[list[float | str]] = [
        [float(draw(number)) for _ in range(width)] for _ in range(height)
    ]
    sums = [sum(float(row[at]) for row in rows) for at in range(width)]
    kind = draw(st.sampled_from(KINDS))
    row, column = draw(st.integers(0, height - 1)), draw(st.integers(0, width - 2))
    wrong = f"{'CDEFGHIJ'[column]}{row + 2}"
    value = float(rows[row][column])
    ends = [sum(map(float, one)) for one in rows]
    if kind == "swapped digits":
        digits = list(str(int(value)))
        at = next((at for at in range(len(digits) - 1) if digits[at] != digits[at + 1]), None)
        assume(at is not None and digits[at + 1] != "0")
        assert at is not None
        digits[at], digits[at + 1] = digits[at + 1], digits[at]
        rows[row][column] = float("".join(digits))
    elif kind == "factor":
        rows[row][column] = value * draw(st.sampled_from([10.0, 100.0, 1000.0, 0.1, 0.01]))
    elif kind == "neighbour":  # the row had nothing under the neighbour heading
        ends[row] -= float(rows[row][column + 1])
        sums[column + 1] -= float(rows[row][column + 1])
        rows[row][column], rows[row][column + 1] = "", value
        wrong = f"{'CDEFGHIJ'[column + 1]}{row + 2}"
    else:
        sign = 1 if kind == "summed twice" else -1
        sums = [total + sign * float(cell) for total, cell in zip(sums, rows[row], strict=True)]
        wrong = f"row {row + 2}"
    table = [[*one, end] for one, end in zip(rows, ends, strict=True)]
    return [*table, [*sums, sum(sums)]], kind, wrong


def suspects_named(case: tuple[list[list[float | str]], str, str]) -> tuple[bool, bool]:
    """Whether the fault of a table is named, and whether any finding names something else."""
    table, kind, wrong = case
    width = len(table[0])
    heads = ["Species", "Lot", *[f"S{at}" for at in range(width - 1)], "Total"]
    names = [["Pine", f"L{at}"] for at in range(len(table) - 1)]
    body = [[*name, *row] for name, row in zip([*names, ["Total", ""]], table, strict=True)]
    text = LAYOUT.replace('across = ["container", "grade"]', 'across = "grade"')
    text = text.replace('container = "text"\n', "")
    told = [
        one.message for one in read(make_sheet("A", [heads, *body]), text).findings
        if one.code == "total-differs"
    ]  # fmt: skip
    said = {
        "swapped digits": f"two digits of {wrong} may be swapped",
        "factor": f"{wrong} may be 1",
        "neighbour": f"{wrong} may belong one column to the left",
        "summed twice": f"{wrong} holds just what they differ by and may be summed twice",
        "not summed": f"{wrong} holds just what they differ by and may not be summed",
    }[kind]
    other = [one for one in told if re.search(r"may (be|not|belong)", one) and said not in one]
    return any(said in one for one in told), bool(other)


def test_a_single_fault_is_named_and_nothing_else() -> None:
    counts: Counter[str] = Counter()

    @settings(max_examples=300, deadline=None, database=None)
    @given(faults())
    def collect(case: tuple[list[list[float | str]], str, str]) -> None:
        named, other = suspects_named(case)
        counts.update({"all": 1, "named": named, "other": other})

    collect()
    assert counts["named"] >= 0.95 * counts["all"], counts
    assert counts["other"] <= 0.01 * counts["all"], counts


# --- what a column could sum up -------------------------------------------------------------------

TWO_VALUES = LAYOUT.replace('value = "seedlings"', 'value = ["seedlings", "sold"]').replace(
    "[fields]", '[fields]\nsold = "number"'
)
NAMES = ("", "Pot", "Tray", "A", "B", "Sold")


@st.composite
def columns_of_values(draw: st.DrawFn) -> tuple[Columns, Plan]:
    made = plan(draw(st.sampled_from((LAYOUT, TWO_VALUES))))
    (block,) = made.forms[0].blocks
    every = [Column(0, ColumnKind.STUB, "species")]
    kinds = (ColumnKind.VALUE, ColumnKind.VALUE, ColumnKind.TOTAL, ColumnKind.UNKNOWN)
    for column in range(1, draw(st.integers(2, 12))):
        kind = draw(st.sampled_from(kinds))
        field = draw(st.sampled_from(block.value)) if kind is ColumnKind.VALUE else ""
        labels = tuple(draw(st.lists(st.sampled_from(NAMES), min_size=1, max_size=3)))
        every.append(Column(column, kind, field, labels))
    return Columns(tuple(every), block), made


def sets_by_definition(columns: Columns, column: Column) -> list[tuple[int, ...]]:
    """What `summand_sets` says, asked of every pair of columns."""
    folded = {one.column: [str(label).lower() for label in one.labels] for one in columns.every}
    labels, totals = folded[column.column], columns.of(ColumnKind.TOTAL)
    last = max((one.column for one in totals if one.column < column.column), default=-1)
    named = columns.block.names.field_of(str(column.labels[-1]))
    own = column.field if column.kind is ColumnKind.VALUE else named
    several = len(columns.block.value) > 1
    fields = [own] if own in columns.block.value else [*columns.block.value, None]
    sets: list[list[Column]] = []
    for field in fields if several else [None]:
        others = [
            one for one in columns.of(ColumnKind.VALUE)
            if one is not column and field in (None, one.field)
        ]  # fmt: skip
        sets += [
            [one for one in others if folded[one.column][:depth] == labels[:depth]]
            for depth in range(len(labels) - 1, 0, -1)
            if labels[depth - 1]
        ]
        sets += [
            [one for one in others if folded[one.column][depth:] == labels[depth:]]
            for depth in range(1, len(labels))
            if labels[depth - 1] and all(labels[depth:])
        ]
        sets.append([one for one in others if last < one.column < column.column])
        sets.append([one for one in others if one.column < column.column])
        sets.append(others)
    return list(dict.fromkeys(tuple(one.column for one in members) for members in sets if members))


@given(columns_of_values())
def test_the_columns_that_one_could_sum_up_are_those_of_the_definition(
    made: tuple[Columns, Plan],
) -> None:
    columns, plan_ = made
    expected = {
        column.column: sets_by_definition(columns, column)
        for column in columns.of(ColumnKind.VALUE, ColumnKind.TOTAL)
    }
    assert summand_sets(columns, plan_) == expected


@given(st.sets(st.integers(0, 12), min_size=1))
def test_one_or_two_runs_of_columns_are_known_by_their_ends(places: set[int]) -> None:
    first, end, again, last = _runs(tuple(sorted(places)))
    runs = len([one for one in places if one - 1 not in places])
    assert {*range(first, end), *range(again, last)} == (places if runs < 3 else set())
