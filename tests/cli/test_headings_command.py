"""`headings`: every heading met, what unknown ones may mean, and the loop that adopts them."""

from __future__ import annotations

import json
import os
import pty
import subprocess
from pathlib import Path
from typing import Any

import pytest

from boreotabula import Layout
from boreotabula.look.headings import headings_met
from boreotabula.reading.tab import TabSource
from helpers import LOTS, PROGRAM, csv_rows, layout_text, plan, program, sheet, write_workbook

LAYOUT = """layout = 1  # kept
glossary = "words.csv"
[source]
folder = "inbox"
[block]
stub = ["lot"]
[fields]
lot = "text"
species = "text"
seedlings = "integer"
sown = "date"
"""
WORDS = "note;field;heading\r\n# Finnish\r\n;lot;Erä\r\nx;species;Laji"


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """Two files with known headings, one with new ones, one without any known one."""
    tables: dict[str, list[list[Any]]] = {
        "a": [["Lot", "Species", "Seedlings", "Sown"], ["P1", "Picea", 50, "2026-04-01"],
              ["P2", "Pinus", 400, "2026-04-02"]],
        "b": [["ERÄ", "laji:", "Seedlings"], ["P3", "Pinus", 100], ["P4", "Betula", 250]],
        "c": [["Lot", "Puu", "Kpl", "Muu"], ["P5", "picea", 120, "x"], ["P6", "Betula", 60, "y"]],
        "d": [["Nummer", "Artt", "Seedling"], ["P7", "Picea", 10], ["P8", "Pinus", 20]],
    }  # fmt: skip
    for name, rows in tables.items():
        write_workbook(tmp_path / "inbox" / f"{name}.xlsx", {"Count": rows})
    (tmp_path / "stock.toml").write_text(LAYOUT, "utf-8")
    (tmp_path / "words.csv").write_bytes(WORDS.encode())
    return tmp_path


def listed(desk: Path) -> dict[str, dict[str, Any]]:
    done = program("headings", "stock.toml", "--json", cwd=desk)
    assert done.status == 1
    return {one["heading"]: one for one in json.loads(done.out)["headings"]}


def test_every_heading_is_listed_with_its_field_and_its_cells(desk: Path) -> None:
    headings = listed(desk)
    assert {name: (one["field"], one["tabs"]) for name, one in headings.items()} == {
        "Lot": ("lot", 2), "Species": ("species", 1), "Seedlings": ("seedlings", 2),
        "Sown": ("sown", 1), "ERÄ": ("lot", 1), "laji:": ("species", 1), "Puu": (None, 1),
        "Kpl": (None, 1), "Muu": (None, 1), "Nummer": (None, 1), "Artt": (None, 1),
        "Seedling": (None, 1),
    }  # fmt: skip
    assert headings["Kpl"]["cells"] == {
        "filled": 2, "kinds": {"whole numbers": 2}, "least": 60, "most": 120,
        "sample": ["120", "60"],
    }  # fmt: skip
    assert headings["Lot"]["first"] == {"file": "a.xlsx", "tab": "Count", "cell": "A1"}


@pytest.mark.parametrize(
    ("heading", "field", "why"),
    [
        ("Puu", "species", "2 of 2 values are values of species elsewhere"),
        ("Kpl", "seedlings", "60 to 120, seedlings elsewhere 50 to 400"),
        ("Seedling", "seedlings", "written like “seedlings”"),
        ("Artt", "species", "2 of 2 values"),
    ],
)
def test_unknown_headings_are_suggested_by_words_and_by_cells(
    desk: Path, heading: str, field: str, why: str
) -> None:
    best = listed(desk)[heading]["suggestions"][0]
    assert best["field"] == field
    assert why in best["why"]
    assert 0.35 <= best["certainty"] <= 1


def test_what_fits_no_field_is_not_suggested(desk: Path) -> None:
    headings = listed(desk)
    assert headings["Muu"]["suggestions"] == []
    assert "seedlings" not in [one["field"] for one in headings["Puu"]["suggestions"]]


