"""Nothing is lost, doubled or misplaced without a word: forms that could be, one by one."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import openpyxl
import pytest

import boreotabula
from helpers import codes, csv_rows, program, read, sheet, write_workbook

TEXT = dict.fromkeys(("site", "day", "branch", "note", "month", "lot", "species", "order"), "text")


def layout(block: str, fields: Mapping[str, str] | Sequence[str], top: str = "") -> str:
    """A layout text: fields are texts unless they are called hours, pieces or the like."""
    if not isinstance(fields, Mapping):
        fields = {name: TEXT.get(name, "number") for name in fields}
    listed = "\n".join(f'{name} = "{kind}"' for name, kind in fields.items())
    return f"layout = 1\n{top}\n[block]\n{block}\n[fields]\n{listed}\n"


def rows(reading: Any, *names: str) -> list[tuple[Any, ...]]:
    columns = [reading.records.column(name).to_pylist() for name in names]
    return list(zip(*columns, strict=True))


class Desk:
    """A folder with a layout and its files."""

    def __init__(self, home: Path, text: str, files: Mapping[str, str]) -> None:
        self.home = home
        (home / "in").mkdir()
        (home / "a.toml").write_text(f'{text}\n[source]\nfolder = "in"\n', "utf-8")
        for name, content in files.items():
            (home / "in" / name).write_text(content.replace("/", "\n") + "\n", "utf-8")

    def run(self) -> boreotabula.Run:
        return boreotabula.extract(boreotabula.Layout.load(self.home / "a.toml"))

    def told(self) -> list[str]:
        return [one.code for one in self.run().findings]

    def program(self, *arguments: object) -> Any:
        return program("extract", "a.toml", *arguments, cwd=self.home)


# --- rows of a list ------------------------------------------------------------------------------

THREE = ("site", "day", "hours")


@pytest.mark.parametrize("stub", ['stub = ["site", "day", "hours"]', 'stub = "site"', ""])
def test_a_row_of_a_list_is_a_record_whichever_of_its_cells_are_blank(
    tmp_path: Path, stub: str
) -> None:
    text = "Site;Day;Hours/Quay;1 Mar;3/Pier;;4/Mole;3 Mar;/;4 Mar;5"
    run = Desk(tmp_path, layout(stub, THREE), {"a.csv": text}).run()
    assert rows(run, *THREE) == [
        ("Quay", "1 Mar", 3), ("Pier", None, 4), ("Mole", "3 Mar", None), (None, "4 Mar", 5),
    ]  # fmt: skip
    assert not run.findings


@pytest.mark.parametrize(
    ("below", "told", "records"),
    [
        ("Prepared by A. Holm", ["row-below-table"], 2),
        ("/Prepared by A. Holm", ["texts-unplaced"], 2),
        ("/;;77", ["numbers-unplaced"], 2),
        ("/Approved by;A. Holm", ["row-below-table"], 2),
        ("/Mole;3 Mar;4", [], 3),
        ("/Mole;3 Mar;/Quay;4 Mar;5", [], 4),
    ],
)
def test_what_is_below_the_last_full_row_may_be_no_record(
    tmp_path: Path, below: str, told: list[str], records: int
) -> None:
    text = f"Site;Day;Hours/Quay;1 Mar;3/Pier;2 Mar;4/{below}"
    desk = Desk(tmp_path, layout('stub = "site"', THREE), {"a.csv": text})
    run = desk.run()
    assert ([one.code for one in run.findings], run.record_count) == (told, records)
    every = layout('stub = "site"\nevery_row = true', THREE)
    (tmp_path / "a.toml").write_text(f'{every}\n[source]\nfolder = "in"\n', "utf-8")
    assert desk.run().record_count == 2 + len([one for one in below.split("/") if one])


def test_a_lone_cell_amid_a_list_is_a_record_with_a_warning_and_all_of_one_column_are() -> None:
    reading = read(sheet("Site|Day|Hours\nA|1|3\nsee page 2||\nB|2|4"), layout("", THREE))
    assert (codes(reading), len(reading.records)) == (["row-nearly-blank"], 3)
    assert len(read(sheet("Site\nA\n.\nB"), layout("", ["site"])).records) == 2


def test_a_required_field_that_is_blank_in_a_record_is_an_error() -> None:
    text = layout("", THREE).replace('day = "text"', 'day = { type = "text", required = true }')
    reading = read(sheet("Site|Day|Hours\nA|1|3\nB||4\nC|3|5"), text)
    assert [(one.code, one.cell) for one in reading.findings] == [("required-value-blank", "B3")]


@pytest.mark.parametrize(
    ("between", "keys"),
    [
        ("Branch | Day | Hours", ""),
        ("Sum Hill | . | 9", 'totals = "Sum*"'),
        ("see note | . | 1", 'skip = "see*"'),
    ],
)
def test_only_record_rows_give_a_value_to_carry(between: str, keys: str) -> None:
    picture = f"Branch|Day|Hours\nHill|1|4\n.|2|5\n{between}\n.|3|6"
    block = f'stub = ["branch", "day"]\ncarry_down = "branch"\n{keys}'
    reading = read(sheet(picture), layout(block, ("branch", "day", "hours")))
    assert rows(reading, "branch", "hours") == [("Hill", 4), ("Hill", 5), ("Hill", 6)]
    assert codes(reading) == []


def test_a_carried_value_keeps_a_row_and_the_only_stub_column_can_be_carried() -> None:
    block = 'stub = ["month", "day"]\ncarry_down = "month"\nacross = "note"\nvalue = "hours"'
    picture = "Month|Day|A\nMay|1|4\n.|.|5"
    reading = read(sheet(picture), layout(block, ("month", "day", "note", "hours")))
    assert rows(reading, "month", "day", "hours") == [("May", "1", 4), ("May", None, 5)]
    block = 'stub = "month"\ncarry_down = "month"\nacross = "note"\nvalue = "hours"'
    reading = read(sheet("Month|A\nMay|4\n.|5"), layout(block, ("month", "note", "hours")))
    assert rows(reading, "month", "hours") == [("May", 4), ("May", 5)]
    block = 'columns = ["month", "hours"]\ncarry_down = "month"'
    reading = read(sheet("Month|Hours\nMay|4\n.|5"), layout(block, ("month", "hours")))
    assert rows(reading, "month", "hours") == [("May", 4), ("May", 5)]


# --- several output tables -----------------------------------------------------------------------

TWO = """
layout = 1
[[block]]
stub = ["lot", "species"]
into = "a"
tabs = { named = "A" }
[[block]]
stub = "order"
into = "b"
tabs = { named = "B" }
[[block]]
stub = "site"
across = "day"
value = "hours"
into = "c"
tabs = { named = "C" }
[fields]
lot = "text"
species = "text"
order = "text"
pieces = "integer"
site = "text"
day = "text"
hours = "number"
remark = "text"
"""


def test_a_table_holds_every_field_that_its_blocks_fill_and_only_those(tmp_path: Path) -> None:
    desk = Desk(tmp_path, TWO, {})
    write_workbook(
        tmp_path / "in" / "a.xlsx",
        {
            "A": [["Lot", "Species", "Pieces"], ["L1", "Pine", 3]],
            "B": [["Order", "Species", "Pieces"], ["O1", "Birch", 4]],
            "C": [["Site", "Remark", "Species", "Mon"], ["Quay", "wet", "Alder", 5]],
        },
    )
    run = desk.run()
    named = {name: table.schema.names[:-3] for name, table in run.tables.items()}
    assert named == {
        "a": ["lot", "species", "pieces"],
        "b": ["species", "order", "pieces"],
        "c": ["species", "site", "day", "hours", "remark"],
    }
    assert [one["species"] for name in "abc" for one in run.tables[name].to_pylist()] == [
        "Pine", "Birch", "Alder",
    ]  # fmt: skip
    assert not run.findings
    assert desk.program("-o", "out").status == 0
    assert csv_rows(tmp_path / "out" / "b.csv")[0]["species"] == "Birch"
    assert desk.program("-o", "out.sqlite").status == 0
    assert desk.program("--into", "out.sqlite").status == 0
    with sqlite3.connect(tmp_path / "out.sqlite") as base:
        found = base.execute('SELECT species, "order" FROM b').fetchall()
    base.close()
    assert found == [("Birch", "O1")]


# --- sums nobody named, and totals above ---------------------------------------------------------

DISTRICTS = """
    Site     | A  | B
    North    | 30 | 60
    Lom      | 10 | 20
    Fros     | 20 | 40
    South    | 70 | 90
    Kald     | 25 | 30
    Hie      | 45 | 60
