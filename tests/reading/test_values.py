"""What a layout says of values, seen in the records, the findings and the account of a tab."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from boreotabula.reading.account.roles import Role
from boreotabula.reading.tab import TabReading
from helpers import codes, layout_text, plan, read, sheet, values

CROSS = """
Species | Lot | M95 | M95
.       | .   | A   | B
Picea   | P1  | 5   | -
Pinus   | P2  | n/a | 0
"""

LIST = """
layout = 1
{0}
[stamps]
{1}
[block]
stub = ["lot"]
[fields]
lot = "text"
{2}
"""


def listed(rows: str, fields: str, more: str = "", stamps: str = "") -> TabReading:
    """A plain list read with some fields besides `lot`."""
    return read(sheet(rows), LIST.format(more, stamps, fields))


def test_what_stands_for_nothing_makes_no_record_and_is_left_out_by_that_rule() -> None:
    text = layout_text(text=layout_text()).replace(
        "[block]", '[reading]\nempty = ["-", "N/A"]\n[block]', 1
    )
    reading = read(sheet(CROSS), text)
    assert values(reading, "lot", "grade", "seedlings") == [("P1", "A", 5), ("P2", "B", 0)]
    assert codes(reading) == []
    assert reading.account.left_out == {"empty: -": 1, "empty: n/a": 1}
    assert reading.account.roles[Role.VALUE] == 2
    kept = read(sheet(CROSS), text.replace("value =", 'blank = "keep"\nvalue ='))
    assert values(kept, "seedlings") == [(5,), (None,), (None,), (0,)]


def test_a_field_says_for_itself_what_stands_for_nothing() -> None:
    reading = listed(
        "Lot | Count | Note\nP1 | - | -\nP2 | 3 | x",
        'count = { type = "integer", empty = "-" }\nnote = "text"',
    )
    assert values(reading, "lot", "count", "note") == [("P1", None, "-"), ("P2", 3, "x")]
    assert reading.account.left_out == {"empty: -": 1}
    assert codes(reading) == []


@pytest.mark.parametrize(
    ("cells", "field", "expected", "code", "said"),
    [
        (["3", "12"], 'type = "integer", max = 10', [3, 12], "value-outside", "10"),
        (["2026-01-03", "2025-12-31"], 'type = "date", min = 2026-01-01',
         [date(2026, 1, 3), date(2025, 12, 31)], "value-outside", "2026-01-01"),
        (["A", "Cul"], 'choices = ["A", "Cull"]', ["A", "Cul"], "value-outside", "“Cull”"),
        (["a1", "b"], 'same_as = { Alpha = ["A1"], Beta = ["b"] }', ["Alpha", "Beta"], None, ""),
        (["03/04/2026", "25/04/2026"], 'type = "date"',
         [date(2026, 4, 3), date(2026, 4, 25)], "read-by-evidence", "“25/04/2026” in B3"),
        (["03/04/2026", "04/05/2026"], 'type = "date"', [None, None], "reading-doubtful",
         "no other cell settles it"),
        (["03/04/2026", "25/04/2026", "04/25/2026"], 'type = "date"',
         [None, date(2026, 4, 25), date(2026, 4, 25)], "reading-doubtful", "speak for either way"),
        (["'1.005", "'2.5"], 'type = "decimal(2)", decimal_mark = "."', None, "values-rounded",
         "“1.005”"),
        (["12 kWh", "3"], 'type = "number", unit = "kWh"', [12.0, 3.0], None, ""),
    ],
)  # fmt: skip
def test_each_rule_of_a_field_shows_in_its_records_and_findings(
    cells: list[str], field: str, expected: list[Any] | None, code: str | None, said: str
) -> None:
    rows = "Lot | Thing\n" + "\n".join(f"P{at} | {cell}" for at, cell in enumerate(cells))
    reading = listed(rows, f"thing = {{ {field} }}")
    if expected is not None:
        assert [value for (value,) in values(reading, "thing")] == expected
    assert codes(reading) == ([code] if code else [])
    told = [one for one in reading.findings if one.code == code]
    assert all(said in one.message and one.cell for one in told)
    lost = sum(value is None for value in expected or ())
    assert len(reading.unplaced) == lost


def test_a_month_gets_its_year_from_a_stamp_or_from_a_column() -> None:
    fields = 'month = { type = "month", year_from = "year" }\nyear = "integer"'
    by_stamp = listed(
        "2025 | .\nLot | Month\nP1 | Apr\nP2 | 5", fields, stamps='year = { cell = "A1" }'
    )
    assert values(by_stamp, "month") == [(date(2025, 4, 1),), (date(2025, 5, 1),)]
    by_row = listed("Lot | Month | Year\nP1 | Apr | 2026\nP2 | May | .\nP3 | 2024-06 | .", fields)
    assert values(by_row, "month") == [(date(2026, 4, 1),), (None,), (date(2024, 6, 1),)]
    assert codes(by_row) == ["month-without-year"]
    (told,) = by_row.unplaced
    assert (told.cell, told.text, told.reason) == ("B3", "May", "a month without its year")
    stamped = listed(
        "Apr | 2026\nLot | .\nP1 | .", fields,
        stamps='month = { cell = "A1" }\nyear = { cell = "B1" }',
    )  # fmt: skip
    assert values(stamped, "month") == [(date(2026, 4, 1),)]


def test_months_in_the_headings_get_their_year_too() -> None:
    text = """
