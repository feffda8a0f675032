"""The demo: its records agree with the figures it was made from; it destroys nothing."""

from __future__ import annotations

import shutil
from collections import Counter
from pathlib import Path

import pytest
from make_demo.nurseries import forms
from make_demo.others import totals
from make_demo.samples import write_samples

import boreotabula
from boreotabula.sheets.opening import Opening, Workbook
from helpers import csv_rows, program


def test_records_and_sums_of_each_workbook_agree_with_the_generator(demo: Path) -> None:
    records: Counter[str] = Counter()
    seedlings: Counter[str] = Counter()
    rows = csv_rows(demo / "stock.csv")
    for row in rows:
        records[row["source_file"]] += 1
        seedlings[row["source_file"]] += int(row["seedlings"] or 0)
    assert records == {form.path: form.records for form in forms()}
    assert seedlings == {form.path: form.seedlings for form in forms()}
    assert len(records) == 24
    for form in forms():
        own = [row for row in rows if row["source_file"] == form.path]
        assert {(row["nursery"], row["month"]) for row in own} == {
            (form.nursery.name, f"{form.month:%Y-%m}")
        }
        assert {row["grade"] for row in own} == set(form.nursery.grades)


def _contents(path: Path) -> object:
    """The cells of a workbook, or the bytes of any other file."""
    if path.suffix != ".xlsx" or path.name.startswith("~$"):
        return path.read_bytes()
    with Workbook(path, Opening()) as book:
        return [(tab.name, book.sheet(tab.name).rows) for tab in book.tabs]


def test_what_is_shipped_is_what_the_script_makes(tmp_path: Path) -> None:
    shipped = Path(boreotabula.__file__).parent / "demo"
    write_samples(tmp_path)
    made = [path for path in tmp_path.rglob("*") if path.is_file()]
    assert len(made) == 53
    for path in made:
        assert _contents(path) == _contents(shipped / path.relative_to(tmp_path)), path


def _with_the_new_headings(layout: boreotabula.Layout, folder: Path) -> boreotabula.Layout:
    """The layout once the headings of the sender's new form are adopted, as the README tells."""
    assert boreotabula.extract(layout).exit_status == 1
    for name in ("dispatch.toml", "dispatch-headings.csv"):
        shutil.copy(layout.path.with_name(name), folder)
    shutil.copytree(layout.path.with_name("dispatch"), folder / "dispatch")
    done = program("headings", folder / "dispatch.toml", "--adopt", "--yes", "--certainty", "0.7")
    assert (done.status, done.err) == (0, "")
    assert "3 headings added" in done.out
    return boreotabula.Layout.load(folder / "dispatch.toml")


@pytest.mark.parametrize("name", list(totals()))
def test_each_other_layout_finds_what_its_samples_were_made_of(
    demo: Path, tmp_path: Path, name: str
) -> None:
    layout = boreotabula.Layout.load(demo / f"{name}.toml")
    if name == "dispatch":
        layout = _with_the_new_headings(layout, tmp_path)
    run = boreotabula.extract(layout)
    assert run.exit_status == 0
    for file, expected in totals()[name].items():
        own = [row for row in run.records.to_pylist() if row["source_file"] == file]
        assert len(own) == expected.records
        total = sum(row[expected.field] or 0 for row in own)
        assert round(total, 1) == expected.total


def test_the_demo_shows_its_one_flaw_and_what_to_do_next(demo: Path) -> None:
    findings = csv_rows(demo / "stock.csv.run" / "findings.csv")
    errors = [row for row in findings if row["severity"] == "error"]
    assert [(row["code"], row["found"]) for row in errors] == [("value-not-converted", "ca. 120")]
    assert {row["code"] for row in findings} == {"value-not-converted"}


def test_the_demo_is_the_same_each_time_and_leaves_other_folders_alone(
    demo: Path, tmp_path: Path
) -> None:
    again = program("demo", tmp_path / "again", "--story")
    assert again.status == 0
    for said in (
        "3 headings added",
        "missing   Nyheim has never reported",
        "seedlings.png: sum of",
        "late      Lomlia, 2026-04: file of 2026-05-19, due 2026-05-10",
        "Greenhouse 2 › D10: “ca. 120” is read as “120”",
        "Granvik   seedlings  266,640",
        "warning value-restated is accepted: 2026-01/inland_stock_Granvik_2026-01.xlsx",
        "2026-04/lake_stock_Kaldvatn_2026-04.xlsx: 1 fault marked → ",
    ):
        assert said in again.out  # fmt: skip
    assert "What to try next" in again.out and again.out.count("\n") <= 150
    for path in sorted((demo / "inbox").rglob("*.*")):
        again_path = tmp_path / "again" / path.relative_to(demo)
        same = again_path.read_bytes() == path.read_bytes()
        assert same != ("Granvik_2026-01" in path.name)
    assert program("demo", tmp_path / "again").status == 0
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "letter.txt").write_text("dear", "utf-8")
    refused = program("demo", tmp_path / "mine")
    assert (refused.status, refused.out) == (2, "")
    assert "was not made by the demo" in refused.err
    assert [path.name for path in (tmp_path / "mine").iterdir()] == ["letter.txt"]
