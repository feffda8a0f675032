"""Records in a folder of Parquet files, parted by fields, and read back by us and by others."""

from __future__ import annotations

import tempfile
from datetime import date
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import dataset

from boreotabula.stores.dataset.parted import (
    BLANK,
    PartedWriter,
    in_order_of_parts,
    partition_values,
)
from helpers import csv_rows, program

LAYOUT = """layout = 1
[source]
folder = "in"
[block]
[fields]
nursery = "text"
month = "month"
alive = "yesno"
seen = "datetime"
price = "decimal(2)"
count = "integer"
"""
LINES = """nursery,month,alive,seen,price,count
Frostmo,2026-01,yes,2026-01-05 06:30,1.50,1
"Hiekka/ä: 100 %",2026-02,no,,2.25,2
,,no,,,3
Frostmo,2026-02,yes,2026-01-05 06:30,,4
Frostmo,2026-01,no,,0.05,5
"""


def part_files(folder: Path) -> list[Path]:
    return in_order_of_parts(folder.rglob("*.parquet"), folder)


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("BOREOTABULA_CACHE", str(tmp_path / "kept"))
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "lots.csv").write_text(LINES, "utf-8")
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    assert program("extract", "l.toml", "-o", "out.csv", cwd=tmp_path).status == 0
    return tmp_path


@pytest.mark.parametrize("fields", ["nursery,month", "month,alive,count", "alive", "nursery"])
def test_what_a_dataset_holds(home: Path, fields: str) -> None:
    done = program("extract", "l.toml", "-o", "lots", "--partition", fields, cwd=home)
    assert done.status == 0, done.err
    assert "Nothing differs." in program("compare", "out.csv", "lots", cwd=home).out
    others = dataset.dataset(home / "lots", partitioning="hive", exclude_invalid_files=False)
    assert others.count_rows() == 5
    assert {*others.schema.names} == {*csv_rows(home / "out.csv")[0]}
    folders = {one.relative_to(home / "lots").parts[0] for one in part_files(home / "lots")}
    assert all(one.startswith(fields.partition(",")[0] + "=") for one in folders)
    has_blank = any("__HIVE_DEFAULT_PARTITION__" in str(one) for one in part_files(home / "lots"))
    assert has_blank == (fields != "alive")
    for command, said in (
        (("crosstab", "lots", "--rows", "nursery", "--value", "count"), "15"),
        (("trace", "lots", "--where", "count=4"), "C5"),
        (("coverage", "lots", "--rows", "nursery", "--across", "month"), "2026-02"),
    ):
        found = program(*command, cwd=home)
        assert found.status == 0 and said in found.out, (command, found)


def test_a_dataset_is_replaced_whole_and_never_read_as_an_input(home: Path) -> None:
    layout = LAYOUT.replace('folder = "in"', 'folder = "."\ninclude = ["in/*", "lots/*"]')
    (home / "l.toml").write_text(layout, "utf-8")
    call = ("extract", "l.toml", "-o", "lots", "--partition", "nursery", "--strict")
    for _ in range(2):
        done = program(*call, cwd=home)
        assert (done.status, done.err) == (0, "")
    before = {one: one.read_bytes() for one in part_files(home / "lots")}
    wrong = LINES.replace(",1\n", ",one\n").replace("Frostmo", "Suvanto")
    (home / "in" / "lots.csv").write_text(wrong, "utf-8")
    assert program(*call, cwd=home).status == 1
    assert {one: one.read_bytes() for one in part_files(home / "lots")} == before
    assert program(*call[:-1], cwd=home).status == 1
    values = [partition_values(one, home / "lots") for one in part_files(home / "lots")]
    assert {one["nursery"] for one in values} == {"Suvanto", "Hiekka/ä: 100 %", None}
    assert not [*home.glob(".*")]
    # A folder of somebody else beside an output of that name, and its run folder.
    (home / "out").mkdir()
    (home / "out" / "mine.txt").write_text("dear", "utf-8")
    done = program("extract", "l.toml", "-o", "out", "--partition", "nursery", cwd=home)
    assert done.status == 2 and "was not written by extract" in done.err
    assert (home / "out" / "mine.txt").read_text("utf-8") == "dear"


WRONG = [
    (("-o", "lots", "--partition", "nurserie"), "no field “nurserie”; did you mean “nursery”?"),
    (("-o", "lots", "--partition", "price"), "choose a field of texts, whole numbers"),
    (("-o", "lots", "--partition", "seen"), "choose a field of texts, whole numbers"),
    (("-o", "lots", "--partition", "month,month"), "named once"),
    (("-o", "lots", "--partition", ","), "name one field or several"),
    (("-o", "lots.parquet", "--partition", "month"), "a dataset is a folder"),
    (("-o", "in", "--partition", "month"), "was not written by extract"),
    (("-o", "none/lots", "--partition", "month"), "there is no folder"),
    (("-o", "l.toml", "--partition", "month"), "is a file"),
    (("--dry-run", "--partition", "month"), "only work with -o FOLDER"),
    (("-o", "lots", "--partition", "month", "--safe-csv"), "--safe-csv is for"),
    (("--dry-run", "--strict-past"), "name it with -o or --into"),
    (("-o", "lots"), "the ending chooses the kind"),
    (("-o", "lots", "--partition", "nursery,month,alive,seen,price,count"), "choose a field"),
]


