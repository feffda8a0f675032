"""Whatever stands in a record comes back from a sheet, a line of JSON, or a kept result."""

from __future__ import annotations

import io
import json
import zipfile
from contextlib import closing
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from boreotabula.batch.cache.packing import packed
from boreotabula.batch.cache.store import Cache
from boreotabula.batch.file.facts import TabFacts
from boreotabula.batch.file.read import FileReading, TabResult
from boreotabula.batch.inputs import SourceFile, sorted_files
from boreotabula.errors import CallError
from boreotabula.findings.catalogue import finding_kind
from boreotabula.findings.finding import Finding, ScopedFinding, Unplaced
from boreotabula.layout.addresses import Address
from boreotabula.layout.field_types import type_called
from boreotabula.reading.account.roles import Account, Role, RoleMap
from boreotabula.reading.account.unplaced import UnplacedCells
from boreotabula.reading.records.levels import LevelHeading
from boreotabula.reading.totals.checks import TotalsCount
from boreotabula.reading.values.convert import as_array
from boreotabula.reading.values.form import ValueForm
from boreotabula.sheets.parts.editing import (
    Package,
    open_package,
    relations_of,
    usual_parts,
)
from boreotabula.stores.jsonl import JsonLinesWriter
from boreotabula.stores.xlsx import NewWorkbook, tab_name, table_name
from boreotabula.stores.xlsx_rows import SheetRows, xml_text
from helpers import sheet

KINDS = {
    "name": "text", "count": "integer", "share": "number", "alive": "yesno", "day": "date",
    "seen": "datetime", "at": "time", "price": "decimal(2)",
}  # fmt: skip
SECONDS = st.datetimes(datetime(1901, 1, 1), datetime(2100, 1, 1)).map(
    lambda one: one.replace(microsecond=0)
)
ROWS = st.tuples(
    st.none() | st.text(st.characters(exclude_categories=["Cs"]), min_size=1),
    st.none() | st.integers(-(2**63), 2**63 - 1),
    st.none() | st.floats(-1e12, 1e12, allow_nan=False).map(lambda one: round(one, 3)),
    st.none() | st.booleans(),
    st.none() | st.dates(date(1880, 1, 1), date(2200, 1, 1)),
    st.none() | SECONDS,
    st.none() | SECONDS.map(lambda one: one.time()),
    st.none() | st.integers(-(10**17), 10**17).map(lambda one: Decimal(one) / 100),
)


def batch_of(rows: list[tuple[Any, ...]]) -> pa.RecordBatch:
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(KINDS)
    arrays = [
        as_array(list(column), ValueForm(kind))
        for column, kind in zip(columns, KINDS.values(), strict=True)
    ]
    fields = [
        pa.field(name, one.type, metadata={"field_type": kind})
        for (name, kind), one in zip(KINDS.items(), arrays, strict=True)
    ]
    return pa.RecordBatch.from_arrays(arrays, schema=pa.schema(fields))


def fits(number: int | Decimal) -> bool:
    """Whether a sheet keeps all digits of a number."""
    return len(str(number).lstrip("-").replace(".", "")) <= 15


def expected(row: tuple[Any, ...]) -> list[Any]:
    name, count, share, alive, day, seen, at, price = row
    return [
        name,
        count if count is None or fits(count) else str(count),
        share,
        alive,
        day if day is None or day >= date(1900, 3, 1) else day.isoformat(),
        seen,
        at,
        price if price is None or fits(price) else f"{price:.2f}",
    ]


def plain(value: Any, kind: str) -> Any:
    if kind == "date" and isinstance(value, datetime):
        return value.date()
    if kind == "datetime" and isinstance(value, datetime):
        return value.replace(microsecond=0) if value.microsecond < 500_000 else value
    return value


