"""Calls that are not quite right: each is told what it is, and the command that was meant."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from boreotabula.cli.main import COMMANDS, GROUPS
from helpers import program, write_workbook

BOOK = "inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"
WRONG = {
    "extract inbox -o a.csv": "boreotabula draft inbox -o inbox.toml",
    "headings inbox": "“inbox” is a folder, not a layout",
    f"extract {BOOK}": f"boreotabula draft {BOOK} -o NAME.toml writes a layout for it",
    f"survey {BOOK}": f"boreotabula show {BOOK} draws it",
    "extract stock.tml -o a.csv": "there is no layout “stock.tml”; did you mean “stock.toml”?",
    "draft inbox -o new.csv": "-o names the layout that is written, such as new.toml",
    "draft": "name the folder with the files; or a layout, with --again",
    "extrct stock.toml": "there is no command “extrct”; did you mean “extract”?",
    "extract stock.toml --out a.csv": "there is no option --out; did you mean “--output”?",
    "extract": "missing argument 'LAYOUT'\nboreotabula extract --help lists what there is",
    "crosstab stock.csv --rows nursery --value seedlings --chart-kind bars":
        "name a file with --chart",
    "mark stock.toml -o returns":
        "a layout; name the records, OUT of boreotabula extract stock.toml -o OUT",
    "extract back.toml --dry-run": "TOML reads \\ in double quotes as the start of one; write",
    "mark stock.csv -o returns --language sv": "no texts in “sv”, only in de, en, fi, nb",
}  # fmt: skip


@pytest.fixture(scope="module")
def desk(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("wrong") / "trial"
    shutil.copytree(demo, folder)
    text = (folder / "stock.toml").read_text("utf-8").replace('"inbox"', '"C:\\reports"')
    (folder / "back.toml").write_text(text, "utf-8")
    return folder


@pytest.mark.parametrize("call", WRONG)
def test_a_wrong_call_is_told_what_was_meant(desk: Path, call: str) -> None:
    before = sorted(desk.iterdir())
    done = program(*call.split(), cwd=desk)
    assert (done.status, done.out) == (2, "") and WRONG[call] in done.err
    assert "Usage:" not in done.err and sorted(desk.iterdir()) == before


def test_the_program_alone_says_how_to_begin() -> None:
    done = program()
    start, _, rest = done.out.partition("Options:")
    assert "boreotabula draft FOLDER -o NAME.toml\n  " in start
    assert [name for names in GROUPS.values() for name in names] == [
        line.split()[0] for line in rest.splitlines() if line.startswith("  ")
        and line.split()[0] in COMMANDS
    ]  # fmt: skip
    assert sorted(COMMANDS) == sorted(name for names in GROUPS.values() for name in names)


def test_printed_commands_quote_blanks(tmp_path: Path) -> None:
    for at in range(2):
        rows = [["Lot", "Pieces"], *([f"L{at}{row}", 40 + row] for row in range(3))]
        write_workbook(tmp_path / "in box" / f"a{at}.xlsx", {"A": rows})
    done = program("draft", "in box", "-o", "my layout.toml", cwd=tmp_path)
    assert done.out.endswith('Next: boreotabula extract "my layout.toml" -o "my layout.csv"\n')
    assert 'boreotabula draft "in box"' in program("survey", "in box", cwd=tmp_path).out
    wrong = program("extract", "in box", cwd=tmp_path)
    assert 'boreotabula draft "in box" -o "in box.toml"' in wrong.err
