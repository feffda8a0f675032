"""CSV as other programs read it, and writing whole or not at all."""

from __future__ import annotations

import csv
import io
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from boreotabula.batch.atomic import DiscardOutput, atomic_write, placed_folder
from boreotabula.errors import CallError
from boreotabula.reading.values.convert import as_array
from boreotabula.reading.values.form import ValueForm
from boreotabula.stores.csv import CsvWriter, csv_texts
from helpers import program, write_workbook

KINDS = {"name": "text", "count": "integer", "share": "number", "month": "month"}
MOMENT = datetime(2026, 4, 17, 6, 30, 5)
ROWS = st.tuples(
    st.none() | st.text(st.characters(exclude_categories=["Cs"])),
    st.none() | st.integers(-(2**63), 2**63 - 1),
    st.none() | st.floats(allow_nan=False, allow_infinity=False),
    st.none() | st.dates(date(1, 1, 1), date(9999, 12, 1)).map(lambda day: day.replace(day=1)),
)


@given(st.lists(ROWS, max_size=5), st.sampled_from(["plain", 'a "b", c', "a\nb"]))
def test_every_value_reads_back_from_csv(rows: list[tuple[object, ...]], heading: str) -> None:
    names = [heading, *list(KINDS)[1:]]
    arrays = [
        as_array(list(column), ValueForm(kind))
        for column, kind in zip(zip(*rows, strict=True) or [[]] * 4, KINDS.values(), strict=False)
    ] or [as_array([], ValueForm(kind)) for kind in KINDS.values()]
    schema = pa.schema(
        pa.field(name, array.type, metadata={"field_type": kind})
        for name, array, kind in zip(names, arrays, KINDS.values(), strict=True)
    )
    stream = io.BytesIO()
    CsvWriter(stream, schema).write(pa.RecordBatch.from_arrays(arrays, schema=schema))
    head, *lines = csv.reader(io.StringIO(stream.getvalue().decode(), newline=""), strict=True)
    assert head == names
    for line, (name, count, share, month) in zip(lines, rows, strict=True):
        assert line[0] == ("" if name is None else name)
        assert line[1] == ("" if count is None else str(count))
        assert (float(line[2]) if line[2] else None) == share
        assert line[3] == (f"{month.year:04}-{month.month:02}" if isinstance(month, date) else "")


def test_each_type_is_written_in_its_own_form() -> None:
    kinds = {
        "date": MOMENT.date(), "datetime": MOMENT, "time": MOMENT.time(), "yesno": True,
        "decimal(2)": Decimal("12.50"), "percent": 0.125,
    }  # fmt: skip
    arrays = [as_array([value, None], ValueForm(kind)) for kind, value in kinds.items()]
    schema = pa.schema(
        pa.field(kind, array.type, metadata={"field_type": kind})
        for kind, array in zip(kinds, arrays, strict=True)
    )
    head, first, second = csv_texts(pa.Table.from_arrays(arrays, schema=schema))
    assert head == list(kinds)
    assert first == ["2026-04-17", "2026-04-17T06:30:05", "06:30:05", "true", "12.50", "0.125"]
    assert second == [""] * 6


def test_a_folder_is_put_in_place_whole_or_not_at_all(tmp_path: Path) -> None:
    target = tmp_path / "out"
    with placed_folder(target) as folder:
        (folder / "a.csv").write_text("old", "utf-8")
    with pytest.raises(ZeroDivisionError), placed_folder(target) as folder:
        (folder / "a.csv").write_text("half", "utf-8")
        raise ZeroDivisionError
    with placed_folder(target):
        raise DiscardOutput
    assert (target / "a.csv").read_text("utf-8") == "old"
    with placed_folder(target) as folder:
        (folder / "b.csv").write_text("new", "utf-8")
    assert [path.name for path in target.iterdir()] == ["b.csv"]
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