@pytest.mark.parametrize(("call", "said"), WRONG)
def test_wrong_calls(home: Path, call: tuple[str, ...], said: str) -> None:
    done = program("extract", "l.toml", *call, cwd=home)
    assert done.status == 2 and said in done.err and not (home / "lots").exists()


def test_a_part_that_is_missing_is_no_smaller_sum(home: Path) -> None:
    call = ("extract", "l.toml", "-o", "lots", "--partition", "nursery,month")
    assert program(*call, cwd=home).status == 0
    first = part_files(home / "lots")[0]
    (first.parent / "foreign.parquet").write_bytes(first.read_bytes())  # of no run: not read
    ask = ("crosstab", "lots", "--rows", "nursery", "--value", "count")
    assert program(*ask, cwd=home).out.split()[-1] == "15"
    first.unlink()
    for command in (ask, ("compare", "out.csv", "lots"), ("trace", "lots", "1")):
        done = program(*command, cwd=home)
        assert done.status == 2 and "is missing" in done.err and first.name in done.err, command


def test_several_tables_get_a_folder_each(home: Path) -> None:
    (home / "in" / "lots.csv").write_text("name,x\na,1\nb,2\n\n\nday,y\n2026-01-02,3\n", "utf-8")
    text = """layout = 1
[source]
folder = "in"
[stamps]
site = { from = "file name" }
[[block]]
into = "names"
stub = "name"
across = "kind"
value = "n"
[[block]]
into = "days"
stub = "day"
across = "kind"
value = "m"
[fields]
site = "text"
name = "text"
kind = "text"
n = "integer"
day = "date"
m = "integer"
"""
    (home / "l.toml").write_text(text, "utf-8")
    done = program("extract", "l.toml", "-o", "both", "--partition", "name", cwd=home)
    assert done.status == 2 and "the table “days” has no field “name”" in done.err
    done = program("extract", "l.toml", "-o", "both", "--partition", "site", cwd=home)
    assert (done.status, done.err) == (0, "")
    assert [one.relative_to(home / "both").parts[:2] for one in part_files(home / "both")] == [
        ("days", "site=lots"), ("names", "site=lots"),
    ]  # fmt: skip
    done = program("extract", "l.toml", "-o", "x", "--cluster", "local:1", cwd=home)
    assert done.status == 2 and "run it without --cluster" in done.err
    call = ("crosstab", "both", "--rows", "site", "--value", "n", "--table", "names")
    assert "3" in program(*call, cwd=home).out.splitlines()[-1]


VALUES = st.one_of(
    st.none(), st.just(BLANK), st.text(st.characters(exclude_categories=["Cs"]), max_size=6)
)


@given(st.lists(st.tuples(VALUES, st.integers(0, 3), st.integers()), max_size=40))
@settings(max_examples=60, deadline=None)
def test_every_record_comes_back_once(rows: list[tuple[Any, int, int]]) -> None:
    rows = [(text or None, days, number % 2**40) for text, days, number in rows]
    schema = pa.schema([
        pa.field("né me", pa.string(), metadata={"field_type": "text"}),
        pa.field("day", pa.date32(), metadata={"field_type": "date"}),
        pa.field("number", pa.int64(), metadata={"field_type": "integer"}),
    ])  # fmt: skip
    columns = [
        pa.array([text for text, _, _ in rows], pa.string()),
        pa.array([date(2026, 1, 1 + days) for _, days, _ in rows], pa.date32()),
        pa.array([number for _, _, number in rows], pa.int64()),
    ]
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        writer = PartedWriter(folder, ["né me", "day"])
        writer.write(pa.RecordBatch.from_arrays(columns, schema=schema))
        writer.close()
        found = []
        for path in part_files(folder):
            known = partition_values(path, folder)
            numbers = pa.parquet.read_table(path, partitioning=None).column("number").to_pylist()
            found += [(known["né me"], known["day"], number) for number in numbers]
        wanted = [(text, f"2026-01-{1 + days:02}", number) for text, days, number in rows]
        assert sorted(found, key=repr) == sorted(wanted, key=repr)
        assert sum(one.records for one in writer.parts) == len(rows)
        for pair in {one[:2] for one in wanted}:  # in their order within a part
            assert [one for one in found if one[:2] == pair] == [
                one for one in wanted if one[:2] == pair
            ]
