"""Cross-tabs agree with an independent computation; coverage, pictures and pages say what is so."""

from __future__ import annotations

import csv
import json
import shutil
import subprocess
from datetime import date
from decimal import Decimal
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import openpyxl
import polars
import pyarrow as pa
import pytest

from boreotabula.errors import CallError
from boreotabula.layout.field_types import FIELD_TYPES
from boreotabula.review.coverage import coverage
from boreotabula.review.crosstab.cross import Cross, CrosstabSpec
from boreotabula.review.crosstab.crosstab import crosstab, readable_number
from boreotabula.sheets.opening import Workbook
from helpers import Outcome, program, write_workbook

KINDS = {"site": "text", "month": "month", "lot": "text", "count": "integer", "price": "decimal(2)",
         "source_file": "text"}  # fmt: skip


def records(rows: list[tuple[Any, ...]]) -> pa.Table:
    """Records of `KINDS`, months as '2026-04'."""

    from boreotabula.reading.values.convert import as_array
    from boreotabula.reading.values.form import ValueForm

    columns = list(zip(*rows, strict=True))
    arrays = []
    for column, (name, kind) in zip(columns, KINDS.items(), strict=True):
        if name == "price":
            column = [None if one is None else Decimal(one) for one in column]
        values = [
            date.fromisoformat(f"{one}-01") if name == "month" and one else one for one in column
        ]
        arrays.append(as_array(values, ValueForm(kind)))
    schema = pa.schema(
        [pa.field(name, one.type, metadata={"field_type": kind})
         for (name, kind), one in zip(KINDS.items(), arrays, strict=True)]
    )  # fmt: skip
    return pa.Table.from_arrays(arrays, schema=schema)


