"""Whether the day or the month comes first is decided by all files of a run, and remembered."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from helpers import csv_rows, program

LAYOUT = """
layout = 1
[source]
folder = "in"
[block]
[fields]
lot = "text"
seen = "date"
n = "integer"
"""


def write(home: Path, **files: str) -> None:
    """Files of lots and days: 'L1 05/01/2026, L2 06/01/2026'."""
    (home / "in").mkdir(exist_ok=True)
    (home / "a.toml").write_text(LAYOUT, "utf-8")
    for name, rows in files.items():
        lines = [f"{lot},{day},1" for lot, day in (one.split() for one in rows.split(", "))]
        (home / "in" / f"{name}.csv").write_text("\n".join(["Lot,Seen,N", *lines]), "utf-8")


def extract(home: Path, *options: object) -> dict[str, str]:
    """The day of each lot after a run."""
    done = program("extract", "a.toml", "-o", "out.csv", *options, cwd=home)
    assert done.status in (0, 1), done.err
    return {row["lot"]: row["seen"] for row in csv_rows(home / "out.csv")}


def record(home: Path) -> Any:
    return json.loads((home / "out.csv.run" / "run.json").read_text("utf-8"))


@pytest.mark.parametrize(
    ("proof", "expected"), [("23/02/2026", "2026-01-05"), ("02/23/2026", "2026-05-01")]
)
def test_a_day_anywhere_decides_for_all_files(tmp_path: Path, proof: str, expected: str) -> None:
    write(tmp_path, a="L1 05/01/2026", b=f"L2 {proof}", c="L3 05/01/2026")
    assert extract(tmp_path) == {"L1": expected, "L2": "2026-02-23", "L3": expected}
    assert [one["file"] for one in record(tmp_path)["files"] if one.get("decided")] == [
        "a.csv", "c.csv",
    ]  # fmt: skip


def test_without_a_proof_it_is_told(tmp_path: Path) -> None:
    write(tmp_path, a="L1 05/01/2026", c="L3 06/01/2026")
    done = program("extract", "a.toml", "-o", "out.csv", cwd=tmp_path)
    assert "reading-doubtful" in (tmp_path / "out.csv.run" / "findings.csv").read_text("utf-8")
    assert done.status == 1


def test_files_that_disagree_are_told_by_file(tmp_path: Path) -> None:
    write(tmp_path, a="L1 05/01/2026", b="L2 23/02/2026", c="L3 02/23/2026")
    extract(tmp_path)
    rows = csv_rows(tmp_path / "out.csv.run" / "findings.csv")
    (finding,) = [one for one in rows if one["code"] == "files-disagree"]
    assert "b.csv" in finding["message"] and "c.csv" in finding["message"]


def test_a_file_read_alone_is_read_as_in_the_run_before(tmp_path: Path) -> None:
    write(tmp_path, a="L1 05/01/2026", b="L2 23/02/2026")
    extract(tmp_path)
    assert extract(tmp_path, "--include", "a.csv")["L1"] == "2026-01-05"
    done = program("trace", "out.csv", "1", cwd=tmp_path)
    assert "05/01/2026" in done.out and "2026-01-05" in done.out and done.status == 0


def test_a_proof_that_changes_restates_the_files_that_it_changes(tmp_path: Path) -> None:
    write(tmp_path, a="L1 05/01/2026", b="L2 23/02/2026")
    extract(tmp_path)
    write(tmp_path, b="L2 02/23/2026")
    done = program("extract", "a.toml", "-o", "out.csv", cwd=tmp_path)
    days = {row["lot"]: row["seen"] for row in csv_rows(tmp_path / "out.csv")}
    assert days == {"L1": "2026-05-01", "L2": "2026-02-23"}
    assert "restated" in done.out + done.err
    kept = program("extract", "a.toml", "-o", "out.csv", "--fresh", cwd=tmp_path)
    assert {row["lot"]: row["seen"] for row in csv_rows(tmp_path / "out.csv")} == days, kept.err
