"""Forms of many shapes, a few tabs of each: what the drafted layout says, and what it reads."""

from __future__ import annotations

import random
from collections.abc import Sequence
from datetime import date
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.drafting.asking.answers import answered, renamed
from boreotabula.drafting.asking.questions import questions
from boreotabula.drafting.draft import Draft, draft
from boreotabula.drafting.search.judging import judge
from boreotabula.drafting.tabs.interface_lines import interface_lines_of
from boreotabula.drafting.tabs.specimens import Specimen
from boreotabula.findings.subjects.stamps import STAMP_NOT_FOUND, STAMP_SOURCES_DIFFER
from boreotabula.findings.subjects.totals import SUM_OF_LINE_DIFFERS
from boreotabula.layout.parsing import parse_layout
from boreotabula.look.texts.words import field_name
from boreotabula.sheets.sheet import make_sheet
from boreotabula.stores.csv import csv_texts
from helpers import sheet
from test_handbook import EXAMPLES, FORMS, cells


def drafted(pictures: Sequence[str], tabs: Sequence[str] = ()) -> Draft:
    """The draft of files with one tab each; or of one file with several tabs that are named."""
    if tabs:
        sheets = [sheet(one, name=tab) for one, tab in zip(pictures, tabs, strict=True)]
        specimens = [
            Specimen("a.xlsx", one, {other.name: other for other in sheets if other is not one})
            for one in sheets
        ]
    else:
        specimens = [Specimen(f"stock_{at}.xlsx", sheet(one)) for at, one in enumerate(pictures, 1)]
    found = draft(specimens)
    assert found is not None
    parse_layout(found.sketch.text(), "the draft")
    return found


UNITS = """
Nursery: | {0}
.
Lot | Height | Weight | Remarks
.   | cm     | kg     | .
{0}1 | 12,5 | 3 | -
{0}2 | 9,25 | 4 | wet
"""
MEASURES = """
Nursery: | {0}
.
. | Q1 | . | . | Q2 | . | .
Species | Planned | Actual | Apart | Planned | Actual | Apart
Pine  | 1{0} | 15 | -1{1} | 20 | 2{0} | {0}
Birch | 30 | 41 | 11 | 50 | 47 | -3
"""
SUBTOTALS = """
Stock, {0}
.
Region | Nursery | Benches | Seedlings
Fjord | Frostmo | {0} | 100
. | Lomlia | 2 | 250
Fjord total | . | {1} | 350
Inland | Granvik | 7 | 40
Inland total | . | 7 | 40
Grand total | . | {2} | 390
"""
GAP = """
Week: | {0}
.
Day | 8-10 | 10-12 | . | 12-14
Mon | {0} | 2 | . | 3
Tue | 4 | 5 | . | 6
"""
TURNED = """
Bench: | K{0}
.
Species | Pine | Birch | Alder
Lot | L{0}1 | L{0}2 | L{0}3
Seedlings | 40 | 52 | 7
Sown | 2026-03-01 | 2026-03-02 | 2026-03-04
Height | 2.5 | 3.5 | 4.5
Remarks | . | dry | .
"""
TWO_TABLES = """
Nursery: | {0}
.
Name | Task | Since
Ada | sowing | 2020-01-05
Bo | potting | 2021-02-07
.
Hours | Week 9 | Week 10 | Total
Ada | 2{0} | 30 | 5{0}
Bo | 11 | 12 | 23
"""
DAYS = """
Bench | . | K{0}
.
. | . | Mo | Tu | We | Th | Fr | Sa
Task | Place | 1 | 2 | 3 | 4 | 5 | 6
sow | in | 1 | . | 2 | {0} | 1 | 1
pot | out | 2 | 2 | . | . | 1 | 3
"""
COUNTRY = """
Table 3.{0} {1} of seed by region, kg
.
. | 2024 | 2025 | 2026
North | 10 | .. | 3{0}
South | 20 | 25 | 30
Islands | .. | 15 | 11
Whole country | 30 | 40 | 7{2}
.
.. Not known
"""
MONTHS = """
Year: | 202{0}
.
Lot | Month | Losses
L1 | huhtikuu | 2,5 %
L2 | toukokuu | 12 %
"""
LABELS = """
Case | C-{0}
Day of the damage | 2026-04-0{0}
Place | {1}
Seedlings lost | 4{0}
"""
PLACES = """
Weekly loads
Week | 1{0}
.
Nursery: Frostmo
Route | Mon | Tue | Total
R1 | {0} | 2 | {1}
R2 | 3 | 4 | 7
.
Nursery: Lomlia
Route | Mon | Tue | Total
R1 | 5 | 6 | 11
"""
STUBS = """
. | Species | A | B
Conifer | Pine | 1{0} | 4
. | Spruce | 20 | 5
Other | Birch | 7 | 1
"""


MARKS = """
Present at bench | K{0}
.
Name | 2026-03-02 | 2026-03-03 | 2026-03-04
Ada | x | {1} | x
Bo | . | x | a
.
x = present
"""
SHEET = """
Company: | {0}
.
. | Note | '31.12.2025 | '31.12.2024
ASSETS
Land | 1 | 1{1} | 20
Cash | 2 | 30 | 41
Total assets | . | 4{1} | 61
DEBTS
Loans | 3 | 7 | 9
Owed | 4 | 11 | 12
Total debts | . | 18 | 21
"""
JOURNAL = """
Cash of bench | K{0}
.
Day | What | In | Out | Left
2026-01-03 | seed | . | 2{0} | 1{1}
2026-01-09 | sale | 50 | . | 99
2026-01-17 | pots | . | 17 | 82
"""
TWO_ROWS = """
Week: | {0}
.
Sender | Delivery | . | Goods | .
.      | Day | Time | What | Weight (kg)
S1 | 2026-01-0{0} | 08:30 | soil | 2.5
S2 | 2026-01-05 | 09:30 | peat | 4
"""
HALLS = """
Readings: | 2026-0{0}-01
.
North hall | . | . | . | South hall | . | .
Point | Warmth | Damp | . | Point | Warmth | Damp
a1 | 1{0}.5 | 40 | . | b1 | 12.5 | 50
a2 | 13.5 | 4{0} | . | b2 | 14.5 | 55
"""
ABOVE = """
Inspector | . | Day
{0} | . | 2026-05-0{1}
.
Item | Fine | Remark
Pots | {1} | wet
Trays | 4 | .
"""
VALUES_BELOW = """
Nursery | Month | Pages
{0} | March 2026 | {1}
.
Lot | Pieces | Kept
{0}1 | {1} | 2
{0}2 | 3 | 1
"""
TITLES = """
Week: | 1{0}
.
North
Lot | Pieces
N{0} | 40
M{0} | 12
Total | 52
.
South
Lot | Pieces
S{0} | 8
Q{0} | 9
.
Signed: | {1}
"""
SIDE_BY_SIDE = """
Nursery: | {0} | . | Month: | March 2026
.
Lot | Pieces | . | Lot | Pieces
{0}1 | 4{1} | . | {0}5 | 6
{0}2 | 52 | . | {0}6 | 7
{0}3 | 7 | . | . | .
.
Counted by | Ada
"""
PERIOD_BESIDE = """
Lot | Pieces | . | Count of March 202{0}
L{0}1 | 4{0} | . | .
L{0}2 | 12 | . | .
"""


