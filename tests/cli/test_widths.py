"""Whatever the width of the terminal: no line is wider, and no word or number is broken."""

from __future__ import annotations

import fcntl
import os
import pty
import re
import shutil
import struct
import sys
import termios
from collections.abc import Sequence
from contextlib import suppress
from importlib import import_module
from pathlib import Path
from typing import NoReturn

import pytest

from boreotabula.cli.main import COMMANDS, run
from boreotabula.texts import display_width, folded
from helpers import program

WIDTHS = (60, 80, 100, 120, 200, 400)
CODES = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")
FAULTY = "inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"
COMMON = {
    "extract": "extract stock.toml -o stock.csv -v",
    "dry run": "extract stock.toml --dry-run",
    "survey": "survey inbox",
    "survey with layout": "survey inbox --layout stock.toml",
    "draft": "draft dispatch -o drafted.toml",
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
    "draft by halves": "draft benches --halves -o halves.toml",
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


MADE = ("drafted.toml", "drafted-headings.csv", "halves.toml", "bound.xlsx", "returns", "other")


@pytest.fixture(scope="module", autouse=True)
def _imported() -> None:
    """All commands, once for all forks."""
    for module, _ in COMMANDS.values():
        import_module(module)


def printed(command: str, width: int, folder: Path) -> list[str]:
    """The lines that a command prints on a terminal of some width, without colours and bars."""
    # As if it were the first time.
    for made in map(folder.joinpath, MADE):
        shutil.rmtree(made) if made.is_dir() else made.unlink(missing_ok=True)
    # A fork of this process, where the program is imported already: its start is tested elsewhere.
    process, terminal = pty.fork()
    if process == 0:
        _on_terminal(command.split(), width, folder)
    content = b""
    with suppress(OSError):  # the terminal is closed at its end
        while chunk := os.read(terminal, 65536):
            content += chunk
    os.close(terminal)
    _, status = os.waitpid(process, 0)
    assert os.waitstatus_to_exitcode(status) in (0, 1, 2), content
    text = content.decode().replace("\r\n", "\n")
    # What was erased, as a bar is: the line before, and what stood on this one.
    text = re.sub(r"[^\n]*\n[^\n]*\x1b\[1A\x1b\[2K|[^\n]*(\r|\x1b\[2K)", "", text)
    return [CODES.sub("", line).rstrip() for line in text.split("\n")]


def _on_terminal(words: Sequence[str], width: int, folder: Path) -> NoReturn:
    """The program on the terminal that this process has."""
    try:
        fcntl.ioctl(0, termios.TIOCSWINSZ, struct.pack("HHHH", 50, width, 0, 0))
        os.chdir(folder)
        for name in ("COLUMNS", "NO_COLOR"):
            os.environ.pop(name, None)
        os.environ["TERM"] = "xterm-256color"
        sys.argv = ["boreotabula", *words]
        sys.stdin, sys.stdout, sys.stderr = map(os.fdopen, range(3), "rww")
        run()
    finally:
        # Nothing of the tests may go on in this process.
        os._exit(99)


DRAWN = ("show", "show with layout", "trace")
"""A tab that is drawn in columns cuts long texts, and its figures are whole."""


@pytest.mark.parametrize("name", COMMON)
def test_no_line_is_wider_than_the_terminal_and_no_word_is_cut(desk: Path, name: str) -> None:
    help_page = name.startswith("help")
    lines_at = {
        width: printed(COMMON[name], width, desk) for width in (WIDTHS[:2] if help_page else WIDTHS)
    }
    for width, lines in lines_at.items():
        # A word that is wider than the terminal stays whole.
        wide = [line for line in lines if display_width(line) > width and " " in line.strip()]
        assert not wide, (width, wide)
    if name in DRAWN or help_page:
        return
    words, *_, whole = (set(" ".join(lines).split()) for lines in lines_at.values())
    for word in words - whole:
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