@settings(max_examples=60)
@given(st.lists(ROWS, min_size=1, max_size=6))
def test_every_value_reads_back_from_a_sheet(rows: list[tuple[Any, ...]]) -> None:
    stream = io.BytesIO()
    batch = batch_of(rows)
    book = NewWorkbook(stream, {"records": batch.schema})
    book.writers["records"].write(batch)
    book.close()
    sheet = openpyxl.load_workbook(stream)["records"]
    assert [cell.value for cell in sheet[1]] == list(KINDS)
    for place, row in enumerate(rows, 2):
        found = [sheet.cell(place, at).value for at in range(1, len(KINDS) + 1)]
        for value, wanted, kind in zip(found, expected(row), KINDS.values(), strict=True):
            if kind == "text" and wanted is not None:
                assert openpyxl.utils.escape.unescape(value) == wanted
            elif kind in ("datetime", "time") and wanted is not None:
                assert abs(_seconds(value) - _seconds(wanted)) < 1
            elif isinstance(wanted, float | Decimal):
                assert float(value) == pytest.approx(float(wanted))
            else:
                assert plain(value, kind) == wanted


def _seconds(value: Any) -> float:
    if isinstance(value, datetime):
        return (value - datetime(1900, 1, 1)).total_seconds()
    assert isinstance(value, time)
    return value.hour * 3600 + value.minute * 60 + value.second + value.microsecond / 1e6


@given(st.lists(ROWS, max_size=5))
def test_every_value_reads_back_from_json(rows: list[tuple[Any, ...]]) -> None:
    stream = io.BytesIO()
    batch = batch_of(rows)
    JsonLinesWriter(stream, batch.schema).write(batch)
    lines = stream.getvalue().decode().split("\n")[:-1]
    for line, row in zip(lines, rows, strict=True):
        found = json.loads(line, parse_float=Decimal)
        name, count, share, alive, day, seen, at, price = row
        assert [found["name"], found["count"], found["alive"]] == [name, count, alive]
        assert (None if share is None else float(found["share"])) == share
        assert found["price"] == price
        moments = (("day", day), ("seen", seen), ("at", at))
        assert all(found[key] == (one and one.isoformat()) for key, one in moments)


ROLES = RoleMap(sheet("a | 1 | . | b"))
ROLES.explain_cells(np.array([0]), np.array([0]), "why")
ROLES.tell(ScopedFinding(Finding(finding_kind("tab-blank"), "m", "a"), spots=[(0, 1)]))
UNPLACED = UnplacedCells.of_tab(ROLES, "f.xlsx", "Bench 1")


def test_unplaced_cells_are_a_sequence_of_what_is_known_of_each() -> None:
    every = [
        Unplaced(*one, "Bench 1", "f.xlsx")
        for one in (("A1", "a", "why", ""), ("B1", "1", "", "tab-blank"), ("D1", "b", "", ""))
    ]
    assert list(UNPLACED) == every and len(UNPLACED) == 3 and every == UNPLACED
    assert (UNPLACED[0], UNPLACED[-1], list(UNPLACED[1:])) == (every[0], every[2], every[1:])
    assert list(UNPLACED.told_by("tab-blank")) == every[1:2]
    assert UNPLACED.without_tabs(["Bench 2"]) == every and not UNPLACED.without_tabs(["Bench 1"])
    assert UnplacedCells.joined([UNPLACED, UnplacedCells(), UNPLACED]) == every * 2
    again, more = UnplacedCells.unpacked(UNPLACED.packed({b"of": b"a tab"}))
    assert again == every and more == {b"of": b"a tab"}
    assert UnplacedCells() == () and UnplacedCells.unpacked(UnplacedCells().packed({}))[0] == ()
    with pytest.raises(IndexError):
        UNPLACED[3]