HOURS = """
Bench | B{0}
.
Date | 00:00 | 06:00 | 12:00
2026-05-01 | {0},5 | 6 | 7
2026-05-02 | 5 | 6,5 | 9
"""
DEPOTS = """
Depot {0}
.
Van {0}1 | . | . | Van {0}2 | .
Day | Crates | . | Day | Crates
2026-05-0{0} | 14 | . | 2026-05-0{0} | 5
2026-06-0{0} | 15 | . | 2026-06-0{0} | 8
"""
CARDS = """
Lot | L{0}1
Sown | 2026-05-0{0}
Pots | 4{0}
.
Lot | L{0}2
Sown | 2026-05-1{0}
Pots | .
.
Lot | L{0}3
Sown | 2026-05-2{0}
Pots | 7
"""
INVOICE = """
Customer | {0}
.
Item | Pieces | Price | Amount
Pot {1} | 2 | 5 | 10
Crate | 3 | 2 | 6
Tray | 1 | 4 | 4
. | . | Net | 20
. | . | Tax | 5
. | . | Total | 25
"""
WEIGHTS = """
Bench | Sown | Potted | Lost
Weight | 20 % | 50 % | 30 %
A{0} | 3 | {0} | 5
B{0} | 4 | 2 | 1
C{0} | 7 | 7 | 9
"""
TWO_CARRIED = """
Region | Nursery | Lot | Pieces | Kept
Fjord | Lia | L{0}1 | 1 | 1
. | . | L{0}2 | 2 | 2
. | Myr | L{0}3 | 3 | 3
. | . | L{0}4 | 4 | 1
Lake | Lia | L{0}5 | 5 | 2
. | . | L{0}6 | 6 | 3
. | Tjern | L{0}7 | 7 | 1
. | . | L{0}8 | 8 | 2
"""
NAMELESS_SUMS = """
Region | Species | Pieces
Fjord | Pine | {0}1
Fjord | Birch | 12
Fjord | Alder | 14
. | . | {1}
Lake | Pine | 5
Lake | Birch | 8
. | . | 13
"""
LABEL_RIGHT = """
Lot | Pieces | Kept | . | Nursery | {0}
{0}1 | 41 | 4 | . | Week | {1}
{0}2 | 52 | 5 | . | . | .
{0}3 | 17 | 3 | . | . | .
"""
DAY_CLASSES = """
. | Weekday | Saturday | Sunday
1 | 0.{0} | 0.2 | 0.3
2 | 0.5 | 0.6 | 0.{0}
3 | 0.9 | 0.1 | 0.4
"""
MARKED = """
Course | {0}
.
Pupil | S1 | S2 | S3 | S4 | Total
Ann | x | . | x | a | 2
Bo | . | x | . | x | 2
Eva | x | x | . | . | 2
"""
CHOICES = """
Count {0}
.
Question | Never | Seldom | Often
Watered | x | . | .
Weeded | . | . | {1}
Shaded | {2} | . | .
"""
SPACERS = """
Stock of {0}
.
Site | Sown | . | . | Potted | .
. | 2025 | 2026 | . | 2025 | 2026
{0}1 | 4{1} | 51 | . | 62 | 73
{0}2 | 14 | 25 | . | 36 | 4{1}
"""
FOOTNOTES = """
Lot | Height
L{0}1 | 12
L{0}2 | '1{0}*
L{0}3 | 14
L{0}4 | 15
.
* measured late
"""
LABELS_BESIDE = """
Nursery data
.
Name | {0} | . | Keeper | Eva
Built | 1987 | . | Hall | B
Benches | 12.5 | . | Beds | 7
"""
NOTHING_SHARED = """
Lot | Pieces | Height
L{0}1 | {0} | 5.5
L{0}2 | 9 | 6.5
.
.
Feed | Week 1 | Week 2
Peat | 4 | {0}
Lime | 6 | 2
"""
BALANCE = """
Stock of {0}
.
Lot | Before | Now | Sold
L1 | 4{1} | 5{1} | 10
L2 | 20 | 27 | 7
L3 | 31 | 35 | 4
L4 | 9 | 21 | 12
Sum | . | . | 33
"""
CUT = """
Nursery | {0}
.
Bench | Number | Pots | Staff
. | of beds | filled | on duty
B1 | {1}2 | 8 | 3
B2 | 14 | 9 | 5
"""
SECTIONS = """
Nursery | {0}
.
Check | OK? | Remark
Water
Pipes | {1} | {2}
Taps | yes | .
Tank | no | see photo
Heat
Pump | {1} | next week
Boiler | yes | {2}
"""
CHECKS = """
Nursery | {0}
.
Item | Fine | Not fine | Remark
Ladder | {1} | {2} | .
Rope | x | . | wet
Light | . | x | .
"""