"""
ABOVE = 'stub = "site"\nacross = "day"\nvalue = "hours"'
FOUR = ("site", "day", "hours")


def test_rows_of_sums_above_their_members_are_no_records() -> None:
    reading = read(sheet(DISTRICTS), layout(ABOVE, FOUR))
    assert len(reading.records) == 8
    (one,) = reading.findings
    assert one.code == "looks-like-total" and "“North”, “South”" in one.advice
    named = read(sheet(DISTRICTS), layout(f'{ABOVE}\ntotals = ["North", "South"]', FOUR))
    assert (codes(named), named.totals.printed, named.totals.agree) == ([], 4, 4)
    wrong = read(sheet(DISTRICTS.replace("70", "71")), layout(f'{ABOVE}\ntotals = ["*th"]', FOUR))
    assert [one.cell for one in wrong.findings] == ["B5"]
    assert "1 more than the 70" in wrong.findings[0].message


def test_sums_above_their_members_are_found_among_negative_numbers_too() -> None:
    picture = DISTRICTS.replace("| 10 |", "| -40 |").replace("North    | 30", "North    | -20")
    reading = read(sheet(picture), layout(ABOVE, FOUR))
    assert (codes(reading), len(reading.records)) == (["looks-like-total"], 8)


def test_a_number_over_the_stub_is_no_heading() -> None:
    block = 'stub = "site"\nacross = ["note", "day"]\nvalue = "hours"'
    picture = "1234 | Pot | .\nSite | A | B\nQuay | 1 | 2"
    reading = read(sheet(picture, ["B1:C1"]), layout(block, ("site", "note", "day", "hours")))
    assert [(one.code, one.cell) for one in reading.findings] == [("cells-unplaced", "A1")]
    text = read(sheet(picture.replace("1234", "Stock"), ["B1:C1"]),
                layout(block, ("site", "note", "day", "hours")))  # fmt: skip
    assert codes(text) == []


NESTED = """
    Site  | A   | B
    All   | 100 | 150
    North | 30  | 60
    Lom   | 10  | 20
    Fros  | 20  | 40
    South | 70  | 90
    Kald  | 25  | 30
    Hie   | 45  | 60
