"""Small builders for tests: sheets as pictures, workbooks as files, the program itself."""

from __future__ import annotations

import csv
import io
import os
import re
import subprocess
import sys
from collections.abc import Mapping, Sequence
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import xlsxwriter

from boreotabula.cli.main import call
from boreotabula.layout.addresses import parse_address
from boreotabula.layout.glossary import known_headings
from boreotabula.layout.parsing import parse_layout
from boreotabula.reading.blocks import TabSource
from boreotabula.reading.make_plan import make_plan
from boreotabula.reading.plan import Plan
from boreotabula.reading.stamps.sources import Surroundings
from boreotabula.reading.tab import TabReading, read_tab
from boreotabula.sheets.sheet import Sheet, Span, make_sheet

PROGRAM = Path(sys.executable).with_name("boreotabula")


def span(text: str) -> Span:
    """A merged range from its address: 'C3:D3'."""
    first, _, last = text.partition(":")
    return Span(*parse_address(first), *parse_address(last))


def sheet(picture: str, merges: Sequence[str] = (), name: str = "Bench 1") -> Sheet:
    """A sheet from a picture: one line a row, cells between '|', '.' or nothing is blank.

    Numbers become floats, as the fast reader gives them; a leading ' keeps digits as text.
    """
    rows = [
        [_cell(part.strip()) for part in line.split("|")]
        for line in picture.strip("\n").splitlines()
    ]
    return make_sheet(name, rows, [span(one) for one in merges])


def _cell(text: str) -> Any:
    if text in (".", ""):
        return ""
    if text.startswith("'"):
        return text[1:]
    try:
        return float(text)
    except ValueError:
        return text


LAYOUT = """
layout = 1
[block]
stub = ["species", "lot"]
across = ["container", "grade"]
value = "seedlings"
[fields]
species = { type = "text", also = ["Art"] }
lot = "text"
container = "text"
grade = "text"
seedlings = "integer"
"""


LOTS = """
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
"""A layout of a plain list, the first tab of each file of an inbox."""


def layout_text(block: str = "", fields: str = "", text: str = LAYOUT) -> str:
    """The usual layout with more keys in [block] and more fields."""
    return text.replace("[fields]", f"{block}\n[fields]") + fields


def plan(text: str = LAYOUT) -> Plan:
    """The plan of a layout text without glossary."""
    spec = parse_layout(text, "test.toml")
    return make_plan(spec, known_headings(spec, []))


def read(
    on: Sheet,
    text: str = LAYOUT,
    captured: Mapping[str, str] | None = None,
    texts: Mapping[str, str] | None = None,
    tabs: Mapping[str, Sheet] | None = None,
) -> TabReading:
    """Read a sheet by a layout text."""
    around = Surroundings(captured or {}, texts or {}, tabs=tabs or {})
    return read_tab(on, plan(text), TabSource("form.xlsx", around))


def values(reading: TabReading, *names: str) -> list[tuple[Any, ...]]:
    """The records of a reading as tuples of the named columns."""
    columns = [reading.records.column(name).to_pylist() for name in names]
    return list(zip(*columns, strict=True))


def codes(reading: Any) -> list[str]:
    """The codes of its findings, without those about titles, remarks and fields left empty."""
    passed = ("texts-unplaced", "field-missing")
    return [one.code for one in reading.findings if one.code not in passed]


def write_workbook(
    path: Path,
    tabs: Mapping[str, Sequence[Sequence[Any]]],
    merges: Mapping[str, Sequence[str]] = {},
) -> Path:
    """An .xlsx file with the given rows on each tab; None is no cell."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with xlsxwriter.Workbook(path) as book:
        for name, rows in tabs.items():
            tab = book.add_worksheet(name)
            for merged in merges.get(name, ()):
                tab.merge_range(*span(merged), "")
            for row, cells in enumerate(rows):
                for column, cell in enumerate(cells):
                    if cell is not None:
                        tab.write(row, column, cell)
    return path


@dataclass(frozen=True)
class Outcome:
    """What a call of the program gave."""

    status: int
    out: str
    err: str


def program(*arguments: object, cwd: Path | None = None) -> Outcome:
    """Call a command as the installed program does, but in this process."""
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", write_through=True) for _ in range(2))
    before = Path.cwd()
    os.chdir(cwd or before)
    try:
        with redirect_stdout(out), redirect_stderr(err):
            status = call([str(one) for one in arguments])
    finally:
        os.chdir(before)
    return Outcome(status, *(one.buffer.getvalue().decode() for one in (out, err)))


def installed(*arguments: object, cwd: Path | None = None) -> Outcome:
    """Run the installed program, where its start is the point."""
    done = subprocess.run(
        [PROGRAM, *map(str, arguments)], capture_output=True, text=True, cwd=cwd, check=False
    )
    return Outcome(done.returncode, done.stdout, done.stderr)


def csv_rows(path: Path) -> list[dict[str, str]]:
    """The rows of a CSV file, read by the standard library."""
    with path.open(encoding="utf-8", newline="") as stream:
        return list(csv.DictReader(stream))


def contrast(one: str, other: str) -> float:
    """The contrast of two colours as a browser writes them, from 1 to 21 (WCAG 2.2, 1.4.3)."""

    def light(colour: str) -> float:
        parts = [int(part) / 255 for part in re.findall(r"\d+", colour)[:3]]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    dark, bright = sorted((light(one), light(other)))
    return (bright + 0.05) / (dark + 0.05)
