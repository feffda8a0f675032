"""Every way a block can stand on a tab: the exact records, each with its cell."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest

from boreotabula.reading.account.roles import Role
from helpers import codes, read, sheet, values

FIELDS = """
[fields]
species = { type = "text", also = ["Art"] }
lot = "text"
container = "text"
grade = "text"
quarter = "text"
seedlings = { type = "integer", also = ["Antall", "Count / pcs"] }
planned = "integer"
actual = "integer"
bench = "text"
"""


@dataclass(frozen=True)
class Case:
    """A block, a picture of a tab, and the records that must come of it."""

    block: str
    picture: str
    columns: str
    records: list[tuple[Any, ...]]
    merges: tuple[str, ...] = ()
    findings: tuple[str, ...] = ()


LIST = 'stub = ["species", "lot"]'
CROSS = 'stub = ["species"]\nacross = "grade"\nvalue = "seedlings"'
PLAN = 'stub = "species"\nacross = "quarter"\nvalue = ["planned", "actual"]'

CASES = {
    "a plain list, columns in any order": Case(
        LIST,
        """
        Dispatch list
        Antall | Lot | Art
        10     | L1  | Spruce
        .      | L2  | Pine
        """,
        "species lot seedlings source_cell",
        [("Spruce", "L1", 10, "A3"), ("Pine", "L2", None, "B4")],
    ),
    "a list with nested headings, joined": Case(
        f"{LIST}\nheading_rows = 2",
        """
        Art    | Lot | Count | .
        .      | .   | pcs   | kg
        Spruce | L1  | 10    | 2
        """,
        "species lot seedlings source_cell",
        [("Spruce", "L1", 10, "A3")],
        ("A1:A2", "B1:B2", "C1:D1"),
        ("heading-unknown",),
    ),
    "a list with totals, a skipped row and a row to carry down": Case(
        f'{LIST}\ncarry_down = "species"\ntotals = "Sum*"\nskip = "see *"',
        """
        Art    | Lot      | Antall
        Spruce | L1       | 10
        .      | L2       | 5
        .      | see note | 7
        Sum    | .        | 15
        """,
        "species lot seedlings source_cell",
        [("Spruce", "L1", 10, "A2"), ("Spruce", "L2", 5, "B3")],
    ),
    "an unknown heading in a list": Case(
        LIST,
        """
        Art    | Lot | Weather | Antall
        Spruce | L1  | mild    | 3
        """,
        "species lot seedlings",
        [("Spruce", "L1", 3)],
        findings=("heading-unknown",),
    ),
    "columns by position without headings": Case(
        'headings = 0\ncolumns = ["species", "-", "seedlings"]',
        """
        Spruce | x | 4
        Pine   | y | 5 | 9
        """,
        "species seedlings source_cell",
        [("Spruce", 4, "A1"), ("Pine", 5, "A2")],
        findings=("values-without-heading",),
    ),
    "columns by position, whatever the headings say": Case(
        'columns = ["species", "seedlings"]',
        """
        Baum   | Zahl
        Spruce | 4
        """,
        "species seedlings",
        [("Spruce", 4)],
    ),
    "the top left heading cell is given": Case(
        f'{CROSS}\nat = "B3"',
        """
        Species | A  | .
        .       | .  | .
        x       | Species | A | B
        .       | Pine    | 1 | 2
        """,
        "species grade seedlings source_cell",
        [("Pine", "A", 1, "C4"), ("Pine", "B", 2, "D4")],
        findings=("numbers-unplaced",)[:0],
    ),
    "a cross-tab without stub": Case(
        'at = "A1"\nacross = ["container", "grade"]\nvalue = "seedlings"',
        """
        Pot 95 | .
        A      | B
        1      | 2
        """,
        "container grade seedlings source_cell",
        [("Pot 95", "A", 1, "A3"), ("Pot 95", "B", 2, "B3")],
    ),
    "three heading levels, the middle only partly there": Case(
        'stub = "species"\nacross = ["container", "quarter", "grade"]\nvalue = "seedlings"',
        """
        .       | Pot 95 | .  | .  | Pot 60
        .       | Q1     | .  | Q2 | Q1
        Species | A      | B  | A  | A
        Pine    | 1      | 2  | 3  | 4
        """,
        "container quarter grade seedlings",
        [
            ("Pot 95", "Q1", "A", 1),
            ("Pot 95", "Q1", "B", 2),
            ("Pot 95", "Q2", "A", 3),
            ("Pot 60", "Q1", "A", 4),
        ],
    ),
    "upper headings over the last column of their group": Case(
        'stub = "species"\nacross = ["container", "grade"]\nvalue = "seedlings"\nreach = "left"',
        """
        .       | . | Pot 95 | . | Pot 60
        Species | A | B      | A | B
        Pine    | 1 | 2      | 3 | 4
        """,
        "container grade seedlings",
        [("Pot 95", "A", 1), ("Pot 95", "B", 2), ("Pot 60", "A", 3), ("Pot 60", "B", 4)],
    ),
    "an upper heading that may belong left or right": Case(
        'stub = "species"\nacross = ["container", "grade"]\nvalue = "seedlings"',
        """
        .       | . | Pot 95 | .
        Species | A | B      | C
        Pine    | 1 | 2      | 3
        """,
        "container grade seedlings source_cell",
        [(None, "A", 1, "B3"), ("Pot 95", "B", 2, "C3"), ("Pot 95", "C", 3, "D3")],
        findings=("heading-level-blank",),
    ),
    "several values, one missing, in varying order": Case(
        PLAN,
        """
        .       | Q1      | .      | Q2     | .       | Q3
        Species | Planned | Actual | Actual | Planned | Planned
        Pine    | 10      | 9      | 5      | .       | 7
        Spruce  | .       | .      | .      | 6       | .
        """,
        "species quarter planned actual source_cell",
        [
            ("Pine", "Q1", 10, 9, "B3"),
            ("Pine", "Q2", None, 5, "D3"),
            ("Pine", "Q3", 7, None, "F3"),
            ("Spruce", "Q2", 6, None, "E4"),
        ],
    ),
    "a lowest heading that names none of the values": Case(
        PLAN,
        """
        .       | Q1      | .
        Species | Planned | Remainder
        Pine    | 10      | 9
        """,
        "species quarter planned actual",
        [("Pine", "Q1", 10, None)],
        findings=("heading-unknown",),
    ),
    "group names on rows of their own": Case(
        'stub = "lot"\ngroup_row = "species"\nacross = "grade"\nvalue = "seedlings"\n'
        'totals = "Sum*"',
        """
        Lot    | A | B
        Spruce | . | .
        L1     | 1 | 2
        L2     | 3 | .
        Sum    | 4 | 2
        Pine   | . | .
        L3     | 5 | .
        """,
        "species lot grade seedlings",
        [
            ("Spruce", "L1", "A", 1),
            ("Spruce", "L1", "B", 2),
            ("Spruce", "L2", "A", 3),
            ("Pine", "L3", "A", 5),
        ],
    ),
    "two rows in turn that look like groups": Case(
        'stub = "lot"\ngroup_row = "species"\nacross = "grade"\nvalue = "seedlings"',
        """
        Lot    | A
        Spruce | .
        L1     | .
        L2     | 3
        """,
        "species lot grade seedlings",
        [("L1", "L2", "A", 3)],
        findings=("group-doubtful",),
    ),
    "a row of units under the headings": Case(
        f"{CROSS}\nunder_headings = 1",
        """
        Species | A   | B
        .       | pcs | pcs
        Pine    | 1   | 2
        """,
        "species grade seedlings",
        [("Pine", "A", 1), ("Pine", "B", 2)],
    ),
    "column numbers under the headings, unannounced": Case(
        CROSS,
        """
        Species | A   | B
        1       | 2   | 3
        Pine    | 1   | 2
        """,
        "species grade seedlings",
        [("Pine", "A", 1), ("Pine", "B", 2)],
        findings=("columns-numbered",),
    ),
    "blank values kept": Case(
        f'{CROSS}\nblank = "keep"',
        """
        Species | A | B
        Pine    | 1 | .
        Spruce  | . | .
        """,
        "species grade seedlings source_cell",
        [
            ("Pine", "A", 1, "B2"),
            ("Pine", "B", None, "C2"),
            ("Spruce", "A", None, "B3"),
            ("Spruce", "B", None, "C3"),
        ],
    ),
    "a blank column inside": Case(
        f"{CROSS}\ngaps = true",
        """
        Species | A | . | B
        Pine    | 1 | . | 2
        """,
        "grade seedlings source_cell",
        [("A", 1, "B2"), ("B", 2, "D2")],
    ),
    "headings down the side": Case(
        'stub = "species"\nturned = true',
        """
        Form 7
        Species  | Spruce | Pine
        Antall   | 10     | 20
        """,
        "species seedlings source_cell",
        [("Spruce", 10, "B2"), ("Pine", 20, "C2")],
    ),
    "a turned cross-tab with two heading columns": Case(
        'stub = "species"\nacross = ["container", "grade"]\nvalue = "seedlings"\nturned = true',
        """
        .      | Species | Spruce | Pine
        Pot 95 | A       | 1      | 2
        .      | B       | 3      | .
        """,
        "species container grade seedlings source_cell",
        [
            ("Spruce", "Pot 95", "A", 1, "C2"),
            ("Spruce", "Pot 95", "B", 3, "C3"),
            ("Pine", "Pot 95", "A", 2, "D2"),
        ],
    ),
    "stacked and side by side": Case(
        f"{CROSS}\nrepeat = true",
        """
        Species | A | . | Species | A
        Pine    | 1 | . | Pine    | 2
        .       | . | . | .       | .
        Species | B | . | .       | .
        Spruce  | 3 | . | .       | .
        """,
        "species grade seedlings source_cell",
        [("Pine", "A", 1, "B2"), ("Pine", "A", 2, "E2"), ("Spruce", "B", 3, "B5")],
    ),
}


@pytest.mark.parametrize("case", CASES.values(), ids=CASES.keys())
def test_a_block_becomes_these_records(case: Case) -> None:
    reading = read(sheet(case.picture, case.merges), f"layout = 1\n[block]\n{case.block}\n{FIELDS}")
    assert values(reading, *case.columns.split()) == case.records
    assert codes(reading) == list(case.findings)
    assert sum(reading.account.roles.values()) == reading.account.filled


STACKED = """
Bench:  | 3 | .
Species | A | B
Pine    | 1 | 2
.       | . | .
Bench:  | 4 | .
Species | A | B
Pine    | 5 | 6
"""


def test_a_repeated_block_takes_the_stamp_nearest_above() -> None:
    text = f'layout = 1\n[stamps]\nbench = {{ right_of = "Bench" }}\n[block]\n{CROSS}\n'
    reading = read(sheet(STACKED), f"{text}repeat = true\n{FIELDS}")
    assert values(reading, "bench", "grade", "seedlings") == [
        ("3", "A", 1), ("3", "B", 2), ("4", "A", 5), ("4", "B", 6),
    ]  # fmt: skip
    assert codes(reading) == []
    assert reading.account.roles[Role.STAMP] == 2


def test_several_blocks_go_into_tables_of_their_own() -> None:
    text = f"""