@given(st.lists(ROWS, max_size=4), st.data())
def test_a_reading_comes_back_as_it_was_sent(rows: list[Any], data: st.DataObject) -> None:
    values = st.none() | st.text(max_size=4) | st.integers() | st.booleans() | st.dates() | SECONDS
    stamps = data.draw(
        st.dictionaries(st.text(max_size=3), values | st.just(Decimal("1.50")), max_size=3)
    )
    facts = TabFacts(
        "d", "b", stamps, frozenset(list(stamps)[:1]), {"a": ("label", Address(0, 0))},
        ((0, 1, "text"),),
        {"count": ((2.5, "B2"),)}, {"count": 1}, {"count": 2.5}, ("name",),
    )  # fmt: skip
    account = Account(3, dict.fromkeys(Role, 1), {"ignore: x": 1})
    tab = TabResult(
        "T",
        {"records": batch_of(rows)},
        account,
        "f",
        (LevelHeading("size", "Pot 95", Address(0, 0), 3),),
        TotalsCount(2, 1),
        facts,
        len(rows),
    )
    findings = (Finding(finding_kind("tab-blank"), "m", "a", Address(0, 0), "l", "f", "T", "n"),)
    reading = FileReading(
        "n.xlsx", 5, "digest", (tab,), {"U": "why"}, ("p*",), findings,
        UNPLACED, True,
    )  # fmt: skip
    found = packed(reading).reading()
    (again,) = found.tabs
    assert {table: batch.to_pylist() for table, batch in again.tables.items()} == {
        "records": batch_of(rows).to_pylist()
    }
    assert (again.facts, again.account, again.totals) == (facts, account, tab.totals)
    assert again.headings == tab.headings
    assert (found.findings, found.unplaced, found.patterns) == (findings, UNPLACED, ("p*",))
    assert {type(one) for one in again.facts.stamps.values()} == {
        type(one) for one in stamps.values()
    }


def test_a_result_is_known_by_all_that_it_depends_on(tmp_path: Path) -> None:
    kept = Cache.of("layout", None, tmp_path)
    source = SourceFile(tmp_path / "a.xlsx", "a.xlsx", {"site": "x"}, "in")
    others = [
        kept.key(source, "other"),
        Cache.of("another layout", None, tmp_path).key(source, "digest"),
        Cache.of("layout", "other limits", tmp_path).key(source, "digest"),
        kept.key(SourceFile(source.path, "b.xlsx", {"site": "x"}, "in"), "digest"),
        kept.key(SourceFile(source.path, "a.xlsx", {"site": "y"}, "in"), "digest"),
        kept.key(SourceFile(source.path, "a.xlsx", {"site": "x"}, "out"), "digest"),
    ]
    assert len({kept.key(source, "digest"), *others}) == 7
    moved = SourceFile(tmp_path / "elsewhere" / "a.xlsx", "a.xlsx", {"site": "x"}, "in")
    assert kept.key(moved, "digest") == kept.key(source, "digest")


@pytest.mark.parametrize(
    ("text", "markup"),
    [
        ("a < b & c", "a &lt; b &amp; c"),
        ("bell \x07", "bell _x0007_"),
        ("_x0041_", "_x005F_x0041_"),
        ("two\r\nlines", "two_x000D_\nlines"),
        ("☃ \U0001f332", "☃ \U0001f332"),
    ],
)
def test_text_as_markup(text: str, markup: str) -> None:
    assert xml_text(text) == markup


@pytest.mark.parametrize(
    ("kind", "form"),
    [("integer", None), ("text", None), ("decimal(0)", "0"), ("decimal(3)", "0.000"),
     ("month", "yyyy-mm"), ("percent", "0.0##%")],
)  # fmt: skip
def test_number_formats(kind: str, form: str | None) -> None:
    assert type_called(kind).sheet_format == form


def test_names_of_tables_and_table_objects() -> None:
    assert tab_name("''") == "records"
    assert table_name("my table 1", 2) == "T2_my_table_1"


def test_a_text_that_no_cell_holds_is_refused() -> None:
    batch = batch_of([("x" * 40_000, *[None] * 7)])
    rows = SheetRows("records", batch.schema)
    with pytest.raises(CallError, match="40,000 characters, and a cell holds 32,767"):
        rows.write(batch)
    rows.close()


