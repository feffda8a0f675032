"""`extract` as a user runs it: what is read, what is said, what is written, how it ends."""

from __future__ import annotations

import json
import os
import pty
import subprocess
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.batch.inputs import natural_key
from helpers import PROGRAM, Outcome, csv_rows, layout_text, program, write_workbook

GOOD: list[list[Any]] = [
    ["Nursery", "Lomlia"],
    [],
    [None, None, "Pot 95", None],
    ["Species", "Lot", "A", "B"],
    ["Spruce", "L1", 10, 20],
    ["Pine", "L2", 0, None],
]
TEXT = layout_text(fields='nursery = "text"\nregion = "text"\nbench = "text"\n').replace(
    "[block]",
    '[source]\nfolder = "inbox"\ninclude = "{region}_*.xlsx"\n[tabs]\nnamed = "Bench {bench}"\n'
    '[stamps]\nnursery = { cell = "B1" }\n[block]',
)


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """A folder with a layout and an empty inbox."""
    (tmp_path / "inbox").mkdir()
    (tmp_path / "stock.toml").write_text(TEXT, "utf-8")
    return tmp_path


def extract(desk: Path, *options: str) -> Outcome:
    return program("extract", "stock.toml", "-o", "stock.csv", *options, cwd=desk)


def found(desk: Path) -> list[tuple[str, str, str, str]]:
    rows = csv_rows(desk / "stock.csv.run" / "findings.csv")
    return [(row["code"], row["file"], row["tab"], row["cell"]) for row in rows]


def test_a_folder_of_workbooks_becomes_one_table(desk: Path) -> None:
    write_workbook(desk / "inbox" / "lake_10.xlsx", {"Bench 1": GOOD})
    write_workbook(
        desk / "inbox" / "2026" / "lake_2.xlsx", {"Bench 7": GOOD, "Scribble": [["x", 1]]}
    )
    done = extract(desk)
    assert (done.status, done.err) == (0, "")
    assert "6 records from 2 of 2 files (2 tabs)" in done.out
    assert "Nothing to check." in done.out
    lines = (desk / "stock.csv").read_bytes().split(b"\r\n")
    assert lines[0] == (
        b"species,lot,container,grade,seedlings,nursery,region,bench,"
        b"source_file,source_tab,source_cell"
    )
    assert lines[1] == b"Spruce,L1,Pot 95,A,10,Lomlia,lake,7,2026/lake_2.xlsx,Bench 7,C5"
    assert lines[4].startswith(b"Spruce,L1,Pot 95,A,10,Lomlia,lake,1,lake_10.xlsx,Bench 1,")
    record = json.loads((desk / "stock.csv.run" / "run.json").read_text("utf-8"))
    assert (record["records"], record["cells"]["filled"]) == (6, 28)
    assert record["files"][0]["tabs_not_read"] == {"Scribble": "not chosen by [tabs]"}
    assert record["layout"]["digest"] == boreotabula.Layout.load(desk / "stock.toml").digest


def test_one_bad_file_never_stops_the_others(desk: Path) -> None:
    inbox = desk / "inbox"
    write_workbook(inbox / "a_good.xlsx", {"Bench 1": GOOD})
    (inbox / "b_junk.xlsx").write_bytes(b"\0\1\2 this is no workbook")
    (inbox / "c_empty.xlsx").write_bytes(b"")
    (inbox / "d_cut.xlsx").write_bytes((inbox / "a_good.xlsx").read_bytes()[:900])
    (inbox / "a_good - Kopie.xlsx").write_bytes((inbox / "a_good.xlsx").read_bytes())
    write_workbook(inbox / "f_tabs.xlsx", {"Bank 1": GOOD})
    write_workbook(inbox / "g_heads.xlsx", {"Bench 1": [["Weather", None, "mild"]]})
    text = [row[:] for row in GOOD]
    text[4][2] = "ca. 10"
    write_workbook(inbox / "h_text.xlsx", {"Bench 1": text, "Bench 2": []})
    done = extract(desk)
    assert done.status == 1
    assert found(desk) == [
        ("file-twice", "a_good - Kopie.xlsx", "", ""),
        ("file-unreadable", "b_junk.xlsx", "", ""),
        ("file-unreadable", "c_empty.xlsx", "", ""),
        ("file-unreadable", "d_cut.xlsx", "", ""),
        ("no-tab-matches", "f_tabs.xlsx", "", ""),
        ("stamp-blank", "g_heads.xlsx", "Bench 1", "B1"),
        ("block-not-found", "g_heads.xlsx", "Bench 1", ""),
        ("value-not-converted", "h_text.xlsx", "Bench 1", "C5"),
        ("tab-blank", "h_text.xlsx", "Bench 2", ""),
    ]  # fmt: skip
    assert "Traceback" not in done.err
    assert "b_junk.xlsx" in done.err
    assert len(csv_rows(desk / "stock.csv")) == 6
    unplaced = csv_rows(desk / "stock.csv.run" / "unplaced.csv")
    assert ("h_text.xlsx", "C5", "ca. 10") in {
        (row["file"], row["cell"], row["text"]) for row in unplaced
    }
    for row in csv_rows(desk / "stock.csv.run" / "findings.csv"):
        assert row["message"]
        assert row["advice"]


