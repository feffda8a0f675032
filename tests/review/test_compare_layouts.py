"""Two layouts compared: what they say differently, and what that does to the records."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from boreotabula.layout.parsing import parse_layout
from boreotabula.review.compare.layouts import differences
from helpers import program, write_workbook

OLD = """\
layout = 1
[source]
folder = "in"
[stamps]
nursery = { right_of = "Nursery" }
[block]
stub = "species"
totals = "Total"
[fields]
nursery = "text"
species = "text"
pieces = "integer"
"""


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    rows = [["Nursery", "Lia"], [], ["Species", "Pieces"], ["Pine", 40], ["Birch", "ca. 9"]]
    write_workbook(tmp_path / "in" / "a.xlsx", {"A": [*rows, ["Total", 49]]})
    (tmp_path / "old.toml").write_text(OLD, "utf-8")
    new = OLD.replace('pieces = "integer"', 'pieces = { type = "integer", unit = "ca." }')
    (tmp_path / "new.toml").write_text(new, "utf-8")
    return tmp_path


def test_what_a_changed_layout_does_to_the_records_is_shown(desk: Path) -> None:
    done = program("compare", "old.toml", "new.toml", cwd=desk)
    lines = [line.strip() for line in done.out.splitlines()]
    assert done.status == 0 and "field “pieces”: unit is “ca.” now" in lines
    assert "2 errors → 0, 1 cell in no record → 0" in lines
    assert "2 records → 2 records: 1 the same, 1 changed, 0 new, 0 gone" in lines
    assert any(line.split()[:3] == ["pieces", "·", "9"] for line in lines)
    shown = json.loads(program("compare", "old.toml", "new.toml", "--json", cwd=desk).out)
    assert (shown["errors"], shown["cells_unplaced"]) == ([2, 0], [1, 0])
    assert shown["layouts"] == ["field “pieces”: unit is “ca.” now"]
    same = program("compare", "old.toml", "old.toml", cwd=desk)
    assert "The layouts say the same." in same.out and "Nothing differs." in same.out


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('pieces = "integer"', 'pieces = "number"', ["field “pieces”: type: “integer” → “number”"]),
        ('pieces = "integer"', 'pieces = "integer"\nkept = "yesno"',
         ["field “kept” is new (yesno)"]),
        ('[fields]', '[fields]\nlot = "text"', ["field “lot” is new (text)"]),
        ('totals = "Total"', 'totals = ["Total", ""]\nat = "B2"\n'
         'control = { line = "End", count = 2, sums = { pieces = 3 } }',
         ["block.at is “B2” now", "block.totals: “Total” → “Total, ”", "block.control.line is “End”"
          " now", "block.control.count is “2” now", "block.control.sums.pieces is “3” now"]),
        ('[block]', '[text]\ncolumns = [1, 9]\n[block]', ["text.columns is “1, 9” now"]),
        ('pieces = "integer"', 'pieces = { type = "integer", also = ["Antall", "Kpl"] }',
         ["field “pieces”: also is “Antall, Kpl” now"]),
        ('totals = "Total"', 'totals = ["Total", "Sum*"]',
         ["block.totals: “Total” → “Total, Sum*”"]),
        ('totals = "Total"\n', "", ["block.totals was “Total” and is not set now"]),
        ('right_of = "Nursery"', 'below = "Nursery"',
         ["stamps.nursery.right_of was “Nursery” and is not set now",
          "stamps.nursery.below is “Nursery” now"]),
    ],
)  # fmt: skip
def test_each_change_of_a_layout_is_a_line(old: str, new: str, said: list[str]) -> None:
    before, after = parse_layout(OLD, "old"), parse_layout(OLD.replace(old, new), "new")
    assert sorted(differences(before, after)) == sorted(said)
    gone = [line for line in differences(after, before) if line.endswith("is gone")]
    assert len(gone) == sum("is new" in line for line in said)


def test_changes_come_in_the_order_of_the_layouts() -> None:
    names = [f"field_{letter}" for letter in "qwertyuiop"]
    more = "[fields]\n" + "".join(f'{name} = "text"\n' for name in names)
    before, after = parse_layout(OLD.replace("[fields]", more, 1), "old"), parse_layout(OLD, "new")
    assert list(differences(before, after)) == [f"field “{name}” is gone" for name in names]


def test_a_table_is_named_where_layouts_have_several(desk: Path) -> None:
    text = (desk / "old.toml").read_text("utf-8").replace("[block]", "[[block]]")
    text = text.replace("[fields]", '[[block]]\nstub = "species"\nvalue = "pieces"\n'
                        'across = "nursery"\ninto = "other"\n[fields]')  # fmt: skip
    (desk / "two.toml").write_text(
        text.replace('nursery = { right_of = "Nursery" }\n', ""), "utf-8"
    )
    done = program("compare", "old.toml", "two.toml", cwd=desk)
    assert done.status == 2 and "--table" in done.err
    wrong = program("compare", "old.toml", "new.toml", "--table", "x", cwd=desk)
    assert wrong.status == 2 and "no output table “x”" in wrong.err