layout = 1
[reading]
languages = ["fi"]
[stamps]
year = { cell = "A1" }
[block]
stub = "lot"
across = "month"
value = "count"
[fields]
year = "integer"
month = { type = "month", year_from = "year" }
quarter = { type = "text", part = "quarter", of = "month" }
lot = "text"
count = "integer"
"""
    reading = read(sheet("2026 | . | .\nLot | Tammikuu | huhti\nP1 | 1 | 2"), text)
    assert values(reading, "month", "quarter") == [
        (date(2026, 1, 1), "2026-Q1"), (date(2026, 4, 1), "2026-Q2"),
    ]  # fmt: skip
    lacking = read(sheet("x | . | .\nLot | Tammikuu | huhti\nP1 | 1 | 2"), text)
    assert values(lacking, "month", "quarter") == [(None, None)] * 2
    assert "month-without-year" in codes(lacking)


def test_parts_of_a_date_come_as_numbers_or_as_texts() -> None:
    kinds = {
        "year": ("integer", 2027), "quarter": ("integer", 1), "month": ("month", date(2027, 1, 1)),
        "week": ("text", "2026-W53"), "weekday": ("integer", 5),
    }  # fmt: skip
    fields = "".join(
        f'{part}_of = {{ type = "{kind}", part = "{part}", of = "day" }}\n'
        for part, (kind, _) in kinds.items()
    )
    fields += 'day = "date"\nname = { part = "weekday", of = "day", languages = "nb" }'
    reading = listed("Lot | Day\nP1 | 2027-01-01\nP2 | .", fields)
    names = [*(f"{part}_of" for part in kinds), "name"]
    assert values(reading, *names) == [
        (*(value for _, value in kinds.values()), "fredag"), (None,) * 6,
    ]  # fmt: skip
    assert [one.code for one in reading.findings] == []


@pytest.mark.parametrize("heading", ["Energy (kWh)", "ENERGY [kwh]", "energy(KWH):", "Energy"])
def test_a_heading_may_carry_the_unit_of_its_field(heading: str) -> None:
    reading = listed(f"Lot | {heading}\nP1 | 5", 'energy = { type = "integer", unit = "kWh" }')
    assert values(reading, "energy") == [(5,)]
    other = listed("Lot | Energy (MWh)\nP1 | 5", 'energy = { type = "integer", unit = "kWh" }')
    assert codes(other) == ["heading-unknown"]


def test_a_stamp_that_stands_for_nothing_is_said_like_a_blank_one() -> None:
    text = LIST.format('[reading]\nempty = "-"', 'site = { cell = "A1" }', 'site = "text"')
    reading = read(sheet("-\nLot\nP1"), text)
    assert (values(reading, "site"), codes(reading)) == ([(None,)], ["stamp-blank"])
    optional = text.replace("}", ", optional = true }", 1)
    assert codes(read(sheet("-\nLot\nP1"), optional)) == []


def test_the_general_way_of_reading_holds_unless_the_field_says_another() -> None:
    text = '[reading]\ndecimal_mark = ","\nlanguages = ["fi", "pt-BR"]\nday_first = true'
    made = plan(LIST.format(text, "", 'a = "number"\nb = { type = "number", decimal_mark = "." }'))
    assert [made.form(name).decimal_mark for name in ("a", "b", "lot")] == [",", ".", ","]
    assert made.form("a").languages == ("fi", "pt_BR")
    assert made.form("a").day_first is True
