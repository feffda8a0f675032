"""From any record back to its cells, and from any cell to its records or the reason for none."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import openpyxl
import pytest

from boreotabula.layout.addresses import parse_address
from boreotabula.reading.account.roles import Role
from boreotabula.review.trace import Tracer, fate
from boreotabula.stores.records import records_as_texts
from boreotabula.stores.saved import SavedOutput, saved_output
from helpers import csv_rows, program, write_workbook

LAYOUTS = ("stock", "plan", "benches", "climate", "dispatch", "review")


@pytest.fixture(scope="module")
def traced(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo, with an output of each of its layouts."""
    folder = tmp_path_factory.mktemp("trace") / "trial"
    shutil.copytree(demo, folder)
    for name in LAYOUTS[1:]:
        assert program("extract", f"{name}.toml", "-o", f"{name}.csv", cwd=folder).status in (0, 1)
    return folder


@pytest.mark.parametrize("name", LAYOUTS)
def test_every_record_leads_to_its_cells_and_back(traced: Path, name: str) -> None:
    output = saved_output(traced / f"{name}.csv")
    tracer = Tracer(output)
    records = list(records_as_texts(output))
    for record in records[:: max(len(records) // 15, 1)]:
        found = tracer.trace(record)
        assert found.trace is not None and found.changed == ()
        for field, value in found.trace.values.items():
            said = "" if value is None else str(value)
            assert record[field].replace("T", " ") in (said, said[:7], said.removesuffix(".0")), (
                field
            )
        assert [one.field for one in found.trace.origins] == [
            name for name in record if not name.startswith("source_")
        ]
        at = parse_address(record["source_cell"])
        spots = [one.spot for one in found.trace.origins if one.what in ("value", "stub")]
        assert at in spots or record["source_cell"][0] == "A"
        for origin in found.trace.origins:
            if origin.what == "value" and origin.text:
                back = fate(found.tab, tracer.layout, origin.where)
                assert (output.table, found.trace.number) in back.records
                assert back.role in (Role.VALUE, Role.UNPLACED)
                assert back.text == origin.text


def test_a_record_is_shown_with_its_steps(traced: Path) -> None:
    done = program(
        "trace", "stock.csv", "--where", "nursery=Lomlia", "--where", "month=2026-04", cwd=traced
    )
    assert done.status == 0
    first = done.out.splitlines()
    assert (
        first[0].startswith("record ") and "fjord_stock_Lomlia_2026-04.xlsx › Veksthus" in first[0]
    )
    steps = {line.split()[0]: line.split() for line in first[2:11]}
    assert steps["region"][3:] == ["stamp", "file", "path", "“fjord”"]
    assert steps["greenhouse"][3:] == ["stamp", "tab", "name", "“1”"]
    assert steps["container"][4] == "heading"
    assert "[s Lomlia]" in done.out
    assert "… and more: only the first 10 are shown" in done.out


def test_a_record_as_json(traced: Path) -> None:
    record = csv_rows(traced / "stock.csv")[41]
    (found,) = json.loads(program("trace", "stock.csv", 42, "--json", cwd=traced).out)
    assert (found["number"], found["record"], found["changed"]) == (42, record, [])
    (value,) = [one for one in found["fields"] if one["field"] == "seedlings"]
    assert (value["where"], value["text"]) == (record["source_cell"], record["seedlings"])


FILE = "inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx"


@pytest.mark.parametrize(
    ("cell", "said"),
    [
        ("D10", ["unplaced: “ca.” beside the number", "part of 1 record: record "]),
        ("E10", ["  value\n", "part of 1 record: record "]),
        ("b3", ["  stamp\n", "part of 75 records: record "]),
        ("B9", ["  stub\n", "records: record "]),
        ("D7", ["  heading\n", "records: record "]),
        ("G9", ["  total\n", "part of no record", "agrees with the 1,555"]),
        ("A1", ["  label", "part of no record"]),
    ],
)
def test_what_became_of_a_cell(traced: Path, cell: str, said: list[str]) -> None:
    done = program("trace", FILE, "Greenhouse 2", cell, "--records", "stock.csv", cwd=traced)
    assert done.status == 0
    assert [one for one in said if one not in done.out] == []


def test_a_cell_of_a_file_with_one_tab_needs_no_tab(traced: Path) -> None:
    done = program(
        "trace", "benches/benches_Suvanto.xlsx", "A1", "--layout", "benches.toml", cwd=traced
    )
    assert done.status == 0 and "› Benches › A1" in done.out


@pytest.mark.parametrize(
    ("arguments", "status", "said"),
    [
        (["stock.csv", "99999"], 1, "has no record 99999"),
        (["stock.csv", "0"], 2, "counted from 1"),
        (["stock.csv", "--where", "nurzery=Lomlia"], 2, "did you mean “nursery”"),
        (["stock.csv", "--where", "nursery"], 2, "is not FIELD=VALUE"),
        (["stock.csv", "--where", "nursery=Lomlia,month=2026-04"], 2, "once for each"),
        (["stock.csv", "--where", "nursery=Nowhere"], 1, "has no record with nursery=Nowhere"),
        (["stock.csv", "1", "--table", "other"], 2, "has the tables records"),
        (["headings.csv", "1"], 2, "no run folder “headings.csv.run”"),
        (["nothing.csv", "1"], 2, "there is no file “nothing.csv”"),
        ([FILE, "Greenhouse 9", "A1", "--layout", "stock.toml"], 2, "it has Greenhouse 1, Greenho"),
        ([FILE, "Greenhouse 2", "A2", "--layout", "stock.toml"], 2, "A2 of this tab is blank"),
        ([FILE, "Greenhouse 2", "10D", "--layout", "stock.toml"], 2, "10D"),
        ([FILE, "A1", "--layout", "stock.toml"], 2, "has several tabs; name one of Greenhouse 1"),
        ([FILE, "--layout", "stock.toml"], 2, "name a tab and a cell"),
        ([FILE, "A1", "--layout", "stock.toml", "--records", "stock.csv"], 2, "use one of them"),
    ],
)
def test_wrong_calls(traced: Path, arguments: list[str], status: int, said: str) -> None:
    done = program("trace", *arguments, cwd=traced)
    assert (done.status, done.out) == (status, "")
    assert said in " ".join(done.err.split())
    assert "Traceback" not in done.err


LAYOUT = """
layout = 1
[source]
folder = "in"
[block]
stub = "lot"
group_row = "species"
across = "month"
value = "seedlings"
turned = TURNED
[fields]
species = "text"
lot = "text"
month = "month"
seedlings = "integer"
"""
ROWS = [
    ["Lot", "2026-04", "2026-05"],
    ["Pine", None, None],
    ["L1", 11, 12],
    ["Birch", None, None],
    ["L2", 21, 22],
]


def small(folder: Path, *, turned: bool = False) -> SavedOutput:
    """An output of a small workbook with groups."""
    text = LAYOUT.replace("TURNED", str(turned).lower())
    (folder / "small.toml").write_text(text, "utf-8")
    rows = [list(row) for row in zip(*ROWS, strict=True)] if turned else ROWS
    write_workbook(folder / "in" / "a.xlsx", {"Bench 1": rows})
    assert program("extract", "small.toml", "-o", "small.csv", cwd=folder).status == 0
    return saved_output(folder / "small.csv")


@pytest.mark.parametrize("turned", [False, True])
def test_groups_and_turned_forms_are_traced(tmp_path: Path, turned: bool) -> None:
    output = small(tmp_path, turned=turned)
    (record,) = [one for one in records_as_texts(output) if one["seedlings"] == "22"]
    found = Tracer(output).trace(record)
    assert found.trace is not None
    assert {one.field: (one.where, one.text) for one in found.trace.origins} == {
        "species": ("D1" if turned else "A4", "Birch"),
        "lot": ("E1" if turned else "A5", "L2"),
        "month": ("A3" if turned else "C1", "2026-05"),
        "seedlings": ("E3" if turned else "C5", "22"),
    }


def test_a_changed_workbook_is_said(tmp_path: Path) -> None:
    small(tmp_path)
    book = openpyxl.load_workbook(tmp_path / "in" / "a.xlsx")
    book["Bench 1"]["B3"] = 99
    book.save(tmp_path / "in" / "a.xlsx")
    done = program("trace", "small.csv", 1, cwd=tmp_path)
    assert done.status == 1
    assert "“a.xlsx” has changed since the run" in done.out
    assert "11  now 99" in done.out
    book["Bench 1"].delete_rows(3)
    book.save(tmp_path / "in" / "a.xlsx")
    done = program("trace", "small.csv", 4, cwd=tmp_path)
    assert (done.status, "does not give this record any more" in done.out) == (1, True)
    (tmp_path / "in" / "a.xlsx").unlink()
    done = program("trace", "small.csv", 1, cwd=tmp_path)
    assert done.status == 2
    assert "“a.xlsx” is no longer among the files" in done.err


def test_a_changed_layout_is_said(tmp_path: Path) -> None:
    small(tmp_path)
    path = tmp_path / "small.toml"
    path.write_text(path.read_text("utf-8") + 'note = "text"\n', "utf-8")
    done = program("trace", "small.csv", 1, cwd=tmp_path)
    assert "have changed since the run" in done.out
