"""Forms that once were read wrong without a word: what is read of them now, and what is told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest

from helpers import codes, read, sheet, values


def layout(keys: str, fields: str, stamps: str = "") -> str:
    """A layout of one block; fields are texts, or written as 'name:type'."""
    named = [one.partition(":") for one in fields.split()]
    listed = "\n".join(f'{name} = "{kind or "text"}"' for name, _, kind in named)
    head = f"[stamps]\n{stamps}\n" if stamps else ""
    return f"layout = 1\n{head}[block]\n{keys}\n[fields]\n{listed}\n"


CROSS = layout(
    'stub = "lot"\nacross = ["container", "grade"]\nvalue = "n"\ntotals = "Sum"',
    "lot container grade n:integer",
)
YEARS = layout('stub = "item"\nacross = "year"\nvalue = "n"', "item year:integer n:integer")
LIST = layout('totals = "Total*"', "site agent n:integer")
PLAIN = layout("", "dept n:integer")


@dataclass(frozen=True)
class Form:
    """A tab, what reads it, the records that come of it by some fields, and its findings."""

    picture: str
    layout: str
    fields: str
    records: list[tuple[Any, ...]]
    told: list[tuple[str, str]]
    """Code and cell of each."""


FORMS = {
    # --- rows among the headings (no level may be made of them) -------------------------------
    "a record pasted among the headings": Form(
        """
        . | Pot 95 | . | Pot 60 | .
        L1 | 9011 | 9012 | 9013 | 9014
        Lot | A | B | A | B
        L1 | 1 | 2 | 3 | 4
        """,
        CROSS,
        "container grade n",
        [("Pot 95", "A", 1), ("Pot 95", "B", 2), ("Pot 60", "A", 3), ("Pot 60", "B", 4)],
        [("level-row-refused", "A2")],
    ),
    "sums among the headings": Form(
        """
        . | Pot 95 | . | Pot 60 | .
        . | 6 | 8 | 10 | 12
        Lot | A | B | A | B
        L1 | 1 | 2 | 3 | 4
        """,
        CROSS,
        "container grade n",
        [("Pot 95", "A", 1), ("Pot 95", "B", 2), ("Pot 60", "A", 3), ("Pot 60", "B", 4)],
        [("level-row-refused", "B2")],
    ),
    "years as a level": Form(
        """
        . | 2025 | . | 2026 | .
        Lot | A | B | A | B
        L1 | 1 | 2 | 3 | 4
        """,
        CROSS.replace('container = "text"', 'container = "integer"'),
        "container grade n",
        [(2025, "A", 1), (2025, "B", 2), (2026, "A", 3), (2026, "B", 4)],
        [],
    ),
    # --- headings and titles between tables -----------------------------------------------------
    "headings are never a record": Form(
        """
        Item | 1997 | 1998
        Wages | 1 | 2
        Income (€) | 1997 | 1998
        Wages | 7 | 8
        """,
        YEARS,
        "item year n",
        [("Wages", 1997, 1), ("Wages", 1998, 2), ("Wages", 1997, 7), ("Wages", 1998, 8)],
        [("headings-as-record", "A3")],
    ),
    "a label between equal headings": Form(
        """
        Depot: Line A | .
        name | amount
        x | 5
        .
        Depot: Line B | .
        name | amount
        y | 7
        """,
        layout("repeat = true", "line name amount:integer", 'line = { right_of = "Depot" }'),
        "line name amount",
        [("Line A", "x", 5), ("Line B", "y", 7)],
        [],
    ),
    "the label of one of two tables side by side is gone": Form(
        """
        . | . | . | Depot | Line B
        .
        name | amount | . | name | amount
        x | 5 | . | y | 7
        """,
        layout("repeat = true", "line name amount:integer", 'line = { right_of = "Depot" }'),
        "line name amount",
        [(None, "x", 5), ("Line B", "y", 7)],
        [("stamp-not-found", "A3")],
    ),
    "a label below two tables side by side": Form(
        """
        name | amount | . | name | amount
        x | 5 | . | y | 7
        .
        Counted by | Ada | . | . | .
        """,
        layout("repeat = true", "by name amount:integer", 'by = { right_of = "Counted by" }'),
        "by name amount",
        [("Ada", "x", 5), ("Ada", "y", 7)],
        [],
    ),
    "a label below the second of two tables": Form(
        """
        name | amount | . | name | amount
        x | 5 | . | y | 7
        .
        . | . | . | Counted by | Ada
        """,
        layout("repeat = true", "by name amount:integer", 'by = { right_of = "Counted by" }'),
        "by name amount",
        [(None, "x", 5), (None, "y", 7), (None, "Counted by", None)],
        [("stamp-not-found", "A1"), ("stamp-not-found", "D1"), ("value-not-converted", "E4")],
    ),
    "facts between equal headings": Form(
        """
        Item | a
        name | amount
        x | 5
        Item | b
        name | amount
        y | 7
        Item | c
        name | amount
        z | 9
        """,
        layout("repeat = true", "item name amount:integer", 'item = { right_of = "Item" }'),
        "item name amount",
        [("a", "x", 5), ("b", "y", 7), ("c", "z", 9)],
        [],
    ),
    "the same page goes on": Form(
        """
        Item | a
        name | amount
        x | 5
        name | amount
        y | 7
        """,
        layout("repeat = true", "item name amount:integer", 'item = { right_of = "Item" }'),
        "item name amount",
        [("a", "x", 5), ("a", "y", 7)],
        [],
    ),
    "tables that differ by their corner": Form(
        """
        All people | Unit | 2001 | 2002
        a | kg | 2 | 3
        .
        Screened | Unit | 2001 | 2002
        a | kg | 4 | 5
        """,
        layout(
            'repeat = true\ncolumns = ["item", "unit"]\nfound_by = ["2001", "2002"]\n'
            'across = "year"\nvalue = "n"',
            "item unit year:integer n:integer",
        ),
        "item n",
        [("a", 2), ("a", 3), ("a", 4), ("a", 5)],
        [("corner-differs", "A1")],
    ),
    # --- totals ---------------------------------------------------------------------------------
    "texts above a total": Form(
        """
        Day | Site | Amount
        1 | a | kr 12,50
        2 | b | kr 8,-
        Total | . | 20.5
        """,
        layout('totals = "Total"', "day site amount"),
        "day amount",
        [("1", "kr 12,50"), ("2", "kr 8,-")],
        [("total-over-texts", "C4")],
    ),
    "a record that a pattern of totals takes": Form(
        """
        Site | Agent | N
        Quay | Ann | 3
        Pier | Joe | 5
        Totality House | Bo | 4
        Total | . | 12
        """,
        LIST,
        "site n",
        [("Quay", 3), ("Pier", 5)],
        [("total-doubtful", "A4"), ("total-differs", "C5")],
    ),
    "named as a total, and nearly one": Form(
        """
        Dept | N
        Ops | 40
        Roads | 51
        Total | 93
        """,
        PLAIN,
        "dept n",
        [("Ops", 40), ("Roads", 51), ("Total", 93)],
        [("total-likely", "A4")],
    ),
    "named as a total, and far from one": Form(
        """
        Dept | N
        Ops | 40
        Roads | 51
        Total Energies | 12
        """,
        PLAIN,
        "dept n",
        [("Ops", 40), ("Roads", 51), ("Total Energies", 12)],
        [],
    ),
    "a sum above its members": Form(
        """
        Dept | N
        Ops | 77
        Finance | 323
        f0 | 41
        f1 | 52
        f2 | 33
        f3 | 64
        f4 | 45
        f5 | 48
        f6 | 40
        Roads | 80
        Parks | 5
        """,
        PLAIN,
        "dept n",
        [("Ops", 77), ("Finance", 323), ("f0", 41), ("f1", 52), ("f2", 33), ("f3", 64),
         ("f4", 45), ("f5", 48), ("f6", 40), ("Roads", 80), ("Parks", 5)],
        [("total-likely", "A3")],
    ),
    "a cost that is pieces times a constant": Form(
        """
        Item | Pieces | Cost
        a | 1 | 7
        b | 2 | 14
        K1 | 3 | 21
        c | 8 | 56
        d | 5 | 35
        """,
        layout("", "item pieces:integer cost:integer"),
        "item pieces",
        [("a", 1), ("b", 2), ("K1", 3), ("c", 8), ("d", 5)],
        [],
    ),
    "a mean is no sum": Form(
        """
        Item | Pieces
        a | 10
        b | 20
        c | 33
        Mean | 21
        """,
        layout('totals = ["Total", "Mean"]', "item pieces:integer"),
        "item pieces",
        [("a", 10), ("b", 20), ("c", 33)],
        [],
    ),
    "a mean that is none": Form(
        """
        Item | Pieces
        a | 10
        b | 20
        c | 33
        Mean | 25
        """,
        layout('totals = ["Total", "Mean"]', "item pieces:integer"),
        "item pieces",
        [("a", 10), ("b", 20), ("c", 33)],
        [("total-differs", "B5")],
    ),
    "a row of sums without a label": Form(
        """
        Site | N | M
        Quay | 3 | 1
        Pier | 5 | 2
        . | 8 | 3
        """,
        layout('totals = [""]', "site n:integer m:integer"),
        "site n",
        [("Quay", 3), ("Pier", 5)],
        [],
    ),
    "a row without a label that is no sum": Form(
        """
        Site | N | M
        Quay | 3 | 1
        Pier | 5 | 2
        . | 9 | 3
        """,
        layout('totals = [""]', "site n:integer m:integer"),
        "site n",
        [("Quay", 3), ("Pier", 5)],
        [("total-differs", "B4")],
    ),
    "a row of sums that is a record": Form(
        """
        Site | N | M
        Quay | 300 | 100
        Pier | 500 | 203
        Total mix | 800 | 303
        """,
        layout('not_totals = "Total mix"', "site n:integer m:integer"),
        "site n",
        [("Quay", 300), ("Pier", 500), ("Total mix", 800)],
        [],
    ),
    # --- words that forms need ------------------------------------------------------------------
    "a named group without members": Form(
        """
        Site | N | M
        Domestic | . | .
        Quay | 3 | 1
        Foreign | . | .
        """,
        layout(
            'group_row = { field = "c", named = ["Domestic", "Foreign"] }',
            "c site n:integer m:integer",
        ),
        "c site n",
        [("Domestic", "Quay", 3)],
        [("group-empty", "A4")],
    ),
    "parts between rows of dashes": Form(
        """
        Site | N
        Quay | 3
        --- | .
        Pier | 5
        *** | .
        Mole | 6
        """,
        layout(
            'parts = { at = ["---*", "[*][*][*]*"], field = "part" }',
            "site n:integer part:integer",
        ),
        "part site n",
        [(1, "Quay", 3), (2, "Pier", 5), (3, "Mole", 6)],
        [],
    ),
    "the last rows alone": Form(
        """
        Site | N
        Quay | 3
        Pier | 5
        Mole | 6
        """,
        layout("last_rows = 2", "site n:integer"),
        "site n",
        [("Pier", 5), ("Mole", 6)],
        [],
    ),
    "the largest rows alone": Form(
        """
        Site | N
        Quay | 3
        Pier | 40
        Mole | 9
        Total | 52
        """,
        layout('totals = "Total"\nlargest = { by = "n", rows = 2 }', "site n:integer"),
        "site n",
        [("Pier", 40), ("Mole", 9)],
        [],
    ),
    "what lies below and beside": Form(
        """
        Site | N | . | Other | Z
        Quay | 3 | . | q | 1
        Pier | 4 | . | r | 2
        End | .
        Mole | 9
        """,
        layout('ends_at = "End"\nbelow = "leave out"\nbeside = "leave out"', "site n:integer"),
        "site n",
        [("Quay", 3), ("Pier", 4)],
        [],
    ),
    "an optional table that is not there": Form(
        """
        Kind | Weight
        a | 3
        """,
        layout('optional = true\nstub = "site"', "site n:integer"),
        "site n",
        [],
        [("numbers-unplaced", "B2")],
    ),
    "an optional heading that is not there": Form(
        """
        Site | N
        a | 3
        """,
        layout('stub = ["site", "hall"]', "site n:integer").replace(
            "[fields]", '[fields]\nhall = { type = "text", optional = true }'
        ),
        "site hall n",
        [("a", None, 3)],
        [],
    ),
    "lines of an interface": Form(
        """
        H | 2026-04 | Frostmo
        D | L1 | 3
        D | L2 | 4
        T | 2 | 7
        """,
        layout(
            'headings = 0\ncolumns = ["-", "lot", "n"]\nonly_rows = "D"\n'
            'control = { line = "T", count = 2, sums = { n = 3 } }',
            "month:month site lot n:integer",
            'month = { right_of = "H" }\nsite = { right_of = "H", places = 2 }',
        ),
        "site lot n",
        [("Frostmo", "L1", 3), ("Frostmo", "L2", 4)],
        [],
    ),
    "lines that do not add up": Form(
        """
        D | L1 | 3
        D | L2 | 4
        T | 3 | 13
        """,
        layout(
            'headings = 0\ncolumns = ["-", "lot", "n"]\nonly_rows = "D"\n'
            'control = { line = "T", count = 2, sums = { n = 3 } }',
            "lot n:integer",
        ),
        "lot n",
        [("L1", 3), ("L2", 4)],
        [("control-differs", "B3"), ("control-differs", "C3")],
    ),
    "units by factors": Form(
        """
        Lot | Weight
        a | 5 kg
        b | 2 t
        c | 7
        """,
        layout("", "lot").replace(
            "[fields]",
            '[fields]\nw = { type = "integer", also = "Weight", unit = { kg = 1, t = 1000 } }',
        ),
        "lot w",
        [("a", 5), ("b", 2000), ("c", 7)],
        [],
    ),
    "units named by the headings of values": Form(
        """
        . | Q1 | . | Q2
        Lot | W (t) | X | W (kg)
        a | 1 | 2 | 3
        b | 4 | 5 | six
        """,
        layout('stub = "lot"\nacross = "q"\nvalue = ["w", "x"]', "lot q x:integer").replace(
            "[fields]", '[fields]\nw = { type = "integer", unit = { kg = 1, t = 1000 } }'
        ),
        "lot q w x",
        [("a", "Q1", 1000, 2), ("a", "Q2", 3, None), ("b", "Q1", 4000, 5), ("b", "Q2", None, None)],
        [("value-not-converted", "D4")],
    ),
    "a unit named by the heading of a level": Form(
        """
        Lot | Q1 (t) | Q2
        a | 1 | 2
        Total | 1 | 2
        """,
        layout('stub = "lot"\nacross = "q"\nvalue = "w"\ntotals = "Total"', "lot q").replace(
            "[fields]", '[fields]\nw = { type = "integer", unit = { kg = 1, t = 1000 } }'
        ),
        "lot q w",
        [("a", "Q1 (t)", 1000), ("a", "Q2", 2)],
        [],
    ),
    "currencies before and behind": Form(
        """
        Lot | Price
        a | kr 12,50
        b | 8,-
        c | 3,25 kr
        """,
        layout("", "lot").replace(
            "[fields]",
            '[fields]\nprice = { type = "decimal(2)", unit = ["kr", ",-"], decimal_mark = "," }',
        ),
        "lot price",
        [("a", "12.50"), ("b", "8.00"), ("c", "3.25")],
        [],
    ),
    "half a cent": Form(
        """
        Lot | Price
        a | 1.005
        b | -1.005
        c | 2.004
        """,
        layout("", "lot price:decimal(2)"),
        "lot price",
        [("a", "1.01"), ("b", "-1.01"), ("c", "2.00")],
        [("values-rounded", "B2")],
    ),
    "narrower than its columns": Form(
        "a",
        layout(
            'at = "A1"\ncolumns = ["x", "y", "z"]\nacross = ["yr", "grade"]\nvalue = "n"',
            "x y z yr:integer grade n:integer",
        ),
        "x",
        [],
        [("block-not-found", "A1")],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", FORMS)
def test_a_form_is_read_or_told(name: str) -> None:
    form = FORMS[name]
    reading = read(sheet("\n".join(one.strip() for one in form.picture.split("\n"))), form.layout)
    records = [
        tuple(str(one) if hasattr(one, "quantize") else one for one in record)
        for record in values(reading, *form.fields.split())
    ]
    assert records == form.records
    told = [(one.code, one.cell) for one in reading.findings if one.code in codes(reading)]
    assert told == form.told


@pytest.mark.parametrize("between", [".", "Lines"])
def test_facts_that_run_down_end_where_the_list_begins_and_the_list_before_the_next_facts(
    between: str,
) -> None:
    layout = """layout = 1
[[block]]
into = "facts"
turned = true
repeat = true
stub = "item"
[[block]]
into = "lines"
repeat = true
stub = "name"
[fields]
item = "text"
amount = "number"
name = "text"
qty = "integer"
"""
    picture = f"""
item   | a
amount | 100
{between}
name   | qty
x      | 1
y      | 2
item   | b
amount | 200
{between}
name   | qty
z      | 3
"""
    reading = read(sheet(picture), layout)
    facts, lines = (reading.tables[name].to_pylist() for name in ("facts", "lines"))
    assert [(one["item"], one["amount"]) for one in facts] == [("a", 100), ("b", 200)]
    assert [(one["name"], one["qty"]) for one in lines] == [("x", 1), ("y", 2), ("z", 3)]
    assert codes(reading) == []
