"""Rows that name groups: by their names or their shape, nested, with totals that are compared."""

from __future__ import annotations

import pytest

from boreotabula.reading.account.roles import Role
from helpers import codes, read, sheet, values

FIELDS = '\n[fields]\n{}\nyear = "text"\nn = "integer"\n'
CROSS = 'layout = 1\n[block]\nacross = "year"\nvalue = "n"\n'


def layout(block: str, *fields: str) -> str:
    return CROSS + block + FIELDS.format("\n".join(f'{one} = "text"' for one in fields))


REGIONS = layout(
    'stub = "town"\ngroup_row = [{ field = "country", named = "Land *" },'
    ' { field = "region", named = "Region *" }]',
    "country", "region", "town",
)  # fmt: skip
SUMS = layout('stub = "lot"\ngroup_row = "species"', "species", "lot")
TWO_STUBS = layout('stub = ["species", "lot"]\ngroup_row = "class"', "class", "species", "lot")


def test_an_outer_group_ends_the_inner_one() -> None:
    picture = """
Town     | 2025
Land A   | 6
Region 1 | 3
Lia      | 1
Myr      | 2
Land B   | 3
Nes      | 3
"""
    reading = read(sheet(picture), REGIONS)
    assert values(reading, "country", "region", "town", "n") == [
        ("Land A", "Region 1", "Lia", 1), ("Land A", "Region 1", "Myr", 2),
        ("Land B", None, "Nes", 3),
    ]  # fmt: skip
    # Nothing names the region of the last town: that is told. Land A sums up both its towns.
    assert sorted(codes(reading)) == ["group-missing", "total-differs"]
    assert "6 in B2 is 3 more than the 3" in next(
        one.message for one in reading.findings if one.code == "total-differs"
    )


@pytest.mark.parametrize(
    ("text", "picture", "records", "told"),
    [
        (SUMS, "Lot|2025\nPine|300\nL1|100\nL2|200\nBirch|70\nL3|70", 3, []),
        (SUMS, "Lot|2025|2026\nPine|30|9\nL1|10|4\nL2|20|5\nBirch|8|1\nL3|7|1\nAlder|9|3\nL4|9|3",
         8, ["total-differs"]),
        (SUMS, "Lot|2025\nA|2\nL1|2", 1, ["row-unclear"]),  # small numbers may be equal by chance
        (SUMS, "Lot|2025\nPine|.\nL1|5\nL2|5", 2, []),  # names of their own need no sums
        (SUMS, "Lot|2025\nPine|30\nL1|11\nL2|20", 3, ["group-missing"]),
        (TWO_STUBS, "Species|Lot|2025\nConifer|.|30\nPine|L1|10\nSpruce|L2|20", 2, []),
        (TWO_STUBS, "Species|Lot|2025\nConifer|.|30\nPine|L1|10\nFir|L2|20\nLeafed|.|9\nAlder|L3|8",
         3, ["total-differs"]),
        (REGIONS, "Town|2025\nLand A|5\nRegion 1|5\nLia|5\nRegion 2|4", 1, ["group-doubtful"]),
        (REGIONS, "Town|2025\nLand A|5\nRegion 1|n/a\nLia|5", 1, ["cells-unplaced"]),
        (REGIONS, "Town|2025\nLand A|5\nRegion 1|4\nRegion 2|1\nLia|5", 1,
         ["group-doubtful", "total-differs"]),
    ],
)  # fmt: skip
def test_a_group_that_is_no_sum_of_its_lines_is_told(
    text: str, picture: str, records: int, told: list[str]
) -> None:
    reading = read(sheet(picture), text)
    assert reading.records.num_rows == records
    assert sorted(set(codes(reading))) == told
    # What stands in a row that names a group never counts as a value.
    numbers = sum(one is not None for one in reading.records.column("n").to_pylist())
    assert reading.account.roles[Role.VALUE] == numbers


