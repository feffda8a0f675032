"""Two outputs compared: against joins of another library, of any kind, made by hand; and what
senders restate from run to run."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import polars
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.review.compare.compare import Comparison, compare
from boreotabula.review.compare.parts import hashes, joined_texts
from boreotabula.review.compare.sides import table_side
from helpers import csv_rows, program, write_workbook

KINDS = {
    "site": "text", "lot": "integer", "weight": "decimal(2)", "share": "number", "seen": "yesno",
    "day": "date",
}  # fmt: skip
ARROW = (pa.string(), pa.int64(), pa.decimal128(38, 2), pa.float64(), pa.bool_(), pa.date32())
SCHEMA = pa.schema(
    pa.field(name, kind, metadata={"field_type": called})
    for (name, called), kind in zip(KINDS.items(), ARROW, strict=True)
)
ROWS = st.lists(
    st.tuples(
        st.sampled_from(["A", "B", "", None, "\x1f", "\x1f-"]),
        st.sampled_from([1, 2, 2**53, 2**53 + 1, None]),
        st.sampled_from([Decimal("0.00"), Decimal("1.10"), None]),
        st.sampled_from([0.0, 0.1, 1e-7, None]),
        st.sampled_from([True, False, None]),
        st.none(),
    ),
    max_size=12,
)


def side(rows: Sequence[Any], name: str = "t") -> Any:
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(SCHEMA)
    arrays = [pa.array(one, kind) for one, kind in zip(columns, ARROW, strict=True)]
    return table_side(name, pa.Table.from_arrays(arrays, schema=SCHEMA))


def numbers(found: Comparison) -> tuple[int, int, int, int]:
    return found.same, found.changed, found.new, found.gone


@given(ROWS, ROWS, st.integers(1, 20))
@settings(max_examples=40)
def test_counts_agree_with_joins_of_another_library(
    before: list[Any], after: list[Any], in_a_part: int
) -> None:
    """Of each key the rows that are alike are paired first, then as many as there are on both."""
    found = compare(side(before), side(after), ["site", "lot"], in_a_part=in_a_part)

    def counted(rows: list[Any], width: int) -> Any:
        keys = [[repr(cell or None) if cell == "" else repr(cell) for cell in row[:width]]
                for row in rows]  # fmt: skip
        frame = polars.DataFrame(
            {str(at): [one[at] for one in keys] for at in range(width)},
            schema={str(at): polars.String for at in range(width)},
        )
        return frame.group_by(frame.columns).len()

    def shared(width: int) -> int:
        on = [str(at) for at in range(width)]
        both = counted(before, width).join(counted(after, width), on=on, nulls_equal=True)
        return int(both.select(polars.min_horizontal("len", "len_right").sum()).item() or 0)

    same, by_key = shared(len(KINDS)), shared(2)
    assert numbers(found) == (same, by_key - same, len(after) - by_key, len(before) - by_key)
    assert found.records == (len(before), len(after))
    assert compare(side(after), side(before), ["site", "lot"]).same == same
    weights = found.sums.get(("", "weight"))
    sums = [sum((row[2] or Decimal(0) for row in one), Decimal(0)) for one in (before, after)]
    assert [weights.before, weights.after] == sums if weights else sums == [0, 0]


def test_many_parts_give_what_one_gives(monkeypatch: pytest.MonkeyPatch) -> None:
    before = [("A", at, Decimal(at), 0.5, True, None) for at in range(3_000)]
    after = [("A", at, Decimal(at + (at % 7 == 0)), 0.5, True, None) for at in range(10, 3_010)]
    whole = compare(side(before), side(after), ["lot"])
    parts = compare(side(before), side(after[::-1]), ["lot"], in_a_part=100)
    assert numbers(whole) == numbers(parts) == (2_563, 427, 10, 10)
    first, second = (
        sorted(map(str, one.changes.to_pylist())) for one in (whole, parts)
    )  # fmt: skip
    assert first == second
    assert whole.sums == parts.sums


@given(st.lists(st.text(max_size=6), min_size=1, max_size=30))
def test_the_same_texts_have_the_same_hash(texts: list[str]) -> None:
    found = hashes(pa.array(texts, pa.large_string()))
    again = hashes(pa.array(["x", *texts], pa.large_string()).slice(1))
    assert found.tolist() == again.tolist()
    assert len(set(found.tolist())) == len(set(texts))


def test_what_is_joined_can_be_told_apart() -> None:
    rows = [("a", "b"), ("a\x1f|b", ""), ("", "a\x1f|b"), (None, ""), ("", None), ("\x1f-", ""),
            (None, None)]  # fmt: skip
    one, other = (pa.array(column, pa.string()) for column in zip(*rows, strict=True))
    assert len(set(joined_texts([one, other]).to_pylist())) == len(rows)


# --- files ---------------------------------------------------------------------------------------

LAYOUT = """layout = 1
key = ["site", "month", "lot"]
[source]
folder = "in"
[stamps]
site = { right_of = "Site" }
month = { right_of = "Month" }
[block]
stub = "lot"
[fields]
site = "text"
month = "month"
lot = "text"
seedlings = "integer"
"""


def send(home: Path, name: str, month: str, lots: Sequence[tuple[str, Any]]) -> None:
    rows = [["Site", name[0]], ["Month", month], [], ["Lot", "Seedlings"], *lots]
    write_workbook(home / "in" / f"{name}.xlsx", {"S": rows})


def extract(home: Path, out: str, *more: object) -> Any:
    return program("extract", "l.toml", "-o", out, *more, cwd=home)


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """Two files of two sites, and what they reported."""
    send(tmp_path, "A1", "2026-01", [("L1", 10), ("L2", 20)])
    send(tmp_path, "B1", "2026-01", [("L1", 5)])
    (tmp_path / "l.toml").write_text(LAYOUT, "utf-8")
    assert extract(tmp_path, "old.csv").status == 0
    return tmp_path


@pytest.mark.parametrize(
    "ending", ["csv", "csv.gz", "tsv", "jsonl", "parquet", "arrow", "xlsx", "sqlite"]
)
def test_any_two_kinds_of_output(home: Path, ending: str) -> None:
    assert extract(home, f"same.{ending}").status == 0
    done = program("compare", "old.csv", f"same.{ending}", cwd=home)
    assert (done.status, "Nothing differs." in done.out) == (0, True)
    send(home, "A1", "2026-01", [("L2", 21), ("L3", None), ("L4", 0)])
    assert extract(home, f"new.{ending}").status == 0
    found = json.loads(program("compare", "old.csv", f"new.{ending}", "--json", cwd=home).out)
    assert [found[one] for one in ("same", "changed", "new", "gone")] == [1, 1, 2, 1]
    (changed,) = (one for one in found["changes"] if one["what"] == "changed")
    assert [changed[one] for one in ("lot", "field", "before", "after", "before_cell",
                                     "after_cell")] == [
        "L2", "seedlings", "20", "21", "A6", "A5",
    ]  # fmt: skip
    assert found["sums"] == [
        {"field": "seedlings", "before": "35", "after": "26", "difference": "-9"}
    ]


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_against_a_table_made_by_hand(home: Path, ending: str) -> None:
    rows = [
        ["Seedlings", "Lot", "Site", "Month", "Remarks"],
        ["10", "L1", "A", "January 2026", "ok"],
        ["0", "L2", "A", "2026-01", None],
        ["5", "L1", "B", "01/2026", None],
    ]
    if ending == "xlsx":
        write_workbook(home / "hand.xlsx", {"S": [["My own table"], [], *rows]})
    else:
        with (home / "hand.csv").open("w", encoding="utf-8", newline="") as stream:
            csv.writer(stream, delimiter=";").writerows(rows)
    done = program("compare", f"hand.{ending}", "old.csv", "--by", "site", cwd=home)
    assert (done.status, done.err) == (0, "")
    assert "3 records → 3 records: 2 the same, 1 changed, 0 new, 0 gone" in done.out
    assert "matched by site, month, lot" in done.out and "Remarks" in done.out
    sums = [line.split() for line in done.out.splitlines() if line.startswith(("A ", "B "))]
    assert sums[:2] == [
        ["A", "seedlings", "10", "30", "+20"], ["B", "seedlings", "5", "5", "0"],
    ]  # fmt: skip
    assert program("compare", "old.csv", f"hand.{ending}", cwd=home).out.count("-20") == 1


def test_changes_as_files_and_a_picture(home: Path) -> None:
    send(home, "A1", "2026-01", [("L1", 10), ("L2", 25), ("+L9", 1)])
    assert extract(home, "new.csv").status == 0
    for name in ("c.csv", "c.xlsx"):
        more = ["-o", name, "--by", "site", "--chart", "c.svg"]
        done = program("compare", "old.csv", "new.csv", *more, cwd=home)
        assert done.status == 0 and f"{name}: 2 differences" in done.out
    rows = csv_rows(home / "c.csv")
    assert [(row["what"], row["lot"], row["before"], row["after"]) for row in rows] == [
        ("changed", "L2", "20", "25"), ("new", "+L9", "", ""),
    ]  # fmt: skip
    book = openpyxl.load_workbook(home / "c.xlsx")
    assert book["Changes"]["D3"].value == "+L9" and book["Changes"]["D3"].data_type == "s"
    assert [cell.value for cell in book["Sums"][2]] == ["A", "seedlings", 30, 36, 6]
    text = (home / "c.svg").read_text("utf-8")
    assert "Sums by site: old.csv → new.csv" in text and ">+6<" in text


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["old.csv"], "name two outputs, or one output with --before"),
        (["old.csv", "old.csv", "--before"], "name two outputs, or one output with --before"),
        (["old.csv", "none.csv"], "there is no file “none.csv”"),
        (["old.csv", "l.toml"], "is a layout; name the records"),
        (["old.csv", "old.csv", "--key", "sites"], "has no column “sites”; did you mean “site”?"),
        (["old.csv", "old.csv", "--by", "who"], "has no column “who”"),
        (["old.csv", "old.csv", "-o", "old.csv"], "is read by this command"),
        (["old.csv", "old.csv", "-o", "x.pdf"], "changes are written as .csv or .xlsx"),
        (["old.csv", "old.csv", "--chart", "x.png"], "no sum differs"),
        (["old.csv", "--before"], "nothing is kept of “old.csv” from before"),
        (["hand.csv", "hand.csv"], "say with --key what tells records apart"),
    ],
)
def test_wrong_calls(home: Path, arguments: list[str], said: str) -> None:
    (home / "hand.csv").write_text("a;b\n1;2\n", "utf-8")
    done = program("compare", *arguments, cwd=home)
    assert done.status == 2 and said in " ".join(done.err.split())


# --- restated ------------------------------------------------------------------------------------


def restated(home: Path) -> list[dict[str, str]]:
    return csv_rows(home / "out.csv.run" / "restated.csv")


@pytest.mark.parametrize("keyed", [True, False])
def test_what_a_file_restates_is_told_and_listed(home: Path, keyed: bool) -> None:
    if not keyed:
        (home / "l.toml").write_text(LAYOUT.replace('key = ["site", "month", "lot"]', ""), "utf-8")
    assert "restated" not in extract(home, "out.csv").out
    send(home, "A1", "2026-01", [("L0", 1), ("L1", 12), ("L2", 20)])
    send(home, "A2", "2026-02", [("L1", 7)])
    done = extract(home, "out.csv", "--strict-past")
    assert (done.status, csv_rows(home / "out.csv")[0]["seedlings"]) == (1, "10")
    assert "Values were restated, so nothing was written (--strict-past)." in done.err
    done = extract(home, "out.csv")
    said = "1 new, 1 changed, 1 unchanged (1 value restated, sum of seedlings 2026-01: 35 → 38)"
    assert done.status == 0 and f"since the last run: {said}" in done.out
    (line,) = restated(home)
    assert list(line.values()) == [
        "A1.xlsx", "S", "A6", "A", "2026-01", "L1", "seedlings", "10", "12",
    ]  # fmt: skip
    (finding,) = csv_rows(home / "out.csv.run" / "findings.csv")
    assert (finding["code"], finding["file"], finding["cell"]) == (
        "value-restated",
        "A1.xlsx",
        "A6",
    )
    run = json.loads((home / "out.csv.run" / "run.json").read_text("utf-8"))
    assert run["restated"]["values"] == 1
    compared = program("compare", "out.csv", "--before", "--key", "site,month,lot", cwd=home).out
    assert "3 records → 5 records: 2 the same, 1 changed, 2 new, 0 gone" in compared
    assert "restated" not in extract(home, "out.csv").out and restated(home) == []


def test_records_that_are_gone_and_files_that_others_speak_for(home: Path) -> None:
    extract(home, "out.csv")
    send(home, "A1", "2026-01", [("L2", None)])
    (home / "in" / "B1.xlsx").unlink()
    send(home, "B9", "2026-01", [("L1", 6)])
    done = extract(home, "out.csv")
    assert (
        "(2 values restated, 1 record no longer there, sum of seedlings 2026-01: 35 → 6)"
        in done.out
    )
    assert [(one["file"], one["lot"], one["field"], one["before"], one["now"])
            for one in restated(home)] == [
        ("A1.xlsx", "L2", "seedlings", "20", ""), ("B9.xlsx", "L1", "seedlings", "5", "6"),
        ("A1.xlsx", "L1", "the record", "there", "gone"),
    ]  # fmt: skip


def test_a_file_that_holds_no_record_any_more(home: Path) -> None:
    extract(home, "out.csv")
    send(home, "A1", "2026-01", [])
    assert "(2 records no longer there)" in extract(home, "out.csv").out
    assert {(one["lot"], one["now"]) for one in restated(home)} == {("L1", "gone"), ("L2", "gone")}


def test_a_file_that_cannot_be_read_restates_nothing(home: Path) -> None:
    extract(home, "out.csv")
    (home / "in" / "A1.xlsx").write_bytes(b"PK damaged")
    assert "no longer there" not in extract(home, "out.csv").out and restated(home) == []
    codes = [one["code"] for one in csv_rows(home / "out.csv.run" / "findings.csv")]
    assert codes == ["file-unreadable"]


def test_a_tab_whose_stamp_cannot_be_read_restates_nothing(home: Path) -> None:
    extract(home, "out.csv")
    send(home, "A1", "soon", [("L1", 10), ("L2", 20)])
    assert "restated" not in extract(home, "out.csv").out and restated(home) == []
    codes = [one["code"] for one in csv_rows(home / "out.csv.run" / "findings.csv")]
    assert codes == ["stamp-not-converted"]


def test_every_restated_cell_is_marked_and_asked_for(home: Path) -> None:
    extract(home, "out.csv")
    send(home, "A1", "2026-01", [("L1", 11), ("L2", 21)])
    extract(home, "out.csv")
    assert "A1.xlsx: 2 faults marked" in program("mark", "out.csv", "-o", "back", cwd=home).out
    (copy,) = (home / "back").rglob("A1.xlsx")
    tab = openpyxl.load_workbook(copy)["S"]
    noted = {cell.coordinate for row in tab.iter_rows() for cell in row if cell.comment}
    assert noted == {"A5", "A6"}
    for lines, status, said in (
        ([("L1", 11), ("L2", 21)], 1, "0 of 2 corrected"),  # nothing was done
        ([("L1", 15), ("L2", 21)], 1, "1 of 2 corrected"),
        ([("L1", 10), ("L2", 20)], 0, "2 of 2 corrected"),
    ):
        send(home, "A1", "2026-01", lines)
        extract(home, "out.csv")
        done = program("mark", "out.csv", "--check", "back", cwd=home)
        assert (done.status, said in done.out) == (status, True), done.out


def test_files_of_a_run_folder_are_no_reports(home: Path) -> None:
    text = LAYOUT.replace('folder = "in"', 'folder = "in"\ninclude = ["*.xlsx", "*.csv"]')
    (home / "l.toml").write_text(text, "utf-8")
    for count in (1, 2, 3):
        send(home, "A1", "2026-01", [("L1", count)])
        done = extract(home, "in/out.csv")
        assert done.status == 0 and "from 2 of 2 files" in done.out
    assert (home / "in" / "out.csv.run" / "before.csv").is_file()
