"""`check`: one report before it is sent, in its sender's words; nothing is written but a page."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from helpers import program, write_workbook

LAYOUT = """\
layout = 1
[source]
folder = "in"
[stamps]
nursery = { right_of = "Nursery" }
[block]
stub = "species"
[fields]
nursery = "text"
species = "text"
pieces = "integer"
"""


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """A layout whose folder is empty, and two reports that are nowhere near it."""
    (tmp_path / "in").mkdir()
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    good = [["Nursery", "Lomlia"], [], ["Species", "Pieces"], ["Pine", 40], ["Birch", 9]]
    write_workbook(tmp_path / "good.xlsx", {"A": good})
    write_workbook(tmp_path / "bad.xlsx", {"A": [*good, ["Alder", "ca. <12>"]]})
    return tmp_path


def test_a_report_is_checked_in_the_words_of_its_sender(desk: Path) -> None:
    before = sorted(desk.rglob("*"))
    done = program("check", "bad.xlsx", "--layout", "l.toml", cwd=desk)
    assert done.out.splitlines() == [
        "In “bad.xlsx” these places should be corrected:",
        "- A B6: This cell should hold a whole number, but it holds “ca. <12>”. For example: 120",
    ]
    assert done.status == 1 and sorted(desk.rglob("*")) == before
    done = program("check", "good.xlsx", "--layout", "l.toml", cwd=desk)
    assert (done.status, done.out) == (0, "In “good.xlsx” there is nothing to correct.\n")
    done = program("check", "bad.xlsx", "--layout", "l.toml", "--language", "fi", cwd=desk)
    assert done.out.startswith("Tiedostossa ”bad.xlsx” nämä kohdat pitäisi korjata:")


def test_the_same_as_json_and_as_a_page(desk: Path) -> None:
    call = ("check", "bad.xlsx", "--layout", "l.toml")
    shown = json.loads(program(*call, "--json", cwd=desk).out)
    assert [(fault["cell"], fault["code"]) for fault in shown["faults"]] == [
        ("B6", "value-not-converted")
    ]
    assert (shown["records"], shown["others"]) == (3, 0)
    assert program(*call, "--page", "p.html", "--language", "de", cwd=desk).status == 1
    page = (desk / "p.html").read_text("utf-8")
    assert '<html lang="de">' in page and "ca. &lt;12&gt;" in page and ">B6<" in page
    # Its own page is replaced, what somebody has changed is not.
    assert program(*call, "--page", "p.html", cwd=desk).status == 1
    (desk / "p.html").write_text("mine", "utf-8")
    assert program(*call, "--page", "p.html", cwd=desk).status == 2
    assert (desk / "p.html").read_text("utf-8") == "mine"


def test_what_concerns_the_layout_alone_is_counted_and_what_is_accepted_is_not(desk: Path) -> None:
    (desk / "l.toml").write_text(
        LAYOUT.replace("[source]", 'accepted = "a.csv"\n[source]'), "utf-8"
    )
    line = "value-not-converted,bad.xlsx,,B6,Ada,“ca.” is meant,\n"
    (desk / "a.csv").write_text(f"code,file,tab,cell,who,why,until\n{line}", "utf-8")
    done = program("check", "bad.xlsx", "--layout", "l.toml", cwd=desk)
    assert (done.status, done.out) == (0, "In “bad.xlsx” there is nothing to correct.\n")
    (desk / "l.toml").write_text(f'{LAYOUT}[tabs]\nnamed = "Z"\n', "utf-8")
    done = program("check", "good.xlsx", "--layout", "l.toml", cwd=desk)
    assert done.status != 0 and "for whoever keeps the layout, not listed" in done.err


@pytest.mark.parametrize(
    ("call", "status", "said"),
    [
        (["good.xlsx"], 2, "missing option '--layout'"),
        (["none.xlsx", "--layout", "l.toml"], 2, "none.xlsx"),
        (["good.xlsx", "--layout", "none.toml"], 2, "none.toml"),
        (["good.xlsx", "--layout", "l.toml", "--language", "sv"], 2, "no texts in “sv”"),
        (["good.xlsx", "--layout", "l.toml", "--page", "p.pdf"], 2, "is written as .html or .htm"),
        (["good.xlsx", "--layout", "l.toml", "--page", "no/p.html"], 2, "there is no folder"),
        (["l.toml", "--layout", "l.toml"], 1, "l.toml"),
    ],
)
def test_wrong_calls_of_check_are_told(desk: Path, call: list[str], status: int, said: str) -> None:
    done = program("check", *call, cwd=desk)
    assert done.status == status and said in done.out + done.err