def test_what_is_left_out_is_listed_with_its_reason(desk: Path) -> None:
    inbox = desk / "inbox"
    (desk / "stock.toml").write_text(
        TEXT.replace('"{region}_*.xlsx"', '["{region}_*.xlsx", "*.csv"]\nexclude = "*draft*"'),
        "utf-8",
    )
    write_workbook(inbox / "a_good.xlsx", {"Bench 1": GOOD})
    for name in ("~$a_good.xlsx", ".hidden_x.xlsx", "a_draft.xlsx", "readme.txt"):
        (inbox / name).write_bytes(b"x")
    for _ in range(2):
        done = program("extract", "stock.toml", "-o", "inbox/out.csv", "--json", cwd=desk)
        assert (done.status, done.err) == (0, "")
        record = json.loads(done.out)
        why = {one["file"]: one["why"] for one in record["left_out"]}
        assert why["~$a_good.xlsx"] == "lock file of an open workbook"
        assert why[".hidden_x.xlsx"] == "hidden file"
        assert why["a_draft.xlsx"] == "matches “*draft*” of [source] exclude"
        assert why["readme.txt"] == "matches no pattern of [source] include"
        assert record["files_read"] == 1
    assert why["out.csv"] == "output of this run"
    assert why["out.csv.run/findings.csv"] == "output of this run"
    other = program("extract", "stock.toml", "-o", "other.csv", "--json", cwd=desk)
    why = {one["file"]: one["why"] for one in json.loads(other.out)["left_out"]}
    assert why["out.csv"] == "output of an earlier run"


def test_nothing_read_leaves_the_old_output_as_it_was(desk: Path) -> None:
    write_workbook(desk / "inbox" / "a_good.xlsx", {"Bench 1": GOOD})
    assert extract(desk).status == 0
    before = {path: path.read_bytes() for path in desk.rglob("*") if path.is_file()}
    (desk / "inbox" / "a_good.xlsx").rename(desk / "inbox" / "elsewhere.xls")
    done = extract(desk)
    assert done.status == 3
    assert "no file below" in done.err
    assert all(path.read_bytes() == before[path] for path in before if path.is_file())
    assert not list(desk.glob(".*part"))


@pytest.mark.parametrize(
    ("target", "said"),
    [
        ("out.csv", "“out.csv” is a link that leads back to itself"),
        ("none/x.csv", "there is no folder"),
    ],
)
def test_a_link_that_leads_nowhere_is_no_output(desk: Path, target: str, said: str) -> None:
    (desk / "out.csv").symlink_to(target)
    done = program("extract", "stock.toml", "-o", "out.csv", cwd=desk)
    assert done.status == 2 and said in done.err
    assert (desk / "out.csv").readlink() == Path(target)


@pytest.mark.parametrize(
    ("output", "said"),
    [
        (
            "stock.txt",
            "the ending chooses the kind of output: .csv, .csv.gz, .tsv, .psv, .jsonl, .parquet,",
        ),
        ("nowhere/stock.csv", "there is no folder “nowhere”"),
        ("inbox/a_in.csv", "is one of the files that are read"),
        ("headings.csv", "“headings.csv” is read by this run"),
    ],
)
def test_an_output_that_cannot_be_is_refused_before_anything_is_read(
    desk: Path, output: str, said: str
) -> None:
    text = TEXT.replace("*.xlsx", "*.csv").replace("= 1", '= 1\nglossary = "headings.csv"', 1)
    (desk / "stock.toml").write_text(text, "utf-8")
    (desk / "headings.csv").write_text("heading,field\n", "utf-8")
    (desk / "inbox" / "a_in.csv").write_text("precious", "utf-8")
    done = program("extract", "stock.toml", "-o", output, cwd=desk)
    assert (done.status, done.out) == (2, "")
    assert said in done.err
    assert (desk / "inbox" / "a_in.csv").read_text("utf-8") == "precious"


def test_a_missing_source_folder_is_said(desk: Path) -> None:
    (desk / "inbox").rmdir()
    done = extract(desk)
    assert done.status == 2
    assert "the source folder “inbox” is not there" in done.err


def test_without_tabs_the_only_filled_tab_is_read(desk: Path) -> None:
    (desk / "stock.toml").write_text(TEXT.replace('[tabs]\nnamed = "Bench {bench}"\n', ""), "utf-8")
    write_workbook(desk / "inbox" / "a_one.xlsx", {"Any": GOOD, "Sheet2": []})
    write_workbook(desk / "inbox" / "b_two.xlsx", {"Any": GOOD, "More": GOOD})
    write_workbook(desk / "inbox" / "c_none.xlsx", {"Any": []})
    assert extract(desk).status == 1
    assert found(desk) == [
        ("several-tabs", "b_two.xlsx", "", ""), ("workbook-blank", "c_none.xlsx", "", ""),
        ("field-missing", "a_one.xlsx", "Any", "A4"),
    ]  # fmt: skip
    assert len(csv_rows(desk / "stock.csv")) == 3


