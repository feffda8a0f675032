"""Every block of the handbook is run: its commands work, and they print what it shows.

A fence `sh` holds commands, `text` what the commands above it print, line by line. Any other has
the name of the file that it is as its title. A comment `<!-- then: … -->` says what has happened to
the folder of the demo.
"""

from __future__ import annotations

import os
import re
import shlex
import shutil
import tomllib
from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path

import openpyxl
import pytest
from click.testing import CliRunner

from boreotabula.cli.main import cli
from helpers import csv_rows

DOCS = Path(__file__).parents[1] / "docs"
PAGES = [
    *sorted(DOCS.glob("[0-9]-*.md")),
    *(DOCS / f"{name}.md" for name in ("index", "questions", "trust")),
]
_BLOCK = re.compile(
    r"^<!-- then: ([^\n]+) -->$|^```(\S+)(?: title=\"(.+?)\")?\n(.*?)^```$", re.M | re.S
)
_OF_OTHER_TESTS = {
    "cluster": "batch/test_cluster.py", "database": "stores/test_databases.py",
    "remote": "batch/test_remote.py", "python": "test_python.py",
    "layout": "test_handbook.py", "which-form": "test_handbook.py",
}  # fmt: skip
"""The pages whose blocks need servers, or are no commands: the tests that run them."""


def run(line: str) -> str:
    """What a command prints, as to a file."""
    call = shlex.split(line.partition(" > ")[0], comments=True)
    done = CliRunner().invoke(cli, call[1:], standalone_mode=False)
    # The demo has one error on purpose; a run that has it is written and exits with 1.
    assert done.exception is None and done.return_value in (0, 1), (line, done.exception)
    assert done.output or "--quiet" in line, line
    for name in re.findall(r"(?:-o|--chart|--report|--page) (\w\S*\.\w+)", line):
        assert Path(name).stat().st_size > 0, line
    return str(done.output)


# --- what happens to the folder ------------------------------------------------------------------


def lower(path: Path, by: int) -> None:
    """Three counts of the first tab of a workbook become others."""
    book = openpyxl.load_workbook(path)
    counts = [
        cell for row in book.worksheets[0].iter_rows(min_row=10) for cell in row
        if isinstance(cell.value, int)
    ]  # fmt: skip
    for cell in counts[:3]:
        cell.value -= by  # type: ignore[operator]
    book.save(path)


def next_month() -> None:
    run("boreotabula extract stock.toml -o stock.xlsx")
    inbox = Path("inbox")
    for name in ("fjord_stock_Frostmo", "inland_stock_Granvik"):
        lower(inbox / "2026-04" / f"{name}_2026-04.xlsx", 5)
    (inbox / "2026-01" / "lake_stock_Suvanto_2026-01.ods").unlink()
    january = inbox / "2026-01" / "fjord_stock_Lomlia_2026-01.xlsx"
    january.rename(january.with_name("fjord_stock_Lomlia_January.xlsx"))
    book = openpyxl.load_workbook(inbox / "2026-03" / "fjord_stock_Frostmo_2026-03.xlsx")
    for sheet in book:
        sheet["B4"] = datetime(2026, 5, 1)
    (inbox / "2026-05").mkdir()
    book.save(inbox / "2026-05" / "fjord_stock_Frostmo_2026-05.xlsx")


def reports_missing() -> None:
    april = Path("inbox", "2026-04")
    for name in ("fjord_stock_Lomlia", "inland_stock_Granvik"):
        (april / f"{name}_2026-04.xlsx").unlink()
    late = datetime(2026, 5, 12, 12).timestamp()
    os.utime(april / "fjord_stock_Frostmo_2026-04.xlsx", (late, late))
    lines = ["nursery,due,language", "Frostmo,,", "Granvik,20,fi", "Lomlia,,nb"]
    Path("sites.csv").write_text("\n".join(lines), "utf-8")
    run("boreotabula extract stock.toml -o stock.csv")


def restated() -> None:
    run("boreotabula extract stock.toml -o stock.parquet")
    run("boreotabula draft inbox -o changed.toml")
    lower(Path("inbox", "2026-01", "fjord_stock_Lomlia_2026-01.xlsx"), -7)
    run("boreotabula extract stock.toml -o stock.csv")