def test_the_loop_from_finding_to_a_clean_run_keeps_order_and_comments(desk: Path) -> None:
    assert program("extract", "stock.toml", "-o", "out.csv", cwd=desk).status == 1
    shown = program("headings", "stock.toml", cwd=desk)
    assert (shown.status, shown.err) == (1, "")
    assert "6 unknown headings:" in shown.out
    assert shown.out.count("boreotabula headings stock.toml --adopt ") == 2
    done = program("headings", "stock.toml", "--adopt", "--yes", "--certainty", "0.8", cwd=desk)
    assert done.status == 0
    assert "not certain enough (0.8)" in done.err
    given = ["Kpl=seedlings", "Nummer=lot", "Muu=sown", "Lot=lot"]
    assert program("headings", "stock.toml", "--adopt", *given, cwd=desk).status == 0
    content = (desk / "words.csv").read_bytes().decode()
    assert content.startswith(WORDS + "\r\n")
    assert content.endswith("\r\n;seedlings;Kpl\r\n;lot;Nummer\r\n;sown;Muu\r\n")
    again = program("headings", "stock.toml", cwd=desk)
    assert (again.status, "Every heading is known." in again.out) == (0, True)
    program("extract", "stock.toml", "-o", "out.csv", cwd=desk)
    rows = csv_rows(desk / "out.csv")
    assert [row["lot"] for row in rows] == [f"P{at}" for at in range(1, 9)]
    assert [row["seedlings"] for row in rows] == [
        "50",
        "400",
        "100",
        "250",
        "120",
        "60",
        "10",
        "20",
    ]
    assert rows[4]["species"] == "picea"


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["Puu=species"], "go with --adopt"),
        (["--adopt", "Puu=speces"], "has no field “speces”; did you mean “species”?"),
        (["--adopt", "Puu"], "“Puu” is not HEADING=FIELD"),
        (["--adopt", "Erä=species"], "“Erä” means “lot” already"),
        (["--adopt", "Puu=species", "PUU=lot"], "“PUU” means “species” already"),
        (["--adopt"], "--adopt asks on a terminal"),
    ],
)
def test_wrong_calls_change_nothing(desk: Path, arguments: list[str], said: str) -> None:
    done = program("headings", "stock.toml", *arguments, cwd=desk)
    assert done.status == 2
    assert said in done.err
    assert (desk / "words.csv").read_bytes() == WORDS.encode()


def test_on_a_terminal_each_suggestion_is_asked_for(desk: Path) -> None:
    ours, theirs = pty.openpty()
    # Puu: as suggested; Kpl: no such field, then its own; Muu: passed over; then the end.
    os.write(ours, b"\nplants\nseedlings\n-\nq\n")
    done = subprocess.run(
        [PROGRAM, "headings", "stock.toml", "--adopt"], stdin=theirs, capture_output=True,
        text=True, cwd=desk, check=False, timeout=60,
    )  # fmt: skip
    os.close(ours)
    os.close(theirs)
    assert done.returncode == 0
    assert "no field “plants”; there are lot, species, seedlings, sown" in done.stdout
    names = Layout.load(desk / "stock.toml").plan.names
    asked = ("Puu", "Kpl", "Muu", "Artt")
    assert [names.field_of(one) for one in asked] == ["species", "seedlings", None, None]


@pytest.mark.parametrize("other", [False, True])
def test_a_layout_without_a_csv_glossary_gets_one(desk: Path, other: bool) -> None:
    line = 'glossary = "lists.xlsx"\n' if other else ""
    write_workbook(desk / "lists.xlsx", {"A": [["heading", "field"], ["Laji", "species"]]})
    text = LAYOUT.replace('glossary = "words.csv"\n', line)
    (desk / "stock.toml").write_text(text, "utf-8")
    assert program("headings", "stock.toml", "--adopt", "Puu=species", cwd=desk).status == 0
    layout = Layout.load(desk / "stock.toml")
    assert layout.plan.names.field_of("puu") == "species"
    assert tuple(one.file for one in layout.spec.glossary) == (
        *(["lists.xlsx"] if other else []),
        "headings.csv",
    )
    assert (desk / "headings.csv").read_text("utf-8") == "heading,field\nPuu,species\n"
    assert "layout = 1  # kept\n" in (desk / "stock.toml").read_text("utf-8")


def test_files_that_cannot_be_read_are_named_and_the_others_listed(desk: Path) -> None:
    (desk / "inbox" / "e.xlsx").write_bytes(b"PK\x03\x04 cut off")
    done = program("headings", "stock.toml", cwd=desk)
    assert done.status == 1
    assert "not read: e.xlsx: it is damaged" in done.out
    for path in (desk / "inbox").glob("[a-d].xlsx"):
        path.unlink()
    assert program("headings", "stock.toml", cwd=desk).status == 3


def test_headings_of_a_cross_tab_are_listed_by_level() -> None:
    picture = "Art | Lot | C9 | . | Sum\n. | . | A | B | A+B\nP | L1 | 1 | 2 | 3"
    made = plan(layout_text('totals = ["Sum"]'))
    met = headings_met(sheet(picture), made, TabSource()).met
    assert [(one.heading, one.field, one.role) for one in met] == [
        ("Art", "species", "column"), ("Lot", "lot", "column"), ("Sum", "", "total"),
        ("C9", "container", "level"), ("A", "grade", "level"), ("B", "grade", "level"),
    ]  # fmt: skip


def test_a_first_glossary_edits_the_layout_and_says_so(tmp_path: Path) -> None:
    rows = [["Species", "Nr", "Depth"], ["Pine", 1, 0.5], ["Birch", 2, 1.0]]
    write_workbook(tmp_path / "inbox" / "a.xlsx", {"S": rows})
    (tmp_path / "lots.toml").write_text(LOTS, "utf-8")
    shown = program("headings", "lots.toml", cwd=tmp_path).out
    assert "“Depth”" in shown and "2 cells, numbers 0.5 to 1" in shown
    done = program("headings", "lots.toml", "--adopt", "Nr=lot", cwd=tmp_path)
    assert done.status == 0
    assert (
        'lots.toml was edited too: it names the new file as glossary = "headings.csv"' in done.out
    )
    done = program("headings", "lots.toml", "--adopt", "Number=lot", "--json", cwd=tmp_path)
    assert json.loads(done.out)["layout_edited"] is False
