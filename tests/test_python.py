"""What Python programs use: the page of the handbook, and what data frames hold."""

from __future__ import annotations

import re
import shutil
from datetime import date
from pathlib import Path

import pandas as pd
import pytest

import boreotabula
from boreotabula.errors import CallError
from helpers import csv_rows, write_workbook

PAGE = Path(__file__).parents[1] / "docs" / "python.md"
LAYOUT = """\
layout = 1
[source]
folder = "in"
[block]
stub = "lot"
[fields]
lot = "text"
month = "month"
sown = "date"
pieces = "integer"
kept = "yesno"
weight = "number"
"""


@pytest.fixture
def layout(tmp_path: Path) -> Path:
    rows = [
        ["Lot", "Month", "Sown", "Pieces", "Kept", "Weight"],
        ["L1", "2026-03", "2026-03-04", 41, "yes", 2.5],
        ["L2", "2026-04", "2026-04-05", None, None, None],
    ]
    write_workbook(tmp_path / "in" / "a.xlsx", {"A": rows})
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    return tmp_path / "l.toml"


def test_the_page_of_the_handbook_runs(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shutil.copytree(demo, tmp_path / "demo")
    monkeypatch.chdir(tmp_path / "demo")
    blocks = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL)
    scope: dict[str, object] = {}
    for block in blocks:
        exec(block, scope)
    assert len(blocks) == 7 and Path("stock.parquet").is_file() and Path("counts.toml").is_file()
    assert isinstance(scope["run"], boreotabula.Run) and scope["run"].exit_status == 1


def test_decisions_hold_in_the_next_run(demo: Path, tmp_path: Path) -> None:
    for name in ("stock.toml", "headings.csv", "inbox"):
        copy = shutil.copytree if (demo / name).is_dir() else shutil.copy
        copy(demo / name, tmp_path / name)
    run = boreotabula.extract(tmp_path / "stock.toml")
    (finding,) = run.findings
    run.accept(finding, why="roughly", who="Ada")
    (accepted,) = boreotabula.extract(tmp_path / "stock.toml").findings
    assert accepted.accepted == "Ada: roughly"
    with pytest.raises(CallError, match=r"line 2 accepts it already: Ada, roughly"):
        run.accept(finding, why="again", who="Bo")
    place = (finding.file, finding.tab, finding.cell)
    with pytest.raises(CallError, match="cannot be read as “many”"):
        run.correct(place, to="many", why="asked", who="Ada")
    run.correct(finding, to="120", why="asked", who="Ada", until=date(2999, 1, 31))
    assert boreotabula.extract(tmp_path / "stock.toml").exit_status == 0
    for wrong in (("no.xlsx", *place[1:]), (place[0], "T", "D10"), (*place[:2], "10D")):
        with pytest.raises(CallError):
            run.correct(wrong, to="1", why="asked", who="Ada")


def test_a_pandas_frame_has_the_types_that_its_users_expect(layout: Path) -> None:
    frame = boreotabula.extract(layout).to_pandas()
    kinds = {name: str(kind) for name, kind in frame.dtypes.items()}
    assert {kinds["lot"], kinds["source_file"]} <= {"string", "str"}
    assert (kinds["pieces"], kinds["kept"], kinds["weight"]) == ("Int64", "boolean", "float64")
    assert kinds["month"].startswith("datetime64") and kinds["sown"].startswith("datetime64")
    assert frame["pieces"].isna().tolist() == [False, True] and frame["pieces"].sum() == 41
    # No row for a lot and a month that were not met together.
    assert len(frame.groupby(["lot", "month"]).size()) == 2
    assert frame["month"].dt.to_period("M").tolist() == [pd.Period("2026-03"), pd.Period("2026-04")]


def test_a_polars_frame_has_the_records(layout: Path) -> None:
    frame = boreotabula.extract(layout).to_polars()
    assert frame["pieces"].to_list() == [41, None]
    assert frame["sown"].to_list() == [date(2026, 3, 4), date(2026, 4, 5)]


def test_records_are_written_by_the_ending_and_replace_nothing_unasked(layout: Path) -> None:
    run = boreotabula.extract(layout, files=str(layout.parent / "in" / "a.xlsx"))
    path = run.write(layout.parent / "out.csv")
    assert [row["month"] for row in csv_rows(path)] == ["2026-03", "2026-04"]
    with pytest.raises(CallError, match="overwrite=True"):
        run.write(path)
    assert run.write(path, overwrite=True) == path
    for wrong, said in (("out.doc", "out.doc"), ("no/out.csv", "no")):
        with pytest.raises(CallError, match=said):
            run.write(layout.parent / wrong)
    with pytest.raises(CallError, match="no output table “x”"):
        run.to_pandas("x")


def test_what_is_not_installed_is_named(layout: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    run = boreotabula.extract(layout)
    monkeypatch.setitem(__import__("sys").modules, "pandas", None)
    with pytest.raises(boreotabula.BoreotabulaError, match="pip install pandas"):
        run.to_pandas()


def test_a_folder_without_a_form_gives_no_draft(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    assert boreotabula.draft(tmp_path / "in") is None
    with pytest.raises(CallError):
        boreotabula.draft(tmp_path / "none")


def test_python_knows_who_is_late(layout: Path) -> None:
    run = boreotabula.extract(layout)
    found = run.late("lot", "month", due={"L1": 0, "L9": 0}, on=date(2026, 4, 1))
    stands = [(one.label, one.period, one.standing.value) for one in found]
    assert (("L9",), "2026-03", "missing") in stands and len(stands) <= 2
    assert {one.label for one in run.late("lot", "month", due=0, on=date(2026, 5, 1))} >= {("L2",)}
    with pytest.raises(CallError, match="there is no field “site”, only lot, month"):
        run.late("site", "month", due=0)
    with pytest.raises(CallError, match="“kept” is no month, date or year"):
        run.late("lot", "kept", due=0)
    with pytest.raises(CallError, match="due by sender goes with one field"):
        run.late(["lot", "kept"], "month", due={"L1": 0})