def test_a_file_is_written_whole_or_not_at_all(tmp_path: Path) -> None:
    target = tmp_path / "stock.csv"
    target.write_text("old", "utf-8")
    with atomic_write(target) as stream:
        stream.write(b"half")
        raise DiscardOutput
    with pytest.raises(ZeroDivisionError), atomic_write(target) as stream:
        stream.write(b"half")
        raise ZeroDivisionError
    assert [path.name for path in tmp_path.iterdir()] == ["stock.csv"]
    assert target.read_text("utf-8") == "old"
    with atomic_write(target) as stream:
        stream.write(b"new")
    assert target.read_text("utf-8") == "new"


def test_a_place_that_cannot_be_written_is_said(tmp_path: Path) -> None:
    with (
        pytest.raises(CallError, match=r"“.*x\.csv” cannot be written"),
        atomic_write(tmp_path / "gone" / "x.csv"),
    ):
        pass


@pytest.mark.parametrize(
    "edit",
    [
        ('"type": "text"', '"type": "x"'),
        ('"fields": [', '"fields": "x", "more": ['),
        ('"layout": {', '"layout": true, "more": {'),
        ('"tables": [', '"tables": 5, "more": ['),
        ('"files": [', '"files": {}, "more": ['),
        ("{", "["),
    ],
)
@pytest.mark.parametrize(
    "call",
    [
        ("compare", "s.csv", "s.csv"),
        ("crosstab", "s.csv", "--rows", "lot", "--how", "count"),
        ("trace", "s.csv", "1"),
        ("mark", "s.csv", "-o", "back"),
    ],
)
def test_a_record_that_somebody_changed_is_no_fault(
    tmp_path: Path, edit: tuple[str, str], call: tuple[str, ...]
) -> None:
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [["lot"], ["A"]]})
    (tmp_path / "l.toml").write_text(
        'layout = 1\n[source]\nfolder = "in"\n[block]\n[fields]\nlot = "text"\n', "utf-8"
    )
    assert program("extract", "l.toml", "-o", "s.csv", cwd=tmp_path).status == 0
    record = tmp_path / "s.csv.run" / "run.json"
    record.write_text(record.read_text("utf-8").replace(*edit, 1), "utf-8")
    done = program(*call, cwd=tmp_path)
    if call[0] == "compare":  # which takes any table
        assert (done.status, "Nothing differs." in done.out) == (0, True)
    else:
        assert done.status == 2 and "is damaged" in done.err and "Traceback" not in done.err


def test_what_a_run_adds_may_be_read_by_those_who_may_read_its_output(tmp_path: Path) -> None:
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [["lot", "n"], ["A", 1]]})
    text = 'layout = 1\n[source]\nfolder = "in"\n[block]\n[fields]\nlot = "text"\nn = "integer"\n'
    (tmp_path / "l.toml").write_text(text, "utf-8")
    assert program("extract", "l.toml", "-o", "s.csv", cwd=tmp_path).status == 0
    for path in (tmp_path / "s.csv", *(tmp_path / "s.csv.run").iterdir()):
        path.chmod(0o600)
    (tmp_path / "s.csv.run" / "unplaced.csv").unlink()
    write_workbook(tmp_path / "in" / "a.xlsx", {"S": [["lot", "n"], ["A", 2]]})
    assert program("extract", "l.toml", "-o", "s.csv", cwd=tmp_path).status == 0
    modes = {path.name: path.stat().st_mode & 0o777 for path in (tmp_path / "s.csv.run").iterdir()}
    assert "restated.csv" in modes and set(modes.values()) == {0o600}


@pytest.mark.parametrize(
    "call",
    [
        ("extract", "l.toml", "--into", "postgresql://u:pw@[::bad/x"),
        ("crosstab", "postgresql://u:pw@[::bad/x", "--rows", "lot"),
        ("extract", "l.toml", "-o", "webdav://u:pw@[::bad/x.csv"),
        ("survey", "http://u:pw@[::bad/"),
        ("crosstab", "webdav://host/x.csv", "--rows", "lot"),
    ],
)
def test_addresses_that_are_none(tmp_path: Path, call: tuple[str, ...]) -> None:
    (tmp_path / "l.toml").write_text("layout = 1\n[block]\n[fields]\nlot = 'text'\n", "utf-8")
    done = program(*call, cwd=tmp_path)
    assert done.status == 2 and done.err and "pw" not in done.err