"""


def test_sums_of_sums_above_their_members_are_found_too() -> None:
    reading = read(sheet(NESTED), layout(ABOVE, FOUR))
    assert len(reading.records) == 8
    named = read(sheet(NESTED), layout(f'{ABOVE}\ntotals = ["North", "South", "All"]', FOUR))
    assert (codes(named), named.totals.printed, named.totals.agree) == ([], 6, 6)


@pytest.mark.parametrize("form", ["list", "cross-tab"])
def test_the_total_of_a_table_with_one_column_of_numbers(form: str) -> None:
    picture = "Site | Visits\nA | 3\nB | 4\nC | 5\nD | 6\nE | 7\nTotal | 25"
    block = "" if form == "list" else 'stub = "site"\nacross = "day"\nvalue = "visits"'
    fields = ("site", "visits") if form == "list" else ("site", "day", "visits")
    reading = read(sheet(picture), layout(block, fields))
    assert (codes(reading), len(reading.records)) == (["looks-like-total"], 5)
    amid = picture.replace("E | 7\nTotal | 25", "Half | 18\nE | 7\nF | 9")
    reading = read(sheet(amid), layout(block, fields))
    assert (codes(reading), len(reading.records)) == (["total-likely"], 7)


def test_a_row_that_begins_with_a_word_for_a_total_is_at_least_a_warning() -> None:
    picture = "Site|Day|Hours\nA|1|3\nB|2|4\nYhteensä Hill|.|99\nC|3|5"
    reading = read(sheet(picture), layout("", THREE))
    assert (codes(reading), len(reading.records)) == (["total-likely"], 4)


def test_totals_of_each_of_several_values_are_compared_with_their_own() -> None:
    picture = """
    .    | Q1      | .      | Q2      | .      | Sum     | .
    Site | Planned | Actual | Planned | Actual | Planned | Actual
    A    | 10      | 9      | 12      | 11     | 22      | 20
    B    | 20      | 18     | 2       | 1      | 22      | 19
    """
    block = 'stub = "site"\nacross = "day"\nvalue = ["planned", "actual"]\ntotals = "Sum*"'
    for heads in ("Planned | Actual\n", "Sum planned | Sum actual\n"):
        text = picture.replace("Planned | Actual\n", heads)
        reading = read(sheet(text), layout(block, ("site", "day", "planned", "actual")))
        assert (codes(reading), reading.totals.printed, reading.totals.agree) == ([], 4, 4)


def test_a_printed_total_over_blank_cells_is_compared_like_any_other() -> None:
    picture = "Site|A|B\nPine|.|5\nBirch|.|6\nTotal|10|11"
    reading = read(sheet(picture), layout(f'{ABOVE}\ntotals = "Total*"', FOUR))
    assert [(one.code, one.cell) for one in reading.findings] == [("total-differs", "B4")]


def test_one_lost_column_is_told_once() -> None:
    lines = ["Site | A | C | Sum"]
    lines += [f"S{n} | {n} | {n * n} | {n + n * 3 + n * n}" for n in range(1, 20)]
    text = layout(f'{ABOVE}\ntotals = "Sum"', FOUR)
    assert codes(read(sheet("\n".join(lines)), text)) == ["total-differs"]


# --- cells under no heading, open quotes, rules --------------------------------------------------


def test_texts_under_a_blank_heading_are_told() -> None:
    picture = "Day | Site | . | Hours\n1 | Quay | wet | 3\n2 | Pier | dry | 4"
    reading = read(sheet(picture), layout("", THREE))
    assert codes(reading) == ["values-without-heading"]
    assert [one.text for one in reading.unplaced] == ["wet", "dry"]


def test_numbers_of_a_text_file_under_a_blank_heading_are_told(tmp_path: Path) -> None:
    text = "Site;Day;Hours;/Quay;1 Mar;3;77/Pier;2 Mar;4;78"
    desk = Desk(tmp_path, layout("", THREE), {"a.csv": text})
    assert desk.told() == ["values-without-heading"]
    beside = "Station;5551234;;/;;;/" + text
    (tmp_path / "in" / "a.csv").write_text(beside.replace("/", "\n"), "utf-8")
    told = desk.told()
    assert set(told) == {"values-without-heading", "numbers-unplaced", "texts-unplaced"}


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ('Site;Day;Hours/Quay;"1 Mar;3/Pier;2 Mar;4/Mole;3" Mar;5', "line 2"),
        ('Site;Day;Hours/Quay;1 Mar;3/Pier;"2 Mar;4/Mole;3 Mar;5', "line 3"),
    ],
)
def test_a_quote_that_swallows_lines_is_an_error(tmp_path: Path, text: str, line: str) -> None:
    desk = Desk(tmp_path, layout("", THREE), {"a.csv": text})
    (found,) = [one for one in desk.run().findings if one.code == "quote-open"]
    assert found.found == line and f"opens in {line} " in found.message
    good = Desk.run(desk).findings
    (tmp_path / "in" / "a.csv").write_text('Site;Day;Hours\nQuay;"1\nMar";3\n', "utf-8")
    assert good and desk.told() == []


def test_heading_rows_never_reach_into_the_rows_of_the_place_before() -> None:
    picture = """
    .    | Pot | .
    Site | A   | B
    1    | 10  | 11
    2    | 20  | 21
    Site | A   | B
    3    | 30  | 31
    """
    block = 'stub = "site"\nacross = ["note", "day"]\nvalue = "hours"\nrepeat = true'
    reading = read(sheet(picture, ["B1:C1"]), layout(block, ("site", "note", "day", "hours")))
    assert rows(reading, "note", "hours") == [
        ("Pot", n * 10 + at) for n in (1, 2, 3) for at in (0, 1)
    ]
    assert codes(reading) == []


@pytest.mark.parametrize("repeat", ["", "\nrepeat = true"])
def test_a_misnamed_tab_of_a_turned_form_is_found(tmp_path: Path, repeat: str) -> None:
    text = layout(f'stub = "site"\nturned = true{repeat}', ("site", "hours"), '[tabs]\nnamed = "A"')
    desk = Desk(tmp_path, text, {})
    form = [["Site", "Quay", "Pier"], ["Hours", 3, 4]]
    write_workbook(tmp_path / "in" / "a.xlsx", {"A": form, "B": form})
    assert desk.told() == ["tab-not-chosen"]


def test_headings_of_repeated_tables_side_by_side_are_bounded(tmp_path: Path) -> None:
    text = layout('stub = "site"\nrepeat = true', ("site", "hours"))
    desk = Desk(tmp_path, text, {"a.csv": "Site;Hours;Site;Hours/Quay;3;Pier;4"})
    found = program("headings", "a.toml", "--json", cwd=desk.home)
    assert found.status == 0 and '"unknown"' not in found.out
    assert desk.run().record_count == 2


# --- columns by position -------------------------------------------------------------------------

RACE = {"rank": "integer", "cyclist": "text", "laps": "integer"}
BY_POSITION = 'columns = ["rank", "cyclist", "laps"]'


def test_a_position_that_contradicts_a_heading_is_an_error() -> None:
    reading = read(sheet("Laps|Cyclist|Rank\n9|Ada|1"), layout(BY_POSITION, RACE))
    (one,) = reading.findings
    assert one.code == "heading-contradicts" and "“Laps” is that of “laps” (and so" in one.message


def test_cover_rows_above_columns_by_position_are_no_records() -> None:
    picture = "Report of May\nClub|Lomlia\n.\nNo.|Rider|Rounds\n1|Ada|9\n2|Bo|8"
    for text in (picture, picture.replace("No.|Rider|Rounds", "Rank|Cyclist|Laps")):
        reading = read(sheet(text), layout(BY_POSITION, RACE))
        assert rows(reading, *RACE) == [(1, "Ada", 9), (2, "Bo", 8)]
        assert len(reading.findings) == 1 and reading.findings[0].code == "texts-unplaced"


@pytest.mark.parametrize(
    ("odd", "code"),
    [
        ("No.;Rounds/1;9/2;8", "column-lacking"),
        ("No.;Rider/1;Ada/2;Bo", "columns-differ"),
        ("No.;Rider;Rounds;Time/1;Ada;9;3.5/2;Bo;8;3.6", "columns-differ"),
    ],
)
def test_a_table_with_other_columns_than_its_like_is_told(
    tmp_path: Path, odd: str, code: str
) -> None:
    usual = "No.;Rider;Rounds/1;Ada;9/2;Bo;8"
    files = {f"{n}.csv": usual.replace("9", str(n)) for n in range(4, 9)} | {"9.csv": odd}
    assert code in Desk(tmp_path, layout(BY_POSITION, RACE), files).told()


# --- stamps, copies, names -----------------------------------------------------------------------


def test_a_fixed_cell_with_another_label_than_on_like_tabs_is_a_warning(tmp_path: Path) -> None:
    text = layout("", ("day", "hours"), '[stamps]\nsite = { cell = "B1" }').replace(
        "[fields]", '[fields]\nsite = "text"'
    )
    body = ";{n}//Day;Hours/1;{n}/2;5"
    files = {f"{n}.csv": "Station:" + body.replace("{n}", str(n)) for n in range(6)}
    desk = Desk(tmp_path, text, files | {"9.csv": "Operator:" + body.replace("{n}", "9")})
    (one,) = desk.run().findings
    assert (one.code, one.file) == ("stamp-label-unusual", "9.csv")


def test_files_that_differ_in_what_their_names_tell_are_no_copies(tmp_path: Path) -> None:
    gauges = 'include = "{site}.csv"'
    text = layout("", THREE[1:]).replace("[fields]", '[fields]\nsite = "text"')
    dry = "Day;Hours/1;0/2;0"
    files = {f"WS{n}.csv": dry for n in range(1, 6)} | {"WS1 (1).csv": dry}
    desk = Desk(tmp_path, text, files)
    (tmp_path / "a.toml").write_text(f'{text}\n[source]\nfolder = "in"\n{gauges}\n', "utf-8")
    run = desk.run()
    assert [one.file for one in run.findings if one.code == "file-twice"] == ["WS1 (1).csv"]
    assert run.record_count == 10


def test_a_name_that_fits_a_pattern_in_two_ways_is_a_warning(tmp_path: Path) -> None:
    text = layout("", THREE).replace("[fields]", '[fields]\nco = "text"')
    desk = Desk(tmp_path, text, {"My_orders_Ltd_orders_1.csv": "Site;Day;Hours/A;1;3"})
    include = 'include = "{co}_orders_*"'
    (tmp_path / "a.toml").write_text(f'{text}\n[source]\nfolder = "in"\n{include}\n', "utf-8")
    (one,) = desk.run().findings
    assert one.code == "name-ambiguous" and "co = “My_orders_Ltd” is possible too" in one.message


@pytest.mark.parametrize(
    ("name", "tabs", "site", "month"),
    [
        ("Hill Road 2026-03.csv", "", "Hill Road", "2026-03-01"),
        ("Hill 2026-03.csv", "", "Hill", "2026-03-01"),
        ("Old Hill Road Apr 2026.csv", "", "Old Hill Road", "2026-04-01"),
        ("a.xlsx", "Hill Road 2026-03", "Hill Road", "2026-03-01"),
    ],
)
def test_of_two_ways_to_part_a_name_the_one_that_can_be_read_counts(
    tmp_path: Path, name: str, tabs: str, site: str, month: str
) -> None:
    text = layout("", THREE).replace("[fields]", '[fields]\nplace = "text"\nmonth = "month"')
    desk = Desk(tmp_path, text, {} if tabs else {name: "Site;Day;Hours/A;1;3"})
    if tabs:
        write_workbook(desk.home / "in" / name, {tabs: [["Site", "Day", "Hours"], ["A", 1, 3]]})
    chosen = '[tabs]\nnamed = "{place} {month}"' if tabs else ""
    include = "" if tabs else 'include = "{place} {month}.csv"'
    lines = f'{text}\n[source]\nfolder = "in"\n{include}\n{chosen}\n'
    (tmp_path / "a.toml").write_text(lines, "utf-8")
    run = desk.run()
    (record,) = run.records.to_pylist()
    assert (record["place"], str(record["month"])) == (site, month) and not run.findings


def test_ignore_never_beats_a_known_heading_and_a_rule_that_takes_all_is_an_error() -> None:
    picture = "Site|Day|Hours|Extra\nA:|1|3|x\nB:|2|4|y\n6|3|5|z"
    reading = read(sheet(picture), layout('ignore = "*"', THREE))
    assert (codes(reading), len(reading.records)) == ([], 3)
    block = 'stub = "site"\nacross = "day"\nvalue = "hours"\nignore = "*"'
    assert codes(read(sheet("Site|A\nQ|1"), layout(block, FOUR))) == ["rule-takes-all"]
    skipped = 'stub = "site"\nskip = "*:"\nignore = "Extra"'
    assert len(read(sheet(picture), layout(skipped, THREE)).records) == 1
    reading = read(sheet(picture.replace("6|3|5|z", "C:|3|5|z")), layout(skipped, THREE))
    assert "rule-takes-all" in codes(reading)
    ended = 'stub = "site"\nends_at = "6"\nignore = "Extra"'
    reading = read(sheet(picture), layout(ended, THREE))
    assert (codes(reading), len(reading.records)) == (["numbers-unplaced"], 2)
    reading = read(sheet(picture + "\nD:|4|6|w"), layout(ended, THREE))
    assert codes(reading) == ["records-below-end", "numbers-unplaced"]


def test_a_rule_that_leaves_out_every_tab_is_an_error(tmp_path: Path) -> None:
    desk = Desk(tmp_path, layout("", THREE, '[tabs]\nevery = true\nexcept = "*"'), {})
    write_workbook(tmp_path / "in" / "a.xlsx", {"A": [["Site", "Day", "Hours"], ["Quay", "1", 3]]})
    assert desk.told() == ["rule-takes-all"]


def test_more_than_two_hundred_rules_keep_their_names() -> None:
    lines = ["Site|Day|Hours", *(f"x{n}|1|2" for n in range(300)), "A|1|3"]
    skip = ", ".join(f'"x{n}"' for n in range(300))
    reading = read(sheet("\n".join(lines)), layout(f'stub = "site"\nskip = [{skip}]', THREE))
    assert reading.roles.why(260, 0) == "skip: x259"
    assert len(reading.account.left_out) == 300 and codes(reading) == []


def test_rows_without_values_are_told() -> None:
    block = 'stub = ["lot", "day"]\ngroup_row = "site"\nacross = "note"\nvalue = "hours"'
    picture = "Lot|Day|A\nQuay|.|.\nL1|1|3\nPier|7|.\nL2|2|4"
    reading = read(sheet(picture), layout(block, ("site", "lot", "day", "note", "hours")))
    assert codes(reading) == ["row-unclear"]
    assert (
        reading.findings[0].cell == "A4" and "keep the group above" in reading.findings[0].message
    )
    plain = 'stub = "lot"\nacross = "note"\nvalue = "hours"'
    reading = read(sheet("Lot|A\nL1|3\nL2|.\nL3|4"), layout(plain, ("lot", "note", "hours")))
    assert (codes(reading), reading.account.left_out) == (["row-without-value"], {"blank": 1})


# --- what is there already, special files, faults ------------------------------------------------


def test_foreign_files_and_rows_stay_and_a_renamed_file_takes_its_own_place(tmp_path: Path) -> None:
    text = layout('stub = "site"', THREE)
    desk = Desk(tmp_path, text, {"a.csv": "Site;Day;Hours/Quay;1;3"})
    write_workbook(tmp_path / "other.xlsx", {"S": [["mine"]]})
    done = desk.program("-o", "other.xlsx")
    assert done.status == 2 and "--overwrite" in done.err
    assert openpyxl.load_workbook(tmp_path / "other.xlsx")["S"]["A1"].value == "mine"
    assert desk.program("-o", "other.xlsx", "--overwrite").status == 0
    heads = [*THREE, "source_file", "source_tab", "source_cell"]
    hand = ["by hand", "9", 9, None, None, None]
    write_workbook(tmp_path / "master.xlsx", {"Data": [heads, hand]})
    into = ("--into", "master.xlsx", "--into-tab", "Data")
    assert "1 note" in desk.program(*into).out
    (tmp_path / "in" / "a.csv").rename(tmp_path / "in" / "b.csv")
    done = desk.program(*into)
    assert done.status == 0 and "1 renamed" in done.out
    tab = openpyxl.load_workbook(tmp_path / "master.xlsx")["Data"]
    assert [(row[0].value, row[3].value) for row in tab.iter_rows(min_row=2)] == [
        ("by hand", None), ("Quay", "b.csv"),
    ]  # fmt: skip


@pytest.mark.skipif(not hasattr(os, "mkfifo"), reason="this system has no pipes in folders")
def test_a_pipe_in_the_inbox_is_left_out_and_listed(tmp_path: Path) -> None:
    desk = Desk(tmp_path, layout("", THREE), {"a.csv": "Site;Day;Hours/Quay;1;3"})
    os.mkfifo(tmp_path / "in" / "pipe.xlsx")
    run = desk.run()
    assert [(one.name, one.why[:15]) for one in run.left_out] == [("pipe.xlsx", "no regular file")]
    assert run.record_count == 1


@pytest.mark.parametrize("key", ["across", "value", "group_row", "stub"])
@pytest.mark.parametrize("name", ["-", ""])
def test_a_field_without_a_name_is_an_error_of_the_layout(
    tmp_path: Path, key: str, name: str
) -> None:
    keys = {"stub": "lot", "across": "day", "value": "hours"} | {key: name}
    block = "\n".join(f'{one} = "{text}"' for one, text in keys.items())
    desk = Desk(tmp_path, layout(block, ("lot", "day", "hours", "site")), {})
    done = desk.program("-o", "out.csv")
    assert (done.status, "Traceback" in done.err) == (2, False)
    # A heading level may be passed over, but not all of them.
    passed = f"“{key}” in [block] passes over every level"
    said = passed if (key, name) == ("across", "-") else "which is not a field"
    assert f"“{key}” in [block]" in done.err and said in done.err


def test_a_field_that_nothing_holds_cannot_be_carried_down(tmp_path: Path) -> None:
    block = 'stub = "lot"\ncarry_down = "site"'
    desk = Desk(tmp_path, layout(block, ("lot", "site", "hours")), {})
    assert "“site” is not a stub column" in desk.program("-o", "out.csv").err


def test_a_fault_of_the_program_ends_with_70_and_a_report_without_contents(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from boreotabula.cli import main

    def fails(*_: object, **__: object) -> None:
        raise KeyError("secret of cell B7")

    monkeypatch.setenv("TMPDIR", str(tmp_path))
    monkeypatch.setattr("tempfile.tempdir", None)
    monkeypatch.setattr(main.cli, "main", fails)
    status = main.call([])
    said = capsys.readouterr().err
    (report,) = tmp_path.glob("boreotabula-fault-*.txt")
    assert status == 70 and str(report) in said and "wrote nothing" in said
    assert "KeyError" in report.read_text("utf-8") and "secret" not in report.read_text("utf-8")


# --- false alarms --------------------------------------------------------------------------------


def test_merged_headings_over_merged_values_are_right() -> None:
    picture = "Site | A | . | B\nQuay | 3 | . | 4\nPier | 5 | . | 6"
    reading = read(sheet(picture, ["B1:C1", "B2:C2", "B3:C3"]), layout(ABOVE, FOUR))
    assert (codes(reading), len(reading.records)) == ([], 4)


def test_cells_below_the_row_that_ends_a_table_are_outside_of_it() -> None:
    picture = "Site | A | .\nQuay | 3 | .\nNotes | . | .\n. | . | 77"
    reading = read(sheet(picture), layout(f'{ABOVE}\nends_at = "Notes"', FOUR))
    assert codes(reading) == ["numbers-unplaced"]


def test_what_another_block_reads_is_not_missed() -> None:
    text = """
