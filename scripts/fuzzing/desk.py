"""A folder with an inbox, forms and a layout, and commands that run on it in the process."""

from __future__ import annotations

import csv
import io
import json
import tempfile
from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, redirect_stderr, redirect_stdout, suppress
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import xlsxwriter

from boreotabula.cli.main import call
from boreotabula.sheets.opening import Workbook
from boreotabula.sheets.sheet import Sheet
from boreotabula.unreadable import UnreadableError

LAYOUT = """\
layout = 1
[source]
folder = "inbox"
include = ["{site}.*"]
[tabs]
every = true
[stamps]
month = { right_of = "Month", default = "2026-04" }
[block]
stub = ["species", "lot"]
across = ["container", "grade"]
value = "seedlings"
carry_down = ["species"]
totals = ["Total*"]
ends_at = ["Notes*"]
[fields]
site = "text"
month = "month"
species = { type = "text", also = ["Art"] }
lot = "text"
container = "text"
grade = "text"
seedlings = "integer"
"""
ROWS: list[list[object]] = [
    ["Bench stock-take", None, None, None, None],
    ["Month", "2026-04", None, None, None],
    [None, None, "Multipot", None, "Crate"],
    ["Species", "Lot", "A", "B", "A"],
    ["Pine", "P1", 10, 20, 30],
    [None, "P2", 1, 2, 3],
    ["Birch", "B1", 4, 5, 6],
    ["Total", None, 15, 27, 39],
    ["Notes", "all counted by hand", None, None, None],
]
FAULTY_ROWS = [*ROWS[:5], [None, "P2", "ca. 1", 2, 3], *ROWS[6:7], ["Total", None, 15, 99, 39]]
"""A value that is no number, and a total that is no sum."""
GOOD_RECORDS = 9
GOOD_SUM = 81
LOTS = ("P1", "P2", "B1")

SEEN: Counter[str] = Counter()
"""How the examples came out."""


def xlsx(rows: list[list[object]]) -> bytes:
    """A workbook with the rows on one tab."""
    stream = io.BytesIO()
    with xlsxwriter.Workbook(stream, {"in_memory": True}) as book:
        tab = book.add_worksheet("Bench 1")
        for row, cells in enumerate(rows):
            for column, cell in enumerate(cells):
                if cell is not None:
                    tab.write(row, column, cell)
    return stream.getvalue()


def good(name: str) -> bytes:
    """A form without fault, whose lots are named after its file."""
    return xlsx([[f"{cell}{name[0]}" if cell in LOTS else cell for cell in row] for row in ROWS])


GOOD = {name: good(name) for name in ("a good one.xlsx", "zz the last.xlsx")}


@contextmanager
def desk(files: Mapping[str, bytes], layout: str = LAYOUT) -> Iterator[Path]:
    """A folder with these files in its inbox, and a layout `l.toml`."""
    with tempfile.TemporaryDirectory(prefix="boreotabula-fuzz-") as folder:
        (Path(folder) / "inbox").mkdir()
        for name, content in files.items():
            (Path(folder) / "inbox" / name).write_bytes(content)
        (Path(folder) / "l.toml").write_text(layout, "utf-8")
        yield Path(folder)


def run(what: str, *arguments: str | Path) -> tuple[int, str]:
    """The exit status of a command, and all that it said; a fault of the program is an error."""
    stream = io.StringIO()
    with redirect_stdout(stream), redirect_stderr(stream):
        status = call([str(argument) for argument in arguments])
    assert status in (0, 1, 2, 3), stream.getvalue()
    SEEN[f"{what}, exit {status}"] += 1
    return status, stream.getvalue()


def run_record(folder: Path, output: str = "out.csv") -> dict[str, Any]:
    """The record of a run."""
    record: dict[str, Any] = json.loads((folder / f"{output}.run" / "run.json").read_text("utf-8"))
    return record


def findings(folder: Path, output: str = "out.csv") -> list[dict[str, str]]:
    """The findings of a run; none may be a fault of the program."""
    path = folder / f"{output}.run" / "findings.csv"
    with path.open(encoding="utf-8", newline="") as stream:
        lines = list(csv.DictReader(stream))
    faults = [line["advice"] for line in lines if line["code"] == "file-fault"]
    assert not faults, faults
    return lines


def check_account(folder: Path, output: str = "out.csv") -> None:
    """Each filled cell has a role, and each file is read or spoken of."""
    lines = findings(folder, output)
    for file in run_record(folder, output)["files"]:
        cells = file["cells"]
        assert sum(cells["roles"].values()) == cells["filled"], file["file"]
        assert file["read"] or any(line["file"] == file["file"] for line in lines), file["file"]


Filled = dict[tuple[int, int], object]
"""The value of each filled cell, by row and column counted from 0."""


def cells_of(path: Path) -> dict[str, Filled]:
    """The filled cells of each tab that the reader can read; of a file that it cannot, none."""
    cells: dict[str, Filled] = {}
    with suppress(OSError, UnreadableError), Workbook(path) as book:
        for tab in book.tabs:
            with suppress(UnreadableError):
                cells[tab.name] = _filled(book.sheet(tab.name))
    return cells


def _filled(sheet: Sheet) -> Filled:
    return {
        (int(row), int(column)): sheet.rows[row][column]
        for row, column in zip(*np.nonzero(sheet.filled), strict=True)
    }


def is_opened_elsewhere(path: Path) -> bool:
    """Whether another program, too, opens a workbook."""
    try:
        openpyxl.load_workbook(path).close()
    except Exception:  # noqa: BLE001  # whatever it stumbles over
        return False
    return True


def check_left(folder: Path, *wanted: str) -> None:
    """Nothing lies in a folder but what is wanted: no part of a file, no temporary folder."""
    left = {path.name for path in folder.iterdir()} - {"inbox", "l.toml", *wanted}
    assert not left, left