def test_a_group_may_have_a_line_number_and_a_merged_name() -> None:
    block = 'stub = ["no", "town"]\ngroup_row = { field = "region", named = "Region *" }'
    text = layout(block, "region", "no", "town")
    picture = "No | Town | 2025\n1 | Region 1 | 3\n2 | Lia | 3\n3 | Region 2 | .\n4 | Nes | 4"
    reading = read(sheet(picture), text)
    assert values(reading, "region", "no", "town") == [
        ("Region 1", "2", "Lia"), ("Region 2", "4", "Nes"),
    ]  # fmt: skip
    assert codes(reading) == [] and reading.account.left_out == {"group_row": 2}
    merged = "Town | 2025\nRegion 1 | .\nLia | 3"
    one_stub = layout(block.replace('["no", "town"]', '"town"'), "region", "town")
    assert values(read(sheet(merged, ["A2:B2"]), one_stub), "region", "town") == [
        ("Region 1", "Lia")
    ]


LIST = """layout = 1
[block]
group_row = {{ field = "class", named = ["Conifers", "Leafed"] }}
{}
[fields]
class = "text"
no = "text"
species = "text"
pieces = "integer"
"""


def test_groups_of_a_list_have_totals_as_well() -> None:
    picture = "No|Species|Pieces\n1|Conifers|7\n2|Pine|3\n3|Larch|4\n4|Leafed|5\n5|Alder|6"
    reading = read(sheet(picture), LIST.format('stub = "species"'))
    expected = [
        ("Conifers", "2", "Pine", 3),
        ("Conifers", "3", "Larch", 4),
        ("Leafed", "5", "Alder", 6),
    ]
    assert values(reading, "class", "no", "species", "pieces") == expected
    assert codes(reading) == ["total-differs"]
    assert values(read(sheet(picture), LIST.format("")), "class", "species") == [
        row[::2] for row in expected
    ]


ACROSS = 'across = "year"\nvalue = "n"'


@pytest.mark.parametrize(
    ("block", "picture"),
    [
        (f'stub = "place"\n{ACROSS}', "Place|2025\n{}|1"),
        (f'stub = "town"\ngroup_row = "place"\n{ACROSS}', "Town|2025\n{}|.\nLia|1"),
        ('stub = "town"\nacross = "place"\nvalue = "n"', "Town|{}\nLia|1"),
        ('stub = "town"', "Town|Place\nLia|{}"),
        ('stub = "town"\n[stamps]\nplace = { right_of = "Site" }', "Site|{}\n.\nTown|n\nLia|1"),
    ],
    ids=["stub", "group", "heading", "column", "stamp"],
)
def test_texts_keep_their_white_space_wherever_they_stand(block: str, picture: str) -> None:
    text = f"layout = 1\n[block]\n{block}" + FIELDS.format('place = "text"\ntown = "text"')
    on = sheet(picture.format("Old  harbour"))
    assert values(read(on, text), "place") == [("Old  harbour",)]


FIRST = """layout = 1
[block]
headings = 0
columns = ["time", "-", "humidity"]
[fields]
time = "time"
humidity = "integer"
"""


@pytest.mark.parametrize(
    ("first", "told"),
    [
        ("Time | Temp | Humidity", ["heading-row-met"]),
        ("at | t | rh", ["heading-row-met"]),
        ("Humidity | Temp | Time", ["heading-contradicts"]),
        ("06:00 | 3 | n/a", ["value-not-converted"]),
        ("06:00 | 3 | 80", []),
    ],
)
def test_a_heading_row_where_there_should_be_none_makes_no_record(
    first: str, told: list[str]
) -> None:
    reading = read(sheet(f"{first}\n07:00 | 4 | 81\n08:00 | 5 | 82"), FIRST)
    heading = bool(told) and told[0].startswith("heading")
    assert reading.records.num_rows == 3 - heading and codes(reading) == told


def test_columns_of_a_file_need_no_line_in_fields() -> None:
    from boreotabula.layout.parsing import parse_layout

    text = 'layout = 1\n[block]\ncolumns = { file = "names.txt" }\n[fields]\npieces = "integer"\n'
    spec = parse_layout(text, "a.toml", lambda _: ["lot", "-", "pieces", "remark"])
    assert {name: one.type for name, one in spec.fields.items()} == {
        "pieces": "integer", "lot": "text", "remark": "text",
    }  # fmt: skip
