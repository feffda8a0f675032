"""Findings that a person has accepted: counted, shown, no fault any more, and lapsing by
themselves."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

import boreotabula
from helpers import csv_rows, program, write_workbook

HEAD = "code,file,tab,cell,who,why,until\n"
LINE = "total-differs,f*.xlsx,,B6,Ada,the sender counts a lost tray,\n"


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    """Two files with a wrong total in B6, and a value in f1 that is no number."""
    for at in range(2):
        rows = [["Nursery", f"N{at}"], [], ["Species", "Pieces"], ["Pine", 40], ["Birch", 9 + at]]
        if at:
            rows.insert(5, ["Alder", "ca. 12"])
        rows.insert(5, ["Total", 90 + 7 * at])
        write_workbook(tmp_path / "in" / f"f{at}.xlsx", {"A": rows})
    (tmp_path / "l.toml").write_text(
        'layout = 1\naccepted = "accepted.csv"\n[source]\nfolder = "in"\n[stamps]\n'
        'nursery = { right_of = "Nursery" }\n[block]\nstub = "species"\ntotals = "Total"\n'
        '[fields]\nnursery = "text"\nspecies = "text"\npieces = "integer"\n',
        "utf-8",
    )
    (tmp_path / "accepted.csv").write_text(HEAD + LINE, "utf-8")
    return tmp_path


def codes(desk: Path) -> dict[str, list[str]]:
    """The codes of findings.csv that are accepted, and those that are not."""
    rows = csv_rows(desk / "o.csv.run" / "findings.csv")
    return {
        word: sorted(row["code"] for row in rows if bool(row["accepted"]) == (word == "accepted"))
        for word in ("accepted", "to check")
    }


def test_what_is_accepted_is_counted_shown_and_no_error(desk: Path) -> None:
    done = program("extract", "l.toml", "-o", "o.csv", "--report", "r.html", cwd=desk)
    assert "  To check: 1 error; 2 findings accepted" in done.out.splitlines()
    assert "the printed total" not in done.err and done.status == 1
    assert codes(desk)["accepted"] == ["total-differs", "total-differs"]
    assert "value-not-converted" in codes(desk)["to check"]
    record = json.loads((desk / "o.csv.run" / "run.json").read_text("utf-8"))
    assert record["findings"]["accepted"] == 2 and record["findings"]["error"] == 1
    page = (desk / "r.html").read_text("utf-8")
    assert "Ada: the sender counts a lost tray" in page and page.count("total-differs") == 2
    # In full they are there, with the words.
    whole = program("extract", "l.toml", "--dry-run", "-v", cwd=desk)
    assert whole.err.count("  accepted by Ada: the sender counts a lost tray") == 2
    traced = program("trace", "in/f0.xlsx", "A", "B6", "--layout", "l.toml", cwd=desk)
    assert "(accepted by Ada: the sender counts a lost tray)" in traced.out
    # The sender is not asked for what was accepted.
    program("mark", "o.csv", "-o", "back", cwd=desk)
    assert not (desk / "back" / "f0.xlsx").exists() and (desk / "back" / "f1.xlsx").exists()


def test_a_run_whose_errors_are_all_accepted_is_clean(desk: Path) -> None:
    (desk / "in" / "f1.xlsx").unlink()
    done = program("extract", "l.toml", "-o", "o.csv", "--strict", cwd=desk)
    assert done.status == 0 and "  Nothing to check. 1 finding accepted." in done.out
    (finding,) = boreotabula.extract(desk / "l.toml").findings
    assert finding.accepted == "Ada: the sender counts a lost tray"


@pytest.mark.parametrize(
    ("line", "code", "message"),
    [
        ("total-differs,f0.xlsx,A,row 6,Ada,known,2026-01-31\n", "acceptance-lapsed",
         "accepted.csv, line 2: total-differs was accepted until 2026-01-31, and is still there"),
        ("total-differs,f0.xlsx,A,B7,Ada,known,\n", "acceptance-idle",
         "accepted.csv, line 2: Ada accepted total-differs there, but it is not found any more"),
    ],
)  # fmt: skip
def test_an_acceptance_lapses_by_itself(desk: Path, line: str, code: str, message: str) -> None:
    (desk / "accepted.csv").write_text(HEAD + line, "utf-8")
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert codes(desk)["accepted"] == []
    rows = csv_rows(desk / "o.csv.run" / "findings.csv")
    assert [row["message"] for row in rows if row["code"] == code] == [message]
    # Of a run over other files nothing is said of it.
    program("extract", "l.toml", "-o", "p.csv", "in/f1.xlsx", cwd=desk)
    other = csv_rows(desk / "p.csv.run" / "findings.csv")
    assert "acceptance-idle" not in {row["code"] for row in other}


@pytest.mark.parametrize("cell", ["B6", "row 6", "column B"])
def test_a_cell_a_row_or_a_column_is_accepted(desk: Path, cell: str) -> None:
    (desk / "accepted.csv").write_text(
        HEAD + f"total-differs,f0.xlsx,A,{cell},Ada,known,2999-12-31\n", "utf-8"
    )
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert codes(desk)["accepted"] == ["total-differs"]


def test_what_was_seen_is_accepted_and_no_other_fault_of_the_cell(desk: Path) -> None:
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    rows = csv_rows(desk / "o.csv.run" / "findings.csv")
    (row,) = (row for row in rows if (row["code"], row["file"]) == ("total-differs", "f0.xlsx"))
    seen = f"total-differs,f0.xlsx,A,B6,{row['looked_for']},{row['found']},Ada,known,\n"
    head = HEAD.replace("cell,", "cell,looked_for,found,")
    (desk / "accepted.csv").write_text(head + seen, "utf-8")
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert codes(desk)["accepted"] == ["total-differs"]
    # The printed total is the same, but what it sums up is not.
    rows = [["Nursery", "N0"], [], ["Species", "Pieces"], ["Pine", 4], ["Birch", 9], ["Total", 90]]
    write_workbook(desk / "in" / "f0.xlsx", {"A": rows})
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert codes(desk)["accepted"] == []
    assert {"total-differs", "acceptance-idle"} <= set(codes(desk)["to check"])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (HEAD + "*,f0.xlsx,A,B6,Ada,known,\n", "line 2: “code” is *"),
        (HEAD + "total-differs,*,A,B6,Ada,known,\n", "line 2: “file” is *"),
        (HEAD + "total-differs,f0.xlsx,A,*,Ada,known,\n", "line 2: “cell” is *"),
        (HEAD + "total-differs,f0.xlsx,A,,Ada,known,\n", "line 2: “cell” is blank"),
        (HEAD + "total-differs,f0.xlsx,A,B6,Ada,,\n", "line 2: “why” is blank"),
        (HEAD + "total-differs,f0.xlsx,A,B6,,known,\n", "line 2: “who” is blank"),
        (HEAD + "totals-differ,f0.xlsx,A,B6,Ada,known,\n", "there is no finding “totals-differ”"),
        (HEAD + "total-differs,f0.xlsx,A,6B,Ada,known,\n", "write C7, row 7 or column C"),
        (HEAD + "total-differs,f0.xlsx,A,B6,Ada,known,May\n", "write it as 2026-12-31"),
        ("code,file\n", "there is no column “cell”"),
    ],
)
def test_a_line_that_accepts_too_much_or_says_too_little_is_refused(
    desk: Path, text: str, said: str
) -> None:
    (desk / "accepted.csv").write_text(text, "utf-8")
    done = program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert done.status == 2 and said in done.err and not (desk / "o.csv").exists()


@pytest.fixture
def undecided(desk: Path) -> Path:
    """The same, before anybody has accepted anything; the run is there."""
    (desk / "accepted.csv").unlink()
    layout = desk / "l.toml"
    layout.write_text(layout.read_text("utf-8").replace('accepted = "accepted.csv"\n', ""), "utf-8")
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    return desk


def test_a_finding_is_accepted_by_a_line_beside_the_layout(undecided: Path) -> None:
    call = ("accept", "o.csv", "total-differs", "--why", "a tray, lost", "--who", "Ada")
    several = program(*call, cwd=undecided)
    assert several.status == 2 and not (undecided / "accepted.csv").exists()
    assert "findings are like that; name one of them with --file, --tab and --cell" in several.err
    assert "  f0.xlsx › A › B6" in several.err.splitlines()
    done = program(*call, "--file", "f0*", cwd=undecided)
    assert done.status == 0 and "total-differs is accepted: f0.xlsx › A › B6" in done.out
    assert "l.toml was edited too" in done.out
    (line,) = csv_rows(undecided / "accepted.csv")
    assert (line["file"], line["cell"], line["why"]) == ("f0.xlsx", "B6", "a tray, lost")
    assert line["looked_for"] and line["found"]  # what was seen, and no more
    again = program(*call, "--file", "f0.xlsx", cwd=undecided)
    program("extract", "l.toml", "-o", "o.csv", cwd=undecided)
    assert codes(undecided)["accepted"] == ["total-differs"]
    # Twice is once too often.
    assert again.status == 2 and "line 2 accepts it already: Ada, a tray, lost" in again.err
    now = program(*call, "--file", "f0.xlsx", cwd=undecided)
    assert now.status == 2 and "accepted already, by Ada: a tray, lost" in now.err


@pytest.mark.parametrize(
    ("options", "status", "said"),
    [
        (("total-difers",), 2, "there is no finding “total-difers”; did you mean “total-differs”?"),
        (("key-twice",), 1, "The run of “o.csv” has no such finding."),
        (("total-differs", "--cell", "Z9"), 1, "has no such finding"),
        (("total-differs", "--file", "f0.xlsx", "--until", "2020-01-31"), 2, "2020-01-31 is past"),
        (("total-differs", "--file", "f0.xlsx", "--who", " "), 2, "--who is blank"),
        (("total-differs", "--file", "{a}{b}"), 2, "--file: "),
    ],
)
def test_what_is_not_there_is_not_accepted(
    undecided: Path, options: tuple[str, ...], status: int, said: str
) -> None:
    done = program("accept", "o.csv", *options, "--why", "known", cwd=undecided)
    assert (done.status, (undecided / "accepted.csv").exists()) == (status, False), done.err
    assert said in done.err


def test_a_file_that_cannot_say_what_was_seen_is_not_added_to(desk: Path) -> None:
    program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    done = program("accept", "o.csv", "value-not-converted", "--why", "known", cwd=desk)
    assert done.status == 2
    assert (
        "accepted.csv has no columns “looked_for”, “found”; add them to its first line" in done.err
    )
    assert (desk / "accepted.csv").read_text("utf-8") == HEAD + LINE


def test_what_is_about_no_cell_is_not_accepted(undecided: Path) -> None:
    (undecided / "in" / "bad.xlsx").write_bytes(b"no workbook")
    program("extract", "l.toml", "-o", "o.csv", cwd=undecided)
    rows = csv_rows(undecided / "o.csv.run" / "findings.csv")
    code = next(row["code"] for row in rows if row["file"] == "bad.xlsx" and not row["cell"])
    done = program("accept", "o.csv", code, "--why", "known", cwd=undecided)
    assert done.status == 2 and "only what stands in a cell can be accepted" in done.err


def test_a_file_of_acceptances_is_never_written_to(desk: Path) -> None:
    wrong = program("extract", "l.toml", "-o", "accepted.csv", "--overwrite", cwd=desk)
    assert wrong.status == 2 and (desk / "accepted.csv").read_text("utf-8") == HEAD + LINE
    (desk / "accepted.csv").unlink()
    gone = program("extract", "l.toml", "-o", "o.csv", cwd=desk)
    assert gone.status == 2 and "accepted.csv" in gone.err