@pytest.mark.parametrize(
    ("picture", "values", "said", "records", "agree"),
    [
        (UNITS, [("Frostmo",), ("Lomlia",)],
         ['under_headings = 1', 'height  = "number"', 'weight  = "integer"'], 4, 0),
        (MEASURES, [("2", "3"), ("4", "1")],
         ['value  = ["planned", "actual", "apart"]', 'across = "quarter"'], 8, 0),
        (SUBTOTALS, [("3", "5", "12"), ("5", "7", "14"), ("6", "8", "15")],
         ['totals     = ["* total", "Grand total"]', 'carry_down = "region"'], 9, 18),
        (GAP, [("11",), ("12",)], ["gaps   = true", 'across = "heading"'], 12, 0),
        (TURNED, [("1",), ("2",)], ["turned = true", 'sown      = "date"'], 6, 0),
        (TWO_TABLES, [("1",), ("2",)],
         ["[[block]]", 'stub = ["name", "task"]', 'across = "week"'], 12, 4),
        (DAYS, [("1",), ("2",)], ['across = ["weekday", "heading"]'], 18, 0),
        (COUNTRY, [("1", "Export", "2"), ("2", "Import", "3"), ("3", "Use", "4")],
         ['totals  = "Whole country"', 'empty = [".."]', '"Table {title}, kg"'], 21, 9),
        (MONTHS, [("5",), ("6",)],
         ['languages = ["fi"]', '{ type = "month", year_from = "year" }', '"percent"'], 4, 0),
        (LABELS, [("1", "hall"), ("2", "yard")],
         ['seedlings_lost    = { right_of', 'day_of_the_damage = "date"'], 2, 0),
        (PLACES, [("1", "3"), ("2", "4")],
         ['nursery = { right_of = "Nursery" }', "repeat = true", 'totals = "Total"'], 12, 6),
        (STUBS, [("0",), ("1",)],
         ['columns    = ["name", "species"]', 'carry_down = "name"'], 12, 0),
        (MARKS, [("1", "a"), ("2", "x")], ['stub   = "name"', 'across = "day"'], 10, 0),
        (SHEET, [("Lia", "1"), ("Myr", "2")],
         ['across    = "day"', 'totals    = "Total*"', 'group_row = "class"'], 16, 8),
        (JOURNAL, [("1", "5"), ("2", "6")],
         ['day           = "date"', 'left          = "integer"'], 6, 0),
        (TWO_ROWS, [("1",), ("2",)], ["heading_rows = 2", 'delivery_day  = "date"'], 4, 0),
        (HALLS, [("1",), ("2",)], ['caption = "{title} hall"', 'warmth   = "number"'], 8, 0),
        (ABOVE, [("Kim", "1"), ("Lee", "2")],
         ['inspector = { below = "Inspector" }', 'day       = { below = "Day" }'], 4, 0),
        (VALUES_BELOW, [("Lia", "1"), ("Myr", "2")],
         ['nursery = { below = "Nursery" }', 'pages   = { below = "Pages" }'], 4, 0),
        (TITLES, [("1", "Ada"), ("2", "Bo")],
         ['title = { from = "table title" }', 'ends_at = "Signed*"'], 8, 2),
        (SIDE_BY_SIDE, [("Lia", "1"), ("Myr", "2")],
         ["repeat = true", 'month      = "month"', 'counted_by = { right_of'], 10, 0),
        (PERIOD_BESIDE, [("5",), ("6",)], ['month = { cell = "D1", pattern = "Count of {}" }'],
         4, 0),
        (HOURS, [("1",), ("2",)], ['across = "time"', 'time  = "time"'], 12, 0),
        (DEPOTS, [("1",), ("2",)], ["repeat  = true", 'caption = "Van {van}"'], 8, 0),
        (CARDS, [("1",), ("2",)], ["turned = true", 'sown  = "date"', 'pots  = "integer"'], 6, 0),
        (INVOICE, [("Lia", "1"), ("Myr", "2")],
         ['net      = { right_of = "Net" }', 'total    = { right_of = "Total" }'], 6, 0),
        (WEIGHTS, [("1",), ("2",)], ["under_headings = 1", 'potted = "integer"'], 6, 0),
        (TWO_CARRIED, [("1",), ("2",)], ['carry_down = ["region", "nursery"]'], 16, 0),
        (NAMELESS_SUMS, [("1", "37"), ("2", "47")], ['totals = [""]'], 10, 4),
        (LABEL_RIGHT, [("Lia", "1"), ("Myr", "2")],
         ['nursery = { right_of = "Nursery" }', 'week    = { right_of = "Week" }'], 6, 0),
        (DAY_CLASSES, [("1",), ("2",)], ['columns  = "name"', 'across   = "weekday"'], 18, 0),
        (MARKED, [("Sowing",)],
         ['stub   = "pupil"', 'across = "heading"', 'totals = "Total"'], 7, 0),
        (CHOICES, [("1", "x", "x"), ("2", "x", "x")],
         ['stub   = "question"', 'across = "heading"'], 6, 0),
        (SPACERS, [("Lia", "1"), ("Myr", "2")],
         ['across = ["group", "year"]', "gaps   = true"], 16, 0),
        (FOOTNOTES, [("1",), ("2",)],
         ['{ type = "integer", unit = "*" }  # “*” behind a number is passed over'], 8, 0),
        (LABELS_BESIDE, [("Lia",)],
         ['name    = { right_of = "Name" }', 'beds    = { right_of = "Beds" }'], 1, 0),
        (NOTHING_SHARED, [("1",), ("2",)], ['into = "lot"', 'into   = "feed"'], 12, 0),
        (BALANCE, [("Lia", "1"), ("Myr", "2")],
         ['totals = "Sum"', 'before = "integer"', 'now    = "integer"'], 8, 2),
        (CUT, [("Lia", "1"), ("Myr", "2")],
         ["heading_rows = 2", 'number_of_beds = { type = "integer"'], 4, 0),
        (SECTIONS, [("Lia", "yes", "wet"), ("Myr", "no", "."), ("Lund", "yes", ".")],
         ['group_row = "class"', '{ type = "yesno", also = "OK?" }'], 15, 0),
        (CHECKS, [("Lia", "x", "."), ("Myr", ".", "x"), ("Lund", "x", ".")],
         ['not_fine = "text"', 'item     = "text"'], 9, 0),
    ],
    ids=["units", "measures", "subtotals", "gap", "turned", "two tables", "days", "country",
         "months", "labels", "places", "stubs", "marks", "sheet", "journal", "two rows", "halls",
         "above", "values below", "titles", "side by side", "period beside",
         "hours", "depots", "cards", "invoice", "weights", "two carried", "nameless sums",
         "label right", "day classes", "marked", "choices", "spacers", "footnotes",
         "labels beside", "nothing shared", "balance", "cut", "sections", "checks"],
)  # fmt: skip
def test_a_form_is_drafted_by_what_it_looks_like(
    picture: str, values: list[tuple[str, ...]], said: list[str], records: int, agree: int
) -> None:
    found = drafted([picture.format(*one) for one in values])
    text = found.sketch.text()
    assert [one for one in said if one not in text] == [], text
    assert (found.judged.records, found.judged.agree) == (records, agree), text
    assert found.judged.printed == agree and not found.judged.errors, text


def test_names_of_tabs_that_are_months_and_titles_that_repeat_them() -> None:
    table = "{} plan\n.\nBench | Small | Large\nK1 | {} | 2\nK2 | 3 | 4"
    months = ["Jan", "Feb", "Mar"]
    found = drafted([table.format(one, at) for at, one in enumerate(months)], months)
    text = found.sketch.text()
    assert 'month = { from = "tab name" }' in text and 'boilerplate = "* plan"' in text


def test_three_tables_of_a_tab_are_three_blocks() -> None:
    third = (
        "\n.\nPlot | Sown | Note | Depth\nP1 | 2026-04-0{0} | wet | 2.5\nP2 | 2026-05-01 | dry | 3"
    )
    found = drafted([(TWO_TABLES + third).format(at) for at in (1, 2)])
    text = found.sketch.text()
    assert text.count("[[block]]") == 3 and not found.judged.unplaced, text


def test_a_sign_that_is_read_as_no_value_is_asked_about() -> None:
    found = drafted([COUNTRY.format(*one) for one in (("1", "Export", "2"), ("2", "Use", "3"))])
    asked = next(one for one in questions(found) if "counts as blank" in one.text)
    assert asked.text == "“..” in 4 cells counts as blank" and asked.where.endswith("C4")


def test_a_figure_that_reads_in_two_ways_is_no_whole_number() -> None:
    table = "Lot | Level\nL1 | '1.234\nL2 | '1.250\nL3 | '1.4{}1"
    found = drafted([table.format(1), table.format(2)])
    assert found.sketch.fields["level"] == "number"
    assert found.sketch.options["level"]["decimal_mark"] == "."
    asked = questions(found)[0]
    assert "decimals or thousands" in asked.text and asked.where.endswith("B2: 1.234")
    assert 'decimal_mark = ","' in asked.change


def test_headings_that_come_twice_and_headings_of_signs_make_a_valid_layout() -> None:
    table = "Total | - | Total | Pine\n1 | {} | 3 | a\n4 | 5 | 6 | b"
    found = drafted([table.format(2), table.format(7)])
    assert found.judged.records == 4 and "total_2" not in found.sketch.fields


def test_what_is_sure_and_what_is_ours_is_said_in_the_layout() -> None:
    rows = "\n".join(f"L{at} | Pine | {at} | 2" for at in range(1, 41))
    table = f"Lot | Species | Small | Large pots\n{rows}\nL41 | Pine | {{}} | 2"
    found = drafted([table.format(at) for at in range(3)])
    text = found.sketch.text()
    assert 'lot        = { type = "text", required = true }' in text
    assert "required = true, min = 0 }" in text
    crossed = drafted(["Species | A | B\nPine | 1 | 2", "Species | A | B\nPine | 3 | 4"])
    text = crossed.sketch.text()
    assert 'heading = "text"  # placeholder, please rename' in text


