"""One tab: where the block is, what reaches where, what is a record, and what is said."""

from __future__ import annotations

import pytest

from boreotabula.reading.account.roles import Role
from boreotabula.sheets.sheet import Flaw, make_sheet
from helpers import codes, layout_text, read, sheet, values

CROSSTAB = """
Species | Lot | Pot 95 | .  | Pot 60 | .
.       | .   | A      | B  | A      | B
Spruce  | L1  | 10     | 20 | .      | 0
Pine    | L2  | 5      | .  | 7      | 8
"""
EXPECTED = [
    ("Spruce", "L1", "Pot 95", "A", 10), ("Spruce", "L1", "Pot 95", "B", 20),
    ("Spruce", "L1", "Pot 60", "B", 0), ("Pine", "L2", "Pot 95", "A", 5),
    ("Pine", "L2", "Pot 60", "A", 7), ("Pine", "L2", "Pot 60", "B", 8),
]  # fmt: skip
FIELDS = ("species", "lot", "container", "grade", "seedlings")

SUNK = """
.       | .   | Pot 95 | .  | Pot 60 | .
Species | Lot | A      | B  | A      | B
Spruce  | L1  | 10     | 20 | .      | 0
Pine    | L2  | 5      | .  | 7      | 8
"""


@pytest.mark.parametrize(
    ("picture", "merges"),
    [
        (CROSSTAB, []),
        (CROSSTAB, ["C1:D1", "E1:F1", "A1:A2", "B1:B2"]),
        (SUNK, []),
        (SUNK, ["C1:D1", "E1:F1"]),
        (SUNK.replace("Species | Lot", "ART: | lot *"), []),
        (SUNK.replace(".  | Pot 60 | .", "Pot 95 | Pot 60 | Pot 60"), []),
    ],
    ids=["stub on top", "stub merged down", "stub below", "merged heads", "also", "repeated heads"],
)
def test_a_cross_tab_becomes_records(picture: str, merges: list[str]) -> None:
    reading = read(sheet(picture, merges))
    assert values(reading, *FIELDS) == EXPECTED
    assert values(reading, "source_cell")[:3] == [("C3",), ("D3",), ("F3",)]
    assert codes(reading) == []
    assert reading.account.roles[Role.VALUE] == 6


def test_a_block_is_found_wherever_it_stands() -> None:
    rows = ["Stock-take", "", "Nursery: | Frostmo", ""]
    rows += [f". | . | {line}" for line in SUNK.strip().splitlines()]
    reading = read(sheet("\n".join(rows)))
    assert values(reading, *FIELDS) == EXPECTED
    assert values(reading, "source_cell")[0] == ("E7",)
    assert codes(reading) == []


def test_stub_headings_may_stand_on_different_heading_rows() -> None:
    picture = """
    Species | .   | Pot 95 | .
    .       | Lot | A      | B
    Spruce  | L1  | 1      | 2
    """
    assert values(read(sheet(picture)), "lot", "grade") == [("L1", "A"), ("L1", "B")]


def test_a_label_above_does_not_draw_the_block_up() -> None:
    picture = """
    Lot | of spring
    Species | Lot | Pot 95
    .       | .   | A
    Spruce  | L1  | 1
    """
    assert values(read(sheet(picture)), *FIELDS) == [("Spruce", "L1", "Pot 95", "A", 1)]


ONE_LEVEL = layout_text().replace('"container", "grade"', '"grade"')


def test_one_heading_level_and_numbers_as_headings() -> None:
    picture = """
    Species | Lot | 2017 | 2018
    Spruce  | L1  | 1    | 2
    """
    reading = read(sheet(picture), ONE_LEVEL)
    assert values(reading, "grade", "seedlings") == [("2017", 1), ("2018", 2)]


