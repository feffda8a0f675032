"""Files that ask for too much: each is told, none brings the run down, and good ones are read."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from boreotabula.workbooks.opening import Workbook
from boreotabula.workbooks.sheet import Sheet
from helpers import PROGRAM, csv_rows, program, write_workbook
from hostile_files import HOSTILE

LAYOUT = """
layout = 1
[source]
folder = "inbox"
[tabs]
position = 1
[block]
[fields]
species = "text"
lot = "integer"
"""
GOOD = {"a good one.csv": "species,lot\nPine,1\n", "the last one.csv": "species,lot\nOak,2\n"}
MEASURE = """
import resource, subprocess, sys
status = subprocess.run(sys.argv[1:]).returncode
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
sys.exit(status)
"""
"""Runs a command and prints the KiB that it, or any of its processes, took at most."""
MOST = 1024 * 1024
GROUPS = 4


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    (tmp_path / "lots.toml").write_text(LAYOUT, encoding="utf-8")
    for name, text in GOOD.items():
        (inbox / name).write_text(text, encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize("group", range(GROUPS))
def test_no_file_takes_more_than_it_may_and_the_good_ones_are_read(desk: Path, group: int) -> None:
    hostile = list(HOSTILE)[group::GROUPS]
    sizes = [HOSTILE[name](desk / "inbox" / name).stat().st_size for name in hostile]
    assert max(sizes) < 21 * 2**20
    command = [PROGRAM, "extract", "lots.toml", "-o", "out.csv"]
    done = subprocess.run(
        [sys.executable, "-c", MEASURE, *command],
        cwd=desk,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, "Traceback" in done.stderr) == (1, False), done.stderr
    assert int(done.stdout.split()[-1]) < MOST
    assert [row["species"] for row in csv_rows(desk / "out.csv")] == ["Pine", "Oak"]
    told = {row["file"] for row in csv_rows(desk / "out.run" / "findings.csv")}
    assert told == set(hostile)


def test_a_file_larger_than_its_budget_is_not_even_looked_at(desk: Path) -> None:
    with (desk / "inbox" / "sparse.csv").open("wb") as stream:
        stream.truncate(200 * 2**30)
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    assert done.status == 1 and "sparse.csv" in done.err and "the file itself" in done.err
    assert len(csv_rows(desk / "out.csv")) == 2


FORM = [["species", "lot"], ["Elm", 7]]
COMMANDS = [
    (["show", "inbox/b.xlsx"], 2, "stops the reader for good"),
    (["survey", "inbox"], 0, "stops the reader for good"),
    (["headings", "lots.toml"], 0, "stops the reader for good"),
    (["bind", "inbox", "-o", "bound.xlsx"], 1, "stops the reader for good"),
    (["trace", "inbox/b.xlsx", "Bench 1", "A2", "--layout", "lots.toml"], 2, "stops the reader"),
    (["extract", "lots.toml", "inbox/b.xlsx", "-o", "out.csv"], 3, "stops the reader for good"),
    (["extract", "lots.toml", "-o", "out.csv"], 1, "stops the reader for good"),
]


@pytest.mark.parametrize(("arguments", "status", "said"), COMMANDS, ids=lambda one: str(one)[:20])
def test_every_command_survives_a_reader_that_aborts(
    desk: Path, arguments: list[str], status: int, said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_workbook(desk / "inbox" / "b.xlsx", {"Bench 1": FORM})
    monkeypatch.setattr(Workbook, "sheet", _instead(os.abort))
    done = program(*arguments, cwd=desk)
    assert (done.status, said in done.out + done.err) == (status, True), done
    assert "Traceback" not in done.err


def _instead(what: Callable[[], None]) -> Callable[[Workbook, str], Sheet]:
    """What is done instead of reading a tab of an .xlsx file."""
    usual = Workbook.sheet

    def sheet(self: Workbook, name: str) -> Sheet:
        if self.path.suffix == ".xlsx":
            what()
        return usual(self, name)

    return sheet


def _fail() -> None:
    raise ZeroDivisionError


def test_a_fault_at_one_file_is_an_error_of_that_file(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_workbook(desk / "inbox" / "b.xlsx", {"Bench 1": FORM})

    monkeypatch.setattr(Workbook, "sheet", _instead(_fail))
    done = program("extract", "lots.toml", "-o", "out.csv", cwd=desk)
    assert (done.status, "Traceback" in done.err) == (1, False)
    found = csv_rows(desk / "out.run" / "findings.csv")
    assert [(row["file"], row["code"]) for row in found] == [("b.xlsx", "file-fault")]
    assert len(csv_rows(desk / "out.csv")) == 2
    report = Path(found[0]["advice"].rpartition(" ")[2])
    assert "ZeroDivisionError" in report.read_text("utf-8")