@pytest.fixture(scope="module")
def stock(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("review") / "trial"
    shutil.copytree(demo, folder)
    return folder


def call(folder: Path, *arguments: object) -> Outcome:
    done = program(*arguments, cwd=folder)
    assert "Traceback" not in done.err
    return done


@pytest.mark.parametrize("how", ["sum", "mean", "count", "min", "max", "median"])
@pytest.mark.parametrize("rows", [["nursery"], ["nursery", "species"]])
def test_figures_agree_with_an_independent_computation(
    stock: Path, how: str, rows: list[str]
) -> None:
    ours = json.loads(
        call(stock, "crosstab", "stock.csv", *(p for one in rows for p in ("--rows", one)),
             "--across", "month", "--value", "seedlings", "--how", how, "--json").out
    )  # fmt: skip
    table = polars.read_csv(stock / "stock.csv")
    measure = getattr(polars.col("seedlings"), how)()
    theirs = {
        tuple(row[:-1]): row[-1] for row in table.group_by([*rows, "month"]).agg(measure).rows()
    }
    for label, cells in zip(ours["rows"], ours["cells"], strict=True):
        for month, cell in zip(ours["columns"], cells, strict=True):
            expected = theirs.pop((*label, month), None)
            assert cell == (None if expected is None else pytest.approx(expected))
    assert not theirs
    totals = dict(table.group_by(rows[0]).agg(measure).rows())
    if len(rows) == 1:
        assert {
            one[0]: pytest.approx(n)
            for one, n in zip(ours["rows"], ours["row_totals"], strict=True)
        } == totals
    assert ours["total"] == pytest.approx(table.select(measure).item())
    assert ours["records"] == len(table)


ROWS = [
    ("B2", "2026-02", "a", 10, "1.50", "f1"), ("B10", "2026-01", "a", 0, "2.50", "f2"),
    ("B2", "2026-01", "b", 4, None, "f1"), ("B10", "2026-02", "b", None, "0.25", "f2"),
    ("b3", "2026-04", "c", 6, "1", "f3"), ("b3", "2026-04", "d", 1, "1", "f4"),
]  # fmt: skip


def cells_of(cross: Cross) -> dict[str, tuple[float | None, ...]]:
    return {" ".join(label): cells for label, cells in zip(cross.rows, cross.cells, strict=True)}


def spec(**more: Any) -> CrosstabSpec:
    return CrosstabSpec(**{"rows": ("site",), "across": "month", "value": "count", **more})


def test_rows_stand_naturally_and_blank_is_not_zero() -> None:
    cross = crosstab(records(ROWS), spec())
    assert cross.columns == ("2026-01", "2026-02", "2026-04")
    assert cells_of(cross) == {"B2": (4, 10, None), "b3": (None, None, 7), "B10": (0, None, None)}
    assert (cross.row_totals, cross.column_totals, cross.total) == ((14, 7, 0), (4, 10, 7), 21)


def test_shares_changes_and_the_largest() -> None:
    share = crosstab(records(ROWS), spec(how="share"))
    assert cells_of(share)["b3"] == (None, None, 1.0)
    assert share.row_totals == (pytest.approx(14 / 21), pytest.approx(1 / 3), 0)
    change = crosstab(records(ROWS), spec(change=True))
    assert cells_of(change) == {"B2": (None, 6, None), "b3": (None,) * 3, "B10": (None,) * 3}
    top = crosstab(records(ROWS), spec(top=1, by_value=True, across=None))
    assert cells_of(top) == {"B2": (14,), "2 others": (7,)}
    mean = crosstab(records(ROWS), spec(rows=(), across=None, how="mean", value="price"))
    assert (mean.rows, mean.total) == ((("all records",),), pytest.approx(1.25))


def test_whole_numbers_are_summed_up_exactly() -> None:
    rows = [("s", "2026-01", "a", 2**53 + 1, None, "f"), ("s", "2026-01", "b", 1, None, "f")]
    cross = crosstab(records(rows), spec())
    assert (cross.total, cross.cells) == (2**53 + 2, ((2**53 + 2,),))
    assert readable_number(cross.total, FIELD_TYPES["integer"], 0) == "9,007,199,254,740,994"
    one = crosstab(records(rows), spec(rows=("lot",)))
    assert readable_number(one.cells[0][0], FIELD_TYPES["integer"], 0) == "9,007,199,254,740,993"


def test_only_some_records() -> None:
    cross = crosstab(records(ROWS), spec(where=(("site", "b2"), ("month", "2026-01"))))
    assert (cells_of(cross), cross.records) == ({"B2": (4,)}, 1)


@pytest.mark.parametrize(
    ("months", "order"),
    [
        (["mai", "april", "mars"], ["mars", "april", "mai"]),
        (["kesäkuu", "huhtikuu", "joulukuu"], ["huhtikuu", "kesäkuu", "joulukuu"]),
        (["May 2026", "Jan 2026", "Dec 2025"], ["Dec 2025", "Jan 2026", "May 2026"]),
        (["w10", "w9", "W1"], ["W1", "w9", "w10"]),
    ],
)
def test_months_stand_in_times_order_in_any_language(months: list[str], order: list[str]) -> None:
    rows = [("s", "2026-01", one, 1, None, "f") for one in months]
    cross = crosstab(records(rows), spec(across="lot"))
    assert list(cross.columns) == order
    assert cross.in_time is (order[-1] != "w10")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"value": "lot"}, "“lot” is of type text, which has no sum; numbers are: count, price"),
        ({"value": None}, "say what is summed up with --value (count, price)"),
        ({"rows": ("sit",)}, "no field “sit”; did you mean “site”"),
        ({"where": (("site", "x"),)}, "no record has site = “x”; there is B10, B2, b3"),
        ({"across": None, "change": True}, "name a field --across"),
    ],
)
def test_wrong_wishes(more: dict[str, Any], said: str) -> None:
    with pytest.raises(CallError) as error:
        crosstab(records(ROWS), spec(**more))
    assert said in str(error.value)