def gauge_fails() -> None:
    path = Path("climate", "logger_Frostmo_2026-W05.dat")
    lines = path.read_text("utf-8").splitlines()
    lines[2] = "|".join([lines[2].split("|")[0], "n/a", *lines[2].split("|")[2:]])
    path.write_text("\n".join(lines), "utf-8")


EVENTS: dict[str, Callable[[], object]] = {
    "the demo": lambda: None,
    "the next month comes in": next_month,
    "some reports do not come": reports_missing,
    "a sender restates a month": restated,
    "a gauge fails": gauge_fails,
    "there is a table of last year": lambda: run(
        "boreotabula extract stock.toml -o last_year.xlsx"
    ),
}


# --- the pages -----------------------------------------------------------------------------------


def blocks_of(page: Path) -> Iterator[tuple[str, str, str]]:
    """The blocks of a page in order: kind, name of a file, text. What happens is one, too."""
    for event, kind, name, text in _BLOCK.findall(page.read_text("utf-8")):
        yield ("then", event, "") if event else (kind, name, text)


def lines_of(text: str) -> list[str]:
    return [line.strip() for line in text.strip().splitlines()]


def is_shown(block: str, printed: str) -> bool:
    """Whether the lines of a block stand one after another in what was printed."""
    wanted, lines = lines_of(block), lines_of(printed)
    return any(lines[at : at + len(wanted)] == wanted for at in range(len(lines) - len(wanted) + 1))


@pytest.mark.parametrize("page", PAGES, ids=[page.stem for page in PAGES])
def test_the_blocks_of_a_page_do_what_it_says(
    demo: Path, tmp_path: Path, page: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("COLUMNS", "120")
    printed = ""

    def begin(number: int) -> None:
        folder = tmp_path / f"trial {number}"
        shutil.copytree(demo, folder)
        monkeypatch.chdir(folder)

    begin(0)
    for number, (kind, name, text) in enumerate(blocks_of(page), 1):
        if kind == "then":
            begin(number)
            EVENTS[name]()
        elif kind == "sh":
            printed += "\n".join(map(run, text.strip().splitlines())) + "\n"
            # A page may show the first lines of the table.
            printed += Path("stock.csv").read_text("utf-8")
        elif kind == "text":
            assert is_shown(text, printed), text
        else:
            use_file(name, text)


def use_file(name: str, text: str) -> None:
    """A file that a page shows does what the page says."""
    if name.endswith(".toml"):
        assert tomllib.loads(text) == tomllib.loads(Path(name).read_text("utf-8"))
    elif name.endswith(".csv"):
        key = {"corrections.csv": "corrections", "accepted.csv": "accepted"}[name]
        own = Path(f"shown-{name}")
        own.write_text(text, "utf-8")
        layout = re.sub(rf"(?m)^{key} .*\n", "", Path("stock.toml").read_text("utf-8"))
        Path("shown.toml").write_text(f'{key} = "{own}"\n{layout}', "utf-8")
        assert len(csv_rows(own)) > 1
        run("boreotabula extract shown.toml --dry-run")
    else:
        assert name == "letter.txt"
        Path(name).write_text(text, "utf-8")
        run(f"boreotabula mark stock.csv -o own_letters --by nursery --letter {name}")


def test_no_block_of_the_handbook_is_left_out() -> None:
    for page in {*DOCS.glob("*.md")} - {*PAGES}:
        blocks = page.read_text("utf-8").count("\n```") // 2
        test = _OF_OTHER_TESTS.get(page.stem)
        assert not blocks or (test and (Path(__file__).parent / test).is_file()), page
    # Lines that are set in stand outside a fence: they may only be how to install.
    project = tomllib.loads((DOCS.parent / "pyproject.toml").read_text("utf-8"))["project"]
    for page in DOCS.glob("*.md"):
        for line in re.findall(r"(?m)^ {4}(\S.*)$", _BLOCK.sub("", page.read_text("utf-8"))):
            if page.stem not in ("layout", "which-form", "python"):
                assert re.match(r"(\.venv/bin/python -m )?pip install |python3 -m venv|"
                                r"\.venv/bin/boreotabula demo", line), (page, line)  # fmt: skip
            for extra in re.findall(r"\[(\w+)\]", line):
                assert extra in project["optional-dependencies"], line
