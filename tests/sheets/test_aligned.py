"""Text in columns of blanks or of fixed places, and texts of two bytes a letter."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.sheets.aligned import aligned_rows, find_columns
from boreotabula.sheets.text import find_encoding
from helpers import csv_rows, program

REPORT = """\
Station report for week 14, north
Station      Day          Count   Weight
Frostmo      2026-04-01       3    12.50
Lomlia Øst   2026-04-02     120   112.50
                                   99.00
Kaldvatn                     15
"""
ROWS = [
    ["Station report for week 14, north"],
    ["Station", "Day", "Count", "Weight"],
    ["Frostmo", "2026-04-01", "3", "12.50"],
    ["Lomlia Øst", "2026-04-02", "120", "112.50"],
    ["", "", "", "99.00"],
    ["Kaldvatn", "", "15", ""],
]


def test_columns_are_found_by_the_blanks_that_all_lines_share() -> None:
    starts = find_columns(REPORT.splitlines())
    assert starts is not None and aligned_rows(REPORT.splitlines(), starts) == ROWS


def test_wide_letters_take_two_places() -> None:
    lines = ["名前      数量    日付", "東京港       12  2026-04-01", "大阪       1234  2026-04-02"]
    starts = find_columns(lines)
    assert starts is not None
    assert aligned_rows(lines, starts)[1:] == [
        ["東京港", "12", "2026-04-01"], ["大阪", "1234", "2026-04-02"],
    ]  # fmt: skip


WORDS = st.text("abcdefghijkøåÆ", min_size=1, max_size=7)


@given(st.lists(st.tuples(WORDS, st.integers(0, 99999), WORDS), min_size=4, max_size=12))
def test_any_aligned_table_is_read_back(rows: list[tuple[str, int, str]]) -> None:
    lines = [f"{'Name':9}{'Count':>8}   {'Kind':8}".rstrip()]
    lines += [f"{name:9}{count:>8}   {kind:8}".rstrip() for name, count, kind in rows]
    starts = find_columns(lines)
    assert starts is not None
    read = aligned_rows(lines, starts)[1:]
    assert read == [[name, str(count), kind] for name, count, kind in rows]


@pytest.mark.parametrize("text", ["a;b\n1;2\n", "one text\nand another one\n", "a,b\n1,2\n"])
def test_other_texts_are_not_aligned(text: str) -> None:
    assert find_columns(text.splitlines()) is None


@pytest.mark.parametrize(
    ("encoding", "text"),
    [
        ("cp932", "名前,数量,日付\nさくらの里,12,月曜日\n大阪の港,5,火曜日\n"),
        ("euc_jp", "名前,数量,日付\nさくらの里,12,月曜日\n大阪の港,5,火曜日\n"),
        ("gb18030", "名称,数量,日期\n北京港口,12,星期一\n上海的港口,5,星期二\n"),
        ("big5", "名稱,數量,日期\n北京港口,12,星期一\n上海的港口,5,星期二\n"),
        ("cp949", "이름,수량\n부산항,12\n서울시청,5\n"),
        ("cp1252", "Avdeling;Antall\nØstre Ås;12\nBlåbær på Årnes;5\nHönö över;4"),
    ],
)
def test_an_encoding_is_found(encoding: str, text: str) -> None:
    data = text.encode(encoding)
    assert data.decode(find_encoding(data)) == text


LAYOUT = """
layout = 1
{text}[source]
folder = "in"
[block]
[fields]
station = "text"
day = "date"
count = "integer"
weight = "number"
"""


def extracted(home: Path, text: str, content: str) -> list[dict[str, str]]:
    """The records of a text file."""
    (home / "in").mkdir()
    (home / "in" / "a.txt").write_text(content, "utf-8")
    (home / "a.toml").write_text(LAYOUT.format(text=text), "utf-8")
    done = program("extract", "a.toml", "-o", "out.csv", cwd=home)
    assert done.status in (0, 1), done.err
    return csv_rows(home / "out.csv")


@pytest.mark.parametrize("text", ["", '[text]\ncolumns = "aligned"\n'])
def test_an_aligned_report_becomes_records(tmp_path: Path, text: str) -> None:
    records = extracted(tmp_path, text, REPORT)
    assert [(one["station"], one["count"], one["weight"]) for one in records] == [
        ("Frostmo", "3", "12.5"), ("Lomlia Øst", "120", "112.5"), ("", "", "99"),
        ("Kaldvatn", "15", ""),
    ]  # fmt: skip
    assert records[1]["source_cell"] == "A4"


def test_columns_by_their_places(tmp_path: Path) -> None:
    """Nothing but the layout says where a column ends."""
    (tmp_path / "in").mkdir()
    lines = "Fros2026-04-01  3   12.50\nLoml2026-04-02120  112.50\n"
    (tmp_path / "in" / "a.txt").write_text(lines, "utf-8")
    keys = 'headings = 0\ncolumns = ["station", "day", "count", "weight"]'
    layout = LAYOUT.replace("[block]", f"[block]\n{keys}")
    text = "[text]\ncolumns = [1, 5, 15, 18]\n"
    (tmp_path / "a.toml").write_text(layout.format(text=text), "utf-8")
    done = program("extract", "a.toml", "-o", "out.csv", cwd=tmp_path)
    assert done.status == 0, done.err
    assert [list(one.values())[:4] for one in csv_rows(tmp_path / "out.csv")] == [
        ["Fros", "2026-04-01", "3", "12.5"], ["Loml", "2026-04-02", "120", "112.5"],
    ]  # fmt: skip