def test_a_cross_tab_on_screen_and_in_files(stock: Path) -> None:
    ask = (
        "crosstab",
        "stock.csv",
        "--rows",
        "nursery",
        "--across",
        "month",
        "--value",
        "seedlings",
    )
    shown = call(stock, *ask).out.splitlines()
    assert shown[0] == "sum of seedlings · 3,392 records"
    assert shown[2].split() == ["nursery", "2026-01", "2026-02", "2026-03", "2026-04", "total"]
    assert shown[-1].split()[0] == "total"
    assert call(stock, *ask, "-o", "c.csv").status == call(stock, *ask, "-o", "c.xlsx").status == 0
    with (stock / "c.csv").open(encoding="utf-8", newline="") as stream:
        rows = list(csv.reader(stream))
    assert [cell.replace(",", "") for cell in shown[-1].split()] == [*rows[-1]]
    sheet = openpyxl.load_workbook(stock / "c.xlsx")["Cross-tab"]
    assert [str(cell.value) for cell in sheet[sheet.max_row]] == rows[-1]
    assert [cell.value for cell in sheet[1]] == rows[0]
    assert (sheet.freeze_panes, sheet["B2"].number_format) == ("B2", "#,##0")
    assert sheet.print_title_rows == "$1:$1"
    assert sheet.oddHeader.left.text == "&Bsum of seedlings, 3,392 records"


def test_a_cross_tab_without_totals(stock: Path) -> None:
    ask = (
        "crosstab",
        "stock.csv",
        *["--rows", "nursery", "--across", "month", "--value", "seedlings"],
    )
    shown = call(stock, *ask, "--no-totals").out.splitlines()
    assert "total" not in shown[2] and shown[-1].split()[0] == "Suvanto"
    assert "total" not in json.loads(call(stock, *ask, "--no-totals", "--json").out)
    for name in ("n.csv", "n.xlsx"):
        assert call(stock, *ask, "--no-totals", "-o", name).status == 0
    assert (stock / "n.csv").read_text("utf-8").count("\n") == 7
    sheet = openpyxl.load_workbook(stock / "n.xlsx").active
    assert sheet is not None and (sheet.max_row, sheet.max_column) == (7, 5)