layout = 1
[stamps]
bench = {{ value = "7" }}
[[block]]
{CROSS}
into = "stock"
[[block]]
stub = ["lot", "quarter"]
into = "lots"
{FIELDS}
"""
    picture = """
    Species | A | B
    Pine    | 1 | 2
    .       | . | .
    Lot     | Quarter | Planned
    L1      | Q1      | 30
    """
    reading = read(sheet(picture), text)
    (lot,) = reading.tables["lots"].to_pylist()
    assert {name: value for name, value in lot.items() if value is not None} == {
        "lot": "L1", "quarter": "Q1", "planned": 30, "bench": "7",
        "source_file": "form.xlsx", "source_tab": "Bench 1", "source_cell": "A5",
    }  # fmt: skip
    assert reading.tables["stock"].num_rows == 2
    assert "planned" not in reading.tables["stock"].schema.names
    assert codes(reading) == []


def test_two_blocks_never_read_the_same_table_twice() -> None:
    text = f"layout = 1\n[[block]]\n{CROSS}\n[[block]]\n{CROSS}\n{FIELDS}"
    reading = read(sheet("Species | A\nPine | 1"), text)
    assert values(reading, "species", "seedlings") == [("Pine", 1)]
    assert codes(reading) == ["blocks-overlap"]


EDITIONS = """
layout = 1
[stamps]
bench = { cell = "B2" }
[[edition]]
title = "old"
when = { cell = "A1", is = "Form 7a*" }
block = { stub = "species", across = "grade", value = "seedlings" }
[[edition]]
title = "new"
when = { heading = "Art" }
stamps = { bench = { cell = "C2" } }
block = { stub = "species", across = "grade", value = "seedlings" }
"""


@pytest.mark.parametrize(
    ("first", "title", "bench"), [("Form 7a of 2024", "old", "9"), ("Skjema", "new", "12")]
)
def test_each_edition_of_a_form_is_read_its_own_way(first: str, title: str, bench: str) -> None:
    reading = read(sheet(f"{first}\nBench | 9 | 12\nArt | A\nPine | 1"), EDITIONS + FIELDS)
    assert values(reading, "bench", "species", "seedlings") == [(bench, "Pine", 1)]
    assert reading.form == title


def test_a_tab_that_fits_no_edition_is_an_error() -> None:
    reading = read(sheet("Form 8\nSpecies | A\nPine | 1"), EDITIONS + FIELDS)
    assert codes(reading)[0] == "edition-unknown"
    assert reading.records.num_rows == 0
    assert reading.account.roles[Role.UNPLACED] == reading.account.filled == 5


def test_two_columns_under_the_same_headings_are_both_read_and_said() -> None:
    reading = read(
        sheet("Species | A | A\nPine | 1 | 2"), f"layout = 1\n[block]\n{CROSS}\n{FIELDS}"
    )
    assert values(reading, "grade", "seedlings") == [("A", 1), ("A", 2)]
    assert codes(reading) == ["headings-repeated"]


def test_a_required_field_that_is_missing_is_an_error() -> None:
    fields = FIELDS.replace(
        'planned = "integer"', 'planned = { type = "integer", required = true }'
    )
    reading = read(sheet("Species | Lot\nPine | L1"), f"layout = 1\n[block]\n{LIST}\n{fields}")
    assert codes(reading) == ["required-field-missing"]