BOXES = """
{0}
.
Lot  | {0}1 | . | Lot  | {0}2
Species | Pine | . | Species | Birch
Height | 2.5 | . | Height | 4
Sown | 2026-03-01 | . | Sown | 2026-03-0{1}
.
Lot  | {0}3 | . | Lot  | {0}4
Species | Alder | . | Species | Pine
Height | 3 | . | Height | 9.5
Sown | 2026-04-01 | . | Sown | 2026-04-0{1}
"""
"""A record in each box, beside and below one another."""


def test_boxes_side_by_side_are_records() -> None:
    found = drafted([BOXES.format("K", 2), BOXES.format("L", 3)])
    assert found.sketch.block == {"repeat": True, "turned": True}
    records = found.judged.readings[0].records.select(["lot", "species", "height"]).to_pylist()
    assert [record["lot"] for record in records] == ["K1", "K3", "K2", "K4"]
    assert records[1] == {"lot": "K3", "species": "Alder", "height": 3.0}
    # A row of them alone, too: nothing begins anew below them.
    forms = [form.format("M", 4) for form in (BOXES, BOXES.replace("Pine", "Elm"))]
    assert drafted([form.rpartition("\n.\nLot")[0] for form in forms]).sketch.block["turned"]


SIDES = """
Nursery: | {0}
.
Bought | Pieces | . | Sold | Pieces
Pine   | {1}    | . | Birch | 12
Birch  | 30     | . | Elm   | 7
Alder  | 8      | . | Pine  | 40
"""


def test_lists_whose_first_heading_names_them_are_one_list() -> None:
    found = drafted([SIDES.format("Lomlia", 3), SIDES.format("Frostmo", 9)])
    assert found.sketch.block["stamps"] == {"corner": {"from": "stub head"}}
    records = found.judged.readings[0].records.select(["corner", "name", "pieces"]).to_pylist()
    assert records[0] == {"corner": "Bought", "name": "Pine", "pieces": 3}
    assert records[-1] == {"corner": "Sold", "name": "Pine", "pieces": 40}
    assert not found.judged.errors


OF_UNITS = """
Sample | Iron | Lead | Water
.      | mg/l | µg/l | NTU
{0}1 | <0.05 | 3 | 4
{0}2 | 2 | <1 | 5
"""


def test_a_row_of_units_over_mixed_columns_is_no_record() -> None:
    found = drafted([OF_UNITS.format("A"), OF_UNITS.format("B")])
    assert found.sketch.block["under_headings"] == 1 and found.judged.records == 4


PEOPLE = """
Unit: | {0}
.
Name | Role
{1}
Ed {0} | Driver
Di {0} | Guard
"""


def test_a_person_on_two_tabs_is_no_heading() -> None:
    people = {"North": "Cy North | Clerk", "South": "Flo Nye | Clerk", "West": "Flo Nye | Clerk"}
    found = drafted([PEOPLE.format(unit, first) for unit, first in people.items()])
    assert found.sketch.block == {} and found.judged.records == 9


STACKED = """
Births
.     | 2021 | 2022
Men   | {0}  | 14
Women | 17   | {0}
.
Deaths
.     | 2021 | 2022
Men   | 8    | {0}
Women | 9    | 11
"""


def test_titles_of_stacked_tables_are_kept_though_all_files_have_them() -> None:
    found = drafted([STACKED.format(5), STACKED.format(6)])
    assert found.sketch.block["stamps"] == {"title": {"from": "table title"}}
    titles = found.judged.readings[0].records.column("title").to_pylist()
    assert titles == ["Births"] * 4 + ["Deaths"] * 4


SIGNED = """
Month | 2023 | 2024 | 2025
Jan | 41.05 | {0} | 43.48*
Feb | 44.72 | 42.32* | 41.85*
Mar | 41.24 | 40.41 | 42.94
"""


def test_numbers_with_signs_of_footnotes_are_values_of_their_column() -> None:
    found = drafted([SIGNED.format(42.54), SIGNED.format(40.5)])
    assert found.judged.records == 18 and not found.judged.errors


NUMBERED = """
No. | Measure | Cost
A   | Roads   | .
A1  | Repair  | {0}
A2  | Paint   | 12
B   | Parks   | .
B1  | Lease   | 7
B2  | Plant   | 15
"""


def test_rows_that_others_are_numbered_below_are_asked_about() -> None:
    found = drafted([NUMBERED.format(84), NUMBERED.format(29)])
    (doubt,) = [one for one in questions(found) if one.kind == "row"]
    assert "“A Roads” has no number" in doubt.text and "(3 more like it)" in doubt.text
    assert doubt.records == 4


COVER = """
Monthly return
Ward | {0}
Month | March 2026
.
Contact | Phone
Desk | 11
Night | 22
"""


def test_labels_of_a_cover_hold_for_bare_tabs_though_it_has_a_table() -> None:
    specimens = []
    for number, ward in enumerate(("Ivy", "Oak", "Elm"), 2):
        beds = f"Bed | Patient | Days\nB1 | P{number} | 3\nB2 | P{number}2 | {number}"
        tabs = [sheet(COVER.format(ward), name="Cover"), sheet(beds, name="Beds")]
        specimens += [
            Specimen(f"{ward}.xlsx", tab, {one.name: one for one in tabs if one is not tab})
            for tab in tabs
        ]
    found = draft(specimens)
    assert found is not None and not found.further
    assert found.sketch.stamps["ward"] == {"tab": "Cover", "right_of": "Ward"}
    assert found.sketch.fields["month"] == "month"
    # Its own table is told as one that is not read.
    assert [kind.examples[0].specimen.tab for kind in found.others] == ["Cover"]


LINES = """
H | 2026-04 | {0}
D | {0}1 | Pine | 12
D | {0}2 | Birch | {1}
D | {0}3 | Pine | 7
T | 3 | . | {2}
"""
"""Lines of an interface: with the mark of a header, of records, and of a control line."""


def lines_of(site: str, number: int, total: int | None = None) -> str:
    return LINES.format(site, number, 19 + number if total is None else total)


def test_lines_are_known_by_their_marks() -> None:
    files = [lines_of("L", 40), lines_of("M", 52), "H | 2026-04 | N\nT | 0 | . | 0"]
    block = drafted(files).sketch.block
    assert block == {
        "headings": 0, "columns": ["-", "column", "column_2", "column_3"], "only_rows": "D",
        "control": {"line": "T", "count": 2, "sums": {"column_3": 4}},
    }  # fmt: skip
    # Without a header, and of one file: the control line alone tells what the lines are.
    alone = "1 | L1 | 40\n1 | L2 | 52\n9 | 2 | 92"
    control = {"line": "9", "count": 2, "sums": {"column_2": 3}}
    assert drafted([alone]).sketch.block["control"] == control


def test_what_lines_tell_of_all_records_is_in_each() -> None:
    found = drafted([lines_of("L", 40), lines_of("M", 52), "H | 2026-04 | . | N\nT | 0 | . | 0"])
    # A cell that some headers lack would move those behind it.
    assert found.sketch.stamps["header"] == {"cell": "C1", "optional": True}
    assert not found.judged.errors
    (batch,) = found.judged.readings[0].tables.values()
    first = batch.select(["month", "header", "column", "column_3"]).to_pylist()[0]
    assert first == {"month": date(2026, 4, 1), "header": "L", "column": "L1", "column_3": 12}
    named = renamed(found.sketch, "column_3", "pieces")
    assert named.block["control"]["sums"] == {"pieces": 4}
    parse_layout(named.text(), "the draft")