def test_the_unit_of_a_field_is_on_axes_and_in_the_record_of_the_run(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.csv").write_text("site;weight\nA;3 kg\nB;4 kilo\n", "utf-8")
    (tmp_path / "w.toml").write_text(
        'layout = 1\n[source]\nfolder = "in"\n[block]\n[fields]\nsite = "text"\n'
        'weight = { type = "integer", unit = ["kg", "kilo"] }\n',
        "utf-8",
    )
    assert call(tmp_path, "extract", "w.toml", "-o", "w.csv").status == 0
    run = json.loads((tmp_path / "w.csv.run" / "run.json").read_text("utf-8"))
    assert run["tables"][0]["fields"][1] == {"field": "weight", "type": "integer", "unit": "kg"}
    for records in ("w.csv", "w.toml"):
        ask = ("crosstab", records, "--rows", "site", "--value", "weight")
        assert call(tmp_path, *ask).out.startswith("sum of weight, kg · 2 records")
        call(tmp_path, *ask, "--chart", "w.svg")
        assert ">sum of weight, kg<" in (tmp_path / "w.svg").read_text("utf-8")
        count = call(tmp_path, "crosstab", records, "--rows", "site", "--how", "count")
        assert count.out.startswith("number of records · 2 records")


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_a_table_made_by_hand_is_summed_up_by_what_its_cells_are(
    tmp_path: Path, ending: str
) -> None:
    rows = [
        ["Site", "Month", "Count"], ["Suvanto", "2026-03", 4], ["Lomlia", "2026-04", 12],
        ["Suvanto", "2026-04", 5],
    ]  # fmt: skip
    path = tmp_path / f"mine.{ending}"
    if ending == "csv":
        path.write_text("\n".join(",".join(map(str, row)) for row in rows), "utf-8")
    else:
        write_workbook(path, {"Mine": rows})
    ask = ["crosstab", path, "--rows", "Site", "--across", "Month", "--value", "Count", "--json"]
    shown = json.loads(call(tmp_path, *map(str, ask)).out)
    assert shown["columns"] == ["2026-03", "2026-04"] and shown["total"] == 21
    assert dict(zip(["Lomlia", "Suvanto"], shown["cells"], strict=True)) == {
        "Lomlia": [None, 12], "Suvanto": [4, 5],
    }  # fmt: skip


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["crosstab", "stock.csv", "--value", "lot", "-o", "c.pdf"], "is written as .csv or .xlsx"),
        (["crosstab", "stock.csv", "--value", "lot", "--chart", "c.gif"], "drawn as .png"),
        (["crosstab", "nothing.csv"], "there is no file “nothing.csv”"),
        (["crosstab", "mine.parquet", "--how", "count"], "has no run folder"),
        (["crosstab", "headings.csv", "--how", "count", "--table", "b"], "has no run folder"),
        (["coverage", "stock.csv", "--across", "month"], "say who reports with --rows"),
        (["coverage", "stock.csv", "--rows", "lot", "--across", "lot", "--expect", "stock.toml"],
         "has no column “lot”"),
        (["bind", "nowhere", "-o", "x.xlsx"], "there is no file or folder “nowhere”"),
        (["bind", "inbox", "-o", "x.csv"], "bind writes a workbook"),
        (["bind", "inbox", "-o", "x.xlsx", "--tab-name", "{who}"], "there is no {who}"),
        (["bind", "inbox", "-o", "x.xlsx", "--named", "nope"], "no tab matches"),
        (["extract", "stock.toml", "-o", "s.csv", "--report", "r.pdf"], "is written as .html or"),
        (["bind", "inbox", "-o", "inbox/x.xlsx"], "the next run would read it"),
        (["crosstab", "stock.csv", "--value", "lot", "-o", "inbox/2026-04/c.csv"], "another place"),
    ],
)  # fmt: skip
def test_wrong_calls(stock: Path, arguments: list[str], said: str) -> None:
    (stock / "mine.parquet").touch()
    done = call(stock, *arguments)
    assert (done.status, done.out) == (2, "")
    assert said in " ".join(done.err.split())
    assert not (stock / "x.xlsx").exists()


def test_who_reported_when() -> None:
    expected = [("B2",), ("B11",), ("B3",)]
    found = coverage(records(ROWS), ["site"], "month", expected)
    assert found.cross.columns == ("2026-01", "2026-02", "2026-03", "2026-04")
    assert cells_of(found.cross)["b3"] == (None, None, None, 2)
    assert cells_of(found.cross)["B11"] == (None,) * 4
    assert found.never == (("B11",),)
    assert (("B2",), "2026-03") in found.gaps and len(found.gaps) == 7
    assert found.late == ((("B2",), "2026-02", 2), (("B10",), "2026-02", 2))
    assert found.double == ((("b3",), "2026-04", ("f3", "f4")),)
    assert not found.complete


def test_coverage_of_the_demo(stock: Path) -> None:
    ask = ("coverage", "stock.csv", "--rows", "nursery", "--across", "month")
    assert "Complete: everybody reported" in call(stock, *ask, "--require-complete").out
    (stock / "sites.csv").write_text("Nursery,Phone\nlomlia,1\nNewly,2\n", "utf-8")
    done = call(stock, *ask, "--expect", "sites.csv", "--require-complete")
    assert done.status == 1 and "missing   Newly has never reported" in done.out
    assert call(stock, *ask, "--expect", "sites.csv").status == 0


