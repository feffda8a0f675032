"""What `draft` prints and asks: the figures of a run over all files, questions, and answers."""

from __future__ import annotations

import json
import os
import pty
import subprocess
import tomllib
from pathlib import Path
from typing import Any

import pytest

from helpers import PROGRAM, csv_rows, program, write_workbook


@pytest.fixture
def lists(tmp_path: Path) -> Path:
    """Lists of four sites; in one of them a heading was renamed, in another a number is a text."""
    for at, site in enumerate(("Frostmo", "Lomlia", "Granvik", "Suvanto")):
        keeper = "Foreman" if at == 3 else "Keeper"
        rows: list[list[Any]] = [["Lot", keeper, "Pieces"]]
        rows += [[f"L{at}{row}", "ABC"[row % 3], 10 * row + at] for row in range(8)]
        if at == 2:
            rows[4][2] = "some"
        write_workbook(tmp_path / "in" / f"count_{site}_2026-03.xlsx", {"Count": rows})
    write_workbook(tmp_path / "in" / "rota.xlsx", {"Rota": [["Week", "Who"], [1, "A"], [2, "B"]]})
    return tmp_path


def test_the_json_has_all_questions_and_what_is_left_out(lists: Path) -> None:
    done = program("draft", "in", "--json", cwd=lists)
    said = json.loads(done.out)
    assert done.status == 1 and said["files"] == 4 and said["records"] == 32
    kinds = {one["kind"]: one for one in said["questions"]}
    renamed = kinds["heading"]
    assert (renamed["file"], renamed["tab"], renamed["cell"]) == (
        "count_Suvanto_2026-03.xlsx", "Count", "B1",
    )  # fmt: skip
    assert renamed["choices"] == ["Keeper", "Foreman"] and renamed["taken"] == "Keeper"
    assert renamed["records"] == 8
    assert kinds["value-not-converted"]["cell"] == "C5" and kinds["name"]["column"] == "part"
    (rota,) = said["left_out"]
    assert rota["file"] == "rota.xlsx" and "another kind" in rota["why"]
    assert 'include = "count_{part}_{month}.xlsx"' in said["layout"]


def test_what_is_printed_is_what_extract_gives(lists: Path) -> None:
    done = program("draft", "in", "-o", "d.toml", cwd=lists)
    assert "4 tabs of 4 files, 32 records" in done.out and done.status == 1
    assert "Not read\n  rota.xlsx › Rota: its table is of another kind" in done.out
    program("extract", "d.toml", "-o", "d.csv", cwd=lists)
    rows = csv_rows(lists / "d.csv")
    assert len(rows) == 32 and {row["month"] for row in rows} == {"2026-03"}
    assert [row["keeper"] for row in rows if row["part"] == "Suvanto"] == list("ABCABCAB")


def test_files_and_folders_are_drafted_from_as_they_are_named(lists: Path) -> None:
    two = sorted((lists / "in").glob("count_[FL]*"))
    done = program("draft", *two, "-o", lists / "d.toml", cwd=lists)
    assert tomllib.loads((lists / "d.toml").read_text())["source"]["folder"] == "in"
    assert "count_{part}_{month}.xlsx" in (lists / "d.toml").read_text() and done.status in (0, 1)
    assert 'include = "rota.xlsx"' in program("draft", "in/rota.xlsx", cwd=lists).out
    missing = program("draft", "in/nothing.xlsx", cwd=lists)
    assert missing.status == 2 and "there is no folder or file “in/nothing.xlsx”" in missing.err


ANSWERS = [
    ("2\nsite\n", {"foreman"}, {"site", "month", "lot", "keeper", "foreman", "pieces"}),
    ("1\nbad name\nsite\n", set(), {"site", "month", "lot", "keeper", "pieces"}),
    ("\n\n", set(), {"part", "month", "lot", "keeper", "pieces"}),
]


@pytest.mark.parametrize(("typed", "alone", "fields"), ANSWERS)
def test_every_answer_changes_the_layout_as_it_says(
    lists: Path, typed: str, alone: set[str], fields: set[str]
) -> None:
    status, text = ask(lists, typed)
    assert status == 1 and "“Foreman” holds the same texts as “Keeper”" in text
    assert ("“bad name” is no name for a field" in text) == ("bad" in typed)
    layout = tomllib.loads((lists / "d.toml").read_text("utf-8"))
    assert set(layout["fields"]) == fields
    name = "site" if "site" in fields else "part"
    assert layout["source"]["include"] == f"count_{{{name}}}_{{month}}.xlsx"
    program("extract", "d.toml", "-o", "d.csv", cwd=lists)
    filled = {key for row in csv_rows(lists / "d.csv") for key in alone if row[key]}
    assert filled == alone


def ask(home: Path, typed: str) -> tuple[int, str]:
    """`draft in --ask -o d.toml` in a terminal: its status, and what it shows."""
    ours, theirs = pty.openpty()
    call = [PROGRAM, "draft", "in", "--ask", "-o", "d.toml"]
    with subprocess.Popen(call, stdin=theirs, stdout=theirs, stderr=theirs, cwd=home) as running:
        os.close(theirs)
        os.write(ours, typed.encode())
        shown = b""
        while chunk := _read(ours):
            shown += chunk
    os.close(ours)
    return running.returncode, shown.decode()


@pytest.mark.parametrize(("typed", "across"), [("1\n", True), ("2\n", False)])
def test_what_the_tabs_are_can_be_chosen(tmp_path: Path, typed: str, across: bool) -> None:
    (tmp_path / "in").mkdir()
    for file in range(4):
        ends = {(0, 0): 0, (1, 1): 400}
        lines = [
            ",".join([f"L{file}{row}", *(
                str(ends.get((file, row), (file * 131 + row * 37 + at * 97) % 401))
                for at in range(6)
            )])
            for row in range(6)
        ]  # fmt: skip
        text = "\n".join(["Lot,Sown,Kept,Sold,Lost,Given,Late", *lines])
        (tmp_path / "in" / f"stock_N{file}.csv").write_text(f"{text}\n", "utf-8")
    plain = program("draft", "in", "--json", cwd=tmp_path)
    (asked,) = (one for one in json.loads(plain.out)["questions"] if one["kind"] == "reading")
    assert (plain.status, asked["choices"]) == (1, ["a cross-tab", "a list"])
    status, shown = ask(tmp_path, typed + "\n" * 4)  # names of ours may stay
    assert "is almost as likely" in shown and status in (0, 1)
    assert ("across" in (tmp_path / "d.toml").read_text("utf-8")) == across
    program("extract", "d.toml", "-o", "d.csv", cwd=tmp_path)
    records = len(csv_rows(tmp_path / "d.csv"))
    assert records == (144 if across else 24)
    said = f"as a cross-tab ({records} records)" if across else f"a list ({records})"
    assert said in asked["text"]


def _read(terminal: int) -> bytes:
    try:
        return os.read(terminal, 4096)
    except OSError:  # the program has ended
        return b""


def test_without_a_terminal_nothing_is_asked(lists: Path) -> None:
    done = program("draft", "in", "--ask", cwd=lists)
    assert done.status == 2 and "--ask needs a terminal" in done.err