def test_a_control_line_that_differs_is_told() -> None:
    found = drafted([lines_of("L", 40), lines_of("M", 52, 91), lines_of("N", 3)])
    ((_, error),) = found.judged.errors
    assert error.kind == SUM_OF_LINE_DIFFERS and found.judged.records == 9


@pytest.mark.parametrize(
    "picture",
    [
        "Lot | Pieces | Sown\nA | 3 | 2\nA | 4 | 1\nB | 2 | 9",  # headings, and a record more
        "H | L1 | 3\nD | L2 | 4\nT | L3 | 5",  # no mark comes again
        "D | L1 | 3\nD | L2 | 4\nT | L3 | 9",  # nothing counts
        "D | L1 | 3\nD | L2 | 4\nSum | 2 | 7",  # a total
        "A | L1 | 5\nA | L2 | 7\nB | L3 | 2",  # a count by chance
    ],
)
def test_what_has_no_control_line_is_no_interface(picture: str) -> None:
    assert interface_lines_of([sheet(picture)]) == [None]


ASKED = {
    1: "a list (1) is almost as likely",
    4: "two columns have the same headings",
    5: "“Number” in the upper row of headings",
    8: "“North” in the title",
    10: "the label Hiekka",
    11: "“Planned” in the lowest row of headings",
    14: "a list (1) is almost as likely",
    16: "“see L1” holds the same numbers as “L1”",
    23: "a list (3) is almost as likely",
    24: "the printed total 15",
    26: "a table whose headings run down the side (2) is almost as likely",
    27: "a cross-tab (2) is almost as likely",
    28: "“Assets” in the title",
    30: "a cross-tab (3) is almost as likely",
}
"""The examples whose tabs a draft reads otherwise, and what it asks instead."""
CHOSEN = {17: {"L3"}, 31: {"size", "height", "week"}}
"""What a person decides and no draft can: a record left out, fields in other words or digits, or
worked out from others."""


@pytest.mark.parametrize("number", range(len(EXAMPLES)))
def test_an_example_is_drafted_right_or_a_question_is_asked(number: int) -> None:
    _, name, other, merges, picture, records = EXAMPLES[number]
    tabs = [sheet(picture, merges.split(", ") if merges else (), name="Bench 1")]
    tabs += [sheet(other, name=name)] if name else []
    drafted = draft([
        Specimen("Lomlia_2026.xlsx", tab, {one.name: one for one in tabs if one is not tab})
        for tab in tabs
    ])  # fmt: skip
    assert drafted is not None
    asked = [doubt.text for doubt in questions(drafted)]
    if number in ASKED:
        assert any(ASKED[number] in text for text in asked), asked
        return
    (batch,) = drafted.judged.readings[0].tables.values()
    (names, *expected), (fields, *drafts) = (
        [cells(line) for line in records.strip().splitlines()],
        csv_texts(pa.Table.from_batches([batch])),
    )
    chosen = CHOSEN.get(number, set())
    drafts = [row for row in drafts if not chosen & set(row)]
    if "source_cell" in names:
        expected.sort(key=lambda row: row[names.index("source_cell")])
        drafts.sort(key=lambda row: row[fields.index("source_cell")])
    columns = [list(column) for column in zip(*drafts, strict=True)]
    for field, column in zip(names, map(list, zip(*expected, strict=True)), strict=True):
        assert field in chosen or column in columns, (field, fields, drafts)


@pytest.mark.parametrize("form", FORMS, ids=range(1, len(FORMS) + 1))
def test_a_form_is_drafted_right(form: tuple[str, ...]) -> None:
    merges, picture, _, number, said = form
    drafted = draft([
        Specimen("Lomlia_2026.xlsx", sheet(picture, merges.split(", ") if merges else ()))
    ])  # fmt: skip
    assert drafted is not None
    (batch,) = drafted.judged.readings[0].tables.values()
    assert batch.num_rows == int(number)
    values = [text.partition(" ")[2] for text in said.replace("\n", " ").split(", ")]
    shown = [text.replace("T", " ") for text in csv_texts(pa.Table.from_batches([batch]))[1]]
    assert all(any(text.startswith(value) for text in shown) for value in values)


_CELLS = st.one_of(
    st.just(""), st.integers(0, 50).map(float), st.dates(),
    st.sampled_from(["Lot", "Total", "2024", "A", "-", "12,5", "5 kg", "Jan", "Note: x", "Pine"]),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(st.lists(_CELLS, min_size=4, max_size=4), min_size=1, max_size=7), st.data())
def test_no_ground_makes_a_draft_fail(rows: list[list[Any]], data: st.DataObject) -> None:
    specimens = []
    for at in range(data.draw(st.integers(1, 3))):
        changed = [[data.draw(_CELLS) if cell == "A" else cell for cell in row] for row in rows]
        on = make_sheet("T", changed)
        if not on.blank:
            specimens.append(Specimen(f"a{at}.xlsx", on))
    found = draft(specimens)
    if found is not None:
        parse_layout(found.sketch.text(), "the draft")
        asked = [(one.kind, one.text, one.where + one.column) for one in questions(found)]
        assert len(set(asked)) == len(asked) and all(kind and text for kind, text, _ in asked)
        account = [one.account for one in found.judged.readings]
        assert all(sum(one.roles.values()) == one.filled for one in account)


def test_a_month_that_names_of_files_say_too_is_held_against_them() -> None:
    form = "Month | {} 2026\n.\nLot | Pieces\n{}1 | 41\n{}2 | 52"

    def file(name: str, month: str) -> Specimen:
        return Specimen(name, sheet(form.format(month, name[0], name[0])))

    files = [file(f"{site} 2026-03.xlsx", "March") for site in ("Lia", "Myr", "Dal")]
    found = draft(files)
    assert found is not None and not found.judged.errors
    assert found.sketch.stamps["month"] == [
        {"right_of": "Month"}, {"from": "file name", "pattern": "* {}", "compared": True},
    ]  # fmt: skip
    # Last month's file was filled in again, and its month forgotten.
    (error,) = judge(found.sketch, [file("Lia 2026-04.xlsx", "March")]).errors
    assert error[1].kind == STAMP_SOURCES_DIFFER
    assert not judge(found.sketch, [file("Lia 2026-04.xlsx", "April")]).errors
    # What is only compared is never taken.
    without = Specimen("Lia 2026-04.xlsx", sheet("Lot | Pieces\nL1 | 41\nL2 | 52"))
    judged = judge(found.sketch, [without])
    assert [error.kind for _, error in judged.errors] == [STAMP_NOT_FOUND]
    assert {row["month"] for row in judged.readings[0].records.to_pylist()} == {None}


GROUPS_OF_TWO_COLUMNS = """
Stock count {0}
.
Species | Pieces
Fjord | .
Pine | {1}
Birch | 30
Subtotal | {2}
Media | .
Alder | 4{0}
Larch | 7
"""
NAMED_LIKE_AN_AVERAGE = """
Stock count {0}
.
Bench | Species | Pieces
Media | Pine | {1}
. | Birch | 30
Glass | Alder | 4{0}
Total | . | {2}
"""
BEYOND_A_SPACER = """
Stock count {0}
.
Species | . | Pieces | Lost
Pine | . | 1{0} | {1}
Birch | . | 30 | 4
Total | . | {2} | {3}
"""
DASHES_FIRST = """
Stock count {0}
.
Species | Pieces
Pine | {1}
Birch | 30
Alder | 4{0}
"""