class Page(HTMLParser):
    """The texts of a page, and what it would load."""

    def __init__(self) -> None:
        super().__init__()
        self.texts: list[str] = []
        self.loads: list[str] = []
        self.heads = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.heads += tag == "th" and dict(attrs).get("scope") in ("col", "row")
        self.loads += [tag] if tag in ("script", "link", "img", "iframe") else []

    def handle_data(self, data: str) -> None:
        self.texts.append(" ".join(data.split()))


def test_the_page_of_a_run(demo: Path, tmp_path: Path) -> None:
    stock = tmp_path / "trial"
    shutil.copytree(demo, stock)
    assert call(stock, "extract", "stock.toml", "-o", "s.csv", "--report", "run.html").status == 1
    page = Page()
    page.feed((stock / "run.html").read_text("utf-8"))
    text = " ".join(page.texts)
    for said in (
        "Bench stock-take",
        "24 of 24",
        "3,392",
        "2,977 of 2,977",
        "“ca. 120” is not a whole number",
        "Greenhouse 2 › D10",
        "Who reported when",
        "Lomlia",
        "2026-04",
        "The first records",
    ):
        assert said in text  # fmt: skip
    assert page.loads == [] and page.heads > 40
    assert "Restated since" not in text and "Who has not reported" not in text
    (stock / "who.csv").write_text("Phone,Nursery\n1,lomlia\n2,Nyheim\n", "utf-8")
    book = openpyxl.load_workbook(stock / "inbox" / "2026-01" / "fjord_stock_Lomlia_2026-01.xlsx")
    for row in book.worksheets[0].iter_rows():
        for cell in row:
            cell.value = cell.value - 5 if isinstance(cell.value, int) else cell.value
    book.save(stock / "inbox" / "2026-01" / "fjord_stock_Lomlia_2026-01.xlsx")
    (stock / "inbox" / "2026-02" / "fjord_stock_Frostmo_2026-02.xlsx").unlink()
    more = ["--report", "more.html", "--expect", "who.csv"]
    assert call(stock, "extract", "stock.toml", "-o", "s.csv", *more).status == 1
    page.texts = []
    page.feed((stock / "more.html").read_text("utf-8"))
    text = " ".join(page.texts)
    assert "Restated since the last run" in text and "sum of seedlings 2026-01: 312,740 →" in text
    lacking = text[text.index("Who has not reported") :][:80]
    assert " ".join(lacking.split()).startswith(
        "Who has not reported Frostmo : 2026-02 Nyheim : never"
    )
    assert "records of Lomlia over time" in (stock / "more.html").read_text("utf-8")
    for list_, said in (("sites", "no column of “sites” is called"), ("none", "cannot be read")):
        (stock / "sites").write_text("a,b\n1,2\n", "utf-8")
        done = call(stock, "extract", "stock.toml", "-o", "s.csv", *more[:2], "--expect", list_)
        assert done.status == 2 and said in " ".join(done.err.split())
    again = call(stock, "extract", "stock.toml", "-o", "s.csv", "--report", "again.html")
    assert again.status == 1 and "The first records" in (stock / "again.html").read_text("utf-8")


