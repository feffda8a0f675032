"""What stands out when the tabs of a run are compared: each with its evidence, none without it."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import boreotabula
from boreotabula.findings.finding import Finding
from helpers import csv_rows, program, write_workbook

LAYOUT = """
layout = 1
[source]
folder = "in"
[stamps]
nursery = { cell = "B1" }
month = { cell = "B2" }
[block]
stub = ["species", "lot"]
totals = "Total*"
[fields]
nursery = "text"
month = "month"
species = "text"
lot = "text"
seedlings = "integer"
remark = "text"
"""
Rows = list[list[Any]]


def form(site: int, month: int, *, body: Rows | None = None, labels: str = "Nursery Month") -> Rows:
    first, second = labels.split()
    body = body or [["Pine", f"L{n}", site * 97 + month * 13 + n, "ok"] for n in range(7)]
    return [
        [first, f"N{site}"], [second, f"2026-{month:02}"], [],
        ["Species", "Lot", "Seedlings", "Remark"], *body,
    ]  # fmt: skip


def found(
    folder: Path, forms: dict[str, Rows], layout: str = LAYOUT
) -> tuple[boreotabula.Run, list[Finding]]:
    """A run over workbooks of one tab each, and its findings without those about titles."""
    for name, rows in forms.items():
        write_workbook(folder / "in" / f"{name}.xlsx", {"Bench 1": rows})
    (folder / "layout.toml").write_text(layout, "utf-8")
    run = boreotabula.extract(boreotabula.Layout.load(folder / "layout.toml"))
    return run, [one for one in run.findings if one.code not in ("texts-unplaced", "field-missing")]


def usual(sites: int = 6, months: int = 2) -> dict[str, Rows]:
    return {f"{s}-{m}": form(s, m) for s in range(1, sites + 1) for m in range(1, months + 1)}


def test_usual_forms_give_no_findings(tmp_path: Path) -> None:
    run, told = found(tmp_path, usual())
    assert told == []
    assert run.record_count == 84


def test_a_month_sent_twice_with_other_values(tmp_path: Path) -> None:
    again = form(2, 1, body=[["Pine", "L1", 7, "ok"]] * 5)
    run, told = found(tmp_path, usual() | {"2-1 new": again})
    (one,) = told
    assert (one.code, one.file, one.found) == ("sent-twice", "2-1.xlsx", "2-1 new.xlsx › Bench 1")
    assert "nursery = N2, month = 2026-01-01" in one.message
    assert run.record_count == 89


def test_the_same_tab_in_two_files_counts_once(tmp_path: Path) -> None:
    write_workbook(tmp_path / "in" / "0.xlsx", {"Notes": [["hello"]], "Bench 1": form(1, 1)})
    layout = LAYOUT.replace("[stamps]", '[tabs]\nnamed = "Bench*"\n[stamps]')
    run, told = found(tmp_path, usual(), layout)
    (one,) = told
    assert (one.code, one.file, one.tab) == ("tab-twice", "1-1.xlsx", "Bench 1")
    assert "the same 7 records, stamps and values, as “0.xlsx › Bench 1”" in one.message
    assert run.record_count == 84
    (copy,) = [file for file in run.files if file.name == "1-1.xlsx"]
    assert copy.account.left_out == {"copy: of 0.xlsx › Bench 1": copy.account.filled}


def test_values_of_last_month_under_a_new_stamp(tmp_path: Path) -> None:
    forms = usual()
    forms["3-2"] = form(3, 2, body=form(3, 1)[4:])
    _, told = found(tmp_path, forms)
    (one,) = told
    assert (one.code, one.file, one.found) == ("values-repeated", "3-2.xlsx", "3-1.xlsx › Bench 1")
    assert "but month = 2026-02-01 instead of 2026-01-01" in one.message


def test_forms_that_always_repeat_are_nothing_odd(tmp_path: Path) -> None:
    forms = {f"{s}-{m}": form(s, m, body=form(s, 1)[4:]) for s in range(1, 7) for m in (1, 2, 3)}
    assert found(tmp_path, forms)[1] == []


def test_a_value_far_from_those_of_its_sender(tmp_path: Path) -> None:
    forms = usual(months=5)
    forms["4-3"][5][2] = 42_900
    _, told = found(tmp_path, forms)
    (one,) = told
    assert (one.code, one.file, one.cell) == ("value-far", "4-3.xlsx", "C6")
    assert "42,900 for “seedlings” is 93 times the 459 that the others of N4 reach" in one.message


def test_a_field_that_one_file_alone_leaves_empty(tmp_path: Path) -> None:
    forms = usual()
    for row in forms["5-1"][4:]:
        row[3] = None
    _, told = found(tmp_path, forms)
    assert [(one.code, one.file, one.looked_for) for one in told] == [
        ("field-empty-here", "5-1.xlsx", "remark")
    ]


def test_a_tab_with_far_fewer_records(tmp_path: Path) -> None:
    many = {
        name: form(
            *map(int, name.split("-")),
            body=[["Pine", f"L{n}", at * 100 + n, "ok"] for n in range(20)],
        )
        for at, name in enumerate(usual())
    }
    del many["6-2"][7:]
    _, told = found(tmp_path, many)
    (one,) = told
    assert (one.code, one.file, one.found) == ("records-few", "6-2.xlsx", "3 records")


def test_a_stamp_whose_cell_has_another_label(tmp_path: Path) -> None:
    forms = usual()
    forms["2-2"].insert(0, ["Form 7", "spring"])
    forms["2-2"][2][1] = "2026-02"
    _, told = found(tmp_path, forms)
    moved = [one for one in told if one.code == "stamp-moved"]
    assert [(one.file, one.cell, one.looked_for) for one in moved] == [
        ("2-2.xlsx", "B1", "“nursery”"),
        ("2-2.xlsx", "B2", "“month”"),
    ]
    assert "which is in A2 here" in moved[0].message


def test_labels_of_another_language_are_nothing_odd(tmp_path: Path) -> None:
    forms = usual() | {"7-1": form(7, 1, labels="Taimitarha Kuukausi")}
    assert found(tmp_path, forms)[1] == []


KEY = LAYOUT.replace("layout = 1", 'layout = 1\nkey = ["nursery", "month", "lot"]')


def test_records_with_the_same_key(tmp_path: Path) -> None:
    forms = usual()
    forms["1-1"][5][1] = forms["1-1"][6][1] = "L0"
    run, told = found(tmp_path, forms, KEY)
    (one,) = told
    assert (one.code, one.cell) == ("key-twice", "A6")
    assert one.message.startswith("2 records have the same key as another record of this tab")
    assert "nursery = N1, month = 2026-01-01, lot = L0" in one.message
    assert run.record_count == 84


def test_a_key_is_of_fields(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "layout.toml").write_text(KEY.replace('"lot"]\n[source]', '"lto"]\n[source]'))
    done = program("extract", "layout.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.status == 2
    assert "layout.toml, line 3: " in done.err and "no field “lto”" in done.err


def test_strict_writes_nothing_while_errors_stand(tmp_path: Path) -> None:
    forms = usual(sites=1)
    forms["1-1"][4][2] = "many"
    found(tmp_path, forms)
    done = program("extract", "layout.toml", "-o", "out.csv", "--strict", cwd=tmp_path)
    assert done.status == 1
    assert "nothing was written" in done.err + done.out
    assert sorted(one.name for one in tmp_path.iterdir()) == ["in", "layout.toml"]
    forms["1-1"][4][2] = 11
    found(tmp_path, forms)
    done = program("extract", "layout.toml", "-o", "out.csv", "--strict", cwd=tmp_path)
    assert (done.status, len(csv_rows(tmp_path / "out.csv"))) == (0, 14)


def test_the_record_of_a_run_accounts_for_everything(tmp_path: Path) -> None:
    forms = usual(sites=2)
    forms["1-1"].append(["Total", None, 1 + sum(row[2] for row in forms["1-1"][4:])])
    found(tmp_path, forms)
    (tmp_path / "in" / "broken.xlsx").write_bytes(b"PK")
    (tmp_path / "in" / "~$1-1.xlsx").write_bytes(b"")
    write_workbook(tmp_path / "in" / "1-1 copy.xlsx", {"Bench 1": forms["1-1"]})
    assert program("extract", "layout.toml", "-o", "out.csv", cwd=tmp_path).status == 1
    record = json.loads((tmp_path / "out.csv.run" / "run.json").read_text("utf-8"))
    files = {one["file"]: one for one in record["files"]}
    assert "broken" not in str(record["left_out"])
    assert [one["file"] for one in record["left_out"]] == ["~$1-1.xlsx"]
    assert files["broken.xlsx"]["why_not_read"]
    assert record["printed_totals"] == {"compared": 1, "agree": 0}
    for account in (record["cells"], *(one["cells"] for one in files.values())):
        assert sum(account["roles"].values()) == account["filled"]
    assert record["cells"]["filled"] == sum(one["cells"]["filled"] for one in files.values())


@pytest.mark.parametrize(
    ("damage", "said"),
    [
        (lambda rows: rows[3].__setitem__(2, "Taimia kpl"), "(the same on 4 tabs of 4 files)"),
        (lambda rows: rows[4].__setitem__(2, "many"), "(the same on 4 tabs of 4 files)"),
    ],
)
def test_findings_of_one_cause_are_told_once(
    tmp_path: Path, damage: Callable[[Rows], object], said: str
) -> None:
    forms = usual(sites=4, months=1)
    for rows in forms.values():
        damage(rows)
    found(tmp_path, forms)
    done = program("extract", "layout.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.err.count("error") == 1 and said in " ".join(done.err.split())
    listed = csv_rows(tmp_path / "out.csv.run" / "findings.csv")
    assert len([one for one in listed if one["severity"] == "error"]) == 4
