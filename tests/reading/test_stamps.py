"""Stamps wherever they stand; and what is said when they are not there."""

from __future__ import annotations

import pytest

from boreotabula.reading.account.roles import Role
from helpers import codes, read, sheet, values

LAYOUT = """
layout = 1
[stamps]
nursery = {{ {nursery} }}
month = {{ {month} }}
[fields]
nursery = "text"
month = "month"
"""
MONTH = 'value = "2026-04"'
TITLE = "Stock report – Frostmo – April 2026"


@pytest.mark.parametrize(
    ("stamp", "picture", "merges"),
    [
        ('cell = "B1"', "Nursery | Frostmo", []),
        ('cell = "C1"', "Nursery | Frostmo", ["B1:D1"]),
        ('cell = "B1", labelled = "Nursery"', "Nursery: | Frostmo", []),
        ('cell = "A2", labelled = ["Sted", "Nursery"]', "Nursery:\nFrostmo", []),
        ('right_of = "Nursery"', "x | Nursery: | . | Frostmo", []),
        ('right_of = ["Sted", "Nursery"]', "NURSERY | . | . | Frostmo", ["A1:C1"]),
        ('right_of = "Nursery"', "Nursery: Frostmo", []),
        ('right_of = "Nurs*"', "Nursery: Frostmo | Lomlia", []),
        ('below = "Nursery"', "Nursery | y\n. | .\nFrostmo | z", ["A1:A2"]),
        ('from = "file name", pattern = "{}_stock"', "x", []),
        ('from = "folder name"', "x", []),
        ('from = "tab name", pattern = "{} *"', "x", []),
        ('value = "Frostmo"', "x", []),
        ('right_of = "Nursery", default = "Frostmo"', "x", []),
        ('cell = "A1", pattern = "Stock report – {} – *"', TITLE, []),
    ],
)
def test_a_stamp_is_found(stamp: str, picture: str, merges: list[str]) -> None:
    texts = {"file name": "Frostmo_stock", "folder name": "Frostmo", "tab name": "Frostmo 2"}
    text = LAYOUT.format(nursery=stamp, month=MONTH)
    reading = read(sheet(picture, merges), text, texts=texts)
    assert values(reading, "nursery") == [("Frostmo",)]
    assert [code for code in codes(reading) if code != "stamp-default"] == []
    assert reading.account.filled == sum(reading.account.roles.values())


@pytest.mark.parametrize(
    ("stamp", "picture", "code", "found"),
    [
        ('cell = "B1"', "Nursery", "stamp-blank", "blank"),
        ('cell = "B1", labelled = "Nursery"', "Month | Frostmo", "stamp-label-differs", "Month"),
        ('right_of = "Nursery"', "Sted | Frostmo", "stamp-not-found", "no such label"),
        ('right_of = "Nursery"', "Nursery: | Month: | May", "stamp-blank", "blank"),
        ('right_of = "Nurs*"', "Nursery | A\nNurse | B", "stamp-found-twice", "B1 and B2"),
        ('name = "site"', "x", "stamp-not-found", "no such name"),
        ('cell = "A1", pattern = "Report of {}"', "Frostmo", "stamp-pattern-differs", "Frostmo"),
    ],
)
def test_a_stamp_that_is_not_there_is_said(stamp: str, picture: str, code: str, found: str) -> None:
    reading = read(sheet(picture), LAYOUT.format(nursery=stamp, month=MONTH))
    assert [(one.code, one.found) for one in reading.findings][:1] == [(code, found)]
    assert values(reading, "nursery") == [(None,)]
    optional = read(sheet(picture), LAYOUT.format(nursery=f"{stamp}, optional = true", month=MONTH))
    absent = code in ("stamp-blank", "stamp-not-found")
    assert (code not in codes(optional)) == absent


def test_one_title_gives_two_stamps() -> None:
    text = LAYOUT.format(
        nursery='cell = "A1", pattern = "Stock report – {} – *"',
        month='cell = "A1", pattern = "Stock report – * – {}"',
    )
    reading = read(sheet(TITLE), text)
    assert [(a, str(b)) for a, b in values(reading, "nursery", "month")] == [
        ("Frostmo", "2026-04-01")
    ]
    assert values(reading, "source_cell") == [("A1",)]
    assert reading.account.roles[Role.STAMP] == 1


def test_the_same_label_with_the_same_value_is_no_trouble() -> None:
    text = LAYOUT.format(nursery='right_of = "Nursery"', month=MONTH)
    reading = read(sheet("Nursery | Frostmo\nNursery | Frostmo"), text)
    assert values(reading, "nursery") == [("Frostmo",)]


def test_a_heading_is_no_value_of_a_label_above_it() -> None:
    text = """
layout = 1
[stamps]
nursery = { below = "Nursery" }
[block]
stub = "species"
across = "grade"
value = "seedlings"
[fields]
nursery = "text"
species = "text"
grade = "text"
seedlings = "integer"
"""
    reading = read(sheet("Nursery\n.\nSpecies | A\nPine | 1"), text)
    assert codes(reading) == ["stamp-blank"]
    assert values(reading, "nursery", "species", "seedlings") == [(None, "Pine", 1)]


def test_a_label_beside_a_table_has_its_value_though_it_is_level_with_the_headings() -> None:
    text = LAYOUT.format(nursery='right_of = "Nursery"', month='right_of = "Month"')
    text += '[block]\n[fields.lot]\ntype = "text"\n[fields.pieces]\ntype = "integer"\n'
    picture = "Lot | Pieces | . | Nursery | Frostmo\nA | 1 | . | Month | 2026-04\nB | 2 | . | . | ."
    reading = read(sheet(picture), text)
    assert values(reading, "nursery", "lot", "pieces") == [("Frostmo", "A", 1), ("Frostmo", "B", 2)]
    assert codes(reading) == [] and reading.account.roles[Role.UNPLACED] == 0
    # A column beyond the gap that no stamp speaks for is still told.
    other = picture.replace("Nursery | Frostmo", "Height | Frostmo")
    assert "heading-beyond-gap" in codes(read(sheet(other), text))