def test_tabs_are_bound_as_they_are(tmp_path: Path) -> None:
    inbox = tmp_path / "in"
    inbox.mkdir()
    book = openpyxl.Workbook()
    tab = book.worksheets[0]
    tab.title = "It's a very long tab name: no"[:28].replace(":", "")
    tab.append(["Lot", "Day", "Sum"])
    tab.append(["=not a formula", date(2026, 4, 1), 2.5])
    tab["A2"].data_type = "s"
    tab["A1"].font = openpyxl.styles.Font(bold=True, color="FFAA0000")
    tab["B1"].fill = openpyxl.styles.PatternFill("solid", fgColor="FFDDEEFF")
    tab["C2"].number_format = "0.00"
    tab.merge_cells("A4:B5")
    tab["A4"] = "merged"
    tab.column_dimensions["A"].width = 31
    tab["C3"] = "=1+1"
    book.create_sheet("blank")
    book.save(inbox / "a10.xlsx")
    book.save(inbox / "A9.xlsx")
    (inbox / "log.csv").write_text("code;day;level\n007;2026-04-01;1.5\n", "utf-8")
    (inbox / "bad.xlsx").write_bytes(b"PK")
    done = call(tmp_path, "bind", "in", "-o", "all.xlsx")
    assert done.status == 1 and "bad.xlsx: not read" in done.err
    found = openpyxl.load_workbook(tmp_path / "all.xlsx")
    names = found.sheetnames
    assert names[0] == "Contents" and len(names) == 4 and max(map(len, names)) <= 31
    assert [row[1].value for row in found["Contents"].iter_rows(min_row=2) if row[0].value] == [
        "A9.xlsx", "a10.xlsx", "log.csv",
    ]  # fmt: skip
    tab = found[names[1]]
    assert next(cell.value for cell in tab[2]) == "=not a formula" and tab["A2"].data_type == "s"
    assert tab["B2"].is_date and tab["C2"].number_format == "0.00"
    assert tab["A1"].font.b and tab["A1"].font.color.rgb == "FFAA0000"
    assert tab["B1"].fill.fgColor.rgb == "FFDDEEFF"
    assert [str(one) for one in tab.merged_cells.ranges] == ["A4:B5"]
    assert round(tab.column_dimensions["A"].width) == 31
    notes = {row[5].value for row in found["Contents"].iter_rows(min_row=2)}
    assert any("1 cell holds an error or a formula without result" in (one or "") for one in notes)
    log = found[names[3]]
    assert next(cell.value for cell in log[2]) == "007" and log["C2"].value == 1.5
    links = [
        cell.hyperlink.location
        for (cell, *_) in found["Contents"].iter_rows(min_row=2)
        if cell.value
    ]
    assert links[0].replace("''", "'") == f"'{names[1]}'!A1"


def test_files_and_tabs_are_chosen(stock: Path) -> None:
    done = call(
        stock, "bind", "inbox", "-o", "b.xlsx", "--include", "*Lomlia*", "--named", "*1", "--json"
    )
    assert done.status == 0
    bound = json.loads(done.out)
    assert len(bound) == 4 and {one["tab"] for one in bound} == {"Veksthus 1"}
    assert [one["file"][:7] for one in bound] == ["2026-01", "2026-02", "2026-03", "2026-04"]
    assert call(stock, "bind", "stock.toml", "-o", "c.xlsx", "--position", "-1").out.startswith(
        "c.xlsx: 24 tabs"
    )
    assert len(openpyxl.load_workbook(stock / "c.xlsx").sheetnames) == 25


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
def test_a_bound_workbook_opens_in_libreoffice_as_it_is(stock: Path) -> None:
    call(stock, "bind", "inbox", "-o", "lo.xlsx", "--include", "*Lomlia*")
    convert = ["soffice", "--headless", "--convert-to", "ods", "--outdir", "there", "lo.xlsx"]
    subprocess.run(convert, cwd=stock, check=True, capture_output=True)
    with Workbook(stock / "lo.xlsx") as ours, Workbook(stock / "there" / "lo.ods") as theirs:
        assert [tab.name for tab in ours.tabs] == [tab.name for tab in theirs.tabs]
        for tab in ours.tabs[1:]:
            sheet, other = ours.sheet(tab.name), theirs.sheet(tab.name)
            assert sheet.rows == other.rows
            assert sorted(sheet.merges) == sorted(other.merges)


def test_long_names_of_tabs_lose_their_middle(stock: Path) -> None:
    done = call(stock, "bind", "inbox", "-o", "n.xlsx", "--include", "*Lomlia*", "--json")
    names = [one["name"] for one in json.loads(done.out)]
    assert names[0] == "fjord_stoc…a_2026-01 Veksthus 1"
    assert all(len(one) <= 31 and one.endswith(("Veksthus 1", "Veksthus 2")) for one in names)