def test_a_tab_pattern_that_matches_nowhere_is_a_warning(desk: Path) -> None:
    text = TEXT.replace('"Bench {bench}"', '["Bench {bench}", "Huone {bench}"]')
    (desk / "stock.toml").write_text(text, "utf-8")
    write_workbook(desk / "inbox" / "a_one.xlsx", {"Bench 1": GOOD})
    done = extract(desk)
    assert done.status == 0
    assert found(desk) == [("tab-pattern-unused", "", "", "")]
    assert "Huone {bench}" in done.err


def test_quiet_verbose_and_the_bar(desk: Path) -> None:
    write_workbook(desk / "inbox" / "a_good.xlsx", {"Bench 1": [["Title"], *GOOD[1:]]})
    quiet = extract(desk, "--quiet")
    assert (quiet.status, quiet.out, quiet.err) == (1, "", "")
    verbose = extract(desk, "--verbose")
    assert "a_good.xlsx: 1 tab, 3 records" in verbose.err
    assert "Title" in verbose.err
    leader, follower = pty.openpty()
    done = subprocess.run(
        [PROGRAM, "extract", "stock.toml", "-o", "stock.csv"],
        cwd=desk, stderr=follower, stdout=subprocess.PIPE, check=False,
        env={**os.environ, "TERM": "xterm"},
    )  # fmt: skip
    os.close(follower)
    shown = b""
    with suppress(OSError):  # the terminal ends with its program
        while piece := os.read(leader, 65536):  # it gives what is there piece by piece
            shown += piece
    os.close(leader)
    seen = shown.decode()
    assert done.returncode == 1
    assert "reading" in seen
    assert "1/1" in seen


def test_the_python_interface_gives_the_same_records(desk: Path) -> None:
    write_workbook(desk / "inbox" / "a_good.xlsx", {"Bench 1": GOOD})
    run = boreotabula.extract(boreotabula.Layout.load(desk / "stock.toml"))
    assert extract(desk).status == run.exit_status == 0
    assert [str(row["seedlings"]) for row in run.records.to_pylist()] == [
        row["seedlings"] for row in csv_rows(desk / "stock.csv")
    ]
    assert run.records.schema.names[:2] == ["species", "lot"]
    assert (run.findings, run.unplaced) == ((), ())


def test_files_are_in_natural_order() -> None:
    names = ["b/1.xlsx", "a10.xlsx", "A2.xlsx", "a1.xlsx", "b/10.xlsx", "b/9.xlsx"]
    assert sorted(names, key=lambda name: natural_key(Path(name))) == [
        "a1.xlsx", "A2.xlsx", "a10.xlsx", "b/1.xlsx", "b/9.xlsx", "b/10.xlsx",
    ]  # fmt: skip


def _folder_of_wrong_totals(home: Path) -> Path:
    """Seven files with a total that is off by another number in each, of three nurseries."""
    for at in range(7):
        site = ("Frostmo", "Lomlia", "Granvik")[at % 3]
        rows = [["Nursery", site], [], ["Species", "Pieces"], ["Pine", 40], ["Birch", 9 + at]]
        write_workbook(home / "in" / f"f{at}.xlsx", {"A": [*rows, ["Total", 90 + 7 * at]]})
    layout = home / "l.toml"
    layout.write_text(
        'layout = 1\n[source]\nfolder = "in"\n[stamps]\nnursery = { right_of = "Nursery" }\n'
        '[block]\nstub = "species"\ntotals = "Total"\n[fields]\nnursery = "text"\n'
        'species = "text"\npieces = "integer"\n',
        "utf-8",
    )
    return layout


def test_findings_of_one_code_are_told_together_and_counted_by_sender(tmp_path: Path) -> None:
    layout = _folder_of_wrong_totals(tmp_path)
    done = program("extract", layout, "--dry-run", "--by", "nursery")
    lines = done.err.splitlines()
    assert "error  total-differs  7 in 7 files" in lines
    assert "  by nursery: Frostmo 3, Lomlia 2, Granvik 2" in lines
    assert sum("the printed total" in line for line in lines) == 1
    assert lines[-1] == "--verbose shows each in full"
    done = program("extract", layout, "--dry-run")
    assert "by file: f0.xlsx 1, f1.xlsx 1," in done.err and "and 2 more" in done.err
    assert program("extract", layout, "--dry-run", "-v").err.count("the printed total") == 7
    wrong = program("extract", layout, "--dry-run", "--by", "nursry")
    assert wrong.status == 2 and "did you mean “nursery”?" in wrong.err