@pytest.mark.parametrize(
    ("form", "values", "first", "number"),
    [
        (GROUPS_OF_TWO_COLUMNS, [(5, 35), (6, 36)], ("Fjord", "Pine", 5), 8),
        (NAMED_LIKE_AN_AVERAGE, [(5, 76), (6, 78)], ("Media", "Pine", 5), 6),
        (BEYOND_A_SPACER, [(5, 41, 9), (6, 42, 10)], ("Pine", 11, 5), 4),
        (DASHES_FIRST, [("-", 0), (6, 0)], ("Pine", None), 6),
    ],
    ids=["groups of two columns", "named like an average", "beyond a spacer", "dashes first"],
)
def test_rows_are_records_groups_or_totals_by_what_stands_around_them(
    form: str, values: list[tuple[object, object]], first: tuple[object, ...], number: int
) -> None:
    found = drafted([form.format(at, *some) for at, some in enumerate(values, 1)])
    assert not found.judged.errors and found.judged.records == number
    (batch,) = found.judged.readings[0].tables.values()
    record = batch.to_pylist()[0]
    assert tuple(record[name] for name in found.sketch.table_fields) == first


CARDS = """
Stock count
Species | {0}
Pieces | 1{1}
Sown | 2026-03-0{1}
"""
NUMBERED_GROUPS = """
Stock count {0}
.
No | Species | Lot | Pieces
1 | Pine | L{0}1 | 5
2 | . | L{0}2 | 30
3 | Birch | L{0}3 | 4
4 | . | L{0}4 | 7
"""
REST_OF_HEADINGS = """
Stock count {0}
.
Species | Sown | Lost
. | in pieces | in pieces
Pine | {1} | 2
Birch | 30 | 4
Alder | 4{0} | 1
"""
MOVED_TITLE = """{2}
Stock count {0}, March 2026
.
Species | Pieces
Pine | {1}
Birch | 30
"""
TITLE_OF_PARTS = """
Stock: {0}, March 2026
.
Species | Pieces
Pine | {1}
Birch | 30
"""
TWO_LANGUAGES = """
No | {0} | {1} | {2}
1 | Pine | {3} | 4,5
2 | Birch | 30 | 6,25
3 | Alder | 7 | 9,5
"""
EN, NO = ("Species", "Pieces", "Weight"), ("Art", "Antall", "Vekt")


@pytest.mark.parametrize(
    ("form", "values", "fields", "first"),
    [
        # The same few species come again: their row stands on several tabs, and is no heading.
        (CARDS, [("Pine", 1), ("Pine", 2), ("Pine", 3), ("Birch", 4), ("Alder", 5)],
         "species pieces sown", ("Pine", 11, date(2026, 3, 1))),
        (NUMBERED_GROUPS, [("1",), ("2",)], "no species lot pieces", (1, "Pine", "L11", 5)),
        (REST_OF_HEADINGS, [("1", 5), ("2", 6)], "species sown lost", ("Pine", 5, 2)),
        # Where a remark stands above it, the title is further down.
        (MOVED_TITLE, [("Frostmo", 5, ""), ("Lomlia", 6, "Please return\\n."), ("Granvik", 7, "")],
         "title month species pieces", ("Frostmo", date(2026, 3, 1), "Pine", 5)),
        (TITLE_OF_PARTS, [("Frostmo", 5), ("Lomlia", 6), ("Granvik", 7)],
         "title month species pieces", ("Frostmo", date(2026, 3, 1), "Pine", 5)),
        (TWO_LANGUAGES, [(*EN, 5), (*NO, 6), (*EN, 7), (*NO, 8)],
         "no species pieces weight", (1, "Pine", 5, 4.5)),
    ],
    ids=["cards", "numbered groups", "rest of headings", "moved title", "title of parts",
         "languages with a word in common"],
)  # fmt: skip
def test_what_few_tabs_have_in_common_is_no_heading_and_what_one_has_otherwise_no_loss(
    form: str, values: list[tuple[object, ...]], fields: str, first: tuple[object, ...]
) -> None:
    found = drafted([form.format(*some).replace("\\n", "\n") for some in values])
    assert not found.judged.errors
    # A remark of one tab says nothing of the form; it stays unplaced.
    assert found.judged.unplaced == str(values).count("Please")
    assert set(fields.split()) <= set(found.sketch.fields)
    records = [row for one in found.judged.readings for batch in one.tables.values()
               for row in batch.to_pylist()]  # fmt: skip
    assert tuple(records[0][name] for name in fields.split()) == first
    # No field is one tab's alone.
    assert all(record[name] is not None for record in records for name in fields.split())


@pytest.mark.parametrize(
    ("other", "fields", "kind"),
    [("Qty", "species quantity lost", "heading"), ("Sum", "species quantity sum lost", "apart")],
)
def test_a_heading_of_one_tab_of_a_file_is_asked_about(other: str, fields: str, kind: str) -> None:
    table = "Species | {0} | Lost\nPine | {1} | 2\nBirch | 30 | 4"
    heads = ["Quantity", "Quantity", other]
    found = drafted(
        [table.format(head, at) for at, head in enumerate(heads, 5)], ["Fjord", "Inland", "Coast"]
    )
    assert sorted(found.sketch.table_fields) == sorted(fields.split())
    (asked,) = (one for one in questions(found) if one.kind != "name")
    assert asked.kind == kind and f"“{other}”" in asked.text and asked.where.endswith("Coast › B1")
    if kind == "apart":
        merged = answered(found.sketch, asked, asked.choices[1])
        judged = judge(merged, found.judged.examples)
        assert "sum" not in merged.fields and judged.records == found.judged.records
        assert all(batch.column("quantity").null_count == 0
                   for one in judged.readings for batch in one.tables.values())  # fmt: skip


def test_the_same_table_is_the_main_one_on_all_tabs() -> None:
    rows = [f"L{at} | {at}" for at in range(1, 9)]
    staff = "Name | Hours | Grade\nHolm | 3{0} | A\nDahl | 12 | B\nNiemi | 8 | A"
    pictures = [
        "\n".join(["Lot | Pieces", *rows[:number], ".", staff.format(number)])
        for number in (3, 8, 2, 7)
    ]
    found = drafted(pictures)
    assert len(found.kind.examples) == 4 and not found.others
    assert len(found.sketch.more) == 1 and not found.judged.errors


def test_a_running_number_before_a_name_is_a_field_of_its_own() -> None:
    table = "Species | Pieces\nPine | {}\nBirch | 30"
    names = ["41_Hill Road.xlsx", "42_Lomlia.xlsx", "43_Old Mill.xlsx"]
    specimens = [Specimen(name, sheet(table.format(at))) for at, name in enumerate(names)]
    found = draft(specimens)
    assert found is not None and found.sketch.include == ("{number}_{part}.xlsx",)
    (batch,) = found.judged.readings[0].tables.values()
    assert [batch.to_pylist()[0][name] for name in ("number", "part")] == [41, "Hill Road"]


