"""Changes of a layout that a person wrote: each stands where it belongs, all else stays."""

from __future__ import annotations

from pathlib import Path

import pytest

from boreotabula.batch.again.propose import bits_left
from boreotabula.batch.inputs import look
from boreotabula.batch.layouts.load import Layout
from boreotabula.batch.run.gather import read_figures
from boreotabula.drafting.asking.amend import (
    Amendment,
    amended,
    heading_known,
    label_known,
    new_field,
    of_block,
    of_part,
)
from boreotabula.drafting.labels.names import of_files, plain
from boreotabula.layout.headings import normal_form
from boreotabula.limits import Limits
from helpers import csv_rows, program, read, sheet, write_workbook

LAYOUT = """\
# our stock-take
layout = 1   # the language

[stamps]
nursery = { right_of = "Nursery" }   # the site
month   = { right_of = ["Month", "Måned"] }
site    = [ { below = "Site" }, { from = "file name" } ]

# the table
[block]
stub   = "species"   # names
totals = [
  "Total*",  # in English
]

[fields]
nursery = "text"   # a
pieces  = "integer"  # how many
weight  = { type = "number", also = "kg" }
"""


@pytest.mark.parametrize(
    ("change", "before", "after"),
    [
        (heading_known("pieces", "Antall"), 'pieces  = "integer"  # how many',
         'pieces  = { type = "integer", also = "Antall" }  # how many'),
        (heading_known("weight", "Vekt"), 'also = "kg" }', 'also = ["kg", "Vekt"] }'),
        (heading_known("weight", "kg"), 'also = "kg" }', 'also = "kg" }'),
        (label_known("nursery", "Planteskole"), '{ right_of = "Nursery" }   # the site',
         '{ right_of = ["Nursery", "Planteskole"] }   # the site'),
        (label_known("month", "Kuukausi"), '["Month", "Måned"]', '["Month", "Måned", "Kuukausi"]'),
        (label_known("site", "Plass"), '{ below = "Site" }', '{ below = ["Site", "Plass"] }'),
        (of_block("ends_at", ["Note*"]), "]\n\n[fields]", ']\nends_at = "Note*"\n\n[fields]'),
        (of_block("totals", ["Sum*"]), '  "Total*",  # in English\n',
         '  "Total*",  # in English\n  "Sum*",\n'),
        (of_part("tabs", "named", ["Bench {b}"]), 'also = "kg" }\n',
         'also = "kg" }\n\n[tabs]\nnamed = "Bench {b}"\n'),
        (of_part("", "boilerplate", ["x", "y"]), "layout = 1   # the language\n",
         'layout = 1   # the language\nboilerplate = ["x", "y"]\n'),
        (new_field("remark", "text", "Merknad"), 'also = "kg" }\n',
         'also = "kg" }\nremark = { type = "text", also = "Merknad" }\n'),
        (new_field("state", "text"), 'also = "kg" }\n', 'also = "kg" }\nstate = "text"\n'),
    ],
)  # fmt: skip
def test_a_change_touches_its_own_line_alone(change: object, before: str, after: str) -> None:
    assert before in LAYOUT
    changed = amended(LAYOUT, [Amendment("why", "where", change)])  # type: ignore[arg-type]
    assert changed == LAYOUT.replace(before, after, 1)


def test_blocks_and_stamps_of_editions_are_changed_too() -> None:
    text = '[[edition]]\nstamps = { m = { right_of = "M" } }\n[edition.block]\nstub = "s"\n'
    changed = amended(text, [
        Amendment("", "", label_known("m", "N")), Amendment("", "", of_block("totals", ["T"])),
    ])  # fmt: skip
    assert 'right_of = ["M", "N"]' in changed and 'totals = "T"' in changed


FORM = [["Nursery", "Frostmo"], [], ["Species", "Lot", "Pieces"], ["Pine", "L1", 40]]
AGAIN = """\
layout = 1
[source]
folder = "in"
[tabs]
named = "Bench {bench}"
[stamps]
nursery = { right_of = "Nursery" }   # as all forms have it
[block]
[fields]
bench   = "text"
nursery = "text"
species = "text"  # by its Latin name
lot     = "text"
pieces  = "integer"
"""