def test_headings_that_python_holds_for_equal_are_kept_apart() -> None:
    for cell, text in ((1.0, "1"), (True, "TRUE"), (1.0, "1")):
        rows = [["Species", "Lot", cell], ["Spruce", "L1", 5.0]]
        assert values(read(make_sheet("Bench 1", rows), ONE_LEVEL), "grade") == [(text,)]


def test_a_merged_heading_ends_where_its_cell_ends() -> None:
    picture = """
    .       | .   | Pot 95 | . | .
    Species | Lot | A      | B | A
    Spruce  | L1  | 1      | 2 | 3
    """
    reading = read(sheet(picture, ["C1:D1"]))
    assert values(reading, "container", "seedlings") == [("Pot 95", 1), ("Pot 95", 2), (None, 3)]
    assert codes(reading) == ["heading-level-blank"]
    assert reading.findings[0].cell == "E1"


TOTALS = layout_text(
    'carry_down = ["species"]\ntotals = ["Total*"]\nignore = ["Remarks"]\nends_at = ["Notes*"]'
)


def test_totals_remarks_notes_and_repeated_headings_are_no_records() -> None:
    picture = """
    Species      | Lot | A      | B | Total | Remarks
    Spruce       | L1  | 1      | 2 | 3     | dry
    .            | L2  | 4      | . | 4     | .
    Total spruce | .   | 5      | 2 | 7     | .

    Species      | Lot | A      | B | Total | Remarks
    Pine         | L3  | 6      | . | 6     | .
    TOTAL:       | .   | 11     | 2 | 13    | .
    Notes: 12 trays
    99           | .   | 1      | 1 | .     | .
    """
    one = TOTALS.replace('"container", "grade"', '"grade"')
    reading = read(sheet(picture), one)
    assert values(reading, "species", "lot", "grade", "seedlings") == [
        ("Spruce", "L1", "A", 1), ("Spruce", "L1", "B", 2), ("Spruce", "L2", "A", 4),
        ("Pine", "L3", "A", 6),
    ]  # fmt: skip
    assert codes(reading) == ["numbers-unplaced"]
    roles = reading.account.roles
    assert (roles[Role.TOTAL], roles[Role.HEADING], roles[Role.VALUE]) == (11, 10, 4)
    assert reading.account.left_out == {"ignore: Remarks": 3, "ends_at: Notes*": 1}
    assert [one.cell for one in reading.unplaced] == ["A10", "C10", "D10"]


def test_a_total_at_either_level_takes_its_whole_group_out() -> None:
    picture = """
    .       | .   | Pot 95 | .     | Total | .
    Species | Lot | A      | Total | A     | B
    Spruce  | L1  | 1      | 1     | 1     | 0
    """
    assert values(read(sheet(picture), TOTALS), "grade", "seedlings") == [("A", 1)]


def test_merged_stub_cells_speak_for_all_their_rows() -> None:
    picture = SUNK.replace("Pine ", ".    ")
    reading = read(sheet(picture, ["A3:A4"]))
    assert [row[0] for row in values(reading, "species")] == ["Spruce"] * 6


def test_values_in_a_row_without_stub_are_unplaced_with_an_error() -> None:
    reading = read(sheet(SUNK + ". | . | 15 | 20 | 7 | 8"))
    assert values(reading, *FIELDS) == EXPECTED
    assert codes(reading) == ["row-without-stub"]
    assert [one.text for one in reading.unplaced] == ["15", "20", "7", "8"]


def test_a_row_of_blanks_in_between_and_a_named_row_without_values_are_no_records() -> None:
    lines = SUNK.strip().splitlines()
    reading = read(
        sheet("\n".join([*lines[:3], "", "Birch | L9", lines[3], "", "Counted by | NN"]))
    )
    assert values(reading, *FIELDS) == EXPECTED
    assert reading.account.roles[Role.STUB] == 4
    assert reading.account.left_out == {"blank": 2}
    assert codes(reading) == ["row-without-value"]
    assert [(one.text, one.reason) for one in reading.unplaced] == [
        ("Counted by", "below the table"), ("NN", "below the table"),
    ]  # fmt: skip