def test_days_that_are_filled_once_are_carried_down_in_a_log() -> None:
    rows = (
        "2026-03-0{0} | 06:30 | start | 8,5\n. | 11:30 | stop | 2,5\n2026-03-1{0} | 06:15 | end | 4"
    )
    found = drafted([f"Date | Time | Event | Reading\n{rows.format(at)}" for at in (1, 2, 3)])
    assert found.sketch.block["carry_down"] == "date" and not found.judged.errors
    (batch,) = found.judged.readings[0].tables.values()
    assert batch.column("date").to_pylist() == [
        date(2026, 3, 1),
        date(2026, 3, 1),
        date(2026, 3, 11),
    ]


def test_a_table_of_texts_beside_the_margin_does_not_go_on_in_a_label_above_it() -> None:
    form = """
. | Stock count
. | Month | March 2026
. | Counted by | {0}
.
. | Name | Mon | Tue | Wed
. | {0} | E | L | E
. | {1} | off | E | L
"""
    names = [("Holm", "Dahl"), ("Dahl", "Niemi"), ("Niemi", "Aas"), ("Holm", "Aas")]
    found = drafted([form.format(*some) for some in names])
    assert (
        set(found.sketch.stamps) == {"month", "counted_by"} and "turned" not in found.sketch.block
    )
    assert not found.judged.errors and not found.judged.unplaced


def test_a_heading_that_is_no_year_among_years_is_asked_about() -> None:
    table = "Species | 2024 | 2025 | Abroad\nPine | 1{0} | 2{0} | 9\nBirch | 30 | 4{0} | 15"
    found = drafted([table.format(1), table.format(2)])
    asked = next(one for one in questions(found) if one.kind == "level")
    assert "“Abroad” is no year" in asked.text and asked.where.endswith("D1")


@pytest.mark.parametrize(
    "heading, changes", [("Change %", (9, 15)), ("Change", (9.5, 15)), ("Since 2024", (-9, 15))]
)
def test_another_measure_right_of_years_is_a_field(heading: str, changes: Any) -> None:
    rows = "Pine | 1{0} | 2{0} | {2} | Aas\nBirch | 30 | 4{0} | {3} | Lie"
    table = f"Species | 2024 | 2025 | {{1}} | By\n{rows}"
    drafted_layout = drafted([table.format(number, heading, *changes) for number in (1, 2)])
    assert drafted_layout.sketch.block["across"] == "year"
    name = field_name(heading)
    rows = drafted_layout.judged.readings[0].records.to_pylist()
    assert [(row["year"], row["value"], row[name], row["by"]) for row in rows] == [
        (2024, 11, changes[0], "Aas"), (2025, 21, changes[0], "Aas"),
        (2024, 30, changes[1], "Lie"), (2025, 41, changes[1], "Lie"),
    ]  # fmt: skip


def test_quarters_under_years_are_a_level_though_one_of_them_has_flags() -> None:
    heads = ". | 2024 | . | 2025 | .\nSpecies | Q1 | Q2 | Q1 | Q2"
    rows = "\n".join(
        f"{name} | {{0}}{place} | 4{place} | 52{place} | 9{place}"
        for place, name in enumerate(("Pine", "Birch", "Alder", "Rowan", "Larch"))
    )
    found = drafted(
        [f"{heads}\n{rows}\nOak | 1* | 2 | 3 | 4".format(number) for number in (1, 2, 3)]
    )
    assert found.sketch.block["across"] == ["year", "quarter"]
    assert found.sketch.block["value"] == "value"


def test_days_over_marks_are_a_level_though_marks_are_missing() -> None:
    form = """
Attendance
Site | . | Approved by
{1} | . | {2}

Name | 1 | 2 | 3 | 4 | 5 | 6
Holm | P | A | P | . | P | L
{2} | P | P | P | P | P | P
Aas | {3} | . | A | P | L | P

P = present, A = absent, L = leave
"""
    tabs = [
        form.format(number, site, name, mark)
        for number, (site, name, mark) in enumerate(
            [("Frostmo", "Dahl", "P"), ("Lomlia", "Lie", "A"), ("Granvik", "Dahl", "L")]
        )
    ]
    found = drafted(tabs)
    assert found.sketch.block == {"stub": "name", "across": "heading", "value": "value"}
    assert found.judged.records == 3 * 16 and not found.judged.unplaced


def test_columns_of_which_each_row_fills_one_are_a_list() -> None:
    # Which cells of a cross-tab hold a record is paid for as well as the gaps of a list.
    chance = random.Random(5)

    def entry(month: int, day: int) -> str:
        amount = chance.randint(100, 9000) / 100
        text = chance.choice(["Fuel", "Sale", "Stamps", "Refund"])
        amounts = chance.choice([f"{amount} | .", f". | {amount}"])
        return f"2026-0{month}-{day:02} | {text} | {amounts}"

    head = "Cash book\n\nDate | Text | Debit | Credit"
    tabs = [
        "\n".join([head, *(entry(month, day) for day in range(1, 20, 2))]) for month in range(1, 9)
    ]
    found = drafted(tabs)
    assert "across" not in found.sketch.block
    assert {"debit": "number", "credit": "number"}.items() <= found.sketch.fields.items()


def test_from_where_and_to_where_is_a_cross_tab_though_one_place_is_on_all_tabs() -> None:
    form = """
Transfers

From | {0} | {1} | {2}
{0} | . | 2{3} | 43
{1} | 5{3} | . | 53
{2} | 86 | 5{3} | .
"""
    places = [
        ("Frostmo", "Lomlia", "Granvik"), ("Suvanto", "Frostmo", "Hiekka"),
        ("Frostmo", "Hiekka", "Lomlia"), ("Granvik", "Frostmo", "Suvanto"),
    ]  # fmt: skip
    found = drafted([form.format(*names, number) for number, names in enumerate(places)])
    assert found.sketch.block == {"stub": "from", "across": "heading", "value": "value"}
    assert found.judged.records == 4 * 6


def test_the_head_of_a_page_above_labels_is_no_table() -> None:
    form = """
Form 17-B | . | . | Page 1 of 1
Order list
Site: | {1}
Period | 2026-0{0}-01 | to | 2026-0{0}-28

Order | Customer | Item | Pieces
O-9{0}78 | Holm | Pine | 88
O-87{0}4 | Dahl | Birch | 7{0}
O-36{0}1 | Lie | Alder | 19
"""
    found = drafted(
        [form.format(n, site) for n, site in enumerate(("Frostmo", "Lomlia", "Suvanto"), 3)]
    )
    assert {"site", "period", "to"} <= found.sketch.stamps.keys()
    assert not found.judged.unplaced and "into" not in found.sketch.block


def test_measures_beside_names_without_a_heading_are_a_list() -> None:
    heads = ". | Beds | Area | Crew"
    rows = "\n".join(
        f"{name} | {{0}}{place} | 4{place}{{0}},5 | 52{place}{{0}}"
        for place, name in enumerate(("Pine", "Birch", "Alder", "Rowan", "Larch"))
    )
    found = drafted([f"Stock\n\n{heads}\n{rows}".format(number) for number in (1, 2, 3)])
    assert found.sketch.block == {"columns": ["name", "beds", "area", "crew"]}


