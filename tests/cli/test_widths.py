"""Whatever the width of the terminal: no line is wider, and no word or number is broken."""

from __future__ import annotations

import fcntl
import os
import pty
import re
import shutil
import struct
import subprocess
import termios
from pathlib import Path

import pytest

from boreotabula.cli.main import COMMANDS
from boreotabula.texts import display_width, folded
from helpers import PROGRAM, program

WIDTHS = (60, 80, 100, 120, 200)
CODES = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")
FAULTY = "inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"
COMMON = {
    "extract": "extract stock.toml -o stock.csv -v",
    "dry run": "extract stock.toml --dry-run",
    "survey": "survey inbox",
    "survey with layout": "survey inbox --layout stock.toml",
    "draft": "draft benches -o drafted.toml",
    "headings": "headings dispatch.toml",
    "trace": "trace stock.csv 1",
    "crosstab": "crosstab stock.csv --rows nursery --across month --value seedlings",
    "coverage": "coverage stock.csv --rows nursery --across month",
    "mark": "mark stock.csv -o returns",
    "check": f"check {FAULTY} --layout stock.toml",
    "correct": f"correct {FAULTY} Greenhouse*2 D10 --layout stock.toml --to few --why x",
    "bind": "bind benches -o bound.xlsx --overwrite",
    "cache": "cache",
    "compare": "compare earlier.csv stock.csv --limit 3",
    "compare by a key": "compare earlier.csv stock.csv --key nursery,month,species,lot --limit 3",
    "accept": "accept stock.csv total-differs --why x",
    "draft by halves": "draft dispatch --halves -o halves.toml",
    "demo": "demo other",
    "wrong call": "extract stock.toml -o a.csv --expect sites.csv --limit 3",
    "wrong file": "show inbox/nothing_of_this_name_is_there.xlsx",
    "show": f"show {FAULTY}",
    "show with layout": f"show {FAULTY} --layout stock.toml",
    **{f"help {name}": f"{name} --help" for name in COMMANDS},
}


@pytest.fixture(scope="module")
def desk(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("widths") / "trial"
    shutil.copytree(demo, folder)
    assert program("extract", "stock.toml", "-o", "stock.csv", cwd=folder).status == 1
    heads, *lines = (folder / "stock.csv").read_text("utf-8").splitlines(keepends=True)
    changed = [line.replace(",1,", ",7,") for line in lines[3:]]
    (folder / "earlier.csv").write_text("".join([heads, *changed]), "utf-8")
    return folder


def printed(command: str, width: int, folder: Path) -> list[str]:
    """The lines that a command prints on a terminal of some width, without colours and bars."""
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 50, width, 0, 0))
    hidden = ("COLUMNS", "NO_COLOR")
    around = {name: value for name, value in os.environ.items() if name not in hidden}
    around["TERM"] = "xterm-256color"
    for made in (
        "drafted.toml",
        "halves.toml",
        "halves-headings.csv",
        "bound.xlsx",
    ):  # as if it were the first time
        (folder / made).unlink(missing_ok=True)
    for made in ("returns", "other"):
        shutil.rmtree(folder / made, ignore_errors=True)
    with subprocess.Popen(
        [PROGRAM, *command.split()], stdin=theirs, stdout=theirs, stderr=theirs, cwd=folder,
        env=around,
    ):  # fmt: skip
        os.close(theirs)
        content = b""
        try:
            while chunk := os.read(ours, 65536):
                content += chunk
        except OSError:  # the terminal is closed at its end
            pass
    os.close(ours)
    text = content.decode().replace("\r\n", "\n")
    # What was erased, as a bar is: the line before, and what stood on this one.
    text = re.sub(r"[^\n]*\n[^\n]*\x1b\[1A\x1b\[2K|[^\n]*(\r|\x1b\[2K)", "", text)
    return [CODES.sub("", line).rstrip() for line in text.split("\n")]


@pytest.mark.parametrize("name", COMMON)
def test_no_line_is_wider_than_the_terminal(desk: Path, name: str) -> None:
    for width in WIDTHS[:2] if name.startswith("help") else WIDTHS:
        lines = printed(COMMON[name], width, desk)
        # A word that is wider than the terminal stays whole.
        wide = [line for line in lines if display_width(line) > width and " " in line.strip()]
        assert not wide, (width, wide)


DRAWN = ("show", "show with layout", "trace")
"""A tab that is drawn in columns cuts long texts, and its figures are whole."""


@pytest.mark.parametrize("name", [n for n in COMMON if n not in DRAWN and n[:4] != "help"])
def test_no_word_is_cut_or_broken(desk: Path, name: str) -> None:
    whole = set(" ".join(printed(COMMON[name], 400, desk)).split())
    for word in set(" ".join(printed(COMMON[name], 60, desk)).split()) - whole:
        assert not word.endswith("…"), word
        assert not any(len(word) > 3 and long.startswith(word) for long in whole), word


@pytest.mark.parametrize(
    ("text", "width", "lines"),
    [
        ("short", 10, ["short"]),
        ("a line of several words", 10, ["a line of", "  several", "  words"]),
        ("  set in and long", 11, ["  set in", "    and", "    long"]),
        ("12,345,678,901 pieces", 8, ["12,345,678,901", "  pieces"]),
        ("stays\u00a0together here", 14, ["stays\u00a0together", "  here"]),
        ("二十四 個", 7, ["二十四", "  個"]),
        ("one\ntwo three", 5, ["one", "two", "  three"]),
    ],
)
def test_a_line_is_folded_at_blanks(text: str, width: int, lines: list[str]) -> None:
    assert folded(text, width).split("\n") == lines