def test_new_columns_join() -> None:
    reading = read(sheet(SUNK.replace("B\n", "B | New\n", 1).replace("0\n", "0 | 33\n", 1)))
    assert codes(reading) == []
    assert ("Spruce", "L1", "Pot 60", "New", 33) in values(reading, *FIELDS)


@pytest.mark.parametrize("lot", ["L", "4"])
@pytest.mark.parametrize("levels", [1, 2])
def test_a_renamed_stub_heading_is_an_error_and_its_cells_are_no_values(
    lot: str, levels: int
) -> None:
    lines = SUNK.replace("Lot |", "Batch |").replace("L1", f"{lot}1").replace("L2", f"{lot}2")
    picture = "\n".join(lines.strip().splitlines()[2 - levels :])
    reading = read(sheet(picture), layout_text() if levels == 2 else ONE_LEVEL)
    repeated = ["headings-repeated"] * 2 if levels == 1 else []
    assert codes(reading) == ["stub-heading-missing", "heading-unknown", *repeated]
    assert values(reading, "species", "lot", *FIELDS[4 - levels :]) == [
        (row[0], None, *row[4 - levels :]) for row in EXPECTED
    ]
    assert [one.text for one in reading.unplaced] == ["Batch", f"{lot}1", f"{lot}2"]


def test_an_unknown_heading_among_the_stubs_is_unplaced_with_an_error() -> None:
    picture = """
    .       | .    | .   | Pot 95
    Species | Year | Lot | A
    Spruce  | 2026 | L1  | 1
    """
    reading = read(sheet(picture))
    assert values(reading, *FIELDS) == [("Spruce", "L1", "Pot 95", "A", 1)]
    assert [(one.code, one.cell, one.found) for one in reading.findings] == [
        ("heading-unknown", "B2", "Year")
    ]
    assert [one.text for one in reading.unplaced] == ["Year", "2026"]


def test_another_known_field_is_read_beside_and_one_already_filled_is_refused() -> None:
    picture = """
    .       | .   | Pot 95 | .      | .
    Species | Lot | A      | Keeper | Nursery
    Spruce  | L1  | 1      | NN     | Lomlia
    """
    text = layout_text(fields='keeper = "text"\nnursery = "text"\n')
    text = text.replace("[block]", '[stamps]\nnursery = { cell = "Z1" }\n[block]')
    reading = read(sheet(picture), text)
    assert values(reading, "seedlings", "keeper", "nursery") == [(1, "NN", None)]
    assert codes(reading) == ["stamp-blank", "heading-taken"]


@pytest.mark.parametrize(
    ("cell", "reason"),
    [
        ("ca. 40", "“ca.” beside the number"),
        (1.5, "a fraction where a whole number belongs"),
        (True, "TRUE or FALSE where a whole number belongs"),
        (Flaw("#DIV/0!"), "an error value where a whole number belongs"),
    ],
)
def test_a_value_that_does_not_convert_keeps_its_record_and_is_said(
    cell: object, reason: str
) -> None:
    on = sheet(SUNK)
    on.rows[2][3] = cell  # type: ignore[index]
    reading = read(make_sheet("Bench 1", on.rows))  # type: ignore[arg-type]
    rows = values(reading, *FIELDS, "source_cell")
    assert rows[1] == ("Spruce", "L1", "Pot 95", "B", None, "D3")
    assert len(rows) == 6
    assert [(one.code, one.cell) for one in reading.findings] == [("value-not-converted", "D3")]
    assert [(one.cell, one.reason) for one in reading.unplaced] == [("D3", reason)]


def test_a_column_that_fails_alike_is_one_finding() -> None:
    picture = SUNK.replace("20 ", "ok ").replace("5      | . ", "5 | fine")
    reading = read(sheet(picture))
    assert codes(reading) == ["column-not-converted"]
    assert len(reading.unplaced) == 2