def package(tmp_path: Path, **parts: str) -> Package:
    path = tmp_path / "p.xlsx"
    with zipfile.ZipFile(path, "w") as archive:
        for name, text in ({"xl/workbook.xml": "<workbook/>"} | parts).items():
            archive.writestr(name, text)
    return open_package(path)


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ('<workbook><sheets/><calcPr calcId="1"/></workbook>',
         '<workbook><sheets/><calcPr calcId="1" fullCalcOnLoad="1"/></workbook>'),
        ('<workbook><sheets/><calcPr fullCalcOnLoad="0" calcId="1"/></workbook>',
         '<workbook><sheets/><calcPr fullCalcOnLoad="1" calcId="1"/></workbook>'),
        ('<x:workbook xmlns:x="urn:x"><x:sheets/></x:workbook>',
         '<x:workbook xmlns:x="urn:x"><x:sheets/><x:calcPr fullCalcOnLoad="1"/></x:workbook>'),
        ("<workbook><sheets/><definedNames/><other/></workbook>",
         '<workbook><sheets/><definedNames/><calcPr fullCalcOnLoad="1"/><other/></workbook>'),
    ],
)  # fmt: skip
def test_formulas_are_worked_out_on_opening(tmp_path: Path, before: str, after: str) -> None:
    found = package(tmp_path, **{"xl/workbook.xml": before})
    found.recalculate()
    head, _, text = found.content("xl/workbook.xml").decode().partition("\n")
    assert (head, text) == ("<?xml version='1.0' encoding='UTF-8' standalone='yes'?>", after)
    found.close()


@pytest.mark.parametrize("text", ["<workbook><sheets></workbook>", "<x:workbook/>"])
def test_a_damaged_part_is_no_fault_of_the_program(tmp_path: Path, text: str) -> None:
    with (
        pytest.raises(CallError, match=r"damaged in “xl/workbook\.xml”"),
        closing(package(tmp_path, **{"xl/workbook.xml": text})) as found,
    ):
        found.tabs()


def test_parts_that_are_none_are_told_with_their_workbook() -> None:
    said = "^a.xlsx: its parts are not as spreadsheet programs write"
    with pytest.raises(CallError, match=said), usual_parts("a.xlsx: "):
        int("no number of a cell")


def test_styles_and_relations_are_added_beside_those_there(tmp_path: Path) -> None:
    styles = '<styleSheet><fonts/><cellXfs count="1"><xf numFmtId="0"/></cellXfs></styleSheet>'
    found = package(tmp_path, **{"xl/styles.xml": styles})
    assert (found.style("yyyy-mm"), found.style("0.00"), found.style("yyyy-mm")) == (1, 2, 3)
    text = found.content("xl/styles.xml").decode()
    assert text.count("<numFmt ") == 2 and 'cellXfs count="4"' in text
    assert found.relate("xl/workbook.xml", "/worksheet", "xl/worksheets/sheet9.xml") == "rId1"
    assert found.related("xl/workbook.xml", "/worksheet") == {"rId1": "xl/worksheets/sheet9.xml"}
    assert found.new_name("xl/styles{}.xml") == "xl/styles1.xml"
    assert relations_of("xl/workbook.xml") == "xl/_rels/workbook.xml.rels"
    found.close()


def test_outputs_of_runs_are_never_read(tmp_path: Path) -> None:
    for name in ("a.csv", "out.csv", "deep/b.csv", "tables/t.csv", ".hidden/c.csv", "~$a.xlsx"):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text("x", "utf-8")
    for name, file in (("out", "out.csv"), ("tables", "tables/t.csv")):
        (tmp_path / f"{name}.run").mkdir()
        there = (tmp_path / file).stat()
        looks = {"size": there.st_size, "modified_ns": there.st_mtime_ns}
        written = looks if name == "out" else {"files": {"t.csv": looks}}
        record = {"output": "out.csv" if name == "out" else "tables", "written": written}
        (tmp_path / f"{name}.run" / "run.json").write_text(json.dumps(record), "utf-8")
    found = {one.below: one for one in sorted_files(tmp_path)}
    assert [below for below, one in found.items() if not one.why] == ["a.csv", "deep/b.csv"]
    assert found["out.csv"].why == found["tables/t.csv"].why == "output of an earlier run"
    assert found["out.run/run.json"].why == "output of an earlier run"
    own = {one.below: one.why for one in sorted_files(tmp_path, [tmp_path / "a.csv"])}
    assert own["a.csv"] == "output of this run"
