"""Where tables stand that have no headings over their first columns: each is read cell by cell."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.layout.addresses import Address
from boreotabula.sheets.sheet import make_sheet
from helpers import codes, read, sheet, values

FIELDS = """
[fields]
title = "text"
corner = "text"
country = "text"
region = "text"
class = "text"
species = "text"
year = "text"
grade = "text"
seedlings = "integer"
"""

Grid = dict[tuple[int, int], Any]


@st.composite
def tables(draw: st.DrawFn) -> tuple[str, Grid, list[tuple[Any, ...]]]:
    """A layout, the cells of a tab with one or more tables, and the records they give."""
    names = draw(st.sampled_from([["species"], ["class", "species"]]))
    levels = draw(st.sampled_from([["year"], ["year", "grade"], ["year", "-", "grade"]]))
    found_by = draw(st.booleans())
    corner = draw(st.booleans()) and not found_by
    gap = draw(st.booleans()) and levels == ["year", "grade"]
    nested = draw(st.booleans())
    heads = [("2025", "A"), ("2025", "B"), ("2026", "A"), ("2026", "B")]
    grid: Grid = {(0, 0): "Stock of Lomlia"}
    expected: list[tuple[Any, ...]] = []
    number = iter(range(101, 10_000))
    top = left = deep = 0
    for at in range(draw(st.integers(1, 4))):
        if at == 0 or draw(st.booleans()):  # below the others, or beside the last one
            top, left = deep + 2, draw(st.integers(0, 2))
        row = top
        caption = f"Table {at}"
        grid[row, left] = f"{caption}: stock"
        row += draw(st.integers(1, 2)) if not corner else 0
        for level in levels:
            field = ("year", "grade").index(level) if level != "-" else None
            for place, labels in enumerate(heads):
                # Without other levels the headings of a table are all different.
                text = "pcs" if field is None else labels[field] if len(levels) > 1 else str(place)
                if level != "year" or len(levels) == 1 or place % 2 == 0:
                    grid[row, left + len(names) + place] = text
            row += 1 + (gap and level == "year")
        group = {"country": None, "region": None}
        for n in range(draw(st.integers(1, 4))):
            for name, text in (("country", f"Land {n}"), ("region", f"Region {n}")):
                if nested and (n % 2 == 0 or name == "region"):
                    group |= {"region": None, name: text} if name == "country" else {name: text}
                    grid[row, left] = text
                    row += 1
            texts = [f"{name}{n}" for name in names]
            for column, text in enumerate(texts):
                grid[row, left + column] = text
            for place, labels in enumerate(heads):
                if place == 0 or draw(st.booleans()):
                    spot = row, left + len(names) + place
                    grid[spot] = value = float(next(number))
                    label = labels if len(levels) > 1 else (str(place), None)
                    stub = texts if len(names) > 1 else [None, *texts]
                    expected.append(
                        (caption, *group.values(), *stub, *label, value, str(Address(*spot)))
                    )
            row += 1
        left, deep = left + len(names) + len(heads) + 1, max(deep, row)
    keys = [f"columns = {names}", f"across = {levels}", 'value = "seedlings"', "repeat = true"]
    keys += ['caption = "{title}: stock"']
    keys += [f"found_by = {['A', 'B'] if len(levels) > 1 else ['0', '3']}"] if found_by else []
    groups = '{ field = "country", named = "Land *" }, { field = "region", named = "Region *" }'
    keys += [f"group_row = [{groups}]"] if nested else []
    layout = "\n".join(["layout = 1", "[block]", *keys]).replace("'", '"') + FIELDS
    return layout, grid, expected


@given(tables())
def test_tables_without_a_heading_over_the_stub_read_back(case: Any) -> None:
    layout, grid, expected = case
    height, width = (max(spot[at] for spot in grid) + 1 for at in range(2))
    rows = [[grid.get((row, at), "") for at in range(width)] for row in range(height)]
    reading = read(make_sheet("T", rows, []), layout)
    names = ("title", "country", "region", "class", "species", "year", "grade", "seedlings",
             "source_cell")  # fmt: skip
    found = values(reading, *names)
    assert sorted(found, key=str) == sorted(expected, key=str)
    assert codes(reading) == []


POSITION = 'layout = 1\n[block]\nvalue = "seedlings"\n'
BARE = ".    | 2025 | 2026\nPine | 10   | 20"


@pytest.mark.parametrize(
    ("keys", "picture", "told"),
    [
        ('columns = ["class", "species"]\nacross = "year"\nfound_by = ["2025", "2026"]', BARE,
         "“2025” in B1 is over column 2 of the table, but `columns` names 2 columns"),
        ('columns = "species"\nacross = "year"\nfound_by = ["2025", "2027"]', BARE,
         "no row holds all of 2025, 2027"),
        ('columns = "species"\nacross = "year"\ncaption = "Table *"', BARE,
         "no cell of this tab matches the caption Table *"),
        ('columns = "species"\nacross = "year"\ncaption = "Table *"', "Table 1: stock",
         "there is no table below the caption in row 1"),
        ('columns = "species"\nacross = "year"\ncaption = "Table *"',
         "Table 1: stock\n" + BARE + "\n.\nTable 2: losses\n" + BARE,
         "the table was found in 2 places: the one at A1 was read, those from A5 on were not"),
        ('columns = "species"\nacross = "year"', BARE,
         "no heading over the leading columns of the cross-tab is known"),
        ('columns = "species"\nacross = ["grade", "year"]\nat = "A1"',
         "Year  | 2025 | 2026\nGrade | A | A\nPine | 10 | 20",
         "the headings beside “Year” were read as “grade”, but it names “year”"),
        ('columns = ["species", "class"]\nacross = "year"\nat = "A1"',
         "Class | Species | 2025\nConifer | Pine | 10",
         "`columns` reads this column as “species”, but its heading “Class” is that of “class”"),
    ],
)  # fmt: skip
def test_a_table_that_is_not_as_the_layout_says_is_told(keys: str, picture: str, told: str) -> None:
    reading = read(sheet(picture), f"{POSITION}{keys}\n{FIELDS}")
    (found,) = (one for one in reading.findings if told in one.message)
    assert found.severity == "error" and found.cell + found.looked_for


@pytest.mark.parametrize(
    ("keys", "picture", "expected"),
    [  # what stands beside, above or between must not be taken for a table or its headings
        ('caption = "Table *"', "Table 1 | . | 1000 pcs\n. | 2025 | 2026\nPine | 10 | 20", 2),
        ('caption = "Table *"', "Table 1\n(in pieces)\n. | 2025\nPine | 10", 1),
        ('caption = "Table *"', "Table 1\n. | . | pcs\n. | 2025 | 2026\nPine | 10 | 20", 2),
        ('caption = "Table *"', "Table 1\n.\n. | 2025 | 2026\n.\nPine | 10 | 20", 2),
        ('caption = "* (pcs)"', "Stock (pcs) | 2025 | 2026\nPine | 10 | 20", 2),
        ('found_by = "2025"', ". | 2025 | 2026\n.\nPine | 10 | 20\n.\nSource: Lia", 2),
        ('found_by = "2025"', "Month | 2026-04\n.\n. | 2025 | 2026\nPine | 10 | 20", 2),
        ('found_by = ["2026", "2025"]',
         "wet | . | . | .\n.\n. | . | 2025 | 2026\n. | Pine | 1 | 2\n.\nNote", 2),
    ],
)  # fmt: skip
def test_a_table_is_found_whatever_stands_about_it(keys: str, picture: str, expected: int) -> None:
    keys = f'columns = "species"\nacross = "year"\n{keys}'
    reading = read(sheet(picture), f"{POSITION}{keys}\n{FIELDS}")
    found = values(reading, "species", "year", "seedlings")
    assert [one[:2] for one in found] == [("Pine", "2025"), ("Pine", "2026")][:expected]
    assert not {"error", "warning"} & {str(one.severity) for one in reading.findings}


@pytest.mark.parametrize(
    "keys",
    ['columns = "species"\nfound_by = ["M1", "M2"]', 'columns = "species"\nfound_by = "kWh"',
     'columns = "species"\nat = "A1"', 'columns = "species"', 'stub = "species"'],
)  # fmt: skip
def test_a_row_of_units_below_the_levels_is_passed_over(keys: str) -> None:
    corner = "." if "found" in keys or "at" in keys else "Species"
    picture = (
        f"{corner} | North | . | South\n. | M1 | M2 | M1\n. | kWh | kWh | m3\nPine | 1 | 2 | 3"
    )
    fields = FIELDS.replace('class = "text"', 'station = "text"')
    layout = f'{POSITION}{keys}\nacross = ["station", "grade", "-"]\n{fields}'
    reading = read(sheet(picture, ["B1:C1"]), layout)
    assert values(reading, "species", "station", "grade", "seedlings") == [
        ("Pine", "North", "M1", 1), ("Pine", "North", "M2", 2), ("Pine", "South", "M1", 3),
    ]  # fmt: skip
    assert codes(reading) == []


def test_a_caption_that_can_be_parted_in_two_ways_is_told() -> None:
    keys = 'columns = "species"\nacross = "year"\ncaption = "{title}, {corner}"'
    picture = "Losses, {}pcs\n. | 2025\nPine | 10"
    plain = read(sheet(picture.format("")), f"{POSITION}{keys}\n{FIELDS}")
    assert codes(plain) == [] and values(plain, "title", "corner") == [("Losses", "pcs")]
    reading = read(sheet(picture.format("frost, ")), f"{POSITION}{keys}\n{FIELDS}")
    (found,) = (one for one in reading.findings if one.code == "name-ambiguous")
    assert found.cell == "A1" and "corner = “frost, pcs” was used" in found.message


def test_six_tables_side_by_side_are_blocks_of_their_own() -> None:
    keys = ('stub = "species"', 'columns = "species"')
    blocks = "".join(
        f'[[block]]\ncaption = "Fig {at}*"\n{keys[at % 2]}\nacross = "year"\nvalue = "v{at}"\n'
        for at in range(6)
    )
    fields = "".join(f'v{at} = "integer"\n' for at in range(6))
    heads = ("Species", ".", "Species")
    rows = []
    for line in range(2):
        figures = range(3 * line, 3 * line + 3)
        rows += [
            " | . | ".join(f"Fig {at} sown | ." for at in figures),
            " | . | ".join(f"{heads[at % 2] if at % 2 else 'Species'} | 2026" for at in figures),
            " | . | ".join(f"Pine | {at + 1}" for at in figures),
            ".",
        ]
    picture = "\n".join(rows)
    reading = read(sheet(picture), f"layout = 1\n{blocks}{FIELDS}{fields}")
    assert [
        next(one for one in row if one is not None)
        for row in values(reading, *(f"v{at}" for at in range(6)))
    ] == [1, 2, 3, 4, 5, 6]
    assert codes(reading) == [] and reading.account.filled == sum(reading.account.roles.values())