def _folder(home: Path, usual: int = 5) -> None:
    """Some files as ever, and one of each that has changed; of fewer only one."""
    for at in range(usual):
        rows = [*FORM, ["Birch", f"L{at}", 50 + at]]
        write_workbook(home / "in" / f"a{at}.xlsx", {"Bench 1": rows})
    renamed = [["Grower", "Lomlia"], *FORM[1:]]
    write_workbook(home / "in" / "b1.xlsx", {"Bench 1": renamed})
    (home / "a.toml").write_text(AGAIN, "utf-8")
    if usual < 5:
        return
    write_workbook(home / "in" / "b2.xlsx", {"House 4": FORM})
    headed = [*FORM[:2], ["Species", "Lot", "Antall"], ["Pine", "L8", 44], ["Birch", "L9", 52]]
    write_workbook(home / "in" / "b3.xlsx", {"Bench 1": headed})
    more = [*FORM[:2], [*FORM[2], "Weight"], [*FORM[3], 2.5]]
    write_workbook(home / "in" / "b4.xlsx", {"Bench 1": more})
    dashed = [*FORM, ["Alder", "L5", "–"]]
    write_workbook(home / "in" / "b5.xlsx", {"Bench 1": dashed})


def test_what_a_changed_form_needs_is_proposed_as_a_difference(tmp_path: Path) -> None:
    _folder(tmp_path)
    done = program("draft", "--again", tmp_path / "a.toml")
    added = [line[1:] for line in done.out.splitlines() if line[:1] == "+" and line[:3] != "+++"]
    assert added == [
        'named = ["Bench {bench}", "House {bench}"]',
        'nursery = { right_of = ["Nursery", "Grower"] }   # as all forms have it',
        'pieces  = { type = "integer", also = "Antall" }',
        'weight = "number"',
        "",
        "[reading]",
        'empty = "–"',
    ]
    assert done.status == 0 and "0 errors" in done.err.splitlines()[-3]
    assert (tmp_path / "a.toml").read_text("utf-8") == AGAIN
    done = program("draft", "--again", tmp_path / "a.toml", "-o", tmp_path / "b.toml")
    assert done.status == 0 and "written" in done.out
    assert program("extract", tmp_path / "b.toml", "-o", tmp_path / "b.csv").status == 0
    rows = csv_rows(tmp_path / "b.csv")
    assert len(rows) == 17 and {row["nursery"] for row in rows} == {"Frostmo", "Lomlia"}
    again = program("draft", "--again", tmp_path / "b.toml")
    assert again.status == 0 and "No change of the layout" in again.out


@pytest.mark.parametrize(
    ("include", "file", "heads", "added"),
    [
        # A week of the past leaves out the files of the next one.
        ("stock_*_week10.xlsx", "stock_x_week11.xlsx", FORM[2], 'include = "stock_*_week*.xlsx"'),
        ('["stock_*_week10.xlsx", "stock_*_week9.xlsx"]', "stock_x_week11.xlsx", FORM[2],
         'include = ["stock_*_week*.xlsx", "stock_*_week9.xlsx"]'),
        ("2026-03_*.xlsx", "2026-04_x.xlsx", FORM[2], 'include = "*_*.xlsx"'),
        # What could be the new name of a field that is missing there is no new column.
        ("*.xlsx", "x.xlsx", [*FORM[2][:2], "Aantal stuks"],
         'pieces  = { type = "integer", also = "Aantal stuks" }'),
    ],
)  # fmt: skip
def test_frozen_names_are_opened_and_no_field_is_parted(
    tmp_path: Path, include: str, file: str, heads: list[object], added: str
) -> None:
    _folder(tmp_path, 2)
    for at in range(3):
        name = include.split('"')[include.count('"') and 1].replace("*", str(at), 1)
        write_workbook(tmp_path / "in" / name, {"Bench 1": [*FORM, ["Birch", f"L{at}", 50]]})
    rows = [*FORM[:2], heads, ["Pine", "L8", 4400], ["Birch", "L9", 5200]]
    write_workbook(tmp_path / "in" / file, {"Bench 1": rows})
    for one in ("a0", "a1", "b1"):
        (tmp_path / "in" / f"{one}.xlsx").unlink()
    patterns = include if include[0] == "[" else f'"{include}"'
    layout = AGAIN.replace('folder = "in"', f'folder  = "in"\ninclude = {patterns}')
    (tmp_path / "a.toml").write_text(layout, "utf-8")
    done = program("draft", "--again", tmp_path / "a.toml")
    lines = [line for line in done.out.splitlines() if line[:1] == "+" and line[:3] != "+++"]
    assert lines == [f"+{added}"]
    assert "now   4 files" in done.err or "then  4 files" in done.err