layout = 1
[[block]]
stub = "lot"
across = "day"
value = "hours"
[[block]]
stub = "site"
across = "day"
value = "hours"
[fields]
lot = "text"
site = "text"
day = "text"
hours = "number"
"""
    reading = read(sheet("Lot | A | . | Site | B\nL1 | 3 | . | Quay | 4"), text)
    assert (codes(reading), len(reading.records)) == ([], 2)


def test_a_label_that_belongs_to_another_place_is_not_said_to_be_lacking() -> None:
    text = layout(f"{ABOVE}\nrepeat = true", FOUR, '[stamps]\nbench = { right_of = "Bench" }')
    text = text.replace("[fields]", '[fields]\nbench = "text"')
    picture = "Site | A\nQuay | 3\n.\nBench | K2\nSite | A\nPier | 4"
    (one,) = read(sheet(picture), text).findings
    assert "is not above or left of the table at A1 (the first one is in A4)" in one.message


def test_two_hundred_good_text_files_need_no_word(tmp_path: Path) -> None:
    files = {f"{n}.csv": f"Site;Day;Hours/Quay;{n};3/Pier;2;{n}" for n in range(20)}
    assert Desk(tmp_path, layout("", THREE), files).told() == []


def test_what_cannot_be_told_apart_is_told_once_for_the_run(tmp_path: Path) -> None:
    text = layout("", THREE).replace('day = "text"', 'day = "date"')
    desk = Desk(tmp_path, text, {})
    for n in range(1, 8):
        content = f"Site;Day;Hours\nQuay {n};0{n}/04/2026;3\n"
        (tmp_path / "in" / f"{n}.csv").write_text(content, "utf-8")
    (one,) = desk.run().findings
    assert one.code == "reading-doubtful" and one.message.endswith("(the same on 5 more tabs)")


def test_one_gap_is_told_once(tmp_path: Path) -> None:
    files = {f"{n}.csv": f"Site;Day;Hours/Quay;{n};3/Pier;2;{n}" for n in range(1, 7)}
    files["9.csv"] = "Site;Hours/Quay;9/Mole;5"
    assert Desk(tmp_path, layout('stub = "site"', THREE), files).told() == ["column-lacking"]


def test_one_title_row_above_columns_by_position_makes_one_finding(tmp_path: Path) -> None:
    files = {
        "a.csv": "Report/Rank;Cyclist;Laps/" + "/".join(f"{n};R{n};{90 - n}" for n in range(69))
    }
    assert Desk(tmp_path, layout(BY_POSITION, RACE), files).told() == ["texts-unplaced"]


def test_other_tabs_beside_one_chosen_by_position_are_told_once(tmp_path: Path) -> None:
    desk = Desk(tmp_path, layout("", THREE, "[tabs]\nposition = 1"), {})
    form = [["Site", "Day", "Hours"], ["Quay", "1", 3]]
    write_workbook(tmp_path / "in" / "a.xlsx", {f"T{n}": form for n in range(5)})
    (one,) = desk.run().findings
    assert one.code == "tab-not-chosen" and "4 more tabs" in one.message
    assert "`position`" in one.advice


def test_texts_of_the_form_itself_are_labels_and_new_remarks_stand_out() -> None:
    picture = "Stock-take\nSite|Day|Hours\nA|1|3\nPage 1 of 2\nB|2|4\n.\nsee me"
    text = layout("", THREE, 'boilerplate = ["Stock-take", "Page * of *"]')
    reading = read(sheet(picture), text)
    assert [(one.code, one.found) for one in reading.findings] == [("texts-unplaced", "see me")]
    assert len(reading.records) == 2
