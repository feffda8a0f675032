"""The handbook tells the truth: its examples are run, its lists are complete."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from boreotabula.outputs.csv import csv_rows
from boreotabula.reading.findings import CODES, Severity
from helpers import read, sheet

DOCS = Path(__file__).parents[1] / "docs"
_EXAMPLE = re.compile(
    r"```toml example\n(.*?)```\s+```tab(?: merged=(\S+))?\n(.*?)```\s+```records\n(.*?)```",
    re.DOTALL,
)
EXAMPLES = _EXAMPLE.findall((DOCS / "layout.md").read_text("utf-8"))


def cells(line: str) -> list[str]:
    return ["" if part.strip() == "." else part.strip() for part in line.split("|")]


@pytest.mark.parametrize("example", EXAMPLES, ids=range(len(EXAMPLES)))
def test_an_example_of_the_handbook_gives_its_records(example: tuple[str, ...]) -> None:
    layout, merges, picture, records = example
    reading = read(sheet(picture, merges.split(",") if merges else ()), layout)
    import pyarrow as pa

    names, *rows = map(cells, records.strip().splitlines())
    found = csv_rows(pa.Table.from_batches([reading.records]).select(names))
    assert found == [names, *rows]
    assert not [one.message for one in reading.findings if one.severity is Severity.ERROR]


def test_every_feature_has_an_example() -> None:
    assert len(EXAMPLES) >= 11


def test_every_code_is_in_the_handbook_with_its_severity() -> None:
    text = (DOCS / "findings.md").read_text("utf-8")
    listed = dict(re.findall(r"^\| `([a-z-]+)` \| (\w+) \|", text, re.MULTILINE))
    assert listed == {code: str(severity) for code, severity in CODES.items()}