def test_a_tab_whose_rows_are_the_sums_of_those_of_their_name_is_a_summary() -> None:
    tabs = {
        "Frostmo": "Species | Pieces | Lost\nPine | 5 | 2\nBirch | 7 | 1\nAlder | 4 | 0",
        "Lomlia": "Species | Pieces | Lost\nBirch | 11 | 3\nPine | 8 | 2\nLarch | 2 | 1",
        "Granvik": "Species | Pieces | Lost\nAlder | 6 | 1\nPine | 9 | 4",
        "All": "Species | Pieces | Lost\nPine | 22 | 8\nBirch | 18 | 4\nAlder | 10 | 1",
    }
    found = drafted(list(tabs.values()), list(tabs))
    assert [(one.tab, one.why) for one in found.left_out] == [
        ("All", "it sums up Frostmo to Granvik")
    ]
    assert found.judged.records == 8


def test_a_form_that_is_not_filled_in_is_asked_about() -> None:
    table = "Species | Pieces | Lost\nPine | {0} | {1}\nBirch | {1} | {0}"
    found = drafted([table.format(1, 2), table.format(3, 4), table.format(".", ".")])
    (asked,) = (one for one in questions(found) if one.kind == "row")
    assert asked.text.startswith("1 tab holds names without any value")
    assert asked.where == "stock_3.xlsx › Bench 1 › A2" and "`exclude`" in asked.change
    assert (found.judged.records, asked.records) == (6, 2)
    # The run tells of it as well; it is one question all the same.
    findings = [finding for reading in found.judged.readings for finding in reading.findings]
    assert [finding.code for finding in findings] == ["table-not-filled"]
    assert questions(found, findings) == questions(found, [])


def test_tabs_of_a_file_that_hold_other_things_are_neither_merged_nor_asked_about() -> None:
    rows = "F{0} | Pine | 1{0} | 0,2{0}\nG{0} | Birch | 2{0} | 0,3{0}"
    heads = [("Walls", "Wall"), ("Roofs", "Roof"), ("Floors", "Floor")]
    found = drafted(
        [f"Code | Wood | {name} m2 | {name} cost\n{rows.format(at)}"
         for at, (_, name) in enumerate(heads, 1)],
        [tab for tab, _ in heads],
    )  # fmt: skip
    own = {f"{name.lower()}_{unit}" for _, name in heads for unit in ("m2", "cost")}
    blocks = [found.sketch.block, *found.sketch.more]
    assert own <= set(found.sketch.fields) and len(blocks) <= len(heads)
    assert not [one for one in questions(found) if one.kind in ("apart", "language", "heading")]
    assert not found.judged.errors


PARTS = """
Lift | {0} | . | Week | 2026-W0{1}
.
Day | Passengers | . | . | Hours open | Remarks
. | Adult | Child | Season pass | . | .
2026-01-2{1} | {0}01 | 5{1} | 7{0} | 7,5 | fog
2026-01-2{2} | {1}22 | 61 | 8{1} | 6 | .
Total | {3} | {4} | {5} | . | .
"""


@pytest.mark.parametrize("is_filled", [True, False])
def test_where_only_some_headings_have_parts_the_others_reach_down(is_filled: bool) -> None:
    figures = [(1, 2, 4, 323, 113, 153), (3, 4, 6, 723, 115, 157), (5, 6, 8, 1123, 117, 161)]
    pictures = [PARTS.format(*one) for one in figures]
    if not is_filled:
        # What one sender has not filled in has the same headings all the same.
        lines = pictures[2].strip("\n").splitlines()
        bare = [f"{line.split(' | ')[0]} | . | . | . | . | ." for line in lines[4:]]
        pictures[2] = "\n".join(["", *lines[:4], *bare, ""])
    found = drafted(pictures)
    names = ["day", "passengers_adult", "passengers_child", "passengers_season_pass"]
    assert [name for name in found.sketch.fields if name in names or "passengers" in name] == names
    assert found.sketch.fields["passengers_child"] == "integer"
    assert found.judged.records == (6 if is_filled else 4) + (0 if is_filled else 2)
    assert not found.judged.unplaced


def test_a_field_of_one_table_is_required_in_none() -> None:
    specimens = []
    for at in range(12):
        count = "".join(f"2026-01-{1 + row:02} | {at}{row}1 | 5{row}{at}\n" for row in range(20))
        events = (
            f"Time | What | Minutes\n1{at % 8}:15 | Ice {at} | 2{at}\n11:4{at % 9} | Wind | {at}\n"
        )
        pictures = {"Week": f"Lift | {at}\n.\nDay | Adult | Child\n{count}", "Events": events}
        sheets = [sheet(picture, name=name) for name, picture in pictures.items()]
        for one in sheets:
            others = {other.name: other for other in sheets if other is not one}
            specimens.append(Specimen(f"lift {at}.xlsx", one, others))
    found = draft(specimens)
    assert found is not None and len(found.sketch.more) == 1
    assert "adult" in found.sketch.fields and "minutes" in found.sketch.fields
    assert not any("required" in option for option in found.sketch.options.values())


RAGGED = """
Station | {0} | . | Week | 2026-W0{1}
.
. | . | . | Freight | . | .
Route | Car | Distance | Loaded | Unloaded | Staff
{0}1 | C{1}1 | 8{1}61 | {1}0 | 7557 | 4
{0}2 | C{2}2 | 21{2}6 | {2} | 1463 | 6
{0}3 | C{3}3 | 85{1}7 | {3} | 7420 | 9
"""
COLUMN_NUMBERS = """
Station | {0} | . | Week | 2026-W0{1}
.
Route | Distance | Energy | .
. | . | Day | Night
(1) | (2) | (3) | (4)
{0}1 | 8{1}61 | {1}0 | 7557
{0}2 | 21{2}6 | {2} | 1463
{0}3 | 85{1}7 | {3} | 7420
"""
WITH_UNITS = """
Station | {0} | . | Week | 2026-W0{1}
.
Day | Rainfall | Passengers | . | Price | Remarks
. | . | Adult | Child | . | .
. | mm | pcs | pcs | t | .
2026-03-01 | 8{1} | {1}00 | 57 | 3{2}4 | fog
2026-03-02 | 2{2} | {2}20 | 63 | 3{3}1 | .
2026-03-03 | 5{1} | {3}30 | 20 | 3{1}7 | .
"""


@pytest.mark.parametrize(
    ("picture", "merges", "fields"),
    [
        # Only the freight has parts: no level of a cross-tab.
        (RAGGED, ["D3:E3"], ["distance", "freight_loaded", "freight_unloaded", "staff"]),
        # What numbers the columns is neither a heading nor a record.
        (COLUMN_NUMBERS, ["C3:D3"], ["distance", "energy_day", "energy_night"]),
        # A heading reaches right only up to where one begins above it.
        (WITH_UNITS, [], ["rainfall_mm", "passengers_adult_pcs", "price_t", "remarks"]),
    ],
)
def test_fields_are_named_by_the_headings_that_reach_their_columns(
    picture: str, merges: list[str], fields: list[str]
) -> None:
    figures = (("A", 1, 2, 3), ("B", 4, 5, 6), ("C", 7, 8, 9))
    specimens = [
        Specimen(f"stock_{at}.xlsx", sheet(picture.format(*one), merges))
        for at, one in enumerate(figures)
    ]
    found = draft(specimens)
    assert found is not None
    assert set(fields) <= set(found.sketch.fields), found.sketch.text()
    assert found.judged.records == 9 and not found.judged.unplaced and not found.judged.errors