def test_numbers_under_no_heading_are_unplaced_with_an_error_and_texts_a_note() -> None:
    reading = read(sheet(SUNK.replace("0\n", "0 | 77 | see over\n", 1)))
    assert values(reading, *FIELDS) == EXPECTED
    assert codes(reading) == ["values-without-heading"]
    assert [one.text for one in reading.unplaced] == ["77", "see over"]


def test_headings_beyond_a_blank_column_are_said() -> None:
    reading = read(sheet(SUNK.replace("B\n", "B | . | C\n", 1).replace("0\n", "0 | . | 5\n", 1)))
    assert values(reading, *FIELDS) == EXPECTED
    assert codes(reading) == ["heading-beyond-gap"]


def test_a_second_table_below_or_beside_is_said_and_not_mixed_in() -> None:
    below = SUNK + "\n" + SUNK.replace("Pot 60", "Pot 40").replace("A      | B\n", "C | D\n", 1)
    reading = read(sheet(below))
    assert values(reading, *FIELDS) == EXPECTED
    assert codes(reading) == ["block-found-twice"]
    assert reading.findings[0].cell == "A8"
    lines = SUNK.strip().splitlines()
    beside = read(sheet("\n".join(f"{line} | . | {line}" for line in lines)))
    assert values(beside, *FIELDS) == EXPECTED
    assert codes(beside) == ["heading-twice"]


def test_doubtful_heading_rows_are_said() -> None:
    picture = """
    .       | .   | Pot 95 | .
    Species | Lot | A      | B
    .       | .   | pcs    | pcs
    Spruce  | L1  | 1      | 2
    """
    reading = read(sheet(picture))
    assert [(one.code, one.cell) for one in reading.findings] == [
        ("heading-rows-doubtful", "C1"),
        ("row-without-stub", "C3"),
    ]
    assert values(reading, "container", "grade") == [("Pot 95", "A"), ("Pot 95", "B")]


def test_a_tab_without_the_headings_says_what_it_looked_for() -> None:
    reading = read(sheet("Weather | Mild\nSnow | 12"))
    assert reading.records.num_rows == 0
    assert [(one.code, one.looked_for) for one in reading.findings][:1] == [
        ("block-not-found", "species, lot")
    ]
    assert reading.account.filled == reading.account.roles[Role.UNPLACED] == 4


def test_stamps_and_captures_are_typed_and_on_every_record() -> None:
    text = layout_text(fields='month = "month"\nbench = "integer"\nkeeper = "text"\n')
    text = text.replace(
        "[block]", '[stamps]\nmonth = { cell = "B1" }\nkeeper = { cell = "D1" }\n[block]'
    )
    reading = read(sheet(f"Month: | 2026-04 | Keeper | .\n{SUNK.strip()}"), text, {"bench": "07"})
    rows = values(reading, "month", "bench", "keeper")
    assert {(str(month), bench, keeper) for month, bench, keeper in rows} == {
        ("2026-04-01", 7, None)
    }
    assert [(one.code, one.cell, one.looked_for) for one in reading.findings[:1]] == [
        ("stamp-blank", "D1", "keeper")
    ]
    assert codes(reading) == ["stamp-blank"]
    assert (reading.account.roles[Role.STAMP], reading.account.roles[Role.LABEL]) == (1, 2)


def test_a_stamp_that_does_not_convert_says_what_is_there() -> None:
    text = layout_text(fields='month = "month"\n').replace(
        "[block]", '[stamps]\nmonth = { cell = "B1" }\n[block]'
    )
    reading = read(sheet(f"Month | soon\n{SUNK.strip()}"), text)
    assert [(one.code, one.cell, one.found) for one in reading.findings] == [
        ("stamp-not-converted", "B1", "soon")
    ]
    assert {row[0] for row in values(reading, "month")} == {None}
