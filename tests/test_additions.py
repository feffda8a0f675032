"""A new part goes into one or two places, which CONTRIBUTING.md names: then all others know it."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path

import openpyxl

import boreotabula
from helpers import csv_rows, write_workbook

PACKAGE = Path(boreotabula.__file__).parent
Edit = tuple[str, str, str]
"""A module, a text that stands there once, and what stands there then."""

LAYOUT = """layout = 1
[source]
folder = "in"

[block]
stub = ["lot", "sown"]
value = "count"
across = "species"
{block}

[fields]
lot = "text"
sown = "integer"
species = "text"
count = "{count}"
"""
FORM = [["Lot", "Sown", "Pine", "Birch"], ["L1", 2024, 3, 4], ["L2", 2025, 5, 6]]


class Desk:
    """A copy of the program with edits, and a folder that it is called in."""

    def __init__(self, home: Path, edits: Sequence[Edit], files: Mapping[str, str]) -> None:
        self.home = home
        copied = home / "src" / "boreotabula"
        # With what is compiled of it: modules that stay as they are need not be compiled again.
        shutil.copytree(PACKAGE, copied)
        for path, before, after in edits:
            text = (copied / path).read_text("utf-8")
            assert text.count(before) == 1, (path, before)
            (copied / path).write_text(text.replace(before, after), "utf-8")
        for path, text in files.items():
            (copied / path).write_text(text, "utf-8")
        write_workbook(home / "in" / "a.xlsx", {"Stock": FORM})
        self.layout()

    def layout(self, block: str = "", count: str = "integer") -> None:
        (self.home / "l.toml").write_text(LAYOUT.format(block=block, count=count), "utf-8")

    def call(self, *arguments: str, status: int = 0) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "boreotabula", *arguments], cwd=self.home, check=False,
            capture_output=True, text=True,
            env={**os.environ, "PYTHONPATH": str(self.home / "src"), "NO_COLOR": "1"},
        )  # fmt: skip
        assert done.returncode == status, done.stdout + done.stderr
        return done.stdout + done.stderr

    def extract(self, output: str = "o.csv", status: int = 0) -> list[dict[str, str]]:
        self.call("extract", "l.toml", "-o", output, status=status)
        return csv_rows(self.home / output) if output.endswith(".csv") else []


def test_a_type_of_field(tmp_path: Path) -> None:
    desk = Desk(tmp_path, [
        ("layout/field_types.py", "_TABLE = (\n", """_TABLE = (
    FieldType("dozens", "a number of dozens", "a whole number", "int64", Nature.NUMBER,
              bare=True, totals=True, column="INTEGER"),
"""),
        ("reading/values/converters.py", '    "text": _to_text,\n',
         '    "text": _to_text,\n    "dozens": lambda *cell: 12 * _to_integer(*cell),\n'),
    ], {})  # fmt: skip
    desk.layout(count="dozens")
    assert [row["count"] for row in desk.extract()] == ["36", "48", "60", "72"]
    for ending in ("xlsx", "parquet", "arrow", "jsonl", "sqlite", "duckdb", "csv.gz"):
        desk.extract(f"o.{ending}")
        shown = desk.call("crosstab", f"o.{ending}", "--rows", "sown", "--value", "count", "--json")
        assert json.loads(shown)["cells"] == [[84], [132]], ending
    cells = openpyxl.load_workbook(tmp_path / "o.xlsx")["records"]
    assert [cell.value for cell in cells["D"]] == ["count", 36, 48, 60, 72]
    assert '"dozens"' in desk.call("layout-schema")
    write_workbook(tmp_path / "in" / "a.xlsx", {"Stock": [*FORM, ["L3", 2026, "few", 2]]})
    assert "“few” is not a number of dozens" in desk.call(
        "extract", "l.toml", "-o", "o.csv", status=1
    )
    assert desk.call("mark", "o.csv", "-o", "returns")


def test_a_kind_of_file_that_is_written(tmp_path: Path) -> None:
    desk = Desk(tmp_path, [
        ("stores/csv.py", '".psv": "|"', '".psv": "|", ".ssv": ";"'),
        ("stores/kinds.py", '    ".jsonl": OutputKind(',
         '    ".ssv": OutputKind(partial(_csv, mark=MARKS[".ssv"]), is_csv=True, by_line=True),\n'
         '    ".jsonl": OutputKind('),
    ], {})  # fmt: skip
    desk.extract("o.ssv")
    assert (tmp_path / "o.ssv").read_text("utf-8").splitlines()[1].startswith("L1;2024;Pine;3;")
    desk.extract()
    assert "Nothing differs" in desk.call("compare", "o.ssv", "o.csv")
    assert "L1" in desk.call("trace", "o.ssv", "1")


def test_a_kind_of_file_that_is_read(tmp_path: Path) -> None:
    reader = '''
"""Cards: a line for each cell."""
from boreotabula.sheets.sheet import make_sheet

class Cards:
    remarks = doubts = quotes = ()
    guessed = ""

    def __init__(self, path, kind, opening):
        from boreotabula.sheets.opening import Tab
        self.path, self.tabs = path, (Tab("Cards"),)

    def sheet(self, name):
        lines = self.path.read_text("utf-8").splitlines()[1:]
        number = lambda text: float(text) if text.isdigit() else text
        return make_sheet(name, [list(map(number, line.split("~"))) for line in lines])

    def names(self):
        return {}

    def close(self):
        pass
'''
    desk = Desk(tmp_path, [
        ("sheets/kinds.py", '    TEXT = "a text file"\n',
         '    TEXT = "a text file"\n    CARDS = "a file of cards"\n'),
        ("sheets/kinds.py", '    FileKind.XLSB: (".xlsb",),\n',
         '    FileKind.XLSB: (".xlsb",),\n    FileKind.CARDS: (".cards",),\n'),
        ("sheets/kinds.py", "    if head.startswith(_COMPOUND):\n",
         '    if head.startswith(b"cards"):\n        return FileKind.CARDS\n'
         "    if head.startswith(_COMPOUND):\n"),
        ("sheets/opening.py", "    FileKind.TEXT: _Plain,\n",
         "    FileKind.TEXT: _Plain,\n    FileKind.CARDS: Cards,\n"),
        ("sheets/opening.py", "from boreotabula.sheets.codes import codes_of\n",
         "from boreotabula.sheets.cards import Cards\n"
         "from boreotabula.sheets.codes import codes_of\n"),
    ], {"sheets/cards.py": reader})  # fmt: skip
    (tmp_path / "in" / "b.cards").write_text("cards\nLot~Sown~Pine~Birch\nL9~2026~7~8\n", "utf-8")
    rows = desk.extract()
    assert [row["count"] for row in rows] == ["3", "4", "5", "6", "7", "8"]
    assert rows[-1]["source_tab"] == "Cards"
    assert "L9" in desk.call("show", "in/b.cards") and "b.cards" in desk.call("survey", "in")


def test_a_finding(tmp_path: Path) -> None:
    kind = """STUB_ODD = FindingKind(
    "stub-odd",
    Severity.WARNING,
    "the table at {at} has {rows} rows, which is odd",
    "Look whether a row is missing.",
    looked_for="an even number of rows",
    found="{rows} rows",
    meaning="A table has an odd number of rows",
    example="-",
    cure="-",
)
TABLE_NOT_FILLED = FindingKind("""
    desk = Desk(tmp_path, [
        ("findings/subjects/rows.py", "TABLE_NOT_FILLED = FindingKind(", kind),
        ("reading/tab.py", "        self._tell_no_records()\n",
         "        self._tell_no_records()\n"
         "        from boreotabula.findings.subjects.rows import STUB_ODD\n"
         "        from boreotabula.layout.addresses import Address\n"
         "        self.tell([ScopedFinding(STUB_ODD(Address(0, 0), rows=2))])\n"),
    ], {})  # fmt: skip
    assert "the table at A1 has 2 rows, which is odd" in desk.call(
        "extract", "l.toml", "-o", "o.csv"
    )
    (finding,) = csv_rows(tmp_path / "o.csv.run" / "findings.csv")
    assert (finding["code"], finding["cell"], finding["severity"]) == ("stub-odd", "A1", "warning")
    desk.call("accept", "o.csv", "stub-odd", "--why", "small")
    assert "Nothing to check" in desk.call("extract", "l.toml", "-o", "o.csv")


def test_a_key_of_a_block(tmp_path: Path) -> None:
    desk = Desk(tmp_path, [
        ("layout/model.py", "    gaps: Flag = False\n",
         "    gaps: Flag = False\n    from_row: Whole | None = None\n"),
        ("reading/rows/kinds.py", "    rows = range(place.bottom + 1, max(",
         "    rows = range(max(place.bottom + 1, (block.from_row or 1) - 1), max("),
    ], {})  # fmt: skip
    desk.layout("from_row = 3")
    assert [row["lot"] for row in desk.extract(status=1)] == ["L2", "L2"]
    assert "from_row" in desk.call("layout-schema")
    desk.layout("from_rows = 3")
    assert "did you mean" in desk.call("extract", "l.toml", "--dry-run", status=2)


def test_a_command(tmp_path: Path) -> None:
    module = '''
import click
from boreotabula.cli.options import Command

@click.command("greet", cls=Command, epilog="Exit status:\\\n  0 always")
def command():
    """Say hello."""
    click.echo("hello")
    return 0
'''
    desk = Desk(tmp_path, [
        ("cli/main.py", "COMMANDS = {\n",
         'COMMANDS = {\n    "greet": ("boreotabula.cli.commands.other.greet", "Say hello."),\n'),
        ("cli/main.py", '"Besides": (', '"Besides": ("greet", '),
    ], {"cli/commands/other/greet.py": module})  # fmt: skip
    assert desk.call("greet") == "hello\n" and "Say hello." in desk.call(status=2)
    assert "greet" in desk.call("gret", status=2)