@pytest.mark.parametrize(
    ("rows", "added"),
    [
        ([*FORM[:3], ["Pine", "L8", 4.5], ["Birch", "L9", 5.25]], ['pieces  = "number"']),
        ([*FORM[:3], ["Pine", "L8", "41 kg"], ["Birch", "L9", "52 kg"]],
         ['pieces  = { type = "integer", unit = "kg" }']),
        # Another language is read with all of its words.
        ([["Taimitarha", "Suvanto"], [], ["Puulaji", "Erä", "Kpl"], ["Pine", "L8", 44],
          ["Birch", "L9", 52]],
         ['nursery = { right_of = ["Nursery", "Taimitarha"] }   # as all forms have it',
          'species = { type = "text", also = "Puulaji" }  # by its Latin name',
          'lot     = { type = "text", also = "Erä" }',
          'pieces  = { type = "integer", also = "Kpl" }']),
    ],
)  # fmt: skip
def test_what_a_new_draft_of_the_files_knows_is_proposed(
    tmp_path: Path, rows: list[list[object]], added: list[str]
) -> None:
    _folder(tmp_path, 4)
    (tmp_path / "in" / "b1.xlsx").unlink()
    write_workbook(tmp_path / "in" / "c1.xlsx", {"Bench 1": rows})
    done = program("draft", "--again", tmp_path / "a.toml")
    lines = [line[1:] for line in done.out.splitlines() if line[:1] == "+" and line[:3] != "+++"]
    assert lines == added
    assert done.status == 0 and "0 cells in no record, 0 errors" in done.err.splitlines()[-3]


def test_a_reading_is_better_the_less_it_leaves_over(tmp_path: Path) -> None:
    rows = [[f"Pine {at}", f"L{at}", 40 + at] for at in range(8)]
    write_workbook(tmp_path / "in" / "a.xlsx", {"Bench 1": [*FORM[:3], *rows, ["Ash", "L9", "–"]]})
    changes = {  # from nothing to more and more; a lost column weighs more than an error
        "all is read": ('pieces  = "integer"', 'pieces = "integer"\n[reading]\nempty = "–"'),
        "one error": ("", ""),
        "a column lost": ('lot     = "text"\n', ""),
        "both columns lost": ('lot     = "text"\npieces  = "integer"\n', 'boxes = "integer"\n'),
    }
    left = []
    for old, new in changes.values():
        layout = Layout.load(tmp_path / "a.toml", AGAIN.replace(old, new, 1))
        left.append(bits_left(read_figures(layout, look(layout), Limits(), None), 40))
    assert left == sorted(left) and left[0] == 0 and len(set(left)) == len(left), left


def test_wrong_calls_of_again_are_told(tmp_path: Path) -> None:
    _folder(tmp_path, 2)
    assert program("draft").status == 2
    done = program("draft", tmp_path / "in", "--again", tmp_path / "a.toml")
    assert done.status == 2 and "name no other" in done.err
    assert "there is no layout" in program("draft", "--again", tmp_path / "no.toml").err
    there = program("draft", "--again", tmp_path / "a.toml", "-o", tmp_path / "a.toml")
    assert there.status == 2 and "never replaces" in there.err
    shown = program("draft", "--again", tmp_path / "a.toml", "--json")
    assert '"why": "“Grower” is where the label of “nursery” was"' in shown.out


@pytest.mark.parametrize(
    ("files", "known", "pattern"),
    [
        (["stock202601.csv", "stock202602.csv"], (), "stock{month}.csv"),
        (["plan2025.xlsx", "plan2026.xlsx"], (), "plan{year}.xlsx"),
        (["a_w07.xlsx", "a_w08.xlsx"], ("7", "8"), "a_w*.xlsx"),
        (["a_w07.xlsx", "a_w08.xlsx"], (), "a_w{week}.xlsx"),
        (["x NorthHill.csv", "x Lia.csv"], ("North Hill", "Lia"), "x *.csv"),
    ],
)
def test_names_of_files_are_parted_at_figures(
    files: list[str], known: tuple[str, ...], pattern: str
) -> None:
    told = [set(map(plain, known))] * len(files)
    assert of_files(files, told).patterns == (pattern,)


@pytest.mark.parametrize("heading", ["-", "*", ":", "—"])
def test_a_heading_of_signs_is_not_the_same_as_none(heading: str) -> None:
    assert normal_form(heading) and normal_form(heading) == normal_form(normal_form(heading))
    on = sheet(f"Lot | {heading} | Pieces | .\nL1 | a | 4 | x\nL2 | b | 5 | y")
    layout = f'[fields]\nlot = "text"\nstate = {{ type = "text", also = "{heading}" }}\n'
    reading = read(on, f'layout = 1\n[block]\nstub = "lot"\n{layout}pieces = "integer"\n')
    assert [row["state"] for row in reading.records.to_pylist()] == ["a", "b"]
