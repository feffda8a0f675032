"""One rule on overwriting for all commands: no input is written to, and nobody's file is replaced
unasked."""

from __future__ import annotations

import re
from pathlib import Path

import openpyxl
import pytest

from boreotabula.batch import claims
from helpers import Outcome, csv_rows, program, write_workbook

LAYOUT = 'layout = 1\n[source]\nfolder = "in"\n[block]\n[fields]\nlot = "text"\nn = "integer"\n'
CROSS = ("--rows", "lot", "--value", "n")
COMMANDS = {
    "crosstab -o": ("crosstab", "s.csv", *CROSS, "-o"),
    "crosstab --chart": ("crosstab", "s.csv", *CROSS, "--chart"),
    "coverage -o": ("coverage", "s.csv", "--rows", "lot", "--across", "n", "-o"),
    "coverage --chart": ("coverage", "s.csv", "--rows", "lot", "--across", "n", "--chart"),
    "compare -o": ("compare", "s.csv", "t.csv", "-o"),
    "compare --chart": ("compare", "s.csv", "t.csv", "--chart"),
    "bind -o": ("bind", "in", "-o"),
    "show --page": ("show", "in/a.xlsx", "--layout", "l.toml", "--page"),
    "extract --report": ("extract", "l.toml", "-o", "s.csv", "--report"),
    "extract -o": ("extract", "l.toml", "-o"),
}
ENDINGS = {
    "crosstab -o": (".csv", ".xlsx"),
    "crosstab --chart": (".png", ".svg", ".pdf"),
    "coverage -o": (".csv", ".xlsx"),
    "coverage --chart": (".png",),
    "compare -o": (".csv", ".xlsx"),
    "compare --chart": (".png",),
    "bind -o": (".xlsx",),
    "show --page": (".html",),
    "extract --report": (".html",),
    "extract -o": (".csv", ".xlsx", ".parquet", ".jsonl", ".sqlite"),
}
EVERY = [(name, ending) for name, endings in ENDINGS.items() for ending in endings]


@pytest.fixture
def home(tmp_path: Path) -> Path:
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [["lot", "n"], ["A", 1], ["B", 2]]})
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    assert program("extract", "l.toml", "-o", "t.csv", cwd=tmp_path).status == 0
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [["lot", "n"], ["A", 1], ["B", 3]]})
    assert program("extract", "l.toml", "-o", "s.csv", cwd=tmp_path).status == 0
    return tmp_path


def call(home: Path, name: str, out: str, *more: str) -> Outcome:
    done = program(*COMMANDS[name], out, *more, cwd=home)
    assert "Traceback" not in done.err and done.status != 70
    return done


@pytest.mark.parametrize(("name", "ending"), EVERY)
def test_a_file_of_somebody_else_stays(home: Path, name: str, ending: str) -> None:
    out = home / f"mine{ending}"
    out.write_bytes(b"mine")
    done = call(home, name, out.name)
    assert done.status == 2 and "so it was not replaced" in done.err and "--overwrite" in done.err
    assert out.read_bytes() == b"mine"
    assert call(home, name, out.name, "--overwrite").status in (0, 1)
    assert out.read_bytes() != b"mine"


@pytest.mark.parametrize(("name", "ending"), EVERY)
def test_its_own_file_is_replaced_unless_somebody_changed_it(
    home: Path, name: str, ending: str
) -> None:
    out = home / f"own{ending}"
    for _ in range(2):
        assert call(home, name, out.name).status in (0, 1)
    edited = out.read_bytes() + b" "
    out.write_bytes(edited)
    done = call(home, name, out.name)
    assert done.status == 2 and re.search("changed (or copied )?since", done.err)
    assert out.read_bytes() == edited


@pytest.mark.parametrize(
    ("name", "ending"),
    [one for one in EVERY if one[1] not in (".csv",) and "extract -o" not in one[0]],
)
def test_what_carries_a_mark_is_known_without_the_list(home: Path, name: str, ending: str) -> None:
    out = home / f"own{ending}"
    assert call(home, name, out.name).status in (0, 1)
    claims._list().unlink()
    assert call(home, name, out.name).status in (0, 1)


def test_a_workbook_that_was_saved_again_is_somebody_elses(home: Path) -> None:
    assert call(home, "bind -o", "all.xlsx").status == 0
    claims._list().unlink()
    book = openpyxl.load_workbook(home / "all.xlsx")
    book.save(home / "all.xlsx")
    assert "so it was not replaced" in call(home, "bind -o", "all.xlsx").err


@pytest.mark.parametrize(
    "words",
    [
        ("crosstab", "s.csv", *CROSS, "-o", "s.csv"),
        ("compare", "s.csv", "t.csv", "-o", "t.csv"),
        ("coverage", "s.csv", "--rows", "lot", "--across", "n", "--expect", "e.csv", "-o", "e.csv"),
        ("bind", "in/a.xlsx", "-o", "in/a.xlsx"),
        ("extract", "l.toml", "-o", "l.toml"),
    ],
)
def test_an_input_is_never_written_to(home: Path, words: tuple[str, ...]) -> None:
    (home / "e.csv").write_text("lot\nA\n", "utf-8")
    before = {path: path.read_bytes() for path in home.rglob("*") if path.is_file()}
    for more in ((), ("--overwrite",)):
        done = program(*words, *more, cwd=home)
        assert done.status == 2 and done.err, done
    assert {path: path.read_bytes() for path in home.rglob("*") if path.is_file()} == before


def test_a_workbook_with_added_rows_is_no_new_file(home: Path) -> None:
    assert program("extract", "l.toml", "-o", "b.xlsx", cwd=home).status == 0
    assert program("extract", "l.toml", "--into", "b.xlsx", cwd=home).status == 0
    done = program("extract", "l.toml", "-o", "b.xlsx", cwd=home)
    assert done.status == 2 and "rows that were added with --into" in done.err
    assert len(csv_rows(home / "b.xlsx.run" / "findings.csv")) == 0
